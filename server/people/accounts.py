"""Accounts: making one, what a name and a password must be, and changing who may do what."""

from __future__ import annotations

import hashlib
import secrets
from datetime import datetime, timedelta

from django.contrib.auth.password_validation import validate_password
from django.core.exceptions import ValidationError
from django.db import connection, transaction

from .clock import now
from .models import FirstCode, PasswordCode, Presence, Role, User, audit
from .refusals import Refused

#: Stands in the demo lead's account, whose password is published.
DEMO_MARK = "demo@localhost"
#: How long a code for a new password is good, and how many wrong codes end it.
CODE_GOOD = timedelta(hours=1)
#: How long the code for the first account is good.
FIRST_GOOD = timedelta(days=1)
#: What a code is made of: nothing that is taken for something else when it is read out.
_LETTERS = "abcdefghjkmnpqrstuvwxyz23456789"
MOST_WRONG = 10


def is_demo() -> bool:
    """Whether this is the demo workshop, whose passwords everybody knows."""
    return User.objects.filter(username="lead", email=DEMO_MARK).exists()


def make_account(username: str, name: str, password: str, role: Role) -> User:
    """A new account; refuses a taken or empty name and a weak password, each at its field."""
    username, name = username.strip(), name.strip()
    if not username:
        raise Refused(422, "missing_field", "Give a name to sign in with.", "username")
    if not name:
        raise Refused(422, "missing_field", "Give the person's name.", "name")
    if User.objects.filter(username__iexact=username).exists():
        raise Refused(422, "out_of_range", "This sign-in name is taken.", "username")
    _good_enough(password, User(username=username, name=name), "password")
    return User.objects.create_user(username=username, name=name, password=password, role=role)


def _good_enough(password: str, user: User, field: str) -> None:
    try:
        validate_password(password, user)
    except ValidationError as e:
        raise Refused(422, "out_of_range", " ".join(e.messages), field) from e


@transaction.atomic
def change_password(user: User, present: str, new: str, keep: str | None = None) -> None:
    """Change one's own password; all other sessions end (``keep``: the key of the one that asks)."""
    user = User.objects.select_for_update().get(pk=user.pk)
    if not user.check_password(present):
        raise Refused(422, "wrong_sign_in", "The present password is not right.", "present")
    _set_password(user, new, keep)
    audit(user, "changed the password", user, f"{user.name} changed their own password.")


def _set_password(user: User, new: str, keep: str | None = None) -> None:
    _good_enough(new, user, "new")
    user.set_password(new)
    user.save(update_fields=["password"])
    PasswordCode.objects.filter(user=user).delete()
    end_sessions(user, but=keep)


@transaction.atomic
def make_code(by: User, user_id: int) -> tuple[str, datetime]:
    """A code with which somebody sets a new password, once and within an hour; told to nobody but who asked for it."""
    user = User.objects.select_for_update().filter(pk=user_id, is_active=True).first()
    if user is None:
        raise Refused(404, "not_found", "There is no such account, or it is closed.")
    code, until = "-".join("".join(secrets.choice(_LETTERS) for _ in range(4)) for _ in range(3)), now() + CODE_GOOD
    PasswordCode.objects.update_or_create(user=user, defaults={"hash": _hash(code), "until": until, "wrong": 0})
    audit(by, "made a code for", user, f"Made a code for a new password of {user.name}.")
    return code, until


def use_code(username: str, code: str, new: str) -> User:
    """Set a new password by a code. Wrong ones are counted, and kept though the rest is refused; ten end the code."""
    refused = Refused(
        422,
        "wrong_code",
        "The code is not right, was used, or is older than an hour. Ask the lead for a new one.",
        "code",
    )
    with transaction.atomic():
        row = (
            PasswordCode.objects.select_for_update()
            .filter(user__username=username.strip(), user__is_active=True)
            .first()
        )
        right = row is not None and row.until > now() and secrets.compare_digest(row.hash, _hash(code.strip()))
        if row is not None and not right:
            row.wrong += 1
            row.save(update_fields=["wrong"])
            if row.wrong >= MOST_WRONG or row.until <= now():
                row.delete()
        elif row is not None:
            user = row.user
            _set_password(user, new)
            audit(user, "changed the password", user, f"{user.name} set a new password by a code.")
            return user
    raise refused


def make_first_code() -> str:
    """A code for the first account of an empty workshop, good for a day on any host; each start makes one."""
    code = secrets.token_urlsafe(18)
    FirstCode.objects.filter(until__lt=now()).delete()
    FirstCode.objects.create(hash=_hash(code), until=now() + FIRST_GOOD)
    return code


def make_first(code: str, username: str, name: str, password: str) -> User:
    """The first account, a lead's, of an empty workshop, by a code that a start has printed."""
    with transaction.atomic():
        with connection.cursor() as cursor:
            cursor.execute("LOCK TABLE people_user IN EXCLUSIVE MODE")
        if User.objects.exists():
            raise Refused(409, "not_empty", "This workshop already has accounts. Sign in.")
        row = FirstCode.objects.filter(hash=_hash(code.strip())).first()
        if row is None:
            raise Refused(403, "wrong_code", "The code is not the one that the start command printed.", "code")
        if row.until <= now():
            raise Refused(
                403, "wrong_code", "The code is older than a day. Start Kestov again; it prints a new one.", "code"
            )
        user = make_account(username, name, password, Role.LEAD)
        FirstCode.objects.all().delete()
        audit(user, "made the first account", user, f"{user.name} made the first account.")
    return user


def _hash(code: str) -> str:
    # A code is long and short-lived: it needs no slow hash. It is told by mouth: strokes and capitals do not count.
    return hashlib.sha256("".join(c for c in code.lower() if c.isalnum()).encode()).hexdigest()


def end_sessions(user: User, but: str | None = None, only: int | None = None) -> int:
    """End a person's sessions (``but`` the one with this key; ``only`` the one of this number); how many."""
    from django.contrib.sessions.models import Session

    rows = Presence.objects.filter(user=user).exclude(session=but or "")
    if only is not None:
        rows = rows.filter(pk=only)
    keys = list(rows.values_list("session", flat=True))
    Session.objects.filter(session_key__in=keys).delete()
    rows.delete()
    return len(keys)


def sessions_of(user: User) -> list[Presence]:
    """Where a person is signed in, the newest first; what has run out is forgotten."""
    from django.contrib.sessions.models import Session

    rows = list(Presence.objects.filter(user=user).order_by("-at"))
    good = set(
        Session.objects.filter(session_key__in=[r.session for r in rows], expire_date__gt=now()).values_list(
            "session_key", flat=True
        )
    )
    Presence.objects.filter(pk__in=[r.pk for r in rows if r.session not in good]).delete()
    return [r for r in rows if r.session in good]


def add_account(by: User, username: str, name: str, password: str, role: Role) -> User:
    """A new account, made by somebody who has one."""
    user = make_account(username, name, password, role)
    audit(by, "added", user, f"Made an account for {user.name} ({user.role}).")
    return user


@transaction.atomic
def change_account(by: User, user_id: int, role: Role | None = None, is_active: bool | None = None) -> User:
    """Change a role, or close or open an account (None: as it is). The last lead stays one."""
    # All leads are held, so that two of them cannot step down at once.
    leads = {u.pk for u in User.objects.select_for_update().filter(role=Role.LEAD, is_active=True)}
    user = User.objects.select_for_update().filter(pk=user_id).first()
    if user is None:
        raise Refused(404, "not_found", "There is no such account; it may have been removed.")
    user.role = role if role is not None else user.role
    user.is_active = is_active if is_active is not None else user.is_active
    if leads == {user.pk} and not (user.role == Role.LEAD and user.is_active):
        raise Refused(409, "last_lead", "This is the last lead. Make somebody else a lead first.", "role")
    user.save(update_fields=["role", "is_active"])
    if not user.is_active:
        end_sessions(user)
    audit(by, "changed", user, f"{user.name}: {user.role}, {'active' if user.is_active else 'closed'}.")
    return user
