"""screw-runout: what a dial indicator reads along a screw, taken apart: slope, wave of the lead, wave of the thread, and the rest.

``reading = a + b z + sum of A_k cos(2 pi z / P_k + phi_k)``, P_k the lead, the thread's pitch and one free period that has to earn its
place (BIC, Schwarz 1978). Up against down tells the play in the nut.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from typing import TYPE_CHECKING, Annotated, Any, Literal

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from ..asking import PLACE, Asked, drive, instrument_u95, limit, measured, resolution, told
from ..course import improvement
from ..errors import BadInput
from ..fitting import Fit, Floats, fitted
from ..machine import Place
from ..quantities import Limits, Quantity, Told, decide, quadrature, worst
from ..readers import read_csv
from ..turned import Turnable, TurnedResult
from .base import Advice, Context, Finding, Part, Procedure, StandIn, Turned, source_of, three_way

if TYPE_CHECKING:
    from ..simulator.machine import SimMachine

#: Readings at the least and at the most; a wave is seen with four in each of its turns; the thread with more than two in each.
_LEAST, _MOST, _A_TURN, _A_THREAD = 8, 4000, 4.0, 2.0
#: Free periods are sought on a grid of so many, from four readings apart to the travel over so many.
_SOUGHT, _LEAST_WAVES = 240, 1.5
#: Nearer than this share to a period that is told, a free one is that one.
_NEAR = 0.12
#: 95 % of what noise alone makes of an amplitude lie under so many of the standard deviation of either of its parts (Rayleigh).
_RAYLEIGH_95 = 2.448
#: A reading so many times the scatter off the fitted curve was misread.
_ODD = 6.0


class SideReading(Part):
    """One reading: the height, what the indicator shows, and which way it went."""

    z_mm: Annotated[float, Field(ge=-5000, le=5000), Asked("Height", "mm", varies=True)]
    reading_mm: Annotated[float, Field(ge=-50, le=50), Asked("Indicator", "mm", varies=True)]
    direction: Literal["up", "down"] | None = None


class Before(BaseModel):
    """What the parts of an earlier result came to (mm; drift in mm per 100 mm); what else it says is passed over."""

    model_config = ConfigDict(extra="ignore", allow_inf_nan=False)

    drift: Told
    lead_amplitude: Told
    total_range: Told


def _before(known: Any) -> dict[str, Any] | None:
    found = known.measured("screw-runout", known.place)
    return None if found is None else {k: found[k] for k in Before.model_fields}


class ScrewRunoutContext(Context):
    """``lead_mm``: travel for a turn; ``thread_pitch_mm``: from one thread to the next, alike on a screw of one start."""

    lead_mm: Annotated[
        float, Field(ge=0.1, le=200), Asked("Lead", "mm", "Travel for one turn.", (drive("lead_mm"),))
    ] = 8.0
    thread_pitch_mm: Annotated[
        Annotated[float, Field(ge=0.1, le=50)] | None,
        Asked(
            "Thread pitch",
            "mm",
            "From one thread to the next; empty: as the lead.",
            (drive("thread_pitch_mm"),),
            more=True,
        ),
    ] = None
    limit_mm: Annotated[
        float,
        Field(ge=0.001, le=10),
        Asked("May run out by", "mm", "0.1 is typical.", (limit("runout", "A screw may run out by", "mm"),)),
    ] = 0.1
    resolution_mm: Annotated[
        float, Field(ge=0, le=1), Asked("Indicator reads to", "mm", "Its smallest step.", (resolution("mm"),))
    ] = 0.01
    indicator_u95_mm: Annotated[
        float,
        Field(ge=0, le=1),
        Asked(
            "Indicator good to ±",
            "mm",
            "Over so little, as its record says; 0: only its step.",
            (instrument_u95("mm"),),
            more=True,
        ),
    ] = 0.0
    before: Annotated[Before | None, told(measured(_before))] = None
    axis: Annotated[Place | None, told(PLACE)] = None


class Wave(Part):
    """A wave in the readings: its period and amplitude (mm, half of peak to valley) and its phase (rad)."""

    period_mm: float
    amplitude_mm: float
    phase: float


class ScrewRunoutResult(TurnedResult):
    """Drift (mm per 100 mm), the amplitudes of lead, thread and free wave (mm), the whole range (mm), up against down (mm), and
    what makes it so. ``improvement_percent``: how much of the range of the readings before is gone.
    """

    procedure: Literal["screw-runout"] = "screw-runout"
    drift: Quantity
    lead_amplitude: Quantity
    thread_amplitude: Quantity | None
    free_period: Quantity | None
    free_amplitude: Quantity | None
    total_range: Quantity
    reversal: Quantity | None
    cause: Literal["misaligned", "bent", "thread_only", "play", "mixed", "sound", "unknown"]
    improvement_percent: Quantity | None
    offset_mm: float
    waves: list[Wave]
    readings: list[SideReading]
    left_mm: list[float]


@dataclass(frozen=True)
class _Fitted:
    fit: Fit
    periods: list[float]
    #: Which columns hold a wave's cosine; its sine stands after it.
    first: int
    reversal: int | None

    def wave(self, i: int) -> tuple[float, float]:
        """Cosine and sine of a wave (mm)."""
        at = self.first + 2 * i
        return float(self.fit.theta[at]), float(self.fit.theta[at + 1])

    def sigma(self, i: int) -> float:
        """Standard uncertainty of either part of a wave (mm)."""
        at = self.first + 2 * i
        return math.sqrt(max(self.fit.inverse[at, at], self.fit.inverse[at + 1, at + 1])) * self.fit.scatter


def analyse(context: ScrewRunoutContext, data: bytes | None) -> ScrewRunoutResult:
    r"""What a screw's runout is made of, and so what to do about it.

    Parameters
    ----------
    context : ScrewRunoutContext
        Lead and thread pitch (mm), the limit (mm), the indicator's resolution (mm).
    data : bytes
        CSV ``z_mm,reading_mm[,direction]`` with ``up`` and ``down``.

    Returns
    -------
    ScrewRunoutResult
        ``drift`` (mm per 100), ``lead_amplitude``, ``thread_amplitude``, ``free_period``, ``total_range`` (mm), and the ``cause``.

    Raises
    ------
    BadInput
        Those of `readers.read_csv`; ``too_few_rows`` under eight readings.

    Examples
    --------
    >>> rows = "".join(f"{z},{0.2 * math.cos(2 * math.pi * z / 8):.4f}\n" for z in range(0, 60))
    >>> result = analyse(ScrewRunoutContext(thread_pitch_mm=2), b"z_mm,reading_mm\n" + rows.encode())
    >>> round(result.lead_amplitude.value, 3), result.cause
    (0.2, 'bent')
    """
    assert data is not None
    z, y, way = _rows(data)
    step = _spacing(z, way)
    aliased = step * _A_TURN > context.lead_mm * (1 + 1e-9)
    found = _fit(context, z, y, way, step)
    fit, theta = found.fit, found.fit.theta
    drift = Quantity(value=100 * float(theta[1]), u95=100 * fit.u95(_row(fit, {1: 1.0})), unit="mm/100mm")
    waves = {p: found.wave(i) for i, p in enumerate(found.periods)}
    pitch = _pitch(context)
    told = [context.lead_mm] + ([pitch] if pitch is not None else [])
    free = next((p for p in found.periods if p not in told), None)
    reversal = None
    if found.reversal is not None:
        u = fit.u95(_row(fit, {found.reversal: 1.0}))
        reversal = Quantity(
            value=abs(float(theta[found.reversal])), u95=quadrature(u, context.indicator_u95_mm), unit="mm"
        )
    result = ScrewRunoutResult(
        verdict="not_judged",
        drift=drift,
        lead_amplitude=_told(found, context.lead_mm, context),
        thread_amplitude=None if pitch is None or pitch not in waves else _told(found, pitch, context),
        free_period=None if free is None else _free_period(fit, waves[free], z, free),
        free_amplitude=None if free is None else _told(found, free, context),
        total_range=_range(context, found, z, y, way),
        reversal=reversal,
        cause="unknown",
        improvement_percent=None,
        offset_mm=float(theta[0]),
        waves=[
            Wave(period_mm=p, amplitude_mm=float(np.hypot(a, b)), phase=float(np.arctan2(-b, a)))
            for p, (a, b) in waves.items()
        ],
        readings=[
            SideReading(z_mm=float(a), reading_mm=float(b), direction="up" if w > 0 else "down" if w < 0 else None)
            for a, b, w in zip(z, y, way, strict=True)
        ],
        left_mm=[float(v) for v in fit.left],
    )
    if context.before is not None:
        result.improvement_percent = improvement(context.before.total_range, result.total_range)
    _judge(result, context, aliased)
    _warn(result, context, fit, aliased, step)
    _advise(result, context, aliased)
    return result


def _rows(data: bytes) -> tuple[Floats, Floats, Floats]:
    """Heights, readings, and which way each was taken: 1 up, -1 down, 0 not told."""
    table = read_csv(data, ("z_mm", "reading_mm"), ("direction",), ways=("direction",))
    z, y = np.array(table["z_mm"]), np.array(table["reading_mm"])
    if len(z) < _LEAST or np.ptp(z) <= 0:
        raise BadInput(
            "too_few_rows", f"{len(z)} readings: eight or more, along the travel, four in each turn.", "data"
        )
    if len(z) > _MOST:
        raise BadInput("too_large", f"{len(z)} readings; {_MOST} at the most.", "data")
    for name, values, most in (("z_mm", z, 5000.0), ("reading_mm", y, 50.0)):
        if np.abs(values).max() > most:
            row = int(np.abs(values).argmax())
            raise BadInput("out_of_range", f"Row {row + 2}, column {name}: {values[row]:g} cannot be.", name, row + 2)
    return z, y, np.array(table.get("direction", [0.0] * len(z)))


def _spacing(z: Floats, way: Floats) -> float:
    """How far apart the readings are, by the middle one, each way by itself."""
    apart = [np.diff(np.unique(z[way == w])) for w in np.unique(way)]
    every = np.concatenate([a for a in apart if len(a)] or [np.array([np.ptp(z)])])
    return float(np.median(every))


def _pitch(context: ScrewRunoutContext) -> float | None:
    """The thread's period, where it is another than the lead."""
    pitch = context.thread_pitch_mm
    return None if pitch is None or abs(pitch - context.lead_mm) < 1e-6 * context.lead_mm else pitch


def _columns(z: Floats, way: Floats, periods: list[float]) -> tuple[Floats, int | None]:
    """Constant, slope, up against down where both were taken, and two columns for each period."""
    middle = z.mean()
    columns = [np.ones(len(z)), z - middle]
    both = bool((way > 0).any() and (way < 0).any())
    if both:
        columns.append(way / 2)
    for p in periods:
        columns += [np.cos(2 * math.pi * z / p), np.sin(2 * math.pi * z / p)]
    return np.column_stack(columns), 2 if both else None


def _bic(power: Floats | float, n: int, k: int, floor: float) -> Floats:
    """Schwarz's criterion from the sum of squares left over; readings that fit better than they can be read count as no better."""
    least = floor**2 if floor else 1e-18
    out: Floats = n * np.log(np.maximum(np.asarray(power) / n, least)) + k * math.log(n)
    return out


def _fit(context: ScrewRunoutContext, z: Floats, y: Floats, way: Floats, step: float) -> _Fitted:
    """The waves that are told as far as they can be seen, and a free one where it earns its place."""
    pitch = _pitch(context)
    periods = []
    if np.ptp(z) >= 0.75 * context.lead_mm and step * _A_THREAD < context.lead_mm:
        periods.append(context.lead_mm)
    if pitch is not None and step * _A_THREAD < pitch * (1 - 1e-9) and np.ptp(z) >= pitch:
        periods.append(pitch)
    # More waves than readings can carry are left out, the thread first.
    while periods and len(y) < 3 + 2 * len(periods) + 3:
        periods.pop()
    floor = context.resolution_mm / math.sqrt(12)
    free = _free(context, z, y, way, step, periods, floor)
    if free is not None:
        periods.append(free)
    design, reversal = _columns(z, way, periods)
    return _Fitted(fitted(design, y, context.resolution_mm), periods, design.shape[1] - 2 * len(periods), reversal)


def _free(
    context: ScrewRunoutContext, z: Floats, y: Floats, way: Floats, step: float, periods: list[float], floor: float
) -> float | None:
    """One more period, sought on a grid of a stated size; None where it does not earn its place."""
    if len(y) < 3 + 2 * len(periods) + 6:
        return None
    short, long = max(_A_TURN * step, 0.2), float(np.ptp(z)) / _LEAST_WAVES
    if long <= short:
        return None
    told = [context.lead_mm, *([p] if (p := _pitch(context)) is not None else [])]
    design, _both = _columns(z, way, periods)
    base, _upper = np.linalg.qr(design)
    left = y - base @ (base.T @ y)
    tried, step_of = np.linspace(1 / long, 1 / short, _SOUGHT), (1 / short - 1 / long) / (_SOUGHT - 1)
    at = 0.0
    for _again in range(2):
        apart = [
            f for f in tried if not any(abs(1 / f / t - 1) < _NEAR or _alike(1 / f, t, float(np.ptp(z))) for t in told)
        ]
        if not apart:
            return None
        rest = _left_by(base, left, z, np.array(apart))
        at, power = float(apart[int(rest.argmin())]), float(rest.min())
        tried = np.linspace(max(at - step_of, 1 / long), min(at + step_of, 1 / short), 41)
    n, k = len(y), design.shape[1]
    # The period itself is a parameter that was sought, too, among many.
    earned = _bic(power, n, k + 3, floor) + 6.0 < _bic(float(left @ left), n, k, floor)
    return 1 / at if earned else None


def _left_by(base: Floats, left: Floats, z: Floats, frequencies: Floats) -> Floats:
    """What a wave of each frequency (1/mm), besides what ``base`` spans, would leave of the sum of squares."""
    turn = 2 * math.pi * np.outer(z, frequencies)
    c, s = np.cos(turn), np.sin(turn)
    c, s = c - base @ (base.T @ c), s - base @ (base.T @ s)
    cc, cs, ss = (c * c).sum(axis=0), (c * s).sum(axis=0), (s * s).sum(axis=0)
    u, v = c.T @ left, s.T @ left
    det = np.maximum(cc * ss - cs * cs, 1e-12 * cc * ss + 1e-300)
    out: Floats = np.maximum(float(left @ left) - (ss * u * u - 2 * cs * u * v + cc * v * v) / det, 0.0)
    return out


def _alike(p: float, told: float, span: float) -> bool:
    """Whether two periods cannot be told apart over so short a travel."""
    return abs(1 / p - 1 / told) * span < 0.75


def _row(fit: Fit, at: dict[int, float]) -> list[float]:
    row = [0.0] * len(fit.theta)
    for i, v in at.items():
        row[i] = v
    return row


def _told(found: _Fitted, period: float, context: ScrewRunoutContext) -> Quantity:
    """An amplitude, which is never negative: near nothing it lies between 0 and what noise alone may make of it."""
    if period not in found.periods:
        return Quantity(value=0.0, u95=None, unit="mm")
    i = found.periods.index(period)
    size, sigma, factor = math.hypot(*found.wave(i)), found.sigma(i), found.fit.factor
    own = factor * sigma
    # An indicator's own error shows as far as it moves.
    shared = context.indicator_u95_mm * min(1.0, size / 0.1)
    u = quadrature(own, shared)
    if size < _RAYLEIGH_95 * sigma:
        high = size + _RAYLEIGH_95 * sigma * factor / 1.96
        return Quantity(value=size, u95=max(u, size), unit="mm", own=own, shared=shared, low=0.0, high=high)
    return Quantity(value=size, u95=u, unit="mm", own=own, shared=shared, low=max(0.0, size - u), high=size + u)


def _free_period(fit: Fit, wave: tuple[float, float], z: Floats, period: float) -> Quantity:
    """The free period, known as its phase is over the travel (Cramer-Rao bound of a tone's frequency)."""
    size = max(math.hypot(*wave), 1e-12)
    u = fit.factor * math.sqrt(6) * fit.scatter / (math.pi * size * float(np.ptp(z)) * math.sqrt(len(z)))
    return Quantity(value=period, u95=u * period**2, unit="mm")


def _range(context: ScrewRunoutContext, found: _Fitted, z: Floats, y: Floats, way: Floats) -> Quantity:
    """Peak to valley of the readings, play between the ways apart."""
    fit = found.fit
    level = y - (fit.theta[found.reversal] * way / 2 if found.reversal is not None else 0.0)
    smooth = np.ptp(level - fit.left)
    seen = float(np.ptp(level))
    u = quadrature(1.96 * math.sqrt(2) * fit.scatter + max(0.0, seen - float(smooth)), context.indicator_u95_mm)
    return Quantity(value=seen, u95=u, unit="mm", low=max(0.0, seen - u), high=seen + u)


def _judge(result: ScrewRunoutResult, context: ScrewRunoutContext, aliased: bool) -> None:
    top, source = Limits(high=context.limit_mm), source_of(context, "limit_mm")
    side = Limits(low=-context.limit_mm, high=context.limit_mm)
    range_ = decide(result.total_range.value, result.total_range.u95, top)
    lead = "cannot_tell" if aliased else decide(result.lead_amplitude.value, result.lead_amplitude.u95, top)
    drift = decide(result.drift.value, result.drift.u95, side)
    result.judge("Runs out by, in all", result.total_range, top, source, range_)
    result.judge("Slopes by", result.drift, side, source, drift)
    result.judge("Wave of each turn, half of it", result.lead_amplitude, top, source, lead)
    if result.thread_amplitude is not None:
        result.judge("Wave of the thread, half of it", result.thread_amplitude)
    play = "not_judged"
    if result.reversal is not None:
        play = decide(result.reversal.value, result.reversal.u95, top)
        result.judge("Up against down", result.reversal, top, source, play)
    result.verdict = worst([j.verdict for j in result.judged])
    result.cause = _cause(result, drift, lead, play, range_)
    state = "unknown" if aliased else three_way(lead)
    size = result.drift.model_copy(update={"value": abs(result.drift.value), "unit": "mm"})
    result.findings += [
        Finding(
            finding="runout_at_lead", axis=context.axis, state=state, value=None if aliased else result.lead_amplitude
        ),
        Finding(finding="runout_drift", axis=context.axis, state=three_way(drift), value=size),
    ]


def _cause(result: ScrewRunoutResult, drift: str, lead: str, play: str, range_: str) -> Any:
    """What makes it so: what is over the limit by itself; else, where only the sum is, what makes up most of it."""
    out = [c for c, v in (("misaligned", drift), ("bent", lead), ("play", play)) if v == "out_of_tolerance"]
    if len(out) == 1:
        return out[0]
    if out:
        return "mixed"
    if range_ in ("in_tolerance", "watch"):
        return "sound"
    z = [r.z_mm for r in result.readings]
    parts = {
        "misaligned": abs(result.drift.value) / 100 * (max(z) - min(z)),
        "bent": 2 * result.lead_amplitude.value,
        "thread_only": 2 * result.thread_amplitude.value if result.thread_amplitude is not None else 0.0,
    }
    most = max(parts, key=lambda k: parts[k])
    if parts[most] > 0.5 * result.total_range.value:
        return most
    return "mixed" if range_ == "out_of_tolerance" else "unknown"


def _warn(result: ScrewRunoutResult, context: ScrewRunoutContext, fit: Fit, aliased: bool, step: float) -> None:
    if aliased:
        result.warn(
            "aliased",
            f"The readings stand {step:.3g} mm apart: four in each turn of {context.lead_mm:g} mm are needed, or a bent screw looks "
            "like something else.",
        )
    pitch = _pitch(context)
    if pitch is not None and result.thread_amplitude is None:
        result.warn(
            "thread_not_seen",
            f"The thread's own wave wants readings closer than {pitch / 2:.2g} mm; it is harmless, but it is in the rest.",
        )
    z = [r.z_mm for r in result.readings]
    if max(z) - min(z) < 2 * context.lead_mm:
        result.warn(
            "short_travel", "Under two turns: a slope and a wave can hardly be told apart. Read over the whole travel."
        )
    if result.reversal is None:
        result.warn("one_way", "Read only one way: play in the nut shows only between up and down.")
    odd = [
        r
        for r, left in zip(result.readings, result.left_mm, strict=True)
        if abs(left) > _ODD * max(_typical(result.left_mm), context.resolution_mm / 3)
    ]
    if odd:
        result.warn("odd_reading", f"At {odd[0].z_mm:g} mm the reading lies far from its neighbours: read there again.")


def _typical(left: list[float]) -> float:
    return 1.4826 * float(np.median(np.abs(left)))


_DO = {
    "misaligned": (
        "realign",
        "It slopes evenly along the travel: screw or column is not parallel to the guide. Unplugged: beam to the bottom, loosen column or "
        "gantry screws a little so that it sits unforced, tighten, read again. Then the motor's screws: loosen, beam down, let the motor "
        "find its place without force, tighten. See that the nut has its free play.",
    ),
    "bent": (
        "replace_screw",
        "It repeats with every turn: the screw is bent, or sits eccentric in its coupler. Turn the coupler half round on the shaft and read "
        "again: if the wave turns with the screw, roll the screw on a flat surface and replace it. No adjustment mends a bent screw.",
    ),
    "play": (
        "nut",
        "Up and down stand apart: play in the nut, or in what carries it. Rock the nut; tighten what holds it; a worn nut is replaced.",
    ),
    "thread_only": ("leave", "Only the thread's own ripple is left. It is harmless: leave it."),
}


def _advise(result: ScrewRunoutResult, context: ScrewRunoutContext, aliased: bool) -> None:
    target = context.axis or "z"
    if aliased or any(w.code == "odd_reading" for w in result.warnings):
        words = (
            f"Read again, every {context.lead_mm / 4:.2g} mm or closer."
            if aliased
            else "Read at the odd place again before anything is touched."
        )
        result.advice.append(Advice(action="measure_again", target=target, reason=words))
        return
    if result.verdict == "cannot_tell":
        words = (
            f"The limit lies inside the uncertainty: read every {context.lead_mm / 8:.2g} mm, up and down, twice; a finer indicator tells "
            "more. Loosen nothing yet."
        )
        result.advice.append(Advice(action="measure_again", target=target, reason=words))
        return
    if result.verdict != "out_of_tolerance":
        return
    causes = (
        [c for c, j in zip(("misaligned", "bent"), result.judged[1:3], strict=True) if j.verdict == "out_of_tolerance"]
        if result.cause == "mixed"
        else [result.cause]
    )
    if result.cause == "mixed" and result.reversal is not None and result.judged[-1].verdict == "out_of_tolerance":
        causes.append("play")
    for cause in causes or ["misaligned"]:
        action, reason = _DO.get(cause, _DO["misaligned"])
        figure = {"misaligned": result.drift, "bent": result.lead_amplitude, "play": result.reversal}.get(cause)
        result.advice.append(
            Advice(
                action=action,
                target="column" if action == "realign" else target,
                amount=figure,
                reason=reason,
                expect=None if figure is None else Quantity(value=0.0, u95=figure.u95, unit=figure.unit),
            )
        )
    if any(a.action == "realign" for a in result.advice):
        words = "Column or screw, loosened and seated anew"
        result.turnables = [Turnable(target="column", title=words, unit="once", ways=["done", "undone"])]


def _stand_in(machine: SimMachine, place: str, seed: int, context: dict[str, Any]) -> StandIn:
    """A simulated indicator along a simulated screw, up and down, eight readings in each turn."""
    rng = np.random.default_rng([seed, 53, sum(place.encode())])
    screw = machine.screw(place)
    lead = float(context.get("lead_mm") or 8.0)
    pitch = float(context.get("thread_pitch_mm") or lead)
    rows: list[dict[str, float | str]] = []
    heights = np.arange(0.0, 7 * lead, lead / 9)
    for way, zs in (("up", heights), ("down", heights[::-1])):
        for z in zs:
            side = screw.side(float(z), lead, pitch, way == "down") + float(rng.normal(0, 0.004))
            rows.append({"z_mm": round(float(z), 3), "reading_mm": round(side, 2), "direction": way})
    return StandIn(rows=rows)


def _turn(machine: SimMachine, place: str, target: str, amount: float, found: Mapping[str, Any]) -> SimMachine:
    """Loosen the simulated column and seat it anew: most of its stress goes."""
    screw = machine.screw(place)
    seated = screw.model_copy(update={"drift": screw.drift * (0.2 if amount > 0 else 5.0)})
    return machine.model_copy(update={"screws": {**machine.screws, place: seated}, "touched": machine.touched + 1})


PROCEDURE = Procedure(
    "screw-runout",
    "Runout of a screw",
    ScrewRunoutContext,
    ScrewRunoutResult,
    analyse,
    data="csv",
    measures="screw",
    gives="runout",
    adjustable=True,
    interval_days=180,
    table=SideReading,
    turned=Turned(
        "Loosened the {target} and seated it anew", ("screw-runout", "gantry", "bed"), "frame_touched", _turn
    ),
    stand_in=_stand_in,
)
