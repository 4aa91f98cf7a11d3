"""Without an account, where the lead has switched it on: the page for a wall, reports; and joining by a link."""

from __future__ import annotations

from datetime import datetime
from typing import Literal

from cases import open_reports
from cases.machines import machines
from django.contrib.auth import login
from django.http import HttpRequest, HttpResponse
from kestov_core import knowledge
from kestov_core.condition import Fitness
from ninja import Field, File, Router, UploadedFile
from people import invitations, openness
from people.doorkeeping import remember
from people.models import Invitation, Role, name_of
from workshop.models import Printer

from .knowledge import FindingOut
from .once import once
from .permissions import may
from .session import SessionState, backend, session_state
from .shapes import Shape
from .signed import SignedIn

router = Router(tags=["openly"])


class WallMachine(Shape):
    """A machine as a wall shows it: what it is fit for, and why not for all."""

    name: str
    fitness: Fitness
    reason: str


class WallArea(Shape):
    name: str
    machines: list[WallMachine]


@router.get("/wall", auth=may("wall.see"), response=list[WallArea], operation_id="wall.see")
def wall(request: HttpRequest):
    """Which machine is fit for what, for a screen on the wall; nothing else, and only where the lead has switched it on."""
    openness.must_be_open("wall")
    areas: dict[str, list[WallMachine]] = {}
    for m in machines(Printer.on_the_floor()):
        told = WallMachine(name=m.printer.name, fitness=m.condition.fitness, reason=m.condition.reason)
        areas.setdefault(m.printer.area.name, []).append(told)
    return [WallArea(name=name, machines=rows) for name, rows in areas.items()]


class OpenForm(Shape):
    """What a report without an account asks for: the machine, and what can be seen or heard."""

    printer: str
    area: str
    findings: list[FindingOut]


@router.get(
    "/open/printers/{printer_id}", auth=may("open_reports.see"), response=OpenForm, operation_id="open_reports.see"
)
def open_form(request: HttpRequest, printer_id: int):
    """The form of a report without an account."""
    printer, drawn = open_reports.machine(printer_id), knowledge.atlas()
    found = [FindingOut.model_validate(k.model_dump() | {"drawing": drawn.get(k.id, [])}) for k in open_reports.asked()]
    return OpenForm(printer=printer.name, area=printer.area.name, findings=found)


class OpenReportIn(Shape):
    """What somebody without an account tells."""

    name: str = Field(max_length=80)
    finding: str = Field(max_length=40)
    words: str = Field("", max_length=2000)
    since: str = Field("", max_length=60)


class ToldTaken(Shape):
    """That it was written down, for a technician to look at."""

    printer: str


@router.post(
    "/open/printers/{printer_id}", auth=may("open_reports.tell"), response=ToldTaken, operation_id="open_reports.tell"
)
def open_tell(request: HttpRequest, printer_id: int, payload: OpenReportIn):
    """Tell of a fault without an account; so many an hour from one address."""
    p, address = payload, request.META.get("REMOTE_ADDR", "")
    row = open_reports.tell(printer_id, address, p.name, p.finding, p.words, p.since)
    return ToldTaken(printer=row.printer.name)


class ToldOut(Shape):
    """What was told without an account, and nobody has looked at yet."""

    id: int
    printer_id: int
    printer: str
    name: str
    label: str
    danger: bool
    words: str
    since: str
    at: datetime


def _waiting() -> list[ToldOut]:
    known = knowledge.findings()
    return [
        ToldOut(
            id=r.pk,
            printer_id=r.printer_id,
            printer=r.printer.name,
            name=r.name,
            label=known[r.finding].label if r.finding in known else r.finding,
            danger=r.finding in known and known[r.finding].kind == "danger",
            words=r.words,
            since=r.since,
            at=r.at,
        )
        for r in open_reports.waiting()
    ]


@router.get("/open-reports", auth=may("open_reports.list"), response=list[ToldOut], operation_id="open_reports.list")
def told(request: SignedIn):
    """What was told without an account, and nobody has looked at yet."""
    return _waiting()


class ToldLookedIn(Shape):
    """Whether it counts; where not, why."""

    counts: bool
    why_not: str = Field("", max_length=200)


class ToldLooked(Shape):
    """What is left, and the case that was opened."""

    waiting: list[ToldOut]
    case: int | None


@router.post(
    "/open-reports/{report_id}", auth=may("open_reports.count"), response=ToldLooked, operation_id="open_reports.count"
)
@once
def looked(request: SignedIn, report_id: int, payload: ToldLookedIn):
    """Say whether what was told counts: it then is a case."""
    case = None
    if payload.counts:
        case = open_reports.count(report_id, request.user).pk
    else:
        open_reports.refuse(report_id, payload.why_not, request.user)
    return ToldLooked(waiting=_waiting(), case=case)


class OpennessOut(Shape):
    """What is shown and taken without an account."""

    wall: bool
    reports: bool


@router.get("/openness", auth=may("people.open_up"), response=OpennessOut, operation_id="people.openness")
def see_openness(request: SignedIn):
    """What is shown and taken without an account."""
    return OpennessOut.model_validate(openness.openness(), from_attributes=True)


@router.post("/openness", auth=may("people.open_up"), response=OpennessOut, operation_id="people.open_up")
@once
def open_up(request: SignedIn, payload: OpennessOut):
    """Show, or take, something without an account, or no longer."""
    return OpennessOut.model_validate(
        openness.open_up(request.user, payload.wall, payload.reports), from_attributes=True
    )


class InvitationOut(Shape):
    """A link that is still good; ``address`` only in the answer that made it."""

    id: int
    role: Literal["member", "technician", "lead"]
    username: str
    name: str
    left: int
    until: datetime
    by: str
    address: str | None = None


def _invitation(row: Invitation, address: str | None = None) -> InvitationOut:
    return InvitationOut(
        id=row.pk,
        role=row.role,  # type: ignore[arg-type]
        username=row.username,
        name=row.name,
        left=row.left,
        until=row.until,
        by=name_of(row.by),
        address=address,
    )


def _made(request: HttpRequest, made: invitations.Invited) -> InvitationOut:
    return _invitation(made.invitation, request.build_absolute_uri(f"/join/{made.secret}"))


@router.get("/invitations", auth=may("people.invite"), response=list[InvitationOut], operation_id="people.invitations")
def see_invitations(request: SignedIn):
    """The links that are still good."""
    return [_invitation(row) for row in invitations.good_ones()]


class InviteIn(Shape):
    """As whom, and for how many."""

    role: Literal["member", "technician", "lead"] = "member"
    uses: int = Field(1, ge=1, le=invitations.MOST_USES)


@router.post("/invitations", auth=may("people.invite"), response=InvitationOut, operation_id="people.invite")
def invite(request: SignedIn, payload: InviteIn):
    """Make a link by which somebody, or several, make their own accounts; it is told only now."""
    return _made(request, invitations.invite(request.user, Role(payload.role), payload.uses))


@router.post(
    "/invitations/list", auth=may("people.invite"), response=list[InvitationOut], operation_id="people.invite_all"
)
def invite_all(request: SignedIn, file: File[UploadedFile]):
    """Make a link for each line of a list (CSV: name, username, role), whole or not at all; they are told only now."""
    made = invitations.invite_all(request.user, file.read(invitations.MOST_BYTES + 1))
    return [_made(request, each) for each in made]


class TakeBackIn(Shape):
    """Which link; null: all of them."""

    id: int | None = None


@router.post(
    "/invitations/back", auth=may("people.invite"), response=list[InvitationOut], operation_id="people.uninvite"
)
@once
def take_back(request: SignedIn, payload: TakeBackIn):
    """A link, or all of them, are no longer good."""
    invitations.take_back(request.user, payload.id)
    return [_invitation(row) for row in invitations.good_ones()]


class InvitedOut(Shape):
    """Whom a link is for (empty: whoever has it), and as whom."""

    role: Literal["member", "technician", "lead"]
    username: str
    name: str


@router.get("/join/{secret}", auth=may("session.invited"), response=InvitedOut, operation_id="session.invited")
def invited(request: HttpRequest, secret: str):
    """What a link is for."""
    return InvitedOut.model_validate(invitations.invitation_of(secret[:80]), from_attributes=True)


class JoinIn(Shape):
    """One's own account by a link; the names are not asked where the link is for somebody."""

    username: str = Field("", max_length=150)
    name: str = Field("", max_length=80)
    password: str = Field(max_length=200)


@router.post("/join/{secret}", auth=may("session.join"), response=SessionState, operation_id="session.join")
def join(request: HttpRequest, response: HttpResponse, secret: str, payload: JoinIn):
    """Make one's account by a link, and sign in with it."""
    user = invitations.join(secret[:80], payload.username, payload.name, payload.password)
    login(request, user, backend=backend)
    remember(request, response, user)
    return session_state(request)
