"""Cases: reporting, seeing, adding to, and closing with proof."""

from __future__ import annotations

from datetime import datetime
from typing import Literal

from cases.models import Action, Case, Closing, Comment, Observation, Picture, SiblingLook, State
from cases.siblings import hold, looked, release
from django.conf import settings
from django.db import transaction
from django.db.models import QuerySet
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from kestov_core import knowledge
from kestov_core.machine import PLACES, across
from measuring.rounds import places_of
from ninja import Field, File, Form, Router, Schema, UploadedFile
from people.clock import now
from people.models import Role, User, audit
from workshop.models import Printer

from .case_view import CaseOut, case_out, proven
from .once import once
from .permissions import may, own_or_technician
from .pictures import read_picture
from .problems import Problem
from .shapes import CaseBrief, case_brief

router = Router(tags=["cases"])


Wall = Literal["", "x", "y"]


class ObservationIn(Schema):
    """``wall``: which way the wall runs, for findings that are asked so; the axis follows from it."""

    finding: str
    axis: str = ""
    wall: Wall = ""
    state: Literal["present", "absent", "unknown"] = "present"
    value: float | None = Field(None, allow_inf_nan=False)
    u95: float | None = Field(None, ge=0, allow_inf_nan=False)
    note: str = Field("", max_length=300)


class Report(Schema):
    printer_id: int
    finding: str
    axis: str = ""
    wall: Wall = ""
    since: str = Field("", max_length=60)
    words: str = Field("", max_length=2000)


class OutcomeIn(Schema):
    """What a check has shown. ``found``: what was there; the check's other findings count as looked for and not there.

    ``unsure``: nothing can be said. ``against``: done although something should have come first (kept in the log).
    """

    check: str
    axis: str = ""
    found: list[ObservationIn] = []
    unsure: bool = False
    against: bool = False
    note: str = Field("", max_length=300)


class RepairIn(Schema):
    """A remedy that was done. ``helped``: whether the complaint is gone, where that has been seen already."""

    fault: str
    axis: str = ""
    helped: bool | None = None
    note: str = Field("", max_length=300)


class Words(Schema):
    words: str = Field(min_length=1, max_length=2000)


class Close(Schema):
    """``verified`` needs a proof after the last turn: the same measurement that holds, or the complaint looked for and gone."""

    closing: Literal["verified", "not_verified", "harmless", "handed_on", "warranty", "retired"]
    cause: str = Field("", max_length=160)
    fault: str = ""
    axis: str = ""


def _case(request: HttpRequest, case_id: int, lock: bool = False) -> Case:
    rows = Case.objects.all()
    if lock:
        # Locked first, so that the row that is read is the one that is changed.
        rows = rows.select_for_update(of=("self",))
    case = get_object_or_404(rows.select_related("printer__model", "reported_by", "taken_by", "closed_by"), pk=case_id)
    own_or_technician(request.user, case)
    return case


def _open_case(request: HttpRequest, case_id: int) -> Case:
    """A case to be changed, locked; a closed one is refused."""
    case = _case(request, case_id, lock=True)
    if not case.is_open:
        raise Problem(409, "closed", "This case is closed. Open it again first.")
    return case


@router.get("/cases", auth=may("cases.list"), response=list[CaseBrief], operation_id="cases.list")
def list_cases(request: HttpRequest, state: Literal["open", "closed", "all"] = "open", search: str = ""):
    """Cases, open ones first; a member's list holds their own."""
    rows: QuerySet[Case] = Case.objects.select_related("printer", "reported_by")
    if not request.user.may(Role.TECHNICIAN):
        rows = rows.filter(reported_by=request.user)
    if state == "open":
        rows = rows.exclude(state=State.CLOSED)
    elif state == "closed":
        rows = rows.filter(state=State.CLOSED)
    if search.strip():
        from django.db.models import Q

        s = search.strip()
        rows = rows.filter(
            Q(title__icontains=s)
            | Q(words__icontains=s)
            | Q(cause__icontains=s)
            | Q(printer__name__icontains=s)
            | Q(comments__words__icontains=s)
            | Q(observations__note__icontains=s)
            | Q(observations__finding__in=_called(s), observations__state="present", observations__withdrawn=False)
        ).distinct()
    return [case_brief(c) for c in rows[:200]]


def _called(search: str) -> list[str]:
    """Findings whose words hold all words of a search."""
    words = search.lower().split()
    return [k.id for k in knowledge.findings().values() if all(w in f"{k.label} {k.words}".lower() for w in words)]


@router.post("/cases", auth=may("cases.report"), response=CaseOut, operation_id="cases.report")
@once
def report(request: HttpRequest, payload: Report):
    """Report a fault. A danger tags the machine out at once."""
    printer = get_object_or_404(Printer, pk=payload.printer_id)
    kind = _finding(payload.finding)
    seen = ObservationIn(finding=payload.finding, axis=payload.axis, wall=payload.wall)
    _place(seen)
    where = f"wall along {payload.wall.upper()}" if payload.wall else seen.axis.upper()
    title = kind.label + (f", {where}" if where else "")
    case = Case.objects.create(
        printer=printer,
        title=title[:120],
        words=payload.words.strip(),
        since=payload.since.strip(),
        reported_by=request.user,
        reported_at=now(),
    )
    _observe(case, seen, request.user)
    audit(request.user, "reported", case, f"Reported on {printer.name}: {title}")
    return case_out(_case(request, case.pk), request.user)


@router.get("/cases/{case_id}", auth=may("cases.see"), response=CaseOut, operation_id="cases.see")
def see(request: HttpRequest, case_id: int):
    """One case with its log and the next thing to do."""
    return case_out(_case(request, case_id), request.user)


@router.post("/cases/{case_id}/take", auth=may("cases.take"), response=CaseOut, operation_id="cases.take")
@once
def take(request: HttpRequest, case_id: int):
    """Take a case in hand."""
    case = _open_case(request, case_id)
    case.state, case.taken_by = State.IN_WORK, request.user
    case.save()
    audit(request.user, "took", case, f"{request.user.name} took the case.")
    return case_out(case, request.user)


@router.post("/cases/{case_id}/observations", auth=may("cases.observe"), response=CaseOut, operation_id="cases.observe")
@once
def observe(request: HttpRequest, case_id: int, payload: ObservationIn):
    """Add what was seen, or looked for and not seen."""
    case = _open_case(request, case_id)
    _place(payload)
    _observe(case, payload, request.user)
    return case_out(case, request.user)


def _place(seen: ObservationIn) -> None:
    """Check finding and place; where a wall was told, put the axis that it shows in its place."""
    kind = _finding(seen.finding)
    seen.axis = _axis(seen.axis)
    if not seen.wall:
        return
    if kind.asked != "wall":
        raise Problem(422, "out_of_range", f"“{kind.label}” is not asked by its wall.", "wall")
    axis = across(seen.wall)
    if seen.axis not in ("", axis):
        raise Problem(
            422, "out_of_range", f"A wall along {seen.wall.upper()} shows the ringing of {axis.upper()}.", "axis"
        )
    seen.axis = axis
    seen.note = f"on the wall along {seen.wall.upper()}{'; ' if seen.note else ''}{seen.note}"[:300]


def _observe(case: Case, payload: ObservationIn, user: User, check: str = "", moment: datetime | None = None) -> None:
    Observation.objects.create(
        case=case,
        finding=payload.finding,
        axis=payload.axis,
        state=payload.state,
        value=payload.value,
        u95=payload.u95,
        note=payload.note.strip(),
        check_name=check,
        by=user,
        at=moment or now(),
    )
    kind = knowledge.findings()[payload.finding]
    if kind.kind == "danger" and payload.state == "present":
        hold(case, payload.finding)
    if kind.kind == "danger" and payload.state == "present" and not case.printer.tagged_out:
        printer = case.printer
        printer.tagged_out, printer.tagged_out_by, printer.tagged_out_at = kind.label, user, now()
        printer.save()
        audit(user, "tagged out", printer, f"Tagged out by the report: {kind.label}")


@router.post("/cases/{case_id}/outcomes", auth=may("cases.outcome"), response=CaseOut, operation_id="cases.outcome")
@once
def outcome(request: HttpRequest, case_id: int, payload: OutcomeIn):
    """Type what a check done by hand has shown: what was found; the rest of what it answers was looked for and not there."""
    case = _open_case(request, case_id)
    check = knowledge.checks().get(payload.check)
    if check is None:
        raise Problem(422, "out_of_range", "Choose one of the listed checks.", "check")
    axis, moment = _axis(payload.axis), now()
    for o in payload.found:
        _place(o)
        _observe(case, o, request.user, check.id, moment)
    named = {o.finding for o in payload.found}
    places = (
        places_of(case.printer, axis) if check.at == "belt" and axis in case.printer.model.motion().belts() else [axis]
    )
    for finding in check.answers:
        if finding not in named:
            for place in places:
                implied = bool(named) and finding == check.general
                state = "present" if implied else "unknown" if payload.unsure else "absent"
                rest = ObservationIn(finding=finding, axis=place, state=state)
                _observe(case, rest, request.user, check.id, moment)
    note = payload.note.strip()
    if payload.against:
        note = f"Done although something should have come first. {note}".strip()
    if note:
        Comment.objects.create(case=case, words=f"{check.label}: {note}", by=request.user, at=moment)
    return case_out(case, request.user)


@router.post("/cases/{case_id}/undo", auth=may("cases.undo"), response=CaseOut, operation_id="cases.undo")
@once
def undo(request: HttpRequest, case_id: int):
    """Take back the last thing that this person said was seen; the record keeps that it was said."""
    case = _open_case(request, case_id)
    first = case.observations.order_by("at", "id").first()
    mine = case.observations.filter(by=request.user, withdrawn=False).exclude(pk=first.pk if first else None)
    last = mine.order_by("-at", "-id").first()
    if last is None:
        raise Problem(409, "nothing_to_undo", "There is nothing of yours to take back; the complaint itself stays.")
    # All that one check gave was said at one moment.
    mine.filter(at=last.at).update(withdrawn=True)
    dangers = [k for k, v in knowledge.findings().items() if v.kind == "danger"]
    if not case.observations.filter(finding__in=dangers, state="present", withdrawn=False).exists():
        release(case)
    return case_out(case, request.user)


@router.post("/cases/{case_id}/repairs", auth=may("cases.repair"), response=CaseOut, operation_id="cases.repair")
@once
def repair(request: HttpRequest, case_id: int, payload: RepairIn):
    """Write down a remedy, and whether it helped: if not, that suspect is out; if so, the complaint was looked for and gone."""
    case = _open_case(request, case_id)
    fault = knowledge.faults().get(payload.fault)
    if fault is None:
        raise Problem(422, "out_of_range", "Choose one of the listed faults.", "fault")
    moment = now()
    Action.objects.create(
        printer=case.printer,
        case=case,
        kind="repair",
        place=_axis(payload.axis),
        fault=fault.id,
        helped=payload.helped,
        note=payload.note.strip(),
        by=request.user,
        at=moment,
    )
    audit(
        request.user,
        "mended",
        case,
        f"{fault.label}: {'helped' if payload.helped else 'did not help' if payload.helped is False else 'done'}",
    )
    first = case.observations.order_by("at", "id").first()
    if first is not None and payload.helped:
        gone = ObservationIn(finding=first.finding, axis=first.axis, state="absent", note="gone after the repair")
        _observe(case, gone, request.user, moment=now())
    return case_out(case, request.user)


@router.post("/cases/{case_id}/comments", auth=may("cases.comment"), response=CaseOut, operation_id="cases.comment")
@once
def comment(request: HttpRequest, case_id: int, payload: Words):
    """Write into the log of a case."""
    case = _case(request, case_id)
    Comment.objects.create(case=case, words=payload.words.strip(), by=request.user, at=now())
    return case_out(case, request.user)


@router.post(
    "/cases/{case_id}/pictures", auth=may("cases.add_picture"), response=CaseOut, operation_id="cases.add_picture"
)
@once
def add_picture(request: HttpRequest, case_id: int, file: File[UploadedFile], words: Form[str] = ""):
    """Add a picture (JPEG, PNG or WebP by content, up to 12 MB). It is re-encoded: hidden data does not come along."""
    case = _case(request, case_id)
    image, width, height = read_picture(file.read(settings.MAX_PICTURE + 1))
    Picture.objects.create(
        case=case, image=image, width=width, height=height, words=words.strip()[:200], by=request.user, at=now()
    )
    return case_out(case, request.user)


@router.get("/pictures/{picture_id}", auth=may("cases.picture"), operation_id="cases.picture")
def picture(request: HttpRequest, picture_id: int):
    """A picture as JPEG."""
    found = get_object_or_404(Picture.objects.select_related("case"), pk=picture_id)
    own_or_technician(request.user, found.case)
    return HttpResponse(
        bytes(found.image), content_type="image/jpeg", headers={"Cache-Control": "private, max-age=86400"}
    )


@router.post("/cases/{case_id}/close", auth=may("cases.close"), response=CaseOut, operation_id="cases.close")
@once
def close(request: HttpRequest, case_id: int, payload: Close):
    """Close a case with the closing words; *mended, not verified* is a state, not an end."""
    case = _open_case(request, case_id)
    if payload.closing in ("verified", "not_verified") and not payload.cause.strip():
        raise Problem(422, "missing_field", "Say what it was; the next one will be found faster.", "cause")
    if payload.fault and payload.fault not in knowledge.faults():
        raise Problem(422, "out_of_range", "Choose one of the listed faults, or none.", "fault")
    case.cause = payload.cause.strip()
    case.fault = payload.fault
    case.fault_axis = (_axis(payload.axis) or _most_changed(case)) if payload.fault else ""
    if payload.closing == "not_verified":
        case.state = State.NOT_VERIFIED
    else:
        if payload.closing == "verified" and not proven(case):
            raise Problem(
                409,
                "not_proven",
                "Nothing measured after the last turn shows that it holds. Measure again, or print the same part and note that the fault is gone; until then it is “mended, not verified”.",
                "closing",
            )
        if payload.closing == "harmless":
            release(case)
        case.state, case.closing = State.CLOSED, payload.closing
        case.closed_by, case.closed_at = request.user, now()
    case.save()
    audit(
        request.user,
        "closed",
        case,
        f"{Closing(payload.closing).label if payload.closing in Closing.values else 'Mended, not verified'}: {case.cause}",
    )
    return case_out(case, request.user)


@router.post("/cases/{case_id}/reopen", auth=may("cases.reopen"), response=CaseOut, operation_id="cases.reopen")
@once
def reopen(request: HttpRequest, case_id: int):
    """Open a closed case again."""
    case = _case(request, case_id, lock=True)
    case.state, case.closing, case.closed_by, case.closed_at = State.IN_WORK, "", None, None
    case.save()
    audit(request.user, "reopened", case, "Opened again.")
    return case_out(case, request.user)


class LookIn(Schema):
    """What a look at a machine of the same model has shown: done unplugged, and whether the same was found there."""

    unplugged: bool
    trouble: bool
    found: str = Field(min_length=3, max_length=300)


@router.post("/looks/{look_id}", auth=may("cases.look"), response=CaseOut, operation_id="cases.look")
@once
def look(request: HttpRequest, look_id: int, payload: LookIn):
    """Tick that a held machine was looked at. Where the same was found, it is reported and tagged out, too."""
    row = get_object_or_404(
        SiblingLook.objects.select_for_update(of=("self",)).select_related("case", "printer"), pk=look_id
    )
    if row.looked_at is not None:
        raise Problem(409, "looked_already", "Somebody has looked at this machine already.")
    if not payload.unplugged:
        raise Problem(422, "out_of_range", "Unplug it first: this look is never done on a live machine.", "unplugged")
    looked(row, request.user, payload.trouble, payload.found.strip())
    case = row.case
    if payload.trouble:
        kind = knowledge.findings()[row.danger]
        case = Case.objects.create(
            printer=row.printer,
            title=kind.label,
            words=payload.found.strip(),
            reported_by=request.user,
            reported_at=now(),
        )
        _observe(case, ObservationIn(finding=row.danger), request.user)
        audit(request.user, "reported", case, f"Reported on {row.printer.name}: {kind.label}")
    return case_out(_case(request, case.pk), request.user)


def _most_changed(case: Case) -> str:
    """The place that was mended last, else the one whose tensioner was turned furthest: where the cause sat."""
    mended = case.actions.filter(kind="repair").exclude(helped=False).order_by("-at").first()
    if mended is not None:
        return str(mended.place)
    turned: dict[str, float] = {}
    for a in case.actions.filter(kind="turn_tensioner"):
        turned[a.place] = turned.get(a.place, 0.0) + abs(a.turns or 0.0)
    return max(turned, key=lambda p: turned[p], default="")


def _finding(finding: str) -> knowledge.FindingKind:
    kind = knowledge.findings().get(finding)
    if kind is None:
        raise Problem(422, "out_of_range", "Choose one of the listed findings.", "finding")
    return kind


def _axis(axis: str) -> str:
    if axis and axis not in PLACES:
        raise Problem(422, "out_of_range", f"“{axis}” is no axis.", "axis")
    return axis


def lock_case(case_id: int | None, printer: Printer) -> Case | None:
    """The open case that a measurement or a turn belongs to; refuses one of another machine or a closed one."""
    if case_id is None:
        return None
    with transaction.atomic():
        case = get_object_or_404(Case.objects.select_for_update(), pk=case_id)
    if case.printer_id != printer.pk:
        raise Problem(422, "out_of_range", "This case belongs to another machine.", "case_id")
    if not case.is_open:
        raise Problem(409, "closed", "This case is closed. Open it again, or measure without it.", "case_id")
    return case
