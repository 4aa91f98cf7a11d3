"""Cases: reporting, seeing, adding to, and closing with proof."""

from __future__ import annotations

from typing import Literal

from cases import acts, sounds
from cases.models import Case, Picture
from cases.search import listed
from django.conf import settings
from django.http import HttpResponse
from django.shortcuts import get_object_or_404
from ninja import Field, File, Form, Router, UploadedFile
from workshop.models import Printer
from workshop.pictures import read_picture

from .case_view import CaseOut, case_out
from .once import once, once_only
from .parsing import parse_meta
from .permissions import may, may_work, own_or_technician
from .readings import read_upload
from .shapes import CaseBrief, Shape, case_brief
from .signed import SignedIn
from .still import still_own

router = Router(tags=["cases"])


Wall = Literal["", "x", "y"]


class ObservationIn(Shape):
    """``wall``: which way the wall runs, for findings that are asked so; the axis follows from it."""

    finding: str
    axis: str = ""
    wall: Wall = ""
    state: Literal["present", "absent", "unknown"] = "present"
    value: float | None = Field(None, allow_inf_nan=False)
    u95: float | None = Field(None, ge=0, allow_inf_nan=False)
    note: str = Field("", max_length=300)


class Report(Shape):
    """What is wrong, as somebody tells it. ``also``: what else was met with it."""

    printer_id: int
    finding: str
    axis: str = ""
    wall: Wall = ""
    also: list[ObservationIn] = Field([], max_length=4)
    since: str = Field("", max_length=60)
    words: str = Field("", max_length=2000)


class OutcomeIn(Shape):
    """What a check has shown. ``found``: what was there; the check's other findings count as looked for and not there.

    ``unsure``: nothing can be said. ``against``: done although something should have come first (kept in the log).
    """

    check: str
    axis: str = ""
    found: list[ObservationIn] = []
    unsure: bool = False
    against: bool = False
    note: str = Field("", max_length=300)


class RepairIn(Shape):
    """A remedy that was done. ``helped``: whether the complaint is gone, where that has been seen already."""

    fault: str
    axis: str = ""
    helped: bool | None = None
    note: str = Field("", max_length=300)


class Words(Shape):
    words: str = Field(min_length=1, max_length=2000)


class Close(Shape):
    """``verified`` needs a proof after the last turn: the same measurement that holds, or the complaint looked for and gone."""

    closing: Literal["verified", "not_verified", "harmless", "handed_on", "warranty", "retired"]
    cause: str = Field("", max_length=160)
    fault: str = ""
    axis: str = ""


def _seen(o: ObservationIn) -> acts.Seen:
    return acts.Seen(o.finding, o.axis, o.wall, o.state, o.value, o.u95, o.note)


def _open_case(request: SignedIn, case_id: int, changing: bool = True) -> Case:
    """A case to be changed, held; a closed one is refused."""
    case = acts.locked(case_id, changing)
    own_or_technician(request.user, case)
    return case


def _told(request: SignedIn, case: Case) -> CaseOut:
    return case_out(case, request.user)


@router.get("/cases", auth=may("cases.list"), response=list[CaseBrief], operation_id="cases.list")
@still_own
def list_cases(request: SignedIn, state: Literal["open", "closed", "all"] = "open", search: str = "", page: int = 1):
    """Cases, the newest first, fifty a page; a member's list holds their own."""
    own = None if may_work(request.user) else request.user
    return [case_brief(c) for c in listed(state, search, page, reported_by=own)]


@router.post("/cases", auth=may("cases.report"), response=CaseOut, operation_id="cases.report")
@once
def report(request: SignedIn, payload: Report):
    """Report a fault. A danger tags the machine out at once."""
    printer = get_object_or_404(Printer, pk=payload.printer_id)
    seen = acts.Seen(payload.finding, payload.axis, payload.wall)
    also = [_seen(o) for o in payload.also]
    case = acts.report(printer, seen, payload.words, payload.since, request.user, also)
    return _told(request, _open_case(request, case.pk))


@router.get("/cases/{case_id}", auth=may("cases.see"), response=CaseOut, operation_id="cases.see")
def see(request: SignedIn, case_id: int):
    """One case with its log and the next thing to do."""
    rows = Case.objects.select_related("printer__model", "reported_by", "taken_by", "closed_by")
    case = get_object_or_404(rows, pk=case_id)
    own_or_technician(request.user, case)
    return _told(request, case)


@router.post("/cases/{case_id}/take", auth=may("cases.take"), response=CaseOut, operation_id="cases.take")
@once
def take(request: SignedIn, case_id: int):
    """Take a case in hand."""
    case = _open_case(request, case_id)
    acts.take(case, request.user)
    return _told(request, case)


@router.post("/cases/{case_id}/observations", auth=may("cases.observe"), response=CaseOut, operation_id="cases.observe")
@once
def observe(request: SignedIn, case_id: int, payload: ObservationIn):
    """Add what was seen, or looked for and not seen."""
    case = _open_case(request, case_id)
    acts.observe(case, acts.placed(_seen(payload)), request.user)
    return _told(request, case)


@router.post("/cases/{case_id}/outcomes", auth=may("cases.outcome"), response=CaseOut, operation_id="cases.outcome")
@once
def outcome(request: SignedIn, case_id: int, payload: OutcomeIn):
    """Type what a check done by hand has shown: what was found; the rest of what it answers was looked for and not there."""
    case, p = _open_case(request, case_id), payload
    found = [_seen(o) for o in p.found]
    acts.outcome(case, p.check, p.axis, found, p.unsure, p.against, p.note, request.user)
    return _told(request, case)


@router.post("/cases/{case_id}/undo", auth=may("cases.undo"), response=CaseOut, operation_id="cases.undo")
@once
def undo(request: SignedIn, case_id: int):
    """Take back the last thing that this person said was seen; the record keeps that it was said."""
    case = _open_case(request, case_id)
    acts.undo(case, request.user)
    return _told(request, case)


@router.post("/cases/{case_id}/repairs", auth=may("cases.repair"), response=CaseOut, operation_id="cases.repair")
@once
def repair(request: SignedIn, case_id: int, payload: RepairIn):
    """Write down a remedy, and whether it helped: if not, that suspect is out; if so, the complaint was looked for and gone."""
    case = _open_case(request, case_id)
    acts.repair(case, payload.fault, payload.axis, payload.helped, payload.note, request.user)
    return _told(request, case)


@router.post("/cases/{case_id}/comments", auth=may("cases.comment"), response=CaseOut, operation_id="cases.comment")
@once
def comment(request: SignedIn, case_id: int, payload: Words):
    """Write into the log of a case."""
    case = _open_case(request, case_id, changing=False)
    acts.comment(case, payload.words, request.user)
    return _told(request, case)


@router.post(
    "/cases/{case_id}/pictures", auth=may("cases.add_picture"), response=CaseOut, operation_id="cases.add_picture"
)
def add_picture(
    request: SignedIn,
    case_id: int,
    file: File[UploadedFile],
    words: Form[str] = "",
    before: Form[int | None] = None,
    fit: Form[str] = "{}",
):
    """Add a picture (JPEG, PNG or WebP by content, up to 12 MB). It is re-encoded: hidden data does not come along.

    ``before``: a picture of this case that it was taken over, from the same place; ``fit``: how it lies over that one, as JSON
    (``right``, ``down``: shares of that one's width and height; ``size``; ``turn``: degrees clockwise).
    """
    lies = parse_meta(fit, acts.Fit)
    own_or_technician(request.user, get_object_or_404(Case, pk=case_id))
    taken = read_picture(file.read(settings.MAX_PICTURE + 1))

    def keep() -> CaseOut:
        case = _open_case(request, case_id, changing=False)
        acts.add_picture(case, taken, words, request.user, before, lies)
        return _told(request, case)

    return once_only(request, keep)


@router.post("/cases/{case_id}/sound", auth=may("cases.add_sound"), response=CaseOut, operation_id="cases.add_sound")
def add_sound(
    request: SignedIn,
    case_id: int,
    file: File[UploadedFile],
    source: Form[Literal["microphone", "lossy", "file"]] = "file",
):
    """Add ten seconds of sound (WAV) to an open case: what is new in it against the machine's healthy sound comes into the weighing."""
    own_or_technician(request.user, get_object_or_404(Case, pk=case_id))
    data, name = read_upload(file), file.name or "sound.wav"

    def keep() -> CaseOut:
        case = _open_case(request, case_id)
        sounds.add(case, data, name, source, request.user)
        return _told(request, case)

    return once_only(request, keep)


@router.get("/pictures/{picture_id}", auth=may("cases.picture"), operation_id="cases.picture")
def picture(request: SignedIn, picture_id: int, small: bool = False):
    """A picture as JPEG; ``small``: its small version, as soon as there is one."""
    left_out = ("image",) if small else ("small",)
    found = get_object_or_404(Picture.objects.select_related("case").defer(*left_out), pk=picture_id)
    own_or_technician(request.user, found.case)
    made = found.small if small else None
    # What stands in for the small one is not kept as if it were.
    lasts = 60 if small and made is None else 86400
    return HttpResponse(
        bytes(found.image if made is None else made),
        content_type="image/jpeg",
        headers={"Cache-Control": f"private, max-age={lasts}"},
    )


@router.post("/cases/{case_id}/close", auth=may("cases.close"), response=CaseOut, operation_id="cases.close")
@once
def close(request: SignedIn, case_id: int, payload: Close):
    """Close a case with the closing words; *mended, not verified* is a state, not an end."""
    case, p = _open_case(request, case_id), payload
    acts.close(case, p.closing, p.cause, p.fault, p.axis, request.user)
    return _told(request, case)


@router.post("/cases/{case_id}/reopen", auth=may("cases.reopen"), response=CaseOut, operation_id="cases.reopen")
@once
def reopen(request: SignedIn, case_id: int):
    """Open a closed case again."""
    case = _open_case(request, case_id, changing=False)
    acts.reopen(case, request.user)
    return _told(request, case)


class LookIn(Shape):
    """What a look at a machine of the same model has shown: done unplugged, and whether the same was found there."""

    unplugged: bool
    trouble: bool
    found: str = Field(min_length=3, max_length=300)


@router.post("/looks/{look_id}", auth=may("cases.look"), response=CaseOut, operation_id="cases.look")
@once
def look(request: SignedIn, look_id: int, payload: LookIn):
    """Tick that a held machine was looked at. Where the same was found, it is reported and tagged out, too."""
    case = acts.look(look_id, payload.unplugged, payload.trouble, payload.found, request.user)
    return _told(request, _open_case(request, case.pk, changing=False))
