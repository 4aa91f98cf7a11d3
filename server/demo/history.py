"""Eighteen months of the workshop's record: use as job logs tell it, meters, looks now and then, what wore and what was lost.

All of it by the same acts as in real use, on the simulated machines; only the clock is set back.
"""

from __future__ import annotations

import io
import json
from collections.abc import Iterable
from datetime import timedelta
from typing import TYPE_CHECKING

from kestov_core.simulator.machine import SimMachine
from kestov_core.simulator.shaking import SimAxis, SimMode
from people.clock import at
from work import doing
from workshop.models import Component

if TYPE_CHECKING:
    from .workshop import Maker

#: How long the record is, in days; and the days of its meter readings, once a month.
LONG = 548
READ = (540, 509, 478, 448, 417, 386, 356, 325, 294, 264, 233, 203, 172, 142, 112, 81, 50, 22)
#: Hours of print a day of each machine.
A_DAY = {
    "Bowline": 6.5, "Marline": 7.2, "Sheepshank": 4.1, "Halyard": 3.8, "Carrick": 2.2, "Windlass": 5.0, "Capstan": 2.9,
    "Longsplice": 3.3,
}  # fmt: skip
#: Machines that write a log of their jobs, each in its own way.
_LOGS = {
    "Bowline": ("Started,Duration,File,Filament [m]", "{t:%Y-%m-%d %H:%M},{h}:{m:02d}:00,{name},{metres:.1f}"),
    "Marline": ("Started,Duration,File,Filament [m]", "{t:%Y-%m-%d %H:%M},{h}:{m:02d}:00,{name},{metres:.1f}"),
    "Windlass": ("Begin;Minutes;Job;Weight g;Result", "{t:%d.%m.%Y %H:%M};{minutes};{name};{grams:.0f};done"),
}
_PRINTED = ("cleat", "fairlead", "lamp hook", "spice lid", "bearing seat", "gear of 40 teeth", "sail batten end", "tide clock face")  # fmt: skip
#: Belts that somebody plucked in the first year, when rounds were not yet kept: one machine in two was forgotten.
_PLUCKED = [
    (520, ("Bowline", "Marline", "Windlass")),
    (400, ("Bowline", "Sheepshank")),
    (290, ("Bowline", "Marline", "Windlass")),
    (175, ("Bowline", "Sheepshank", "Marline")),
]
#: Windlass's carriage on X (days ago, half its dead band in mm): worn twice, replaced twice, and on its way again.
_PLAY: list[tuple[int, float]] = [
    (530, 0.0040), (470, 0.0110), (425, 0.0185), (398, 0.0340),
    (395, 0.0035), (340, 0.0125), (300, 0.0205), (268, 0.0350),
    (265, 0.0030), (205, 0.0075), (150, 0.0115), (95, 0.0155), (42, 0.0185),
]  # fmt: skip
_WORN = (398, 268)


def eighteen_months(maker: Maker, printers: list[tuple[str, str, str, dict[str, float]]]) -> None:
    """What happened before the months that the rest of the record tells in full."""
    _meters(maker, [p[0] for p in printers])
    for name in _LOGS:
        _job_log(maker, name)
    _plucked(maker, {p[0]: p[3] for p in printers})
    _a_carriage(maker)
    _a_lost_value(maker)


def _meters(maker: Maker, names: list[str]) -> None:
    """Read once a month; on those that are not much used now and then forgotten."""
    for i, name in enumerate(names):
        printer = maker.printer(name)
        for k, ago in enumerate(READ):
            if A_DAY[name] < 3 and k % 3 == 1 and ago > 112:
                continue
            uneven = (0.0, 6.0, -9.0, 4.0)[k % 4]
            hours = round(A_DAY[name] * (LONG + 12 + 37 * i - ago) + uneven, 1)
            with at(maker.today - timedelta(days=ago, hours=2)):
                maker.call("tech2", "POST", f"/printers/{printer.pk}/meter", {"hours": hours})


def _job_log(maker: Maker, name: str) -> None:
    """The log of a machine's jobs until yesterday, taken as a person takes one."""
    head, line = _LOGS[name]
    rows = [head]
    for ago in range(LONG, 0, -1):
        day = (maker.today - timedelta(days=ago)).replace(hour=8, minute=0, second=0, microsecond=0)
        # Fewer at weekends, more before the spring fair; in one fortnight the workshop was shut.
        busy = (
            (0.5 if day.weekday() >= 5 else 1.2)
            * (1.25 if day.month in (3, 4) else 0.95)
            * (0 if 235 < ago < 249 else 1)
        )
        hours = A_DAY[name] * busy * float(maker.rng.uniform(0.75, 1.25))
        while hours > 0.2 and day.hour < 23:
            minutes = int(60 * min(hours, float(maker.rng.uniform(0.6, 9.0))))
            grams = minutes * float(maker.rng.uniform(0.15, 0.35))
            told = {
                "t": day,
                "h": minutes // 60,
                "m": minutes % 60,
                "minutes": minutes,
                "grams": grams,
                "metres": grams / 2.98,
            }
            rows.append(line.format(**told, name=str(maker.rng.choice(_PRINTED))))
            hours -= minutes / 60
            day += timedelta(minutes=minutes + int(maker.rng.integers(5, 50)))
    printer = maker.printer(name)
    path = f"/printers/{printer.pk}/job-log"
    with at(maker.today - timedelta(hours=6)):
        seen = maker.call("tech", "POST", f"{path}/look", meta="{}", file=_file(name, rows))
        if seen["problem"] or seen["wrong_rows"]:
            raise RuntimeError(f"The job log of {name} cannot be read: {seen['problem'] or seen['wrong']}")
        work = maker.call("tech", "POST", path, meta=json.dumps({"columns": seen["columns"]}), file=_file(name, rows))
        doing.run(work["id"])


def _file(name: str, rows: list[str]) -> io.BytesIO:
    file = io.BytesIO("\n".join(rows).encode())
    file.name = f"jobs of {name}.csv"
    return file


def _plucked(maker: Maker, shares: dict[str, dict[str, float]]) -> None:
    for days, names in _PLUCKED:
        for k, name in enumerate(names):
            maker.drift(name, days, shares[name])
            for j, place in enumerate(shares[name]):
                with at(maker.today - timedelta(days=days, hours=2) + timedelta(minutes=12 * k + 4 * j)):
                    maker.pluck("tech2", name, place)


def _gap(maker: Maker, name: str, axis: str, gap_mm: float) -> None:
    """Set half the dead band of an axis as it was."""
    printer = maker.printer(name)
    sim = SimMachine.model_validate(printer.simulated)
    was = sim.axes.get(axis) or SimAxis(modes=[SimMode(hz=45.0, damping=0.06)])
    sim.axes = {**sim.axes, axis: was.model_copy(update={"play_mm": gap_mm})}
    printer.simulated = sim.model_dump(mode="json")
    printer.save(update_fields=["simulated"])


def _a_carriage(maker: Maker) -> None:
    """Windlass's carriage came back twice: measured, replaced, proven, and measured again until the next time."""
    printer = maker.printer("Windlass")
    today = SimMachine.model_validate(printer.simulated).axes["x"].play_mm
    for ago, gap in _PLAY:
        _gap(maker, "Windlass", "x", gap)
        moment = maker.today - timedelta(days=ago, hours=4)
        if ago not in _WORN:
            with at(moment):
                maker.typed("tech", "Windlass", "play", "x")
            continue
        with at(moment - timedelta(hours=20)):
            words = "Flat walls are wavy, and the head rocks when one pushes it." if ago == _WORN[0] else "As in spring: the head rocks again."  # fmt: skip
            case = maker.report("member2", "Windlass", "something_rocks", "x", "some days", words)
        with at(moment):
            maker.call("tech", "POST", f"/cases/{case}/take")
            maker.typed("tech", "Windlass", "play", "x", case=case)
        part = Component.objects.get(
            printer=printer, kind__in=("ball_bushings", "ball_carriages"), place="x", removed_on=None
        )
        with at(moment + timedelta(hours=2)):
            told = {"did": "replace", "because": "worn", "words": "Rough all round; the balls have run in."}
            maker.call("tech", "POST", f"/components/{part.pk}/deeds", told)
            maker.call("tech", "POST", f"/cases/{case}/repairs", {"fault": "carriage_play", "axis": "x"})
        _gap(maker, "Windlass", "x", 0.005)
        with at(moment + timedelta(hours=3)):
            maker.typed("tech", "Windlass", "play", "x", case=case)
            closed = {"closing": "verified", "cause": "Carriage on X worn out.", "fault": "carriage_play", "axis": "x"}
            maker.call("tech", "POST", f"/cases/{case}/close", closed)
    _gap(maker, "Windlass", "x", today)


#: The last round, on which two machines were passed over and one was only dusted.
_ROUND = {
    "Bowline": ("dust", "joints", "wipe_down", "guides"),
    "Marline": ("dust", "wiring", "joints", "wipe_down", "guides", "gears", "test_part"),
    "Sheepshank": ("wipe_down",),
    "Halyard": ("dust", "joints", "wipe_down", "guides"),
    "Windlass": ("dust", "wiring", "joints", "wipe_down", "guides"),
    "Capstan": ("wipe_down", "joints"),
}


#: Machines that had a whole round twelve weeks ago.
_WHOLE = ("Bowline", "Marline", "Halyard", "Windlass")


#: What was done every month before, where it was not skipped, and how often it was wanted then.
_MONTHLY = {"dust": 0.05, "joints": 0.05, "guides": 0.1, "belts": 0.15, "gears": 0.75}
#: When, days ago; and when a plate was washed.
_MONTHS, _WEEKS = range(402, 100, -30), range(80, 5, -7)


def rounds_done(maker: Maker) -> None:
    """Short rounds of four machines every month, some skipped; a whole round, and the shorter one after it; plates washed by the week."""
    for days in _MONTHS:
        for k, name in enumerate(_WHOLE):
            if float(maker.rng.random()) > 0.25:
                _ticked(maker, name, _MONTHLY, days, k)
    for days in _WEEKS:
        for k, name in enumerate(_WHOLE):
            if float(maker.rng.random()) > 0.3:
                _ticked(maker, name, ["plate"], days, k)
    for k, name in enumerate(_WHOLE):
        _ticked(maker, name, maker.call("tech", "GET", f"/printers/{maker.printer(name).pk}/service")["round"], 84, k)
    for k, (name, done) in enumerate(_ROUND.items()):
        _ticked(maker, name, done, 22, k)


def _ticked(maker: Maker, name: str, done: Iterable[str], days: int, k: int) -> None:
    for j, task in enumerate(done):
        with at(maker.today - timedelta(days=days, hours=1) + timedelta(minutes=30 * k + 6 * j)):
            wanted = float(maker.rng.random()) < _MONTHLY.get(task, 0.0)
            told = {"task": task, "found": "needed" if wanted else "fine"}
            maker.call("tech2", "POST", f"/printers/{maker.printer(name).pk}/service/done", told)


def _a_lost_value(maker: Maker) -> None:
    """Marline's firmware was changed half a year ago and lost what Z moves by; found in five minutes, and put back."""
    path = f"/printers/{maker.printer('Marline').pk}"
    printed = "M92 X80.00 Y80.00 Z400.00 E412.50\nM906 X900 Y900 Z800 E550\nM851 X0.00 Y0.00 Z-0.48\nM204 P4000"
    with at(maker.today - timedelta(days=330)):
        names = [c["name"] for c in maker.call("tech", "POST", f"{path}/stored/look", {"text": printed})["compared"]]
        maker.call("tech", "POST", f"{path}/stored/keep", {"text": printed, "take": names})
        maker.call("tech", "POST", f"{path}/ledger", {"name": "firmware", "text": "Build 9"})
    with at(maker.today - timedelta(days=196)):
        maker.call("tech", "POST", f"{path}/events", {"event": "firmware_updated", "note": "for the runout sensor"})
        maker.call("tech", "POST", f"{path}/ledger", {"name": "firmware", "text": "Build 11"})
        maker.call("tech", "POST", f"{path}/stored/keep", {"text": printed.replace("Z400.00", "Z384.00"), "take": []})
    with at(maker.today - timedelta(days=195, hours=23)):
        maker.call("tech", "POST", f"{path}/stored/keep", {"text": printed, "take": []})
