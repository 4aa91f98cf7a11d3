"""Values with their uncertainty, how they combine, and the decision against limits.

Not here: anything that knows what is being measured.

Sources: JCGM 100:2008 (GUM) for combination and Student's t with effective degrees of freedom;
ISO 14253-1:2017 for the decision rule.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Annotated, Literal

from pydantic import AfterValidator, BaseModel, ConfigDict, Field

from .errors import BadInput

Verdict = Literal["in_tolerance", "watch", "out_of_tolerance", "cannot_tell", "not_judged"]

#: Two-sided 95 % points of Student's t for 1..30 degrees of freedom (any statistics table).
_T95 = (
    12.706, 4.303, 3.182, 2.776, 2.571, 2.447, 2.365, 2.306, 2.262, 2.228,
    2.201, 2.179, 2.160, 2.145, 2.131, 2.120, 2.110, 2.101, 2.093, 2.086,
    2.080, 2.074, 2.069, 2.064, 2.060, 2.056, 2.052, 2.048, 2.045, 2.042,
)  # fmt: skip
_Z95 = 1.959964

#: Factor from each known unit to the base unit of its dimension (mm, N, Hz, s, 1, turns, degrees).
UNITS: dict[str, tuple[str, float]] = {
    "mm": ("length", 1.0), "m": ("length", 1000.0), "um": ("length", 0.001), "in": ("length", 25.4),
    "N": ("force", 1.0), "lbf": ("force", 4.4482216152605), "gf": ("force", 0.00980665), "kgf": ("force", 9.80665),
    "Hz": ("frequency", 1.0), "s": ("time", 1.0), "ms": ("time", 0.001),
    "1": ("ratio", 1.0), "%": ("ratio", 0.01),
    "turns": ("turn", 1.0), "deg": ("angle", 1.0),
    "N/turn": ("force_per_turn", 1.0), "N mm": ("work", 1.0), "N/mm": ("force_per_length", 1.0),
    "mm/100mm": ("slope", 1.0), "mm/m": ("slope", 0.1), "rad": ("small_angle", 1.0), "Hz2": ("frequency_squared", 1.0),
    "Hz2/turn": ("frequency_squared_per_turn", 1.0), "dB": ("level", 1.0),
    "mm/s": ("speed", 1.0), "mm/s2": ("acceleration", 1.0),
    "m/s2": ("acceleration", 1000.0), "g": ("acceleration", 9806.65),
    "steps/mm": ("counts_per_length", 1.0), "A": ("current", 1.0), "mA": ("current", 0.001), "V": ("voltage", 1.0),
}  # fmt: skip


#: A float that is one; what it may be stands with the field that has it.
Finite = Annotated[float, Field(allow_inf_nan=False)]


class Quantity(BaseModel):
    """A value with its expanded uncertainty (95 % coverage) and unit.

    ``own`` is the part of ``u95`` that belongs to this reading alone (repeats, resolution);
    ``shared`` the part that comes from constants which a comparison of like with like cancels.
    ``low`` and ``high`` are given where the interval is not symmetric.
    """

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)

    value: Finite
    u95: Annotated[Finite, Field(ge=0)] | None = None
    unit: Annotated[str, Field(max_length=12)]
    own: Annotated[Finite, Field(ge=0)] | None = None
    shared: Annotated[Finite, Field(ge=0)] | None = None
    low: Finite | None = None
    high: Finite | None = None

    def in_unit(self, unit: str, field: str | None = None) -> Quantity:
        """The same quantity in another unit of the same dimension; refuses any other (`unknown_unit`)."""
        if self.unit not in UNITS:
            raise BadInput("unknown_unit", f"The unit “{self.unit}” is not known. Use {unit}.", field)
        if UNITS[self.unit][0] != UNITS[unit][0]:
            raise BadInput("unknown_unit", f"A figure in {self.unit} was given where {unit} is wanted.", field)
        k = UNITS[self.unit][1] / UNITS[unit][1]
        parts = {
            n: (None if (v := getattr(self, n)) is None else v * k) for n in ("u95", "own", "shared", "low", "high")
        }
        return Quantity(value=self.value * k, unit=unit, **parts)


def own_u95(q: Quantity) -> float:
    """The part of a quantity's u95 that a comparison with its like keeps: its own, where the two are told apart."""
    return (q.own if q.own is not None else q.u95) or 0.0


def _as_told(q: Quantity) -> Quantity:
    for part in (q.value, q.u95, q.own, q.shared, q.low, q.high):
        if part is not None and abs(part) > MOST_TOLD:
            raise ValueError(f"must lie within {MOST_TOLD:g}")
    return q


#: No figure that a person or an instrument tells is larger, in whichever unit.
MOST_TOLD = 1e9
#: A quantity that is told, not computed.
Told = Annotated[Quantity, AfterValidator(_as_told)]


class Limits(BaseModel):
    """A tolerance: lower limit, upper limit, or both, in the unit of what is judged."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)

    low: Finite | None = None
    high: Finite | None = None


def quadrature(*parts: float | None) -> float:
    """Root sum of squares of uncertainties.

    Parameters
    ----------
    *parts : float or None
        Uncertainties of independent parts, in one unit and of one coverage; None (nothing known) is left out.

    Returns
    -------
    float
        Their combination, in the same unit.

    Notes
    -----
    GUM (JCGM 100:2008), 5.1.2, for parts that do not depend on each other.

    Examples
    --------
    >>> quadrature(0.3, 0.4, None)
    0.5
    """
    return math.sqrt(sum(p * p for p in parts if p is not None))


def t95(dof: float) -> float:
    """Two-sided 95 % Student factor.

    Parameters
    ----------
    dof : float
        Degrees of freedom; fractional ones are rounded down (GUM G.4.1), less than one count as one.

    Returns
    -------
    float
        The factor by which a standard uncertainty is expanded, without unit.

    Examples
    --------
    >>> round(t95(4), 3), round(t95(4.9), 3)
    (2.776, 2.776)
    """
    if dof < 1:
        return _T95[0]
    if dof >= 31:
        # Cornish-Fisher term; exact to 0.001 for dof > 30.
        return _Z95 + (_Z95**3 + _Z95) / (4 * dof)
    return _T95[int(dof + 1e-6) - 1]  # a hair for 8.9999999


def effective_dof(parts: Sequence[tuple[float, float]]) -> float:
    """Degrees of freedom of a combined uncertainty, by Welch and Satterthwaite (GUM G.4.1).

    Parameters
    ----------
    parts : sequence of (float, float)
        Standard uncertainty of each part, in one unit, and its degrees of freedom (``math.inf`` where it is stated).

    Returns
    -------
    float
        Effective degrees of freedom; infinite where no part rests on repeats.

    Examples
    --------
    >>> round(effective_dof([(0.1, 4), (0.1, math.inf)]), 6)
    16.0
    """
    total = sum(u * u for u, _ in parts)
    spread = sum(u**4 / dof for u, dof in parts if math.isfinite(dof) and dof > 0)
    return math.inf if spread == 0 else total * total / spread


#: u95 of a reading whose step is r, as a share of r (uniform of half-width r/2, normal scale).
U95_OF_STEP = _Z95 / (2 * math.sqrt(3))


def mean_of(readings: Sequence[float], resolution: float = 0.0, stated_u95: float = 0.0) -> tuple[float, float]:
    """Mean of repeated readings and its own u95.

    Parameters
    ----------
    readings : sequence of float
        One or more, in one unit.
    resolution : float
        The instrument's step r in that unit (uniform with half-width r/2, so r / (2 sqrt 3)).
    stated_u95 : float
        The instrument's own stated spread, which alone speaks when there is one reading.

    Returns
    -------
    (float, float)
        Mean and its expanded uncertainty (95 %), in the same unit.

    Raises
    ------
    BadInput
        ``too_few_rows`` where there is none.

    Notes
    -----
    GUM (JCGM 100:2008), 4.2 and F.2.2.1.

    Examples
    --------
    >>> mean, u95 = mean_of([10.0, 10.1, 10.2], resolution=0.01)
    >>> round(mean, 3), round(u95, 3)
    (10.1, 0.249)
    """
    n = len(readings)
    if n == 0:
        raise BadInput("too_few_rows", "At least one reading is needed.")
    mean = math.fsum(readings) / n
    u_res = resolution / (2 * math.sqrt(3))
    u_stated = stated_u95 / _Z95
    if n == 1:
        return mean, _Z95 * quadrature(u_res, u_stated)
    s2 = math.fsum((r - mean) ** 2 for r in readings) / (n - 1)
    u_mean = math.sqrt(s2 / n)
    dof = effective_dof([(u_mean, n - 1), (u_res, math.inf), (u_stated, math.inf)])
    return mean, t95(dof) * quadrature(u_mean, u_res, u_stated)


#: What a figure is off by when it was typed with the point in the wrong place, or in inches for millimetres.
TYPED_WRONG = {10.0: "ten times", 0.1: "a tenth of", 25.4: "25.4 times", 1 / 25.4: "1/25.4 of"}


def typed_wrong(value: float, expected: float) -> str:
    """In words, what a figure is of what is expected, where it is off by ten or by an inch's millimetres; else empty."""
    if expected == 0 or value / expected <= 0:
        return ""
    for factor, words in TYPED_WRONG.items():
        if abs(value / expected / factor - 1) < 0.03:
            return words
    return ""


def odd_ones(readings: Sequence[float], least: float, expected: float | None = None) -> list[tuple[int, str]]:
    """Readings to be taken again: their number and what is odd about each.

    Odd is what is off by ten or an inch from ``expected`` (else from the median), and, of four or more, what lies five
    median deviations, and more than ``least``, from the others: a slip of a digit, or another spot.
    """
    n = len(readings)
    ordered = sorted(readings)
    middle = (ordered[(n - 1) // 2] + ordered[n // 2]) / 2
    off = sorted(abs(r - middle) for r in readings)
    spread = 1.4826 * (off[(n - 1) // 2] + off[n // 2]) / 2
    found = []
    for i, r in enumerate(readings):
        words = typed_wrong(r, expected if expected is not None else middle)
        if words:
            found.append((i, f"{r:g} is {words} what is expected"))
        elif n >= 4 and abs(r - middle) > max(5 * spread, least):
            found.append((i, f"{r:g} lies far from the others"))
    return found


def step_shown(readings: Sequence[float], resolution: float) -> float:
    """The step that readings truly come in: the instrument's, or a coarser one that all of five or more keep to.

    Hands round to favourite digits; what was rounded away is no longer in the figures, whatever the instrument shows.
    """
    if resolution <= 0 or len(readings) < 5:
        return resolution
    for times in (10, 5):
        step = times * resolution
        if all(abs(r / step - round(r / step)) < 1e-6 * max(1.0, abs(r / step)) for r in readings):
            return step
    return resolution


def decide(value: float, u95: float | None, limits: Limits | None, outer: float = 0.2) -> Verdict:
    """ISO 14253-1: inside only when value ± u95 is wholly inside, outside only when wholly outside.

    ``watch``: inside, but the value lies in the last ``outer`` part of the band. With two limits that is
    ``outer`` of the half band at either side; with one limit, ``outer`` of the limit's distance from zero.
    An unknown uncertainty (None) decides nothing: ``cannot_tell``.
    """
    if limits is None or (limits.low is None and limits.high is None):
        return "not_judged"
    if u95 is None:
        return "cannot_tell"
    low = -math.inf if limits.low is None else limits.low
    high = math.inf if limits.high is None else limits.high
    if value - u95 > high or value + u95 < low:
        return "out_of_tolerance"
    if value - u95 < low or value + u95 > high:
        return "cannot_tell"
    if limits.low is not None and limits.high is not None:
        margin = outer * (high - low) / 2
    else:
        margin = outer * abs(high if limits.low is None else low)
    near = value > high - margin or value < low + margin
    return "watch" if near else "in_tolerance"


_ORDER: tuple[Verdict, ...] = ("out_of_tolerance", "cannot_tell", "watch", "in_tolerance", "not_judged")


def worst(verdicts: Sequence[Verdict]) -> Verdict:
    """The verdict of a result that has several: out, then cannot_tell, then watch, then in."""
    return min(verdicts, key=_ORDER.index, default="not_judged")


def rounded(value: float, u95: float | None) -> str:
    """The value as text, rounded to its uncertainty's second digit. For sentences only; results keep full precision."""
    if not u95:
        return f"{value:.4g}"
    digits = max(0, 1 - math.floor(math.log10(float(f"{u95:.2g}"))))  # rounded first: 0.996 shows as 1.0
    return f"{value:.{min(digits, 6)}f}"
