"""What may be done to a case: check, act, and write the audit trail, in one transaction.

Callable from the API, a command, the demo or a job alike. Every act takes the case as `locked` gives it.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from typing import Annotated, Literal

from kestov_core import knowledge
from kestov_core.diagnosis.places import machine_described, place_checks
from kestov_core.machine import PLACES, across
from measuring.turning import mended
from people.clock import now
from people.models import User, audit
from people.refusals import Refused
from people.telling import tell
from pydantic import BaseModel, ConfigDict, Field
from workshop import tags
from workshop.models import Printer
from workshop.pictures import Taken

from .hearing import tell_reporter
from .models import Case, Closing, Comment, Observation, Picture, SiblingLook, State
from .proof import proven
from .siblings import hold, looked, release
from .thumbnails import ask_small
from .weighing import places_here

SeenState = Literal["present", "absent", "unknown"]


@dataclass(frozen=True)
class Seen:
    """Something seen, or looked for. ``wall``: which way the wall runs, for findings asked so; the axis follows from it."""

    finding: str
    axis: str = ""
    wall: str = ""
    state: SeenState = "present"
    value: float | None = None
    u95: float | None = None
    note: str = ""


def locked(case_id: int, changing: bool = True) -> Case:
    """A case, held against other writers; refused where there is none, or where a closed one is to be changed."""
    # Locked first, so that the row that is read is the one that is changed.
    rows = Case.objects.select_for_update(of=("self",))
    case = rows.select_related("printer__model", "reported_by", "taken_by", "closed_by").filter(pk=case_id).first()
    if case is None:
        raise Refused(404, "not_found", "There is no such case; it may have been removed.")
    if changing and not case.is_open:
        raise Refused(409, "closed", "This case is closed. Open it again first.")
    tell("case", case.pk)
    tell("printer", case.printer_id)
    return case


def case_of(case_id: int | None, printer: Printer) -> int | None:
    """The open case that a measurement or a turn belongs to, held; refuses one of another machine or a closed one."""
    if case_id is None:
        return None
    case = locked(case_id, changing=False)
    if case.printer_id != printer.pk:
        raise Refused(422, "out_of_range", "This case belongs to another machine.", "case_id")
    if not case.is_open:
        raise Refused(409, "closed", "This case is closed. Open it again, or measure without it.", "case_id")
    return case_id


def report(printer: Printer, seen: Seen, words: str, since: str, user: User, also: Sequence[Seen] = ()) -> Case:
    """Report a fault, and what else was met with it. A danger tags the machine out at once, and holds its model."""
    kind = _kind(seen.finding)
    put, others = placed(seen), []
    for k, s in enumerate(also):
        try:
            _kind(s.finding)
            others.append(placed(s))
        except Refused as refused:
            refused.field = f"also.{k}.{refused.field}"
            raise
    where = f"wall along {seen.wall.upper()}" if seen.wall else put.axis.upper()
    title = kind.label + (f", {where}" if where else "")
    case = Case.objects.create(
        printer=printer,
        title=title[:120],
        words=words.strip(),
        since=since.strip(),
        reported_by=user,
        reported_at=now(),
    )
    for s in (put, *others):
        observe(case, s, user, "", case.reported_at)
    audit(user, "reported", case, f"Reported on {printer.name}: {title}")
    return case


def take(case: Case, user: User) -> None:
    """Take a case in hand."""
    case.state, case.taken_by = State.IN_WORK, user
    case.save()
    audit(user, "took", case, f"{user.name} took the case.")


def placed(seen: Seen) -> Seen:
    """What was seen with its place checked; where a wall was told, with the axis that it shows."""
    kind = _kind(seen.finding)
    axis = axis_of(seen.axis)
    if not seen.wall:
        return seen
    if kind.asked != "wall":
        raise Refused(422, "out_of_range", f"“{kind.label}” is not asked by its wall.", "wall")
    shown = across(seen.wall)
    if axis not in ("", shown):
        raise Refused(
            422, "out_of_range", f"A wall along {seen.wall.upper()} shows the ringing of {shown.upper()}.", "axis"
        )
    note = f"on the wall along {seen.wall.upper()}{'; ' if seen.note else ''}{seen.note}"[:300]
    return replace(seen, axis=shown, note=note)


def observe(case: Case, seen: Seen, user: User, check: str = "", moment: datetime | None = None) -> None:
    """Write down what was seen, placed. A danger tags the machine out, and holds the others of its model."""
    if seen.axis and seen.axis not in places_here(case.printer):
        raise Refused(422, "out_of_range", f"{case.printer.name} has nothing at {seen.axis.upper()}.", "axis")
    Observation.objects.create(
        case=case,
        finding=seen.finding,
        axis=seen.axis,
        state=seen.state,
        value=seen.value,
        u95=seen.u95,
        note=seen.note.strip(),
        check_name=check,
        by=user,
        at=moment or now(),
    )
    kind = knowledge.findings()[seen.finding]
    if kind.kind != "danger" or seen.state != "present":
        return
    hold(case, seen.finding)
    if not case.printer.tagged_out:
        tags.tag_out(case.printer, user, kind.label, " by the report")


def outcome(
    case: Case, check_id: str, axis: str, found: list[Seen], unsure: bool, against: bool, note: str, user: User
) -> None:
    """What a check done by hand has shown: what was found; the rest of what it answers was looked for and not there.

    ``against``: done although something should have come first; the log keeps it.
    """
    check = knowledge.checks().get(check_id)
    if check is None:
        raise Refused(422, "out_of_range", "Choose one of the listed checks.", "check")
    axis, moment = axis_of(axis), now()
    there = [placed(seen) for seen in found]
    for seen in there:
        observe(case, seen, user, check.id, moment)
    named, spots = {s.finding for s in there}, {(s.finding, s.axis) for s in there}
    implied = check.general is not None and bool(named) and check.general not in named
    if implied and check.general:
        observe(case, Seen(check.general), user, check.id, moment)
    for finding, place in looked_at(case.printer, check.id, axis):
        # Told without a place, it was found somewhere: then nothing is said of where it is not.
        if (finding, place) in spots or (finding, "") in spots or (finding in named and not place):
            continue
        # What the others imply is there, wherever they are.
        if implied and finding == check.general:
            continue
        state: SeenState = "unknown" if unsure else "absent"
        observe(case, Seen(finding, place, state=state), user, check.id, moment)
    words = note.strip()
    if against:
        words = f"Done although something should have come first. {words}".strip()
    if words:
        Comment.objects.create(case=case, words=f"{check.label}: {words}", by=user, at=moment)


def looked_at(printer: Printer, check_id: str, axis: str) -> list[tuple[str, str]]:
    """What a check looks at on this machine, each finding with its place; with no spot of its own, all at that place."""
    for spot in place_checks(machine_described(printer.motion())):
        here = {spot.axis or "", *(place for _, place in spot.nodes if spot.axis)}
        if spot.check.id == check_id and axis in here:
            return [(finding, place or "") for finding, place in spot.nodes]
    return [(finding, axis) for finding in knowledge.checks()[check_id].answers]


def undo(case: Case, user: User) -> None:
    """Take back the last thing that this person said was seen; the record keeps that it was said."""
    first = case.observations.order_by("at", "id").first()
    mine = case.observations.filter(by=user, withdrawn=False).exclude(pk=first.pk if first else 0)
    last = mine.order_by("-at", "-id").first()
    if last is None:
        raise Refused(409, "nothing_to_undo", "There is nothing of yours to take back; the complaint itself stays.")
    # All that one check gave was said at one moment.
    mine.filter(at=last.at).update(withdrawn=True)
    if not case.observations.filter(finding__in=dangers(), state="present", withdrawn=False).exists():
        release(case)


#: Asked before a repair is written down (case, fault, who); each may refuse.
BEFORE_REPAIR: list[Callable[[Case, str, User], None]] = []


def repair(case: Case, fault_id: str, axis: str, helped: bool | None, note: str, user: User) -> None:
    """A remedy that was done, and whether it helped: if not, that suspect is out; if so, the complaint was looked for and gone."""
    fault = knowledge.faults().get(fault_id)
    if fault is None:
        raise Refused(422, "out_of_range", "Choose one of the listed faults.", "fault")
    for asked in BEFORE_REPAIR:
        asked(case, fault.id, user)
    mended(case.printer, case.pk, axis_of(axis), fault.id, helped, note, user)
    words = {True: "helped", False: "did not help", None: "done"}[helped]
    audit(user, "mended", case, f"{fault.label}: {words}")
    first = case.observations.order_by("at", "id").first()
    if first is not None and helped:
        observe(case, Seen(first.finding, first.axis, state="absent", note="gone after the repair"), user)


def comment(case: Case, words: str, user: User) -> None:
    """Write into the log of a case."""
    Comment.objects.create(case=case, words=words.strip(), by=user, at=now())


class Fit(BaseModel):
    """How a later picture lies over an earlier one: moved by shares of that one's width and height, enlarged, turned (deg, clockwise)."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)

    right: Annotated[float, Field(ge=-1, le=1)] = 0.0
    down: Annotated[float, Field(ge=-1, le=1)] = 0.0
    size: Annotated[float, Field(ge=0.25, le=4)] = 1.0
    turn: Annotated[float, Field(ge=-180, le=180)] = 0.0


def add_picture(
    case: Case, taken: Taken, words: str, user: User, before_id: int | None = None, fit: Fit | None = None
) -> Picture:
    """Keep a picture that somebody took of the print or the machine; ``before_id``: taken over that one, from the same place."""
    before = None
    if before_id is not None:
        before = case.pictures.defer("image", "small").filter(pk=before_id).first()
        if before is None:
            raise Refused(422, "out_of_range", "The picture of before does not belong to this case.", "before")
        # A third picture is held against the first, too.
        before = before.before or before
    row = Picture.objects.create(
        case=case,
        image=taken.image,
        width=taken.width,
        height=taken.height,
        words=words.strip()[:200],
        before=before,
        fit=(fit or Fit()).model_dump() if before is not None else None,
        by=user,
        at=now(),
    )
    ask_small(row)
    return row


def close(case: Case, closing: str, cause: str, fault: str, axis: str, user: User) -> None:
    """Close a case with the closing words; *mended, not verified* is a state, not an end, and *verified* wants its proof."""
    if closing in ("verified", "not_verified") and not cause.strip():
        raise Refused(422, "missing_field", "Say what it was; the next one will be found faster.", "cause")
    if fault and fault not in knowledge.faults():
        raise Refused(422, "out_of_range", "Choose one of the listed faults, or none.", "fault")
    case.cause, case.fault = cause.strip(), fault
    case.fault_axis = (axis_of(axis) or _most_changed(case)) if fault else ""
    if closing == "not_verified":
        case.state = State.NOT_VERIFIED
    else:
        if closing == "verified" and not proven(case):
            raise Refused(
                409,
                "not_proven",
                "Nothing measured after the last turn shows that it holds. Measure again, or print the same part and note that the fault is gone; until then it is “mended, not verified”.",
                "closing",
            )
        if closing == "harmless":
            release(case)
        case.state, case.closing = State.CLOSED, closing
        case.closed_by, case.closed_at = user, now()
    case.save()
    if not case.is_open:
        tell_reporter(case)
    words = Closing(closing).label if closing in Closing.values else "Mended, not verified"
    audit(user, "closed", case, f"{words}: {case.cause}")


def reopen(case: Case, user: User) -> None:
    """Open a closed case again."""
    case.state, case.closing, case.closed_by, case.closed_at = State.IN_WORK, "", None, None
    case.save()
    audit(user, "reopened", case, "Opened again.")


def look(look_id: int, unplugged: bool, trouble: bool, found: str, user: User) -> Case:
    """Tick that a held machine was looked at; gives the case it leads to. The same found there is reported, too."""
    rows = SiblingLook.objects.select_for_update(of=("self",)).select_related("case", "printer")
    row = rows.filter(pk=look_id).first()
    if row is None:
        raise Refused(404, "not_found", "There is no such look; the danger may have been none.")
    if row.looked_at is not None:
        raise Refused(409, "looked_already", "Somebody has looked at this machine already.")
    if not unplugged:
        raise Refused(422, "out_of_range", "Unplug it first: this look is never done on a live machine.", "unplugged")
    looked(row, user, trouble, found.strip())
    return report(row.printer, Seen(row.danger), found, "", user) if trouble else row.case


def dangers() -> list[str]:
    """The findings that are dangers."""
    return [k for k, v in knowledge.findings().items() if v.kind == "danger"]


def axis_of(axis: str) -> str:
    """A place as it is named; refused where there is none such."""
    if axis and axis not in PLACES:
        raise Refused(422, "out_of_range", f"“{axis}” is no axis.", "axis")
    return axis


def _kind(finding: str) -> knowledge.FindingKind:
    kind = knowledge.findings().get(finding)
    if kind is None:
        raise Refused(422, "out_of_range", "Choose one of the listed findings.", "finding")
    return kind


def _most_changed(case: Case) -> str:
    """The place that was mended last, else the one whose tensioner was turned furthest: where the cause sat."""
    last = case.actions.filter(kind="repair").exclude(helped=False).order_by("-at").first()
    if last is not None:
        return str(last.place)
    turned: dict[str, float] = {}
    for a in case.actions.filter(kind="turn_tensioner"):
        turned[a.place] = turned.get(a.place, 0.0) + abs(a.turns or 0.0)
    return max(turned, key=lambda p: turned[p], default="")
