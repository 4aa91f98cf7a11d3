"""What is done about a printed part's sizes: by cause, and by the school that is followed. A piece of `dimensions`."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from ..quantities import Quantity, rounded
from .base import Advice, School

if TYPE_CHECKING:
    from .dimensions import AxisSize, DimensionsContext, DimensionsResult

#: What is done about each cause, whichever school.
_DO: dict[str, tuple[str, str]] = {
    "shrinkage": (
        "scale_in_slicer",
        "Correct it where the file is made, with this plastic's own scale; the motion is right.",
    ),
    "extrusion_width": (
        "wall_width",
        "Look at flow and line width: measure a single wall, set its width right. The motion stays as it is.",
    ),
    "belt_or_pulley": (
        "look_at_belt",
        "Look at that axis: belt tension, its teeth, a pulley with another count, a loose grub screw. Then a travel test.",
    ),
}


def advise(result: DimensionsResult, context: DimensionsContext, odd: bool) -> None:
    """What each school answers, and the advice of the one that is followed. ``odd``: a reading is to be taken again first."""
    if odd:
        result.advice.append(
            Advice(action="measure_again", target="all", reason="Look at the odd readings first: measure them again.")
        )
    result.schools = [
        School(
            school=school,
            title=title,
            answer="Nothing yet: look at the odd readings first." if odd else _answer(result, school),
            why=why,
            chosen=school == context.school,
        )
        for school, title, why in _SCHOOLS
    ]
    if odd:
        return
    more = [a for a in result.axes if a.cause == "measure_more"]
    for cause in ("steps", "belt_or_pulley", "shrinkage", "extrusion_width"):
        mine = [a for a in result.axes if a.cause == cause]
        if cause == "shrinkage" and mine:
            result.advice.append(_shrunk(mine))
        for a in mine if cause != "shrinkage" else []:
            result.advice.append(_for_axis(context, a))
    if more:
        names = ", ".join(a.axis.upper() for a in more)
        reason = f"{names}: {more[0].why} {_longer(context, more)}"
        result.advice.append(Advice(action="measure_more", target="all", reason=reason.strip()))


def _shrunk(axes: list[AxisSize]) -> Advice:
    """One scale for all axes: the mean by what each is known to."""
    weights = [1 / max((a.scale.u95 or 1e-6) ** 2, 1e-12) for a in axes if a.scale is not None]
    scale = sum(w * a.scale.value for w, a in zip(weights, axes, strict=True) if a.scale is not None) / sum(weights)
    u = 1 / math.sqrt(sum(weights))
    amount = Quantity(value=100 / scale, u95=100 * u / scale**2, unit="%")
    action, words = _DO["shrinkage"]
    return Advice(
        action=action,
        target="all",
        amount=amount,
        reason=f"{axes[0].why} {words} Print this plastic at {rounded(amount.value, amount.u95)} %.",
        expect=Quantity(value=0.0, u95=100 * u, unit="%"),
    )


def _for_axis(context: DimensionsContext, a: AxisSize) -> Advice:
    if a.cause == "extrusion_width":
        action, words = _DO[a.cause]
        return Advice(action=action, target=a.axis, amount=a.wall_offset, reason=f"{a.axis.upper()}: {a.why} {words}")
    if a.cause == "belt_or_pulley" and context.school != "part":
        action, words = _DO[a.cause]
        return Advice(action=action, target=a.axis, amount=a.scale_error, reason=f"{a.why} {words}")
    if context.school == "part":
        new = a.steps_per_mm_new
        words = (
            ""
            if new is None
            else f" Set {a.axis.upper()} to {rounded(new.value, new.u95)} steps/mm, and print the part again."
        )
        return Advice(
            action="set_steps",
            target=a.axis,
            amount=new,
            direction=None if a.scale is None else "down" if a.scale.value > 1 else "up",
            reason=f"{a.why}{words}",
            expect=None if a.scale_error is None else Quantity(value=0.0, u95=a.scale_error.u95, unit="%"),
        )
    if context.school == "theory":
        words = "Keep what pitch, teeth and thread say; look for the belt, the pulley, the screw that is another than the model tells."
        return Advice(action="look_at_drive", target=a.axis, amount=a.scale_error, reason=f"{a.why} {words}")
    words = "Test the travel itself before any steps are changed: commanded against measured, over as long a way as it goes."
    return Advice(action="test_travel", target=a.axis, amount=a.scale_error, reason=f"{a.why} {words}", measure="steps")


def _longer(context: DimensionsContext, axes: list[AxisSize]) -> str:
    """How much longer the lengths would have to be to tell."""
    short = [a for a in axes if a.scale_error is not None and (a.scale_error.u95 or 0.0) > 0.5 * context.limit_percent]
    if not short:
        return ""
    a = max(short, key=lambda a: (a.scale_error.u95 if a.scale_error else 0.0) or 0.0)
    assert a.scale_error is not None
    times = (a.scale_error.u95 or 0.0) / (0.5 * context.limit_percent)
    longest = max(a.lengths)
    wanted = 10 * math.ceil(longest * times / 10)
    reads = math.ceil(times**2)
    return (
        f"Lengths up to {wanted} mm would tell, or {reads} times as many readings."
        if wanted <= 400
        else f"{min(reads, 50)} times as many readings would tell."
    )


_SCHOOLS = (
    (
        "machine",
        "By commanded travel",
        "Steps tuned to a small part bake the wall's error into long moves; the default.",
    ),
    ("part", "By the printed part", "What leaves the machine is the part; good for one part in one plastic."),
    (
        "theory",
        "By teeth and threads",
        "Counted teeth do not drift: what is off is something else, and that wants finding.",
    ),
)


def _answer(result: DimensionsResult, school: str) -> str:
    out = []
    for a in result.axes:
        name = a.axis.upper()
        if a.cause in ("sound", "measure_more"):
            out.append(f"{name}: leave it" if a.cause == "sound" else f"{name}: measure more")
        elif a.cause == "extrusion_width":
            out.append(f"{name}: the wall's width")
        elif school == "part" and a.steps_per_mm_new is not None:
            new = a.steps_per_mm_new
            out.append(f"{name}: {rounded(new.value, new.u95)} steps/mm")
        elif a.cause == "shrinkage":
            out.append(f"{name}: scale in the slicer")
        else:
            out.append(f"{name}: travel test" if school == "machine" else f"{name}: keep steps, look at the drive")
    return "; ".join(out) + "."
