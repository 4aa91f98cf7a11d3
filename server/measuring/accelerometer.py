"""An accelerometer on the network: a line to it, the rows it sends back. The protocol stands in docs/instruments.md."""

from __future__ import annotations

import socket
import time
from collections.abc import Callable

from django.conf import settings
from kestov_core.errors import BadInput
from workshop import network

#: Longer than any record, so that a silent instrument does not hold a request for ever.
_PATIENCE_S = 20.0
#: How often is looked whether somebody has stopped it (s).
_LOOK_S = 0.5
_MOST_BYTES = 50 * 1024 * 1024


def reachable(address: str) -> tuple[str, int]:
    """Where an instrument is: its numeric address and port (see `network.reachable`)."""
    host, _, port = address.rpartition(":")
    try:
        return network.reachable(host, port, settings.INSTRUMENTS)
    except network.Unknown as e:
        raise BadInput("instrument_silent", str(e), "instrument_id") from e
    except network.Beyond as e:
        words = f"{e} An instrument elsewhere must be named by who runs Kestov."
        raise BadInput("out_of_range", words, "instrument_id") from e


def record(
    address: str, axis: str, kind: str, seconds: float, told: Callable[[float], None] = lambda s: None
) -> tuple[bytes, str]:
    """Ask for a record; gives the table (CSV) and its unit. Errors: ``instrument_silent``, ``instrument_refused``.

    ``told`` hears every second or so how long it has been (s); what it raises ends the record.
    """
    where = reachable(address)
    try:
        with socket.create_connection(where, timeout=5) as line:
            line.settimeout(_LOOK_S)
            line.sendall(f"RECORD axis={axis} kind={kind} seconds={seconds:g}\n".encode())
            return _answer(line, seconds, told)
    except (OSError, ValueError) as e:
        raise BadInput(
            "instrument_silent",
            f"The accelerometer at {address} does not answer. Is it switched on and on this network?",
            "instrument_id",
        ) from e


def _answer(line: socket.socket, seconds: float, told: Callable[[float], None]) -> tuple[bytes, str]:
    began = heard = time.monotonic()
    deadline = began + _PATIENCE_S + seconds
    got = bytearray()
    while not (got.startswith(b"ERROR") and got.endswith(b"\n")) and b"\nEND " not in got[-4096:]:
        told(time.monotonic() - began)
        try:
            piece = line.recv(1 << 16)
        except TimeoutError:
            if time.monotonic() - heard > _PATIENCE_S:
                raise
            continue
        heard = time.monotonic()
        got += piece
        if not piece:
            raise BadInput(
                "instrument_refused", "The accelerometer broke off before the end of its record.", "instrument_id"
            )
        if len(got) > _MOST_BYTES or time.monotonic() > deadline:
            raise BadInput("too_large", "The accelerometer sends more than a record.", "instrument_id")
    text = got.decode("utf-8", "replace")
    if text.startswith("ERROR"):
        raise BadInput("instrument_refused", f"The accelerometer says: {text[6:].strip()[:200]}", "instrument_id")
    first, _, rest = text.partition("\n")
    words = dict(w.split("=", 1) for w in first.lstrip("# ").split() if "=" in w)
    table, _, end = rest.rpartition("END ")
    rows = int(dict(w.split("=", 1) for w in end.split() if "=" in w).get("rows", -1))
    if rows != table.count("\n") - 1:
        raise BadInput("instrument_refused", "Rows of the record were lost on the way. Record again.", "instrument_id")
    return table.encode(), words.get("unit", "")
