"""The demo workshop: a community workshop in a former rope-walk by a tidal river.

All of it is invented. It is made through the API, by the rules of real use, on simulated machines whose belts lose
tension over months; only the clock is set back.
"""

from __future__ import annotations

import json
import uuid
from collections.abc import Callable
from datetime import datetime, timedelta
from typing import Any

import numpy as np
from django.test import Client
from django.utils import timezone
from kestov_core.machine import Description
from kestov_core.simulator.frame import SimBeam, SimBed, SimFrame, SimScrew, made_bed
from kestov_core.simulator.instruments import SimTravel
from kestov_core.simulator.machine import SimBelt, SimMachine
from kestov_core.simulator.shaking import SimAxis, SimMode
from people.accounts import DEMO_MARK
from people.clock import at
from people.models import Role, User
from workshop.models import Printer

from .components import parts_of_machines
from .history import LONG, eighteen_months, rounds_done
from .instruments import INSTRUMENTS, check_and_compare
from .models_of_printers import MODELS
from .parts import own_part
from .pictures import echoes, tower
from .stores import stores
from .week import booked_week
from .worth import worth

PEOPLE = [
    # sign-in, name, role, password
    ("lead", "Ilse Tarn", Role.LEAD, "tide-table-lead"),
    ("tech", "Wen Askel", Role.TECHNICIAN, "tide-table-tech"),
    ("tech2", "Oda Fenwright", Role.TECHNICIAN, "tide-table-tech2"),
    ("member", "Jory Pell", Role.MEMBER, "tide-table-member"),
    ("member2", "Suna Marrow", Role.MEMBER, "tide-table-member2"),
]
PLACES = ["Long walk", "Tar loft", "Slipway room"]
PRINTERS = [
    # name, model, place, what its belts have today as a share of the target's middle
    ("Bowline", "Heron 300", "Long walk", {"a": 0.55, "b": 0.86}),
    ("Marline", "Heron 300", "Long walk", {"a": 1.01, "b": 0.98}),
    ("Sheepshank", "Dunlin 220", "Long walk", {"x": 0.62, "y": 1.0}),
    ("Halyard", "Dunlin 220", "Long walk", {"x": 1.02, "y": 0.96}),
    ("Carrick", "Dunlin 220", "Tar loft", {"x": 0.97, "y": 0.95}),
    ("Windlass", "Avocet 350", "Tar loft", {"x": 0.99, "y1": 0.86, "y2": 0.87}),
    ("Capstan", "Plover Tall", "Slipway room", {"t1": 1.0, "t2": 0.98, "t3": 1.03}),
    ("Longsplice", "Godwit Endless", "Slipway room", {"x": 1.03, "y": 0.97, "z": 1.0}),
]

#: What single axes truly ring with and how they travel; what is not named is sound.
AXES = {
    "Bowline": {
        "a": SimAxis(modes=[SimMode(hz=41.5, damping=0.055), SimMode(hz=88, damping=0.06, share=0.25)]),
        "b": SimAxis(modes=[SimMode(hz=46.0, damping=0.05), SimMode(hz=88, damping=0.06, share=0.25)]),
        "x": SimAxis(modes=[SimMode(hz=43.0, damping=0.055)], cross=0.2),
    },
    "Marline": {
        "x": SimAxis(modes=[SimMode(hz=52.0, damping=0.06)]),
        "y": SimAxis(modes=[SimMode(hz=44.0, damping=0.07), SimMode(hz=71.0, damping=0.08, share=0.5)]),
    },
    "Windlass": {"x": SimAxis(modes=[SimMode(hz=45.0, damping=0.06)], play_mm=0.03)},
    "Halyard": {"y": SimAxis(modes=[SimMode(hz=31.0, damping=0.08)])},
}
TRAVEL = {
    "Windlass": {"x": SimTravel(backlash_mm=0.085)},
    "Halyard": {"x": SimTravel(scale=0.9945)},
    "Marline": {"x": SimTravel(backlash_mm=0.012)},
}


def exists() -> bool:
    """Whether the workshop has any account."""
    return User.objects.exists()


def load(say: Callable[[str], None] = lambda _: None) -> None:
    """Make the demo workshop in an empty database."""
    Maker(timezone.now(), say).make()


#: Beams that stand aslant (mm per 100 mm); the others are made by their seed.
BEAMS = {
    "Carrick": SimBeam(tilt=0.14, answers=0.94),
    **{name: SimBeam(tilt=0.008, answers=0.94) for name in ("Bowline", "Marline", "Sheepshank", "Halyard", "Windlass")},
}
#: A column under stress, and a screw that is bent.
SCREWS = {
    "Windlass": {"z1": SimScrew(drift=0.35, bent_mm=0.01), "z2": SimScrew(drift=0.01, bent_mm=0.16, play_mm=0.02)},
}
FRAMES = {
    "Halyard": SimFrame(lean_xy=0.28, square_off=0.06, wall_mm=0.09),
    **{name: SimFrame(lean_xy=0.02, wall_mm=0.06) for name in ("Bowline", "Marline", "Windlass")},
}
#: Beds of which more is said than their seed: most lie level.
_LEVEL = {"tilt_x": 0.006, "tilt_y": -0.009, "bow_mm": 0.07, "speck": None}
BEDS: dict[str, dict[str, Any]] = {
    **{name: _LEVEL for name in ("Bowline", "Marline", "Windlass", "Halyard")},
    "Sheepshank": {"tilt_x": 0.11, "tilt_y": -0.16, "bow_mm": 0.12, "hot_bow_mm": 0.09, "answers": 0.92, "speck": None},
}


def _bed(name: str, motion: Description, seed: int) -> SimBed | None:
    """How a machine's bed truly lies, in its model's size."""
    bed = motion.bed
    if bed is None or bed.width_mm is None or bed.depth_mm is None:
        return None
    return made_bed(seed, bed.width_mm, bed.depth_mm).model_copy(update=BEDS.get(name, {}))


class Maker:
    """Makes the workshop by calling the API as its people would."""

    def __init__(self, today: datetime, say: Callable[[str], None]) -> None:
        self.today = today
        self.say = say
        self.rng = np.random.default_rng(417)
        self.clients: dict[str, Client] = {}

    def make(self) -> None:
        for username, name, role, password in PEOPLE:
            email = DEMO_MARK if username == "lead" else ""
            user = User.objects.create_user(username=username, name=name, role=role, password=password, email=email)
            client = Client(headers={"host": "localhost"})
            client.force_login(user, backend="django.contrib.auth.backends.ModelBackend")
            self.clients[username] = client
        self.say("Setting up the rope-walk: places, models, machines …")
        with at(self.today - timedelta(days=LONG + 10)):
            self._room()
        self.say("Playing eighteen months of its record through the simulated machines …")
        eighteen_months(self, PRINTERS)
        for days in (112, 81, 50, 22):
            self._service_round(days)
        self._resonances()
        self._travels()
        self._frames()
        check_and_compare(self)
        with at(self.today - timedelta(days=30)):
            own_part(self)
        parts_of_machines(self, PRINTERS)
        stores(self)
        rounds_done(self)
        self._stored()
        self._closed_cases()
        self._open_cases()
        booked_week(self)
        worth(self)

    def call(self, who: str, method: str, path: str, body: dict[str, Any] | None = None, **form: Any) -> Any:
        """One request; anything but success is a mistake of the demo itself."""
        client = self.clients[who]
        if form:
            answer = client.post(f"/api{path}", form)
        else:
            answer = client.generic(method, f"/api{path}", json.dumps(body or {}), content_type="application/json")
        if answer.status_code != 200:
            raise RuntimeError(f"{method} {path}: {answer.status_code} {answer.content[:400]!r}")
        return answer.json()

    # the room

    def _room(self) -> None:
        for name in PLACES:
            shop = self.call("lead", "POST", "/workshop/areas", {"name": name})
        for model in MODELS:
            shop = self.call("lead", "POST", "/workshop/models", model)
        for row in INSTRUMENTS:
            told = {k: self._day(v) if k in ("checked_on", "check_due") else v for k, v in row.items()}
            shop = self.call("lead", "POST", "/workshop/instruments", told)
        areas = {p["name"]: p["id"] for p in shop["areas"]}
        models = {m["name"]: m for m in shop["models"]}
        for i, (name, of_model, area, _) in enumerate(PRINTERS):
            self.call(
                "lead",
                "POST",
                "/workshop/printers",
                {
                    "name": name,
                    "model_id": models[of_model]["id"],
                    "area_id": areas[area],
                    "serial": f"RW-{i + 1:02d}",
                    "in_use_since": self._day(LONG + 12 + 37 * i),
                },
            )
        for name, of_model, _, shares in PRINTERS:
            sim = self._truth(name, models[of_model], shares, seed=100 + sum(name.encode()))
            Printer.objects.filter(name=name).update(simulated=sim.model_dump(mode="json"))

    def _day(self, ago: int) -> str:
        return (self.today - timedelta(days=ago)).date().isoformat()

    def _truth(self, name: str, model: dict[str, Any], shares: dict[str, float], seed: int) -> SimMachine:
        """True belts near the model's nominal figures. Tensions start well and drift to today's shares over months."""
        motion = Description.model_validate(model["description"])
        limits = {x["place"]: x for x in model["limits"] if x["what"] == "tension"}
        belts = {}
        for place, belt in motion.belts().items():
            limit = limits.get(place, {"low": 33, "high": 83})
            middle = (limit["low"] + limit["high"]) / 2
            assert belt.tensioner is not None and belt.loop_length_mm is not None
            density = belt.linear_density_g_per_m or 8.0 * belt.width_mm / 6.0
            belts[place] = SimBelt(
                tension_n=middle,
                linear_density_g_per_m=density * float(self.rng.normal(1, 0.008)),
                span_mm=belt.spans[0].span_mm + float(self.rng.normal(0, 0.3)),
                axial_stiffness_n=belt.axial_stiffness_n or 25000.0,
                loop_length_mm=belt.loop_length_mm,
                tensioner=belt.tensioner,
                gain=float(self.rng.normal(1, 0.05)),
                q=float(self.rng.uniform(28, 45)),
                other_run_mm=belt.spans[0].span_mm * float(self.rng.uniform(1.15, 1.45)),
                partner=motion.partner(place),
            )
        return SimMachine(
            belts=belts,
            coupling=0.1 if motion.pairs else 0.0,
            seed=seed,
            axes=AXES.get(name, {}),
            travel=TRAVEL.get(name, {}),
            beam=BEAMS.get(name),
            bed=_bed(name, motion, seed),
            screws=SCREWS.get(name, {}),
            frame=FRAMES.get(name),
        )

    # what happens

    def drift(self, name: str, days: int, shares: dict[str, float]) -> None:
        """Set the true tension as it was so many days ago: good at first, today's share at last."""
        printer = Printer.objects.select_related("model").get(name=name)
        sim = SimMachine.model_validate(printer.simulated)
        motion = printer.motion()
        limits = {x.place: x for x in printer.model.limits.filter(what="tension")}
        for place, belt in sim.belts.items():
            limit = limits.get(place)
            middle = ((limit.low or 33) + (limit.high or 83)) / 2 if limit else 58.0
            past = 1.0 + (shares[place] - 1.0) * max(0.0, 1 - days / 125) ** 1.3
            belt.tension_n = middle * past
        assert motion
        printer.simulated = sim.model_dump(mode="json")
        printer.save(update_fields=["simulated"])

    def printer(self, name: str) -> Printer:
        return Printer.objects.get(name=name)

    def pluck(self, who: str, name: str, place: str, case: int | None = None) -> Any:
        printer = self.printer(name)
        return self.call(
            who,
            "POST",
            f"/printers/{printer.pk}/belt-pluck/stand-in",
            {"id": self._key(), "place": place, "case_id": case},
        )

    def shake(self, who: str, name: str, place: str, case: int | None = None) -> Any:
        return self.call(
            who,
            "POST",
            f"/printers/{self.printer(name).pk}/resonance/stand-in",
            {"id": self._key(), "place": place, "case_id": case, "context": {"excitation": "sweep"}, "seconds": 15.0},
        )

    def _key(self) -> str:
        return str(uuid.UUID(bytes=self.rng.bytes(16), version=4))

    def _softened(self, name: str, place: str, share: float) -> None:
        """Set what a direction rings with to a share of today's frequency, as it was (or will be) another day."""
        printer = self.printer(name)
        sim = SimMachine.model_validate(printer.simulated)
        for mode, today in zip(sim.axes[place].modes, AXES[name][place].modes, strict=True):
            mode.hz = today.hz * share
        printer.simulated = sim.model_dump(mode="json")
        printer.save(update_fields=["simulated"])

    def _resonances(self) -> None:
        """Recorded after two of the services: stiffer then than today on Bowline, where the belts have slackened since."""
        for days, share in ((112, 1.12), (50, 1.07)):
            for k, (name, place) in enumerate((("Bowline", "a"), ("Bowline", "b"), ("Marline", "x"), ("Marline", "y"))):
                self._softened(name, place, share if name == "Bowline" and place == "a" else 1.0)
                with at(self.today - timedelta(days=days, hours=1) + timedelta(minutes=9 * k)):
                    self.shake("tech", name, place)
        self._softened("Bowline", "a", 1.0)

    def _frames(self) -> None:
        """Beds mapped and plates measured at the last service, where all was right."""
        for k, name in enumerate(("Bowline", "Marline", "Windlass", "Halyard")):
            with at(self.today - timedelta(days=24, hours=2) + timedelta(minutes=20 * k)):
                self.typed("tech2", name, "bed", "bed")
                if name != "Halyard":
                    self.typed("tech2", name, "squareness", "frame", "diagonals")

    def typed(self, who: str, name: str, procedure: str, place: str, field: str = "", case: int | None = None) -> None:
        """What the simulated hand instruments read, typed: as the table, or into a field of the context."""
        printer = self.printer(name)
        read = self.call(who, "GET", f"/printers/{printer.pk}/practice-readings?procedure={procedure}&place={place}")
        told: dict[str, Any] = {"context": read["settings"] | ({field: read["rows"]} if field else {})}
        body = {"id": self._key(), "place": place, "case_id": case} | told | ({} if field else {"rows": read["rows"]})
        self.call(who, "POST", f"/printers/{printer.pk}/{procedure}", body)

    def _travels(self) -> None:
        """A steps test with its change in the ledger, and a reversal test."""
        halyard, marline = self.printer("Halyard"), self.printer("Marline")
        with at(self.today - timedelta(days=40)):
            got = self.call("tech2", "GET", f"/printers/{halyard.pk}/practice-readings?procedure=steps&place=x")
            capture = self.call(
                "tech2",
                "POST",
                f"/printers/{halyard.pk}/steps",
                {
                    "id": self._key(),
                    "place": "x",
                    "context": {
                        "steps_per_mm": 80.44,
                        "commanded_mm": 100,
                        "measured_mm": [round(r["measured_mm"] * 80.44 / 80 / 0.9945, 2) for r in got["rows"]],
                    },
                },
            )
            self.call(
                "tech2",
                "POST",
                f"/printers/{halyard.pk}/ledger",
                {
                    "name": "steps_x",
                    "value": capture["found"]["steps_per_mm_new"]["value"],
                    "was": 80.44,
                    "unit": "steps/mm",
                    "reason": "Somebody had tuned it to a small cube; back to theory.",
                    "capture_id": capture["id"],
                },
            )
        with at(self.today - timedelta(days=19)):
            rows = self.call("tech", "GET", f"/printers/{marline.pk}/practice-readings?procedure=backlash&place=x")[
                "rows"
            ]
            self.call(
                "tech",
                "POST",
                f"/printers/{marline.pk}/backlash",
                {"id": self._key(), "place": "x", "rows": rows},
            )

    def _stored(self) -> None:
        """What Capstan has stored, read back when it was sound; its firmware was changed yesterday."""
        path = f"/printers/{self.printer('Capstan').pk}"
        printed = "M92 X80.00 Y80.00 Z80.00 E415.00\nM906 X850 Y850 Z850 E500\nM851 X0.00 Y0.00 Z-0.62\nM593 X F41.50 D0.080\nM593 Y F43.20 D0.090\nM204 P3500\nM914 X62 Y60 Z61"
        with at(self.today - timedelta(days=26)):
            names = [c["name"] for c in self.call("tech", "POST", f"{path}/stored/look", {"text": printed})["compared"]]
            self.call("tech", "POST", f"{path}/stored/keep", {"text": printed, "take": names})
            for name, text in (("firmware", "Build 12, of the spring"), ("board", "Revision 3, drivers soldered")):
                self.call("tech", "POST", f"{path}/ledger", {"name": name, "text": text})
        with at(self.today - timedelta(days=1)):
            self.call(
                "tech2", "POST", f"{path}/events", {"event": "firmware_updated", "note": "for the new end switch"}
            )

    def _service_round(self, days: int) -> None:
        """The monthly look: every belt plucked, one machine after the other."""
        moment = self.today - timedelta(days=days, hours=3)
        for k, (name, _, _, shares) in enumerate(PRINTERS):
            if days == 22 and name in ("Longsplice", "Bowline"):
                continue
            self.drift(name, days, shares)
            for j, place in enumerate(shares):
                with at(moment + timedelta(minutes=12 * k + 4 * j)):
                    self.pluck("tech" if k % 2 else "tech2", name, place)

    def report(self, who: str, name: str, finding: str, axis: str, since: str, words: str, wall: str = "") -> int:
        printer = self.printer(name)
        out = self.call(
            who,
            "POST",
            "/cases",
            {
                "printer_id": printer.pk,
                "finding": finding,
                "axis": axis,
                "wall": wall,
                "since": since,
                "words": words,
            },
        )
        return int(out["id"])

    def set_belts(self, who: str, name: str, place: str, case: int, moment: datetime, most: int = 6) -> datetime:
        """Measure, turn as advised, measure again, until it holds."""
        printer = self.printer(name)
        for _ in range(most):
            state = self.call(who, "GET", f"/printers/{printer.pk}/rounds?place={place}&case_id={case}")
            for missing in state["missing"]:
                moment += timedelta(minutes=3)
                with at(moment):
                    self.pluck(who, name, missing, case)
            state = self.call(who, "GET", f"/printers/{printer.pk}/rounds?place={place}&case_id={case}")
            todo = [b for b in state["advice"]["belts"] if b["turns"]]
            if not todo:
                break
            for belt in todo:
                moment += timedelta(minutes=2)
                sign = 1 if belt["tighten"] else -1
                turns = sign * round(belt["turns"]["value"] * 8) / 8 or sign * 0.125
                with at(moment):
                    self.call(
                        who,
                        "POST",
                        f"/printers/{printer.pk}/turns",
                        {
                            "place": belt["id"],
                            "turns": turns,
                            "advised": sign * belt["turns"]["value"],
                            "case_id": case,
                        },
                    )
        return moment

    def _closed_cases(self) -> None:
        moment = self.today - timedelta(days=95)
        with at(moment):
            case = self.report(
                "member", "Halyard", "layers_stepped", "x", "yesterday", "Two prints stepped to the left half way up."
            )
            pictures = f"/cases/{case}/pictures"
            seen = self.call("member", "POST", pictures, file=tower(step=46), words="The tower, from the front.")
        self.drift("Halyard", 0, {"x": 0.5, "y": 0.96})
        with at(moment + timedelta(hours=2)):
            self.call("tech", "POST", f"/cases/{case}/take")
        end = self.set_belts("tech", "Halyard", "x", case, moment + timedelta(hours=2))
        with at(end + timedelta(hours=3)):
            # Held a little further away, and not quite straight.
            fit = json.dumps({"right": -0.02, "down": 0.01, "size": 1.09, "turn": -1.5})
            before = seen["pictures"][0]["id"]
            self.call("tech", "POST", pictures, file=tower(step=0, away=1.09, turn=1.5), before=before, fit=fit)
        with at(end + timedelta(hours=3, minutes=5)):
            self.call(
                "tech",
                "POST",
                f"/cases/{case}/close",
                {
                    "closing": "verified",
                    "cause": "Belt X slack; its tensioner screw had backed out.",
                    "fault": "belt_slack",
                    "axis": "x",
                },
            )
        self.drift("Halyard", 0, dict(PRINTERS[3][3]))

        moment = self.today - timedelta(days=61)
        with at(moment):
            case = self.report(
                "member2",
                "Longsplice",
                "strings",
                "",
                "the new spool",
                "Hair between the letters, only with the green filament.",
            )
        with at(moment + timedelta(hours=20)):
            self.call("tech2", "POST", f"/cases/{case}/take")
            self.call(
                "tech2",
                "POST",
                f"/cases/{case}/comments",
                {"words": "Same file with plain grey filament is clean. The green spool was damp."},
            )
            self.call(
                "tech2",
                "POST",
                f"/cases/{case}/close",
                {
                    "closing": "handed_on",
                    "cause": "Damp filament; handed back to the member with the dryer's times.",
                    "fault": "damp_filament",
                    "axis": "e",
                },
            )

    def _open_cases(self) -> None:
        for name, event, days, note in (
            ("Bowline", "head_changed", 12, "new nozzle wiper"),
            ("Sheepshank", "machine_moved", 6, "swept under it"),
            ("Marline", "serviced", 20, "guides and screws"),
        ):
            printer = self.printer(name)
            self.call(
                "tech2", "POST", f"/printers/{printer.pk}/events", {"event": event, "days_ago": days, "note": note}
            )
        # Ready for the whole way: reported this morning, nothing done yet.
        self.drift("Bowline", 0, dict(PRINTERS[0][3]))
        with at(self.today - timedelta(hours=5)):
            case = self.report(
                "member",
                "Bowline",
                "echoes_after_corners",
                "",
                "last week",
                "Three echoes after each corner of the lid, on the faces that run left to right. Same file was clean in spring.",
                wall="x",
            )
        with at(self.today - timedelta(hours=4, minutes=50)):
            self.call(
                "member",
                "POST",
                f"/cases/{case}/pictures",
                file=echoes(),
                words="The long face, lit from the side.",
            )
        # In work: measured and turned once, not measured again.
        self.drift("Sheepshank", 0, dict(PRINTERS[2][3]))
        with at(self.today - timedelta(days=1, hours=6)):
            case = self.report(
                "member2", "Sheepshank", "circle_not_round", "x", "a few days", "Bearing seats come out oval."
            )
        with at(self.today - timedelta(days=1, hours=2)):
            self.call("tech", "POST", f"/cases/{case}/take")
        moment = self.today - timedelta(days=1, hours=1)
        with at(moment):
            self.pluck("tech", "Sheepshank", "x", case)
            printer = self.printer("Sheepshank")
            state = self.call("tech", "GET", f"/printers/{printer.pk}/rounds?place=x&case_id={case}")
        belt = state["advice"]["belts"][0]
        with at(moment + timedelta(minutes=4)):
            self.call(
                "tech",
                "POST",
                f"/printers/{printer.pk}/turns",
                {
                    "place": "x",
                    "turns": round(belt["turns"]["value"] * 4) / 4,
                    "advised": belt["turns"]["value"],
                    "case_id": case,
                },
            )
            self.call(
                "tech", "POST", f"/cases/{case}/comments", {"words": "Called away before I could pluck it again."}
            )
        # Danger: reported and tagged out.
        with at(self.today - timedelta(hours=20)):
            self.report(
                "member",
                "Carrick",
                "smoke_or_smell",
                "",
                "this evening",
                "The plug behind the bed is browned and hot. I switched it off and pulled the mains.",
            )
