"""What eye, ear and hand are told on a practice machine: what one meets, in words, not what it is called; and what can be heard."""

from __future__ import annotations

import tomllib
from collections.abc import Iterable
from functools import cache
from pathlib import Path
from typing import Annotated

import numpy as np
from pydantic import BaseModel, ConfigDict, Field, TypeAdapter

from ..knowledge import findings
from ..machine import AXES_OF_BELT
from ..simulator.moving import SimPart, ladder_sound
from ..simulator.sound import Recording
from .truth import Truth

#: Beyond these nobody tells it by hand or eye: it is measured.
_MEASURED = "measured"
Sentence = Annotated[str, Field(min_length=5, max_length=200, pattern=r"^([^{}]|\{place\})*$")]


class Sense(BaseModel):
    """A finding as it is met, there and not there."""

    model_config = ConfigDict(extra="forbid", frozen=True, populate_by_name=True)

    there: Sentence
    absent: Annotated[Sentence, Field(alias="not")]


class Met(BaseModel):
    """One thing looked for at a place, and what was met there. ``there`` is the truth of it: no one who practises is told."""

    model_config = ConfigDict(extra="forbid")

    finding: str
    place: str
    words: str
    there: bool


@cache
def senses() -> dict[str, Sense]:
    """All findings that are met rather than measured."""
    told = tomllib.loads((Path(__file__).parent / "senses.toml").read_text(encoding="utf-8"))
    return TypeAdapter(dict[str, Sense]).validate_python(told)


def met(truth: Truth, nodes: Iterable[tuple[str, str | None]]) -> list[Met]:
    """What is met of these findings at their places, those that only an instrument tells left out."""
    shown, kinds, out = truth.signs(), findings(), []
    for finding, place in nodes:
        if kinds[finding].group == _MEASURED:
            continue
        there = any(shown.there(f, place) for f in (finding, *kinds[finding].either))
        # What stands for one of several is told as the one that it is.
        one = next((f for f in kinds[finding].either if shown.there(f, place)), None)
        known = senses().get(one or finding) or senses().get(next(iter(kinds[finding].either), ""))
        if known is None:
            continue
        words = (known.there if there else known.absent).format(place=_called(place))
        out.append(Met(finding=finding, place=place or "", words=words[:1].upper() + words[1:], there=there))
    return out


def _called(place: str | None) -> str:
    if place in (None, "all"):
        return "machine"
    return place if place is not None and len(place) > 2 else str(place).upper()


def heard(truth: Truth, axis: str) -> Recording:
    """What an axis sounds like as it runs up a ladder of speeds: the motors, and what squeaks, buzzes or whines along."""
    shown = truth.signs()
    belts = [b for b, axes in AXES_OF_BELT[truth.kinematics].items() if axis in axes]

    def there(finding: str) -> bool:
        places = shown.at.get(finding, set())
        return bool(places & {axis, None, "all", *belts})

    parts: list[SimPart] = []
    if there("buzz") or there("panel_rattles") or there("buzz_not_printing"):
        parts.append(SimPart(hz=240.0, q=18.0, level=0.16, orders=(1.0, 2.0)))
    if there("whine"):
        parts += [SimPart(hz=hz, q=3.0, level=0.05, orders=(3.0,)) for hz in (700.0, 1150.0)]
    ladder = [20.0, 35.0, 50.0, 65.0, 80.0, 95.0]
    got = ladder_sound(
        ladder, 5.0, parts, rung_s=1.2, pause_s=0.3, tone=0.02, rush=0.008, seed=truth.seed + sum(axis.encode())
    )
    if there("squeak"):
        return Recording(_squeaks(got, truth.seed), got.rate_hz)
    return got


def _squeaks(got: Recording, seed: int) -> np.ndarray[tuple[int], np.dtype[np.float64]]:
    """A dry place is passed once in each run: a short, gliding, raw tone."""
    samples = np.array(got.samples, dtype=np.float64)
    rng = np.random.default_rng([seed, 81])
    for at in np.arange(4.5, len(samples) / got.rate_hz - 0.5, 1.5):
        n, i = int(0.18 * got.rate_hz), int((at + float(rng.uniform(0, 0.3))) * got.rate_hz)
        t = np.arange(n) / got.rate_hz
        tone = sum(np.sin(2 * np.pi * k * (1900 + 1400 * t) * t) / k for k in (1, 2, 3))
        samples[i : i + n] += 0.12 * np.hanning(n) * tone
    return np.clip(samples, -1, 1)
