"""play: how far the tool head gives before it springs, by a push and a pull with a scale and an indicator.

Displacement over force has two elastic branches, one pushed and one pulled, each a straight line. Friction parts the way out
from the way back by twice its force; the dead band is what lies between the branches at no force, friction apart.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from typing import TYPE_CHECKING, Annotated, Any, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from ..asking import PLACE, Asked, Choice, instrument_u95, limit, model, resolution, told, typical
from ..errors import BadInput
from ..machine import GuideKind, Place
from ..quantities import U95_OF_STEP, Limits, Quantity, decide, quadrature, t95
from ..readers import read_csv
from ..turned import HISTORY, History, Turnable, TurnedResult, answers, turn_words, turns_needed
from .base import Advice, Context, Finding, Part, Procedure, StandIn, Turned, source_of, three_way

if TYPE_CHECKING:
    from ..simulator.machine import SimMachine

Floats = NDArray[np.float64]

#: Readings on each side at the least; the share of the largest spring force below which none counts, since nearer to nothing the
#: head may float; up to which share of the force friction is sought, in so many steps; and how many readings are taken.
_LEAST_SIDE, _FLOATS, _MOST_SOUGHT, _SOUGHT, _MOST_ROWS = 3, 0.25, 0.85, 61, 2000
#: Friction that takes more than this share of the force leaves too little to see the springs by.
_MOST_FRICTION = 0.6
#: A reading so many times the scatter off its branch was misread, or something slipped (typical); and one side so many times
#: as stiff as the other is told.
_ODD, _UNLIKE = 8.0, 2.0


class Pushed(Part):
    """One reading: the force (pushed positive, pulled negative), and what the indicator shows."""

    force_n: Annotated[float, Field(ge=-500, le=500), Asked("Force", "N", "Pulled is negative.", varies=True)]
    displacement_mm: Annotated[float, Field(ge=-50, le=50), Asked("Indicator", "mm", varies=True)]


class PlayContext(Context):
    """``limit_mm``: what a sound head may give (typical). ``pushed``: along the travel, with the motors holding, or across it."""

    pushed: Annotated[
        Literal["along", "across"],
        Asked(
            "Which way is it pushed?",
            sources=(typical(lambda k: "along"),),
            choices=(
                Choice(
                    value="along",
                    label="Along the travel",
                    hint="Motors on and holding: unplugged, the carriage only rolls.",
                ),
                Choice(value="across", label="Across the travel", hint="Unplugged."),
            ),
        ),
    ] = "along"
    limit_mm: Annotated[
        float,
        Field(ge=0.001, le=5),
        Asked("May give", "mm", "0.05 is typical.", (limit("play", "The tool head may give", "mm"),)),
    ] = 0.05
    resolution_mm: Annotated[
        float, Field(ge=0, le=1), Asked("Indicator reads to", "mm", "Its smallest step.", (resolution("mm"),))
    ] = 0.01
    indicator_u95_mm: Annotated[
        float,
        Field(ge=0, le=1),
        Asked("Indicator good to ±", "mm", "0.003 over so little is typical.", (instrument_u95("mm"),), more=True),
    ] = 0.003
    axis: Annotated[Place | None, told(PLACE)] = None
    guide: Annotated[GuideKind | None, told(model(lambda k: k.description.guides.get(k.place)))] = None
    history: Annotated[History, told(HISTORY)] = []


class Branch(Part):
    """A straight piece of the loop, for the drawing."""

    from_n: float
    to_n: float
    from_mm: float
    to_mm: float


class PlayReading(Part):
    """A reading as it was taken, for the drawing."""

    force_n: float
    displacement_mm: float


class PlayResult(TurnedResult):
    """The dead band (mm), the stiffness pushed and pulled (N/mm; null where it is too stiff to tell), the friction (N; null where
    there was no way back), and the area of the loop (N mm a cycle).
    """

    procedure: Literal["play"] = "play"
    play: Quantity
    stiffness_push: Quantity | None
    stiffness_pull: Quantity | None
    friction: Quantity | None
    hysteresis: Quantity
    band_mm: list[float]
    branches: list[Branch]
    readings: list[PlayReading]


@dataclass(frozen=True)
class _Fit:
    """The two branches: where each meets no force (mm), its slope (mm/N), the friction (N), with what each is known to."""

    at: dict[int, float]
    slope: dict[int, float]
    friction_n: float
    u_friction: float
    gap: float
    u_gap: float
    u_slope: dict[int, float]
    left: Floats
    scatter: float
    dof: int
    used: NDArray[np.bool_]
    way_back: bool


def analyse(context: PlayContext, data: bytes | None) -> PlayResult:
    r"""How far the head gives before it springs, and how stiff it then is.

    Parameters
    ----------
    context : PlayContext
        The limit (mm), the indicator's resolution (mm), and which way it was pushed.
    data : bytes
        CSV ``force_n,displacement_mm``, in the order in which it was pushed and pulled: a cycle or more.

    Returns
    -------
    PlayResult
        ``play`` (mm), ``stiffness_push`` and ``stiffness_pull`` (N/mm), ``friction`` (N), ``hysteresis`` (N mm).

    Raises
    ------
    BadInput
        Those of `readers.read_csv`; ``too_few_rows`` where it was not pushed and pulled, three readings each.

    Notes
    -----
    What the springs feel is the force less the friction f that stands against the motion; after a turn the head sticks until the
    force has changed by 2 f. Over what they feel each branch is a line, ``x = a + u / k``: f is sought by least squares, and the
    dead band a(push) - a(pull) comes out apart from it.

    Examples
    --------
    >>> from ..simulator.guides import pushed
    >>> forces = [0, 5, 10, 15, 20, 15, 10, 5, 0, -5, -10, -15, -20, -15, -10, -5, 0]
    >>> rows = zip(forces, pushed(forces, 0.08, 40.0, 40.0, 1.5), strict=True)
    >>> table = "force_n,displacement_mm\n" + "".join(f"{f},{x:.4f}\n" for f, x in rows)
    >>> result = analyse(PlayContext(axis="x"), table.encode())
    >>> round(result.play.value, 3), result.verdict
    (0.08, 'out_of_tolerance')
    """
    assert data is not None
    force, x = _rows(data)
    way = _ways(force)
    fit = _fitted(force, x, way, context.resolution_mm)
    own = fit.u_gap
    u95 = quadrature(own, context.indicator_u95_mm)
    result = PlayResult(
        verdict="not_judged",
        play=Quantity(
            value=max(fit.gap, 0.0),
            u95=u95,
            unit="mm",
            own=own,
            shared=context.indicator_u95_mm,
            low=max(fit.gap - u95, 0.0),
            high=max(fit.gap + u95, 0.0),
        ),
        stiffness_push=_stiffness(fit, 1),
        stiffness_pull=_stiffness(fit, -1),
        friction=_friction(fit),
        hysteresis=_area(force, x, way, fit),
        band_mm=[fit.at[-1], fit.at[1]],
        branches=_branches(force, fit),
        readings=[PlayReading(force_n=float(f), displacement_mm=float(d)) for f, d in zip(force, x, strict=True)],
    )
    doubts = _warn(result, context, fit, force, x)
    _judge(result, context, fit, doubts)
    _advise(result, context, fit, doubts, len(force))
    return result


def _rows(data: bytes) -> tuple[Floats, Floats]:
    table = read_csv(data, ("force_n", "displacement_mm"))
    force, x = np.array(table["force_n"]), np.array(table["displacement_mm"])
    if len(force) > _MOST_ROWS:
        raise BadInput(
            "too_large", f"{len(force)} readings; {_MOST_ROWS} at the most. A cycle or two is plenty.", "data"
        )
    for name, values, most in (("force_n", force, 500.0), ("displacement_mm", x, 50.0)):
        if len(values) and np.abs(values).max() > most:
            row = int(np.abs(values).argmax())
            raise BadInput("out_of_range", f"Row {row + 2}, column {name}: {values[row]:g} cannot be.", name, row + 2)
    return force, x


def _ways(force: Floats) -> Floats:
    """Which way the force goes at each reading: +1 toward pushing, -1 toward pulling. A repeat goes on as before."""
    steps = np.sign(np.diff(force))
    way = np.concatenate([steps[:1], steps]) if len(steps) else np.zeros(len(force))
    for i in range(1, len(way)):
        if way[i] == 0:
            way[i] = way[i - 1]
    if len(way) and way[0] == 0:
        way[way == 0] = next((w for w in way if w), 1.0)
    return way


def _springs(force: Floats, friction: Floats) -> Floats:
    """What the springs feel (N) at each reading, a row for each friction: the force, less what friction takes or holds of it."""
    felt, out = np.zeros(len(friction)), np.empty((len(friction), len(force)))
    for i, f in enumerate(force):
        felt = np.clip(felt, f - friction, f + friction)
        out[:, i] = felt
    return out


def _used(felt: Floats) -> tuple[NDArray[np.bool_], NDArray[np.bool_]]:
    """Which readings stand on the pushed and on the pulled branch: nearer to nothing the head may float."""
    return felt > _FLOATS * max(felt.max(initial=0.0), 1e-9), felt < -_FLOATS * max(-felt.min(initial=0.0), 1e-9)


def _lines(felt: Floats, x: Floats) -> tuple[Floats, NDArray[np.bool_], Floats] | None:
    """Both branches as lines over what the springs feel: (at push, slope, at pull, slope), which readings, and the design."""
    push, pull = _used(felt)
    if min(int(push.sum()), int(pull.sum())) < _LEAST_SIDE:
        return None
    design = np.array([push, push * felt, pull, pull * felt], dtype=float).T
    used = push | pull
    if any(np.ptp(felt[side]) <= 1e-9 for side in (push, pull)):
        return None
    theta, *_ = np.linalg.lstsq(design[used], x[used], rcond=None)
    return theta, used, design[used]


def _fitted(force: Floats, x: Floats, way: Floats, step: float) -> _Fit:
    """The friction with which the readings lie on two straight branches, and these."""
    for s, words in ((1, "pushed"), (-1, "pulled")):
        on = s * force > _FLOATS * float((s * force).max(initial=0.0))
        if int((on & (s * force > 0)).sum()) < _LEAST_SIDE or len(set(force[on & (s * force > 0)].tolist())) < 2:
            raise BadInput(
                "too_few_rows",
                f"It was not {words} enough: at least three readings each way, at different forces, pulled ones negative.",
                "data",
            )
    back = all(len(set(way[s * force > _FLOATS * (s * force).max()].tolist())) > 1 for s in (1, -1))
    friction = _friction_of(force, x) if back else 0.0
    felt = _springs(force, np.array([friction]))[0]
    found = _lines(felt, x)
    columns = 5 if back else 4
    if found is None or int(found[1].sum()) <= columns:
        raise BadInput(
            "too_few_rows", "Too few readings for a loop: push and pull in four steps each, there and back.", "data"
        )
    theta, used, design = found
    left = x[used] - design @ theta
    dof = len(left) - columns
    if back:
        # How the branches move when the friction does: at a reading that sticks, not at all.
        nudge = max(1e-3, 1e-3 * friction)
        more, less = _springs(force, np.array([friction + nudge, max(0.0, friction - nudge)]))
        slopes = design[:, [0, 2]] @ theta[[1, 3]]
        design = np.column_stack([design, slopes * (more - less)[used] / (nudge + min(nudge, friction))])
    # No reading is better than the step that it is read in.
    scatter = max(math.sqrt(float((left**2).sum()) / dof), U95_OF_STEP * step / 1.96)
    cov = scatter**2 * np.linalg.pinv(design.T @ design)
    t = t95(dof)
    u = t * np.sqrt(np.maximum(np.diag(cov), 0.0))
    return _Fit(
        at={1: float(theta[0]), -1: float(theta[2])},
        slope={1: float(theta[1]), -1: float(theta[3])},
        friction_n=friction,
        u_friction=float(u[4]) if back else 0.0,
        gap=float(theta[0] - theta[2]),
        u_gap=t * math.sqrt(max(0.0, float(cov[0, 0] + cov[2, 2] - 2 * cov[0, 2]))),
        u_slope={1: float(u[1]), -1: float(u[3])},
        left=left,
        scatter=scatter,
        dof=dof,
        used=used,
        way_back=back,
    )


def _friction_of(force: Floats, x: Floats) -> float:
    """The friction (N) that leaves the readings nearest to two lines: a search of a stated size, finer three times."""
    most = _MOST_SOUGHT * float(min(force.max(), -force.min()))
    low, high, best = 0.0, most, 0.0
    for _ in range(4):
        tried = np.linspace(low, high, _SOUGHT)
        spread = []
        for felt in _springs(force, tried):
            found = _lines(felt, x)
            if found is None or 2 * int(found[1].sum()) < len(x):
                spread.append(math.inf)
                continue
            theta, used, design = found
            spread.append(float(((x[used] - design @ theta) ** 2).mean()))
        best = float(tried[int(np.argmin(spread))])
        wide = (high - low) / (_SOUGHT - 1)
        low, high = max(0.0, best - wide), min(most, best + wide)
    return best


def _stiffness(fit: _Fit, side: int) -> Quantity | None:
    """Force for a millimetre on one side; None where the slope does not show."""
    slope, u = fit.slope[side], fit.u_slope[side]
    if slope <= u:
        return None
    return Quantity(value=1 / slope, u95=u / slope**2, unit="N/mm", low=1 / (slope + u), high=1 / (slope - u))


def _friction(fit: _Fit) -> Quantity | None:
    """What friction takes; None where there was no way back, or it is too stiff to tell."""
    if not fit.way_back or any(fit.slope[s] <= fit.u_slope[s] for s in (1, -1)):
        return None
    value, u95 = fit.friction_n, fit.u_friction
    return Quantity(value=value, u95=u95, unit="N", low=max(0.0, value - u95), high=value + u95)


def _area(force: Floats, x: Floats, way: Floats, fit: _Fit) -> Quantity:
    """The work lost in a cycle (N mm): the area inside the loop, by the surveyor's formula, with the scatter of the readings."""
    cycles = max(1, round(int((np.diff(way) != 0).sum()) / 2))
    spread = np.roll(force, -1) - np.roll(force, 1)
    area = abs(float((x * spread).sum()) / 2) / cycles
    u95 = t95(fit.dof) * fit.scatter * math.sqrt(float((spread**2).sum())) / 2 / cycles
    return Quantity(value=area, u95=u95, unit="N mm", low=max(0.0, area - u95), high=area + u95)


def _branches(force: Floats, fit: _Fit) -> list[Branch]:
    """Each branch on the way out, and back as far as it does not stick after the turn."""
    out = []
    for s in (1, -1):
        far = float((s * force).max())
        for back in (False, True) if fit.way_back else (False,):
            ends = (0.0, max(0.0, far - 2 * fit.friction_n) if back else far)
            felt = [s * (f + fit.friction_n if back else f - fit.friction_n) for f in ends]
            out.append(
                Branch(
                    from_n=s * ends[0],
                    to_n=s * ends[1],
                    from_mm=fit.at[s] + fit.slope[s] * felt[0],
                    to_mm=fit.at[s] + fit.slope[s] * felt[1],
                )
            )
    return out


def _warn(result: PlayResult, context: PlayContext, fit: _Fit, force: Floats, x: Floats) -> bool:
    """Say what may mislead; whether the figure cannot be judged by it."""
    doubts = False
    middle = 1.4826 * float(np.median(np.abs(fit.left)))
    odd = np.abs(fit.left) > max(_ODD * middle, 10 * context.resolution_mm)
    if odd.any():
        row = int(np.flatnonzero(fit.used)[int(np.abs(fit.left).argmax())])
        result.warn(
            "odd_reading",
            f"At {force[row]:g} N the indicator shows {x[row]:g} mm, far off the others: misread, or something slipped. Push there again.",
        )
        doubts = True
    if not fit.way_back:
        result.warn(
            "no_way_back", "Without readings on the way back, friction hides a part of the play: it may be more."
        )
    if fit.way_back and fit.friction_n > _MOST_FRICTION * float(min(force.max(), -force.min())):
        result.warn(
            "pushed_too_little", "Friction takes most of the force: push and pull harder, as far as nothing bends."
        )
        doubts = True
    for s, words in ((1, "Pushed"), (-1, "Pulled")):
        if fit.slope[s] <= fit.u_slope[s]:
            result.warn(
                "too_stiff_to_tell", f"{words}, it springs less than the indicator shows: the stiffness is not told."
            )
    push, pull = result.stiffness_push, result.stiffness_pull
    if push and pull and push.low and pull.low and push.high and pull.high:
        softer, stiffer = (push, pull) if push.value < pull.value else (pull, push)
        if (softer.high or 0) * _UNLIKE < (stiffer.low or 0):
            which = "pushed" if softer is push else "pulled"
            result.warn(
                "one_side_softer",
                f"It is much softer {which}: something holds it on one side only, as a roller that lifts.",
            )
    return doubts


def _judge(result: PlayResult, context: PlayContext, fit: _Fit, doubts: bool) -> None:
    limits = Limits(high=context.limit_mm)
    verdict = decide(fit.gap, result.play.u95, limits)
    if doubts or (not fit.way_back and verdict != "out_of_tolerance"):
        verdict = "cannot_tell"
    result.judge("Gives before it springs", result.play, limits, source_of(context, "limit_mm"), verdict)
    for words, quantity in (
        ("Stiffness, pushed", result.stiffness_push),
        ("Stiffness, pulled", result.stiffness_pull),
        ("Friction in it", result.friction),
    ):
        if quantity is not None:
            result.judge(words, quantity)
    result.verdict = verdict
    state = "unknown" if verdict == "cannot_tell" else three_way(decide(fit.gap, result.play.u95, limits, outer=0))
    result.findings.append(Finding(finding="play_found", axis=context.axis, state=state, value=result.play))


def _advise(result: PlayResult, context: PlayContext, fit: _Fit, doubts: bool, rows: int) -> None:
    target = context.axis or "all"
    if _by_rollers(result, context):
        _turn_the_nut(result, context)
    if result.verdict == "cannot_tell":
        result.advice.append(
            Advice(action="measure_again", target=target, reason=_what_would_tell(result, context, fit, doubts, rows))
        )
        return
    if result.verdict != "out_of_tolerance" or result.turnables:
        return
    what = (
        "a finger over each joint from the motor to the head, while somebody pushes: belt clamp, pulley, nut, carriage, head mount"
        if context.pushed == "along"
        else "a finger over each joint between guide and head, while somebody pushes: rollers or bushings, carriage, head mount"
    )
    result.advice.append(
        Advice(
            action="take_out_the_play",
            target=target,
            amount=result.play,
            reason=f"Find where it gives: {what}. Tighten what holds it; pre-load rollers or the bushing's housing until the play is gone and it still "
            "slides. Worn ball carriages do not come back: replace carriage or rail.",
            expect=Quantity(value=0.0, u95=context.limit_mm, unit="mm"),
        )
    )


#: The nut of the eccentric roller, as it is turned; looser lets the head give more. By the book a turn near the middle of an
#: eccentric of 0.4 mm moves the roller 2 mm (typical); no step is larger than an eighth of a turn, or it is missed.
NUT, _WAYS, _PER_TURN, _STEP = "eccentric nut", ["looser", "tighter"], 2.0, 0.125


def _by_rollers(result: PlayResult, context: PlayContext) -> bool:
    """Whether what gives is set by an eccentric roller: across the travel, on rollers in grooves."""
    return context.guide == "rollers" and context.pushed == "across" and result.play.value > 0


def _turn_the_nut(result: PlayResult, context: PlayContext) -> None:
    """One small step tighter, then measured again; what a turn does on this machine is learned."""
    result.turnables.append(
        Turnable(
            target=NUT,
            title="Eccentric nut of the roller",
            unit="turns",
            ways=_WAYS,
            at=result.play,
            per_turn=_PER_TURN,
        )
    )
    result.answers = answers(context.history, {NUT: _PER_TURN})
    if result.verdict != "out_of_tolerance":
        return
    wanted = turns_needed(result.play, _PER_TURN, result.answers)
    turns = wanted.model_copy(update={"value": min(wanted.value, _STEP)})
    result.advice.append(
        Advice(
            action="turn",
            target=NUT,
            amount=turns,
            direction="tighter",
            reason=f"Unplugged: turn the eccentric nut {turn_words(turns.value)} tighter, no more at a time. It is right where the roller can just still be "
            "turned by hand with the rail held. Slide the carriage end to end, then push and pull again; when it holds, measure what it takes to push it.",
            expect=Quantity(
                value=max(0.0, result.play.value - turns.value * _PER_TURN), u95=context.limit_mm, unit="mm"
            ),
        )
    )


def _turn(machine: SimMachine, place: str, target: str, amount: float, found: Mapping[str, Any]) -> SimMachine:
    """What the nut does to a simulated carriage: the dead band goes; past it, the roller only drags."""
    axis, guide = machine.axis(place), machine.guide(place)
    # This one's eccentric answers a little less than the book's; ``play_mm`` is half the dead band.
    gap = 2 * axis.play_mm + amount * 0.8 * _PER_TURN
    drag = guide.drag_n + 25 * max(0.0, -gap)
    return machine.model_copy(
        update={
            "axes": {**machine.axes, place: axis.model_copy(update={"play_mm": max(0.0, gap) / 2})},
            "guides": {**machine.guides, place: guide.model_copy(update={"drag_n": min(drag, 40.0)})},
        }
    )


def _what_would_tell(result: PlayResult, context: PlayContext, fit: _Fit, doubts: bool, rows: int) -> str:
    if doubts:
        return "Put right what is said above first, then push and pull again."
    if not fit.way_back:
        return "Read on the way back, too: out in four steps and back in four, pushed and pulled."
    apart = abs(context.limit_mm - fit.gap)
    room = apart**2 - context.indicator_u95_mm**2
    if room <= 0:
        return "The limit lies inside what the indicator itself is good for: take a finer one."
    times = math.ceil((result.play.own or 0.0) ** 2 / room)
    if times > 20:
        return "The play is at its limit: more pushing will not tell. Look at it again at the next service."
    more = max(1, times - 1)
    again = "once more" if more == 1 else f"{more} times more"
    return f"The limit lies inside the uncertainty: {more * rows} more readings, the same {again}, would tell."


def _stand_in(machine: SimMachine, place: str, seed: int, context: dict[str, object]) -> StandIn:
    """A simulated spring scale and indicator on a simulated head: the dead band that its resonance shows, too."""
    from ..simulator.guides import pushed, stiffness

    axis = machine.axis(place)
    k = stiffness(axis.modes[0].hz)
    cycle = [0, 5, 10, 15, 20, 15, 10, 5, 0, -5, -10, -15, -20, -15, -10, -5, 0]
    forces = [float(f) for f in cycle + cycle[1:]]
    drag = machine.guide(place).drag_n if context.get("pushed") != "across" else 0.5
    at = pushed(forces, 2 * axis.play_mm, k, k, drag, 0.002, seed)
    return StandIn(rows=[{"force_n": f, "displacement_mm": round(x, 2)} for f, x in zip(forces, at, strict=True)])


PROCEDURE = Procedure(
    "play",
    "Play of an axis",
    PlayContext,
    PlayResult,
    analyse,
    data="csv",
    measures="axis",
    gives="play",
    table=Pushed,
    turned=Turned("Turned the {target}", ("play", "drag", "resonance"), "rollers_adjusted", _turn),
    stand_in=_stand_in,
    true=("play", lambda m, place: 2 * m.axis(place).play_mm),
)
