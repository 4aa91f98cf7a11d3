"""The week: hours, calendars of bookings, the plan and moving in it, and the plan as a calendar."""

from __future__ import annotations

from datetime import date, datetime, time, timedelta
from typing import Annotated

from django.http import HttpRequest, HttpResponse
from django.utils import timezone
from ninja import Field, File, Form, Router, UploadedFile
from people.clock import now
from people.models import User, name_of
from post import sending
from post.models import Mail
from pydantic import field_validator
from service import by_address, calendars, letter, mailing, planning
from service.models import Booking, Calendar, Hours, PlannedRound, PlannedWeek
from workshop.models import Printer

from .downloads import download
from .once import once, once_only
from .permissions import may, may_work, own_hours_or_lead
from .problems import Problem
from .shapes import Shape
from .signed import SignedIn
from .still import still
from .work import WorkOut, work_out

router = Router(tags=["service"])


class HourSpan(Shape):
    """A time of the week: the day (0: Monday), from, until."""

    weekday: int = Field(ge=0, le=6)
    begins: time
    ends: time

    @field_validator("begins", "ends")
    @classmethod
    def _of_the_workshop(cls, told: time) -> time:
        if told.tzinfo is not None:
            raise ValueError("Give the workshop's own time, without a zone.")
        return told


class PersonHours(Shape):
    """Somebody who does service, and when they are there."""

    user_id: int
    name: str
    hours: list[HourSpan]


class SittingOut(Shape):
    """Somebody's hours on one day; ``fetched``: what its rounds take, ``fetching``: minutes for that, before the first of them."""

    user_id: int
    name: str
    begins: datetime
    ends: datetime
    fetching: float
    fetched: list[str]


class PlannedOut(Shape):
    """A machine's round in the plan. ``tasks``: so many; ``clashes``: there it meets a booking, another round or the end of the hours."""

    printer_id: int
    printer: str
    area: str
    user_id: int
    name: str
    begins: datetime
    ends: datetime
    tasks: int
    fixed: bool
    clashes: bool


class RoundLeft(Shape):
    """A round that did not fit: why, and what would make it fit."""

    printer_id: int
    printer: str
    minutes: float
    tasks: int
    why: str
    would: str


class BookingOut(Shape):
    printer_id: int
    printer: str
    begins: datetime
    ends: datetime
    words: str


class CalendarOut(Shape):
    """A calendar of bookings; ``bookings`` are known of it, ``of_none`` more name no machine. ``address``: where it is fetched from (empty: it
    came as a file); ``said``: why that did not succeed the last time.
    """

    id: int
    name: str
    printer: str
    bookings: int
    of_none: int
    at: datetime
    by: str
    address: str
    said: str


class WeekPlan(Shape):
    """A week. ``planned_at`` null: nobody has planned it; ``share``: of what the best plan could be worth at the most."""

    monday: date
    sittings: list[SittingOut]
    rounds: list[PlannedOut]
    left: list[RoundLeft]
    bookings: list[BookingOut]
    planned_at: datetime | None
    by: str
    share: float
    people: list[PersonHours]
    calendars: list[CalendarOut]


def _week(monday: date) -> WeekPlan:
    monday = planning.monday_of(monday)
    plan = planning.week_of(monday)
    printers = {p.pk: p for p in Printer.on_the_floor()}
    people = _who_serve()
    hours = list(Hours.objects.filter(user__in=people))
    zone = timezone.get_default_timezone()
    since = datetime.combine(monday, time(), tzinfo=zone)
    booked = planning.bookings(printers, since, since + timedelta(days=7))
    rounds = [] if plan is None else list(plan.rounds.select_related("user"))
    return WeekPlan(
        monday=monday,
        sittings=[
            SittingOut(
                user_id=s.user.pk,
                name=s.user.name,
                begins=s.begins,
                ends=s.ends,
                fetching=planning.fetching(s, rounds),
                fetched=planning.fetched(s, rounds),
            )
            for s in planning.sittings(monday)
        ],
        rounds=[_round(r, printers) for r in rounds if r.printer_id in printers],
        left=_left(plan, printers),
        bookings=[_booking(b, printers[b.printer_id]) for b in booked],
        planned_at=None if plan is None else plan.at,
        by="" if plan is None else name_of(plan.by),
        share=1.0 if plan is None else plan.share,
        people=[
            PersonHours(
                user_id=u.pk,
                name=u.name,
                hours=[HourSpan(weekday=h.weekday, begins=h.begins, ends=h.ends) for h in hours if h.user_id == u.pk],
            )
            for u in people
        ],
        calendars=[_calendar(c) for c in calendars.all_of_them()],
    )


def _who_serve() -> list[User]:
    return [u for u in User.objects.filter(is_active=True).order_by("name") if may_work(u)]


def _round(r: PlannedRound, printers: dict[int, Printer]) -> PlannedOut:
    p = printers[r.printer_id]
    return PlannedOut(
        printer_id=p.pk,
        printer=p.name,
        area=p.area.name,
        user_id=r.user_id,
        name=r.user.name,
        begins=r.begins,
        ends=r.ends,
        tasks=len(r.tasks),
        fixed=r.fixed,
        clashes=r.clashes,
    )


def _left(plan: PlannedWeek | None, printers: dict[int, Printer]) -> list[RoundLeft]:
    rows = [] if plan is None else plan.left
    return [
        RoundLeft(
            printer_id=x["printer"],
            printer=printers[x["printer"]].name,
            minutes=x["minutes"],
            tasks=x["tasks"],
            why=x["why"],
            would=x["would"],
        )
        for x in rows
        if x["printer"] in printers
    ]


def _booking(b: Booking, p: Printer) -> BookingOut:
    return BookingOut(printer_id=p.pk, printer=p.name, begins=b.begins, ends=b.ends, words=b.words)


def _calendar(c: Calendar) -> CalendarOut:
    known = {"bookings": c.many, "printer": c.printer.name if c.printer else ""}  # type: ignore[attr-defined]
    return CalendarOut(
        id=c.pk, name=c.name, of_none=c.of_none, at=c.at, by=name_of(c.by), address=c.address, said=c.said, **known
    )


@router.get("/service/week", auth=may("service.see"), response=WeekPlan, operation_id="service.week")
@still
def see(request: SignedIn, day: date | None = None):
    """The week of a day (today's, where none is told): hours, bookings, and the plan."""
    today = timezone.localdate(now())
    if day is not None and abs(day - today) > timedelta(days=400):
        raise Problem(422, "out_of_range", "Choose a week of this year.", "day")
    return _week(day or today)


class WeekIn(Shape):
    monday: date


@router.post("/service/week", auth=may("service.tick"), response=WeekPlan, operation_id="service.plan_week")
@once
def plan(request: SignedIn, payload: WeekIn):
    """Plan a week, around what was put by hand."""
    planning.plan(request.user, payload.monday)
    return _week(payload.monday)


class MoveRoundIn(WeekIn):
    """Where a machine's round goes: to whom, and when."""

    printer_id: int
    user_id: int
    begins: datetime


@router.post("/service/week/move", auth=may("service.tick"), response=WeekPlan, operation_id="service.move_round")
@once
def move(request: SignedIn, payload: MoveRoundIn):
    """Put a round by hand; the rest is planned around it."""
    p = payload
    begins = p.begins if p.begins.tzinfo else p.begins.replace(tzinfo=timezone.get_default_timezone())
    planning.move(request.user, p.monday, p.printer_id, p.user_id, begins)
    return _week(p.monday)


class FreeIn(WeekIn):
    printer_id: int


@router.post("/service/week/free", auth=may("service.tick"), response=WeekPlan, operation_id="service.free_round")
@once
def free(request: SignedIn, payload: FreeIn):
    """A round that was put by hand is planned like the others again."""
    planning.plan(request.user, payload.monday, free=[payload.printer_id])
    return _week(payload.monday)


class HoursIn(Shape):
    """All times of the week at which somebody is there for service."""

    user_id: int
    hours: list[HourSpan] = Field(max_length=40)


@router.post("/service/hours", auth=may("service.tick"), response=WeekPlan, operation_id="service.hours")
@once
def hours(request: SignedIn, payload: HoursIn):
    """Tell when somebody is there: oneself, or the lead anybody."""
    own_hours_or_lead(request.user, payload.user_id)
    user = next((u for u in _who_serve() if u.pk == payload.user_id), None)
    if user is None:
        raise Problem(422, "out_of_range", "Choose somebody who does service.", "user_id")
    planning.set_hours(request.user, user, [(h.weekday, h.begins, h.ends) for h in payload.hours])
    return _week(timezone.localdate(now()))


@router.post("/calendars", auth=may("service.plan"), response=WeekPlan, operation_id="service.take_calendar")
def take_calendar(
    request: SignedIn,
    name: Annotated[str, Form(max_length=80)],
    file: File[UploadedFile],
    printer_id: Annotated[int | None, Form()] = None,
):
    """Take a calendar of bookings (iCalendar, up to 8 MB): of one machine, or of those that its bookings name. The same name: the newer one."""
    data = file.read(calendars.MOST_BYTES + 1)

    def act() -> WeekPlan:
        calendars.take(request.user, name, data, printer_id)
        return _week(timezone.localdate(now()))

    return once_only(request, act)


class AddressIn(Shape):
    """A calendar by its address within the workshop's network; ``printer_id`` null: of the machines that its bookings name."""

    name: str = Field(min_length=1, max_length=80)
    address: str = Field(max_length=300)
    printer_id: int | None = None


@router.post("/calendars/address", auth=may("service.plan"), response=WorkOut, operation_id="service.take_address")
@once
def take_address(request: SignedIn, payload: AddressIn):
    """Have a calendar fetched from an address within the workshop's network, by a worker; it is fetched again every half hour."""
    return work_out(by_address.ask_to_take(request.user, payload.name, payload.address, payload.printer_id))


@router.post(
    "/calendars/{calendar_id}/forget",
    auth=may("service.plan"),
    response=WeekPlan,
    operation_id="service.forget_calendar",
)
@once
def forget_calendar(request: SignedIn, calendar_id: int):
    """Forget a calendar with its bookings."""
    calendars.forget(request.user, calendar_id)
    return _week(timezone.localdate(now()))


@router.get("/service/rounds.ics", auth=may("service.see"), operation_id="service.my_calendar")
def my_calendar(request: SignedIn):
    """One's own planned rounds as an iCalendar file."""
    body = calendars.as_calendar(planning.rounds_of(request.user), f"Rounds of {request.user.name}", _origin(request))
    return download(body, "text/calendar; charset=utf-8", "rounds.ics")


class FeedOut(Shape):
    """The private address of one's rounds: whoever has it can read them."""

    address: str


@router.post("/service/feed", auth=may("service.see"), response=FeedOut, operation_id="service.new_feed")
def new_feed(request: SignedIn):
    """Make a private address for one's rounds, for a calendar to read; the one before is no longer good."""
    return FeedOut(address=f"{_origin(request)}/api/feeds/{calendars.new_feed(request.user)}.ics")


@router.get("/feeds/{secret}.ics", auth=may("service.feed"), operation_id="service.feed")
def feed(request: HttpRequest, secret: str):
    """Somebody's planned rounds, by their private address."""
    user = calendars.feed_of(secret) if len(secret) <= 80 else None
    if user is None:
        raise Problem(404, "not_found", "This address is not, or no longer, good.")
    body = calendars.as_calendar(planning.rounds_of(user), f"Rounds of {user.name}", _origin(request))
    return HttpResponse(body, content_type="text/calendar; charset=utf-8", headers={"Cache-Control": "no-store"})


def _origin(request: HttpRequest) -> str:
    return request.build_absolute_uri("/").rstrip("/")


class LetterPart(Shape):
    """A part of the letter; where it has no lines, ``empty`` says so."""

    title: str
    lines: list[str]
    empty: str


class LetterOut(Shape):
    """The letter of a week: what was done in it, and how things stand now."""

    monday: date
    parts: list[LetterPart]


@router.get("/service/letter", auth=may("service.see"), response=LetterOut, operation_id="service.letter")
def see_letter(request: SignedIn, day: date | None = None):
    """The letter of the week of a day (today's, where none is told)."""
    told = letter.letter(_letter_day(day))
    return LetterOut(monday=told.monday, parts=[LetterPart.model_validate(p, from_attributes=True) for p in told.parts])


@router.get("/service/letter.pdf", auth=may("service.see"), operation_id="service.letter_pdf")
def letter_pdf(request: SignedIn, day: date | None = None):
    """The same as PDF."""
    told = letter.letter(_letter_day(day))
    return download(letter.as_pdf(told), "application/pdf", f"week-{told.monday:%Y-%m-%d}.pdf")


def _letter_day(day: date | None) -> date:
    today = timezone.localdate(now())
    if day is not None and not today - timedelta(days=3660) <= day <= today:
        raise Problem(422, "out_of_range", "Choose a week until today, of the last ten years.", "day")
    return day or today


class MailOut(Shape):
    """A letter that was posted. ``said``: why it did not go the last time; ``given_up``: it is tried no more."""

    at: datetime
    to: str
    sent_at: datetime | None
    next_at: datetime | None
    said: str
    given_up: bool


class ByMail(Shape):
    """The letter by e-mail, of whoever asks: whether a mail server is set, where it goes (empty: nowhere), and how the last one went."""

    is_set: bool
    address: str
    last: MailOut | None


def _by_mail(user: User) -> ByMail:
    row = mailing.wanted_by(user)
    return ByMail(is_set=sending.is_set(), address=row.address if row else "", last=_mail(mailing.last_to(user)))


def _mail(m: Mail | None) -> MailOut | None:
    if m is None:
        return None
    return MailOut(at=m.at, to=m.to, sent_at=m.sent_at, next_at=m.next_at, said=m.said, given_up=m.is_given_up)


@router.get("/service/letter/mail", auth=may("service.see"), response=ByMail, operation_id="service.letter_mail")
def by_mail(request: SignedIn):
    """Whether, and where, one gets the letter by e-mail."""
    return _by_mail(request.user)


class WantIn(Shape):
    """Where the letter goes from next Monday on; empty: nowhere."""

    address: str = Field("", max_length=200)


@router.post("/service/letter/mail", auth=may("service.see"), response=ByMail, operation_id="service.want_letter")
@once
def want_letter(request: SignedIn, payload: WantIn):
    """Want the letter by e-mail every Monday, or no longer."""
    mailing.want(request.user, payload.address)
    return _by_mail(request.user)


@router.post("/service/letter/send", auth=may("service.see"), response=ByMail, operation_id="service.send_letter")
@once
def send_letter(request: SignedIn):
    """Send oneself this week's letter now."""
    mailing.send_now(request.user)
    return _by_mail(request.user)
