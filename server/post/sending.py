"""Posting e-mail, and a worker that takes it to the mail server; where that does not take it, again later, in the end not at all.

A worker that ends between the server's taking and the writing down of it sends once more: nothing is lost, at worst doubled.
Not here: what is written in a letter (who posts it).
"""

from __future__ import annotations

import logging
from dataclasses import dataclass
from datetime import timedelta
from typing import Any

from django.conf import settings
from django.core.exceptions import ValidationError
from django.core.mail import EmailMessage, get_connection
from django.core.validators import validate_email
from django.db import transaction
from people.clock import now
from people.models import User
from people.refusals import Refused
from procrastinate.contrib.django import app
from work import kinds
from work.doing import Progress, ask_lightly, ask_once

from .models import Mail

logger = logging.getLogger("kestov.post")

#: After each try that failed it is tried again so much later; after the last it is given up.
AGAIN = tuple(timedelta(minutes=m) for m in (10, 30, 120, 360, 1440))
#: So much is kept of what went, or was given up; and so much is sent in one go.
KEPT, AT_ONCE = timedelta(days=90), 200


@dataclass(frozen=True)
class File:
    """A file that goes with a letter."""

    name: str
    type: str
    data: bytes


def is_set() -> bool:
    """Whether a mail server is set."""
    return bool(settings.EMAIL_HOST)


def page(path: str) -> str:
    """The full address of a page of ours, for a letter; empty where nobody told under which name we are reached."""
    origin = next(iter(settings.CSRF_TRUSTED_ORIGINS), "")
    return f"{origin}{path}" if origin else ""


def good_address(address: str, field: str = "address") -> str:
    """The trimmed address; refused where it is none."""
    address = address.strip()
    try:
        validate_email(address)
    except ValidationError as e:
        raise Refused(422, "out_of_range", "This is no e-mail address.", field) from e
    return address


def post(to: str, about: str, subject: str, words: str, user: User | None = None, file: File | None = None) -> Mail:
    """Put a letter into the post; a worker takes it from there."""
    if not is_set():
        raise Refused(409, "no_mail_server", "No mail server is set. Whoever runs Kestov sets KESTOV_MAIL.")
    row = Mail(to=good_address(to), about=about, user=user, words=words, at=now(), next_at=now())
    row.subject = " ".join(subject.split())[:150]
    if file is not None:
        row.file_name, row.file_type, row.file = file.name, file.type, file.data
    row.save()
    ask_lightly("post", "Letters on their way", {})
    return row


def _send_all(progress: Progress, told: dict[str, Any]) -> tuple[str, dict[str, Any]]:
    """Take to the mail server what is due."""
    sent = failed = 0
    due = list(Mail.objects.filter(next_at__lte=now()).order_by("next_at").values_list("pk", flat=True)[:AT_ONCE])
    for i, pk in enumerate(due):
        progress.at(i, len(due))
        went = _send(pk)
        sent, failed = sent + (went is True), failed + (went is False)
    return f"{sent} went, {failed} did not.", {"sent": sent, "failed": failed}


def _send(pk: int) -> bool | None:
    """Try one; None where it is no longer due. It is put off before it is tried, so that no other worker tries it, too."""
    with transaction.atomic():
        row = Mail.objects.select_for_update(skip_locked=True).filter(pk=pk, next_at__lte=now()).first()
        if row is None:
            return None
        row.next_at = now() + AGAIN[row.tries] if row.tries < len(AGAIN) else None
        row.tries += 1
        row.save(update_fields=["next_at", "tries"])
    try:
        _message(row).send()
    except Exception as e:  # Whatever a mail server or the way to it comes up with, the letter waits.
        said = getattr(e, "smtp_error", b"")
        why = said.decode("utf-8", "replace") if isinstance(said, bytes) and said else str(e)
        logger.warning("Letter %s did not go: %s", row.pk, why)
        Mail.objects.filter(pk=pk).update(said=f"The mail server did not take it: {why}"[:200])
        return False
    Mail.objects.filter(pk=pk).update(sent_at=now(), next_at=None, said="", file=None)
    return True


def _message(row: Mail) -> EmailMessage:
    message = EmailMessage(row.subject, row.words, settings.DEFAULT_FROM_EMAIL, [row.to], connection=get_connection())
    message.extra_headers["Message-ID"] = f"<{row.pk}.{int(row.at.timestamp())}@kestov>"
    if row.file is not None:
        message.attach(row.file_name, bytes(row.file), row.file_type)
    return message


kinds.register(kinds.Kind("post", _send_all, quiet=True))


@app.periodic(cron="*/5 * * * *")
@app.task(name="post", queueing_lock="post")
def again(timestamp: int) -> None:
    """What did not go is tried again when its time has come."""
    if Mail.objects.filter(next_at__lte=now()).exists():
        ask_once("post", "Letters on their way", None, {})


@kinds.sweeping
def forget() -> int:
    """Let go what went, or was given up, long ago."""
    gone, _ = Mail.objects.filter(next_at=None, at__lt=now() - KEPT).delete()
    return gone
