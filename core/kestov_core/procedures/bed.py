"""bed: the plane a bed lies in, what is left of it (warp, one spot that stands out), and what each screw wants.

Heights at places of the bed, larger is nearer the nozzle. The plane is by least squares; how well a height is known comes from
places read more than once, else from what a smooth curved surface leaves, so that warp does not pass for noise.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import TYPE_CHECKING, Annotated, Any, Literal

import numpy as np
from pydantic import Field

from ..asking import Asked, Known, instrument_u95, limit, measured, model, resolution, told
from ..errors import BadInput
from ..fitting import Fit, Floats, fitted
from ..machine import Kinematics
from ..quantities import U95_OF_STEP, Limits, Quantity, Told, decide, rounded, worst
from ..readers import read_csv
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
    turns_needed,
    ways,
)
from .base import Advice, Context, Finding, Part, Procedure, StandIn, Turned, source_of, three_way

if TYPE_CHECKING:
    from ..simulator.machine import SimMachine

#: Heights at the least for a plane, and the most that are taken.
_LEAST, _MOST = 3, 4000
#: A smooth surface (plane, bow, twist) has six coefficients; so many more places than that, and it tells the noise.
_SMOOTH, _SPARE = 6, 3
#: One spot stands out when it is so many times the scatter, and so many mm, over what its neighbours say (typical).
_STANDS_OUT, _LEAST_SPECK_MM = 6.0, 0.06
#: Draws by which it is seen how much of a range is noise, in a run that is the same every time.
_DRAWS = 200
#: No screw is turned further in one go.
_MOST_TURN = 0.5
#: Heights nearer than this (mm, along x and y) are of one place.
_ONE_PLACE = 0.05


class Height(Part):
    """The height of the bed at one place."""

    x_mm: Annotated[float, Field(ge=-5000, le=5000), Asked("X", "mm", varies=True)]
    y_mm: Annotated[float, Field(ge=-5000, le=5000), Asked("Y", "mm", varies=True)]
    z_mm: Annotated[float, Field(ge=-100, le=100), Asked("Height", "mm", "Larger is nearer the nozzle.", varies=True)]


class LevelScrew(Part):
    """A screw under the bed: where it stands, its thread, and the turn that raises the bed there."""

    name: Named
    x_mm: Annotated[float, Field(ge=-5000, le=5000)]
    y_mm: Annotated[float, Field(ge=-5000, le=5000)]
    thread_pitch_mm: Annotated[float, Field(ge=0.1, le=10)] = 0.5
    raises: Raises = "anticlockwise"


def _screws(known: Known) -> list[LevelScrew] | None:
    bed = known.description.bed
    if bed is None or len(bed.screws) < 3:
        return None
    return [LevelScrew.model_validate(s.model_dump()) for s in bed.screws]


def _beam_tilt(known: Known) -> Quantity | None:
    """The beam's tilt as last measured and not changed since; None where nobody knows."""
    found = known.today("gantry", "z")
    return None if found is None else Quantity.model_validate(found["tilt"])


class BedContext(Context):
    """``fixed``: the screw that is not turned; without one the mean height of the screws stays. ``beam_tilt``: as `gantry` found it."""

    screws: Annotated[list[LevelScrew], Field(max_length=9), told(model(_screws))] = []
    fixed: Annotated[
        Annotated[str, Field(max_length=40)] | None,
        Asked("Screw left alone", "", "Its name; empty: the bed keeps its mean height."),
    ] = None
    hot_c: Annotated[
        Annotated[float, Field(ge=0, le=300)] | None,
        Asked("The bed was at", "°C", "Empty: cold. Measure it as hot as it prints, too."),
    ] = None
    tilt_limit_mm: Annotated[
        float,
        Field(ge=0.001, le=20),
        Asked("May tilt, over the bed", "mm", "0.1 is typical.", (limit("bed_tilt", "The bed may tilt", "mm"),)),
    ] = 0.1
    warp_limit_mm: Annotated[
        float,
        Field(ge=0.001, le=20),
        Asked("May be warped by", "mm", "0.5 is typical.", (limit("bed_warp", "The bed may be warped", "mm"),)),
    ] = 0.5
    resolution_mm: Annotated[
        float, Field(ge=0, le=1), Asked("Probe reads to", "mm", "Its smallest step.", (resolution("mm"),), more=True)
    ] = 0.01
    reading_u95_mm: Annotated[
        float,
        Field(ge=0, le=2),
        Asked("A height is good to ±", "mm", "0.02 is typical of a probe.", (instrument_u95("mm"),), more=True),
    ] = 0.02
    beam_tilt: Annotated[Told | None, told(measured(_beam_tilt))] = None
    kinematics: Annotated[Kinematics | None, told(model(lambda k: k.description.kinematics))] = None
    history: Annotated[History, told(HISTORY)] = []


class Spot(Part):
    """A place of the bed and how far it stands over the plane (mm)."""

    x_mm: float
    y_mm: float
    over_mm: float


class LevelTurn(Part):
    """A screw and what it wants: how far the plane there is to be raised (mm, negative: lowered), and the whole turn.

    On an endless bed ``turns`` is the shim, in mm, and there is no direction.
    """

    name: str
    x_mm: float
    y_mm: float
    raise_mm: Quantity
    turns: Quantity
    direction: Literal["clockwise", "anticlockwise"] | None


class BedResult(TurnedResult):
    """The plane's slopes (mm per 100 mm), its tilt over the bed (mm, corner to corner), the warp (mm, peak to valley after the
    plane), what each screw wants, the highest and lowest spot of what is left, and every height with what it is over the plane.
    """

    procedure: Literal["bed"] = "bed"
    tilt_x: Quantity
    tilt_y: Quantity
    tilt: Quantity
    warp: Quantity
    screws: list[LevelTurn]
    high_spot: Spot
    low_spot: Spot
    debris_suspected: bool
    debris_at: Spot | None
    hot_c: float | None
    plane: list[float]
    heights: list[Height]
    left_mm: list[float]


def analyse(context: BedContext, data: bytes | None) -> BedResult:
    r"""How the bed lies, how flat it is, and which screw to turn how far.

    Parameters
    ----------
    context : BedContext
        Screws (none, or three and more) with their thread pitch (mm), limits (mm).
    data : bytes
        CSV ``x_mm,y_mm,z_mm``; z larger is nearer the nozzle.

    Returns
    -------
    BedResult
        ``tilt_x``, ``tilt_y`` (mm per 100 mm), ``tilt`` and ``warp`` (mm), per screw ``turns`` with the direction.

    Raises
    ------
    BadInput
        Those of `readers.read_csv`; ``too_few_rows`` under three places or with all in a line; ``out_of_range`` for one or two
        screws, screws in a line, or a ``fixed`` that none is called.

    Examples
    --------
    >>> rows = "".join(f"{x},{y},{0.1 + 0.001 * x:.4f}\n" for x in (0, 100, 200) for y in (0, 100, 200))
    >>> result = analyse(BedContext(), b"x_mm,y_mm,z_mm\n" + rows.encode())
    >>> round(result.tilt_x.value, 6), round(result.tilt.value, 6)
    (0.1, 0.2)
    """
    assert data is not None
    x, y, z = _rows(data)
    _check_screws(context)
    design = np.column_stack([np.ones(len(x)), x, y])
    if np.linalg.matrix_rank(design - [0, x.mean(), y.mean()]) < 3:
        raise BadInput("too_few_rows", "All heights lie in one line: take them all over the bed.", "data")
    fit, spot = _fit(context, design, x, y, z)
    bx, by = float(fit.theta[1]), float(fit.theta[2])
    wide, deep = float(np.ptp(x)), float(np.ptp(y))
    u_tilt = fit.u95([0.0, math.copysign(wide, bx), math.copysign(deep, by)])
    tilt = abs(bx) * wide + abs(by) * deep
    warp = _warp(fit, x, y)
    high, low = int(fit.left.argmax()), int(fit.left.argmin())
    learned = answers(context.history, {s.name: s.thread_pitch_mm for s in context.screws})
    result = BedResult(
        verdict="not_judged",
        tilt_x=Quantity(value=100 * bx, u95=100 * fit.u95([0, 1, 0]), unit="mm/100mm"),
        tilt_y=Quantity(value=100 * by, u95=100 * fit.u95([0, 0, 1]), unit="mm/100mm"),
        tilt=Quantity(value=tilt, u95=u_tilt, unit="mm", low=max(0.0, tilt - u_tilt), high=tilt + u_tilt),
        warp=warp,
        screws=[],
        high_spot=Spot(x_mm=float(x[high]), y_mm=float(y[high]), over_mm=float(fit.left[high])),
        low_spot=Spot(x_mm=float(x[low]), y_mm=float(y[low]), over_mm=float(fit.left[low])),
        debris_suspected=spot is not None,
        debris_at=spot,
        hot_c=context.hot_c,
        plane=[float(t) for t in fit.theta],
        heights=[Height(x_mm=float(a), y_mm=float(b), z_mm=float(c)) for a, b, c in zip(x, y, z, strict=True)],
        left_mm=[float(v) for v in fit.left],
        answers=learned,
    )
    if context.kinematics == "belt_bed":
        _shims(result, fit, x, y)
    else:
        _screws_wanted(result, context, fit, learned)
    _judge(result, context)
    _warn(result, context, len(x))
    _advise(result, context)
    return result


def _rows(data: bytes) -> tuple[Floats, Floats, Floats]:
    table = read_csv(data, ("x_mm", "y_mm", "z_mm"))
    x, y, z = (np.array(table[n]) for n in ("x_mm", "y_mm", "z_mm"))
    if len(x) < _LEAST:
        raise BadInput("too_few_rows", f"{len(x)} heights: three or more, all over the bed.", "data")
    if len(x) > _MOST:
        raise BadInput("too_large", f"{len(x)} heights; {_MOST} at the most.", "data")
    for name, values, most in (("x_mm", x, 5000.0), ("y_mm", y, 5000.0), ("z_mm", z, 100.0)):
        if np.abs(values).max() > most:
            row = int(np.abs(values).argmax())
            raise BadInput("out_of_range", f"Row {row + 2}, column {name}: {values[row]:g} cannot be.", name, row + 2)
    return x, y, z


def _check_screws(context: BedContext) -> None:
    names = [s.name for s in context.screws]
    if len(names) in (1, 2):
        raise BadInput("out_of_range", "One or two screws make no plane: none, or three and more.", "screws")
    if len(set(names)) < len(names):
        raise BadInput("out_of_range", "Two screws have one name.", "screws")
    if context.fixed is not None and context.fixed not in names:
        raise BadInput("out_of_range", f"No screw is called “{context.fixed}”.", "fixed")
    if names:
        at = np.array([(s.x_mm, s.y_mm) for s in context.screws])
        if np.linalg.matrix_rank(at - at.mean(axis=0)) < 2:
            raise BadInput("out_of_range", "All screws stand in one line.", "screws")


def _fit(context: BedContext, design: Floats, x: Floats, y: Floats, z: Floats) -> tuple[Fit, Spot | None]:
    """The plane, with the scatter of one height; and the one spot that stands out over its neighbours, if any."""
    plane = fitted(design, z)
    floor = U95_OF_STEP * context.resolution_mm / 1.96
    stated = math.hypot(floor, context.reading_u95_mm / 1.96)
    smooth = _smooth(x, y)
    spot = _speck(smooth, x, y, z, floor) if len(x) >= _SMOOTH + _SPARE else None
    again = _repeats(x, y, z)
    if again is not None:
        return plane.with_scatter(max(again[0], floor), again[1]), spot
    use = np.ones(len(x), dtype=bool)
    if spot is not None:
        use = ~((x == spot.x_mm) & (y == spot.y_mm))
    if int(use.sum()) >= _SMOOTH + _SPARE and np.linalg.matrix_rank(smooth[use]) == _SMOOTH:
        left = fitted(smooth[use], z[use])
        return plane.with_scatter(max(left.scatter, floor), left.dof), spot
    # Too few places to tell a warp from noise: what the probe is good for speaks, or what the plane leaves where that is less.
    dof = len(x) - 3
    if dof >= 1 and (seen := math.sqrt(float((plane.left**2).sum()) / dof)) > stated:
        return plane.with_scatter(seen, dof), spot
    return plane.with_scatter(stated, math.inf), spot


def _smooth(x: Floats, y: Floats) -> Floats:
    """Plane, bow and twist over the bed, on a scale of its own size."""
    u = (x - x.mean()) / max(float(np.ptp(x)) / 2, 1e-9)
    v = (y - y.mean()) / max(float(np.ptp(y)) / 2, 1e-9)
    return np.column_stack([np.ones(len(x)), u, v, u * u, v * v, u * v])


def _repeats(x: Floats, y: Floats, z: Floats) -> tuple[float, int] | None:
    """Standard deviation of one height and its degrees of freedom, from places read more than once; None under three."""
    places: dict[tuple[int, int], list[float]] = {}
    for a, b, c in zip(x, y, z, strict=True):
        places.setdefault((round(a / _ONE_PLACE), round(b / _ONE_PLACE)), []).append(float(c))
    again = [v for v in places.values() if len(v) > 1]
    dof = sum(len(v) - 1 for v in again)
    if dof < 3:
        return None
    return math.sqrt(sum(float(((np.array(v) - np.mean(v)) ** 2).sum()) for v in again) / dof), dof


def _speck(smooth: Floats, x: Floats, y: Floats, z: Floats, floor: float) -> Spot | None:
    """The one height that stands far over what a smooth surface through all others says there."""
    if np.linalg.matrix_rank(smooth) < smooth.shape[1]:
        return None
    hat = smooth @ np.linalg.pinv(smooth)
    left = z - hat @ z
    share = np.clip(1 - np.diag(hat), 1e-9, None)
    alone = left / share
    i = int(alone.argmax())
    if share[i] < 0.15:
        return None
    others = np.delete(np.arange(len(z)), i)
    rest = fitted(smooth[others], z[others])
    # A scatter that is seen on few places may be small by chance.
    scatter = max(rest.scatter * rest.factor / 1.96, floor)
    if alone[i] < max(_STANDS_OUT * scatter / math.sqrt(share[i]), _LEAST_SPECK_MM):
        return None
    return Spot(x_mm=float(x[i]), y_mm=float(y[i]), over_mm=float(alone[i]))


def _warp(fit: Fit, x: Floats, y: Floats) -> Quantity:
    """Peak to valley of what the plane leaves, and how much of that noise may be (seen by drawing it)."""
    warp = float(np.ptp(fit.left))
    if len(x) <= 3:
        return Quantity(value=0.0, u95=None, unit="mm")
    shape = fit.left
    if len(x) >= _SMOOTH + _SPARE:
        through = fitted(_smooth(x, y), fit.left)
        # Where bow and twist leave no more than noise, they are the shape, less what noise alone would make of them; else the
        # heights themselves are.
        if through.scatter <= 1.5 * fit.scatter:
            shape = fit.left - through.left
            by_noise = (_SMOOTH - _LEAST) * fit.scatter**2
            shape = shape * max(0.0, 1 - by_noise / max(float(shape @ shape), 1e-30))
    rng = np.random.default_rng(1)
    drawn = np.ptp(shape + rng.normal(0, fit.scatter, (_DRAWS, len(x))), axis=1) - np.ptp(shape)
    # Noise makes a range larger, never smaller: its mean stands beside its spread.
    spread = fit.factor * float(drawn.std(ddof=1))
    u = max(0.0, float(drawn.mean())) + spread
    return Quantity(value=warp, u95=u, unit="mm", low=max(0.0, warp - u), high=warp + spread)


def _screws_wanted(result: BedResult, context: BedContext, fit: Fit, learned: Quantity | None) -> None:
    """What each screw wants, against the one that is left alone or the mean of all."""
    if not context.screws:
        return
    rows = np.array([[1.0, s.x_mm, s.y_mm] for s in context.screws])
    fixed = next((i for i, s in enumerate(context.screws) if s.name == context.fixed), None)
    over = rows - (rows[fixed] if fixed is not None else rows.mean(axis=0))
    for screw, row in zip(context.screws, over, strict=True):
        at = Quantity(value=float(row @ fit.theta), u95=fit.u95(row), unit="mm")
        wanted = at.model_copy(update={"value": -at.value})
        turns = turns_needed(wanted, screw.thread_pitch_mm, learned)
        result.screws.append(
            LevelTurn(
                name=screw.name,
                x_mm=screw.x_mm,
                y_mm=screw.y_mm,
                raise_mm=wanted,
                turns=turns.model_copy(update={"value": abs(turns.value)}),
                direction=None
                if screw.name == context.fixed
                else screw.raises
                if turns.value > 0
                else other_way(screw.raises),
            )
        )
        result.turnables.append(
            Turnable(
                target=screw.name,
                title=f"Screw {screw.name}",
                unit="turns",
                ways=ways(screw.raises),
                at=at,
                per_turn=screw.thread_pitch_mm,
            )
        )


def _shims(result: BedResult, fit: Fit, x: Floats, y: Floats) -> None:
    """On an endless bed: what lies under either end of the end roller, so that the plate runs level to it along the belt (y)."""
    near, far, middle = float(y.min()), float(y.max()), float(x.mean())
    for name, at in (("roller left", float(x.min())), ("roller right", float(x.max()))):
        row = np.array([0.0, at - middle, far - near])
        over = Quantity(value=float(row @ fit.theta), u95=fit.u95(row), unit="mm")
        wanted = over.model_copy(update={"value": -over.value})
        result.screws.append(LevelTurn(name=name, x_mm=at, y_mm=far, raise_mm=wanted, turns=wanted, direction=None))
        result.turnables.append(
            Turnable(
                target=name,
                title=f"Shim under the {name.replace('roller ', '')} end of the roller",
                unit="mm",
                ways=["added", "taken out"],
                at=over,
                per_turn=1.0,
            )
        )


def _judge(result: BedResult, context: BedContext) -> None:
    tilt, warp = Limits(high=context.tilt_limit_mm), Limits(high=context.warp_limit_mm)
    of_tilt = decide(result.tilt.value, result.tilt.u95, tilt)
    of_warp = decide(result.warp.value, result.warp.u95, warp)
    result.judge("Tilts, corner to corner", result.tilt, tilt, source_of(context, "tilt_limit_mm"), of_tilt)
    result.judge("Warped, peak to valley", result.warp, warp, source_of(context, "warp_limit_mm"), of_warp)
    result.judge("Rises along X by", result.tilt_x)
    result.judge("Rises along Y by", result.tilt_y)
    result.verdict = worst([of_tilt, of_warp])
    result.findings += [
        Finding(finding="bed_tilt", axis="bed", state=three_way(of_tilt), value=result.tilt),
        Finding(finding="bed_warp", axis="bed", state=three_way(of_warp), value=result.warp),
        Finding(
            finding="bed_bump",
            axis="bed",
            state="present" if result.debris_suspected else "absent" if len(result.heights) >= 16 else "unknown",
        ),
    ]


def _warn(result: BedResult, context: BedContext, n: int) -> None:
    if result.debris_at is not None:
        at = result.debris_at
        result.warn(
            "debris_suspected",
            f"At X {at.x_mm:g}, Y {at.y_mm:g} one spot alone stands {at.over_mm:.2f} mm over its neighbours: dirt under the plate, "
            "or on it, looks like this.",
        )
    if n < _SMOOTH + _SPARE:
        result.warn("few_places", f"{n} places: a warp between them is not seen. Nine or more, all over the bed.")
    if context.beam_tilt is None and context.kinematics != "belt_bed":
        result.warn(
            "beam_not_known",
            "A map of the bed alone cannot tell a tilted beam from a tilted bed: measure the gap under both ends of the beam first.",
        )
    elif context.beam_tilt is not None:
        tilt = context.beam_tilt.in_unit("mm/100mm", "beam_tilt")
        if abs(tilt.value) - (tilt.u95 or 0.0) > 0.05:
            result.warn(
                "beam_tilted",
                f"The beam tilts by {rounded(tilt.value, tilt.u95)} mm per 100 mm: set it first, or the bed is set to a crooked beam and "
                "parts come out leaning.",
            )


def _advise(result: BedResult, context: BedContext) -> None:
    of_tilt, of_warp = result.judged[0].verdict, result.judged[1].verdict
    if result.debris_at is not None:
        at = result.debris_at
        result.advice.append(
            Advice(
                action="wipe",
                target="bed",
                reason=f"Let it cool, plate off, wipe both faces and what it lies on, look at X {at.x_mm:g}, Y {at.y_mm:g} against the "
                "light. Then measure again, before anything is turned.",
            )
        )
        return
    if any(w.code == "beam_tilted" for w in result.warnings):
        words = "Set the beam first, then measure the bed again: what its screws want is then another thing."
        result.advice.append(Advice(action="set_the_beam", target="z", reason=words))
        return
    if of_tilt == "out_of_tolerance":
        _turns(result, context)
    elif of_tilt == "cannot_tell":
        result.advice.append(Advice(action="measure_again", target="bed", reason=_what_would_tell(result, context)))
    if of_warp == "out_of_tolerance":
        result.advice.append(
            Advice(
                action="warped",
                target="bed",
                amount=result.warp,
                reason="The warp is nothing that a screw can mend: print where it is flat, lay a shim under the low place, take another "
                "plate, or let a map made as hot as it prints make up for it.",
            )
        )
    elif of_warp == "cannot_tell" and of_tilt != "cannot_tell":
        result.advice.append(
            Advice(
                action="measure_again",
                target="bed",
                reason="Whether the warp is over its limit cannot be told: read every place twice.",
            )
        )


def _turns(result: BedResult, context: BedContext) -> None:
    """What to turn now: what is off by more than its own uncertainty, least first, at the most half a turn at a time."""
    endless = context.kinematics == "belt_bed"
    wanted = [s for s in result.screws if abs(s.raise_mm.value) > (s.raise_mm.u95 or 0.0)]
    if not result.screws:
        result.advice.append(
            Advice(
                action="shim",
                target="bed",
                amount=result.tilt,
                reason="The bed has no screws that are told: raise its low side with shims at its mounts, or tell its screws with the model.",
            )
        )
    for s in sorted(wanted, key=lambda s: abs(s.turns.value)):
        up = s.raise_mm.value > 0
        by = mm_words(s.raise_mm.value, s.raise_mm.u95)
        if endless:
            side = s.name.replace("roller ", "")
            result.advice.append(
                Advice(
                    action="shim",
                    target=s.name,
                    amount=Quantity(value=abs(s.turns.value), u95=s.turns.u95, unit="mm"),
                    direction="added" if up else "taken out",
                    reason=f"{'Lay' if up else 'Take'} {by} mm of shim {'under' if up else 'from under'} the {side} end of the end roller.",
                    expect=Quantity(value=0.0, u95=s.raise_mm.u95, unit="mm"),
                )
            )
            continue
        now = min(s.turns.value, _MOST_TURN)
        rest = f" of {s.turns.value:.2f} turns in all: half a turn at a time" if now < s.turns.value else ""
        result.advice.append(
            Advice(
                action="turn",
                target=s.name,
                amount=s.turns.model_copy(update={"value": now}),
                direction=s.direction,
                reason=f"Turn screw {s.name} {turn_words(now)} {s.direction}{rest}. It is to {'rise' if up else 'sink'} by {by} mm.",
                expect=Quantity(value=(1 - now / s.turns.value) * -s.raise_mm.value, u95=s.raise_mm.u95, unit="mm"),
            )
        )


def _what_would_tell(result: BedResult, context: BedContext) -> str:
    room = abs(context.tilt_limit_mm - result.tilt.value)
    times = ((result.tilt.u95 or 0.0) / room) ** 2 if room > 0 else math.inf
    if times > 12:
        return "The tilt is at its limit: more heights will not tell. Leave it and look again at the next service."
    n = len(result.heights)
    return f"The limit lies inside the uncertainty: {max(3, math.ceil(n * times) - n)} more heights would tell. Turn nothing yet."


def _stand_in(machine: SimMachine, place: str, seed: int, context: dict[str, object]) -> StandIn:
    """A simulated probe over the bed, five by five: it sees the bed against its beam."""
    rng = np.random.default_rng([seed, 52])
    bed, beam = machine.true_bed(), machine.true_beam()
    rows: list[dict[str, float | str]] = []
    hot = isinstance(context.get("hot_c"), int | float) and float(str(context["hot_c"])) > 40
    for y in np.linspace(20, bed.depth_mm - 20, 5):
        for x in np.linspace(20, bed.width_mm - 20, 5):
            z = bed.height(float(x), float(y), hot) - beam.tilt * (x - bed.width_mm / 2) / 100
            rows.append(
                {
                    "x_mm": round(float(x), 1),
                    "y_mm": round(float(y), 1),
                    "z_mm": round(float(z + rng.normal(0, 0.004)), 3),
                }
            )
    return StandIn(rows=rows)


def _turn(machine: SimMachine, place: str, target: str, amount: float, found: Mapping[str, Any]) -> SimMachine:
    """Turn a screw of the simulated bed, or lay a shim: the plate stays flat and follows all that it lies on."""
    bed = machine.true_bed()
    under = [s for s in found["screws"]]
    shim = any(t["unit"] == "mm" for t in found["turnables"])
    lift = amount * bed.answers * next((t["per_turn"] for t in found["turnables"] if t["target"] == target), 0.0)
    points = [(s["x_mm"], s["y_mm"], lift if s["name"] == target else 0.0) for s in under]
    if shim:
        # The plate's near edge lies where it lay.
        near = min(h["y_mm"] for h in found["heights"])
        points += [(s["x_mm"], near, 0.0) for s in under]
    x, y, up = np.array(points).T
    _, bx, by = np.linalg.lstsq(np.column_stack([np.ones(len(x)), x, y]), up, rcond=None)[0]
    changed = bed.model_copy(update={"tilt_x": bed.tilt_x + 100 * float(bx), "tilt_y": bed.tilt_y + 100 * float(by)})
    return machine.model_copy(update={"bed": changed, "touched": machine.touched + 1})


PROCEDURE = Procedure(
    "bed",
    "Map of the bed",
    BedContext,
    BedResult,
    analyse,
    data="csv",
    measures="bed",
    gives="bed",
    expected=True,
    adjustable=True,
    interval_days=60,
    table=Height,
    grid=True,
    turned=Turned("Turned bed screw {target}", ("bed",), "bed_changed", _turn),
    part="flat",
    stand_in=_stand_in,
)
