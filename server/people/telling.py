"""Telling open pages that something has changed: what, not how. They ask for it again, by their own right to see it."""

from __future__ import annotations

from typing import Literal

from django.db import connection

#: The channel of the database on which it is told: whoever listens hears it, in whichever process or machine.
CHANNEL = "kestov"

What = Literal["case", "printer", "work"]


def tell(what: What, key: int) -> None:
    """Say that a case or a machine is about to change. It is heard when the transaction is done, and once however often said."""
    with connection.cursor() as cursor:
        cursor.execute("SELECT pg_notify(%s, %s)", [CHANNEL, f"{what} {key}"])
