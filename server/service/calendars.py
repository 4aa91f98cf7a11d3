"""Calendars: bookings of machines read from iCalendar files, whole or not at all; and the plan written as one.

Times without a zone are the workshop's. Not here: planning around them (`planning`).
"""

from __future__ import annotations

import hashlib
import re
import secrets
import zlib
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from datetime import UTC, date, datetime, time, timedelta
from typing import Any

from django.db import transaction
from django.db.models import Count
from django.utils import timezone
from people.clock import now
from people.models import User, audit
from people.refusals import Refused
from work.kinds import sweeping
from workshop.models import Printer

from .models import Booking, Calendar, Feed, PlannedRound

#: No calendar is longer (bytes), no more bookings are kept of one, and so far back and ahead they are looked up.
MOST_BYTES, MOST = 8 * 1024 * 1024, 20_000
_BACK, _AHEAD = timedelta(days=8), timedelta(days=92)
#: Looked up anew when it is known for no longer than this ahead.
_AGAIN = timedelta(days=60)


@dataclass(frozen=True)
class Booked:
    """A booking out of a file: ``named``: the words in which its machine may be named."""

    begins: datetime
    ends: datetime
    words: str
    named: str


def read(data: bytes, since: datetime, until: datetime) -> list[Booked]:
    """The bookings of an iCalendar file between two moments, what recurs each time. Refused whole, with which event."""
    import icalendar

    if len(data) > MOST_BYTES:
        raise Refused(413, "too_large", f"A calendar has at most {MOST_BYTES // 2**20} MB.", "file")
    try:
        found = icalendar.Calendar.from_ical(data)
    except Exception as e:  # The package says with many kinds of errors that a file is no calendar.
        raise Refused(422, "not_a_calendar", f"This is no iCalendar file{_where(data, e)}.", "file") from e
    if not isinstance(found, icalendar.Calendar):
        raise Refused(
            422, "not_a_calendar", "This is no iCalendar file: it does not begin with BEGIN:VCALENDAR.", "file"
        )
    events = list(found.walk("VEVENT"))
    for i, event in enumerate(events, start=1):
        _check(i, event)
    out = [_booked(e) for e in [*_plain(events, since, until), *_recurring(found, events, since, until)] if _counts(e)]
    if len(out) > MOST:
        raise _too_many()
    return sorted((b for b in out if b.ends > b.begins), key=lambda b: b.begins)


def _recurs(event: Any) -> bool:
    return any(event.get(f) is not None for f in ("RRULE", "RDATE", "RECURRENCE-ID"))


def _plain(events: list[Any], since: datetime, until: datetime) -> list[Any]:
    """What happens once, in the time that is looked at."""
    return [e for e in events if not _recurs(e) and _end(e) > since and _moment(e["DTSTART"].dt) < until]


def _recurring(found: Any, events: list[Any], since: datetime, until: datetime) -> list[Any]:
    """What recurs, each time by itself."""
    import recurring_ical_events

    series = {str(e.get("UID", "")) for e in events if _recurs(e)}
    if not series:
        return []
    days = (until - since).days + 1
    if sum(_a_day(e) for e in events) * days > 3 * MOST:
        raise _too_many()
    found.subcomponents = [c for c in found.subcomponents if c.name != "VEVENT" or str(c.get("UID", "")) in series]
    try:
        return list(recurring_ical_events.of(found).between(since, until))
    except Exception as e:
        raise Refused(422, "not_a_calendar", "An event recurs in a way that cannot be read.", "file") from e


def _too_many() -> Refused:
    return Refused(422, "too_many", f"There are more than {MOST} bookings in the next quarter.", "file")


def _a_day(event: Any) -> int:
    """How often a day an event recurs at the most."""
    often = 0
    for rule in _rules(event):
        times = 24 if "HOURLY" in {str(f).upper() for f in rule.get("FREQ", [])} else 1
        for by in ("BYHOUR", "BYMINUTE", "BYSECOND"):
            times *= max(1, len(rule.get(by, [])))
        often += times
    return often


def _rules(event: Any) -> list[Any]:
    rule = event.get("RRULE")
    return rule if isinstance(rule, list) else [rule] if rule else []


def _counts(event: Any) -> bool:
    """Whether a booking takes the machine: it was not cancelled, and does not say that it leaves it free."""
    said = (str(event.get(f, "")).upper() for f in ("STATUS", "TRANSP"))
    return not {"CANCELLED", "TRANSPARENT"} & set(said)


def _booked(event: Any) -> Booked:
    words = str(event.get("SUMMARY", ""))
    return Booked(_moment(event["DTSTART"].dt), _end(event), words[:120], f"{event.get('LOCATION', '')} {words}")


def _where(data: bytes, error: Exception) -> str:
    """In which line, where the package says the words of it."""
    said = re.search(r"'([^']{3,200})'", str(error))
    if said:
        for i, line in enumerate(data.decode("utf-8", "replace").splitlines(), start=1):
            if said[1].strip() and said[1].strip()[:60] in line:
                return f": line {i} cannot be read"
    return ""


def _check(i: int, event: Any) -> None:
    called = f"Event {i}" + (f" (“{str(event['SUMMARY'])[:60]}”)" if event.get("SUMMARY") else "")
    if event.errors:
        name, words = event.errors[0]
        raise Refused(
            422, "bad_event", f"{called}: its {name or 'content'} cannot be read ({str(words)[:100]}).", "file"
        )
    if event.get("DTSTART") is None:
        raise Refused(422, "bad_event", f"{called} does not say when it begins.", "file")
    for each in _rules(event):
        if {str(f).upper() for f in each.get("FREQ", [])} & {"SECONDLY", "MINUTELY"}:
            raise Refused(422, "bad_event", f"{called} recurs every minute or oftener: that is no booking.", "file")
    try:
        ends = _end(event)
    except (TypeError, ValueError, OverflowError, AttributeError) as e:
        raise Refused(422, "bad_event", f"{called}: when it ends cannot be read.", "file") from e
    if ends < _moment(event["DTSTART"].dt):
        raise Refused(422, "bad_event", f"{called} ends before it begins.", "file")


def _moment(told: date | datetime) -> datetime:
    zone = timezone.get_default_timezone()
    if not isinstance(told, datetime):
        return datetime.combine(told, time(), tzinfo=zone)
    return told.replace(tzinfo=zone) if told.tzinfo is None else told


def _end(event: Any) -> datetime:
    begins = event["DTSTART"].dt
    if event.get("DTEND") is not None:
        return _moment(event["DTEND"].dt)
    if event.get("DURATION") is not None:
        return _moment(begins) + event["DURATION"].dt
    # A day without an end is that day, a moment without one no time at all.
    return _moment(begins) if isinstance(begins, datetime) else _moment(begins + timedelta(days=1))


@transaction.atomic
def take(by: User, name: str, data: bytes, printer_id: int | None = None, address: str = "") -> Calendar:
    """Take a calendar, or the newer one of the same name in its place. ``address``: where it was fetched from, and will be again."""
    name = name.strip()
    if not name:
        raise Refused(422, "missing_field", "Give it a name.", "name")
    printer = None
    if printer_id is not None and (printer := Printer.objects.filter(pk=printer_id, retired=False).first()) is None:
        raise Refused(422, "out_of_range", "There is no such machine.", "printer_id")
    row = Calendar.objects.select_for_update(of=("self",)).filter(name__iexact=name).first() or Calendar(name=name)
    row.printer, row.raw, row.at, row.by = printer, zlib.compress(data), now(), by
    row.address, row.said = address, ""
    _looked_up(row, data)
    audit(by, "took", row, f"Took the calendar “{row.name}”: {row.bookings.count()} bookings.")
    return row


@transaction.atomic
def newer(calendar_id: int, address: str, data: bytes) -> None:
    """A calendar was fetched again; what it says now is in its place. One that has another address by now is left alone."""
    row = Calendar.objects.select_for_update(of=("self",)).filter(pk=calendar_id, address=address).first()
    if row is None:
        return
    row.said, row.at = "", now()
    if zlib.decompress(bytes(row.raw)) == data:
        row.save(update_fields=["said", "at"])
        return
    row.raw = zlib.compress(data)
    _looked_up(row, data)


def _looked_up(row: Calendar, data: bytes) -> None:
    since, row.until = now() - _BACK, now() + _AHEAD
    found = read(data, since, row.until)
    by_name = {p.name.lower(): p for p in Printer.objects.filter(retired=False)}
    names = re.compile(r"(?<!\w)(" + "|".join(re.escape(n) for n in sorted(by_name, key=len, reverse=True)) + r")(?!\w)", re.I)  # fmt: skip
    rows, none = [], 0
    for b in found:
        printers = (
            {row.printer} if row.printer else {by_name[m.lower()] for m in names.findall(b.named)} if by_name else set()
        )
        none += not printers
        rows += [Booking(printer=p, begins=b.begins, ends=b.ends, words=b.words) for p in printers]
    row.of_none = none
    row.save()
    row.bookings.all().delete()
    Booking.objects.bulk_create([_of(row, b) for b in rows], batch_size=2000)


def _of(row: Calendar, b: Booking) -> Booking:
    b.calendar = row
    return b


def all_of_them() -> list[Calendar]:
    """All calendars, each with how many bookings are known of it (``many``)."""
    return list(Calendar.objects.defer("raw").select_related("printer", "by").annotate(many=Count("bookings")))


@transaction.atomic
def forget(by: User, calendar_id: int) -> None:
    """Forget a calendar with its bookings."""
    row = Calendar.objects.select_for_update(of=("self",)).filter(pk=calendar_id).first()
    if row is None:
        raise Refused(404, "not_found", "There is no such calendar.")
    audit(by, "forgot", row, f"Forgot the calendar “{row.name}”.")
    row.delete()


@sweeping
def look_up_anew() -> int:
    """What recurs goes on: calendars are looked up further ahead as time passes, and what is over is let go."""
    gone, _ = Booking.objects.filter(ends__lt=now() - _BACK).delete()
    for row in Calendar.objects.filter(until__lt=now() + _AGAIN):
        try:
            with transaction.atomic():
                _looked_up(row, zlib.decompress(bytes(row.raw)))
        except Refused:
            # What has grown to more than is kept stays as it was known; nothing else that is swept waits for it.
            continue
    return gone


def as_calendar(rounds: Iterable[PlannedRound], name: str, origin: str) -> bytes:
    """Planned rounds as an iCalendar file; ``origin``: where their pages are."""
    import icalendar

    out = icalendar.Calendar()
    out.add("prodid", "-//Kestov//rounds//EN")
    out.add("version", "2.0")
    out.add("name", name)
    for event in _events(rounds, origin):
        out.add_component(event)
    return bytes(out.to_ical())


def _events(rounds: Iterable[PlannedRound], origin: str) -> Iterator[Any]:
    import icalendar

    for r in rounds:
        event = icalendar.Event()
        # One machine has one round a week: planned anew, it is moved in the calendar, not doubled.
        event.add("uid", f"round-{r.printer_id}-{r.week.monday:%Y%m%d}@kestov")
        event.add("dtstamp", r.week.at)
        event.add("dtstart", r.begins.astimezone(UTC))
        event.add("dtend", r.ends.astimezone(UTC))
        event.add("summary", f"Round: {r.printer.name}")
        event.add("location", r.printer.area.name)
        event.add("description", "\n".join(r.tasks))
        event.add("url", f"{origin}/rounds/{r.printer_id}")
        yield event


def new_feed(user: User) -> str:
    """A private address for somebody's rounds; the one before is no longer good. Only now can it be read."""
    secret = secrets.token_urlsafe(32)
    Feed.objects.update_or_create(user=user, defaults={"hash": _hash(secret), "at": now()})
    audit(user, "made", user, f"{user.name} made a private address for their rounds.")
    return secret


def feed_of(secret: str) -> User | None:
    """Whose address it is; None of one that is not, or no longer, good."""
    found = Feed.objects.filter(hash=_hash(secret), user__is_active=True).select_related("user").first()
    return found.user if found else None


def _hash(secret: str) -> str:
    return hashlib.sha256(secret.encode()).hexdigest()
