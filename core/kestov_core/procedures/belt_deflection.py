"""belt-deflection: tension of a belt from the force that presses its span aside.

Held at both ends of the span: F = 4 T (d/L) + 8 EA (d/L)^3; free to slip over its idlers the stretch spreads over
the loop: F = 4 T (d/L) + 8 EA d^3 / (L^2 L_loop).
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated, Any, Literal

import numpy as np
from pydantic import Field

from ..asking import PLACE, Asked, belt, instrument_u95, resolution, told
from ..errors import BadInput
from ..machine import Place, axial_stiffness_typical
from ..quantities import Limits, Quantity, decide, odd_ones, quadrature, t95
from .base import Advice, Context, Finding, Part, Procedure, Result, StandIn, source_of, three_way
from .belt_pluck import SPAN, SPAN_U95, TARGET, Percent, Target

if TYPE_CHECKING:
    from ..simulator.machine import SimMachine


class Press(Part):
    """One reading: the force at mid-span and how far the belt went."""

    force_n: Annotated[float, Field(ge=0.001, le=200), Asked("Force", "N")]
    deflection_mm: Annotated[float, Field(ge=0.001, le=100), Asked("Deflection", "mm")]


class BeltDeflectionContext(Context):
    """What was pressed and how. Resolutions: a 0.1 N scale and half a millimetre by rule are typical.

    Common to the sitting: the spring scale's own uncertainty (``scale_u95_n`` where it is known, else
    ``scale_u95_percent``), and ``zero_u95_mm`` of where the belt stood unpressed (typical).
    """

    span_mm: Annotated[float, Field(ge=1, le=5000), SPAN]
    span_u95_mm: Annotated[float, Field(ge=0, le=100), SPAN_U95] = 1.0
    axial_stiffness_n: Annotated[
        Annotated[float, Field(ge=1, le=1e6)] | None,
        Asked(
            "Stiffness (EA)", "N", "15 kN at 6 mm is typical.",
            (belt(lambda b: b.axial_stiffness_n), belt(lambda b: axial_stiffness_typical(b.width_mm)[0], "typical")),
            more=True,
        ),
    ] = None  # fmt: skip
    axial_stiffness_u95_percent: Annotated[
        Percent, Asked("Its stiffness good to ±", "%", "40 is typical.", more=True)
    ] = 40.0
    readings: Annotated[list[Press], Field(min_length=1, max_length=200), Asked("Readings")]
    loop_length_mm: Annotated[
        Annotated[float, Field(ge=10, le=50_000)] | None,
        Asked(
            "The whole belt", "mm", "Where it slips over its idlers.", (belt(lambda b: b.loop_length_mm),), more=True
        ),
    ] = None
    resolution_n: Annotated[
        float, Field(ge=0, le=20), Asked("Scale reads to", "N", "Its smallest step.", (resolution("N"),))
    ] = 0.1
    resolution_mm: Annotated[float, Field(ge=0, le=20), Asked("Rule reads to", "mm", "Its smallest step.")] = 0.5
    scale_u95_n: Annotated[
        Annotated[float, Field(ge=0, le=20)] | None,
        Asked("Scale good to ±", "N", "As it was checked; 2 % is typical.", (instrument_u95("N"),), more=True),
    ] = None
    scale_u95_percent: Percent = 2.0
    zero_u95_mm: Annotated[
        float, Field(ge=0, le=20), Asked("Unpressed place good to ±", "mm", "0.2 is typical.", more=True)
    ] = 0.2
    target_n: Annotated[Target | None, TARGET] = None
    axis: Annotated[Place | None, told(PLACE)] = None


class BeltDeflectionResult(Result):
    """Tension, and the share of the force that stretched the belt instead of bending it aside."""

    procedure: Literal["belt-deflection"] = "belt-deflection"
    tension: Quantity
    stretch_share: float


def analyse(context: BeltDeflectionContext, data: bytes | None = None) -> BeltDeflectionResult:
    """Tension from one press or more, weighted by what each can tell.

    Parameters
    ----------
    context : BeltDeflectionContext
        Free span (mm), the belt's stiffness EA (N), and readings of force (N) and deflection at mid-span (mm).
    data : None
        It has no file.

    Returns
    -------
    BeltDeflectionResult
        ``tension`` (N, u95), and the share of the force that only stretched the belt.

    Raises
    ------
    BadInput
        ``out_of_range`` where a press goes deeper than a fifth of the span.

    Notes
    -----
    F = 4 T (d/L) + 8 EA (d/L)^3, statics of a string pressed in its middle; over a loop the stretch spreads (``loop_length_mm``).

    Examples
    --------
    A belt that does not stretch gives at 1 % of its span a twenty-fifth of its tension:

    >>> result = analyse(BeltDeflectionContext(span_mm=200, axial_stiffness_n=1, readings=[{"force_n": 1.2, "deflection_mm": 2.0}]))
    >>> round(result.tension.value, 2)
    30.0
    """
    span = context.span_mm
    force = np.array([r.force_n for r in context.readings])
    d = np.array([r.deflection_mm for r in context.readings])
    if np.any(d > 0.2 * span):
        worst = int(np.argmax(d))
        raise BadInput(
            "out_of_range",
            f"Reading {worst + 1} presses {d[worst]:g} mm on a span of {span:g} mm: more than a fifth. Press less.",
            f"readings.{worst}.deflection_mm",
        )
    result = BeltDeflectionResult(verdict="not_judged", tension=Quantity(value=0.0, unit="N"), stretch_share=0.0)
    cubic, cubic_percent = _stretch(context, force, d, result)
    tension_each = (force - cubic * d**3) * span / (4 * d)
    # A resolution step r is uniform of half-width r/2; 95 % of it is 0.566 r on the normal scale used here.
    u_force = 0.566 * context.resolution_n * span / (4 * d)
    u_depth = 0.566 * context.resolution_mm * (tension_each / d + 2 * cubic * d * span / 4)
    u_each = np.hypot(np.hypot(u_force, u_depth), 1e-9 + 1e-6 * np.abs(tension_each))
    w = 1 / u_each**2
    tension = float((w * tension_each).sum() / w.sum())
    n = len(d)
    own = float(1 / np.sqrt(w.sum()))
    if n > 1:
        scatter = np.sqrt((w * (tension_each - tension) ** 2).sum() / w.sum() / (n - 1))
        own = quadrature(own, t95(n - 1) * float(scatter))
    else:
        result.warn("single_reading", "One press only: its spread is not known. Press three times, at two depths.")
    bent = float((w * cubic * d**3 * span / (4 * d)).sum() / w.sum())
    by_depth = float((w * (tension_each / d + 2 * cubic * d * span / 4)).sum() / w.sum())
    by_force = float((w * span / (4 * d)).sum() / w.sum())
    of_scale = (tension + bent) * context.scale_u95_percent / 100
    if context.scale_u95_n is not None:
        of_scale = by_force * context.scale_u95_n
    shared = quadrature(
        abs(tension) * context.span_u95_mm / span,
        bent * cubic_percent / 100,
        of_scale,
        by_depth * context.zero_u95_mm,
    )
    if tension <= 0:
        raise BadInput(
            "out_of_range",
            "The belt's own stretch explains all of the force: with this stiffness no tension is left. "
            "Check the stiffness, and press less deep.",
            "axial_stiffness_n",
        )
    u95 = quadrature(own, shared)
    odd = odd_ones([float(t) for t in tension_each], 0.25 * tension)
    for i, words in odd:
        result.warn(
            "odd_reading",
            f"Press {i + 1} alone means {words.replace(' is ', ' N, ', 1).replace(' lies ', ' N, ', 1)}: typed wrongly, or in another unit? Press again.",
        )
    limits = Limits(low=context.target_n.low, high=context.target_n.high) if context.target_n else None
    result.tension = Quantity(value=tension, u95=u95, unit="N", own=own, shared=shared)
    result.stretch_share = bent / (tension + bent)
    result.verdict = "cannot_tell" if odd and limits is not None else decide(tension, u95, limits)
    result.judge("Tension", result.tension, limits, source_of(context, "target_n"), result.verdict)
    if limits is not None:
        for finding, side in (("belt_slack", Limits(low=limits.low)), ("belt_overtight", Limits(high=limits.high))):
            state = three_way(decide(tension, u95, side, outer=0))
            result.findings.append(Finding(finding=finding, axis=context.axis, state=state, value=result.tension))
    if result.verdict == "cannot_tell":
        result.advice.append(
            Advice(
                action="press_again" if own >= shared else "measure_span",
                target=context.axis or "belt",
                reason=(
                    "One press is odd: take it out and press again. "
                    if odd
                    else "The limit lies inside the uncertainty. "
                )
                + (
                    "Press deeper and more often, with a finer scale."
                    if own >= shared
                    else "Press less deep, so that the belt's stretch counts less, and measure the span again."
                ),
            )
        )
    return result


def _stretch(
    context: BeltDeflectionContext, force: np.ndarray, d: np.ndarray, result: BeltDeflectionResult
) -> tuple[float, float]:
    """Factor of d^3 (N/mm^3) and its u95 (%): from the stiffness, else fitted, else neglected with a warning."""
    span = context.span_mm
    if context.axial_stiffness_n is not None:
        length = span if context.loop_length_mm is None else context.loop_length_mm
        return 8 * context.axial_stiffness_n / (span**2 * length), context.axial_stiffness_u95_percent
    if len(d) >= 3 and np.ptp(d) > 0.5 * d.max():
        a = np.stack([d, d**3], axis=1)
        (_, cubic), *_ = np.linalg.lstsq(a, force, rcond=None)
        result.warn("stretch_fitted", "The belt's stretch was taken from the readings themselves.")
        return max(float(cubic), 0.0), 50.0
    result.warn(
        "stretch_not_known",
        "The belt's stiffness is not given, so its stretch was left out: the tension reads too high, more so the deeper you press.",
    )
    return 0.0, 0.0


def _stand_in(machine: SimMachine, place: str, seed: int, context: dict[str, Any]) -> StandIn:
    """A spring scale and a rule at the middle of a simulated belt's run."""
    from ..simulator.drives import press

    true = machine.belt(place)
    rng = np.random.default_rng([seed, 62])
    pressed = press(true.tension_n, true.span_mm, true.axial_stiffness_n, true.loop_length_mm, rng)
    # A span that the model does not tell is measured with the rule.
    told = {} if context.get("span_mm") else {"span_mm": float(round(true.span_mm))}
    return StandIn(rows=[{"force_n": f, "deflection_mm": d} for f, d in pressed], told=told)


PROCEDURE = Procedure(
    "belt-deflection",
    "Belt tension by spring scale",
    BeltDeflectionContext,
    BeltDeflectionResult,
    analyse,
    measures="belt",
    gives="tension",
    adjustable=True,
    interval_days=30,
    stand_in=_stand_in,
    true=("tension", lambda m, place: m.belts[place].tension_n if place in m.belts else None),
)
