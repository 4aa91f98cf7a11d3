"""A record from an instrument on the network, taken by a worker: the machine shakes for a while, and nobody's request waits.

It is never begun late or by itself: somebody stands at the machine, and expects it to move now.
"""

from __future__ import annotations

from datetime import timedelta
from typing import Any
from uuid import UUID

from django.db import transaction
from measuring import accelerometer
from measuring.models import Capture
from measuring.taking import Taken, procedure_at, take
from people.models import User
from people.refusals import Refused
from work import kinds
from work.doing import Progress, ask_once
from work.models import Work
from workshop.models import Instrument, Printer

from .acts import case_of

#: Begun within this, or not at all.
WITHIN = timedelta(seconds=20)


def ask_record(printer: Printer, name: str, user: User, taken: Taken, case_id: int | None, seconds: float) -> Work:
    """Ask for a record of some seconds by the instrument of ``taken``; what came of it names the capture."""
    instrument = taken.instrument
    if instrument is None or not instrument.address:
        called = instrument.name if instrument else "This instrument"
        raise Refused(422, "out_of_range", f"{called} has no address on the network.", "instrument_id")
    procedure_at(printer, name, taken.place)
    case_of(case_id, printer)
    told = {
        "printer": printer.pk,
        "procedure": name,
        "case": case_id,
        "seconds": seconds,
        "user": user.pk,
        "instrument": instrument.pk,
        "address": instrument.address,
        "id": str(taken.id),
        "place": taken.place,
        "typed": dict(taken.typed),
        "circumstances": dict(taken.circumstances),
        "supersedes": str(taken.supersedes) if taken.supersedes else None,
    }
    words = f"{printer.name}: a record of {taken.place.upper()} by {instrument.name}"
    return ask_once("record", words, user, told)


def _record(progress: Progress, told: dict[str, Any]) -> tuple[str, dict[str, Any]]:
    known = Capture.objects.filter(pk=told["id"]).first()
    if known is None:
        kind, seconds = told["typed"].get("excitation") or "sweep", told["seconds"]
        data, unit = accelerometer.record(
            told["address"],
            told["place"],
            kind,
            seconds,
            lambda s: progress.at(min(int(s), int(seconds)), int(seconds) + 1),
        )
        known = _keep(told, data, unit)
    words = "Recorded." if known.case_id == told["case"] else "Recorded; the case was closed meanwhile, so without it."
    return words, {"capture": str(known.pk)}


@transaction.atomic
def _keep(told: dict[str, Any], data: bytes, unit: str) -> Capture:
    printer = Printer.objects.select_related("model").get(pk=told["printer"])
    instrument = Instrument.objects.get(pk=told["instrument"])
    taken = Taken(
        id=UUID(told["id"]),
        place=told["place"],
        source="network",
        typed={**told["typed"], "unit": unit},
        data=data,
        data_name=f"{instrument.name}.csv",
        instrument=instrument,
        circumstances=told["circumstances"],
        supersedes=UUID(told["supersedes"]) if told["supersedes"] else None,
    )
    try:
        case_id = case_of(told["case"], printer)
    except Refused:
        # It was closed while the machine shook: what was recorded is kept all the same.
        case_id = None
    return take(printer, told["procedure"], User.objects.get(pk=told["user"]), taken, case_id)


kinds.register(kinds.Kind("record", _record, again=False, within=WITHIN, alone=lambda told: told["address"]))
