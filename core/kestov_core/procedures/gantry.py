"""gantry: whether the beam stands level on its two screws, and which of them to turn how far.

Gaps along the beam give its slope by least squares; each screw's turn is what takes the slope out. Two screws on one motor
driver are set by hand, in the motor's whole four-step cycles, at which its rotor settles when power returns.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING, Annotated, Any, Literal

import numpy as np
from pydantic import Field

from ..asking import PLACE, Asked, Choice, Known, held_with, instrument_u95, limit, model, resolution, told, typical
from ..errors import BadInput
from ..fitting import Fit, fitted
from ..machine import Description, Place, ScrewTransmission
from ..quantities import Limits, Quantity
from ..turned import (
    HISTORY,
    History,
    Named,
    Raises,
    Turnable,
    TurnedResult,
    answers,
    mm_words,
    other_way,
    turn_words,
    ways,
)
from .base import Advice, Context, Finding, Part, Procedure, School, StandIn, Turned, source_of, three_way

if TYPE_CHECKING:
    from ..simulator.machine import SimMachine

#: Full steps after which a stepping motor's rotor stands alike: one electrical cycle.
_CYCLE_STEPS = 4


class Gap(Part):
    """The gap at one place along the beam."""

    x_mm: Annotated[float, Field(ge=-5000, le=5000), Asked("At X", "mm", varies=True)]
    height_mm: Annotated[float, Field(ge=-500, le=2000), Asked("Gap", "mm", "Larger is further.")]


class BeamScrew(Part):
    """A screw that lifts one end: where it stands, its lead, and the turn that lifts."""

    name: Named
    x_mm: Annotated[float, Field(ge=-5000, le=5000)]
    lead_mm: Annotated[float, Field(ge=0.1, le=200)] = 8.0
    raises: Raises = "clockwise"


def _screws(known: Known) -> list[BeamScrew] | None:
    """The two screws as the model has them, at the ends of X where nothing else is told."""
    here = [(p, t) for p, t in known.description.transmissions.items() if isinstance(t, ScrewTransmission)]
    if len(here) != 2:
        return None
    ends = known.description.travel.get("x")
    low, high = (ends.low_mm, ends.high_mm) if ends is not None else (0.0, 200.0)
    return [BeamScrew(name=p, x_mm=x, lead_mm=t.lead_mm) for (p, t), x in zip(here, (low, high), strict=True)]


def _two_screws(description: Description) -> tuple[str, ...]:
    return ("z",) if len(description.places("screw")) == 2 else ()


class GantryContext(Context):
    """``against``: what the gap was measured to; to the bed, the bed's own tilt is in it. ``lifts``: what the screws lift."""

    probe: Annotated[list[Gap], Field(min_length=2, max_length=400), Asked("Gaps")]
    screws: Annotated[list[BeamScrew], Field(min_length=2, max_length=2), told(model(_screws))]
    fixed: Annotated[
        Annotated[str, Field(max_length=40)] | None,
        Asked("Screw left alone", "", "Its name; the first where nothing is said.", more=True),
    ] = None
    limit_mm_per_100: Annotated[
        float,
        Field(ge=0.001, le=20),
        Asked("May tilt", "mm per 100 mm", "0.05 is typical.", (limit("gantry", "The beam may tilt", "mm/100mm"),)),
    ] = 0.05
    against: Annotated[
        Literal["bed", "frame"],
        Asked(
            "The gap is measured to",
            sources=(typical(lambda k: "frame"),),
            choices=(
                Choice(
                    value="frame", label="The frame", hint="The frame's foot or its rails: then it is the beam alone."
                ),
                Choice(value="bed", label="The bed", hint="By probe or feeler: the bed's own tilt is in it."),
            ),
        ),
    ] = "bed"
    school: Annotated[
        Literal["one", "both"],
        Asked(
            "Turn",
            sources=(held_with("beam", "A beam on two screws is levelled by"), typical(lambda k: "one")),
            choices=(
                Choice(
                    value="one", label="One screw", hint="The other stays: it alone moves, so one learns what it did."
                ),
                Choice(
                    value="both", label="Both, half each", hint="The middle keeps its height, and so does the nozzle."
                ),
            ),
            more=True,
        ),
    ] = "one"
    lifts: Annotated[
        Literal["beam", "bed"], told(model(lambda k: "beam" if k.description.kinematics == "bed_slinger" else "bed"))
    ] = "beam"
    motors_on_driver: Annotated[
        int,
        Field(ge=1, le=4),
        Asked(
            "The two motors hang on",
            sources=(model(lambda k: getattr(k.drive, "motors_on_driver", None)),),
            choices=(
                Choice(value="1", label="A driver each"),
                Choice(value="2", label="One driver", hint="Set by hand, unplugged, in whole motor cycles."),
            ),
        ),
    ] = 1
    motor_steps_per_rev: Annotated[
        float,
        Field(ge=1, le=2000),
        Asked(
            "Motor's full steps a turn", "", "200 on most.", (model(lambda k: getattr(k.drive, "motor_steps_per_rev", None)),),
            more=True,
        ),
    ] = 200  # fmt: skip
    resolution_mm: Annotated[
        float, Field(ge=0, le=1), Asked("Gauge reads to", "mm", "Its smallest step.", (resolution("mm"),))
    ] = 0.01
    reading_u95_mm: Annotated[
        float,
        Field(ge=0, le=2),
        Asked("A reading is good to ±", "mm", "0.02 is typical of gauge and feel.", (instrument_u95("mm"),), more=True),
    ] = 0.02
    history: Annotated[History, told(HISTORY)] = []
    axis: Annotated[Place | None, told(PLACE)] = None


class ScrewTurn(Part):
    """A screw and what it wants: how far its end is off (mm, positive: it is to be raised), and the turn.

    ``cycles``: whole motor cycles, where it is set by hand in such (negative lowers).
    """

    name: str
    x_mm: float
    raise_mm: Quantity
    turns: Quantity
    degrees: Quantity
    direction: Literal["clockwise", "anticlockwise"] | None
    cycles: int | None = None


class GantryResult(TurnedResult):
    """Tilt (mm per 100 mm, positive: the gap grows along +x), what each screw wants, what a part of 100 mm leans by (mm), the
    smallest step that a hand can set (mm; null where each motor has its driver), and the line through the gaps.
    """

    procedure: Literal["gantry"] = "gantry"
    tilt: Quantity
    screws: list[ScrewTurn]
    skew_of_part: Quantity
    smallest_step: Quantity | None
    schools: list[School]
    probe: list[Gap]
    line_mm: list[float]


def analyse(context: GantryContext, data: bytes | None = None) -> GantryResult:
    """How far the beam tilts, and which screw to turn how far.

    Parameters
    ----------
    context : GantryContext
        Gaps (mm) along x, the two screws with their leads (mm), the limit (mm per 100 mm).
    data : None
        It has no file.

    Returns
    -------
    GantryResult
        ``tilt`` (mm per 100 mm), per screw ``turns`` and ``degrees`` with the direction, ``smallest_step`` (mm).

    Raises
    ------
    BadInput
        ``out_of_range`` where the screws or all gaps stand at one place, or ``fixed`` names neither screw.

    Examples
    --------
    >>> screws = [{"name": "left", "x_mm": 0, "lead_mm": 8}, {"name": "right", "x_mm": 200, "lead_mm": 8}]
    >>> gaps = [{"x_mm": x, "height_mm": 0.2 + 0.002 * x} for x in (0, 50, 100, 150, 200)]
    >>> result = analyse(GantryContext(probe=gaps, screws=screws))
    >>> round(result.tilt.value, 3), round(result.screws[1].turns.value, 3), result.screws[1].direction
    (0.2, 0.05, 'anticlockwise')
    """
    fit = _line(context)
    slope, u_slope = float(fit.theta[1]), fit.u95([0.0, 1.0])
    tilt = Quantity(value=100 * slope, u95=100 * u_slope, unit="mm/100mm")
    fixed, other = _which(context)
    # A beam's end that is raised opens the gap; a bed's closes it.
    sign = 1.0 if context.lifts == "beam" else -1.0
    arm = other.x_mm - fixed.x_mm
    off = Quantity(value=-sign * slope * arm, u95=abs(arm) * u_slope, unit="mm")
    learned = answers(context.history, {s.name: s.lead_mm for s in context.screws})
    by_school = {school: _turns(context, fixed, other, off, share, learned) for school, share in _SHARES.items()}
    screws = by_school[context.school]
    xs = [g.x_mm for g in context.probe]
    result = GantryResult(
        verdict="not_judged",
        tilt=tilt,
        screws=screws,
        skew_of_part=tilt.model_copy(update={"unit": "mm"}),
        smallest_step=None if (step := _step(context, other)) is None else Quantity(value=step, u95=0.0, unit="mm"),
        schools=[],
        probe=context.probe,
        line_mm=[float(fit.theta[0] + slope * x) for x in (min(xs), max(xs))],
        turnables=[
            Turnable(
                target=s.name,
                title=f"Screw {s.name}",
                unit="turns",
                ways=ways(s.raises),
                at=Quantity(
                    value=-sign * slope * (fixed.x_mm - s.x_mm), u95=abs(s.x_mm - fixed.x_mm) * u_slope, unit="mm"
                ),
                per_turn=s.lead_mm,
            )
            for s in context.screws
        ],
        answers=learned,
    )
    limits = Limits(low=-context.limit_mm_per_100, high=context.limit_mm_per_100)
    result.judge("The beam tilts by", tilt, limits, source_of(context, "limit_mm_per_100"))
    result.judge("A part 100 mm wide leans by", result.skew_of_part)
    result.verdict = result.judged[0].verdict
    result.findings.append(
        Finding(
            finding="beam_tilt",
            axis=context.axis,
            state=three_way(result.verdict),
            value=Quantity(value=abs(tilt.value), u95=tilt.u95, unit="mm"),
        )
    )
    _warn(result, context)
    _advise(result, context)
    result.schools = [
        School(
            school=school,
            title=title,
            answer=_answer(result, by_school[school]),
            why=why,
            chosen=school == context.school,
        )
        for school, title, why in _SCHOOLS
    ]
    return result


def _line(context: GantryContext) -> Fit:
    x = np.array([g.x_mm for g in context.probe])
    y = np.array([g.height_mm for g in context.probe])
    if np.ptp(x) <= 0:
        raise BadInput("out_of_range", "All gaps were taken at one place: take them at both ends of the beam.", "probe")
    return fitted(np.column_stack([np.ones(len(x)), x]), y, context.resolution_mm, context.reading_u95_mm)


def _which(context: GantryContext) -> tuple[BeamScrew, BeamScrew]:
    """The screw that is left alone, and the one that is turned."""
    one, two = context.screws
    if one.x_mm == two.x_mm:
        raise BadInput("out_of_range", "Both screws stand at one place along X.", "screws")
    if one.name == two.name:
        raise BadInput("out_of_range", "Both screws have one name.", "screws")
    if context.fixed is not None and context.fixed not in (one.name, two.name):
        raise BadInput("out_of_range", f"No screw is called “{context.fixed}”.", "fixed")
    return (two, one) if context.fixed == two.name else (one, two)


def _step(context: GantryContext, screw: BeamScrew) -> float | None:
    """What a hand can set at the least (mm), where both motors hang on one driver."""
    if context.motors_on_driver < 2:
        return None
    return _CYCLE_STEPS / context.motor_steps_per_rev * screw.lead_mm


def _turns(
    context: GantryContext,
    fixed: BeamScrew,
    other: BeamScrew,
    off: Quantity,
    shares: tuple[float, float],
    learned: Quantity | None,
) -> list[ScrewTurn]:
    """What each screw wants, of an end that is ``off``: the shares of the one left alone and of the other."""
    by_hand = _step(context, other)
    # A tilt within what a hand can set is left.
    leave = by_hand is not None and abs(off.value) <= by_hand
    out = []
    for screw in context.screws:
        part = 0.0 if leave else shares[0] if screw is fixed else shares[1]
        mine = Quantity(value=part * off.value, u95=abs(part) * (off.u95 or 0.0), unit="mm")
        whole = Quantity(value=off.value, u95=off.u95, unit="mm") if screw is other else None
        out.append(_turned(screw, mine, _step(context, screw), learned, whole if leave else None))
    return out


def _turned(
    screw: BeamScrew, off: Quantity, step: float | None, learned: Quantity | None, left: Quantity | None
) -> ScrewTurn:
    """What a screw wants; by hand in whole motor cycles. ``left``: by what it is off, though it is left."""
    share = learned.value if learned is not None else 1.0
    cycles = None if step is None else round(off.value / step)
    turns = off.value / (screw.lead_mm * share) if step is None else (cycles or 0) * step / screw.lead_mm
    u = (off.u95 or 0.0) / (screw.lead_mm * share)
    return ScrewTurn(
        name=screw.name,
        x_mm=screw.x_mm,
        raise_mm=left or off,
        turns=Quantity(value=abs(turns), u95=u, unit="turns"),
        degrees=Quantity(value=360 * abs(turns), u95=360 * u, unit="deg"),
        direction=None if turns == 0 else screw.raises if turns > 0 else other_way(screw.raises),
        cycles=cycles,
    )


def _warn(result: GantryResult, context: GantryContext) -> None:
    places = {g.x_mm for g in context.probe}
    if len(context.probe) < 3:
        result.warn("few_readings", "Two gaps: a misread one cannot be seen. Four or more along the beam are better.")
    arm = abs(context.screws[0].x_mm - context.screws[1].x_mm)
    if max(places) - min(places) < arm / 2:
        result.warn("short_lever", "The gaps lie close together: take them as near both screws as it goes.")
    if context.against == "bed":
        result.warn(
            "bed_not_known",
            "Measured to the bed, this is the beam against the bed: a bed that is itself aslant reads as a tilted beam.",
        )


def _advise(result: GantryResult, context: GantryContext) -> None:
    tilt = result.tilt
    if result.verdict == "cannot_tell":
        result.advice.append(Advice(action="measure_again", target="z", reason=_what_would_tell(result, context)))
    if result.verdict != "out_of_tolerance":
        return
    wanted = [s for s in result.screws if s.direction is not None]
    step = result.smallest_step
    if not wanted and step is not None:
        off = max((s.raise_mm for s in result.screws), key=lambda q: abs(q.value))
        result.advice.append(
            Advice(
                action="leave",
                target=_which(context)[1].name,
                amount=Quantity(value=0.0, u95=0.0, unit="turns"),
                reason=f"As good as it gets by hand: both motors hang on one driver, the rotor settles in steps of {step.value:.2g} mm, "
                f"and the end is off by {mm_words(off.value, off.u95)} mm. A driver for each motor would let it be set finer.",
            )
        )
    left = _left(result, context)
    for screw in wanted:
        result.advice.append(
            Advice(
                action="turn",
                target=screw.name,
                amount=screw.turns,
                direction=screw.direction,
                reason=_how(screw, step),
                expect=Quantity(value=left, u95=tilt.u95, unit="mm/100mm"),
            )
        )


def _by(screw: ScrewTurn, step: Quantity | None) -> float:
    """By how much a screw's turn raises its end (mm)."""
    return screw.raise_mm.value if step is None else (screw.cycles or 0) * step.value


def _left(result: GantryResult, context: GantryContext) -> float:
    """The tilt that whole motor cycles leave (mm per 100 mm, its size)."""
    fixed, other = _which(context)
    step, by = result.smallest_step, {s.name: s for s in result.screws}
    arm = other.x_mm - fixed.x_mm
    change = (_by(by[other.name], step) - _by(by[fixed.name], step)) * (1.0 if context.lifts == "beam" else -1.0)
    return 0.0 if step is None else abs(result.tilt.value + 100 * change / arm)


def _how(screw: ScrewTurn, step: Quantity | None) -> str:
    by = _by(screw, step)
    how = (
        f"Turn screw {screw.name} {turn_words(screw.turns.value)} {screw.direction}: it {'raises' if by > 0 else 'lowers'} that end by "
        f"{mm_words(by, screw.raise_mm.u95)} mm."
    )
    if step is None:
        return f"{how} Then measure again."
    return (
        f"{how} Unplugged, by hand, {abs(screw.cycles or 0)} whole motor cycles of {step.value:.2g} mm: the rotor settles there when "
        "power returns. Let it settle, then measure again."
    )


#: What each school turns: the share of the screw that is left alone by the one, and of the other.
_SHARES = {"one": (0.0, 1.0), "both": (-0.5, 0.5)}
_SCHOOLS = (
    (
        "one",
        "One screw",
        "The other stays, so that what the turn did can be learned; the nozzle's height changes in the middle.",
    ),
    (
        "both",
        "Both, half each",
        "The middle keeps its height, and so does the nozzle; two screws to turn, two to get wrong.",
    ),
)


def _answer(result: GantryResult, screws: list[ScrewTurn]) -> str:
    """What a school turns, in a line."""
    if result.verdict in ("in_tolerance", "watch"):
        return "Leave it."
    if result.verdict == "cannot_tell":
        return "Turn nothing yet: the tilt is not known well enough."
    turned = [f"{s.name}: {turn_words(s.turns.value)} {s.direction}" for s in screws if s.direction is not None]
    return "; ".join(turned) + "." if turned else "Leave it: finer cannot be set by hand."


def _what_would_tell(result: GantryResult, context: GantryContext) -> str:
    u = result.tilt.u95 or 0.0
    room = abs(context.limit_mm_per_100 - abs(result.tilt.value))
    n = len(context.probe)
    if room <= 0 or (u / room) ** 2 > 20:
        return "The tilt is at its limit: more readings will not tell. Leave it and look again at the next service."
    more = max(2, int(np.ceil(n * (u / room) ** 2)) - n)
    return f"The limit lies inside the uncertainty: {more} more gaps, as near both screws as it goes, would tell. Turn nothing yet."


def _stand_in(machine: SimMachine, place: str, seed: int, context: dict[str, object]) -> StandIn:
    """A gauge under the simulated beam at five places: to the frame, or to the bed as it truly lies."""
    rng = np.random.default_rng([seed, 51])
    beam, bed = machine.true_beam(), machine.true_bed()
    against = str(context.get("against", "frame"))
    out: list[dict[str, float | str]] = []
    for x in np.linspace(10, bed.width_mm - 10, 5):
        gap = 40.0 + beam.tilt * (x - bed.width_mm / 2) / 100
        if against == "bed":
            gap = 0.2 + gap - 40.0 - bed.height(float(x), bed.depth_mm / 2)
        out.append({"x_mm": round(float(x), 1), "height_mm": round(float(gap + rng.normal(0, 0.006)), 2)})
    return StandIn(rows=out, told={"against": against})


def _turn(machine: SimMachine, place: str, target: str, amount: float, found: Mapping[str, Any]) -> SimMachine:
    """Turn one screw of the simulated beam: that end goes up or down by its lead."""
    beam = machine.true_beam()
    turned, other = sorted(found["screws"], key=lambda s: s["name"] != target)
    lead = next(t["per_turn"] for t in found["turnables"] if t["target"] == target)
    tilt = beam.tilt + 100 * amount * lead * beam.answers / (turned["x_mm"] - other["x_mm"])
    return machine.model_copy(update={"beam": beam.model_copy(update={"tilt": tilt}), "touched": machine.touched + 1})


PROCEDURE = Procedure(
    "gantry",
    "Tilt of the beam",
    GantryContext,
    GantryResult,
    analyse,
    measures="axis",
    at=_two_screws,
    gives="beam_tilt",
    adjustable=True,
    interval_days=60,
    turned=Turned("Turned screw {target}", ("gantry", "bed", "screw-runout"), "screw_touched", _turn),
    stand_in=_stand_in,
    true=("tilt", lambda m, place: m.true_beam().tilt),
)
