"""The way from the workshop into practice: a ticket that says who comes, good for a minute and once. Nothing comes back by it."""

from __future__ import annotations

import secrets
from datetime import timedelta

from django.core import signing
from django.db import IntegrityError, transaction
from people.clock import now
from people.models import Role, User
from people.refusals import Refused
from pydantic import BaseModel, ConfigDict, ValidationError

from .models import Ticket
from .running import must_practise

GOOD = timedelta(minutes=1)
_SALT = "into practice"
_REFUSED = "This way in was used, or is older than a minute. Go back to the workshop and come in again."


class _Comes(BaseModel):
    """Who comes: the name they sign in with, as they are called, and their role in the workshop."""

    model_config = ConfigDict(extra="forbid")

    nonce: str
    username: str
    name: str
    role: Role


def ticket(user: User) -> str:
    """A ticket for somebody who is signed in to the workshop."""
    comes = _Comes(nonce=secrets.token_urlsafe(18), username=user.username, name=user.name, role=Role(user.role))
    return signing.dumps(comes.model_dump(mode="json"), salt=_SALT)


@transaction.atomic
def enter(told: str) -> User:
    """Let somebody in by their ticket: everybody works here as a technician does; the lead also sees the records of others."""
    must_practise()
    try:
        comes = _Comes.model_validate(signing.loads(told, salt=_SALT, max_age=GOOD))
    except (signing.BadSignature, ValidationError) as e:
        raise Refused(403, "bad_ticket", _REFUSED, "ticket") from e
    Ticket.objects.filter(at__lt=now() - 10 * GOOD).delete()
    try:
        with transaction.atomic():
            Ticket.objects.create(nonce=comes.nonce, at=now())
    except IntegrityError as e:
        raise Refused(403, "bad_ticket", _REFUSED, "ticket") from e
    role = Role.LEAD if comes.role == Role.LEAD else Role.TECHNICIAN
    user, _ = User.objects.update_or_create(
        username=comes.username, defaults={"name": comes.name, "role": role, "is_active": True}
    )
    if user.has_usable_password() or not user.password:
        user.set_unusable_password()
        user.save(update_fields=["password"])
    return user
