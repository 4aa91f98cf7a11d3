"""Whether a request comes from somebody who is signed in, asked at the door, before it is a request of the application."""

from __future__ import annotations

from importlib import import_module

from asgiref.sync import sync_to_async
from django.conf import settings
from django.contrib.auth import get_user
from django.db import DatabaseError, connection
from django.http import HttpRequest, parse_cookie


def _of_cookies(cookies: str) -> bool:
    key = parse_cookie(cookies).get(settings.SESSION_COOKIE_NAME)
    request = HttpRequest()
    request.session = import_module(settings.SESSION_ENGINE).SessionStore(key)
    try:
        return bool(get_user(request).is_active)
    except DatabaseError:
        # The database is away: the application behind will say so.
        return False
    finally:
        connection.close()


is_signed_in = sync_to_async(_of_cookies, thread_sensitive=False)
