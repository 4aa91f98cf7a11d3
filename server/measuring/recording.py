"""A live recording: chunks as they come from the browser, what the core hears so far, and the WAV at the end."""

from __future__ import annotations

import io
from datetime import timedelta
from typing import Any, NamedTuple
from uuid import UUID

import numpy as np
from django.db.models import Sum
from django.db.models.functions import Length
from kestov_core.errors import BadInput
from people.clock import now
from people.models import User
from work.kinds import sweeping

from .models import Chunk

#: A recording ends by itself after this: longer, and it is a forgotten microphone.
MOST_SECONDS = 60
#: Pieces that came to nothing are kept this long: what was recorded is kept in the browser as well.
KEPT = timedelta(hours=2)
_MOST_CHUNK_BYTES = 2 * 1024 * 1024
#: How much of the newest sound is heard again with each piece (s): a sitting of plucks, so that they are weighed together.
#: What was heard before it stays as it was.
WINDOW_S = 12.0
#: At the window's start a pluck may be cut (s): there the earlier hearing counts.
_CUT_S = 0.3


def add(recording: UUID, number: int, rate_hz: int, samples: bytes, user: User) -> None:
    """Keep a piece (a repeat changes nothing); refused where the recording is longer than any may be."""
    if not 8000 <= rate_hz <= 192000:
        raise BadInput("out_of_range", "The microphone's rate must lie between 8000 and 192000 Hz.", "rate_hz")
    if len(samples) == 0 or len(samples) % 2 or len(samples) > _MOST_CHUNK_BYTES:
        raise BadInput("no_samples", "A chunk holds 16-bit samples, at most two megabytes of them.", "samples")
    if not 0 <= number < _MOST_CHUNKS:
        raise _too_long("number")
    kept = Chunk.objects.filter(recording=recording, by=user).exclude(number=number)
    before = kept.aggregate(bytes=Sum(Length("samples")))["bytes"] or 0
    if before + len(samples) > 2 * rate_hz * MOST_SECONDS * _GRACE:
        raise _too_long("samples")
    Chunk.objects.get_or_create(
        recording=recording, number=number, defaults={"rate_hz": rate_hz, "samples": samples, "by": user, "at": now()}
    )


#: Pieces are a second or so; none is shorter than a tenth.
_MOST_CHUNKS = 10 * MOST_SECONDS
#: A browser counts its seconds a little otherwise.
_GRACE = 1.05


def _too_long(field: str) -> BadInput:
    words = f"The recording is longer than {MOST_SECONDS} seconds. Stop it and start again."
    return BadInput("too_large", words, field)


@sweeping
def sweep() -> int:
    """Remove pieces of recordings that came to nothing; how many they were."""
    gone, _ = Chunk.objects.filter(at__lt=now() - KEPT).delete()
    return gone


class _Piece(NamedTuple):
    """A chunk without its samples: its key, number, rate, and how many samples it holds."""

    pk: int
    number: int
    rate_hz: int
    samples: int


def _in_order(recording: UUID, user: User) -> list[_Piece]:
    """The pieces so far, in order and without a gap."""
    rows = Chunk.objects.filter(recording=recording, by=user).order_by("number")
    pieces = [_Piece(*r) for r in rows.values_list("pk", "number", "rate_hz", Length("samples") / 2)]
    return [p for i, p in enumerate(pieces) if p.number == i and p.rate_hz == pieces[0].rate_hz]


def hear_so_far(recording: UUID, user: User) -> dict[str, Any]:
    """What the core hears in the pieces so far: plucks as they are found. Nothing yet is no error.

    Only the newest sound is heard anew: what it costs does not grow with the recording.
    """
    from kestov_core.signals.plucks import hear

    pieces = _in_order(recording, user)
    out: dict[str, Any] = {"seconds": 0.0, "chunks": len(pieces), "plucks": [], "frequency": None, "why_not": ""}
    if not pieces:
        return out
    rate = pieces[0].rate_hz
    out["seconds"] = sum(p.samples for p in pieces) / rate
    if out["seconds"] < 0.6:
        return out
    first = len(pieces) - 1
    while first > 0 and sum(p.samples for p in pieces[first:]) < WINDOW_S * rate:
        first -= 1
    start = sum(p.samples for p in pieces[:first]) / rate
    heard = hear((_samples(pieces[first:]) / 32768).astype(np.float32)[:, None], rate)
    earlier = Chunk.objects.filter(pk__in=[p.pk for p in pieces[:-1]], heard__isnull=False).order_by("-number")
    before: dict[str, Any] = earlier.values_list("heard", flat=True).first() or {"plucks": [], "frequency": None}
    cut = start + _CUT_S if first else 0.0
    out["plucks"] = [p for p in before["plucks"] if p["at_s"] < cut] + [
        {"at_s": start + p.at_s, "frequency_hz": p.frequency_hz, "used": p.used, "why_not": p.why_not}
        for p in heard.plucks
        if start + p.at_s >= cut
    ]
    out["why_not"] = heard.why_not
    out["frequency"] = before["frequency"] if first else None
    if heard.f0_hz is not None:
        out["frequency"] = {"value": heard.f0_hz, "u95": heard.u95_hz, "unit": "Hz"}
    Chunk.objects.filter(pk=pieces[-1].pk).update(heard={k: out[k] for k in ("plucks", "frequency")})
    return out


def _samples(pieces: list[_Piece]) -> np.ndarray:
    rows = Chunk.objects.in_bulk([p.pk for p in pieces])
    return np.frombuffer(b"".join(bytes(rows[p.pk].samples) for p in pieces), dtype="<i2")


def assemble(recording: UUID, count: int, user: User) -> bytes:
    """All chunks as one WAV file; refuses while any is missing, so that the browser sends it again."""
    import soundfile

    chunks = _in_order(recording, user)
    if count < 1 or len(chunks) < count:
        raise BadInput("no_samples", f"{len(chunks)} of {count} pieces of the recording have come so far.", "chunks")
    out = io.BytesIO()
    soundfile.write(out, _samples(chunks[:count]), chunks[0].rate_hz, subtype="PCM_16", format="WAV")
    return out.getvalue()


def forget(recording: UUID, user: User) -> None:
    """Remove the chunks of a recording that has become a capture."""
    Chunk.objects.filter(recording=recording, by=user).delete()
