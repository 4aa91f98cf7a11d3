"""Whether a course of rounds holds, helps, or no longer does: measured, turned, measured, and what that came to."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

from pydantic import BaseModel, ConfigDict

from .quantities import Quantity, Verdict, own_u95, quadrature, rounded

CourseState = Literal["first", "holds", "helps", "no_longer_helps", "worse", "cannot_tell"]


class Stage(BaseModel):
    """One round: what it measured, how that was judged, and whether something was turned after it."""

    model_config = ConfigDict(extra="forbid")

    quantity: Quantity
    verdict: Verdict
    turned: bool = False


class Course(BaseModel):
    """How it stands after the last round. ``improvement``: how much of the first round's error is gone, in per cent."""

    model_config = ConfigDict(extra="forbid")

    state: CourseState
    words: str
    improvement: Quantity | None = None


def improvement(before: Quantity, after: Quantity) -> Quantity | None:
    """How much of an error is gone, in per cent; None where there was none to speak of.

    Parameters
    ----------
    before, after : Quantity
        The error, either sign, in one unit; what both share cancels.

    Returns
    -------
    Quantity or None

    Examples
    --------
    >>> q = improvement(Quantity(value=0.4, u95=0.02, unit="mm"), Quantity(value=-0.1, u95=0.02, unit="mm"))
    >>> round(q.value, 3), round(q.u95, 2)
    (75.0, 5.15)
    """
    a, b = abs(before.value), abs(after.value)
    ua, ub = own_u95(before), own_u95(after)
    if a <= ua:
        return None
    return Quantity(value=100 * (1 - b / a), u95=100 * quadrature(ub / a, ua * b / a**2), unit="%")


def course(stages: Sequence[Stage]) -> Course | None:
    """How a course of rounds stands; None before anything was measured.

    It holds when the last round is within its limits. It helps while the error falls by more than both rounds' own
    uncertainty, has got worse when it grows by more, and no longer helps in between.
    """
    if not stages:
        return None
    last = stages[-1]
    gone = improvement(stages[0].quantity, last.quantity) if len(stages) > 1 else None
    if last.verdict in ("in_tolerance", "watch"):
        after = f", after {len(stages) - 1} round{'s' if len(stages) > 2 else ''} of turning" if len(stages) > 1 else ""
        near = " It is near the limit." if last.verdict == "watch" else ""
        return Course(state="holds", words=f"It holds{after}.{near}", improvement=gone)
    if len(stages) == 1:
        return Course(state="first", words="Measured once; nothing was turned after it yet.")
    before = stages[-2]
    a, b = abs(before.quantity.value), abs(last.quantity.value)
    u = quadrature(own_u95(before.quantity), own_u95(last.quantity))
    unit = last.quantity.unit
    if b > a + u:
        words = (
            f"It got worse by {rounded(b - a, u)} {unit}: turn back what was turned last, measure, and look at which way "
            "the screw truly goes."
        )
        return Course(state="worse", words=words, improvement=gone)
    if last.verdict == "cannot_tell":
        return Course(state="cannot_tell", words="Whether it holds cannot be told yet.", improvement=gone)
    if b < a - u:
        return Course(state="helps", words=f"It helps: {rounded(a - b, u)} {unit} less. Go on.", improvement=gone)
    words = (
        f"The last turn changed less than can be told from nothing (± {rounded(u, u)} {unit}). If it was turned as advised, "
        "it no longer helps: something else holds it. Look for what is loose, bent or at its end."
    )
    return Course(state="no_longer_helps", words=words, improvement=gone)
