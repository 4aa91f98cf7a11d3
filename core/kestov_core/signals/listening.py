"""How a shaken axis answers, by what shook it: a sweep, knocks, or any other shaking."""

from __future__ import annotations

from .response import Response
from .sampling import Even


def listen(even: Even, excitation: str, top_hz: float) -> Response:
    """The response of channel 0, the others beside it."""
    if excitation == "impulse":
        from .knocks import knocked

        return knocked(even, top_hz)
    if excitation == "sweep":
        from .sweeps import swept

        return swept(even, top_hz)
    from .noise import shaken

    return shaken(even, top_hz)
