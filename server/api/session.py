"""Signing in and out, one's own preferences, and the very first account."""

from __future__ import annotations

from datetime import datetime
from typing import Literal

from django.conf import settings
from django.contrib.auth import authenticate, login, logout, update_session_auth_hash
from django.db import connection
from django.http import HttpRequest, HttpResponse
from ninja import Field, Router
from people.accounts import change_password, end_sessions, is_demo, make_first, sessions_of, use_code
from people.doorkeeping import note_sign_in, remember
from people.models import User
from people.openness import openness
from post.sending import good_address

from .permissions import may
from .problems import Problem
from .shapes import Shape
from .signed import SignedIn

router = Router(tags=["session"])

backend = "django.contrib.auth.backends.ModelBackend"


class Me(Shape):
    id: int
    username: str
    name: str
    role: Literal["member", "technician", "lead"]
    length_unit: Literal["mm", "in"]
    force_unit: Literal["N", "lbf"]
    light: Literal["day", "dim", "system"]
    hears_at: str


class SessionState(Shape):
    """Who is signed in, whether the workshop still has no account at all, and whether reports are taken without one.

    ``practice``: this is the place for practice, not the workshop; ``beside``: where the other of the two is (a port of this host, or an
    address; empty: there is none).
    """

    me: Me | None
    first_account: bool
    demo: bool
    open_reports: bool
    practice: bool
    beside: str


class SignIn(Shape):
    username: str = Field(max_length=150)
    password: str = Field(max_length=200)


class FirstAccount(Shape):
    code: str = Field(max_length=80)
    username: str = Field(max_length=150)
    name: str = Field(max_length=80)
    password: str = Field(max_length=200)


class NewPassword(Shape):
    present: str = Field(max_length=200)
    new: str = Field(max_length=200)


class ByCode(Shape):
    """A new password by the code that the lead gave."""

    username: str = Field(max_length=150)
    code: str = Field(max_length=80)
    new: str = Field(max_length=200)


class SessionOut(Shape):
    """A place where one is signed in; ``here``: the one that asks."""

    id: int
    at: datetime
    device: str
    address: str
    here: bool


class Preferences(Shape):
    length_unit: Literal["mm", "in"] | None = None
    force_unit: Literal["N", "lbf"] | None = None
    light: Literal["day", "dim", "system"] | None = None
    hears_at: str | None = Field(None, max_length=200)


def session_state(request: HttpRequest) -> SessionState:
    """Who is signed in, as the front end asks."""
    user = request.user
    me = Me.model_validate(user, from_attributes=True) if isinstance(user, User) else None
    empty = me is None and not User.objects.exists()
    return SessionState(
        me=me,
        first_account=empty and not settings.PRACTICE,
        demo=is_demo(),
        open_reports=me is None and openness().reports,
        practice=settings.PRACTICE,
        beside=settings.BESIDE,
    )


class Health(Shape):
    """For proxies and monitors: that it answers, and that its database does (else it is 503)."""

    ok: bool


@router.get("/health", auth=may("health.see"), response=Health, operation_id="health.see")
def health(request: HttpRequest):
    """Whether Kestov is up."""
    with connection.cursor() as cursor:
        cursor.execute("SELECT 1")
    return Health(ok=True)


@router.get("/session", auth=may("session.state"), response=SessionState, operation_id="session.state")
def session(request: HttpRequest):
    """Who is signed in."""
    return session_state(request)


@router.post("/session", auth=may("session.open"), response=SessionState, operation_id="session.open")
def sign_in(request: HttpRequest, response: HttpResponse, payload: SignIn):
    """Sign in. After ten wrong tries of a name, or from an address, the next is let in after five minutes; a device that was
    signed in on before is not shut out."""
    user = authenticate(request, username=payload.username.strip(), password=payload.password)
    if user is None:
        # Locked out by the tries before this one, or just now by it: the middleware answers (kestov.views.locked).
        raise Problem(401, "wrong_sign_in", "The name or the password is not right.", "password")
    assert isinstance(user, User)
    login(request, user)
    remember(request, response, user)
    return session_state(request)


@router.post("/session/by-code", auth=may("session.by_code"), response=SessionState, operation_id="session.by_code")
def sign_in_by_code(request: HttpRequest, response: HttpResponse, payload: ByCode):
    """Set a new password by the code that the lead gave, and sign in with it."""
    user = use_code(payload.username, payload.code, payload.new)
    login(request, user, backend=backend)
    remember(request, response, user)
    return session_state(request)


@router.delete("/session", auth=may("session.close"), response=SessionState, operation_id="session.close")
def sign_out(request: HttpRequest):
    """Sign out."""
    logout(request)
    return session_state(request)


@router.patch("/me", auth=may("me.change"), response=Me, operation_id="me.change")
def change_me(request: SignedIn, payload: Preferences):
    """Change one's own units and light, and where one hears what became of a report (empty: only on its page)."""
    if payload.hears_at is not None:
        payload.hears_at = good_address(payload.hears_at, "hears_at") if payload.hears_at.strip() else ""
    for name, value in payload.model_dump(exclude_none=True).items():
        setattr(request.user, name, value)
    request.user.save()
    return request.user


@router.post("/me/password", auth=may("me.change"), response=Me, operation_id="me.password")
def new_password(request: SignedIn, payload: NewPassword):
    """Change one's own password; everywhere else one is signed out."""
    change_password(request.user, payload.present, payload.new, keep=request.session.session_key)
    user = User.objects.get(pk=request.user.pk)
    update_session_auth_hash(request, user)
    note_sign_in(None, request, user)
    return user


def _sessions(request: SignedIn) -> list[SessionOut]:
    here = request.session.session_key
    return [
        SessionOut(id=s.pk, at=s.at, device=s.device, address=s.address, here=s.session == here)
        for s in sessions_of(request.user)
    ]


@router.get("/me/sessions", auth=may("me.change"), response=list[SessionOut], operation_id="me.sessions")
def my_sessions(request: SignedIn):
    """Where one is signed in."""
    return _sessions(request)


@router.delete(
    "/me/sessions/{session_id}", auth=may("me.change"), response=list[SessionOut], operation_id="me.end_session"
)
def end_session(request: SignedIn, session_id: int):
    """Sign out somewhere else."""
    end_sessions(request.user, but=request.session.session_key, only=session_id)
    return _sessions(request)


@router.post(
    "/first-account", auth=may("session.first_account"), response=SessionState, operation_id="session.first_account"
)
def first_account(request: HttpRequest, response: HttpResponse, payload: FirstAccount):
    """Make the first account, a lead's, of an empty workshop; asks for the code that the start command printed."""
    user = make_first(payload.code, payload.username, payload.name, payload.password)
    login(request, user, backend=backend)
    remember(request, response, user)
    return session_state(request)
