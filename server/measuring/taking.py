"""Taking a measurement: what is known of the machine completes what was typed, and what the core refuses is not kept."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any
from uuid import UUID

from django.conf import settings
from django.db import IntegrityError, transaction
from django.utils import timezone
from kestov_core import procedures
from kestov_core.asking import InstrumentFacts, Known, fill, schools_named
from kestov_core.procedures.base import Procedure
from kestov_core.quantities import Limits
from kestov_core.simulator.machine import SimMachine
from kestov_core.tables.mapping import TableMap
from people.clock import now
from people.models import User
from people.refusals import Refused
from workshop.models import Instrument, Limit, Printer, School

from .changes import since
from .models import Capture, Result, StoredValue, TableMapping
from .rounds import current_round
from .setting import current_set, taught
from .studies import u95_in_hands

#: Asked before a measurement is taken (machine, procedure, who, what goes with it); each may refuse, or note a circumstance.
BEFORE: list[Callable[[Printer, Procedure, User, Taken], None]] = []


@dataclass
class Taken:
    """What goes with a measurement. ``id`` is made by who sends it: sent twice it makes one capture."""

    id: UUID
    place: str
    source: str
    typed: Mapping[str, Any] = field(default_factory=dict)
    rows: Sequence[Mapping[str, Any]] | None = None
    data: bytes | None = None
    data_name: str = ""
    columns: TableMap | None = None
    instrument: Instrument | None = None
    circumstances: Mapping[str, Any] = field(default_factory=dict)
    supersedes: UUID | None = None
    taken_at: datetime | None = None


def measuring() -> list[Procedure]:
    """The procedures that measure something on a machine, in the order of the bench."""
    from kestov_core import knowledge

    return [procedures.get(name) for name in knowledge.cards()]


def procedure_at(printer: Printer, name: str, place: str) -> Procedure:
    """A procedure that this machine has at that place; refused otherwise."""
    procedure = procedures.get(name)
    if place not in procedure.places(printer.motion()):
        what = f"no {procedure.measures} “{place}”" if procedure.measures else f"nothing at “{place}”"
        raise Refused(422, "out_of_range", f"{printer.name} has {what} for {procedure.title.lower()}.", "place")
    return procedure


def known_of(
    printer: Printer,
    procedure: Procedure,
    place: str,
    instrument: Instrument | None = None,
    hands: User | None = None,
) -> Known:
    """What is known of a machine when something is measured there: its model, the limits, the ledger, earlier measurements.

    ``hands``: who measures; what a reading with the instrument is good to depends on it.
    """
    motion = printer.motion()
    mine = Capture.objects.filter(printer=printer).current().defer("data")
    last = mine.filter(procedure=procedure.name, place=place).first()

    def believed(name: str, at: str) -> Result | None:
        newest = mine.filter(procedure=name, place=at).prefetch_related("results")[:20]
        return next((r for c in newest if (r := c.latest()) is not None and r.verdict != "cannot_tell"), None)

    def measured(name: str, at: str) -> Mapping[str, Any] | None:
        found = believed(name, at)
        return None if found is None else found.found

    def today(name: str, at: str) -> Mapping[str, Any] | None:
        found = believed(name, at)
        return None if found is None or since(found.capture, motion) is not None else found.found

    ledger: dict[str, float] = {}
    for row in StoredValue.objects.filter(printer=printer, name__endswith=f"_{place}"):
        if row.value is not None:
            ledger.setdefault(row.name, row.value)
    return Known(
        description=motion,
        place=place,
        limits={
            (x.what, x.place): Limits(low=x.low, high=x.high) for x in Limit.objects.filter(model=printer.model_id)
        },
        instrument=None if instrument is None else _facts(instrument, hands),
        stored=ledger,
        last={} if last is None else last.context,
        measured=measured,
        today=today,
        turned=taught(printer, procedure, place) if procedure.turned is not None else (),
        schools=dict(School.objects.values_list("what", "choice")) if _has_school(procedure) else {},
        mains_hz=settings.MAINS_HZ,
    )


def _facts(instrument: Instrument, hands: User | None) -> InstrumentFacts:
    """What a reading is good to in these hands where they were compared, else what the instrument is said to be good to."""
    compared = u95_in_hands(instrument, hands) if hands is not None else None
    u95 = instrument.u95 if compared is None else compared
    return InstrumentFacts(instrument.name, instrument.unit, instrument.resolution, u95)


def _has_school(procedure: Procedure) -> bool:
    """Whether practitioners differ over what it asks."""
    return bool(schools_named(procedure.context))


def take(printer: Printer, name: str, user: User, taken: Taken, case_id: int | None = None) -> Capture:
    """Keep a capture and compute it, in one transaction: what the core refuses (its `BadInput`) is not kept.

    ``case_id``: an open case of this machine, held by who calls.
    """
    kept = Capture.objects.filter(pk=taken.id).first()
    if kept is not None:
        if kept.printer_id != printer.pk or kept.taken_by_id != user.pk:
            raise Refused(409, "key_reused", "Another capture already has this id.", "id")
        return kept
    procedure = procedure_at(printer, name, taken.place)
    for asked in BEFORE:
        asked(printer, procedure, user, taken)
    typed = {**taken.typed, **(procedure.as_mapped if taken.columns is not None else {})}
    context = fill(procedure.context, typed, known_of(printer, procedure, taken.place, taken.instrument, user))
    # Where the context itself says what was measured, that is its place.
    place = procedure.place_of(procedures.parse(procedure.context, context)) or taken.place
    data, data_name = taken.data, taken.data_name
    if taken.rows is not None:
        data, data_name = procedures.as_table(procedure, taken.rows), "typed.csv"
    moment = now()
    taken_at = taken.taken_at or moment
    if timezone.is_naive(taken_at) or taken_at > moment:
        taken_at = moment
    capture = Capture(
        id=taken.id,
        printer=printer,
        place=place,
        procedure=name,
        context=context,
        source=taken.source,
        circumstances=dict(taken.circumstances),
        instrument=taken.instrument,
        taken_at=taken_at,
        taken_by=user,
        case_id=case_id,
        round=_round(printer, procedure, place, case_id),
        supersedes=Capture.objects.filter(pk=taken.supersedes, printer=printer).first() if taken.supersedes else None,
    )
    if data is not None:
        capture.put(data, data_name)
    if taken.columns is not None and taken.rows is None:
        capture.columns = taken.columns.model_dump(mode="json")
    try:
        with transaction.atomic():
            capture.save(force_insert=True)
            capture.compute()
            if taken.columns is not None:
                remember(taken.instrument, procedure, taken.columns)
    except IntegrityError as e:
        raise Refused(409, "twice_at_once", "This capture is just being kept. Try again in a moment.", "id") from e
    return capture


def remember(instrument: Instrument | None, procedure: Procedure, columns: TableMap) -> None:
    """Keep how this instrument's tables are read, for the next one."""
    if instrument is not None:
        told = {"columns": columns.model_dump(mode="json"), "at": now()}
        TableMapping.objects.update_or_create(instrument=instrument, procedure=procedure.name, defaults=told)


def remembered(instrument: Instrument | None, procedure: Procedure) -> TableMap | None:
    """How this instrument's tables were read the last time."""
    rows = TableMapping.objects.filter(instrument=instrument, procedure=procedure.name)
    row = rows.first() if instrument is not None else None
    return None if row is None else TableMap.model_validate(row.columns)


def _round(printer: Printer, procedure: Procedure, place: str, case_id: int | None) -> int:
    """The round that a capture taken now belongs to."""
    if procedure.turned is not None:
        return current_set(printer, procedure, place, case_id)
    return current_round(printer, place, case_id) if procedure.rounds or procedure.gives == "tension" else 1


def simulated(printer: Printer) -> SimMachine:
    """The true state of a simulated machine; refused for a real one."""
    if printer.simulated is None:
        raise Refused(409, "not_simulated", "This is a real machine: measure it, or load a file.")
    return SimMachine.model_validate(printer.simulated)


def take_from_stand_in(
    printer_id: int, name: str, user: User, taken: Taken, how: Mapping[str, Any], case_id: int | None = None
) -> Capture:
    """Let the simulated instruments of a simulated machine measure it; measuring may leave the machine otherwise."""
    printer = Printer.objects.select_for_update(of=("self",)).select_related("model").get(pk=printer_id)
    kept = Capture.objects.filter(pk=taken.id, printer=printer, taken_by=user).first()
    if kept is not None:
        return kept
    machine = simulated(printer)
    procedure = procedure_at(printer, name, taken.place)
    if procedure.stand_in is None:
        raise Refused(422, "out_of_range", f"There is no simulated instrument for {procedure.title.lower()}.", "place")
    told = fill(procedure.context, taken.typed, known_of(printer, procedure, taken.place, taken.instrument))
    got = procedure.stand_in(machine, taken.place, machine.seed, told | dict(how))
    if got.machine is not None:
        printer.simulated = got.machine.model_dump(mode="json")
        printer.save(update_fields=["simulated"])
    ending = procedure.data or "csv"
    taken.data, taken.data_name, taken.typed = got.data, f"stand-in.{ending}", {**taken.typed, **got.told}
    return take(printer, name, user, taken, case_id)
