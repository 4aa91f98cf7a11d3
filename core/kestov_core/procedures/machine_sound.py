"""machine-sound: ten seconds of a machine at work, held against its own sound when all was well; what is new in it.

Levels in third-octave bands (IEC 61260-1), frame by frame; what is common to all bands is the microphone's distance and gain, and is taken
out. Loud for a moment is told from loud all along by two quantiles over the frames.
"""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, Annotated, Any, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field

from ..asking import PLACE, Asked, Choice, limit, measured, told
from ..errors import BadInput
from ..machine import Place
from ..quantities import Limits, Quantity, decide, quadrature
from ..readers import read_wav
from .base import Advice, Context, Finding, Part, Procedure, Result, StandIn

if TYPE_CHECKING:
    from ..simulator.machine import SimMachine

Array = NDArray[np.float64]
#: Middles of the bands (Hz): a third of an octave each, from where a phone hears.
CENTRES_HZ = tuple(1000 * 2 ** (k / 3) for k in range(-9, 9))
#: A frame (s) and its step; a recording is so long at the least and at the most (s).
_FRAME_S, _HOP_S, _LEAST_S, _MOST_S = 0.25, 0.125, 4.0, 60.0
#: The quantiles over the frames: what is there all along, and what comes and goes.
_ALONG, _MOMENT = 0.5, 0.9
#: Two recordings of one healthy machine differ by so much in a band (dB, u95; typical of a hand-held phone at one place).
AGAIN_DB = 4.0
#: Levels are counted from here (dB of full scale): under the noise of any sound card.
_FLOOR_DB = -120.0
#: Under this a recording tells nothing (of full scale, r.m.s.); above this share of samples at the end it is spoilt.
_QUIET, _CLIPPED = 3e-4, 0.002
#: From here on what is new all along is a whine, and what comes and goes a squeak; under it both are a buzz (Hz, typical).
_TONE_HZ, _HIGH_HZ = 450.0, 1200.0


Level = Annotated[float, Field(ge=0, le=200)]


class Bands(BaseModel):
    """A sound as levels by band (dB over the floor): what is there all along, and what is reached for moments."""

    model_config = ConfigDict(extra="ignore", allow_inf_nan=False)

    along: Annotated[list[Level], Field(min_length=len(CENTRES_HZ), max_length=len(CENTRES_HZ))]
    moment: Annotated[list[Level], Field(min_length=len(CENTRES_HZ), max_length=len(CENTRES_HZ))]


def _healthy(known: Any) -> dict[str, Any] | None:
    """The machine's last sound that was told to be healthy."""
    found = known.measured("machine-sound", known.place)
    if found is None:
        return None
    kept: dict[str, Any] | None = found["own"] if found["state"] == "healthy" else found["against"]
    return kept


class MachineSoundContext(Context):
    """``state``: whether the machine is well; a healthy sound is what later ones are held against. ``healthy``: that sound."""

    axis: Annotated[Place | None, told(PLACE)] = None
    state: Annotated[
        Literal["healthy", "complaint"],
        Asked(
            "Is the machine well?", "", "Its healthy sound is what later ones are held against.",
            choices=(Choice(value="healthy", label="It is well: keep its sound"), Choice(value="complaint", label="Something is wrong")),
        ),
    ] = "complaint"  # fmt: skip
    healthy: Annotated[Bands | None, told(measured(_healthy))] = None
    limit_db: Annotated[
        float,
        Field(ge=1, le=40),
        Asked(
            "Louder than it was by",
            "dB",
            "6 is typical.",
            (limit("sound", "Louder than when healthy", "dB"),),
            more=True,
        ),
    ] = 6.0


class NewSound(Part):
    """What is new in it: from which pitch to which, by how much it is louder than it was, whether all along or for moments."""

    low_hz: float
    high_hz: float
    rise: Quantity
    steady: bool
    words: str


class MachineSoundResult(Result):
    """Levels by band beside those of the healthy sound (null: none was kept), and what is new. ``gain_db``: common to all bands, taken out.

    ``likeness``: in short. Nothing is judged as a whole: a sound alone makes no machine unfit.
    """

    procedure: Literal["machine-sound"] = "machine-sound"
    state: Literal["healthy", "complaint"]
    likeness: Literal["kept", "alike", "other", "cannot_tell"]
    centres_hz: list[float]
    own: Bands
    against: Bands | None
    gain_db: float
    new: list[NewSound]
    seconds: float


def analyse(context: MachineSoundContext, data: bytes | None) -> MachineSoundResult:
    """What is new in the sound of a machine.

    Parameters
    ----------
    context : MachineSoundContext
        Whether it is well, and its healthy sound.
    data : bytes
        WAV, four seconds or more; ten are good.

    Returns
    -------
    MachineSoundResult
        ``new``: bands that are louder than they were by more than the limit and their uncertainty, joined where they touch.

    Raises
    ------
    BadInput
        Those of `readers.read_wav`; ``too_few_rows`` where it is shorter than four seconds.

    Examples
    --------
    A second tone over the noise of a machine is new:

    >>> from ..simulator.sound import Recording, wav
    >>> rng = np.random.default_rng(1)
    >>> noise, t = rng.normal(0, 0.02, 80_000), np.arange(80_000) / 16_000
    >>> well = analyse(MachineSoundContext(state="healthy"), wav(Recording(noise, 16_000)))
    >>> ill = wav(Recording(noise + 0.08 * np.sin(2 * np.pi * 800 * t), 16_000))
    >>> [n.words for n in analyse(MachineSoundContext(healthy=well.own), ill).new]
    ['a tone about 794 Hz, all along']
    """
    assert data is not None
    sound = read_wav(data)
    if not _LEAST_S <= sound.seconds <= _MOST_S:
        raise BadInput(
            "too_few_rows" if sound.seconds < _LEAST_S else "too_large",
            f"The recording is {sound.seconds:.1f} s long: {_LEAST_S:g} to {_MOST_S:g} s are taken, ten are good.",
            "data",
        )
    samples = sound.samples.mean(axis=1).astype(np.float64)
    levels = _levels(samples, sound.rate_hz)
    own = Bands(along=_short(np.quantile(levels, _ALONG, axis=0)), moment=_short(np.quantile(levels, _MOMENT, axis=0)))
    result = MachineSoundResult(
        verdict="not_judged", state=context.state, likeness="kept", centres_hz=[round(c, 1) for c in CENTRES_HZ], own=own, against=context.healthy,
        gain_db=0.0, new=[], seconds=sound.seconds,
    )  # fmt: skip
    doubts = _doubts(samples)
    for code, words in doubts:
        result.warn(code, words)
    if doubts:
        result.likeness = "cannot_tell"
    elif context.state == "complaint" and context.healthy is None:
        result.likeness = "cannot_tell"
        result.warn(
            "no_healthy_sound",
            "This machine's healthy sound was never kept, so nothing can be said to be new. Keep it at the next round, when all is well.",
        )
    elif context.healthy is not None and context.state == "complaint":
        _compare(result, context, context.healthy, levels)
    if not result.judged:
        loudest = Quantity(value=max(own.moment), u95=AGAIN_DB, unit="dB")
        result.judge("Its loudest band, over the floor of a recording", loudest, verdict="not_judged")
    return result


def _levels(samples: Array, rate_hz: int) -> Array:
    """Levels (dB) by frame and band."""
    n, hop = int(_FRAME_S * rate_hz), int(_HOP_S * rate_hz)
    starts = np.arange(0, len(samples) - n + 1, hop)
    window = np.hanning(n)
    spectra = np.abs(np.fft.rfft(samples[starts[:, None] + np.arange(n)] * window, axis=1)) ** 2
    hz = np.fft.rfftfreq(n, 1 / rate_hz)
    out = np.zeros((len(starts), len(CENTRES_HZ)))
    for k, centre in enumerate(CENTRES_HZ):
        inside = (hz >= centre * 2 ** (-1 / 6)) & (hz < centre * 2 ** (1 / 6))
        if inside.any():
            level = 10 * np.log10(spectra[:, inside].sum(axis=1) / (window**2).sum() / n + 1e-12)
            out[:, k] = np.maximum(level - _FLOOR_DB, 0)
    return out


def _short(values: Array) -> list[float]:
    return [round(float(v), 2) for v in values]


def _doubts(samples: Array) -> list[tuple[str, str]]:
    """Why the recording itself tells nothing."""
    if float(np.sqrt((samples**2).mean())) < _QUIET:
        return [
            ("too_quiet", "There is next to nothing to hear: hold the phone a forearm from the machine while it works.")
        ]
    if float((np.abs(samples) > 0.98).mean()) > _CLIPPED:
        return [("clipped", "It is too loud for the microphone: hold it further away, and record again.")]
    return []


def _compare(result: MachineSoundResult, context: MachineSoundContext, healthy: Bands, levels: Array) -> None:
    own = np.array([result.own.along, result.own.moment])
    was = np.array([healthy.along, healthy.moment])
    # What all bands share is distance and gain; the median, so that a loud new band does not count as gain.
    gain = float(np.median(own[0] - was[0]))
    rise = own - was - gain
    # A quantile over frames that overlap by half: about half of them count.
    frames = max(4.0, len(levels) / 2)
    chance = 2 * 1.25 * levels.std(axis=0) / math.sqrt(frames)
    u95 = np.array([quadrature(AGAIN_DB, float(c)) for c in chance])
    result.gain_db = round(gain, 2)
    limits = Limits(high=context.limit_db)
    louder = [
        decide(float(rise[:, k].max()), float(u95[k]), limits) == "out_of_tolerance" for k in range(len(CENTRES_HZ))
    ]
    for low, high in _joined(louder):
        bands = slice(low, high + 1)
        top = low + int(np.argmax(rise[:, bands].max(axis=0)))
        steady = bool(rise[0, top] - u95[top] > context.limit_db)
        value = Quantity(value=float(rise[:, top].max()), u95=float(u95[top]), unit="dB")
        pitch, long = CENTRES_HZ[top], "all along" if steady else "for moments"
        words = (
            f"a tone about {pitch:.0f} Hz, {long}"
            if low == high
            else f"a sound from {CENTRES_HZ[low]:.0f} to {CENTRES_HZ[high]:.0f} Hz, {long}"
        )
        result.new.append(
            NewSound(
                low_hz=CENTRES_HZ[low] * 2 ** (-1 / 6),
                high_hz=CENTRES_HZ[high] * 2 ** (1 / 6),
                rise=value,
                steady=steady,
                words=words,
            )
        )
    result.new.sort(key=lambda n: -n.rise.value)
    most = int(np.argmax(rise.max(axis=0) - u95))
    whole = Quantity(value=float(rise[:, most].max()), u95=float(u95[most]), unit="dB")
    unsure = decide(whole.value, whole.u95 or 0.0, limits) == "cannot_tell"
    result.likeness = "other" if result.new else "cannot_tell" if unsure else "alike"
    result.judge(f"Louder than when healthy, about {CENTRES_HZ[most]:.0f} Hz, by", whole, verdict="not_judged")
    if result.likeness == "cannot_tell":
        result.warn(
            "not_sure",
            f"About {CENTRES_HZ[most]:.0f} Hz it may be louder than it was, within what two recordings differ by. Record again from the same place.",
        )
    for n in result.new[:3]:
        finding = "whine" if n.steady and n.low_hz >= _TONE_HZ else "squeak" if n.low_hz >= _HIGH_HZ else "buzz"
        if all(f.finding != finding for f in result.findings):
            result.findings.append(Finding(finding=finding, axis=None, state="present"))
    if result.new:
        result.advice.append(
            Advice(
                action="listen",
                target="frame",
                reason=f"New is {result.new[0].words}. Hold parts one by one from outside while it runs, and say what changes it.",
            )
        )


def _joined(louder: list[bool]) -> list[tuple[int, int]]:
    """Runs of bands that are louder: first and last of each."""
    out: list[tuple[int, int]] = []
    for k, yes in enumerate(louder):
        if yes and out and out[-1][1] == k - 1:
            out[-1] = (out[-1][0], k)
        elif yes:
            out.append((k, k))
    return out


def _stand_in(machine: SimMachine, place: str, seed: int, context: dict[str, Any]) -> StandIn:
    """Ten seconds before a simulated machine that runs its speeds; what answers along X is heard."""
    from ..simulator.moving import ladder_sound
    from ..simulator.sound import wav

    parts = machine.answering("x") if context.get("state") != "healthy" else []
    ladder = [20.0, 48.0, 35.0, 60.0, 80.0]
    sound = ladder_sound(ladder, 5.0, parts, rung_s=1.3, pause_s=0.1, rush=0.012, seed=seed * 100 + machine.touched)
    return StandIn(data=wav(sound), machine=machine.model_copy(update={"touched": machine.touched + 1}))


PROCEDURE = Procedure(
    "machine-sound",
    "Ten seconds of sound",
    MachineSoundContext,
    MachineSoundResult,
    analyse,
    data="wav",
    measures="frame",
    gives="sound",
    interval_days=180,
    stand_in=_stand_in,
    healthy={"state": "healthy"},
    reported={"state": "complaint"},
)
