"""What a case tells: refused where it cannot be, its last word on each finding, and how far each is believed.

Not here: what follows from it (`procedures.diagnose`).
"""

from __future__ import annotations

import math
from collections.abc import Iterable

from ..errors import BadInput
from ..knowledge import checks, events, faults, findings
from ..quantities import Quantity
from .places import Machine, places_of
from .shapes import DiagnoseContext, Observed

#: A finding at a place, or anywhere.
Node = tuple[str, str | None]

#: How an answer is believed, by where it comes from: how likely the finding is truly there when it is said to be seen, and
#: when it is said not to be (before anything else is known of it). People overlook more than they invent.
BELIEVED = {
    "print": (0.993, 0.06),
    "sound": (0.985, 0.08),
    "machine": (0.985, 0.06),
    "hand": (0.98, 0.05),
    "look": (0.985, 0.05),
    "swap": (0.97, 0.06),
    "circumstance": (0.98, 0.05),
    # A measured verdict is sounder than a look.
    "measured": (0.992, 0.02),
    # Nobody invents smoke.
    "danger": (0.9995, 0.05),
}
#: How often something is seen without a fault that shows it, by where it comes from; and by something unlisted.
_LEAKS = {
    "print": 0.002,
    "sound": 0.004,
    "machine": 0.003,
    "hand": 0.004,
    "look": 0.006,
    "swap": 0.01,
    "measured": 0.004,
    "circumstance": 0.1,
}
_UNLISTED = {"print": 0.06, "sound": 0.06, "machine": 0.06, "hand": 0.03, "look": 0.03, "swap": 0.3, "measured": 0.03}
#: Smoke, a blown part or bare mains: hardly ever there by accident, nor by what is not on the list.
_DANGER = 0.0002, 0.002
#: A complaint is believed, and is not there without a cause.
_COMPLAINED, _COMPLAINT_LEAK = 0.9995, 0.0002
#: Days in which older evidence loses two thirds of its weight.
EVIDENCE_DAYS = 60.0


def refuse_unknown(context: DiagnoseContext) -> None:
    """Refuse what the knowledge does not have, and figures that cannot be."""
    for i, o in enumerate(context.findings):
        if o.finding not in findings():
            raise BadInput(
                "out_of_range", f"“{o.finding}” is not a finding; --list-findings lists them.", f"findings.{i}.finding"
            )
        kind = findings()[o.finding]
        if isinstance(o.value, Quantity) and kind.unit and o.value.unit != kind.unit:
            o.value = o.value.in_unit(kind.unit, f"findings.{i}.value.unit")
        figure = o.value.value if isinstance(o.value, Quantity) else o.value
        if figure is not None and figure < 0 and kind.unit in ("N", "Hz"):
            raise BadInput("out_of_range", f"“{kind.label}”: {figure:g} {kind.unit} cannot be.", f"findings.{i}.value")
    for i, e in enumerate(context.events):
        if e.event not in events():
            raise BadInput(
                "out_of_range", f"“{e.event}” is not an event. There are: {', '.join(events())}.", f"events.{i}.event"
            )
    named = [(name, f"confirmed.{name}") for name in context.confirmed]
    named += [(t.fault, f"tried.{i}.fault") for i, t in enumerate(context.tried)]
    for name in context.minutes:
        if name not in checks():
            raise BadInput("out_of_range", f"“{name}” is not a check; --list-checks lists them.", f"minutes.{name}")
    for name, field in named:
        if name not in faults():
            raise BadInput("out_of_range", f"“{name}” is not a fault; --list-faults lists them.", field)


def refuse_elsewhere(context: DiagnoseContext, machine: Machine) -> None:
    """Refuse what is told of a place that this machine does not have."""
    here = places_of(machine)
    told = [(o.axis, f"findings.{i}.axis") for i, o in enumerate(context.findings)]
    told += [(t.axis, f"tried.{i}.axis") for i, t in enumerate(context.tried)]
    told += [(p.axis, f"parts.{i}.axis") for i, p in enumerate(context.parts)]
    for axis, field in told:
        if axis is not None and axis not in here:
            raise BadInput(
                "out_of_range", f"This machine has nothing at “{axis}”. It has {', '.join(sorted(here))}.", field
            )


def condensed(observed: Iterable[Observed]) -> dict[Node, Observed]:
    """The last word on each finding at each place, with how often in a row it was said; a complaint that is said again stays it."""
    last: dict[Node, Observed] = {}
    for o in observed:
        node = o.finding, o.axis if findings()[o.finding].placed else None
        before = last.get(node)
        if before is not None and before.state == o.state:
            times = min(o.times + before.times, _MOST_TIMES)
            o = o.model_copy(update={"times": times, "complaint": o.complaint or before.complaint})
        last[node] = o
    return last


def latest(observed: list[Observed]) -> tuple[dict[Node, Observed], list[str]]:
    """The last word on each finding at each place; and, in words, what cannot be both.

    What is there at a place is not nowhere: the place counts. A figure counts before the word that goes with it.
    """
    last = condensed(observed)
    words = []
    told = {f for (f, _), o in last.items() if belief(o) > 0.5}
    for finding, axis in list(last):
        # Who says which of several it is has said the general word, too.
        if named := told & set(findings()[finding].either):
            general = last.pop((finding, axis))
            _hand_on(last, general, named)
        # And who says where it is has said that it is.
        elif axis is None and last[finding, axis].state == "present" and _somewhere(last, finding):
            _hand_on(last, last.pop((finding, axis)), {finding})
    _mark_complaint(last)
    for (finding, axis), o in list(last.items()):
        label = findings()[finding].label
        there = [a for (f, a), x in last.items() if f == finding and a is not None and belief(x) > 0.5]
        if axis is None and o.state == "absent" and there:
            del last[finding, None]
            words.append(
                f"“{label}” is said to be nowhere, and to be there at {there[0].upper()}: what is told of the place counts."
            )
        figure = by_figure(o)
        if figure is not None and o.state != "unknown" and (figure > 0.5) != (o.state == "present"):
            side = "beyond" if figure > 0.5 else "within"
            said = "there" if o.state == "present" else "not there"
            words.append(
                f"“{at_place(label, axis)}” is said to be {said}, and its figure lies {side} its limit: the figure counts."
            )
    return last, words


def _somewhere(last: dict[Node, Observed], finding: str) -> bool:
    """Whether a finding is there at some place that was told."""
    return any(f == finding and a is not None and belief(o) > 0.5 for (f, a), o in last.items())


def _hand_on(last: dict[Node, Observed], general: Observed, named: set[str]) -> None:
    """What stands for a complaint that was told in a general way is the complaint."""
    for (finding, axis), o in list(last.items()):
        if general.complaint and finding in named and o.state == "present":
            last[finding, axis] = o.model_copy(update={"complaint": True})


def _mark_complaint(last: dict[Node, Observed]) -> None:
    """Mark the first thing that anybody met as the complaint, where nobody said which it is."""
    if any(o.complaint for o in last.values()):
        return
    for node, o in last.items():
        kind = findings()[o.finding]
        if o.state == "present" and kind.met and not kind.qualifies:
            last[node] = o.model_copy(update={"complaint": True})
            return


#: Said so often in a row it is no surer than before.
_MOST_TIMES = 9
#: A clear figure is surer than any word; so sure it is at the most.
_SUREST = 0.998


def by_figure(o: Observed) -> float | None:
    """Chance that a finding is there by its figure, where it has one and a limit; None where it has not."""
    kind = findings()[o.finding]
    limit = o.limit if o.limit is not None else kind.limit
    if o.value is None or limit is None or kind.sense is None:
        return None
    value, u95 = (o.value.value, o.value.u95) if isinstance(o.value, Quantity) else (o.value, None)
    # A bare figure has no uncertainty of its own: a tenth of it is typical.
    sigma = max((0.1 * abs(value) if u95 is None else u95) / 1.96, 1e-9)
    z = (value - limit) / sigma if kind.sense == "above" else (limit - value) / sigma
    return min(max(0.5 * math.erfc(-z / math.sqrt(2)), 1 - _SUREST), _SUREST)


def belief(o: Observed) -> float:
    """Chance that a finding is truly there: by its figure where it has a limit, else by the word, fading with age."""
    there, missed = BELIEVED[findings()[o.finding].group]
    figure = by_figure(o)
    if o.complaint and o.state == "present" and not findings()[o.finding].qualifies:
        return _COMPLAINED
    # Looked for twice with the same answer, it is surer.
    missed = missed if o.missed is None else o.missed
    twice = min(o.times, 2)
    word = {"present": 1 - (1 - there) ** twice, "absent": missed**twice, "unknown": 0.5}[o.state]
    said = word if figure is None else figure
    return 0.5 + (said - 0.5) * math.exp(-o.age_days / EVIDENCE_DAYS)


def noise(finding: str, complaint: bool = False) -> tuple[float, float]:
    """How often a finding is there without a cause, and by something unlisted: a danger hardly ever is.

    What a case was opened with has a cause.
    """
    kind = findings()[finding]
    if complaint and kind.kind != "danger" and not kind.qualifies:
        return _COMPLAINT_LEAK, _UNLISTED[kind.group]
    if kind.kind == "danger":
        return _DANGER
    leak = _LEAKS[kind.group] if kind.leak is None else kind.leak
    # How it was printed is as it is, whatever it may be that nobody listed.
    return leak, leak if kind.group == "circumstance" else _UNLISTED[kind.group]


def speaks_of_two(context: DiagnoseContext) -> bool:
    """Whether something is there at one of two belts of Y: then it is doubled, though nobody described the machine."""
    told = [o.axis for o in context.findings if o.state == "present" or o.value is not None]
    told += [t.axis for t in context.tried] + [p.axis for p in context.parts]
    return bool({"y1", "y2"} & set(told))


def at_place(label: str, axis: str | None) -> str:
    """A label with its place."""
    if axis is None or axis == "all":
        return label
    return f"{label}, {axis.upper()}" if len(axis) < 3 else f"{label} ({axis})"
