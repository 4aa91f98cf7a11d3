"""belt-ladder: the tension at which this machine prints best, by rounds of turning and a printed corner.

The ripple left after the corner falls, is least, and rises again as a belt is tightened: the least of a weighted parabola through the
rounds is the machine's own best. The square of what rings rises in proportion to the belt's stiffness, until something else is the spring.
"""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, Annotated, Any, Literal

import numpy as np
from pydantic import Field

from ..asking import PLACE, Asked, belt, told
from ..errors import BadInput
from ..fitting import Floats
from ..machine import Place
from ..quantities import Quantity, Told, rounded, t95
from .base import Advice, Context, Part, Procedure, Result, StandIn

if TYPE_CHECKING:
    from ..simulator.machine import SimMachine

#: Known so well the best is known; the steps that are tried while it falls, and round the best.
_KNOWN_TURNS, _STEP, _FINE = 0.5, 1.0, 0.25
#: Bends are sought on a grid of so many between the rounds; a break has to earn its place (BIC).
_SOUGHT = 80
#: Nearer than this to a round, one need not try again.
_TRIED = 0.12


class LadderRound(Part):
    """A round: turned in all since the first, the ripple's amplitude after the corner, and what else was measured."""

    turns_total: Annotated[float, Field(ge=-50, le=50)]
    residual: Told
    tension: Told | None = None
    frequency: Told | None = None
    damping_ratio: Annotated[float, Field(ge=0, le=1)] | None = None


class Tried(Part):
    """A round as it is typed; 0 where tension or frequency were not measured."""

    turns_total: Annotated[
        float, Field(ge=-50, le=50), Asked("Turned in all", "turns", "Since the first round.", varies=True)
    ]
    ripple_mm: Annotated[float, Field(ge=0, le=5), Asked("Ripple", "mm", "Half of crest to trough.", varies=True)]
    tension_n: Annotated[float, Field(ge=0, le=500), Asked("Tension", "N", "0: not measured.", varies=True)] = 0.0
    frequency_hz: Annotated[float, Field(ge=0, le=500), Asked("Rings at", "Hz", "0: not measured.", varies=True)] = 0.0


class BeltLadderContext(Context):
    """``rounds``, or rows of ``tried`` with what each of their figures is good to. ``highest_n``: never beyond."""

    tried: Annotated[list[Tried], Field(max_length=40), Asked("Rounds")] = []
    rounds: Annotated[list[LadderRound], Field(max_length=40)] = []
    highest_n: Annotated[
        Annotated[float, Field(ge=1, le=500)] | None,
        Asked("Never over", "N", "The maker's highest.", (belt(lambda b: 50.0 * b.width_mm / 6.0, "typical"),)),
    ] = None
    ripple_u95_mm: Annotated[
        float,
        Field(ge=0.0001, le=1),
        Asked("A ripple is good to ±", "mm", "0.01 is typical by loupe or indicator.", more=True),
    ] = 0.01
    tension_u95_n: Annotated[
        float, Field(ge=0, le=100), Asked("A tension is good to ±", "N", "1 is typical of a pluck.", more=True)
    ] = 1.0
    frequency_u95_hz: Annotated[
        float, Field(ge=0, le=50), Asked("A frequency is good to ±", "Hz", "0.5 is typical of a sweep.", more=True)
    ] = 0.5
    axis: Annotated[Place | None, told(PLACE)] = None


class BeltLadderResult(Result):
    """The best turns (null while not enclosed), whether they are known, the tension there, the slope of the squared frequency (Hz2 per
    turn), where it bends, and the next turns to try (null once the best is known, or nothing more may be tried).
    """

    procedure: Literal["belt-ladder"] = "belt-ladder"
    best_turns: Quantity | None
    best_known: bool
    tension_at_best: Quantity | None
    stiffening: Quantity | None
    bends_at_turns: Quantity | None
    next_turns: Quantity | None
    parabola: list[float]
    rounds: list[LadderRound]


def analyse(context: BeltLadderContext, data: bytes | None = None) -> BeltLadderResult:
    """Where this machine's belt rings least, and what to try next.

    Parameters
    ----------
    context : BeltLadderContext
        Rounds of turns with the corner's ripple (mm), tension (N) and frequency (Hz) where they were measured.
    data : None
        It has no file.

    Returns
    -------
    BeltLadderResult
        ``best_turns``, ``tension_at_best`` (N), ``stiffening`` (Hz2 per turn), ``bends_at_turns``, ``next_turns``.

    Raises
    ------
    BadInput
        ``too_few_rows`` under three rounds; ``unknown_unit`` for figures of another kind.

    Examples
    --------
    >>> rounds = [{"turns_total": t, "residual": {"value": 0.05 + 0.03 * (t - 1.5) ** 2, "u95": 0.004, "unit": "mm"}}
    ...           for t in (0, 1, 2, 3)]
    >>> result = analyse(BeltLadderContext(rounds=rounds))
    >>> round(result.best_turns.value, 6), result.best_known
    (1.5, True)
    """
    rounds = _rounds(context)
    t = np.array([r.turns_total for r in rounds])
    y = np.array([r.residual.value for r in rounds])
    # A ripple of which nobody says how well it is known is taken for good to a tenth of the largest.
    unknown = 0.1 * float(y.max())
    u = np.array([max(unknown if r.residual.u95 is None else r.residual.u95, 1e-6) for r in rounds]) / 1.96
    coefficients, best = _least(t, y, u)
    known = best is not None and (best.u95 or 0.0) < _KNOWN_TURNS
    slope, bend = _stiffening(rounds)
    tension = _tension(rounds)
    next_turns, capped = _next(context, t, y, best, known, tension)
    result = BeltLadderResult(
        verdict="not_judged",
        best_turns=best,
        best_known=known,
        tension_at_best=None if best is None or tension is None else _at(tension, best),
        stiffening=slope,
        bends_at_turns=bend,
        next_turns=next_turns,
        parabola=[float(c) for c in coefficients],
        rounds=rounds,
    )
    lowest = rounds[int(y.argmin())]
    if best is not None:
        result.judge("It rings least at", best)
    if result.tension_at_best is not None:
        result.judge("The belt has there", result.tension_at_best)
    result.judge(f"Least so far, at {lowest.turns_total:g} turns", lowest.residual)
    if slope is not None:
        result.judge("The square of what rings grows by", slope)
    if bend is not None:
        result.warn(
            "bends",
            f"From {rounded(bend.value, bend.u95)} turns on it rings no higher: from there something else is the spring. Look there for what "
            "gives (carriage, motor mount, frame) rather than tighten on.",
        )
    _advise(result, context, rounds, capped)
    return result


def _rounds(context: BeltLadderContext) -> list[LadderRound]:
    """The rounds in the order of their turns, in mm, N and Hz."""
    typed = [
        LadderRound(
            turns_total=r.turns_total,
            residual=Quantity(value=r.ripple_mm, u95=context.ripple_u95_mm, unit="mm"),
            tension=Quantity(value=r.tension_n, u95=context.tension_u95_n, unit="N") if r.tension_n else None,
            frequency=Quantity(value=r.frequency_hz, u95=context.frequency_u95_hz, unit="Hz")
            if r.frequency_hz
            else None,
        )
        for r in context.tried
    ]
    rounds = [
        r.model_copy(
            update={
                "residual": r.residual.in_unit("mm", "rounds"),
                "tension": None if r.tension is None else r.tension.in_unit("N", "rounds"),
                "frequency": None if r.frequency is None else r.frequency.in_unit("Hz", "rounds"),
            }
        )
        for r in [*typed, *context.rounds]
    ]
    if len(rounds) < 3:
        raise BadInput(
            "too_few_rows",
            f"{len(rounds)} rounds; three at the least: turn, measure, print the corner, again.",
            "rounds",
        )
    if any(r.residual.value < 0 for r in rounds):
        raise BadInput("out_of_range", "A ripple's amplitude is not negative.", "rounds")
    return sorted(rounds, key=lambda r: r.turns_total)


def _least(t: Floats, y: Floats, u: Floats) -> tuple[Floats, Quantity | None]:
    """The weighted parabola (c0, c1, c2) and its least; None while the rounds do not enclose it."""
    if len(set(t.tolist())) < 3:
        return np.array([float(y.mean()), 0.0, 0.0]), None
    middle = float(t.mean())
    x = t - middle
    design = np.column_stack([np.ones(len(x)), x, x * x])
    weighted = design / u[:, None]
    c, *_ = np.linalg.lstsq(weighted, y / u, rcond=None)
    cov = np.linalg.pinv(weighted.T @ weighted)
    dof = len(t) - 3
    factor = 1.96
    if dof > 0:
        # Rounds that scatter more than they are said to speak for themselves.
        chi = float((((y - design @ c) / u) ** 2).sum()) / dof
        if chi > 1:
            cov, factor = cov * chi, t95(dof)
    plain = np.array([c[0] - c[1] * middle + c[2] * middle**2, c[1] - 2 * c[2] * middle, c[2]])
    if c[2] <= factor * math.sqrt(cov[2, 2]):
        return plain, None
    at = -c[1] / (2 * c[2])
    slope = np.array([0.0, -1 / (2 * c[2]), c[1] / (2 * c[2] ** 2)])
    best = float(at) + middle
    if not t.min() < best < t.max():
        return plain, None
    return plain, Quantity(value=best, u95=factor * math.sqrt(float(slope @ cov @ slope)), unit="turns")


def _stiffening(rounds: list[LadderRound]) -> tuple[Quantity | None, Quantity | None]:
    """Slope of the squared frequency where it rises, and where it stops to, if that earns its place."""
    mine = [(r.turns_total, r.frequency) for r in rounds if r.frequency is not None]
    if len({t for t, _ in mine}) < 2:
        return None, None
    t = np.array([a for a, _ in mine])
    f = np.array([q.value for _, q in mine])
    u = np.maximum(2 * f * np.array([q.u95 or 0.02 * q.value for _, q in mine]) / 1.96, 1e-9)
    straight = _weighted(np.column_stack([np.ones(len(t)), t]), f * f, u)
    slope = Quantity(value=float(straight[0][1]), u95=1.96 * math.sqrt(straight[1][1, 1]), unit="Hz2/turn")
    if len(t) < 5:
        return slope, None
    # A break needs rounds on both its sides.
    inner = np.sort(t)
    tried = np.linspace(float(inner[1]), float(inner[-2]), _SOUGHT)
    fits = [(_weighted(np.column_stack([np.ones(len(t)), np.minimum(t, b)]), f * f, u), b) for b in tried]
    (c, cov, chi), bend = min(fits, key=lambda x: float(x[0][2]))
    if straight[2] - chi < 2 * math.log(len(t)) + 2 or c[1] <= 1.96 * math.sqrt(cov[1, 1]):
        return slope, None
    # As far as the sum of squares rises by what 95 % stand for.
    inside = [b for (_c, _v, x), b in fits if x - chi < 3.84]
    rising = Quantity(value=float(c[1]), u95=1.96 * math.sqrt(cov[1, 1]), unit="Hz2/turn")
    half = max(max(inside) - bend, bend - min(inside), (tried[1] - tried[0]))
    return rising, Quantity(value=float(bend), u95=float(half), unit="turns")


def _weighted(design: Floats, y: Floats, u: Floats) -> tuple[Floats, Floats, float]:
    """Coefficients, their covariance, and the weighted sum of squares left."""
    w = design / u[:, None]
    c, *_ = np.linalg.lstsq(w, y / u, rcond=None)
    chi = float((((y - design @ c) / u) ** 2).sum())
    return np.asarray(c, dtype=float), np.asarray(np.linalg.pinv(w.T @ w), dtype=float), chi


def _tension(rounds: list[LadderRound]) -> tuple[Floats, Floats] | None:
    """Tension over turns as a line (N, N per turn), with its covariance; None where fewer than two rounds tell it."""
    mine = [(r.turns_total, r.tension) for r in rounds if r.tension is not None]
    if len({t for t, _ in mine}) < 2:
        return None
    t = np.array([a for a, _ in mine])
    n = np.array([q.value for _, q in mine])
    u = np.maximum(np.array([q.u95 or 0.05 * q.value for _, q in mine]) / 1.96, 1e-6)
    c, cov, chi = _weighted(np.column_stack([np.ones(len(t)), t]), n, u)
    dof = len(t) - 2
    return c, cov * max(1.0, chi / dof if dof > 0 else 1.0)


def _at(tension: tuple[Floats, Floats], turns: Quantity) -> Quantity:
    c, cov = tension
    row = np.array([1.0, turns.value])
    u = math.hypot(1.96 * math.sqrt(float(row @ cov @ row)), float(c[1]) * (turns.u95 or 0.0))
    return Quantity(value=float(row @ c), u95=u, unit="N")


def _next(
    context: BeltLadderContext,
    t: Floats,
    y: Floats,
    best: Quantity | None,
    known: bool,
    tension: tuple[Floats, Floats] | None,
) -> tuple[Quantity | None, bool]:
    """The next turns to try, and whether the highest tension forbids what would be."""
    if known:
        return None, False
    if best is not None:
        wanted = _untried(t, round(best.value / _FINE) * _FINE)
    elif y[t == t.max()].min() <= y.min():
        wanted = float(t.max()) + _STEP
    elif y[t == t.min()].min() <= y.min():
        wanted = float(t.min()) - _STEP
    else:
        wanted = _untried(t, float(t[y.argmin()]))
    capped = False
    if context.highest_n is not None and tension is not None and tension[0][1] > 0:
        most = float((context.highest_n - tension[0][0]) / tension[0][1])
        if wanted > most:
            wanted, capped = math.floor(most / _FINE) * _FINE, True
            if np.abs(t - wanted).min() < _TRIED or (wanted < t.max() and best is None):
                return None, True
    return Quantity(value=wanted, u95=0.0, unit="turns"), capped


def _untried(t: Floats, near: float) -> float:
    """The quarter turn nearest to a place that was not tried yet."""
    for k in range(41):
        for sign in (1, -1):
            at = near + sign * k * _FINE
            if np.abs(t - at).min() >= _TRIED:
                return float(at)
    return near


def _advise(result: BeltLadderResult, context: BeltLadderContext, rounds: list[LadderRound], capped: bool) -> None:
    target = context.axis or "all"
    last = rounds[-1].turns_total
    if result.best_known and result.best_turns is not None:
        best, at = result.best_turns, result.tension_at_best
        words = (
            ""
            if at is None
            else f" There the belt has {rounded(at.value, at.u95)} N: this machine's own best, and its target from now on."
        )
        result.advice.append(
            Advice(
                action="set_own_best",
                target=target,
                amount=at or best,
                reason=f"It rings least at {rounded(best.value, best.u95)} turns.{words}",
                expect=at,
            )
        )
        return
    if result.next_turns is None:
        words = "The highest tension is reached and it still rings less with every turn: what is left is not the belt's. Stay there; look at mass and mounts."
        result.advice.append(Advice(action="stay", target=target, reason=words))
        return
    by = result.next_turns.value - last
    way = "tighter" if by > 0 else "slacker"
    why = (
        "It still falls: go on."
        if result.best_turns is None and by > 0 and not capped
        else "Over that the belt may not go."
        if capped
        else "It is enclosed; rounds close by make it known."
        if result.best_turns is not None
        else "It rose from the first round on: go back."
        if result.next_turns.value < rounds[0].turns_total
        else "The rounds scatter too much to enclose the least: another one close by."
    )
    result.advice.append(
        Advice(
            action="try_next",
            target=target,
            amount=result.next_turns,
            direction=way,
            reason=f"Next try {result.next_turns.value:g} turns in all ({abs(by):.2f} {way} than the tightest so far). {why} Then pluck, shake, and print the corner again.",
        )
    )


def _stand_in(machine: SimMachine, place: str, seed: int, context: dict[str, Any]) -> StandIn:
    """Rounds on a simulated machine: its belt is turned, plucked and shaken, and its corner's ripple measured."""
    rng = np.random.default_rng([seed, 58])
    true = machine.belt(place)
    best_n, k = 1.15 * true.tension_n + 4.0, 0.08
    per_turn = 0.08 * best_n + 1.0
    rows: list[dict[str, float | str]] = []
    for turns in (0.0, 1.0, 2.0, 3.0):
        tension = true.tension_n + turns * per_turn
        ripple = 0.04 + k * ((tension - best_n) / best_n) ** 2 * 4
        hz = machine.axis(place).modes[0].hz * math.sqrt(min(1.0 + 0.1 * turns, 1.25))
        rows.append(
            {
                "turns_total": turns,
                "ripple_mm": round(max(0.0, ripple + float(rng.normal(0, 0.003))), 3),
                "tension_n": round(tension + float(rng.normal(0, 0.3)), 1),
                "frequency_hz": round(hz + float(rng.normal(0, 0.15)), 1),
            }
        )
    return StandIn(rows=rows)


PROCEDURE = Procedure(
    "belt-ladder",
    "The tension at which it prints best",
    BeltLadderContext,
    BeltLadderResult,
    analyse,
    measures="belt",
    gives="own_best",
    interval_days=365,
    stand_in=_stand_in,
)
