"""Cases: reporting, seeing, adding to, and closing with proof."""

from __future__ import annotations

import io
from datetime import datetime
from typing import Literal

from cases.models import Action, Case, Closing, Comment, Observation, Picture, State
from django.conf import settings
from django.db import transaction
from django.db.models import QuerySet
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from kestov_core import knowledge
from kestov_core.machine import PLACES
from measuring.rounds import places_of, rounds, set_belts
from ninja import Field, File, Form, Router, Schema, UploadedFile
from people.clock import now
from people.models import Role, User, audit
from workshop.models import Printer

from .once import once
from .permissions import may, own_or_technician
from .problems import Problem
from .shapes import CaseBrief, case_brief, person

router = Router(tags=["cases"])


class ObservationIn(Schema):
    finding: str
    axis: str = ""
    state: Literal["present", "absent", "unknown"] = "present"
    note: str = Field("", max_length=300)


class Report(Schema):
    printer_id: int
    finding: str
    axis: str = ""
    since: str = Field("", max_length=60)
    words: str = Field("", max_length=2000)


class Words(Schema):
    words: str = Field(min_length=1, max_length=2000)


class Close(Schema):
    """``verified`` needs a proof after the last turn: the same measurement that holds, or the complaint looked for and gone."""

    closing: Literal["verified", "not_verified", "harmless", "handed_on", "warranty", "retired"]
    cause: str = Field("", max_length=160)


class ObservationOut(Schema):
    id: int
    finding: str
    label: str
    axis: str
    state: Literal["present", "absent", "unknown"]
    note: str
    by: str
    at: datetime


class PictureOut(Schema):
    id: int
    words: str
    width: int
    height: int
    by: str
    at: datetime


class LogLine(Schema):
    at: datetime
    who: str
    kind: Literal["reported", "comment", "measured", "turned", "seen", "closed", "picture"]
    words: str


class Step(Schema):
    """The next thing to do: a fixed sensible order for now."""

    kind: Literal["danger", "take", "look", "pluck", "set", "verify", "close", "ask", "done"]
    title: str
    why: str
    minutes: int
    place: str | None = None
    caution: str = ""


class CaseOut(CaseBrief):
    words: str
    since: str
    cause: str
    taken_by: str | None
    observations: list[ObservationOut]
    pictures: list[PictureOut]
    log: list[LogLine]
    step: Step
    may_work: bool


#: Complaints that a belt can make: the bench for belts comes first, being quick.
_BELT_COMPLAINTS = {
    "echoes_after_corners",
    "layers_stepped",
    "circle_not_round",
    "wrong_size",
    "upright_lines",
    "square_is_diamond",
    "wall_leans",
    "belt_slack",
    "belts_unequal",
    "belt_overtight",
    "buzz",
    "squeak",
}
_DANGER = "Unplug it, do not only switch it off. Leave it to someone qualified."
_STANDING = "Keep fingers clear of the beam: it can move while motors are on."


def _case(request: HttpRequest, case_id: int, lock: bool = False) -> Case:
    rows = Case.objects.all()
    if lock:
        # Locked first, so that the row that is read is the one that is changed.
        rows = rows.select_for_update(of=("self",))
    case = get_object_or_404(rows.select_related("printer__model", "reported_by", "taken_by", "closed_by"), pk=case_id)
    own_or_technician(request.user, case)
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
        ).distinct()
    return [case_brief(c) for c in rows[:200]]


@router.post("/cases", auth=may("cases.report"), response=CaseOut, operation_id="cases.report")
@once
def report(request: HttpRequest, payload: Report):
    """Report a fault. A danger tags the machine out at once."""
    printer = get_object_or_404(Printer, pk=payload.printer_id)
    kind = _finding(payload.finding)
    axis = _axis(payload.axis)
    title = kind.label + (f", {axis.upper()}" if axis else "")
    case = Case.objects.create(
        printer=printer,
        title=title[:120],
        words=payload.words.strip(),
        since=payload.since.strip(),
        reported_by=request.user,
        reported_at=now(),
    )
    _observe(case, ObservationIn(finding=payload.finding, axis=axis), request.user)
    audit(request.user, "reported", case, f"Reported on {printer.name}: {title}")
    return _out(_case(request, case.pk), request.user)


@router.get("/cases/{case_id}", auth=may("cases.see"), response=CaseOut, operation_id="cases.see")
def see(request: HttpRequest, case_id: int):
    """One case with its log and the next thing to do."""
    return _out(_case(request, case_id), request.user)


@router.post("/cases/{case_id}/take", auth=may("cases.take"), response=CaseOut, operation_id="cases.take")
@once
def take(request: HttpRequest, case_id: int):
    """Take a case in hand."""
    case = _case(request, case_id, lock=True)
    if not case.is_open:
        raise Problem(409, "closed", "This case is closed. Open it again first.")
    case.state, case.taken_by = State.IN_WORK, request.user
    case.save()
    audit(request.user, "took", case, f"{request.user.name} took the case.")
    return _out(case, request.user)


@router.post("/cases/{case_id}/observations", auth=may("cases.observe"), response=CaseOut, operation_id="cases.observe")
@once
def observe(request: HttpRequest, case_id: int, payload: ObservationIn):
    """Add what was seen, or looked for and not seen."""
    case = _case(request, case_id, lock=True)
    _finding(payload.finding)
    payload.axis = _axis(payload.axis)
    _observe(case, payload, request.user)
    return _out(case, request.user)


def _observe(case: Case, payload: ObservationIn, user: User) -> None:
    Observation.objects.create(
        case=case,
        finding=payload.finding,
        axis=payload.axis,
        state=payload.state,
        note=payload.note.strip(),
        by=user,
        at=now(),
    )
    kind = knowledge.findings()[payload.finding]
    if kind.kind == "danger" and payload.state == "present" and not case.printer.tagged_out:
        printer = case.printer
        printer.tagged_out, printer.tagged_out_by, printer.tagged_out_at = kind.label, user, now()
        printer.save()
        audit(user, "tagged out", printer, f"Tagged out by the report: {kind.label}")


@router.post("/cases/{case_id}/comments", auth=may("cases.comment"), response=CaseOut, operation_id="cases.comment")
@once
def comment(request: HttpRequest, case_id: int, payload: Words):
    """Write into the log of a case."""
    case = _case(request, case_id)
    Comment.objects.create(case=case, words=payload.words.strip(), by=request.user, at=now())
    return _out(case, request.user)


@router.post(
    "/cases/{case_id}/pictures", auth=may("cases.add_picture"), response=CaseOut, operation_id="cases.add_picture"
)
@once
def add_picture(request: HttpRequest, case_id: int, file: File[UploadedFile], words: Form[str] = ""):
    """Add a picture (JPEG, PNG or WebP by content, up to 12 MB). It is re-encoded: hidden data does not come along."""
    case = _case(request, case_id)
    image, width, height = _picture(file.read(settings.MAX_PICTURE + 1))
    Picture.objects.create(
        case=case, image=image, width=width, height=height, words=words.strip()[:200], by=request.user, at=now()
    )
    return _out(case, request.user)


def _picture(data: bytes) -> tuple[bytes, int, int]:
    from PIL import Image, ImageOps, UnidentifiedImageError

    if not data:
        raise Problem(422, "empty_file", "The picture is empty.", "file")
    if len(data) > settings.MAX_PICTURE:
        raise Problem(413, "too_large", "The picture is over 12 MB. Take it at a lower resolution.", "file")
    try:
        with Image.open(io.BytesIO(data), formats=("JPEG", "PNG", "WEBP")) as opened:
            if opened.width * opened.height > 60_000_000:
                raise Problem(413, "too_large", "The picture has over 60 million points.", "file")
            picture = ImageOps.exif_transpose(opened).convert("RGB")
    except (UnidentifiedImageError, OSError, ValueError, SyntaxError, Image.DecompressionBombError) as e:
        raise Problem(422, "not_a_picture", "This is not a JPEG, PNG or WebP picture.", "file") from e
    picture.thumbnail((2000, 2000))
    out = io.BytesIO()
    picture.save(out, "JPEG", quality=85)
    return out.getvalue(), picture.width, picture.height


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
    case = _case(request, case_id, lock=True)
    if not case.is_open:
        raise Problem(409, "closed", "This case is already closed.")
    if payload.closing in ("verified", "not_verified") and not payload.cause.strip():
        raise Problem(422, "missing_field", "Say what it was; the next one will be found faster.", "cause")
    case.cause = payload.cause.strip()
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
        case.state, case.closing = State.CLOSED, payload.closing
        case.closed_by, case.closed_at = request.user, now()
    case.save()
    audit(
        request.user,
        "closed",
        case,
        f"{Closing(payload.closing).label if payload.closing in Closing.values else 'Mended, not verified'}: {case.cause}",
    )
    return _out(case, request.user)


@router.post("/cases/{case_id}/reopen", auth=may("cases.reopen"), response=CaseOut, operation_id="cases.reopen")
@once
def reopen(request: HttpRequest, case_id: int):
    """Open a closed case again."""
    case = _case(request, case_id, lock=True)
    case.state, case.closing, case.closed_by, case.closed_at = State.IN_WORK, "", None, None
    case.save()
    audit(request.user, "reopened", case, "Opened again.")
    return _out(case, request.user)


def proven(case: Case) -> bool:
    """Whether something after the last turn shows that it holds: the belts' own measurement, or the complaint gone."""
    last = Action.objects.filter(case=case).order_by("-at").first()
    if _belts_hold(case):
        return True
    first = case.observations.order_by("at").first()
    if first is None:
        return False
    newest = case.observations.filter(finding=first.finding, axis=first.axis).order_by("-at").first()
    return newest is not None and newest.state == "absent" and (last is None or newest.at > last.at)


def _belts_hold(case: Case) -> bool:
    """The newest round of each set of belts in this case has no turn after it, and is within limits."""
    groups = {
        tuple(places_of(case.printer, p))
        for p in case.captures.values_list("place", flat=True)
        if p in case.printer.model.motion().belts()
    }
    if not groups:
        return False
    for places in groups:
        past = rounds(case.printer, list(places), case)
        if not past or past[-1].actions or any(p not in past[-1].readings for p in places):
            return False
        if not set_belts(case.printer, list(places), past[-1]).holds:  # type: ignore[attr-defined]
            return False
    return True


def _finding(finding: str) -> knowledge.FindingKind:
    kind = knowledge.findings().get(finding)
    if kind is None:
        raise Problem(422, "out_of_range", "Choose one of the listed findings.", "finding")
    return kind


def _axis(axis: str) -> str:
    if axis and axis not in PLACES:
        raise Problem(422, "out_of_range", f"“{axis}” is no axis.", "axis")
    return axis


def _out(case: Case, user: User) -> CaseOut:
    labels = knowledge.findings()
    observations = [
        ObservationOut(
            id=o.pk,
            finding=o.finding,
            label=labels[o.finding].label if o.finding in labels else o.finding,
            axis=o.axis,
            state=o.state,
            note=o.note,
            by=person(o.by),
            at=o.at,
        )
        for o in case.observations.select_related("by")
    ]
    pictures = [
        PictureOut(id=p.pk, words=p.words, width=p.width, height=p.height, by=person(p.by), at=p.at)
        for p in case.pictures.defer("image").select_related("by")
    ]
    return CaseOut(
        **case_brief(case).model_dump(),
        words=case.words,
        since=case.since,
        cause=case.cause,
        taken_by=person(case.taken_by) if case.taken_by else None,
        observations=observations,
        pictures=pictures,
        log=_log(case, observations, pictures),
        step=_step(case, observations),
        may_work=user.may(Role.TECHNICIAN),
    )


def _log(case: Case, observations: list[ObservationOut], pictures: list[PictureOut]) -> list[LogLine]:
    from .floor import _measured

    lines = [
        LogLine(at=case.reported_at, who=person(case.reported_by), kind="reported", words=case.words or case.title)
    ]
    lines += [
        LogLine(
            at=o.at,
            who=o.by,
            kind="seen",
            words={"present": "Seen: ", "absent": "Looked for, not there: ", "unknown": "Not sure: "}[o.state]
            + o.label
            + (f" ({o.note})" if o.note else ""),
        )
        for o in observations[1:]
    ]
    lines += [LogLine(at=p.at, who=p.by, kind="picture", words=p.words or "Picture") for p in pictures]
    lines += [
        LogLine(at=c.at, who=person(c.by), kind="comment", words=c.words) for c in case.comments.select_related("by")
    ]
    lines += [
        LogLine(at=c.taken_at, who=person(c.taken_by), kind="measured", words=_measured(c))
        for c in case.captures.defer("data").select_related("taken_by").prefetch_related("results")
    ]
    for a in case.actions.select_related("by"):
        lines.append(
            LogLine(
                at=a.at,
                who=person(a.by),
                kind="turned",
                words=f"Belt {a.place.upper()}: {abs(a.turns or 0):.2f} {a.unit} {a.direction}",
            )
        )
    if case.closed_at:
        lines.append(
            LogLine(
                at=case.closed_at,
                who=person(case.closed_by),
                kind="closed",
                words=f"{case.get_closing_display()}. {case.cause}",
            )
        )
    return sorted(lines, key=lambda line: line.at)


def _step(case: Case, observations: list[ObservationOut]) -> Step:
    """The next thing to do, in a fixed order: danger, take it, measure the belts, set them, prove, close."""
    kinds = knowledge.findings()
    present = [o for o in observations if o.state == "present"]
    if not case.is_open:
        return Step(kind="done", title="Closed", why=f"{case.get_closing_display()}. {case.cause}", minutes=0)
    if any(kinds[o.finding].kind == "danger" for o in present if o.finding in kinds):
        return Step(
            kind="danger",
            title="Stop: unplug and tag out",
            why="A danger was reported. It is not to be powered until somebody qualified has looked at it, and at the others of its model.",
            minutes=2,
            caution=_DANGER,
        )
    if case.state == State.REPORTED:
        return Step(
            kind="take",
            title="Take this case",
            why="Nobody works on it yet. Taking it shows the members that the machine is in service.",
            minutes=0,
        )
    belts = list(case.printer.model.motion().belts())
    about_belts = any(o.finding in _BELT_COMPLAINTS for o in present)
    groups = list(dict.fromkeys(tuple(places_of(case.printer, p)) for p in belts)) if about_belts else []
    axis = next((o.axis for o in present if o.axis), "")
    groups.sort(key=lambda g: axis not in g)
    if axis in ("x", "y", "z") and any(axis in g for g in groups):
        groups = [g for g in groups if axis in g]
    for group in groups:
        past = rounds(case.printer, list(group), case)
        names = " and ".join(p.upper() for p in group)
        missing = [p for p in group if not past or (p not in past[-1].readings and not past[-1].actions)]
        if not past or missing:
            return Step(
                kind="pluck",
                title="Pluck both belts" if len(group) > 1 else f"Pluck belt {names}",
                why=f"It takes {3 * len(group)} minutes and settles whether slack or unequal belts are behind it.",
                minutes=3 * len(group),
                place=(missing or group)[0],
                caution=_STANDING,
            )
        if past[-1].actions:
            return Step(
                kind="verify",
                title=f"Measure {names} again",
                why="A belt was turned; the same measurement shows whether it helped.",
                minutes=3 * len(group),
                place=group[0],
                caution=_STANDING,
            )
        advice = set_belts(case.printer, list(group), past[-1])
        if not advice.holds:  # type: ignore[attr-defined]
            place = advice.advice[0].target if advice.advice and advice.advice[0].target in group else group[0]
            return Step(
                kind="set",
                title=f"Set {'the belts' if len(group) > 1 else f'belt {names}'}",
                why=advice.advice[0].reason if advice.advice else "The belts are not within their limits.",
                minutes=4,
                place=place,
                caution=_STANDING,
            )
    if proven(case):
        return Step(
            kind="close",
            title="Close the case",
            why="The last measurement holds. Say what it was, and close it as mended and verified.",
            minutes=1,
        )
    return Step(
        kind="look",
        title="Look over frame, bolts and head",
        why="The belts do not explain it, or are not asked. Rock the head, beam and bed by hand; note what you find.",
        minutes=5,
        caution="Unplugged: a machine that moves by itself pinches.",
    )


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
