"""belt-set: how far to turn each belt's tensioner, in which direction, and what to expect.

Tension gained per turn comes from the belt's stiffness and the tensioner's geometry, joined by inverse variance with
what this printer's own rounds have shown.
"""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np
from pydantic import Field

from ..asking import limit, told
from ..errors import BadInput
from ..machine import PLACES, Moving, Tensioner, axial_stiffness_typical, newtons_per_turn
from ..quantities import Limits, Quantity, Told, Verdict, decide, quadrature, rounded, worst
from .base import Advice, Context, Finding, Part, Procedure, Result, source_of, three_way
from .belt_pluck import Percent

#: Never more than this in one step: past it a belt may jump a tooth or a clamp may crack.
MOST_TURNS = 1.0
#: Sliders and sprung locks are moved in millimetres; never more than this in one step.
MOST_MM = 1.0


#: What a belt is called in one sitting.
BeltId = Annotated[str, Field(min_length=1, max_length=40)]


class BeltIn(Part):
    """One belt as measured, and what tightens it. The loop's length and stiffness default to a typical 6 mm belt."""

    id: BeltId
    tension: Told
    loop_length_mm: Annotated[float, Field(ge=10, le=50000)]
    axial_stiffness_n: Annotated[float, Field(ge=1, le=1e6)] | None = None
    u95_shared_n: Annotated[float, Field(ge=0, le=1000)] | None = None
    tensioner: Tensioner = Tensioner(thread_pitch_mm=0.7)


class Turned(Part):
    """A past round: ``turns`` positive when tightened (mm for sliders). A belt that was *not* turned (turns 0) while
    another was shows how they are coupled.
    """

    id: BeltId
    turns: Annotated[float, Field(ge=-1000, le=1000)]
    before_n: Annotated[float, Field(ge=-1000, le=1000)]
    after_n: Annotated[float, Field(ge=-1000, le=1000)]
    u95_n: Annotated[float, Field(ge=1e-06, le=1000)] = 1.0


class BeltSetContext(Context):
    """The belts of one pair (or a single belt), what they should have, and what earlier rounds have shown."""

    belts: Annotated[list[BeltIn], Field(min_length=1, max_length=3)]
    target_n: Annotated[float, Field(ge=0.01, le=1000)]
    tolerance_percent: Annotated[float, Field(gt=0, le=100)] = 10.0
    imbalance_limit_percent: Annotated[
        float, Field(gt=0, le=100), told(limit("imbalance", "Difference of a pair of belts", "%"))
    ] = 8.0
    axial_stiffness_u95_percent: Percent = 40.0
    coupling: Annotated[float, Field(ge=0, lt=0.9)] | None = None
    history: Annotated[list[Turned], Field(max_length=500)] = []


class BeltOut(Part):
    """What to do with one belt. ``turns`` is null where nothing is to be turned; its unit is mm for sliders.

    ``learned_from`` counts this machine's own rounds in ``newtons_per_turn``; with none it is by the book.
    """

    id: str
    verdict: Verdict
    turns: Quantity | None = None
    direction: Moving | None = None
    tighten: bool | None = None
    newtons_per_turn: Quantity
    learned_from: int = 0
    expect: Quantity


class BeltSetResult(Result):
    """Balance of the pair and the steps. ``imbalance_percent`` is null for a single belt."""

    procedure: Literal["belt-set"] = "belt-set"
    imbalance_percent: Quantity | None
    slacker: str | None
    belts: list[BeltOut]
    coupling: float
    holds: bool


def analyse(context: BeltSetContext, data: bytes | None = None) -> BeltSetResult:
    """Judge the belts against the target and each other, and say what to turn.

    Parameters
    ----------
    context : BeltSetContext
        The belts with their tension (N) and tensioners, the target (N), and what earlier turns gave.
    data : None
        It has no file.

    Returns
    -------
    BeltSetResult
        The imbalance (%), the slacker one, and for each belt the turns (or mm of a slider), the direction, and what to expect.

    Raises
    ------
    BadInput
        ``out_of_range`` where two belts have one id, or a tension is not greater than zero.

    Notes
    -----
    Tension gained by a turn: EA 2 p sin(wrap / 2) / loop (`machine.Tensioner`); with history the machine's own, joined to the
    theory by inverse variance. Nothing is turned on noise, and never more than one turn at a time.

    Examples
    --------
    >>> belt = {"id": "x", "tension": {"value": 15.0, "u95": 0.5, "unit": "N"}, "loop_length_mm": 1000, "axial_stiffness_n": 15000,
    ...     "tensioner": {"thread_pitch_mm": 0.5, "tighten": "clockwise"}}
    >>> result = analyse(BeltSetContext(belts=[belt], target_n=22.5))
    >>> result.belts[0].direction, round(result.belts[0].turns.value, 2)
    ('clockwise', 0.5)
    """
    belts = context.belts
    if len({b.id for b in belts}) != len(belts):
        raise BadInput("out_of_range", "Two belts have the same id.", "belts")
    tension = [b.tension.in_unit("N", f"belts.{i}.tension.unit") for i, b in enumerate(belts)]
    values = np.array([t.value for t in tension])
    if np.any(values <= 0):
        raise BadInput(
            "out_of_range", "A tension must be greater than zero.", f"belts.{int(np.argmin(values))}.tension.value"
        )
    parts = [_uncertainty(b, t) for b, t in zip(belts, tension, strict=True)]
    own = np.array([p[0] for p in parts])
    total = np.array([p[1] for p in parts])
    slope = context.tolerance_percent / 100
    band = Limits(low=context.target_n * (1 - slope), high=context.target_n * (1 + slope))
    verdicts = [decide(v, u, band) for v, u in zip(values, total, strict=True)]
    coupling = _coupling(context) if len(belts) > 1 else 0.0
    learned = [_gain(context, i) for i in range(len(belts))]
    gain = [g for g, _ in learned]

    imbalance, slacker, pair = _balance(context, values, own)
    wanted = _wanted(context, values, own, total, verdicts, pair)
    steps = _steps(wanted, np.array([g.value for g in gain]), coupling, belts)
    moved = steps * np.array([g.value for g in gain])
    after = values + moved - coupling * (moved.sum() - moved)
    result = BeltSetResult(
        verdict=worst([*verdicts, *([pair] if pair else [])]),
        imbalance_percent=imbalance,
        slacker=slacker,
        belts=[],
        coupling=coupling,
        holds=all(v in ("in_tolerance", "watch") for v in verdicts) and pair in (None, "in_tolerance", "watch"),
    )
    for i, belt in enumerate(belts):
        unsure = abs(moved[i]) * (gain[i].u95 or 0) / gain[i].value
        turned = steps[i] != 0
        unit = belt.tensioner.unit
        up = bool(steps[i] > 0)
        result.belts.append(
            BeltOut(
                id=belt.id,
                verdict=verdicts[i],
                turns=Quantity(
                    value=abs(float(steps[i])), u95=float(quadrature(own[i], unsure) / gain[i].value), unit=unit
                )
                if turned
                else None,
                direction=belt.tensioner.moved(up) if turned else None,
                tighten=up if turned else None,
                newtons_per_turn=gain[i],
                learned_from=learned[i][1],
                expect=Quantity(value=float(after[i]), u95=quadrature(own[i], unsure), unit="N"),
            )
        )
    if imbalance is not None:
        source = source_of(context, "imbalance_limit_percent")
        result.judge("Difference", imbalance, Limits(high=context.imbalance_limit_percent), source, pair)
    for belt, value, u, verdict in zip(belts, values, total, verdicts, strict=True):
        quantity = Quantity(value=float(value), u95=float(u), unit="N")
        result.judge(f"Tension of {belt.id.upper()}", quantity, band, "given", verdict)
    _advise(result, context, values, total, wanted, coupling)
    _find(result, context, values, own, total, band, pair)
    return result


def _uncertainty(belt: BeltIn, tension: Quantity) -> tuple[float, float]:
    """(own, whole) u95 of a tension; a part that is not told is what the others leave of it."""
    u95 = tension.u95
    shared = belt.u95_shared_n if belt.u95_shared_n is not None else tension.shared
    if tension.own is not None:
        own = tension.own
    elif u95 is not None and shared is not None:
        own = float(np.sqrt(max(u95**2 - shared**2, 0.0)))
    else:
        own = u95 if u95 is not None else 0.1 * tension.value
    return own, (u95 if u95 is not None else quadrature(own, shared or 0.0))


def _gain(context: BeltSetContext, i: int) -> tuple[Quantity, int]:
    """N per turn (or per mm): theory joined to this printer's own rounds by inverse variance; and how many rounds."""
    belt = context.belts[i]
    unit = "N/mm" if belt.tensioner.unit == "mm" else "N/turn"
    stiffness = belt.axial_stiffness_n or axial_stiffness_typical(6.0)[0]
    theory = newtons_per_turn(belt.tensioner, stiffness, belt.loop_length_mm)
    weight = 1 / (theory * max(context.axial_stiffness_u95_percent, 1.0) / 100) ** 2
    total, weights = weight * theory, weight
    # Earlier rounds, with how much they disagree among themselves (settling, slip) on top of what each can tell.
    rounds = [h for h in context.history if h.id == belt.id and abs(h.turns) >= 0.05]
    seen = [((h.after_n - h.before_n) / h.turns, np.sqrt(2) * h.u95_n / abs(h.turns)) for h in rounds]
    # A round that went the wrong way says that something slipped, not what a turn gives.
    seen = [(g, u) for g, u in seen if g > 0.1 * theory]
    spread = float(np.std([g for g, _ in seen])) if len(seen) > 1 else 0.0
    for g, u in seen:
        w = 1 / (u**2 + (2 * spread) ** 2 + (0.05 * g) ** 2)
        total, weights = total + w * g, weights + w
    return Quantity(value=float(total / weights), u95=float(1 / np.sqrt(weights)), unit=unit), len(seen)


def _coupling(context: BeltSetContext) -> float:
    """Share of one belt's change that another loses: as given, else learned from belts that were not turned, else 0."""
    if context.coupling is not None:
        return context.coupling
    shares, weights = [], []
    last: Turned | None = None
    for h in context.history:
        if abs(h.turns) >= 0.05:
            last = h
        elif last is not None and last.id != h.id and abs(last.after_n - last.before_n) > 2 * last.u95_n:
            gained = last.after_n - last.before_n
            shares.append(-(h.after_n - h.before_n) / gained)
            weights.append((gained / h.u95_n) ** 2)
    if not shares:
        return 0.0
    # Joined with the expectation of little coupling (0 ± 0.3), so that one noisy round does not rule.
    learned = float(np.dot(weights, shares) / (sum(weights) + 2 / 0.3**2))
    return min(max(learned, 0.0), 0.6)


def _balance(
    context: BeltSetContext, values: np.ndarray, own: np.ndarray
) -> tuple[Quantity | None, str | None, Verdict | None]:
    """Imbalance (%), the slacker belt where the difference is more than its uncertainty, and the verdict of the pair."""
    if len(values) < 2:
        return None, None, None
    low, high = int(np.argmin(values)), int(np.argmax(values))
    mean = float(values.mean())
    percent = 100 * float(values[high] - values[low]) / mean
    u = 100 * quadrature(own[low], own[high]) / mean
    verdict = decide(percent, u, Limits(high=context.imbalance_limit_percent))
    slacker = context.belts[low].id if percent > u else None
    return Quantity(value=percent, u95=u, unit="%", low=max(0.0, percent - u), high=percent + u), slacker, verdict


def _wanted(
    context: BeltSetContext,
    values: np.ndarray,
    own: np.ndarray,
    total: np.ndarray,
    verdicts: list[Verdict],
    pair: Verdict | None,
) -> np.ndarray:
    """Change of tension (N) wanted of each belt; zero where the error is inside its uncertainty."""
    error = context.target_n - values
    wrong = np.array([v in ("out_of_tolerance", "cannot_tell") for v in verdicts])
    wanted = np.where(wrong & (np.abs(error) > total), error, 0.0)
    if pair == "out_of_tolerance" and not wanted.any():
        # The level cannot be told better, but their difference can: bring the slacker up to the other, or,
        # where the other lies above the target, the tighter down.
        low, high = int(np.argmin(values)), int(np.argmax(values))
        gap = values[high] - values[low]
        i, by = (low, gap) if values[low] + gap / 2 <= context.target_n else (high, -gap)
        wanted[i] = by
    elif pair == "out_of_tolerance":
        # One is put right: take the other along where it is surely off the same target by its own part.
        also = np.abs(error) > own
        wanted = np.where(also, error, wanted)
    return wanted


def _steps(wanted: np.ndarray, gain: np.ndarray, coupling: float, belts: list[BeltIn]) -> np.ndarray:
    """Turns (or mm) of each tensioner, the coupling undone, none more than one step allows."""
    if not wanted.any():
        return np.zeros(len(wanted))
    n = len(wanted)
    mixing = np.eye(n) - coupling * (np.ones((n, n)) - np.eye(n)) if n > 1 else np.eye(1)
    # A belt that is right is left alone, so only those to be turned take part.
    turned = wanted != 0
    moves = np.zeros(n)
    moves[turned] = np.linalg.solve(mixing[np.ix_(turned, turned)], wanted[turned])
    most = np.array([MOST_MM if b.tensioner.unit == "mm" else MOST_TURNS for b in belts])
    return np.asarray(np.clip(moves / gain, -most, most))


def _advise(
    result: BeltSetResult,
    context: BeltSetContext,
    values: np.ndarray,
    total: np.ndarray,
    wanted: np.ndarray,
    coupling: float,
) -> None:
    order = sorted(
        (i for i, b in enumerate(result.belts) if b.turns is not None),
        key=lambda i: result.belts[i].turns.value if coupling > 0 else values[i],  # type: ignore[union-attr]
    )
    for i in order:
        belt = result.belts[i]
        assert belt.turns is not None
        reason = f"{rounded(values[i], total[i])} N, {context.target_n:g} N wanted; {rounded(belt.newtons_per_turn.value, belt.newtons_per_turn.u95)} N a {'turn' if belt.turns.unit == 'turns' else 'mm'}{'' if belt.learned_from else ' by the book'}."
        if abs(wanted[i]) > abs(belt.expect.value - values[i]) * 1.1 + 1e-9:
            reason += " The whole way is more than one step: measure in between."
        if not belt.tighten:
            reason += " Over-tight wears bearings and motor shafts."
        result.advice.append(
            Advice(
                action="tighten_belt" if belt.tighten else "slacken_belt",
                target=belt.id,
                amount=belt.turns,
                direction=belt.direction,
                reason=reason,
                expect=belt.expect,
            )
        )
    if result.verdict == "cannot_tell" and not order:
        result.advice.append(
            Advice(
                action="weigh_belt",
                target="all",
                reason="The error lies inside its uncertainty, so nothing is turned on it. If the belt's weight is only "
                "typical, weigh a metre of it; else pluck more often.",
            )
        )


def _find(
    result: BeltSetResult,
    context: BeltSetContext,
    values: np.ndarray,
    own: np.ndarray,
    total: np.ndarray,
    band: Limits,
    pair: Verdict | None,
) -> None:
    for i, belt in enumerate(context.belts):
        axis = belt.id if belt.id in PLACES else None
        value = Quantity(value=float(values[i]), u95=float(total[i]), unit="N")
        for finding, side in (("belt_slack", Limits(low=band.low)), ("belt_overtight", Limits(high=band.high))):
            state = three_way(decide(float(values[i]), float(total[i]), side, outer=0))
            result.findings.append(Finding(finding=finding, axis=axis, state=state, value=value))  # type: ignore[arg-type]
    if pair is not None:
        result.findings.append(
            Finding(finding="belts_unequal", axis="all", state=three_way(pair), value=result.imbalance_percent)
        )


PROCEDURE = Procedure(
    "belt-set", "Set the belts", BeltSetContext, BeltSetResult, analyse, adjustable=True, interval_days=30
)
