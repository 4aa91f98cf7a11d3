"""What else is swept every hour: sessions that are over, tries at the door of yesterday."""

from __future__ import annotations

from datetime import timedelta

from axes.models import AccessAttempt, AccessLog
from django.contrib.sessions.models import Session
from people.clock import now
from people.models import Invitation, PasswordCode, Presence, WrongTry
from work.kinds import sweeping

from . import once  # noqa: F401

#: Signing in and out is kept so long by what counts the tries; what matters of it stands in the audit trail.
_TRIES, _LOG = timedelta(days=1), timedelta(days=30)


@sweeping
def sessions() -> int:
    """Sessions that are over, and where they were."""
    gone, _ = Session.objects.filter(expire_date__lt=now()).delete()
    left, _ = Presence.objects.exclude(session__in=Session.objects.values("session_key")).delete()
    return gone + left


@sweeping
def tries() -> int:
    """Wrong tries that slow nobody any more, and codes that are no longer good."""
    moment, gone = now(), 0
    for rows in (
        AccessAttempt.objects.filter(attempt_time__lt=moment - _TRIES),
        AccessLog.objects.filter(attempt_time__lt=moment - _LOG),
        WrongTry.objects.filter(at__lt=moment - _TRIES),
        PasswordCode.objects.filter(until__lt=moment - _TRIES),
        Invitation.objects.filter(until__lt=moment - _LOG),
    ):
        gone += rows.delete()[0]
    return gone
