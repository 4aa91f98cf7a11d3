"""Making accounts: what a name and a password must be."""

from __future__ import annotations

from django.contrib.auth.password_validation import validate_password
from django.core.exceptions import ValidationError

from .models import Role, User
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
