"""One axis that leans on another: what is moved by how far, or entered, by both schools; shared by plate and square."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Annotated, Any, Literal

from pydantic import Field

from ..asking import Asked, Choice, held_with, last_time, typical
from ..quantities import Quantity
from ..turned import Turnable, TurnedResult, TurnedStep, answers, mm_words
from .base import Advice, School, Turned

if TYPE_CHECKING:
    from ..simulator.machine import SimMachine

Plane = Literal["xy", "xz", "yz"]
AskedPlane = Annotated[
    Plane,
    Asked(
        "Plane",
        sources=(typical(lambda k: "xy"),),
        choices=(
            Choice(value="xy", label="X and Y"),
            Choice(value="xz", label="X and Z", hint="Upright, along X."),
            Choice(value="yz", label="Y and Z", hint="Upright, along Y."),
        ),
    ),
]
FrameSpan = Annotated[
    Annotated[float, Field(ge=10, le=5000)] | None,
    Asked(
        "Frame is long",
        "mm",
        "Along the second axis, from what stays to what is moved.",
        (last_time("frame_span_mm"),),
    ),
]
SkewSchool = Annotated[
    Literal["frame", "firmware"],
    Asked(
        "What is put right?",
        sources=(held_with("skew", "Of a frame out of square is put right"), typical(lambda k: "frame")),
        choices=(
            Choice(value="frame", label="The frame", hint="As long as it can be moved."),
            Choice(value="firmware", label="A factor in the firmware", hint="For a frame that cannot be moved."),
        ),
        more=True,
    ),
]


class LeaningResult(TurnedResult):
    """Lean in degrees and in mm per 100 mm (positive: the second axis leans toward the first), and its tangent, which is the
    firmware's factor.
    """

    plane: Plane
    lean_deg: Quantity
    lean_mm_per_100: Quantity
    skew_factor: Quantity
    schools: list[School] = []


@dataclass(frozen=True)
class Leaning:
    """What is known of how a lean is put right. ``span_mm``: how long the frame is along the second axis."""

    plane: Plane
    school: str
    span_mm: float | None
    history: Sequence[TurnedStep]

    def advise(self, result: LeaningResult, tan: Quantity, odd: bool, what_would_tell: str) -> None:
        """Turnables, both schools and the advice of the one that is followed. ``odd``: a reading is to be taken again first."""
        self._turnable(result, tan)
        decided = result.verdict == "out_of_tolerance" and not odd
        frame, factor = self._frame(tan), self._factor(tan)
        held = result.verdict in ("in_tolerance", "watch")
        leave = "Leave it: it is within the limit." if held else "Nothing yet: it is not known well enough."
        result.schools = [
            School(
                school="frame",
                title="Move the frame",
                answer=frame if decided else leave,
                why="A crooked frame stays crooked for every program; recommended as long as it can be moved.",
                chosen=self.school == "frame",
            ),
            School(
                school="firmware",
                title="Factor in the firmware",
                answer=factor if decided else leave,
                why="For a frame that cannot be moved, or for what is left. A crash or an update makes it stale.",
                chosen=self.school == "firmware",
            ),
        ]
        lean = result.lean_mm_per_100
        expect = Quantity(value=0.0, u95=lean.u95, unit="mm/100mm")
        if odd:
            words = "Look at the odd reading first: measure there again."
            result.advice.append(Advice(action="measure_again", target="frame", reason=words))
        elif result.verdict == "cannot_tell":
            result.advice.append(Advice(action="measure_again", target="frame", reason=what_would_tell))
        elif decided and self.school == "frame":
            result.advice.append(
                Advice(
                    action="move_the_frame",
                    target=self.target,
                    amount=self._by(tan, result.answers),
                    direction=self._way(tan),
                    reason=f"{frame} Unplugged: loosen one end of the member, move half of it, tighten, measure, then the other half.",
                    expect=expect,
                )
            )
        elif decided:
            words = f"{factor} Print the plate again with it: what is left should be within the limit."
            result.advice.append(
                Advice(action="set_skew_factor", target="frame", amount=tan, reason=words, expect=expect)
            )

    def _turnable(self, result: LeaningResult, tan: Quantity) -> None:
        """The frame's far end, which is moved along the first axis."""
        if self.span_mm is None:
            return
        first, second = self.plane[0].upper(), self.plane[1].upper()
        at = Quantity(value=tan.value * self.span_mm, u95=(tan.u95 or 0.0) * self.span_mm, unit="mm")
        ways = [f"toward +{first}", f"toward −{first}"]
        title = f"Far end of the frame along {second}"
        result.turnables.append(Turnable(target=self.target, title=title, unit="mm", ways=ways, at=at, per_turn=1.0))
        result.answers = answers(self.history, {self.target: 1.0})

    @property
    def target(self) -> str:
        """What is moved: of each plane another end."""
        return f"frame {self.plane.upper()}"

    def _way(self, tan: Quantity) -> str:
        return f"toward {'−' if tan.value > 0 else '+'}{self.plane[0].upper()}"

    def _by(self, tan: Quantity, learned: Quantity | None) -> Quantity | None:
        """How far the far end is to be moved (mm); None where nobody said how long the frame is."""
        if self.span_mm is None:
            return None
        share = self.span_mm / (learned.value if learned is not None else 1.0)
        return Quantity(value=abs(tan.value) * share, u95=(tan.u95 or 0.0) * share, unit="mm")

    def _frame(self, tan: Quantity) -> str:
        corners = "C nearer to A" if tan.value > 0 else "B nearer to D"
        by = self._by(tan, None)
        how = (
            f"{100 * abs(tan.value):.2f} mm for every 100 mm"
            if by is None
            else f"by {mm_words(by.value, by.u95)} mm over {self.span_mm:g} mm"
        )
        return f"Move the far end of {self.plane[1].upper()} {self._way(tan)}, {how}: it brings {corners}."

    def _factor(self, tan: Quantity) -> str:
        return f"Enter {tan.value:+.5f} as the {self.plane.upper()} factor (its tangent; mind the sign that the firmware's manual tells)."


def _move(machine: SimMachine, place: str, target: str, amount: float, found: Mapping[str, Any]) -> SimMachine:
    """Move the far end of the simulated frame."""
    frame = machine.true_frame()
    at = next(t for t in found["turnables"] if t["target"] == target)["at"]["value"]
    tan, plane = found["skew_factor"]["value"], found["plane"]
    span = at / tan if tan else 300.0
    moved = frame.model_copy(update={f"lean_{plane}": frame.lean(plane) + 100 * amount / span})
    return machine.model_copy(update={"frame": moved, "touched": machine.touched + 1})


#: Moving the frame, and what it upsets.
MOVED = Turned(
    "Moved the {target}", ("squareness", "square-reversal", "gantry", "bed", "screw-runout"), "frame_touched", _move
)
