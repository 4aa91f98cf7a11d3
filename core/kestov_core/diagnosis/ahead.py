"""What to do next: the check, the repair or the question that shortens the way to a fixed machine most.

A check is worth what it is expected to save beyond the minutes it takes, with the best step after it in mind (a lookahead of
two). A repair is tried first where that ends sooner than the best check. Nothing is advised that costs more than it saves.
Source: Heckerman, Breese and Rommelse (1995) for the cost; the second step and the choice among equals are ours.
"""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from ..knowledge import SETUP_MINUTES, FindingKind, checks, findings
from ..machine import ALL, AXES_OF_BELT, BED, GUIDED, HEAD
from . import engine
from .evidence import at_place, belief, noise
from .laid_out import Array, Case, Node, percent, place_of, small
from .places import PlacedCheck, place_checks, spots_of
from .shapes import DiagnoseContext, Likely, Looked, NextCheck, Observed, Outcome, Question, RepairNow

#: Checks that are thought through to the step after, outcomes of each, and steps that may follow.
_SHORT, _BRANCHES, _FOLLOWERS = 8, 3, 12
#: Faults that the second step tells apart; the rest is beyond it.
_LIKELIEST = 56
#: Two plans that differ by less than so many minutes, or by this share, are alike: then the natural one goes first.
_ALIKE_MINUTES, _ALIKE_SHARE = 1.5, 0.06
#: Minutes to ask somebody a question.
_ASKING = 0.5
#: A fault leads from this chance on: its repair is said beside its check where it takes hardly longer than to look, and what
#: it waits for is done first.
_LEADS, _HARDLY = 0.25, 3.0
#: A check that shows a fault at least so often is that fault's own.
_SURE = 0.8


@dataclass(eq=False)
class Plan:
    """A placed check with what it is expected to save.

    ``gain``: by its own answer, were it the last check; ``worth``: beyond its minutes, with the best step after it; ``saves``:
    the same beyond what the other checks would save without it, or by its own answer, whichever is more.
    ``opens``: a leading fault whose repair waits for it. ``own``: its minutes without any set-up.
    """

    at: PlacedCheck
    nodes: list[int]
    minutes: float
    gain: float
    calm: float
    then_fine: Array
    share: Array
    worth: float = 0.0
    saves: float = 0.0
    leaders: list[int] = field(default_factory=list)
    opens: int | None = None
    own: float = 0.0


@dataclass
class Ahead:
    """What each open finding would tell, over all checks of this machine."""

    nodes: list[Node]
    u: Array
    h: Array
    leak: Array
    unlisted: Array
    seen: engine.Foresight
    plans: list[Plan]


def known(seen: dict[Node, Observed]) -> set[Node]:
    """What has been answered, either way."""
    return {k for k, o in seen.items() if o.state != "unknown"}


def _columns(case: Case, nodes: list[Node]) -> tuple[Array, Array, Array, Array]:
    columns = [case.column(*n) for n in nodes]
    u, h = (np.stack([c[j] for c in columns], axis=1) for j in (0, 1))
    leak, unlisted = (np.array([noise(f)[k] for f, _ in nodes]) for k in (0, 1))
    return u, h, leak, unlisted


def _together(u: Array, leak: Array, unlisted: Array, spots: list[list[int]]) -> tuple[Array, Array, Array]:
    """For each check the products over its findings of u, of 1 - leak and of 1 - what something unlisted shows."""
    start = np.cumsum([0, *(len(idx) for idx in spots[:-1])])
    flat = [k for idx in spots for k in idx]
    return (
        np.multiply.reduceat(u[:, flat], start, axis=1),
        np.multiply.reduceat(1 - leak[flat], start),
        np.multiply.reduceat(1 - unlisted[flat], start),
    )


def look_ahead(case: Case, context: DiagnoseContext, seen: dict[Node, Observed], w: engine.Weights) -> Ahead | None:
    """Every check that still has something to tell, with its worth; None where none has."""
    told = known(seen)
    rows: list[tuple[PlacedCheck, list[Node]]] = []
    for pc in place_checks(case.machine, case.known):
        open_ = [n for n in pc.nodes if n not in told and (n[0], None) not in told]
        if open_:
            rows.append((pc, open_))
    if not rows:
        return None
    nodes = list(dict.fromkeys(n for _, open_ in rows for n in open_))
    at = {n: k for k, n in enumerate(nodes)}
    u, h, leak, unlisted = _columns(case, nodes)
    foresight = engine.foresee(w, u, h, leak, unlisted)
    p, _ = w.marginals()
    now = case.cost(w)
    cost = engine.cost_of_repair(foresight.if_present, case.repair)
    spots = [[at[n] for n in open_] for _, open_ in rows]
    calm, fine = engine.all_absent(w, *_together(u, leak, unlisted, spots))
    cost_fine = engine.cost_of_repair(fine, case.repair)
    leaders = [int(i) for i in np.argsort(-p)[:5] if p[i] > 0.03]
    plans = []
    for j, ((pc, _), idx) in enumerate(zip(rows, spots, strict=True)):
        share = (1 - calm[j]) * foresight.chance[idx] / foresight.chance[idx].sum()
        gain = now - float(calm[j] * cost_fine[j]) - float(share @ cost[idx])
        own = context.minutes.get(pc.check.id, pc.check.minutes)
        minutes = own + sum(SETUP_MINUTES[s] for s in pc.check.setup if s not in context.setup_done)
        bears = [i for i in leaders if float(np.min(u[i, idx])) < 0.55]
        plans.append(
            Plan(pc, idx, minutes, gain, float(calm[j]), fine[:, j], share, gain - minutes, leaders=bears, own=own)
        )
    out = Ahead(nodes, u, h, leak, unlisted, foresight, plans)
    _second_step(case, w, out)
    nets = sorted((r.gain - r.minutes for r in plans), reverse=True)
    for r in plans:
        net = r.gain - r.minutes
        others = nets[1] if len(nets) > 1 and net == nets[0] else nets[0]
        r.saves = max(net, r.worth - max(0.0, others))
    # What bears on none of the leaders waits until nothing that does is worth its minutes.
    out.plans.sort(key=lambda r: (r.saves <= 0, not r.leaders, -r.worth))
    _natural_first(out.plans)
    return out


def _second_step(case: Case, w: engine.Weights, ahead: Ahead) -> None:
    """Correct the worth of the most promising checks by the best step after each of their outcomes."""
    plans = ahead.plans
    net = sorted(plans, key=lambda r: -(r.gain - r.minutes))[: _SHORT // 2]
    quick = sorted(plans, key=lambda r: -r.gain / r.minutes)
    short = net + [r for r in quick if all(r is not s for s in net)][: _SHORT - len(net)]
    follow = sorted(plans, key=lambda r: -(r.gain - r.minutes))[: _FOLLOWERS // 2]
    follow += [r for r in quick if all(r is not s for s in follow)][: _FOLLOWERS - len(follow)]
    p, _ = w.marginals()
    few = np.argsort(-p)[:_LIKELIEST]
    rest = w.total() - float(w.single[few].sum() + w.pair[np.ix_(few, few)].sum() / 2)
    # What is beyond the likeliest counts with what is not on the list: nothing here tells it apart.
    small_w = engine.Weights(w.single[few], w.pair[np.ix_(few, few)], rest)
    u, h, repair = ahead.u[few], ahead.h[few], case.repair[few]
    p_few, _ = small_w.marginals()
    now = float(engine.cost_of_repair(p_few[:, None], repair)[0])
    for plan in short:
        best = np.argsort(-plan.share)[:_BRANCHES]
        chances = [*plan.share[best], plan.calm]
        after = [
            engine.observe(small_w, u[:, k], h[:, k], 1.0, float(ahead.leak[k]), float(ahead.unlisted[k]))
            for k in (plan.nodes[b] for b in best)
        ]
        silent = np.prod(u[:, plan.nodes], axis=1)
        quiet, other_quiet = (float(np.prod(1 - x[plan.nodes])) for x in (ahead.leak, ahead.unlisted))
        after.append(
            engine.Weights(
                small_w.single * silent * quiet,
                small_w.pair * np.outer(silent, silent) * quiet,
                small_w.other * other_quiet,
            )
        )
        costs = [_best_after(then, plan, follow, ahead, u, h, repair) for then in after]
        expected = float(np.dot(chances, costs)) / max(sum(chances), 1e-9)
        plan.worth = now - plan.minutes - expected


def _best_after(
    w: engine.Weights, done: Plan, follow: list[Plan], ahead: Ahead, u: Array, h: Array, repair: Array
) -> float:
    """Expected minutes after one check, by repairs alone or by the best check that follows."""
    p, _ = w.marginals()
    paid = set(done.at.check.setup)
    settled = set(done.nodes)
    left = [(r, [k for k in r.nodes if k not in settled]) for r in follow if r is not done]
    left = [(r, idx) for r, idx in left if idx]
    if not left:
        return float(engine.cost_of_repair(p[:, None], repair)[0])
    every = sorted({k for _, idx in left for k in idx})
    at = {k: j for j, k in enumerate(every)}
    u, h, leak, unlisted = u[:, every], h[:, every], ahead.leak[every], ahead.unlisted[every]
    then = engine.foresee(w, u, h, leak, unlisted)
    spots = [[at[k] for k in idx] for _, idx in left]
    calm, fine = engine.all_absent(w, *_together(u, leak, unlisted, spots))
    costs = engine.cost_of_repair(np.hstack([p[:, None], then.if_present, fine]), repair)
    cost, cost_present, cost_fine = float(costs[0]), costs[1 : 1 + len(every)], costs[1 + len(every) :]
    for j, ((r, _), idx) in enumerate(zip(left, spots, strict=True)):
        share = (1 - calm[j]) * then.chance[idx] / max(float(then.chance[idx].sum()), 1e-12)
        minutes = r.own + sum(SETUP_MINUTES[s] for s in r.at.check.setup if s not in paid)
        cost = min(cost, minutes + float(calm[j] * cost_fine[j]) + float(share @ cost_present[idx]))
    return cost


def _natural_first(plans: list[Plan]) -> None:
    """Among plans that are worth the same, first the one that bears on most leaders and needs the least to begin."""
    if not plans:
        return
    best = plans[0].worth
    alike = [
        r for r in plans if r.saves > 0 and r.worth > best - max(_ALIKE_MINUTES, _ALIKE_SHARE * abs(best)) and r.leaders
    ]
    if plans[0] not in alike:
        return
    alike.sort(key=lambda r: (-len(r.leaders), r.minutes, -r.worth))
    plans[: len(alike)] = alike


def next_checks(case: Case, seen: dict[Node, Observed], ahead: Ahead, p: Array, process: float) -> list[NextCheck]:
    """Checks by what they save, those that wait for something behind those that do not."""
    swapped = any(findings()[f].group == "swap" for f, _ in known(seen))
    out: list[NextCheck] = []
    _open_the_way(case, seen, ahead.plans, p)
    for plan in ahead.plans:
        c = plan.at.check
        outcomes = []
        if len(out) < 12:
            for b in np.argsort(-plan.share)[:4]:
                k = plan.nodes[b]
                label = at_place(findings()[ahead.nodes[k][0]].label, ahead.nodes[k][1])
                then = ahead.seen.if_present[:, k]
                outcomes.append(_outcome(case, ahead.nodes[k], label, float(plan.share[b]), then))
            outcomes.append(_outcome(case, (None, None), c.nothing, plan.calm, plan.then_fine))
        place = plan.at.axis if c.at not in ("screws", "beam", None) else None
        out.append(
            NextCheck(
                check=c.id, label=at_place(c.label, place), axis=place_of(plan.at.axis), minutes=plan.minutes,
                saves_minutes=plan.saves, why=_why(outcomes), why_now=_why_now(case, plan, p),
                gate=_gate(case, plan.at, seen, process, swapped), procedure=c.procedure, tools=c.tools, caution=c.caution,
                how=c.how, note=c.note, waits_hours=c.waits_hours, outcomes=outcomes,
                asks=[_looked(*ahead.nodes[k]) for k in plan.nodes],
            )
        )  # fmt: skip
    return sorted(out, key=lambda n: n.gate is not None)


def _open_the_way(case: Case, seen: dict[Node, Observed], plans: list[Plan], p: Array) -> None:
    """Where a leading repair waits for a check, that check is worth its minutes: nothing else opens the way to it."""
    for i in np.argsort(-p)[:2]:
        at = case.placed[i]
        waits = _waits_for(case, at.fault.before, at.axis, seen) if p[i] > _LEADS else None
        if waits is None or waits.found:
            continue
        for plan in plans:
            here = plan.at.axis == at.axis or at.axis in AXES_OF_BELT[case.machine.kinematics].get(
                plan.at.axis or "", ()
            )
            if plan.at.check.id == waits.check and here:
                # Just worth it, the likelier the more.
                if plan.saves < p[i]:
                    plan.saves, plan.opens = float(p[i]), int(i)
                break


def _looked(finding: str, axis: str | None) -> Looked:
    return Looked(finding=finding, axis=place_of(axis), label=at_place(findings()[finding].label, axis))


def _why_now(case: Case, plan: Plan, p: Array) -> str:
    """Why this and not another, in a sentence."""
    names = [f"{small(case.label(i))} ({percent(p[i])})" for i in plan.leaders[:3]]
    if plan.opens is not None:
        return f"{case.label(plan.opens)} stands at {percent(p[plan.opens])}, and is not mended before this is known to be sound."
    bears = f"It bears on {' and '.join(names) if len(names) < 3 else f'{names[0]}, {names[1]} and {names[2]}'}"
    if not names:
        bears = "It rules out much of what is left at little cost"
    if plan.at.check.at == "walk":
        return f"{bears}, and on much else that hand and eye tell in one round."
    if plan.at.check.swap:
        return f"{bears}, and tells them apart by one change alone."
    return f"{bears}; it takes {plan.minutes:.0f} minutes and saves {plan.saves:.0f} more."


def questions(case: Case, seen: dict[Node, Observed], w: engine.Weights) -> list[Question]:
    """Up to three questions that anybody can answer, by the minutes that their answer is expected to save.

    A place that was not told is asked for like a finding: which axis.
    """
    told = {f for f, _ in known(seen)}
    told |= {c for f in told for c in findings()[f].either} | {
        k.id for k in findings().values() if k.either and told & set(k.either)
    }
    open_ = [k for k in findings().values() if k.met and k.id not in told and not k.either]
    now = case.cost(w)
    rows: list[tuple[float, Question]] = []
    if open_:
        u, h, leak, unlisted = _columns(case, [(k.id, None) for k in open_])
        ahead = engine.foresee(w, u, h, leak, unlisted)
        yes, no = (engine.cost_of_repair(m, case.repair) for m in (ahead.if_present, ahead.if_absent))
        worth = now - ahead.chance * yes - (1 - ahead.chance) * no
        rows = [(float(g), Question(finding=k.id, label=k.label)) for g, k in zip(worth, open_, strict=True)]
    for (finding, axis), o in seen.items():
        kind = findings()[finding]
        where = kind.placed is not None and kind.kind == "seen" and not kind.qualifies
        # Told twice without a place, nobody knows where.
        if axis is None and o.state == "present" and where and o.times < 2:
            row = _which_place(case, w, kind, now)
            if row is not None:
                rows.append(row)
    rows.sort(key=lambda r: -r[0])
    return [q for g, q in rows[:3] if g > 2 * _ASKING]


def _which_place(case: Case, w: engine.Weights, kind: FindingKind, now: float) -> tuple[float, Question] | None:
    """Where is it? Each place that it can be at would leave only what reaches that place."""
    m = case.machine
    # Of the places that an axis can have, only those that do not lie within one another.
    straight = {"x", "y", "z", *GUIDED[m.kinematics]}
    spots = [s for s in spots_of(m, kind) if kind.placed != "axis" or s in straight]
    if len(spots) < 2:
        return None
    anywhere = np.maximum(1 - case.column(kind.id, None)[0], 1e-9)
    masses, costs = [], []
    for s in spots:
        u, _ = case.column(kind.id, s)
        # Given that it is there somewhere: how likely it is there at this place.
        here = np.minimum(1.0, (1 - u) / anywhere)
        there = engine.Weights(w.single * here, w.pair * np.maximum.outer(here, here), w.other / len(spots))
        masses.append(there.total())
        costs.append(case.cost(there))
    share = np.array(masses) / max(sum(masses), 1e-12)
    places = [place_of(s) for s in spots]
    return now - float(share @ np.array(costs)), Question(
        finding=kind.id, label=f"{kind.label}: {'on which wall' if kind.asked else 'where'}?", places=places
    )


@dataclass(frozen=True)
class _Waits:
    """What something waits for: a check, and whether it was done and found something."""

    check: str
    found: bool

    @property
    def words(self) -> str:
        label = small(checks()[self.check].label)
        if self.found:
            return f"First mend what was found ({label}), and see that it is gone: until then this figure is worthless."
        return f"First {label}: a loose or stiff part makes this figure worthless."


def _waits_for(case: Case, before: list[str], axis: str | None, seen: dict[Node, Observed]) -> _Waits | None:
    """The first check of ``before`` that nobody has done at that place, or that found something there; None where all are sound."""
    drives = AXES_OF_BELT[case.machine.kinematics]
    for name in before:
        answers = checks()[name].answers
        told = [
            o
            for (f, a), o in seen.items()
            if f in answers
            and (a in (None, axis, HEAD, BED, ALL) or axis in drives.get(a, ()))
            and (o.state != "unknown" or o.value is not None)
        ]
        if not told or any(belief(o) > 0.5 for o in told):
            return _Waits(name, bool(told))
    return None


def _gate(case: Case, pc: PlacedCheck, seen: dict[Node, Observed], process: float, swapped: bool) -> str | None:
    waits = _waits_for(case, pc.check.before, pc.axis, seen)
    if waits is not None:
        return waits.words
    if process > 0.45 and not swapped and not pc.check.swap and pc.check.minutes >= 30:
        return "First a controlled swap: the process is as likely as the mechanics, and this takes long."
    return None


def _outcome(case: Case, node: tuple[str | None, str | None], label: str, chance: float, p: Array) -> Outcome:
    then = [
        Likely(
            fault=case.placed[i].fault.id,
            label=case.label(int(i)),
            axis=place_of(case.placed[i].axis),
            probability=float(p[i]),
        )
        for i in np.argsort(-p)[:3]
    ]
    return Outcome(finding=node[0], axis=place_of(node[1]), label=label, probability=chance, then=then)


def _why(outcomes: list[Outcome]) -> str:
    if len(outcomes) < 2:
        return ""
    likely, fine = outcomes[0], outcomes[-1]
    yes, no = likely.then[0], fine.then[0]
    found = f"“{likely.label}” would {'mean' if yes.probability > 0.5 else 'point to'} {small(yes.label)} ({percent(yes.probability)})"
    if (yes.fault, yes.axis) == (no.fault, no.axis):
        return f"{found}; “{small(fine.label)}” would bring that to {percent(no.probability)}."
    return f"{found}; “{small(fine.label)}” would leave {small(no.label)} first ({percent(no.probability)})."


def repairs(
    case: Case, context: DiagnoseContext, seen: dict[Node, Observed], w: engine.Weights, next_: list[NextCheck]
) -> list[RepairNow]:
    """Repairs that end the case sooner than the best check would, and beside a check those that take hardly longer than it."""
    p, _ = w.marginals()
    now = case.cost(w)
    best = next((n for n in next_ if n.gate is None), None)
    check_first = now - best.saves_minutes if best else now
    # Where no check is worth its minutes, repairs are tried in the order of what each minute may cure.
    order = np.argsort(-p)[:5] if best else np.argsort(-p / case.repair)[:5]
    out = []
    for i in order:
        at = case.placed[i]
        done = any(t.fault == at.fault.id and t.axis in (None, at.axis) for t in context.tried)
        if done or at.fault.kind == "danger" or p[i] < (0.12 if best else 0.03):
            continue
        if _waits_for(case, at.fault.before, at.axis, seen) is not None:
            continue
        # If it was not that, what is left is looked for as well as now.
        rest = np.delete(p, i) / max(1 - float(p[i]), 1e-9)
        without = float(engine.cost_of_repair(np.minimum(rest, 1)[:, None], np.delete(case.repair, i))[0])
        saved = best.saves_minutes / now if best and now > 0 else 0.0
        first = case.repair[i] + (1 - float(p[i])) * without * (1 - saved)
        likely = p[i] > 0.85 or (p[i] > 0.6 and at.fault.minutes <= 15)
        own = _own_check(case, next_, i)
        beside = own is not None and p[i] > _LEADS and at.fault.minutes <= own.minutes + _HARDLY
        if not (likely or first < check_first or beside or best is None):
            continue
        do = f"Hand it to {at.fault.hand_to}" if at.fault.hand_to else "Do it"
        words = f"{do}: it takes {at.fault.minutes:.0f} minutes and is {percent(p[i])} likely to be the cause."
        only_beside = best is not None and not (likely or first < check_first)
        if only_beside and own is not None:
            words = f"{do} at once: it takes {at.fault.minutes:.0f} minutes, to look takes {own.minutes:.0f}; it is {percent(p[i])} likely to be the cause."
        out.append(
            RepairNow(
                fault=at.fault.id,
                label=case.label(int(i)),
                axis=place_of(at.axis),
                minutes=at.fault.minutes,
                probability=float(p[i]),
                words=words,
                beside=only_beside,
            )
        )
    return sorted(out, key=lambda r: r.beside)


def _own_check(case: Case, next_: list[NextCheck], i: int) -> NextCheck | None:
    """The check that tells most surely whether it is this fault, there; a swap only tells whose it is."""
    at = case.placed[i]

    def tells(n: NextCheck) -> float:
        here = [a.finding for a in n.asks if at.shows_at(findings()[a.finding], a.axis)]
        return max((at.fault.shows.get(f, 0.0) for f in here), default=0.0)

    looks = [n for n in next_ if not checks()[n.check].swap]
    best = max(looks, key=tells, default=None)
    return best if best is not None and tells(best) >= _SURE else None
