"""A live recording: chunks as they come from the browser, what the core hears so far, and the WAV at the end."""

from __future__ import annotations

import io
from datetime import timedelta
from typing import Any
from uuid import UUID

import numpy as np
from kestov_core.errors import BadInput
from people.clock import now
from people.models import User

from .models import Chunk

#: A recording longer than this is a forgotten microphone.
MOST_SECONDS = 120
_MOST_CHUNK_BYTES = 2 * 1024 * 1024


def add(recording: UUID, number: int, rate_hz: int, samples: bytes, user: User) -> list[Chunk]:
    """Keep a chunk (a repeat changes nothing) and give all chunks so far, in order and without a gap."""
    if not 8000 <= rate_hz <= 192000:
        raise BadInput("out_of_range", "The microphone's rate must lie between 8000 and 192000 Hz.", "rate_hz")
    if len(samples) == 0 or len(samples) % 2 or len(samples) > _MOST_CHUNK_BYTES:
        raise BadInput("no_samples", "A chunk holds 16-bit samples, at most two megabytes of them.", "samples")
    if number < 0 or number * len(samples) > MOST_SECONDS * rate_hz * 4:
        raise BadInput(
            "too_large", f"The recording is longer than {MOST_SECONDS} seconds. Stop it and start again.", "number"
        )
    Chunk.objects.get_or_create(
        recording=recording, number=number, defaults={"rate_hz": rate_hz, "samples": samples, "by": user, "at": now()}
    )
    Chunk.objects.filter(at__lt=now() - timedelta(days=2)).delete()
    return _in_order(recording, user)


def _in_order(recording: UUID, user: User) -> list[Chunk]:
    chunks = list(Chunk.objects.filter(recording=recording, by=user))
    return [c for i, c in enumerate(chunks) if c.number == i and c.rate_hz == chunks[0].rate_hz]


def hear_so_far(chunks: list[Chunk]) -> dict[str, Any]:
    """What the core hears in the chunks so far: plucks as they are found. Nothing yet is no error."""
    from kestov_core.procedures.belt_pluck import PluckHeard
    from kestov_core.quantities import Quantity
    from kestov_core.signals.plucks import hear

    out: dict[str, Any] = {"seconds": 0.0, "chunks": len(chunks), "plucks": [], "frequency": None, "why_not": ""}
    if not chunks:
        return out
    samples = _samples(chunks)
    rate = chunks[0].rate_hz
    out["seconds"] = len(samples) / rate
    if out["seconds"] < 0.6:
        return out
    heard = hear((samples / 32768).astype(np.float32)[:, None], rate)
    out["plucks"] = [
        PluckHeard(at_s=p.at_s, frequency_hz=p.frequency_hz, used=p.used, why_not=p.why_not) for p in heard.plucks
    ]
    out["why_not"] = heard.why_not
    if heard.f0_hz is not None:
        out["frequency"] = Quantity(value=heard.f0_hz, u95=heard.u95_hz, unit="Hz")
    return out


def _samples(chunks: list[Chunk]) -> np.ndarray:
    return np.frombuffer(b"".join(bytes(c.samples) for c in chunks), dtype="<i2")


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
