"""What was heard in a recording of plucks: each sudden sound, and all together."""

from __future__ import annotations

from dataclasses import dataclass, field

from .conditioning import SteadyTone
from .partials import Array, Peaks, Spectrum, StringFit

#: Level of nothing (dB), and lead where there is no rival (nats).
NONE_DB, NO_RIVAL = -99.0, 99.0


@dataclass
class Heard:
    """One onset and what became of it."""

    at_s: float
    frequency_hz: float | None = None
    sigma_hz: float | None = None
    used: bool = False
    why_not: str | None = None
    fit: StringFit | None = None
    looks: list[tuple[Array, Spectrum]] = field(default_factory=list)
    spectrum: Spectrum | None = None
    peaks: Peaks | None = None
    score: float = -1.0
    settled: float = 0.0
    attack_s: float = 0.0
    wander: float = 0.0
    heard_s: float = 0.0


@dataclass
class Hearing:
    """All that was heard. ``f0_hz`` is None when no string was; then ``why_not`` says why."""

    seconds: float
    plucks: list[Heard] = field(default_factory=list)
    f0_hz: float | None = None
    u95_hz: float | None = None
    b: float = 0.0
    tones: list[SteadyTone] = field(default_factory=list)
    clipped: float = 0.0
    octave_doubt: bool = False
    rival_hz: float | None = None
    lead: float = NO_RIVAL
    second_hz: float | None = None
    second_db: float = NONE_DB
    disagree: bool = False
    why_not: str = ""
