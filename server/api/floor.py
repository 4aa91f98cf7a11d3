"""The floor, one machine with its record, and the tag that takes a machine out of use."""

from __future__ import annotations

from datetime import date, datetime, timedelta
from typing import Literal
from uuid import UUID

from cases.models import Action, Case, State
from cases.siblings import waiting
from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from kestov_core import knowledge
from kestov_core.machine import Description
from measuring.models import Capture
from ninja import Field, Router, Schema
from people.clock import now
from people.models import AuditEntry, Role, audit
from workshop.condition import PrinterCondition, condition
from workshop.models import Event, Instrument, Place, Printer

from .case_view import done_words
from .once import once
from .permissions import may
from .problems import Problem
from .shapes import CaseBrief, ConditionOut, case_brief, condition_out, person

router = Router(tags=["floor"])


class Tile(Schema):
    id: int
    name: str
    model: str
    simulated: bool
    description: Description
    condition: ConditionOut
    open_cases: list[CaseBrief]


class PlaceTiles(Schema):
    name: str
    printers: list[Tile]


class Wanted(Schema):
    """Something that wants attention: words, why, and where it leads."""

    title: str
    why: str
    kind: Literal["case", "measure", "look", "instrument"]
    printer_id: int | None = None
    case_id: int | None = None
    place: str | None = None
    procedure: str | None = None


class Floor(Schema):
    places: list[PlaceTiles]
    wanted: list[Wanted]


class ComponentOut(Schema):
    id: int
    place: str
    kind: str
    label: str
    part_type: str
    fitted_on: date | None


class LimitOut(Schema):
    what: str
    place: str
    low: float | None
    high: float | None
    unit: str
    source: str


class LookOut(Schema):
    """A look that this machine waits for: the danger on another of its model, where, and since when."""

    id: int
    danger: str
    on: str
    case_id: int
    at: datetime


class PrinterOut(Tile):
    place: str
    serial: str
    in_use_since: date | None
    tagged_out: str
    tagged_out_by: str
    tagged_out_at: datetime | None
    looks: list[LookOut]
    limits: list[LimitOut]
    components: list[ComponentOut]


class RecordLine(Schema):
    """One thing that happened to a machine."""

    at: datetime
    who: str
    kind: Literal["measured", "turned", "case", "tag", "happened"]
    words: str
    place: str
    case_id: int | None = None
    capture_id: UUID | None = None


class TagOut(Schema):
    reason: str = Field(min_length=3, max_length=200)


class FindingOut(Schema):
    id: str
    label: str
    group: str
    kind: Literal["seen", "measured", "danger"]
    unit: str | None
    placed: Literal["axis", "belt", "screw"] | None
    words: str
    asked: Literal["wall"] | None


class FaultBrief(Schema):
    """A fault and its remedy; ``after``: what must be measured again, in words."""

    id: str
    label: str
    group: str
    kind: str
    minutes: float
    steps: list[str]
    caution: str
    after: list[str]
    then: str
    hand_to: str


class CheckBrief(Schema):
    """A check and what it answers; ``procedure``: what runs it at the bench (null: it is done by hand)."""

    id: str
    label: str
    minutes: float
    answers: list[str]
    swap: bool
    how: list[str]
    caution: str
    tools: list[str]
    procedure: str | None


class KnowledgeOut(Schema):
    """What the diagnosis knows: faults with their remedies, checks with what they answer, events."""

    faults: list[FaultBrief]
    checks: list[CheckBrief]
    events: list[str]


def _conditions() -> dict[int, tuple[Printer, PrinterCondition, list[Case]]]:
    printers = Printer.objects.filter(retired=False).select_related("model", "place")
    open_cases: dict[int, list[Case]] = {}
    for case in Case.objects.exclude(state=State.CLOSED).select_related("printer", "reported_by"):
        open_cases.setdefault(case.printer_id, []).append(case)
    out = {}
    for printer in printers:
        cases = open_cases.get(printer.pk, [])
        in_work = any(c.state in (State.IN_WORK, State.NOT_VERIFIED) for c in cases)
        out[printer.pk] = (printer, condition(printer, in_work), cases)
    return out


def _tile(printer: Printer, c: PrinterCondition, cases: list[Case], technician: bool) -> dict[str, object]:
    return {
        "id": printer.pk,
        "name": printer.name,
        "model": printer.model.name,
        "simulated": printer.simulated is not None,
        "description": printer.model.motion(),
        "condition": condition_out(c, technician),
        "open_cases": [case_brief(case) for case in cases] if technician else [],
    }


@router.get("/floor", auth=may("floor.see"), response=Floor, operation_id="floor.see")
def floor(request: HttpRequest):
    """The room as it stands. Members see fitness only."""
    technician = request.user.may(Role.TECHNICIAN)
    known = _conditions()
    places = []
    for place in Place.objects.all():
        tiles = [Tile(**_tile(p, c, cases, technician)) for p, c, cases in known.values() if p.place_id == place.pk]
        if tiles:
            places.append(PlaceTiles(name=place.name, printers=tiles))
    return Floor(places=places, wanted=_wanted(known) if technician else [])


def _wanted(known: dict[int, tuple[Printer, PrinterCondition, list[Case]]]) -> list[Wanted]:
    """What wants attention, most pressing first: cases, belts off their band, what is not known, instruments."""
    rows: list[tuple[int, datetime, Wanted]] = []
    moment = now()
    for printer, c, cases in known.values():
        for case in cases:
            rank, why = _pressing(case, bool(printer.tagged_out))
            rows.append(
                (
                    rank,
                    case.reported_at,
                    Wanted(
                        title=f"{printer.name}: {case.title}",
                        why=why,
                        kind="case",
                        printer_id=printer.pk,
                        case_id=case.pk,
                    ),
                )
            )
        rows += [
            (
                1,
                x.made_at,
                Wanted(
                    title=f"Look at {printer.name}, unplugged",
                    why=f"{c.reason}. Nobody may use it until somebody has looked.",
                    kind="look",
                    printer_id=printer.pk,
                ),
            )
            for x in (waiting(printer)[:1] if c.fitness == "look_first" else [])
        ]
        if cases or c.fitness == "tagged_out":
            continue
        for p in c.places:
            if p.condition in ("out_of_adjustment", "worn", "failed"):
                rows.append(
                    (
                        3,
                        moment,
                        Wanted(
                            title=f"{printer.name}: set belt {p.place.upper()}",
                            why=p.why,
                            kind="measure",
                            printer_id=printer.pk,
                            place=p.place,
                        ),
                    )
                )
        for p in c.doubts:
            rows.append(
                (
                    4,
                    moment,
                    Wanted(
                        title=f"{printer.name}: measure {p.place.upper()} again",
                        why=p.why,
                        kind="measure",
                        printer_id=printer.pk,
                        place=p.place,
                        procedure=p.procedure,
                    ),
                )
            )
        unknown = [p for p in c.places if p.condition == "not_known"]
        if unknown:
            names = " and ".join(p.place.upper() for p in unknown)
            rows.append(
                (
                    5,
                    moment,
                    Wanted(
                        title=f"{printer.name}: measure {'belt' if len(unknown) == 1 else 'belts'} {names}",
                        why=unknown[0].why,
                        kind="measure",
                        printer_id=printer.pk,
                        place=unknown[0].place,
                    ),
                )
            )
    for instrument in Instrument.objects.filter(check_due__lt=moment.date()):
        rows.append(
            (
                4,
                moment,
                Wanted(
                    title=f"Check {instrument.name}",
                    why=f"Its check was due on {instrument.check_due}.",
                    kind="instrument",
                ),
            )
        )
    rows.sort(key=lambda r: (r[0], r[1]))
    return [w for _, _, w in rows]


def _pressing(case: Case, tagged_out: bool) -> tuple[int, str]:
    """How pressing an open case is (0 most), and why in words."""
    if case.state == State.IN_WORK:
        return 1, f"In work with {person(case.taken_by)}."
    if case.state == State.NOT_VERIFIED:
        return 2, "Mended; the proof is still missing."
    if tagged_out:
        # Made safe already; it waits for somebody, not for minutes at the bench.
        return 1, f"Tagged out after a report by {person(case.reported_by)}; it wants somebody qualified."
    return 0, f"Reported by {person(case.reported_by)}; nobody has taken it yet."


@router.get("/printers/{printer_id}", auth=may("printer.see"), response=PrinterOut, operation_id="printer.see")
def see_printer(request: HttpRequest, printer_id: int):
    """One machine: its motion system, condition, limits and parts."""
    printer = get_object_or_404(Printer.objects.select_related("model", "place", "tagged_out_by"), pk=printer_id)
    technician = request.user.may(Role.TECHNICIAN)
    cases = list(printer.cases.exclude(state=State.CLOSED).select_related("printer", "reported_by"))
    c = condition(printer, any(x.state in (State.IN_WORK, State.NOT_VERIFIED) for x in cases))
    limits = [LimitOut.model_validate(x, from_attributes=True) for x in printer.model.limits.all()]
    parts = [ComponentOut.model_validate(x, from_attributes=True) for x in printer.components.filter(removed_on=None)]
    return PrinterOut(
        **_tile(printer, c, cases, technician),
        place=printer.place.name,
        serial=printer.serial,
        in_use_since=printer.in_use_since,
        tagged_out=printer.tagged_out,
        tagged_out_by=person(printer.tagged_out_by) if printer.tagged_out else "",
        tagged_out_at=printer.tagged_out_at,
        looks=[
            LookOut(
                id=x.pk,
                danger=knowledge.findings()[x.danger].label,
                on=x.case.printer.name,
                case_id=x.case_id,
                at=x.made_at,
            )
            for x in waiting(printer)
        ]
        if technician
        else [],
        limits=limits if technician else [],
        components=parts if technician else [],
    )


@router.get(
    "/printers/{printer_id}/record",
    auth=may("printer.record"),
    response=list[RecordLine],
    operation_id="printer.record",
)
def record(request: HttpRequest, printer_id: int, place: str = ""):
    """All that was measured, turned, reported and tagged on a machine, newest first."""
    printer = get_object_or_404(Printer, pk=printer_id)
    lines: list[RecordLine] = []
    captures = printer.captures.defer("data").select_related("taken_by").prefetch_related("results")
    actions = Action.objects.filter(printer=printer).select_related("by")
    if place:
        captures, actions = captures.filter(place=place), actions.filter(place=place)
    for c in captures[:300]:
        lines.append(
            RecordLine(
                at=c.taken_at,
                who=person(c.taken_by),
                kind="measured",
                words=_measured(c),
                place=c.place,
                case_id=c.case_id,
                capture_id=c.id,
            )
        )
    for a in actions:
        if a.kind == "repair":
            words = done_words(a)
            lines.append(
                RecordLine(at=a.at, who=person(a.by), kind="turned", words=words, place=a.place, case_id=a.case_id)
            )
            continue
        how = f"{abs(a.turns):.2f} {a.unit} {a.direction}" if a.turns is not None else ""
        lines.append(
            RecordLine(
                at=a.at,
                who=person(a.by),
                kind="turned",
                words=f"Turned the tensioner of belt {a.place.upper()}: {how}".strip(),
                place=a.place,
                case_id=a.case_id,
            )
        )
    if not place:
        for e in printer.events.select_related("by"):
            words = e.event.replace("_", " ").capitalize() + (f": {e.note}" if e.note else "")
            lines.append(RecordLine(at=e.at, who=person(e.by), kind="happened", words=words, place="all"))
        for case in printer.cases.select_related("reported_by", "closed_by"):
            lines.append(
                RecordLine(
                    at=case.reported_at,
                    who=person(case.reported_by),
                    kind="case",
                    words=f"Reported: {case.title}",
                    place="all",
                    case_id=case.pk,
                )
            )
            if case.closed_at:
                lines.append(
                    RecordLine(
                        at=case.closed_at,
                        who=person(case.closed_by),
                        kind="case",
                        words=f"Closed: {case.get_closing_display()}. {case.cause}".rstrip(". ") + ".",
                        place="all",
                        case_id=case.pk,
                    )
                )
        for entry in AuditEntry.objects.filter(
            what="printer", what_id=str(printer.pk), verb__contains="tag"
        ).select_related("who"):
            lines.append(RecordLine(at=entry.at, who=person(entry.who), kind="tag", words=entry.words, place="all"))
    return sorted(lines, key=lambda x: x.at, reverse=True)


def _measured(c: Capture) -> str:
    result = c.latest()
    words = knowledge.cards()[c.procedure].record.format(place=c.place.upper())
    if result is None or result.value is None:
        return words
    return f"{words}: {result.value:.3g} ± {result.u95 or 0:.2g} {result.unit}"


class Happened(Schema):
    """Something that was done to a machine. ``days_ago``: how long ago."""

    event: str
    days_ago: float = Field(0, ge=0, le=400)
    note: str = Field("", max_length=200)


@router.post(
    "/printers/{printer_id}/events", auth=may("printer.happened"), response=PrinterOut, operation_id="printer.happened"
)
@once
def happened(request: HttpRequest, printer_id: int, payload: Happened):
    """Write down what was done to a machine, or happened to it: it weighs in the next case."""
    printer = get_object_or_404(Printer, pk=printer_id)
    if payload.event not in knowledge.events():
        raise Problem(422, "out_of_range", "Choose one of the listed events.", "event")
    Event.objects.create(
        printer=printer,
        event=payload.event,
        at=now() - timedelta(days=payload.days_ago),
        by=request.user,
        note=payload.note.strip(),
    )
    return see_printer(request, printer_id)


@router.post(
    "/printers/{printer_id}/tag-out", auth=may("printer.tag_out"), response=PrinterOut, operation_id="printer.tag_out"
)
@once
def tag_out(request: HttpRequest, printer_id: int, payload: TagOut):
    """Take a machine out of use, with the reason."""
    printer = get_object_or_404(Printer.objects.select_for_update(), pk=printer_id)
    printer.tagged_out, printer.tagged_out_by, printer.tagged_out_at = payload.reason.strip(), request.user, now()
    printer.save()
    audit(request.user, "tagged out", printer, f"Tagged out: {printer.tagged_out}")
    return see_printer(request, printer_id)


@router.delete(
    "/printers/{printer_id}/tag-out", auth=may("printer.lift_tag"), response=PrinterOut, operation_id="printer.lift_tag"
)
@once
def lift_tag(request: HttpRequest, printer_id: int):
    """Put a machine back in use. While a danger case is open on it, the tag stays."""
    printer = get_object_or_404(Printer.objects.select_for_update(), pk=printer_id)
    dangers = [k for k, v in knowledge.findings().items() if v.kind == "danger"]
    if (
        printer.cases.exclude(state=State.CLOSED)
        .filter(observations__finding__in=dangers, observations__state="present")
        .exists()
    ):
        raise Problem(
            409,
            "danger_open",
            "A case with a danger is still open on this machine. Close it first, with what was found.",
        )
    was = printer.tagged_out
    printer.tagged_out, printer.tagged_out_by, printer.tagged_out_at = "", None, None
    printer.save()
    audit(request.user, "lifted the tag", printer, f"Tag lifted. It said: {was}")
    return see_printer(request, printer_id)


@router.get("/findings", auth=may("findings.list"), response=list[FindingOut], operation_id="findings.list")
def findings(request: HttpRequest):
    """What can be seen or measured, in plain words."""
    return [FindingOut.model_validate(k.model_dump()) for k in knowledge.findings().values()]


@router.get("/knowledge", auth=may("knowledge.see"), response=KnowledgeOut, operation_id="knowledge.see")
def see_knowledge(request: HttpRequest):
    """Faults, checks and events of the diagnosis."""
    return KnowledgeOut(
        faults=[
            FaultBrief.model_validate(f.model_dump() | {"after": [knowledge.words_of(p) for p in f.after]})
            for f in knowledge.faults().values()
        ],
        checks=[
            # What is only planned is done by hand.
            CheckBrief.model_validate(c.model_dump() | ({"procedure": None} if c.planned else {}))
            for c in knowledge.checks().values()
        ],
        events=knowledge.events(),
    )
