"""A week's rounds planned: what is due on which machine, who is there when, when machines are booked; moved by hand, and planned again around it.

The reckoning is the core's (`condition.week`). Not here: what is due (`rounds`), and reading calendars (`calendars`).
"""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import UTC, date, datetime, time, timedelta
from typing import Any

from django.db import transaction
from django.db.models import Exists, OuterRef, Q, QuerySet
from django.utils import timezone
from kestov_core.condition import week as core
from measuring.models import Standing
from people.clock import now
from people.models import User, audit
from people.refusals import Refused
from workshop import worklist
from workshop.meters import hours_now
from workshop.models import Component, Printer

from .models import Booking, Done, Hours, PlannedRound, PlannedWeek
from .rounds import Due, due_of

#: What ends within a minute takes all of it.
_TO_A_MINUTE = timedelta(seconds=59)
#: What a task is worth by how much of its interval is used up (of one never written down one and a half), and at most so much; typical.
_NEVER, _MOST = 1.5, 4.0
#: A part in trouble, a figure that is watched, a machine out of use: each adds so much; typical.
_TROUBLE, _WATCHED, _TAGGED = 3.0, 2.0, 4.0
#: A machine that runs so many hours a day counts once and a half, one that stands half; typical.
_MUCH = 6.0


@dataclass(frozen=True)
class Sitting:
    """Somebody's hours on one day of the week that is planned."""

    id: int
    user: User
    begins: datetime
    ends: datetime


def monday_of(day: date) -> date:
    """The Monday of a week."""
    return day - timedelta(days=day.weekday())


def set_hours(by: User, user: User, told: list[tuple[int, time, time]]) -> None:
    """When somebody is there for service, all of it; refused where two overlap."""
    for i, (weekday, begins, ends) in enumerate(told):
        if ends <= begins:
            raise Refused(422, "out_of_range", "They end before they begin.", f"hours.{i}.ends")
        for k, other in enumerate(told[:i]):
            if other[0] == weekday and begins < other[2] and other[1] < ends:
                raise Refused(422, "overlap", f"They overlap with the {_NTH[min(k, 9)]} ones.", f"hours.{i}.begins")
    with transaction.atomic():
        Hours.objects.filter(user=user).delete()
        Hours.objects.bulk_create([Hours(user=user, weekday=w, begins=b, ends=e) for w, b, e in told])
        audit(by, "changed", user, f"{user.name} is there for service at {len(told)} times of the week.")


_NTH = ("first", "second", "third", "fourth", "fifth", "sixth", "seventh", "eighth", "ninth", "tenth")


def sittings(monday: date) -> list[Sitting]:
    """All hours of a week from now on, one after the other."""
    zone, out = timezone.get_default_timezone(), []
    for h in Hours.objects.filter(user__is_active=True).select_related("user"):
        day = monday + timedelta(days=h.weekday)
        begins = max(datetime.combine(day, h.begins, tzinfo=zone), _next_step(now()))
        ends = datetime.combine(day, h.ends, tzinfo=zone)
        if ends > begins:
            out.append((begins, ends, h))
    rows = sorted(out, key=lambda r: (r[0], r[2].pk))
    return [Sitting(i, h.user, begins, ends) for i, (begins, ends, h) in enumerate(rows)]


def _next_step(moment: datetime) -> datetime:
    over = timedelta(minutes=moment.minute % core.STEP, seconds=moment.second, microseconds=moment.microsecond)
    return moment if not over else moment - over + timedelta(minutes=core.STEP)


def bookings(printers: Iterable[int], since: datetime, until: datetime) -> list[Booking]:
    """When machines are booked between two moments."""
    rows = Booking.objects.filter(ends__gt=since, begins__lt=until, printer__in=list(printers))
    return list(rows[:20_000])


@dataclass(frozen=True)
class _Wanted:
    """A way to do a machine's round: its tasks in order, what it is worth."""

    printer: Printer
    tasks: list[Due]
    worth: float

    @property
    def minutes(self) -> float:
        return sum(d.task.minutes for d in self.tasks)


def _wanted(printers: list[Printer], until: date, lengths: dict[int, list[float]]) -> dict[tuple[int, int], _Wanted]:
    """What is due on machines until a day, by machine and way: the whole of it, and what presses most of it in so many minutes."""
    due, hours = due_of(printers), hours_now(printers)
    trouble = Counter(Component.objects.filter(removed_on=None, printer__retired=False).exclude(trouble="").values_list("printer", flat=True))  # fmt: skip
    watched = Counter(
        Standing.objects.filter(printer__retired=False, verdict="watch").values_list("printer", flat=True)
    )
    out = {}
    for p in printers:
        mine = [d for d in due[p.pk] if d.by(until)]
        if not mine:
            continue
        use = hours[p.pk].use
        pace = 1.0 if use is None else 0.5 + min(1.0, use.a_day / _MUCH)
        risk = _TROUBLE * min(3, trouble[p.pk]) + _WATCHED * min(3, watched[p.pk]) + _TAGGED * bool(p.tagged_out)
        ways = [mine, *(_within(mine, length) for length in lengths[p.pk])]
        for i, kept in enumerate(ways):
            if kept and kept not in ways[:i]:
                worth = pace * (sum(_pressing(d) for d in kept) + risk)
                out[p.pk, i] = _Wanted(p, sorted(kept, key=lambda d: d.rank), worth)
    return out


def _pressing(d: Due) -> float:
    return _NEVER if d.last is None or d.due.used is None else min(_MOST, max(0.3, d.due.used))


def _within(mine: list[Due], longest: float) -> list[Due]:
    """Of what is due what fits into so many minutes, with what has to be fetched for it: what presses most a minute."""
    if _takes(mine) <= longest:
        return mine
    kept: list[Due] = []
    for d in sorted(mine, key=lambda d: (-_pressing(d) / d.task.minutes, d.rank)):
        if _takes([*kept, d]) <= longest:
            kept.append(d)
    return kept


def _takes(tasks: list[Due]) -> float:
    """Minutes, in the steps of a plan, with fetching."""
    fetched = len({t for d in tasks for t in d.fetched})
    return sum(core.STEP * -(-m // core.STEP) for m in (sum(d.task.minutes for d in tasks), core.FETCH * fetched))


@transaction.atomic
def plan(
    by: User, monday: date, put: dict[int, tuple[int, datetime]] | None = None, free: Iterable[int] = ()
) -> PlannedWeek:
    """Plan a week. ``put``: machines put by hand to a person and a time; ``free``: those that are planned again like the others."""
    _a_week_to_come(monday)
    row, _ = PlannedWeek.objects.select_for_update().get_or_create(monday=monday, defaults={"at": now(), "by": by})
    people = sittings(monday)
    # In world time: on the day on which clocks are put forward or back, minutes go on as always.
    start = datetime.combine(monday, time(), tzinfo=timezone.get_default_timezone()).astimezone(UTC)

    def minute(moment: datetime) -> int:
        return int((moment.astimezone(UTC) - start).total_seconds() // 60)

    def moment(minutes: int) -> datetime:
        return start + timedelta(minutes=minutes)

    printers, hours = Printer.on_the_floor(), [core.Sitting(s.id, minute(s.begins), minute(s.ends)) for s in people]
    booked: dict[int, list[core.Span]] = defaultdict(list)
    for b in bookings([p.pk for p in printers], start, start + timedelta(days=7, hours=1)):
        booked[b.printer_id].append((minute(b.begins), minute(b.ends + _TO_A_MINUTE)))
    wanted = _wanted(printers, monday + timedelta(days=6), {p.pk: _lengths(hours, booked[p.pk]) for p in printers})
    machines = {pk for pk, _ in wanted}
    for pk, (user, _) in (put or {}).items():
        if pk not in machines:
            raise Refused(409, "nothing_due", "Nothing of this machine falls due in that week.")
        if all(s.user.pk != user for s in people):
            raise Refused(422, "out_of_range", "Choose somebody who still has hours in that week.", "user_id")
    held = {r.printer_id: (r.user_id, r.begins) for r in row.rounds.filter(fixed=True, begins__gte=now())} | (put or {})
    for pk in free:
        held.pop(pk, None)
    fixed = [p for pk, at in held.items() if pk in machines for p in _by_hand(pk, at, people, minute, wanted)]
    found = core.plan(
        [core.Round(pk, w.minutes, w.worth, frozenset(t for d in w.tasks for t in d.fetched), tuple(booked[pk]), i) for (pk, i), w in wanted.items()],
        hours,
        fixed,
    )  # fmt: skip
    row.at, row.by = now(), by
    row.share = 1.0 if found.bound <= 0 else min(1.0, found.worth / found.bound)
    row.left = [_told(x, wanted, people) for x in found.left]
    row.save()
    # What is over and done stays in the week; what is planned anew is not there twice.
    row.rounds.filter(Q(ends__gt=now()) | Q(printer__in=machines)).delete()
    PlannedRound.objects.bulk_create(
        PlannedRound(
            week=row,
            printer_id=p.machine,
            user=people[p.sitting].user,
            begins=moment(p.begins),
            ends=moment(p.ends),
            tasks=[d.task.label for d in wanted[p.key].tasks],
            fetched=sorted({each for d in wanted[p.key].tasks for each in d.fetched}),
            fixed=p.fixed,
            clashes=p.clashes,
        )
        for p in found.placed
    )
    return row


def _a_week_to_come(monday: date) -> None:
    today = timezone.localdate(now())
    if monday.weekday() != 0 or not monday_of(today) <= monday <= today + timedelta(days=60):
        raise Refused(422, "out_of_range", "Choose this week, or one of the next eight.", "monday")


def _lengths(hours: list[core.Sitting], booked: list[core.Span]) -> list[float]:
    """How long a round of a machine may take, in minutes: the longest, the middle and the shortest sitting, and the longest that its bookings
    leave of one.
    """
    rows = sorted({s.ends - s.begins for s in hours}, reverse=True)
    if not rows:
        return []
    left = max((b - a for s in hours for a, b in core.free(s, booked)), default=0)
    return [float(m) for m in dict.fromkeys((rows[0], rows[len(rows) // 2], rows[-1], left))]


def _by_hand(
    pk: int, at: tuple[int, datetime], people: list[Sitting], minute: Any, wanted: dict[tuple[int, int], _Wanted]
) -> Iterable[core.Placed]:
    """Where a round was put by hand: in those hours of that person which are nearest, as much of it as fits there till their end, else all of
    it; nowhere, where they have none.
    """
    mine = [s for s in people if s.user.pk == at[0]]
    if mine:
        nearest = min(mine, key=lambda s: max(s.begins - at[1], at[1] - s.ends, timedelta(0)))
        room = (nearest.ends - at[1]).total_seconds() / 60
        ways = sorted((w.minutes, i) for (of, i), w in wanted.items() if of == pk)
        way = next((i for minutes, i in reversed(ways) if minutes <= room), ways[-1][1])
        yield core.Placed(pk, nearest.id, minute(at[1]), 0, variant=way)


def _told(x: core.Left, wanted: dict[tuple[int, int], _Wanted], people: list[Sitting]) -> dict[str, Any]:
    w = min((w for (pk, _), w in wanted.items() if pk == x.machine), key=lambda w: w.minutes)
    if x.why == "no_hours":
        why, would = "Nobody has hours this week: tell when somebody is there.", ""
    elif x.why == "booked":
        why = f"Its bookings leave at most {x.free} minutes within anybody's hours; its round takes {w.minutes:.0f}."
        would = f"{x.short} minutes more between its bookings."
    else:
        why = "The hours are full with what presses more."
        where = "" if x.sitting is None else f" on {people[x.sitting].begins:%A} ({people[x.sitting].user.name})"
        would = f"{x.short} minutes more{where}."
    return {"printer": x.machine, "minutes": w.minutes, "tasks": len(w.tasks), "why": why, "would": would}


def move(by: User, monday: date, printer_id: int, user_id: int, begins: datetime) -> PlannedWeek:
    """Put a machine's round to a person and a time by hand, and plan the rest around it."""
    if not Printer.objects.filter(pk=printer_id, retired=False).exists():
        raise Refused(404, "not_found", "There is no such machine.")
    _a_week_to_come(monday)
    # What is nowhere near has no day in every zone.
    near = abs(begins - now()) < timedelta(days=100)
    if not near or not monday <= timezone.localdate(begins) < monday + timedelta(days=7):
        raise Refused(422, "out_of_range", "Choose a time in this week.", "begins")
    return plan(by, monday, put={printer_id: (user_id, begins)})


def fetched(sitting: Sitting, rounds: Iterable[PlannedRound]) -> list[str]:
    """What is fetched for the rounds of a sitting."""
    mine = [r for r in rounds if r.user_id == sitting.user.pk and r.begins < sitting.ends and r.ends > sitting.begins]
    return sorted({each for r in mine for each in r.fetched})


def fetching(sitting: Sitting, rounds: Iterable[PlannedRound]) -> float:
    """Minutes that it takes to fetch that."""
    return core.FETCH * len(fetched(sitting, rounds))


def _day_begins() -> datetime:
    return datetime.combine(timezone.localdate(now()), time(), tzinfo=timezone.get_default_timezone())


def _not_begun() -> QuerySet[PlannedRound]:
    """Rounds that are planned for today, or were yesterday, and have not been begun since."""
    begun = Done.objects.filter(printer=OuterRef("printer"), at__gte=OuterRef("begins") - timedelta(hours=12))
    begin, day = _day_begins(), timedelta(days=1)
    planned = PlannedRound.objects.filter(begins__gte=begin - day, begins__lt=begin + day, printer__retired=False)
    return planned.exclude(Exists(begun)).order_by("begins")


@worklist.few(
    _not_begun, begins="begins", tasks="tasks", who="user__name", printer="printer__name", printer_id="printer_id"
)
def _today(row: dict[str, Any]) -> worklist.Pressing:
    begins = datetime.fromisoformat(row["begins"])
    day = "today" if begins >= _day_begins() else "yesterday"
    why = f"Planned for {row['who']}, {day} at {timezone.localtime(begins):%H:%M}: {len(row['tasks'])} tasks."
    what = worklist.Wanted(title=f"{row['printer']}: its round", why=why, kind="round", printer_id=row["printer_id"])
    return worklist.Pressing(2, begins, what)


def week_of(monday: date) -> PlannedWeek | None:
    """The plan of a week; None where nobody has planned it."""
    return PlannedWeek.objects.filter(monday=monday).select_related("by").first()


def rounds_of(user: User) -> list[PlannedRound]:
    """Somebody's rounds of late and to come."""
    rows = PlannedRound.objects.filter(user=user, ends__gte=now() - timedelta(days=30))
    return list(rows.select_related("printer__area", "week")[:500])
