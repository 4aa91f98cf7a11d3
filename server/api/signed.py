"""The request of a route that somebody has signed in to."""

from __future__ import annotations

from typing import TYPE_CHECKING

from django.http import HttpRequest
from people.models import User

if TYPE_CHECKING:

    class SignedIn(HttpRequest):
        """A request whose person is known: the route's line in the permissions has seen to it."""

        user: User

else:
    SignedIn = HttpRequest
