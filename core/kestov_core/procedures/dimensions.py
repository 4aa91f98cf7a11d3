"""dimensions: what is wrong with the size of a printed part: the motion, the plastic, or the wall.

By axis ``measured = s * nominal + k * w`` with k = +1 for outer, -1 for inner sizes and 0 for centre distances: the scale s and the wall
offset w come apart, which one cube cannot do.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING, Annotated, Any, Literal

import numpy as np
from pydantic import Field

from ..asking import Asked, Choice, Known, held_with, instrument_u95, limit, model, resolution, told, typical
from ..errors import BadInput
from ..fitting import Fit, Floats, fitted
from ..machine import BeltTransmission
from ..parts.stepped import PLACES, sheet
from ..quantities import Limits, Quantity, Verdict, decide, mean_of, odd_ones, quadrature, rounded, typed_wrong, worst
from ..readers import read_named
from ._sizes_advised import advise
from .base import Context, Finding, Part, Procedure, Result, School, StandIn, source_of, three_way

if TYPE_CHECKING:
    from ..simulator.machine import SimMachine

DimensionAxis = Literal["x", "y", "z"]
Kind = Literal["outer", "inner", "centre"]
Cause = Literal["steps", "extrusion_width", "shrinkage", "belt_or_pulley", "sound", "measure_more"]
_AXES: tuple[DimensionAxis, ...] = ("x", "y", "z")
_K: dict[str, float] = {"outer": 1.0, "inner": -1.0, "centre": 0.0}
_MOST = 2000
#: Places that leave so many times the variance of their repeats are each off by themselves: then places count, not readings.
_LACK = 3.0
#: No print is off by more than so many mm and this share.
_FAR = (2.0, 0.1)
#: Lengths at the least that make a scale worth believing.
_LENGTHS = 3


class Size(Part):
    """One reading: along which axis, of which feature and kind, how long it was drawn and how long it is; and how far off it may be,
    where that is drawn, too."""

    axis: DimensionAxis
    feature: Annotated[str, Field(max_length=60)]
    kind: Kind
    nominal_mm: Annotated[float, Field(ge=0.1, le=2000)]
    measured_mm: Annotated[float, Field(ge=0.1, le=2000), Asked("Measured", "mm", varies=True)]
    tolerance_mm: Annotated[float | None, Field(gt=0, le=50)] = None


def _drives(known: Known) -> dict[str, str] | None:
    out: dict[str, str] = {}
    for axis in _AXES:
        drive = known.description.drive_of(axis)
        if drive is not None and drive.kind in ("belt", "screw"):
            out[axis] = drive.kind
    return out or None


def _steps(known: Known) -> dict[str, float] | None:
    """Steps per mm by teeth and thread."""
    out: dict[str, float] = {}
    for axis in _AXES:
        drive = known.description.drive_of(axis)
        if drive is None or drive.kind == "extruder":
            continue
        travel = drive.pitch_mm * drive.teeth if isinstance(drive, BeltTransmission) else drive.lead_mm
        out[axis] = drive.motor_steps_per_rev * drive.microsteps * drive.gear_ratio / travel
    return out or None


class DimensionsContext(Context):
    """``drives``: what moves each axis. ``steps_per_mm``: what is set now."""

    drives: Annotated[dict[DimensionAxis, Literal["belt", "screw"]], told(model(_drives))] = {
        "x": "belt",
        "y": "belt",
        "z": "screw",
    }
    steps_per_mm: Annotated[dict[DimensionAxis, Annotated[float, Field(ge=0.1, le=1e5)]], told(model(_steps))] = {}
    school: Annotated[
        Literal["machine", "part", "theory"],
        Asked(
            "Steps are set by",
            sources=(held_with("steps", "Steps are set by"), typical(lambda k: "machine")),
            choices=(
                Choice(
                    value="machine",
                    label="Commanded travel",
                    hint="A part's wall error would be baked into long moves.",
                ),
                Choice(value="part", label="The printed part", hint="Until the part is right."),
                Choice(value="theory", label="Teeth and threads", hint="They are right; put all else right."),
            ),
        ),
    ] = "machine"
    limit_percent: Annotated[
        float,
        Field(ge=0.001, le=50),
        Asked("Scale may be off by", "%", "0.2 is typical.", (limit("scale", "A part's scale may be off by", "%"),)),
    ] = 0.2
    wall_limit_mm: Annotated[
        float,
        Field(ge=0.001, le=5),
        Asked("Walls may be off by", "mm", "0.15 is typical.", (limit("wall", "A printed wall may be off by", "mm"),)),
    ] = 0.15
    resolution_mm: Annotated[
        float, Field(ge=0, le=1), Asked("Caliper reads to", "mm", "Its smallest step.", (resolution("mm"),), more=True)
    ] = 0.01
    caliper_u95_mm: Annotated[
        float,
        Field(ge=0, le=1),
        Asked("A reading is good to ±", "mm", "0.03 is typical of hand and feel.", (instrument_u95("mm"),), more=True),
    ] = 0.03


class AxisSize(Part):
    """What one axis came to. ``scale``: measured over nominal; ``wall_offset``: how much wider outer sizes come out (mm); null where the
    lengths do not tell. ``steps_per_mm_new``: what would make the part right.
    """

    axis: DimensionAxis
    scale: Quantity | None
    scale_error: Quantity | None
    wall_offset: Quantity | None
    verdict: Verdict
    steps_per_mm_new: Quantity | None
    cause: Cause
    why: str
    lengths: list[float]


class SizeRead(Part):
    """A reading, for the drawing. ``tolerance_mm``: how far off it may be, where that was drawn."""

    axis: DimensionAxis
    feature: str
    kind: Kind
    nominal_mm: float
    measured_mm: float
    tolerance_mm: float | None = None


class DimensionsResult(Result):
    """By axis scale and wall, the verdict and the cause; what each school answers; and the readings."""

    procedure: Literal["dimensions"] = "dimensions"
    axes: list[AxisSize]
    schools: list[School]
    sizes: list[SizeRead]


@dataclass
class _Axis:
    """One axis while it is weighed. ``fit``: scale and, where it can be told, wall."""

    axis: DimensionAxis
    rows: list[int]
    fit: Fit | None
    has_wall: bool
    percent: Quantity | None = None
    wall: Quantity | None = None
    of_scale: Verdict = "cannot_tell"
    of_wall: Verdict = "not_judged"


def analyse(context: DimensionsContext, data: bytes | None) -> DimensionsResult:
    r"""Scale and wall of a printed part by axis, and what makes them so.

    Parameters
    ----------
    context : DimensionsContext
        Limits (%, mm), what drives each axis, steps per mm, the school.
    data : bytes
        CSV ``axis,feature,kind,nominal_mm,measured_mm``; repeats as more rows.

    Returns
    -------
    DimensionsResult
        ``axes`` with ``scale``, ``wall_offset`` (mm), ``steps_per_mm_new`` and ``cause``.

    Raises
    ------
    BadInput
        Those of `readers.read_named`; ``out_of_range`` for lengths that no part has.

    Examples
    --------
    >>> rows = "".join(f"x,a{n},outer,{n},{1.004 * n + 0.1:.3f}\n" for n in (20, 40, 60, 80))
    >>> head = "axis,feature,kind,nominal_mm,measured_mm\n"
    >>> result = analyse(DimensionsContext(), (head + rows).encode())
    >>> round(result.axes[0].scale.value, 4), round(result.axes[0].wall_offset.value, 3)
    (1.004, 0.1)
    """
    assert data is not None
    sizes, odd = _sizes(data)
    axes = [_of_axis(context, a, [i for i, s in enumerate(sizes) if s.axis == a], sizes) for a in _AXES]
    axes = [a for a in axes if a.rows]
    for a in axes:
        _decide(context, a)
    told_ = [_told(context, a, axes, sizes) for a in axes]
    result = DimensionsResult(
        verdict="not_judged",
        axes=told_,
        schools=[],
        sizes=[SizeRead(**s.model_dump()) for s in sizes],
    )
    _judge(result, context, axes)
    _warn(result, context, axes, odd, sizes)
    advise(result, context, bool(odd))
    return result


def _sizes(data: bytes) -> tuple[list[Size], list[str]]:
    """The readings, and which of them were typed wrongly."""
    figures, words = read_named(
        data,
        ("nominal_mm", "measured_mm"),
        {"axis": _AXES, "feature": (), "kind": tuple(_K)},
        spare=("tolerance_mm",),
    )
    spare = figures.pop("tolerance_mm", [math.nan] * len(figures["nominal_mm"]))
    n = len(figures["nominal_mm"])
    if not n:
        raise BadInput("too_few_rows", "There is no size in the table.", "data")
    if n > _MOST:
        raise BadInput("too_large", f"{n} sizes; {_MOST} at the most.", "data")
    for name, values in figures.items():
        for row, value in enumerate(values):
            if not 0.1 <= value <= 2000:
                raise BadInput("out_of_range", f"Row {row + 2}, column {name}: {value:g} mm is no size.", name, row + 2)
    for row, value in enumerate(spare):
        if not (math.isnan(value) or 0 < value <= 50):
            raise BadInput(
                "out_of_range",
                f"Row {row + 2}, column tolerance_mm: {value:g} mm is no tolerance.",
                "tolerance_mm",
                row + 2,
            )
    sizes = [
        Size(
            axis=words["axis"][i],  # type: ignore[arg-type]
            feature=words["feature"][i],
            kind=words["kind"][i],  # type: ignore[arg-type]
            nominal_mm=figures["nominal_mm"][i],
            measured_mm=figures["measured_mm"][i],
            tolerance_mm=None if math.isnan(spare[i]) else spare[i],
        )
        for i in range(n)
    ]
    odd = [
        f"{s.axis.upper()}, {s.feature or s.kind}: {s.measured_mm:g} is {w} what is expected"
        for s in sizes
        if (w := typed_wrong(s.measured_mm, s.nominal_mm) or _far(s))
    ]
    places: dict[tuple[str, str, str, float], list[float]] = {}
    for s in sizes:
        places.setdefault((s.axis, s.feature, s.kind, s.nominal_mm), []).append(s.measured_mm)
    for (axis, feature, kind, _n), read in places.items():
        odd += [
            f"{axis.upper()}, {feature or kind}: {w}"
            for _i, w in odd_ones(read, 0.3)
            if not any(f"{axis.upper()}, {feature or kind}" in o for o in odd)
        ]
    return sizes, odd


def _far(s: Size) -> str:
    """In words, where a size is none that a print of this one has."""
    off = abs(s.measured_mm - s.nominal_mm)
    return "far from" if off > _FAR[0] and off > _FAR[1] * s.nominal_mm else ""


def _of_axis(context: DimensionsContext, axis: DimensionAxis, rows: list[int], sizes: list[Size]) -> _Axis:
    """The fit of one axis, of readings or of places; none where the lengths do not tell a scale."""
    mine = [sizes[i] for i in rows]
    n = np.array([s.nominal_mm for s in mine])
    k = np.array([_K[s.kind] for s in mine])
    y = np.array([s.measured_mm for s in mine])
    has_wall = bool(np.any(k))
    design = np.column_stack([n, k]) if has_wall else n[:, None]
    if (
        not rows
        or np.linalg.matrix_rank(design / max(float(n.max()), 1.0), tol=1e-6) < design.shape[1]
        or len(set(n.tolist())) < 2
    ):
        return _Axis(axis, rows, None, has_wall)
    return _Axis(
        axis, rows, _by_places(context, design, y, [(s.feature, s.kind, s.nominal_mm) for s in mine]), has_wall
    )


def _by_places(context: DimensionsContext, design: Floats, y: Floats, places: list[tuple[str, str, float]]) -> Fit:
    """Of all readings; where places are off by more than their repeats spread, of the places, each by its mean."""
    whole = fitted(design, y, context.resolution_mm, context.caliper_u95_mm)
    index: dict[tuple[str, str, float], list[int]] = {}
    for i, p in enumerate(places):
        index.setdefault(p, []).append(i)
    again = len(y) - len(index)
    spare = len(index) - design.shape[1]
    if again < 2 or spare < 1:
        return whole
    within = sum(float(((y[i] - y[i].mean()) ** 2).sum()) for i in index.values()) / again
    between = max(0.0, float(whole.left @ whole.left) - within * again) / spare
    step = context.resolution_mm**2 / 12
    if between <= _LACK * max(within, step):
        return whole
    # Alike many repeats at each place are taken for granted: each place counts once.
    mean = np.array([y[i].mean() for i in index.values()])
    return fitted(np.array([design[i[0]] for i in index.values()]), mean, context.resolution_mm)


def _decide(context: DimensionsContext, a: _Axis) -> None:
    if a.fit is None:
        return
    row = [1.0, 0.0] if a.has_wall else [1.0]
    a.percent = Quantity(value=100 * (float(a.fit.theta[0]) - 1), u95=100 * a.fit.u95(row), unit="%")
    side = Limits(low=-context.limit_percent, high=context.limit_percent)
    a.of_scale = decide(a.percent.value, a.percent.u95, side)
    if a.has_wall:
        a.wall = Quantity(value=float(a.fit.theta[1]), u95=a.fit.u95([0.0, 1.0]), unit="mm")
        a.of_wall = decide(a.wall.value, a.wall.u95, Limits(low=-context.wall_limit_mm, high=context.wall_limit_mm))


def _alike(a: _Axis, b: _Axis, context: DimensionsContext) -> bool:
    """Whether two axes are off by as much, as far as can be told; to a quarter of the limit they are."""
    assert a.percent is not None and b.percent is not None
    return abs(a.percent.value - b.percent.value) <= max(
        quadrature(a.percent.u95, b.percent.u95), 0.25 * context.limit_percent
    )


def _cause(context: DimensionsContext, a: _Axis, axes: list[_Axis]) -> tuple[Cause, str]:
    """What makes an axis so, with the figures that say it."""
    if a.percent is None:
        return (
            "measure_more",
            "One length, or one kind of it, cannot tell a scale from a wall: measure other lengths, too.",
        )
    held = ("in_tolerance", "watch")
    if a.of_scale in held:
        if a.of_wall == "out_of_tolerance" and a.wall is not None:
            size = f"{rounded(a.wall.value, a.wall.u95)} mm at every length"
            return (
                "extrusion_width",
                f"The error is {size}, and the scale is right: it is the width of the wall, not the motion.",
            )
        if a.of_wall == "cannot_tell":
            return "measure_more", "The scale is right; whether the wall is cannot be told yet."
        return "sound", "Scale and wall are within their limits."
    if a.of_scale == "cannot_tell":
        return (
            "measure_more",
            f"The scale is off by {rounded(a.percent.value, a.percent.u95)} ± {rounded(a.percent.u95 or 0, a.percent.u95)} %: the limit lies inside that.",
        )
    off = f"{rounded(a.percent.value, a.percent.u95)} %"
    others = [o for o in axes if o is not a and o.percent is not None]
    if not others:
        return (
            "measure_more",
            f"It is off by {off}, but alone it cannot tell motion from shrinkage: measure another axis, too.",
        )
    if all(o.of_scale == "out_of_tolerance" and _alike(a, o, context) for o in others):
        return "shrinkage", f"All axes are off alike ({off}): that is the plastic, not the motion."
    if context.drives.get(a.axis, "belt") == "screw":
        return (
            "steps",
            f"{a.axis.upper()} is off by {off} and the others are not so: its steps, or a screw of another lead.",
        )
    belts = [o for o in others if context.drives.get(o.axis, "belt") == "belt"]
    if any(o.of_scale == "out_of_tolerance" for o in belts):
        return (
            "steps",
            f"The belt axes are off unlike each other, or unlike the rest ({a.axis.upper()} {off}): their steps.",
        )
    if any(o.of_scale == "cannot_tell" for o in belts):
        return "measure_more", f"It is off by {off}; whether the other belt axis is, too, cannot be told yet."
    return (
        "belt_or_pulley",
        f"{a.axis.upper()} alone is off by {off}, so it is not the plastic: its belt, or its pulley.",
    )


def _told(context: DimensionsContext, a: _Axis, axes: list[_Axis], sizes: list[Size]) -> AxisSize:
    cause, why = _cause(context, a, axes)
    scale = new = None
    if a.percent is not None:
        u = (a.percent.u95 or 0.0) / 100
        scale = Quantity(value=1 + a.percent.value / 100, u95=u, unit="1")
        old = context.steps_per_mm.get(a.axis)
        if old is not None:
            new = Quantity(value=old / scale.value, u95=old * u / scale.value**2, unit="steps/mm")
    return AxisSize(
        axis=a.axis,
        scale=scale,
        scale_error=a.percent,
        wall_offset=a.wall,
        verdict=worst([a.of_scale, a.of_wall]),
        steps_per_mm_new=new,
        cause=cause,
        why=why,
        lengths=sorted({sizes[i].nominal_mm for i in a.rows}),
    )


def _judge_places(result: DimensionsResult, context: DimensionsContext) -> None:
    """Each place that has a tolerance of its own, by the mean of its readings."""
    places: dict[tuple[str, str, float, float], list[float]] = {}
    for s in result.sizes:
        if s.tolerance_mm is not None:
            key = (s.axis, s.feature or s.kind, s.nominal_mm, s.tolerance_mm)
            places.setdefault(key, []).append(s.measured_mm)
    for (axis, feature, nominal, tolerance), read in places.items():
        mean, u95 = mean_of(read, context.resolution_mm, context.caliper_u95_mm)
        off = Quantity(value=mean - nominal, u95=u95, unit="mm")
        words = f"{axis.upper()}, {feature}: measured less drawn ({nominal:g} mm)"
        result.judge(words, off, Limits(low=-tolerance, high=tolerance), "given")


def _judge(result: DimensionsResult, context: DimensionsContext, axes: list[_Axis]) -> None:
    """Each axis's scale and wall, the worst first."""
    side = Limits(low=-context.limit_percent, high=context.limit_percent)
    wall = Limits(low=-context.wall_limit_mm, high=context.wall_limit_mm)
    for a in axes:
        if a.percent is not None:
            result.judge(
                f"{a.axis.upper()} is longer than drawn by",
                a.percent,
                side,
                source_of(context, "limit_percent"),
                a.of_scale,
            )
        elif any(result.sizes[i].tolerance_mm is None for i in a.rows):
            first = result.sizes[a.rows[0]]
            off = Quantity(value=first.measured_mm - first.nominal_mm, u95=context.caliper_u95_mm, unit="mm")
            result.judge(f"{a.axis.upper()}: measured less drawn", off, verdict="cannot_tell")
        if a.wall is not None:
            result.judge(
                f"{a.axis.upper()}: walls are wider by", a.wall, wall, source_of(context, "wall_limit_mm"), a.of_wall
            )
        scale_off = three_way(a.of_scale)
        size = None if a.percent is None else a.percent.model_copy(update={"value": abs(a.percent.value)})
        result.findings += [
            Finding(finding="scale_off", axis=a.axis, state=scale_off, value=size),
            Finding(finding="error_grows_with_length", axis=a.axis, state=scale_off),
        ]
        if a.wall is not None:
            size = a.wall.model_copy(update={"value": abs(a.wall.value)})
            result.findings.append(
                Finding(finding="wall_width_off", axis=a.axis, state=three_way(a.of_wall), value=size)
            )
    _judge_places(result, context)
    order = ("out_of_tolerance", "cannot_tell", "watch", "in_tolerance", "not_judged")
    result.judged.sort(key=lambda j: order.index(j.verdict))
    result.verdict = worst([j.verdict for j in result.judged])


def _warn(
    result: DimensionsResult, context: DimensionsContext, axes: list[_Axis], odd: list[str], sizes: list[Size]
) -> None:
    for words in odd[:3]:
        result.warn("odd_reading", f"{words}. Measure it again, or put it right.")
    for a in axes:
        name = a.axis.upper()
        lengths = {sizes[i].nominal_mm for i in a.rows}
        if a.fit is None:
            result.warn(
                "one_length",
                f"{name}: one length of one kind cannot tell a scale from a wall. A cube says that it is off, never why: print the "
                "stepped bar, four lengths and more.",
            )
        elif len(lengths) < _LENGTHS:
            result.warn(
                "few_lengths", f"{name}: {len(lengths)} lengths; four and more show whether they lie in one line."
            )
        if a.fit is not None and not a.has_wall:
            result.warn("no_wall", f"{name}: centre distances tell the scale, but nothing of the walls.")


def _stand_in(machine: SimMachine, place: str, seed: int, context: dict[str, Any]) -> StandIn:
    """A caliper over the stepped bar as the simulated machine prints it, each place twice."""
    from ..simulator.instruments import CALIPER

    rng = np.random.default_rng([seed, 56])
    frame = machine.true_frame()
    shrunk = 1 - frame.shrinkage_percent / 100
    rows: list[dict[str, float | str]] = []
    for p in PLACES:
        # Told a mm, the axis travels more or less than one.
        true = p.nominal_mm * machine.truly_travels(p.axis).scale * shrunk + _K[p.kind] * frame.wall_mm
        rows += [p.row() | {"measured_mm": round(CALIPER.read(true, rng), 2)} for _ in range(2)]
    return StandIn(rows=rows)


PROCEDURE = Procedure(
    "dimensions",
    "Sizes of a printed part",
    DimensionsContext,
    DimensionsResult,
    analyse,
    data="csv",
    measures="print",
    kinematics=("bed_slinger", "fixed_bed", "corexy", "belt_bed", "delta"),
    gives="dimensions",
    adjustable=True,
    interval_days=120,
    table=Size,
    sheet=sheet,
    part="bar",
    own_parts=True,
    stand_in=_stand_in,
)
