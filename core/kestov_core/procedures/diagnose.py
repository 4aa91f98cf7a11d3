"""diagnose: what a fault may be, why, and the one next thing to do that saves most time.

The knowledge is data (``knowledge/``), the arithmetic is ``diagnosis.engine``; here they meet, and the words are made.
Sources: Heckerman, Breese and Rommelse (1995) for the decision; Pearl (1988) for the noisy-OR.
"""

from __future__ import annotations

from typing import Literal

import numpy as np

from ..diagnosis import engine
from ..diagnosis.ahead import look_ahead, next_checks, questions, repairs
from ..diagnosis.doubt import doubted, unfitting
from ..diagnosis.evidence import at_place, belief, latest, noise, refuse_elsewhere, refuse_unknown
from ..diagnosis.figures import read_figures
from ..diagnosis.laid_out import Array, Case, Node, lay_out, newest_of, place_of, together
from ..diagnosis.shapes import DiagnoseContext, Hypothesis, NextCheck, Observed, Question, Reason, RepairNow, Stop
from ..knowledge import findings
from ..quantities import Quantity
from .base import Procedure, Result

#: Evidence counts for more than likelihoods set by hand say: so the bars come true as often as they say, over 265 simulated
#: machines (at 1 they were too careful in the middle: 41 said, 57 true).
SHARPER = 1.25
#: Reasons shown with a bar.
MOST_REASONS = 8
#: Answers that do not fit and are looked for again.
MOST_AGAIN = 2


class DiagnoseResult(Result):
    """What it may be, what to do next, what to ask, and whether to stop. ``placed_faults``: how many were weighed.

    ``others``: checks that cost more than they are expected to save; anybody may do them all the same.
    """

    procedure: Literal["diagnose"] = "diagnose"
    hypotheses: list[Hypothesis]
    next: list[NextCheck]
    others: list[NextCheck] = []
    ask: list[Question] = []
    repair_now: list[RepairNow]
    stop: Stop | None
    process_probability: float
    placed_faults: int
    expected_minutes: float


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
    case = lay_out(context)
    refuse_elsewhere(context, case.machine)
    told, unread = read_figures(context.findings, context.printer)
    seen, contradictions = latest(told)
    before = weights = engine.prior(case.rates)
    for o in seen.values():
        weights = case.observe(weights, o)
    weights = engine.sharpened(before, weights, SHARPER)
    odd = unfitting(case, seen, weights)
    if odd:
        weights = doubted(case, seen, len(odd))
    p, other = weights.marginals()
    process = float(sum(x for x, at in zip(p, case.placed, strict=True) if at.fault.kind == "process"))
    stop = _stop(seen, case, p)
    result = DiagnoseResult(
        verdict="not_judged",
        hypotheses=_hypotheses(case, context, seen, weights, p, other),
        next=[],
        repair_now=[],
        stop=stop,
        process_probability=min(1.0, process),
        placed_faults=len(case.placed),
        expected_minutes=case.cost(weights),
    )
    if stop is None and ahead:
        # What a check said and does not fit is looked for again, once: until then it counts for nothing in what to do next.
        again = [k for k in odd if seen[k].times < 2 and findings()[k[0]].looked_for][:MOST_AGAIN]
        open_ = {k: o for k, o in seen.items() if k not in again}
        before = doubted(case, seen, len(odd), again) if again else weights
        forward = look_ahead(case, context, open_, before)
        if forward is not None:
            rows = next_checks(case, seen, forward, p, process)
            result.next = [n for n in rows if n.saves_minutes > 0]
            result.others = [n for n in rows if n.saves_minutes <= 0]
        result.ask = questions(case, open_, before)
        result.repair_now = repairs(case, context, seen, weights, result.next)
    for words in unread:
        result.warn("figure_not_read", words)
    for words in contradictions:
        result.warn("contradiction", words)
    if odd:
        result.warn(
            "do_not_fit",
            f"The answers do not fit together; look again at “{at_place(findings()[odd[0][0]].label, odd[0][1])}”.",
        )
    _say_what_was_told(result, context, seen)
    _say_how_little(result, list(seen.values()))
    return result


def _say_what_was_told(result: DiagnoseResult, context: DiagnoseContext, seen: dict[Node, Observed]) -> None:
    """What is no fault, and what cannot be credited."""
    if any(f == "message_reminder" and o.state == "present" for (f, _), o in seen.items()):
        result.warn(
            "reminder", "A reminder is a service task and no fault: do what it asks for, then clear it on the machine."
        )
    if both := together(newest_of(context)):
        names = " and ".join(sorted(e.replace("_", " ") for e in both))
        result.warn(
            "two_changes", f"Done within a few days of each other: {names}. Neither can be blamed by its date alone."
        )


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


def _stop(seen: dict[Node, Observed], case: Case, p: Array) -> Stop | None:
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
    case: Case,
    context: DiagnoseContext,
    seen: dict[Node, Observed],
    w: engine.Weights,
    p: Array,
    other: float,
) -> list[Hypothesis]:
    share = w.single + w.pair.sum(axis=1)
    keys = list(seen)
    bits = np.array(
        [_bits(share, *case.column(*k), belief(seen[k]), noise(k[0], seen[k].complaint)[0]) for k in keys]
    ).reshape(len(keys), len(p))
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
                label=case.label(int(i)),
                axis=place_of(at.axis),
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


def _bits(share: Array, u: Array, h: Array, belief: float, leak: float) -> Array:
    """log2 of how much likelier a finding is with each fault (n,) than with the others as they stand."""
    present = (1 - (1 - leak) * u) * h
    likelihood = belief * present + (1 - belief) * (1 - present)
    rest = np.maximum(share.sum() - share, 1e-300)
    against = (share @ likelihood - share * likelihood) / rest
    bits: Array = np.log2(np.maximum(likelihood, 1e-6) / np.maximum(against, 1e-6))
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
        words=f"{at_place(kind.label, axis)}: {words} ({side})", bits=bits, finding=finding, axis=place_of(axis)
    )


PROCEDURE = Procedure("diagnose", "What it may be and what to do next", DiagnoseContext, DiagnoseResult, analyse)
