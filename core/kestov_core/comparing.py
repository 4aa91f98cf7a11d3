"""One resonance against another: an axis with its own earlier ones, the two belts of a crossed pair with each other.

k / k_0 = (f / f_0)^2 for the same moved mass. The sensor's clock is common to both and cancels.
"""

from __future__ import annotations

from pydantic import BaseModel, ConfigDict

from .procedures._shaped import ModeFound
from .quantities import Quantity, own_u95, quadrature


class Compared(BaseModel):
    """``stiffness_ratio`` of the first over the second; ``differ``: whether by more than the uncertainty; ``words``."""

    model_config = ConfigDict(extra="forbid")

    stiffness_ratio: Quantity
    differ: bool
    softer: str | None
    words: str


def _strongest(modes: list[ModeFound]) -> ModeFound:
    return max(modes, key=lambda m: m.share)


def _ratio(now: Quantity, was: Quantity) -> Quantity:
    ratio = (now.value / was.value) ** 2
    return Quantity(
        value=ratio, u95=ratio * 2 * quadrature(own_u95(now) / now.value, own_u95(was) / was.value), unit="1"
    )


def with_earlier(now: list[ModeFound], was: list[ModeFound], when: str) -> Compared | None:
    """An axis against itself: by the mode of ``now`` nearest to the strongest of ``was``. None where either has no mode."""
    if not now or not was:
        return None
    old = _strongest(was).frequency
    new = min((m.frequency for m in now), key=lambda q: abs(q.value - old.value))
    ratio = _ratio(new, old)
    differ = abs(ratio.value - 1) > (ratio.u95 or 0)
    if not differ:
        words = (
            f"As stiff as {when}: {new.value:.1f} Hz then and now, within the uncertainty."
            if abs(new.value - old.value) < 0.05
            else (f"As stiff as {when}, within the uncertainty ({old.value:.1f} Hz then, {new.value:.1f} Hz now).")
        )
    elif ratio.value < 1:
        words = f"Softer than {when}: {ratio.value:.0%} of its stiffness ({old.value:.1f} Hz then, {new.value:.1f} Hz now), if it weighs what it did."
    else:
        words = f"Stiffer than {when}: {ratio.value:.2f} times ({old.value:.1f} Hz then, {new.value:.1f} Hz now), if it weighs what it did."
    return Compared(
        stiffness_ratio=ratio,
        differ=differ,
        softer=("now" if ratio.value < 1 else when) if differ else None,
        words=words,
    )


def diagonals(a: list[ModeFound], b: list[ModeFound]) -> Compared | None:
    """Belt A against belt B of a crossed pair, by the strongest mode of each diagonal. None where either has no mode."""
    if not a or not b:
        return None
    fa, fb = _strongest(a).frequency, _strongest(b).frequency
    ratio = _ratio(fa, fb)
    differ = abs(ratio.value - 1) > (ratio.u95 or 0)
    if not differ:
        return Compared(
            stiffness_ratio=ratio, differ=False, softer=None,
            words=f"Both diagonals ring alike ({fa.value:.1f} and {fb.value:.1f} Hz, within the uncertainty): the belts pull the same.",
        )  # fmt: skip
    softer, share = ("A", ratio.value) if ratio.value < 1 else ("B", 1 / ratio.value)
    slight = share > 0.9
    return Compared(
        stiffness_ratio=ratio, differ=True, softer=softer.lower(),
        words=f"Belt {softer}'s diagonal is the softer: {share:.0%} of the other's stiffness ({fa.value:.1f} Hz along A, {fb.value:.1f} Hz along B). "
        + (
            "Little enough for clean corners; see it again after the next belt round."
            if slight
            else f"Pluck both belts and set them alike, then look at belt {softer}'s idlers and clamp."
        ),
    )  # fmt: skip
