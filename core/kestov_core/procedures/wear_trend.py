"""wear-trend: how fast a figure of one place changes with use since it was last touched, and when it reaches its limit.

A straight course, or one that settles exponentially (a fresh belt gives, then holds), chosen by the Bayesian information
criterion. Sources: Draper and Smith 1998 for weighted least squares; Schwarz 1978 for the criterion; Fieller 1954 for the
interval of a straight line's crossing.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Annotated, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from ..asking import Asked
from ..errors import BadInput
from ..quantities import Limits, Quantity, Verdict, decide, t95
from ..readers import read_named
from .base import Advice, Context, Part, Procedure, Result, source_of

Floats = NDArray[np.float64]
#: Fewer points tell no trend; with fewer than that many more none is told from settling.
LEAST, LEAST_SETTLING = 4, 6
#: No more points are read: a point a day for fifty years.
MOST = 20_000
#: A settling course must be this much better by the criterion (6: "strong evidence", Kass and Raftery 1995).
_BETTER = 6.0
_Z95 = 1.959964


class WearTrendContext(Context):
    """``limit``: what the figure must not pass, rising or falling. ``interventions_hours``: when the place was adjusted or its
    part replaced; what was before the last of them is another course. ``service_in_hours``: use until somebody looks again.
    """

    limit: Annotated[float, Field(ge=-1e9, le=1e9), Asked("Limit", "", "Of the figure that changes.")]
    direction: Annotated[Literal["rising", "falling"], Asked("Gets worse by")] = "rising"
    interventions_hours: Annotated[list[Annotated[float, Field(ge=0, le=1e6)]], Field(max_length=1000)] = []
    unit: Annotated[str, Field(min_length=1, max_length=12)] = "1"
    service_in_hours: Annotated[
        float | None, Field(gt=0, le=1e5), Asked("Looked at again in", "h", "Use until the next service.", more=True)
    ] = None


class Point(Part):
    """One reading of the figure at so many hours of use."""

    hours: Annotated[float, Field(ge=0, le=1e6)]
    value: Annotated[float, Field(ge=-1e9, le=1e9)]
    u95: Annotated[float | None, Field(ge=0, le=1e9)] = None


class CoursePoint(Part):
    """The course that was fitted, for the drawing: its value and the band in which it lies (95 %)."""

    hours: float
    value: float
    low: float
    high: float


class WearTrendResult(Result):
    """The present value and rate of a figure, and when it reaches its limit.

    ``rate_per_100h``: the present one, in the figure's unit for 100 hours. ``hours_to_limit``: use from the last reading on;
    null where the rate is inside its uncertainty, leads away from the limit or settles before it. ``limit_at_hours``: the same
    as a reading of the meter. ``model``: the course. ``points_used``: those since the last intervention.
    """

    procedure: Literal["wear-trend"] = "wear-trend"
    now: Quantity | None = None
    rate_per_100h: Quantity | None = None
    hours_to_limit: Quantity | None = None
    limit_at_hours: float | None = None
    model: Literal["straight", "settling"] | None = None
    settles_at: Quantity | None = None
    points_used: int
    since_hours: float
    course: list[CoursePoint] = []


@dataclass(frozen=True)
class _Course:
    """A fitted course: its parameters with their covariance, and how well it fits.

    ``value(h)`` and ``slope(h)`` with their gradients over the parameters.
    """

    model: Literal["straight", "settling"]
    theta: Floats
    covariance: Floats
    factor: float
    criterion: float

    def value(self, hours: float) -> tuple[float, Floats]:
        """Value and its gradient."""
        if self.model == "straight":
            return float(self.theta[0] + self.theta[1] * hours), np.array([1.0, hours])
        c, d, tau = (float(x) for x in self.theta)
        e = math.exp(-min(hours / tau, 700.0))
        return c + d * e, np.array([1.0, e, d * e * hours / tau**2])

    def slope(self, hours: float) -> tuple[float, Floats]:
        """Slope (unit per hour) and its gradient."""
        if self.model == "straight":
            return float(self.theta[1]), np.array([0.0, 1.0])
        _, d, tau = (float(x) for x in self.theta)
        e = math.exp(-min(hours / tau, 700.0))
        return -d / tau * e, np.array([0.0, -e / tau, d * e * (1 / tau**2 - hours / tau**3)])

    def u95(self, gradient: Floats) -> float:
        """Expanded uncertainty of what has this gradient."""
        return self.factor * math.sqrt(max(0.0, float(gradient @ self.covariance @ gradient)))


def analyse(context: WearTrendContext, data: bytes | None) -> WearTrendResult:
    r"""The present rate of a figure and when it reaches its limit.

    Parameters
    ----------
    context : WearTrendContext
        The limit (in the figure's unit), on which side it lies, and when the place was last touched (hours of use).
    data : bytes
        CSV ``hours,value[,u95]``.

    Returns
    -------
    WearTrendResult
        ``rate_per_100h``, ``hours_to_limit`` with ``low`` and ``high`` (h), and the course.

    Raises
    ------
    BadInput
        Those of `readers.read_named`; ``out_of_range`` for hours below zero or an uncertainty below zero; ``too_few_rows``
        without any reading, ``too_large`` over 20,000.

    Notes
    -----
    With uncertainties that are told, points weigh by them, and their scatter enlarges the answer's uncertainty where it is
    more than they say. Without, the scatter itself tells it, with Student's t.

    Examples
    --------
    >>> rows = b"hours,value,u95\n0,0.010,0.004\n100,0.020,0.004\n200,0.030,0.004\n300,0.040,0.004\n400,0.050,0.004\n"
    >>> result = analyse(WearTrendContext(limit=0.1, unit="mm"), rows)
    >>> round(result.rate_per_100h.value, 4), round(result.hours_to_limit.value), result.verdict
    (0.01, 500, 'in_tolerance')
    """
    assert data is not None
    table, _ = read_named(data, ("hours", "value"), {}, spare=("u95",))
    hours, values = np.array(table["hours"]), np.array(table["value"])
    return follow(context, hours, values, np.array(table.get("u95", [math.nan] * len(hours))))


def follow(context: WearTrendContext, hours: Floats, values: Floats, u95: Floats) -> WearTrendResult:
    """As `analyse`, from (n,) hours and values; ``u95`` is not a number where none is told."""
    hours, values, u95 = _in_order(hours, values, u95)
    since = max((h for h in context.interventions_hours if h <= hours[-1]), default=0.0)
    kept = hours >= since
    hours, values, u95 = hours[kept], values[kept], u95[kept]
    limits = Limits(high=context.limit) if context.direction == "rising" else Limits(low=context.limit)
    result = WearTrendResult(verdict="cannot_tell", points_used=len(hours), since_hours=since)
    if len(hours) < LEAST or float(hours[-1] - hours[0]) <= 0:
        _too_few(result, context, hours, values, u95, limits)
        return result
    from_start = float(hours[0])
    course = _best(hours - from_start, values, u95)
    last = float(hours[-1]) - from_start
    value, gradient = course.value(last)
    result.model = course.model
    result.now = Quantity(value=value, u95=course.u95(gradient), unit=context.unit)
    slope, gradient = course.slope(last)
    rate = Quantity(value=100 * slope, u95=100 * course.u95(gradient), unit=_per_100h(context.unit))
    result.rate_per_100h = rate
    if course.model == "settling":
        u = course.factor * math.sqrt(float(course.covariance[0, 0]))
        result.settles_at = Quantity(value=float(course.theta[0]), u95=u, unit=context.unit)
    result.course = _drawn(course, hours, from_start)
    _reach(result, context, course, last, float(hours[-1]))
    _judge(result, context, limits)
    return result


def _in_order(hours: Floats, values: Floats, u95: Floats) -> tuple[Floats, Floats, Floats]:
    """The readings in the order of their hours; what cannot be is refused."""
    if not len(hours):
        raise BadInput("too_few_rows", "There is no reading in the table.", "data")
    if len(hours) > MOST:
        raise BadInput("too_large", f"At most {MOST} readings are taken.", "data")
    if (hours < 0).any() or (hours > 1e6).any():
        raise BadInput("out_of_range", "Hours of use go from 0 to a million.", "hours")
    if (u95[~np.isnan(u95)] < 0).any():
        raise BadInput("out_of_range", "An uncertainty is never below zero.", "u95")
    if (np.abs(values) > 1e9).any() or (u95[~np.isnan(u95)] > 1e9).any():
        raise BadInput("out_of_range", "A figure is far from what a machine has.", "value")
    order = np.argsort(hours, kind="stable")
    return hours[order], values[order], u95[order]


def _per_100h(unit: str) -> str:
    return f"{unit}/100h"[:12]


def _too_few(
    result: WearTrendResult, context: WearTrendContext, hours: Floats, values: Floats, u95: Floats, limits: Limits
) -> None:
    """What a few points do say: where the figure stands; not where it goes."""
    n = len(hours)
    told = None if math.isnan(u95[-1]) else float(u95[-1])
    result.now = Quantity(value=float(values[-1]), u95=told, unit=context.unit)
    result.judge("Now", result.now, limits, source_of(context, "limit"))
    if n >= LEAST:
        words = "All readings are of the same hour: a trend needs some use between them."
    else:
        words = f"{n} {'reading' if n == 1 else 'readings'} since it was last touched: a trend needs at least {LEAST}."
    result.warn("too_few_points", words)
    more = max(1, LEAST - n)
    result.advice.append(
        Advice(
            action="measure_more",
            target="trend",
            amount=Quantity(value=more, unit="1"),
            reason=f"{words} Measure {'once' if more == 1 else f'{more} times'} more, some weeks of use apart.",
        )
    )
    # What is outside its limits is outside them, whatever its trend.
    result.verdict = "out_of_tolerance" if result.judged[0].verdict == "out_of_tolerance" else "cannot_tell"


def _best(h: Floats, v: Floats, u95: Floats) -> _Course:
    """The straight course, or the settling one where it is clearly better."""
    stated = not np.isnan(u95).any() and bool((u95 > 0).all())
    sigma = u95 / _Z95 if stated else np.ones_like(v)
    straight = _fit(np.column_stack([np.ones_like(h), h]), v, sigma, stated, 2)
    best = _Course("straight", straight[0], straight[1], straight[2], straight[3])
    if len(np.unique(h)) < LEAST_SETTLING:
        return best
    settling = _settling(h, v, sigma, stated)
    return settling if settling is not None and settling.criterion < best.criterion - _BETTER else best


def _fit(
    design: Floats, v: Floats, sigma: Floats, stated: bool, parameters: int
) -> tuple[Floats, Floats, float, float, float]:
    """Weighted least squares: parameters, covariance, expansion factor, criterion, and the weighted sum of squares."""
    scaled = design / sigma[:, None]
    size = np.sqrt((scaled**2).sum(axis=0))
    size[size == 0] = 1.0
    theta, *_ = np.linalg.lstsq(scaled / size, v / sigma, rcond=None)
    left = v / sigma - (scaled / size) @ theta
    n, chi2 = len(v), float(left @ left)
    dof = max(1, n - parameters)
    inverse = np.linalg.pinv((scaled / size).T @ (scaled / size)) / np.outer(size, size)
    theta = theta / size
    # What repeats to the last digit is known no better than rounding.
    floor = float(np.finfo(float).eps * max(np.abs(v).max(), 1e-12)) ** 2 * n
    if stated:
        # Points that scatter more than they say are no surer than their scatter.
        birge = chi2 / dof
        factor = t95(dof) if birge > 1 else _Z95
        return theta, inverse * max(1.0, birge), factor, chi2 + parameters * math.log(n), chi2
    scatter2 = max(chi2, floor) / dof
    return theta, inverse * scatter2, t95(dof), n * math.log(max(chi2, floor) / n) + parameters * math.log(n), chi2


def _settling(h: Floats, v: Floats, sigma: Floats, stated: bool) -> _Course | None:
    """c + d exp(-h / tau): the best tau by a search that halves its step, then all three with their covariance."""
    span = float(h[-1] - h[0])
    steps = np.diff(np.unique(h))
    low, high = math.log(max(float(steps.min()) / 3, span / 1000)), math.log(1.5 * span)

    a, b = low, high
    for _ in range(8):
        grid = np.linspace(a, b, 25)
        at = float(grid[int(np.argmin(_left_over(h, v, sigma, np.exp(grid))))])
        step = (b - a) / 24
        a, b = max(low, at - 1.5 * step), min(high, at + 1.5 * step)
    if at <= low + 1e-6 or at >= high - 1e-6:
        # Faster than the readings follow, or slower than they reach: no settling that they could show.
        return None
    tau = math.exp(at)
    e = np.exp(-h / tau)
    c, d = (float(x) for x in _fit(np.column_stack([np.ones_like(h), e]), v, sigma, stated, 3)[0])
    # The covariance of all three, by the curve's own gradient.
    jacobian = np.column_stack([np.ones_like(h), e, d * e * h / tau**2])
    _, covariance, factor, criterion, _ = _fit(jacobian, v - (c + d * e), sigma, stated, 3)
    return _Course("settling", np.array([c, d, tau]), covariance, factor, criterion)


def _left_over(h: Floats, v: Floats, sigma: Floats, tau: Floats) -> Floats:
    """(t,) weighted sum of squares that c + d exp(-h / tau) leaves, for each tau with its best c and d."""
    w = 1 / sigma**2
    e = np.exp(-h[None, :] / tau[:, None])
    # About their means nothing large is taken from anything large.
    e = e - (e @ w / w.sum())[:, None]
    y = v - float(v @ w / w.sum())
    see, sey = (e**2) @ w, e @ (w * y)
    out: Floats = float((w * y**2).sum()) - sey**2 / np.maximum(see, 1e-300)
    return out


def _reach(
    result: WearTrendResult, context: WearTrendContext, course: _Course, last: float, last_reading: float
) -> None:
    """When the limit is reached, from the last reading on; nothing where it is not, or where nobody can tell."""
    assert result.now is not None and result.rate_per_100h is not None
    sign = 1.0 if context.direction == "rising" else -1.0
    rate = result.rate_per_100h
    ahead = sign * (context.limit - result.now.value)
    if ahead <= 0 and result.now.u95 is not None and -ahead > result.now.u95:
        result.hours_to_limit = Quantity(value=0.0, u95=0.0, unit="h", low=0.0, high=0.0)
        result.limit_at_hours = last_reading
        return
    if rate.u95 is None or sign * rate.value <= rate.u95:
        return
    at = _crossing(course, context.limit, last, sign)
    if at is None:
        return
    low, high = _interval(course, context.limit, last, sign)
    left = max(0.0, at - last)
    width = max(left - low, (high - left) if math.isfinite(high) else left - low)
    result.hours_to_limit = Quantity(
        value=left, u95=width, unit="h", low=low, high=high if math.isfinite(high) else None
    )
    result.limit_at_hours = last_reading + left


def _crossing(course: _Course, limit: float, last: float, sign: float) -> float | None:
    """Hours (from the first reading) at which the course passes its limit; None: never."""
    if course.model == "straight":
        a, b = (float(x) for x in course.theta)
        return (limit - a) / b if sign * b > 0 else None
    c, d, tau = (float(x) for x in course.theta)
    share = (limit - c) / d if d else -1.0
    return -tau * math.log(share) if 0 < share < math.exp(min(last / tau, 700.0)) else None


def _interval(course: _Course, limit: float, last: float, sign: float) -> tuple[float, float]:
    """From when to when (hours from the last reading) the limit lies in the course's band (95 %); endless: infinite."""

    def side(hours: float, k: float) -> float:
        value, gradient = course.value(hours)
        return sign * (limit - value) + k * course.u95(gradient)

    def first(k: float) -> float:
        # The first hours at which that edge of the band has passed the limit.
        if side(last, k) <= 0:
            return 0.0
        reach = max(last, 1.0)
        for _ in range(40):
            if side(last + reach, k) <= 0:
                break
            reach *= 2
        else:
            return math.inf
        a, b = 0.0, reach
        for _ in range(80):
            mid = (a + b) / 2
            a, b = (mid, b) if side(last + mid, k) > 0 else (a, mid)
        return b

    return first(-1.0), first(1.0)


def _drawn(course: _Course, hours: Floats, from_start: float) -> list[CoursePoint]:
    """The course from the first reading to half as far beyond the last."""
    span = float(hours[-1] - hours[0])
    rows = []
    for h in np.linspace(float(hours[0]), float(hours[-1]) + 0.5 * span, 61):
        value, gradient = course.value(float(h) - from_start)
        u = course.u95(gradient)
        rows.append(CoursePoint(hours=float(h), value=value, low=value - u, high=value + u))
    return rows


def _judge(result: WearTrendResult, context: WearTrendContext, limits: Limits) -> None:
    assert result.now is not None and result.rate_per_100h is not None
    own: Verdict = decide(result.now.value, result.now.u95, limits)
    soon = context.service_in_hours
    reached = result.hours_to_limit
    # What reaches its limit before somebody looks again is watched.
    if own == "in_tolerance" and soon is not None and reached is not None and (reached.low or 0.0) < soon:
        own = "watch"
    result.judge("Now", result.now, limits, source_of(context, "limit"), own)
    result.judge("Rate", result.rate_per_100h)
    result.verdict = own
    if reached is None:
        sign = 1.0 if context.direction == "rising" else -1.0
        rate = result.rate_per_100h
        if rate.u95 is not None and abs(rate.value) <= rate.u95:
            result.warn("no_trend", "The rate is inside its own uncertainty: nothing here says that it changes.")
        elif sign * rate.value > 0:
            result.warn("settles", "It settles before it reaches the limit, as far as these readings tell.")
        return
    result.judge("Hours to the limit", reached)
    if reached.value > 0 and own in ("in_tolerance", "watch"):
        until = f"{reached.low:.0f} to {reached.high:.0f}" if reached.high is not None else f"{reached.low:.0f} or more"
        result.advice.append(
            Advice(
                action="plan",
                target="trend",
                amount=reached,
                reason=f"At this rate the limit is reached in {until} hours of use; look again before that.",
            )
        )


PROCEDURE = Procedure(
    "wear-trend", "How fast it wears", WearTrendContext, WearTrendResult, analyse, data="csv", row=Point
)
