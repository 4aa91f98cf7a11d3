"""diagnose: what a fault may be, why, and the one next thing to do that saves most time.

The knowledge is data (``knowledge/``), the arithmetic is ``diagnosis.engine``; here they meet, and the words are made.
Sources: Heckerman, Breese and Rommelse (1995) for the decision; Pearl (1988) for the noisy-OR.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cache
from typing import Any

import numpy as np

from ..diagnosis import engine
from ..diagnosis.evidence import at_place, belief, latest, noise, refuse_elsewhere, refuse_unknown, speaks_of_two
from ..diagnosis.places import Machine, Placed, PlacedCheck, machine_of, place_checks, place_faults
from ..diagnosis.shapes import (
    DiagnoseContext,
    DiagnoseResult,
    Hypothesis,
    Likely,
    NextCheck,
    Observed,
    Outcome,
    Question,
    Reason,
    RepairNow,
    Stop,
    Tried,
)
from ..knowledge import SETUP_MINUTES, checks, findings
from ..quantities import Quantity
from .base import Procedure

#: Days in which an event's weight falls to a third.
EVENT_DAYS = 40.0
#: Minutes to see by a short test whether a repair has helped.
PROOF_MINUTES = 5.0
#: Reasons shown with a bar.
MOST_REASONS = 8
#: What is left of a fault's chance when it was mended and the trouble stayed.
TRIED = 0.05
#: Strength (in complaints) of the knowledge's own base rates beside what the workshop has confirmed.
BASE_STRENGTH = 40.0


@dataclass
class _Case:
    """A case laid out as arrays: ``u`` and ``h`` of each (finding, axis) by `_column`."""

    machine: Machine
    placed: list[Placed]
    rates: np.ndarray
    factors: list[list[Reason]]
    repair: np.ndarray

    def column(self, finding: str, axis: str | None) -> tuple[np.ndarray, np.ndarray]:
        """u = 1 - p and h of one finding at one place, over the placed faults."""
        shows, hides, reach = _tables(self.machine)
        p, h = shows.get(finding), hides.get(finding)
        here = reach.get(axis or "all", np.zeros(len(self.placed), dtype=bool))
        one = np.ones(len(self.placed))
        return one if p is None else np.where(here, 1 - p, 1.0), one if h is None else np.where(here, h, 1.0)


@cache
def _tables(machine: Machine) -> tuple[dict[str, np.ndarray], dict[str, np.ndarray], dict[str, np.ndarray]]:
    """For a machine's placed faults: p by finding, h by finding, and which of them reach each place."""
    placed = place_faults(machine)
    shows: dict[str, np.ndarray] = {}
    hides: dict[str, np.ndarray] = {}
    reach: dict[str, np.ndarray] = {"all": np.ones(len(placed), dtype=bool)}
    for i, at in enumerate(placed):
        for finding, value in at.fault.shows.items():
            shows.setdefault(finding, np.zeros(len(placed)))[i] = value
        for finding, value in at.fault.hides.items():
            hides.setdefault(finding, np.ones(len(placed)))[i] = value
        for place in at.reach - {"all"}:
            reach.setdefault(place, np.zeros(len(placed), dtype=bool))[i] = True
    return shows, hides, reach


def analyse(context: DiagnoseContext, data: bytes | None = None) -> DiagnoseResult:
    """Weigh a case and say what to do next.

    Parameters
    ----------
    context : DiagnoseContext
        The machine's kinematics, what was seen, looked for and measured, what happened to it, its parts and their ages.
    data : None
        It has no file.

    Returns
    -------
    DiagnoseResult
        Faults with their probability and the reasons for and against, checks by what they save for their minutes, repairs.

    Raises
    ------
    BadInput
        ``out_of_range`` for a finding, a fault or a place that this machine does not have.

    Notes
    -----
    Troubleshooting under uncertainty by cost: Heckerman, Breese and Rommelse 1995; see `diagnosis`.

    Examples
    --------
    >>> result = analyse(DiagnoseContext(printer={"kinematics": "bed_slinger"}, findings=[
    ...     {"finding": "smoke_or_smell", "state": "present"}]))
    >>> result.stop is not None
    True
    """
    return _weigh(context, ahead=True)


def bars(context: DiagnoseContext) -> DiagnoseResult:
    """Only what it may be, without looking ahead."""
    return _weigh(context, ahead=False)


def _weigh(context: DiagnoseContext, ahead: bool) -> DiagnoseResult:
    refuse_unknown(context)
    case = _lay_out(context)
    refuse_elsewhere(context, case.machine)
    seen, contradictions = latest(context.findings)
    weights = engine.prior(case.rates)
    for o in seen.values():
        if o.state != "unknown" or o.value is not None:
            weights = engine.observe(weights, *case.column(o.finding, o.axis), belief(o), *noise(o))
    p, other = weights.marginals()
    process = float(sum(x for x, at in zip(p, case.placed, strict=True) if at.fault.kind == "process"))
    now = float(engine.cost_of_repair(p[:, None], case.repair)[0])
    stop = _stop(seen, case, p)
    result = DiagnoseResult(
        verdict="not_judged",
        hypotheses=_hypotheses(case, context, seen, weights, p, other),
        next=[],
        repair_now=[],
        stop=stop,
        process_probability=min(1.0, process),
        placed_faults=len(case.placed),
        expected_minutes=now,
    )
    if stop is None and ahead:
        result.next = _next(case, context, seen, weights, p, now, process)
        result.ask = _ask(result)
        result.repair_now = _repair_now(case, p, seen, now, result.next, context.tried)
    for words in contradictions:
        result.warn("contradiction", words)
    _say_how_little(result, list(seen.values()))
    return result


def _say_how_little(result: DiagnoseResult, seen: list[Observed]) -> None:
    """What it means that little is known, or that nothing was found, and what to do then."""
    if seen and all(o.state == "unknown" and o.value is None for o in seen):
        result.warn(
            "nothing_known",
            "Of all that was asked nothing is known: the bars are what is usual on such machines. Ask who saw the print, look at it, or do the first check below.",
        )
    elif seen and all(belief(o) < 0.5 for o in seen):
        result.warn(
            "nothing_seen",
            "Nothing that was looked for is there. If somebody complained, say what is seen, or print the same part again; if nobody did, leave the machine as it is.",
        )
    elif len(seen) < 2:
        result.warn("few_findings", "Little is known yet: the bars are mostly base rates. Say what else is seen.")


def _lay_out(context: DiagnoseContext) -> _Case:
    printer = context.printer
    kinds: dict[str, str] = {p: str(t.get("kind", "")) for p, t in printer.transmissions.items()}
    if not kinds and printer.kinematics == "fixed_bed" and speaks_of_two(context):
        kinds = {"x": "belt", "y1": "belt", "y2": "belt"}
    machine = machine_of(
        printer.kinematics, kinds, [[*pair] for pair in printer.pairs], {str(k): v for k, v in printer.homing.items()}
    )
    placed = place_faults(machine)
    count: dict[str, int] = {}
    for at in placed:
        count[at.fault.id] = count.get(at.fault.id, 0) + 1
    ages: dict[str, float] = {a.axis: a.life_share for a in context.parts}
    confirmed = sum(context.confirmed.values())
    rates, factors = np.zeros(len(placed)), []
    for i, at in enumerate(placed):
        base = (at.fault.base * BASE_STRENGTH + 100 * context.confirmed.get(at.fault.id, 0)) / (
            BASE_STRENGTH + confirmed
        )
        factor, reasons = _history(at, context, ages)
        rates[i] = base * factor / count[at.fault.id]
        factors.append(reasons)
    repair = np.array([at.fault.minutes + PROOF_MINUTES for at in placed])
    return _Case(machine, placed, rates, factors, repair)


def _history(at: Placed, context: DiagnoseContext, ages: dict[str, float]) -> tuple[float, list[Reason]]:
    """Factor on the base rate from what was done before and from the part's age, with the words for it."""
    factor, reasons = 1.0, []
    # Told twice it was still done once: of one kind the newest counts.
    newest = {e.event: e for e in sorted(context.events, key=lambda e: -e.days_before)}
    for e in newest.values():
        strength = at.fault.events.get(e.event)
        if strength is None:
            continue
        k = strength ** math.exp(-e.days_before / EVENT_DAYS)
        factor *= k
        when = "the same day" if e.days_before < 1 else f"{e.days_before:.0f} days before"
        words = (
            f"Began after: {e.event.replace('_', ' ')}, {when}"
            if k > 1
            else f"{e.event.replace('_', ' ').capitalize()}, {when}"
        )
        reasons.append(Reason(words=words, bits=math.log2(k), event=e.event))
    if any(t.fault == at.fault.id and t.axis in (None, at.axis) for t in context.tried):
        factor *= TRIED
        reasons.append(Reason(words="Mended already, and it did not help", bits=math.log2(TRIED)))
    if at.fault.wears and at.axis in ages:
        k = 0.3 + 1.4 * ages[at.axis]
        factor *= k
        reasons.append(
            Reason(words=f"The part has {100 * ages[at.axis]:.0f} % of its expected life behind it", bits=math.log2(k))
        )
    return factor, reasons


def _stop(seen: dict[tuple[str, str | None], Observed], case: _Case, p: np.ndarray) -> Stop | None:
    danger = [o for o in seen.values() if findings()[o.finding].kind == "danger" and o.state == "present"]
    unsafe = sum(float(x) for x, at in zip(p, case.placed, strict=True) if at.fault.kind == "danger")
    if not danger and unsafe < 0.5:
        return None
    reason = findings()[danger[0].finding].label if danger else "What has been seen points to unsafe electrics"
    return Stop(
        reason=reason,
        steps=[
            "Unplug it, do not only switch it off.",
            "Tag it out; nobody powers it again.",
            "Look at all machines of its model.",
            "Leave it to someone qualified; local rules and the maker's manual go first.",
        ],
    )


def _hypotheses(
    case: _Case,
    context: DiagnoseContext,
    seen: dict[tuple[str, str | None], Observed],
    w: engine.Weights,
    p: np.ndarray,
    other: float,
) -> list[Hypothesis]:
    share = w.single + w.pair.sum(axis=1)
    keys = list(seen)
    bits = np.array([_bits(share, *case.column(*k), belief(seen[k])) for k in keys]).reshape(len(keys), len(p))
    rows = []
    for i in np.argsort(-p)[: context.most]:
        if p[i] < 0.002:
            break
        at = case.placed[i]
        reasons = [r for r in case.factors[i] if abs(r.bits) > 0.3]
        reasons += [
            _reason(*keys[k], seen[keys[k]], float(bits[k, i])) for k in np.flatnonzero(np.abs(bits[:, i]) >= 0.35)
        ]
        reasons.sort(key=lambda r: -abs(r.bits))
        rows.append(
            Hypothesis(
                fault=at.fault.id,
                label=_label(at),
                axis=_place(at.axis),
                kind=at.fault.kind,
                probability=float(p[i]),
                because=reasons[:MOST_REASONS],
            )
        )
    unlisted = "Something that is not on the list"
    rows.append(Hypothesis(fault="other", label=unlisted, axis=None, kind="other", probability=other))
    # What stops the case stands first.
    stops = any(findings()[k[0]].kind == "danger" and seen[k].state == "present" for k in keys)
    return sorted(rows, key=lambda r: (not (stops and r.kind == "danger"), -r.probability))


def _bits(share: np.ndarray, u: np.ndarray, h: np.ndarray, belief: float) -> np.ndarray:
    """log2 of how much likelier a finding is with each fault (n,) than with the others as they stand."""
    present = (1 - (1 - engine.LEAK) * u) * h
    likelihood = belief * present + (1 - belief) * (1 - present)
    rest = np.maximum(share.sum() - share, 1e-300)
    against = (share @ likelihood - share * likelihood) / rest
    bits: np.ndarray = np.log2(np.maximum(likelihood, 1e-6) / np.maximum(against, 1e-6))
    return bits


def _reason(finding: str, axis: str | None, o: Observed, bits: float) -> Reason:
    kind = findings()[finding]
    words = {"present": "seen", "absent": "not there", "unknown": "measured"}[o.state]
    if isinstance(o.value, Quantity):
        words = f"{o.value.value:.3g} {o.value.unit}"
    elif o.value is not None:
        words = f"{o.value:.3g} {kind.unit or ''}".strip()
    side = ("strongly " if abs(bits) > 2 else "") + ("for it" if bits > 0 else "against it")
    return Reason(
        words=f"{at_place(kind.label, axis)}: {words} ({side})", bits=bits, finding=finding, axis=_place(axis)
    )


def _place(axis: str | None) -> Any:
    """A place as the result's models take it: the names come from `diagnosis.places`, which knows no others."""
    return axis


def _small(label: str) -> str:
    """A label inside a sentence."""
    return label[0].lower() + label[1:]


def _label(at: Placed) -> str:
    return at.fault.label if at.axis in ("all", "e", "frame", "bed", "head") else f"{at.fault.label}, {at.axis.upper()}"


def _next(
    case: _Case,
    context: DiagnoseContext,
    seen: dict[tuple[str, str | None], Observed],
    w: engine.Weights,
    p: np.ndarray,
    now: float,
    process: float,
) -> list[NextCheck]:
    known = _known(seen)
    rows: list[tuple[PlacedCheck, list[tuple[str, str | None]]]] = []
    for pc in place_checks(case.machine):
        open_ = [n for n in pc.nodes if n not in known and (n[0], None) not in known]
        if open_:
            rows.append((pc, open_))
    if not rows:
        return []
    nodes = list(dict.fromkeys(n for _, open_ in rows for n in open_))
    at = {n: k for k, n in enumerate(nodes)}
    columns = [case.column(*n) for n in nodes]
    u, h = (np.stack([c[j] for c in columns], axis=1) for j in (0, 1))
    ahead = engine.foresee(w, u, h)
    cost_present = engine.cost_of_repair(ahead.if_present, case.repair)
    swapped = any(findings()[f].group == "swap" for f, _ in known)
    spots = [np.array([at[n] for n in open_]) for _, open_ in rows]
    fine = [engine.all_absent(w, np.prod(u[:, idx], axis=1), idx) for idx in spots]
    cost_fine = engine.cost_of_repair(np.stack([then for _, then in fine], axis=1), case.repair)
    found = []
    for (pc, _), idx, (calm, then_fine), then_cost in zip(rows, spots, fine, cost_fine, strict=True):
        share = (1 - calm) * ahead.chance[idx] / ahead.chance[idx].sum()
        after = calm * float(then_cost) + float(share @ cost_present[idx])
        minutes = pc.check.minutes + sum(SETUP_MINUTES[s] for s in pc.check.setup if s not in context.setup_done)
        found.append((now - after, minutes, pc, idx, calm, then_fine, share))
    # First what saves most for each minute it takes.
    found.sort(key=lambda r: -r[0] / r[1])
    out: list[NextCheck] = []
    for saving, minutes, pc, idx, calm, then_fine, share in found:
        gate = _gate(pc, seen, process, swapped)
        if saving <= 0.3 and len(out) >= 3:
            continue
        outcomes = []
        if len(out) < 12:
            for k in idx[np.argsort(-share)][:4]:
                chance = float(share[list(idx).index(k)])
                outcomes.append(_outcome(case, nodes[k], chance, ahead.if_present[:, k]))
            outcomes.append(_outcome(case, None, calm, then_fine))
        c = pc.check
        out.append(
            NextCheck(
                check=c.id, label=at_place(c.label, pc.axis if c.at not in ("screws", "beam", None) else None), axis=_place(pc.axis),
                minutes=minutes, saves_minutes=saving - minutes, why=_why(outcomes), gate=gate, procedure=c.procedure,
                tools=c.tools, caution=c.caution, how=c.how, waits_hours=c.waits_hours, outcomes=outcomes,
            )
        )  # fmt: skip
    # What waits for something else stands behind what does not.
    return sorted(out, key=lambda n: n.gate is not None)


def _ask(result: DiagnoseResult) -> list[Question]:
    """Up to three questions, by how far a yes would raise the bar that it raises most, times how likely a yes is."""
    stands = {(h.fault, h.axis): h.probability for h in result.hypotheses}
    worth: dict[str, float] = {}
    for o in (o for n in result.next for o in n.outcomes if o.finding):
        assert o.finding is not None
        if findings()[o.finding].group in ("print", "sound", "machine"):
            raised = max(t.probability - stands.get((t.fault, t.axis), 0.0) for t in o.then)
            worth[o.finding] = max(worth.get(o.finding, 0.0), o.probability * raised)
    best = sorted((f for f in worth if worth[f] > 0.008), key=lambda f: -worth[f])[:3]
    return [Question(finding=f, label=findings()[f].label) for f in best]


def _known(seen: dict[tuple[str, str | None], Observed]) -> set[tuple[str, str | None]]:
    """What has been answered, either way."""
    return {k for k, o in seen.items() if o.state != "unknown"}


@dataclass(frozen=True)
class _Waits:
    """What something waits for: a check, and whether it was done and found something."""

    check: str
    found: bool

    @property
    def words(self) -> str:
        label = _small(checks()[self.check].label)
        if self.found:
            return f"First mend what was found ({label}), and see that it is gone: until then this figure is worthless."
        return f"First {label}: a loose or stiff part makes this figure worthless."


def _waits_for(before: list[str], axis: str | None, seen: dict[tuple[str, str | None], Observed]) -> _Waits | None:
    """The first check of ``before`` that nobody has done at that place, or that found something there; None where all are sound."""
    for name in before:
        answers = checks()[name].answers
        told = [
            o
            for (f, a), o in seen.items()
            if f in answers
            and a in (None, axis, "head", "bed", "all")
            and (o.state != "unknown" or o.value is not None)
        ]
        if not told or any(belief(o) > 0.5 for o in told):
            return _Waits(name, bool(told))
    return None


def _gate(pc: PlacedCheck, seen: dict[tuple[str, str | None], Observed], process: float, swapped: bool) -> str | None:
    waits = _waits_for(pc.check.before, pc.axis, seen)
    if waits is not None:
        return waits.words
    if process > 0.45 and not swapped and not pc.check.swap and pc.check.minutes >= 30:
        return "First a controlled swap: the process is as likely as the mechanics, and this takes long."
    return None


def _outcome(case: _Case, node: tuple[str, str | None] | None, chance: float, p: np.ndarray) -> Outcome:
    top = np.argsort(-p)[:3]
    then = [
        Likely(
            fault=case.placed[i].fault.id,
            label=_label(case.placed[i]),
            axis=_place(case.placed[i].axis),
            probability=float(p[i]),
        )
        for i in top
    ]
    if node is None:
        return Outcome(finding=None, label="All fine", probability=chance, then=then)
    return Outcome(
        finding=node[0],
        axis=_place(node[1]),
        label=at_place(findings()[node[0]].label, node[1]),
        probability=chance,
        then=then,
    )


def _why(outcomes: list[Outcome]) -> str:
    if len(outcomes) < 2:
        return ""
    likely, fine = outcomes[0], outcomes[-1]
    yes, no = likely.then[0], fine.then[0]
    found = f"“{likely.label}” would {'mean' if yes.probability > 0.5 else 'point to'} {_small(yes.label)} ({100 * yes.probability:.0f} %)"
    if (yes.fault, yes.axis) == (no.fault, no.axis):
        return f"{found}; all fine would bring that to {100 * no.probability:.0f} %."
    return f"{found}; all fine would leave {_small(no.label)} first ({100 * no.probability:.0f} %)."


def _repair_now(
    case: _Case,
    p: np.ndarray,
    seen: dict[tuple[str, str | None], Observed],
    now: float,
    next_: list[NextCheck],
    tried: list[Tried],
) -> list[RepairNow]:
    """Repairs that end the case sooner than the next check would: tried first, they cost their minutes and often cure."""
    best = next((n for n in next_ if n.gate is None), None)
    check_first = now - best.saves_minutes if best else now
    out = []
    for i in np.argsort(-p)[:5]:
        at = case.placed[i]
        done = any(t.fault == at.fault.id and t.axis in (None, at.axis) for t in tried)
        if done or at.fault.kind == "danger" or p[i] < 0.15:
            continue
        rest = np.delete(p, i) / max(1 - float(p[i]), 1e-9)
        without = float(engine.cost_of_repair(np.minimum(rest, 1)[:, None], np.delete(case.repair, i))[0])
        first = case.repair[i] + (1 - float(p[i])) * without
        likely = p[i] > 0.85 or (p[i] > 0.6 and at.fault.minutes <= 15)
        if (likely or first < check_first) and _waits_for(at.fault.before, at.axis, seen) is None:
            do = f"Hand it to {at.fault.hand_to}" if at.fault.hand_to else "Do it"
            words = f"{do}: it takes {at.fault.minutes:.0f} minutes and is {100 * p[i]:.0f} % likely to be the cause."
            out.append(
                RepairNow(
                    fault=at.fault.id,
                    label=_label(at),
                    axis=_place(at.axis),
                    minutes=at.fault.minutes,
                    probability=float(p[i]),
                    words=words,
                )
            )
    return out


PROCEDURE = Procedure("diagnose", "What it may be and what to do next", DiagnoseContext, DiagnoseResult, analyse)
