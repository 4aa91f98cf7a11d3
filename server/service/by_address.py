"""Calendars by an address within the workshop's own network: fetched by a worker when they are told, and again every half hour.

Not here: what is read in them (`calendars`), and which addresses are within (`workshop.network`).
"""

from __future__ import annotations

import http.client
import socket
import ssl
import time
from typing import Any
from urllib.parse import SplitResult, urlsplit

from django.conf import settings
from people.models import User
from people.refusals import Refused
from procrastinate.contrib.django import app
from work import kinds
from work.doing import Progress, ask, ask_once
from work.models import Work
from workshop import network

from . import calendars
from .models import Calendar

#: How long an answer is waited for, and all of it (s).
_PATIENCE_S, _ALL_OF_IT_S = 8.0, 20.0
_FIELD = "address"


def ask_to_take(by: User, name: str, address: str, printer_id: int | None = None) -> Work:
    """Have a calendar fetched from an address and taken, by a worker: no page waits for another's server. What is no address is refused at once."""
    address = address.strip()
    _parts(address)
    told = {"name": name, "address": address, "printer": printer_id, "by": by.pk}
    return ask("calendar", f"The calendar “{name.strip()}”", by, told)


def _take(progress: Progress, told: dict[str, Any]) -> tuple[str, dict[str, Any]]:
    data = fetch(told["address"])
    row = calendars.take(User.objects.get(pk=told["by"]), told["name"], data, told["printer"], told["address"])
    return f"{row.bookings.count()} bookings.", {"calendar": row.pk}


kinds.register(kinds.Kind("calendar", _take))


def fetch(address: str) -> bytes:
    """What an address answers with; refused where it is none within the workshop's network, is silent, or says more than a calendar."""
    at = _parts(address)
    port = at.port or (443 if at.scheme == "https" else 80)
    assert at.hostname is not None
    try:
        where = network.reachable(at.hostname, port, settings.CALENDARS)
    except network.Unknown as e:
        raise Refused(422, "silent", str(e), _FIELD) from e
    except network.Beyond as e:
        words = f"{e} A calendar elsewhere must be named by who runs Kestov, or taken as a file."
        raise Refused(422, "out_of_range", words, _FIELD) from e
    line = _Line(at.hostname, port, where, at.scheme == "https")
    try:
        line.request("GET", f"{at.path or '/'}{f'?{at.query}' if at.query else ''}", headers=_ASKS)
        return _read(line.getresponse())
    except (OSError, http.client.HTTPException, ValueError) as e:
        raise Refused(422, "silent", f"Nothing usable answers there: {_why(e)}.", _FIELD) from e
    finally:
        line.close()


_ASKS = {"Accept": "text/calendar", "User-Agent": "Kestov", "Connection": "close"}


def _why(e: Exception) -> str:
    return "it does not answer in time" if isinstance(e, TimeoutError) else (str(e).strip(".")[:120] or "it hangs up")


def _parts(address: str) -> SplitResult:
    try:
        at = urlsplit(address)
        _ = at.port
    except ValueError as e:
        raise Refused(422, "out_of_range", "This is no address.", _FIELD) from e
    plain = address.isascii() and address.isprintable() and " " not in address and len(address) <= 300
    if at.scheme not in ("http", "https") or not at.hostname or not plain:
        raise Refused(422, "out_of_range", "An address begins with http:// or https://.", _FIELD)
    if at.username or at.password:
        raise Refused(422, "out_of_range", "Give an address without a name and a password in it.", _FIELD)
    return at


class _Line(http.client.HTTPConnection):
    """A line to the very address that was found good: the name is not looked up once more."""

    def __init__(self, host: str, port: int, where: tuple[str, int], secured: bool) -> None:
        super().__init__(host, port, timeout=_PATIENCE_S)
        self._where, self._secured = where, secured

    def connect(self) -> None:
        """Go to it, and see that it is who it says."""
        self.sock = socket.create_connection(self._where, timeout=_PATIENCE_S)
        if self._secured:
            self.sock = ssl.create_default_context().wrap_socket(self.sock, server_hostname=self.host)


def _read(answer: http.client.HTTPResponse) -> bytes:
    if answer.status != 200:
        # Who sends on could send on to anywhere.
        sends_on = " It sends on to another address: give that." if 300 <= answer.status < 400 else ""
        raise Refused(422, "silent", f"There it answers with {answer.status}.{sends_on}", _FIELD)
    got, until = bytearray(), time.monotonic() + _ALL_OF_IT_S
    while piece := answer.read1(1 << 16):
        got += piece
        if len(got) > calendars.MOST_BYTES:
            raise Refused(413, "too_large", f"A calendar has at most {calendars.MOST_BYTES // 2**20} MB.", _FIELD)
        if time.monotonic() > until:
            raise TimeoutError
    return bytes(got)


def _fetch_again(progress: Progress, told: dict[str, Any]) -> tuple[str, dict[str, Any]]:
    rows = list(Calendar.objects.exclude(address="").values_list("pk", "address"))
    failed = 0
    for i, (pk, address) in enumerate(rows):
        progress.at(i, len(rows))
        try:
            calendars.newer(pk, address, fetch(address))
        except Refused as e:
            # What was known of it stays.
            failed += 1
            Calendar.objects.filter(pk=pk, address=address).update(said=e.detail[:300])
    return f"{len(rows) - failed} of {len(rows)} calendars.", {"failed": failed}


kinds.register(kinds.Kind("calendars", _fetch_again, quiet=True))


@app.periodic(cron="12,42 * * * *")
@app.task(name="calendars", queueing_lock="calendars")
def half_hourly(timestamp: int) -> None:
    """Bookings change during the day."""
    if Calendar.objects.exclude(address="").exists():
        ask_once("calendars", "Calendars of bookings fetched again", None, {})
