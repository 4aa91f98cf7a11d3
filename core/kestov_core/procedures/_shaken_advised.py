"""What to do after an axis was shaken: about the gravest doubt where there is one, else which shaper to set and what it costs."""

from __future__ import annotations

from typing import TYPE_CHECKING

from ..machine import Place
from ..quantities import Quantity
from ._first_look import PRINT_IT, Slow
from .base import Advice

if TYPE_CHECKING:
    from .resonance import ResonanceContext, ResonanceResult

#: What to do first about each doubt, the gravest doubt first.
_MEND: dict[str, list[tuple[str, str]]] = {
    "play_suspected": [
        (
            "check_play",
            "Push and pull at the tool head, then push the free carriage along: play and drag first. "
            "A shaper tuned on a loose carriage makes prints worse.",
        ),
        ("check_drag", "Belt off, motor unplugged: push the carriage over its whole travel with the spring scale."),
    ],
    "low_snr": [
        (
            "record_again",
            "Fasten the sensor on the carriage with a screw or firm tape, shake harder, and record again.",
        ),
    ],
    "saturated": [
        (
            "record_again",
            "Set the sensor to a wider range, or shake less hard, and record again.",
        ),
    ],
    "sensor_heavy": [
        (
            "weigh",
            "Weigh the head with its carriage, or the bed with plate and carriage, or take a like part's weight; then work it out again.",
        ),
    ],
    "axis_cross_talk": [
        (
            "check_mounting",
            "See that the sensor's arrows lie along the machine's axes; then hold table, frame and spool still one by one "
            "and record again.",
        ),
    ],
    "broad_or_split_peak": [
        ("check_belts", "Pluck both belts and set them alike, check mounts and joints; then record again."),
    ],
    "aliasing_possible": [
        (
            "record_again",
            "Set the sensor to ten samples or more for a period of the highest frequency and record again.",
        ),
    ],
}
#: The procedure that an action begins with.
MEASURE = {"check_play": "play", "check_drag": "drag", "check_belts": "belt-pluck", "print_a_corner": "ringing-print"}


def advise(result: ResonanceResult, context: ResonanceContext, place: Place, slow: Slow | None) -> None:
    """What to do: about the gravest doubt where there is one, else which shaper to set and what it costs."""
    codes = {w.code for w in result.warnings}
    if slow is not None:
        result.advice.append(_to_do("print_a_corner", place, PRINT_IT))
        codes -= {"aliasing_possible"}
    gravest = next((code for code in _MEND if code in codes), None)
    if gravest is not None:
        first = [_to_do(action, place, reason) for action, reason in _MEND[gravest]]
        result.advice = first + result.advice
    elif result.recommended is not None and result.frequency is not None:
        chosen = next(s for s in result.shapers if s.name == result.recommended)
        most = float(f"{chosen.max_acceleration_mm_s2:.2g}")
        result.advice.append(
            Advice(
                action="set_shaper",
                target=place,
                amount=Quantity(value=chosen.frequency_hz, u95=result.frequency.u95, unit="Hz"),
                direction=chosen.name,
                reason=f"{chosen.name.upper()} at {chosen.frequency_hz:.1f} Hz leaves at most {chosen.residual_percent:.1f} % of the "
                f"ringing and rounds corners by {chosen.smoothing_mm_per_1000:.3f} mm for every 1000 mm/s² of acceleration: up to "
                f"{most:.0f} mm/s² for {context.smoothing_limit_mm:g} mm. Print a corner before and after.",
                expect=Quantity(value=chosen.residual_percent, u95=None, unit="%"),
            )
        )


def _to_do(action: str, place: Place, reason: str) -> Advice:
    return Advice(action=action, target=place, reason=reason, measure=MEASURE.get(action))
