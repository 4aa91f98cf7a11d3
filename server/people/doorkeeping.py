"""Signing in: who tries too often is slowed, by name and by address; a device that somebody has signed in on before is not shut out.

The counting is `axes`'s. Also what a sign-in leaves: which session, on which device.
"""

from __future__ import annotations

import secrets
from datetime import timedelta
from typing import Any

from django.contrib.auth.signals import user_logged_in, user_login_failed
from django.core import signing
from django.http import HttpRequest, HttpResponse

from .clock import now
from .models import Presence, User, WrongTry

#: A cookie that tells a device on which somebody has signed in before; for a year, and for so many names.
DEVICE = "kestov_device"
_DEVICE_S, _MOST_NAMES, _SALT = 365 * 24 * 3600, 20, "kestov.device"
#: So many wrong tries on a known device within this make it as any other: a tablet of the workshop is everybody's.
MOST_WRONG, WITHIN = 10, timedelta(minutes=5)


def is_known(request: HttpRequest, credentials: dict[str, Any] | None = None) -> bool:
    """Whether this device has been signed in on under the name that is tried now (for `axes`: then it is not shut out)."""
    name = str((credentials or {}).get("username", "")).strip().lower()
    device, names = _told(request)
    if name not in names:
        return False
    return WrongTry.objects.filter(device=device, at__gt=now() - WITHIN).count() < MOST_WRONG


def _told(request: HttpRequest) -> tuple[str, list[str]]:
    """Which device it is, and the names that have signed in on it; none where it is not known."""
    try:
        told = signing.loads(request.COOKIES.get(DEVICE, ""), salt=_SALT, max_age=_DEVICE_S)
        return str(told["id"]), [str(n) for n in told["names"]]
    except (signing.BadSignature, KeyError, TypeError):
        return "", []


def remember(request: HttpRequest, response: HttpResponse, user: User) -> None:
    """Let this device be known under that name."""
    device, names = _told(request)
    names = list(dict.fromkeys([user.username.lower(), *names]))[:_MOST_NAMES]
    response.set_cookie(
        DEVICE,
        signing.dumps({"id": device or secrets.token_urlsafe(12), "names": names}, salt=_SALT),
        max_age=_DEVICE_S,
        secure=request.is_secure(),
        httponly=True,
        samesite="Lax",
    )


def note_wrong(sender: object, request: HttpRequest | None = None, **_: object) -> None:
    """Count a wrong password on a known device."""
    device, _names = _told(request) if request is not None else ("", [])
    if device:
        moment = now()
        WrongTry.objects.create(device=device[:40], at=moment)
        WrongTry.objects.filter(at__lt=moment - timedelta(days=1)).delete()


def note_sign_in(sender: object, request: HttpRequest, user: User, **_: object) -> None:
    """Write down where somebody signed in."""
    if request.session.session_key is None:
        request.session.save()
    Presence.objects.update_or_create(
        session=request.session.session_key,
        defaults={
            "user": user,
            "at": now(),
            "device": _device(request.headers.get("User-Agent", "")),
            "address": request.META.get("REMOTE_ADDR", "")[:45],
        },
    )


def listen() -> None:
    """Hear of who signs in, and who tries to."""
    user_logged_in.connect(note_sign_in, dispatch_uid="kestov.note_sign_in")
    user_login_failed.connect(note_wrong, dispatch_uid="kestov.note_wrong")


_SYSTEMS = (
    ("Android", "Android"),
    ("iPhone", "iPhone"),
    ("iPad", "iPad"),
    ("Windows", "Windows"),
    ("Mac OS", "Mac"),
    ("Linux", "Linux"),
)


def _device(agent: str) -> str:
    """What a device calls itself, in a word or two."""
    system = next((words for mark, words in _SYSTEMS if mark in agent), "another device")
    browser = next((b for b in ("Firefox", "Chrome", "Safari") if b in agent), "")
    return f"{browser} on {system}".strip() if browser else system[:120]
