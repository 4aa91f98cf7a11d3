"""A week's rounds: which machine's round is done by whom and when, around bookings and people's hours, so that what presses most is done.

Each round is one piece: tasks of one machine are done together. What is fetched for a sitting (a lubricant, an instrument) is fetched once in
it, so rounds that want the same come together. Solved with OR-tools' CP-SAT; the optimum where it is reached in time, else the best found with
how far the best there could be may lie above it. Times are minutes from the beginning of the week. Not here: what a round is worth.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Literal

#: Nothing is planned finer (minutes). Fetching one thing for a sitting takes so long, typical.
STEP, FETCH = 5, 2.0
#: So hard it is tried: in the solver's own measure, which is the same on any machine; and in seconds at the very most.
_EFFORT, _SECONDS = 0.4, 20.0
#: What is nearer to the best there could be than this is not taken up again; else so many sittings are, with so many rounds each.
_NEAR, _AGAIN, _FEW = 1.005, 40, 32
Span = tuple[int, int]
_Key = tuple[int, int]


@dataclass(frozen=True)
class Round:
    """A machine's round: minutes, what it is worth to do it this week (above zero), what has to be fetched for it, and when the machine is
    booked. ``variant``: of several ways to do it, of which one at most is done (the whole of it, what presses most).
    """

    machine: int
    minutes: float
    worth: float
    fetched: frozenset[str] = frozenset()
    booked: tuple[Span, ...] = ()
    variant: int = 0

    @property
    def key(self) -> tuple[int, int]:
        """The machine, and which way."""
        return self.machine, self.variant


@dataclass(frozen=True)
class Sitting:
    """Hours of one person on one day: from, until."""

    id: int
    begins: int
    ends: int


@dataclass(frozen=True)
class Placed:
    """A round in the plan. ``fixed``: it was put there by hand; ``clashes``: there it meets a booking, another round or the end of the hours."""

    machine: int
    sitting: int
    begins: int
    ends: int
    fixed: bool = False
    clashes: bool = False
    variant: int = 0

    @property
    def key(self) -> tuple[int, int]:
        """The machine, and which way its round is done."""
        return self.machine, self.variant


@dataclass(frozen=True)
class Left:
    """A round that did not fit. ``why``: nobody has ``no_hours``; its machine is ``booked`` (``free``: the longest minutes that are left within
    anybody's hours); the hours are ``full``. With ``short`` more minutes in a ``sitting`` it would fit.
    """

    machine: int
    why: Literal["no_hours", "booked", "full"]
    free: int = 0
    short: int = 0
    sitting: int | None = None


@dataclass(frozen=True)
class Week:
    """A plan: what is placed, by time; what is left; how much the placed are worth, and what the best there could be is at most."""

    placed: list[Placed]
    left: list[Left]
    worth: float
    bound: float


@dataclass
class _Asked:
    """The parts of a plan that are still open, in steps."""

    rounds: list[Round]
    sittings: list[Sitting]
    starts: dict[tuple[_Key, int], list[Span]] = field(default_factory=dict)
    steps: dict[_Key, int] = field(default_factory=dict)


def plan(rounds: Sequence[Round], sittings: Sequence[Sitting], fixed: Sequence[Placed] = ()) -> Week:
    """Plan a week.

    Parameters
    ----------
    rounds : sequence of Round
        Of each machine one, or the ways in which it may be done.
    sittings : sequence of Sitting
        Hours in which somebody is there; those of one person do not overlap.
    fixed : sequence of Placed
        Rounds that were put somewhere by hand: they stay, and all else goes around them.

    Raises
    ------
    ValueError
        For a round without worth or minutes, hours that end before they begin, or a way or sitting that is named twice.
    """
    _check(rounds, sittings)
    known = {r.key: r for r in rounds}
    by_hand = [_by_hand(p, known, sittings, fixed) for p in fixed if p.key in known]
    held = {p.machine for p in by_hand}
    asked = _Asked([r for r in rounds if r.machine not in held], list(sittings))
    for r in asked.rounds:
        asked.steps[r.key] = -(-round(r.minutes) // STEP)
        for s in sittings:
            taken = [*r.booked, *((p.begins, p.ends) for p in by_hand if p.sitting == s.id)]
            if found := _starts(s, asked.steps[r.key], taken):
                asked.starts[r.key, s.id] = found
    fetched = {s.id: {g for p in by_hand if p.sitting == s.id for g in known[p.key].fetched} for s in sittings}
    placed, bound = _solved(asked, fetched, _EFFORT) if asked.starts else ([], 0.0)
    bound = min(bound, _at_most(asked))
    if bound > sum(known[p.key].worth for p in placed) * _NEAR:
        placed = _polished(asked, fetched, placed)
    done = {p.machine for p in placed}
    worth = sum(known[p.key].worth for p in placed)
    # Of what did not fit, the way that takes the least.
    least: dict[int, Round] = {}
    for r in sorted(asked.rounds, key=lambda r: (-r.worth, r.minutes)):
        if r.machine not in done and (r.machine not in least or r.minutes < least[r.machine].minutes):
            least[r.machine] = r
    more = sum(known[p.key].worth for p in by_hand)
    return Week(
        sorted([*by_hand, *placed], key=lambda p: (p.begins, p.sitting)),
        [_left(r, asked, [*by_hand, *placed]) for r in least.values()],
        worth + more,
        max(bound, worth) + more,
    )


def _check(rounds: Sequence[Round], sittings: Sequence[Sitting]) -> None:
    if any(r.minutes <= 0 or r.worth <= 0 for r in rounds) or any(s.ends <= s.begins for s in sittings):
        raise ValueError("a round has minutes and a worth, and hours end after they begin")
    if len({r.key for r in rounds}) < len(rounds) or len({s.id for s in sittings}) < len(sittings):
        raise ValueError("a way of a round or a sitting is named twice")


def _by_hand(p: Placed, known: dict[_Key, Round], sittings: Sequence[Sitting], fixed: Sequence[Placed]) -> Placed:
    r = known[p.key]
    span = (p.begins, p.begins + round(r.minutes))
    s = next((s for s in sittings if s.id == p.sitting), None)
    met = any(_meet(span, b) for b in r.booked)
    met |= s is None or span[0] < s.begins or span[1] > s.ends
    met |= any(
        o.machine != p.machine and o.sitting == p.sitting and o.key in known
        and _meet(span, (o.begins, o.begins + round(known[o.key].minutes))) for o in fixed
    )  # fmt: skip
    return Placed(p.machine, p.sitting, span[0], span[1], True, met, p.variant)


def _meet(a: Span, b: Span) -> bool:
    return a[0] < b[1] and b[0] < a[1]


def free(s: Sitting, taken: Sequence[Span]) -> list[Span]:
    """The stretches of a sitting that are not taken."""
    out, at = [], s.begins
    for a, b in sorted(taken):
        if a > at:
            out.append((at, min(a, s.ends)))
        at = max(at, b)
    out.append((at, s.ends))
    return [(a, b) for a, b in out if b > a]


def _starts(s: Sitting, steps: int, taken: Sequence[Span]) -> list[Span]:
    """When a piece of so many steps can begin in a sitting, in steps."""
    out = []
    for a, b in free(s, taken):
        first, last = -(-a // STEP), b // STEP - steps
        if last >= first:
            out.append((first, last))
    return out


def _at_most(asked: _Asked) -> float:
    """No plan is worth more than if all hours were one, and rounds could be begun and left: what is worth most a minute first."""
    room, worth = float(sum(s.ends - s.begins for s in asked.sittings)), 0.0
    most: dict[int, tuple[float, float]] = {}
    for r in asked.rounds:
        dense, best = most.get(r.machine, (0.0, 0.0))
        most[r.machine] = max(dense, r.worth / r.minutes), max(best, r.worth)
    for dense, best in sorted(most.values(), reverse=True):
        takes = min(room, best / dense)
        worth, room = worth + takes * dense, room - takes
    return worth


def _polished(asked: _Asked, fetched: dict[int, set[str]], placed: list[Placed]) -> list[Placed]:
    """A plan that was not solved to the end, taken up again sitting by sitting with all that is left."""
    by_key = {r.key: r for r in asked.rounds}
    for k in range(min(_AGAIN, 2 * len(asked.sittings))):
        here = asked.sittings[k % len(asked.sittings)]
        elsewhere = [p for p in placed if p.sitting != here.id]
        busy = {p.machine for p in elsewhere}
        kept = [p.key for p in placed if p.sitting == here.id]
        open_ = sorted(
            (r for r in asked.rounds if r.machine not in busy and (r.key, here.id) in asked.starts),
            key=lambda r: (-r.worth / r.minutes, r.key),
        )[:_FEW]
        open_ += [by_key[key] for key in kept if by_key[key] not in open_]
        part = _Asked(open_, [here], {(r.key, here.id): asked.starts[r.key, here.id] for r in open_}, asked.steps)
        if not part.starts:
            continue
        again, _ = _solved(part, fetched, _EFFORT / _AGAIN)
        if sum(by_key[p.key].worth for p in again) > sum(by_key[key].worth for key in kept) + 1e-9:
            placed = [*elsewhere, *again]
    return placed


def _solved(asked: _Asked, fetched: dict[int, set[str]], effort: float) -> tuple[list[Placed], float]:
    from ortools.sat.python import cp_model

    model = cp_model.CpModel()
    here: dict[tuple[_Key, int], cp_model.IntVar] = {}
    begin: dict[tuple[_Key, int], cp_model.IntVar] = {}
    pieces: dict[int, list[cp_model.IntervalVar]] = {s.id: [] for s in asked.sittings}
    used: dict[tuple[int, str], cp_model.IntVar] = {}
    worth = {r.key: max(1, round(1000 * r.worth / max(x.worth for x in asked.rounds))) for r in asked.rounds}
    things = {r.key: r.fetched for r in asked.rounds}
    for (m, s), starts in asked.starts.items():
        here[m, s] = model.new_bool_var("")
        begin[m, s] = model.new_int_var_from_domain(cp_model.Domain.from_intervals([list(x) for x in starts]), "")
        steps = asked.steps[m]
        pieces[s].append(model.new_optional_interval_var(begin[m, s], steps, begin[m, s] + steps, here[m, s], ""))
        for g in things[m] - fetched[s]:
            if (s, g) not in used:
                used[s, g] = model.new_bool_var("")
            model.add_implication(here[m, s], used[s, g])
    for sitting in asked.sittings:
        model.add_no_overlap(pieces[sitting.id])
        # Said once more as a sum, which the bound is found by.
        room = (sitting.ends - sitting.begins) // STEP
        model.add(
            cp_model.LinearExpr.sum([asked.steps[m] * v for (m, at), v in here.items() if at == sitting.id]) <= room
        )
        fetches = [v for (at, _), v in used.items() if at == sitting.id]
        if fetches:
            # What is fetched is fetched before the first round.
            ready = model.new_int_var(0, 10**6, "")
            model.add(STEP * ready >= sitting.begins + round(FETCH) * cp_model.LinearExpr.sum(fetches))
            for (m, at), v in begin.items():
                if at == sitting.id:
                    model.add(v >= ready).only_enforce_if(here[m, at])
    ways: dict[int, list[cp_model.IntVar]] = {}
    for ((machine, _), _), v in here.items():
        ways.setdefault(machine, []).append(v)
    for each in ways.values():
        model.add_at_most_one(each)
    done = cp_model.LinearExpr.sum([100 * worth[m] * v for (m, _), v in here.items()])
    model.maximize(done - cp_model.LinearExpr.sum(list(used.values())))
    first = _greedy(asked)
    for key, v in here.items():
        model.add_hint(v, key in first)
    for key, at in first.items():
        model.add_hint(begin[key], at)
    solver = cp_model.CpSolver()
    solver.parameters.num_workers = 1
    solver.parameters.random_seed = 1
    solver.parameters.max_deterministic_time = effort
    solver.parameters.max_time_in_seconds = _SECONDS
    status = solver.solve(model)
    if status in (cp_model.OPTIMAL, cp_model.FEASIBLE):
        first = {key: solver.value(begin[key]) for key, v in here.items() if solver.boolean_value(v)}
    minutes = {r.key: round(r.minutes) for r in asked.rounds}
    placed = [Placed(m[0], s, STEP * at, STEP * at + minutes[m], variant=m[1]) for (m, s), at in first.items()]
    if status == cp_model.UNKNOWN:
        return placed, math.inf
    scale = max(x.worth for x in asked.rounds) / 1e5
    return placed, scale * (solver.best_objective_bound + len(used))


def _greedy(asked: _Asked) -> dict[tuple[_Key, int], int]:
    """A first plan: what is worth most a minute goes first, as early as it can; where the solver begins."""
    taken: dict[int, list[Span]] = {s.id: [] for s in asked.sittings}
    # Room for fetching all that there is.
    for s in asked.sittings:
        things = {g for r in asked.rounds for g in r.fetched}
        taken[s.id].append((s.begins, s.begins + round(FETCH * len(things))))
    out = {}
    done: set[int] = set()
    for r in sorted(asked.rounds, key=lambda r: (-r.worth / r.minutes, r.key)):
        if r.machine in done:
            continue
        steps = asked.steps[r.key]
        best: tuple[int, int] | None = None
        for s in asked.sittings:
            if (r.key, s.id) not in asked.starts:
                continue
            starts = _starts(s, steps, [*r.booked, *taken[s.id]])
            ok = [max(a, c) for a, b in starts for c, d in asked.starts[r.key, s.id] if max(a, c) <= min(b, d)]
            if ok and (best is None or min(ok) < best[0]):
                best = min(ok), s.id
        if best is not None:
            done.add(r.machine)
            out[r.key, best[1]] = best[0]
            taken[best[1]].append((STEP * best[0], STEP * (best[0] + steps)))
    return out


def _left(r: Round, asked: _Asked, placed: Sequence[Placed]) -> Left:
    """Why a round did not fit, and what would make it fit."""
    if not asked.sittings:
        return Left(r.machine, "no_hours")
    longest = max((b - a for s in asked.sittings for a, b in free(s, r.booked)), default=0)
    booked = not any((r.key, s.id) in asked.starts for s in asked.sittings) and any(
        s.ends - s.begins >= r.minutes for s in asked.sittings
    )
    room = [
        (b - a, s.id) for s in asked.sittings for a, b in free(s, [*r.booked, *((p.begins, p.ends) for p in placed if p.sitting == s.id)])
    ]  # fmt: skip
    best, sitting = max(room, default=(0, asked.sittings[0].id))
    short = max(STEP, -(-int(r.minutes - best) // STEP) * STEP)
    return Left(r.machine, "booked" if booked else "full", longest, short, sitting)
