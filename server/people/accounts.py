"""Accounts: making one, what a name and a password must be, and changing who may do what."""

from __future__ import annotations

from django.contrib.auth.password_validation import validate_password
from django.core.exceptions import ValidationError
from django.db import transaction

from .models import Role, User, audit
from .refusals import Refused


def make_account(username: str, name: str, password: str, role: Role) -> User:
    """A new account; refuses a taken or empty name and a weak password, each at its field."""
    username, name = username.strip(), name.strip()
    if not username:
        raise Refused(422, "missing_field", "Give a name to sign in with.", "username")
    if not name:
        raise Refused(422, "missing_field", "Give the person's name.", "name")
    if User.objects.filter(username__iexact=username).exists():
        raise Refused(422, "out_of_range", "This sign-in name is taken.", "username")
    try:
        validate_password(password)
    except ValidationError as e:
        raise Refused(422, "out_of_range", " ".join(e.messages), "password") from e
    return User.objects.create_user(username=username, name=name, password=password, role=role)


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
    audit(by, "changed", user, f"{user.name}: {user.role}, {'active' if user.is_active else 'closed'}.")
    return user
