"""life: how long parts of one kind last, from those that failed and those that still run.

Weibull by maximum likelihood with right censoring; intervals by the likelihood itself (its profile), which keep their
coverage with few failures. Sources: Nelson 1982; Meeker and Escobar 1998, chapter 8, for the intervals.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import Annotated, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from ..asking import Asked
from ..errors import BadInput
from ..quantities import Quantity
from ..readers import read_columns
from .base import Context, Part, Procedure, Result

Floats = NDArray[np.float64]
#: With fewer failures a life is hardly known; that is said, and the typical life stands beside it.
FEW = 3
MOST = 20_000
#: Shapes that are looked at: parts that fail in their first hours to parts that all fail at once.
_SHAPES = (0.1, 40.0)
#: Half of the 95 % point of chi-squared with one degree of freedom: how far the likelihood may fall within an interval.
_FALL = 1.920729
#: With few failures it may fall further: then the intervals hold the truth as often as they say (from simulation, 3 to 40).
_FEW_FALL = 10.0
#: An end that lies so many times beyond the value is none.
_ENDLESS = 50.0
#: Cells of the search each way, and how often it closes in.
_CELLS, _CLOSER = 161, 3


class LifeContext(Context):
    """``default_life_hours``: the typical life, where few have failed. ``age_hours``, ``horizon_hours``: of one part: how
    long it has run, and how far ahead one asks.
    """

    default_life_hours: Annotated[float | None, Field(gt=0, le=1e6), Asked("Typical life", "h")] = None
    age_hours: Annotated[float | None, Field(ge=0, le=1e6), Asked("This one has run", "h")] = None
    horizon_hours: Annotated[float | None, Field(gt=0, le=1e6), Asked("Asked for the next", "h")] = None


class Part_(Part):
    """One part: the hours that it ran, and whether it failed (1) or still runs or was taken out sound (0)."""

    hours: Annotated[float, Field(gt=0, le=1e6)]
    failed: Literal[0, 1]


class Survival(Part):
    """Share of parts that still run at an age, with its interval (95 %), for the drawing."""

    hours: float
    share: float
    low: float
    high: float


class LifeResult(Result):
    """Weibull life of one kind of part; null where nothing has failed yet.

    ``shape``: under 1 they fail early, about 1 by accident at any age, over 1 by wear. ``scale_hours``: when 63 % have failed;
    ``b10_hours``: when 10 % have; ``median_hours``: when half have. ``failure_probability``: of one of ``age_hours`` within
    ``horizon_hours``; ``left_hours``: as long as half of those last that have run as long as it has. Each with ``low`` and ``high``.
    """

    procedure: Literal["life"] = "life"
    failures: int
    running: int
    shape: Quantity | None = None
    scale_hours: Quantity | None = None
    b10_hours: Quantity | None = None
    median_hours: Quantity | None = None
    default_life_hours: float | None = None
    failure_probability: Quantity | None = None
    left_hours: Quantity | None = None
    survival: list[Survival] = []


@dataclass(frozen=True)
class _Parts:
    """Hours of all parts with their logarithms, and how many of them failed with the sum of theirs: all that the likelihood needs.
    Hours are in units of their geometric mean, so that no power of them runs away.
    """

    hours: Floats
    logs: Floats
    unit: float
    failures: int
    log_sum: float


def analyse(context: LifeContext, data: bytes | None) -> LifeResult:
    r"""The life of one kind of part.

    Parameters
    ----------
    context : LifeContext
        The typical life (h), and of one part its age and how far ahead one asks (h).
    data : bytes
        CSV ``hours,failed``: 1 failed, 0 still running or removed sound.

    Returns
    -------
    LifeResult
        ``shape``, ``scale_hours``, ``b10_hours``, ``median_hours`` (h) with their intervals.

    Raises
    ------
    BadInput
        Those of `readers.read_columns`; ``out_of_range`` for hours that are not above zero, ``bad_row`` where ``failed`` is
        neither 0 nor 1; ``too_few_rows`` without any part, ``too_large`` over 20,000.

    Notes
    -----
    An interval holds every value that some Weibull course has whose likelihood is at least exp(-1.92) of the best
    (95 %; with few failures less, see ``_FEW_FALL``). All parts are taken to be of one kind and worn alike.

    Examples
    --------
    >>> rows = b"hours,failed\n" + b"".join(b"%d,1\n" % h for h in (420, 510, 560, 640, 700))
    >>> result = analyse(LifeContext(), rows)
    >>> round(result.median_hours.value), result.median_hours.low < 500 < result.median_hours.high
    (575, True)
    """
    assert data is not None
    table = read_columns(data, ("hours", "failed"))
    wrong = ~np.isin(table["failed"], (0.0, 1.0))
    if wrong.any():
        row = int(np.argmax(wrong))
        raise BadInput("bad_row", f"Part {row + 1}: “failed” is 1 (it failed) or 0 (it still runs).", "failed", row + 2)
    return fit(context, table["hours"], table["failed"] == 1.0)


def fit(context: LifeContext, hours: Floats, failed: NDArray[np.bool_]) -> LifeResult:
    """As `analyse`, from (n,) hours and whether each failed."""
    _refuse(hours)
    result = LifeResult(
        verdict="not_judged",
        failures=int(failed.sum()),
        running=int((~failed).sum()),
        default_life_hours=context.default_life_hours,
    )
    if result.failures < FEW:
        words = {0: "Nothing has failed yet", 1: "Only one has failed", 2: "Only two have failed"}[result.failures]
        beside = "" if context.default_life_hours is None else " The typical life stands beside it."
        result.warn("few_failures", f"{words}: how long they last is hardly known.{beside}")
    if not result.failures:
        _say_typical(result, context)
        return result
    life = Life.of(hours, failed)
    if life.shape >= 0.99 * _SHAPES[1]:
        result.warn(
            "all_at_one_age", "What failed was the oldest, or all failed at one age: the shape is not known from it."
        )
    _tell(result, context, life)
    return result


def _refuse(hours: Floats) -> None:
    if not len(hours):
        raise BadInput("too_few_rows", "There is no part in the table.", "data")
    if len(hours) > MOST:
        raise BadInput("too_large", f"At most {MOST} parts are taken.", "data")
    if (hours <= 0).any() or (hours > 1e6).any():
        raise BadInput("out_of_range", "Hours are above zero, and at most a million.", "hours")


def _parts(hours: Floats, failed: NDArray[np.bool_]) -> _Parts:
    unit = math.exp(float(np.log(hours).mean()))
    scaled = hours / unit
    logs = np.log(scaled)
    return _Parts(scaled, logs, unit, int(failed.sum()), float(logs[failed].sum()))


def _best(parts: _Parts) -> tuple[float, float]:
    """Shape and logarithm of the scale at the maximum: of each shape the scale is known, so one search does."""

    def score(shape: float) -> float:
        # Derivative of the profile log-likelihood; it falls with the shape.
        powers = shape * parts.logs
        weights = np.exp(powers - powers.max())
        mean = float(weights @ parts.logs) / float(weights.sum())
        return parts.failures / shape + parts.log_sum - parts.failures * mean

    low, high = _SHAPES
    for _ in range(100):
        mid = math.sqrt(low * high)
        if not low < mid < high:
            break
        low, high = (mid, high) if score(mid) > 0 else (low, mid)
    shape = math.sqrt(low * high)
    return shape, _log_scale(parts, shape)


def _log_scale(parts: _Parts, shape: float) -> float:
    powers = shape * parts.logs
    top = float(powers.max())
    return (top + math.log(float(np.exp(powers - top).sum())) - math.log(parts.failures)) / shape


def _likely(parts: _Parts, shape: float, log_scale: float) -> tuple[Floats, Floats]:
    """Shapes and logarithms of the scale of all courses that are likely enough (95 %)."""
    best = float(_profile(parts, np.array([shape]), np.array([log_scale]))[0])
    may_fall = _FALL * (1 + _FEW_FALL / parts.failures**2)
    # In w = k (log scale - its best) the region is about as wide for every shape. Both widths go with the root of the failures: of many,
    # a net cast over all there could be would have no knot in it.
    near = 1 / math.sqrt(parts.failures)
    k = (
        math.log(max(_SHAPES[0], shape * math.exp(-15 * near))),
        math.log(min(_SHAPES[1], shape * math.exp(15 * near))),
    )
    w = (max(-60.0, -120 * near), min(12.0, 24 * near))
    inside_k, inside_s = np.array([shape]), np.array([log_scale])
    for _ in range(_CLOSER):
        shapes, wide = np.exp(np.linspace(*k, _CELLS)), np.linspace(*w, _CELLS)
        own = np.array([_log_scale(parts, float(x)) for x in shapes])
        # For each shape its own scales.
        scales = own[:, None] + wide[None, :] / shapes[:, None]
        fall = best - _profile(parts, shapes, own)[:, None] + parts.failures * (np.exp(-wide) - 1 + wide)[None, :]
        inside = fall <= may_fall
        if not inside.any():
            break
        rows, columns = np.nonzero(inside)
        inside_k, inside_s = np.append(shapes[rows], shape), np.append(scales[inside], log_scale)
        k = _around(np.log(shapes), rows, k)
        w = _around(wide, columns, w)
    return inside_k, inside_s


def _profile(parts: _Parts, shapes: Floats, own: Floats) -> Floats:
    """Log-likelihood of each shape at its own best scale."""
    r = parts.failures
    out: Floats = r * np.log(shapes) + (shapes - 1) * parts.log_sum - r * shapes * own - r
    return out


def _around(axis: Floats, at: NDArray[np.intp], before: tuple[float, float]) -> tuple[float, float]:
    step = float(axis[1] - axis[0])
    return max(before[0], float(axis[at.min()]) - 2 * step), min(before[1], float(axis[at.max()]) + 2 * step)


@dataclass(frozen=True)
class Life:
    """The life of one kind of part as it was fitted: of it any number of parts can be asked.

    ``cells``: shapes and logarithms of the scale of all courses that are likely enough (95 %).
    """

    parts: _Parts
    shape: float
    log_scale: float
    cells: tuple[Floats, Floats]

    @classmethod
    def of(cls, hours: Floats, failed: NDArray[np.bool_]) -> Life:
        """Fitted to (n,) hours and whether each failed; one has to."""
        parts = _parts(hours, failed)
        shape, log_scale = _best(parts)
        return cls(parts, shape, log_scale, _likely(parts, shape, log_scale))

    def told(self, of: Callable[[Floats, Floats], Floats], unit: str) -> Quantity:
        """A figure at the best course, with the least and most that the likely ones give it."""
        value = float(of(np.array([self.shape]), np.array([self.log_scale]))[0])
        every = of(*self.cells)
        low, high = float(every.min()), float(every.max())
        if high > _ENDLESS * value:
            return Quantity(value=value, unit=unit, low=low)
        return Quantity(value=value, u95=max(value - low, high - value), unit=unit, low=low, high=high)

    def when(self, share: float) -> Quantity:
        """Hours at which that share has failed."""
        return self._at_hazard(-math.log1p(-share))

    def left(self, age_hours: float) -> Quantity:
        """Hours that half of those last on which have run so long."""
        return self._at_hazard(math.log(2), age_hours)

    def _at_hazard(self, more: float, age_hours: float = 0.0) -> Quantity:
        def hours(k: Floats, s: Floats) -> Floats:
            hazard = self._gone(age_hours)(k, s) + more
            until: Floats = self.parts.unit * np.exp(np.clip(s + np.log(hazard) / k, -700, 30)) - age_hours
            return np.maximum(until, 0.0)

        return self.told(hours, "h")

    def _gone(self, hours: float) -> Callable[[Floats, Floats], Floats]:
        """Cumulative hazard at an age."""
        if hours <= 0:
            return lambda k, s: np.zeros_like(k)
        return lambda k, s: np.exp(np.clip(k * (math.log(hours / self.parts.unit) - s), -700, 700))

    def fails_within(self, age_hours: float, horizon_hours: float) -> Quantity:
        """The chance that one which has run so long fails within so many hours."""
        before, after = self._gone(age_hours), self._gone(age_hours + horizon_hours)
        return self.told(lambda k, s: -np.expm1(-np.clip(after(k, s) - before(k, s), 0, 700)), "1")

    def chances(self, age_hours: float, ahead: Floats) -> Floats:
        """The chance, by the best course alone, that one which has run so long fails within each of so many more hours."""
        k, s = np.array([self.shape]), np.array([self.log_scale])
        before = self._gone(age_hours)(k, s)[0]
        until = (age_hours + np.asarray(ahead)) / self.parts.unit
        gone = np.exp(np.clip(self.shape * (np.log(np.maximum(until, 1e-300)) - self.log_scale), -700, 700))
        return np.asarray(-np.expm1(-np.clip(gone - before, 0, 700)), dtype=float)

    def survival(self, points: int = 40) -> list[Survival]:
        """The share that still runs, by age."""
        longest = 1.3 * max(float(self.parts.hours.max()) * self.parts.unit, self.when(0.5).value)
        hours = np.linspace(0, longest, points + 1)[1:]
        best = np.exp(-self._hazards(np.array([self.shape]), np.array([self.log_scale]), hours))[:, 0]
        gone = self._hazards(*self.cells, hours)
        low, high = np.exp(-gone.max(axis=1)), np.exp(-gone.min(axis=1))
        rows = zip(hours.tolist(), best.tolist(), low.tolist(), high.tolist(), strict=True)
        return [Survival(hours=h, share=s, low=a, high=b) for h, s, a, b in rows]

    def _hazards(self, shapes: Floats, log_scales: Floats, hours: Floats) -> Floats:
        """Cumulative hazards of (m,) courses at (n,) ages above zero, as (n, m)."""
        logs = np.log(hours / self.parts.unit)[:, None]
        gone: Floats = np.exp(np.clip(shapes * (logs - log_scales), -700, 700))
        return gone


def _tell(result: LifeResult, context: LifeContext, life: Life) -> None:
    result.shape = life.told(lambda k, _: k, "1")
    result.scale_hours = life.when(1 - math.exp(-1))
    result.b10_hours = life.when(0.1)
    result.median_hours = life.when(0.5)
    result.judge("Half of them last", result.median_hours)
    result.judge("Nine of ten last", result.b10_hours)
    if context.age_hours is not None:
        result.left_hours = life.left(context.age_hours)
        if context.horizon_hours is not None:
            result.failure_probability = life.fails_within(context.age_hours, context.horizon_hours)
            result.judge(f"Fails within {context.horizon_hours:g} h", result.failure_probability)
    result.survival = life.survival()


def _say_typical(result: LifeResult, context: LifeContext) -> None:
    if context.default_life_hours is not None:
        typical = Quantity(value=context.default_life_hours, unit="h")
        result.judge("Typical life", typical)


PROCEDURE = Procedure("life", "How long they last", LifeContext, LifeResult, analyse, data="csv", row=Part_)
