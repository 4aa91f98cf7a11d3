"""The week's letter by e-mail: on Monday morning the one of the week that is over, to everybody who wants it."""

from __future__ import annotations

from datetime import date, timedelta

from django.db import transaction
from django.utils import timezone
from people.clock import now
from people.models import Role, User, audit
from people.refusals import Refused
from post import sending
from post.models import Mail
from procrastinate.contrib.django import app

from .letter import Letter, as_pdf, letter
from .models import LetterTo
from .planning import monday_of

#: The hour of Monday from which it is posted, in the workshop's time.
_HOUR = 6
ABOUT = "letter"


def wanted_by(user: User) -> LetterTo | None:
    """Where somebody wants the letter; None where they do not."""
    return LetterTo.objects.filter(user=user).first()


def last_to(user: User) -> Mail | None:
    """The last letter that was posted to somebody."""
    return Mail.objects.filter(user=user, about=ABOUT).defer("file", "words").first()


@transaction.atomic
def want(user: User, address: str) -> None:
    """Have the letter sent to an address from next Monday on; none: no longer."""
    if not address.strip():
        LetterTo.objects.filter(user=user).delete()
        audit(user, "changed", user, f"{user.name} no longer wants the week's letter.")
        return
    told = {"address": sending.good_address(address), "at": now()}
    # What is over is not sent after: it begins with this week.
    LetterTo.objects.update_or_create(user=user, defaults=told, create_defaults={**told, "week": _over()})
    audit(user, "changed", user, f"{user.name} wants the week's letter by e-mail.")


def _over() -> date:
    """The Monday of the week that is over."""
    return monday_of(timezone.localdate(now())) - timedelta(days=7)


@transaction.atomic
def send_now(user: User) -> Mail:
    """Post this week's letter to oneself, as it stands."""
    row = wanted_by(user)
    if row is None:
        raise Refused(409, "no_address", "Say first where it goes.")
    return _post(row, letter(timezone.localdate(now())))


def _post(row: LetterTo, told: Letter) -> Mail:
    lines = [f"The week of {told.monday:%-d %B %Y}", ""]
    for part in told.parts:
        lines += [part.title, *(f"  {line}" for line in part.lines or [part.empty]), ""]
    where = sending.page("/rounds/letter")
    lines.append(
        f"It comes because you asked for it, and ends on the page of the letter{f': {where}' if where else '.'}"
    )
    file = sending.File(f"week-{told.monday:%Y-%m-%d}.pdf", "application/pdf", as_pdf(told))
    return sending.post(row.address, ABOUT, lines[0], "\n".join(lines), row.user, file)


def post_due() -> int:
    """Post the letter of the week that is over to everybody who wants it and has not got it; how many that were."""
    moment = timezone.localtime(now())
    if (moment.weekday() == 0 and moment.hour < _HOUR) or not sending.is_set():
        return 0
    week, told, posted = _over(), None, 0
    due = LetterTo.objects.filter(user__is_active=True, user__role__in=(Role.TECHNICIAN, Role.LEAD))
    for pk in due.exclude(week__gte=week).values_list("pk", flat=True):
        with transaction.atomic():
            row = LetterTo.objects.select_for_update(of=("self",)).select_related("user").filter(pk=pk).first()
            if row is None or (row.week is not None and row.week >= week):
                continue
            told = told or letter(week)
            row.week = week
            row.save(update_fields=["week"])
            _post(row, told)
            posted += 1
    return posted


@app.periodic(cron="17 * * * *")
@app.task(name="letter", queueing_lock="letter")
def hourly(timestamp: int) -> None:
    """Looked at every hour: where the workshop's Monday begins is not where the server's does."""
    post_due()
