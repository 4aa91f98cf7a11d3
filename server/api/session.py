"""Signing in and out, one's own preferences, and the very first account."""

from __future__ import annotations

import os
from typing import Literal

from django.contrib.auth import authenticate, login, logout
from django.db import connection, transaction
from django.http import HttpRequest
from ninja import Field, Router, Schema
from people.accounts import make_account
from people.models import Role, User, audit

from .permissions import may
from .problems import Problem

router = Router(tags=["session"])


class Me(Schema):
    id: int
    username: str
    name: str
    role: Literal["member", "technician", "lead"]
    length_unit: Literal["mm", "in"]
    force_unit: Literal["N", "lbf"]
    light: Literal["day", "dim", "system"]


class SessionState(Schema):
    """Who is signed in, and whether the workshop still has no account at all."""

    me: Me | None
    first_account: bool
    demo: bool


class SignIn(Schema):
    username: str = Field(max_length=150)
    password: str = Field(max_length=200)


class FirstAccount(Schema):
    code: str = Field(max_length=80)
    username: str = Field(max_length=150)
    name: str = Field(max_length=80)
    password: str = Field(max_length=200)


class Preferences(Schema):
    length_unit: Literal["mm", "in"] | None = None
    force_unit: Literal["N", "lbf"] | None = None
    light: Literal["day", "dim", "system"] | None = None


def _state(request: HttpRequest) -> SessionState:
    user = request.user
    me = Me.model_validate(user, from_attributes=True) if isinstance(user, User) else None
    empty = me is None and not User.objects.exists()
    return SessionState(
        me=me, first_account=empty, demo=User.objects.filter(username="lead", email="demo@localhost").exists()
    )


@router.get("/session", auth=may("session.state"), response=SessionState, operation_id="session.state")
def session(request: HttpRequest):
    """Who is signed in."""
    return _state(request)


@router.post("/session", auth=may("session.open"), response=SessionState, operation_id="session.open")
def sign_in(request: HttpRequest, payload: SignIn):
    """Sign in. After eight wrong tries a name is locked for a quarter of an hour."""
    user = authenticate(request, username=payload.username.strip(), password=payload.password)
    if user is None:
        # Locked out by the tries before this one, or just now by it: the middleware answers (kestov.views.locked).
        raise Problem(401, "wrong_sign_in", "The name or the password is not right.", "password")
    login(request, user)
    return _state(request)


@router.delete("/session", auth=may("session.close"), response=SessionState, operation_id="session.close")
def sign_out(request: HttpRequest):
    """Sign out."""
    logout(request)
    return _state(request)


@router.patch("/me", auth=may("me.change"), response=Me, operation_id="me.change")
def change_me(request: HttpRequest, payload: Preferences):
    """Change one's own units and light."""
    for name, value in payload.model_dump(exclude_none=True).items():
        setattr(request.user, name, value)
    request.user.save()
    return request.user


@router.post(
    "/first-account", auth=may("session.first_account"), response=SessionState, operation_id="session.first_account"
)
def first_account(request: HttpRequest, payload: FirstAccount):
    """Make the first account, a lead's, of an empty workshop; asks for the code that the start command printed."""
    wanted = os.environ.get("KESTOV_FIRST_CODE", "")
    with transaction.atomic():
        with connection.cursor() as cursor:
            cursor.execute("LOCK TABLE people_user IN EXCLUSIVE MODE")
        if User.objects.exists():
            raise Problem(409, "not_empty", "This workshop already has accounts. Sign in.")
        if not wanted or payload.code.strip() != wanted:
            raise Problem(403, "wrong_code", "The code is not the one that the start command printed.", "code")
        user = make_account(payload.username, payload.name, payload.password, Role.LEAD)
        audit(user, "made the first account", user, f"{user.name} made the first account.")
    login(request, user, backend="django.contrib.auth.backends.ModelBackend")
    return _state(request)
