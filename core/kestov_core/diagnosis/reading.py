"""The knowledge as a person reads it: of each fault what it shows, how to tell it, what began it, what to do, what to measure after."""

from __future__ import annotations

from pydantic import BaseModel

from ..knowledge import Check, Fault, findings, words_of
from ..knowledge.mended import Book, book
from ..machine import BED, FRAME, HEAD, Kinematics

#: A fault must show what it shows at least so often; it often shows what it shows at least so often (typical values by hand).
MUST, OFTEN = 0.85, 0.4
#: A check tells a fault by a finding that it shows at least so often.
_TELLS = 0.6
#: An event counts as what a fault begins after from this factor on.
_BEGINS = 2.0
_WHERE = {
    "belt": "at each belt", "pair": "at a pair of belts", "axis": "at each axis", "plane": "at X and Y",
    "motor": "at each motor", "screw": "at each screw", "beam": "at the beam", "z": "at Z", FRAME: "at the frame",
    HEAD: "at the tool head", BED: "at the bed", "e": "at the drive and hot end", "all": "of the whole machine",
}  # fmt: skip


class ShownOut(BaseModel):
    """A finding that a fault shows, in so many of a hundred cases."""

    finding: str
    label: str
    percent: float


class ToldBy(BaseModel):
    """A check that tells a fault, by what it looks at."""

    check: str
    label: str
    minutes: float
    by: str
    procedure: str | None


class FaultRead(BaseModel):
    """All that is known of one fault, to be read.

    ``must``, ``often``, ``may``: findings by how often it shows them; ``hides``: what speaks against it; ``told_by``: checks, the
    surest first; ``begins_after``: events in words; ``base_percent``: in so many of a hundred complaints (typical);
    ``only_on``, ``not_on``: kinematics.
    """

    id: str
    label: str
    group: str
    kind: str
    where: str
    base_percent: float
    wears: bool
    only_on: list[Kinematics]
    not_on: list[Kinematics]
    homing: str | None
    must: list[ShownOut]
    often: list[ShownOut]
    may: list[ShownOut]
    hides: list[str]
    told_by: list[ToldBy]
    begins_after: list[str]
    minutes: float
    state: str
    tools: list[str]
    parts: list[str]
    caution: str
    steps: list[str]
    after: list[str]
    then: str
    hand_to: str
    note: str


class LooksAt(BaseModel):
    """A finding that a check looks for."""

    finding: str
    label: str


class CheckRead(BaseModel):
    """All that is known of one check, to be read. ``looks_at``: what it can find; ``first``: checks that come before it.

    ``at_bench``: measured there, so that its tools and its caution stand on its card.
    """

    id: str
    label: str
    minutes: float
    setup: list[str]
    waits_hours: float
    at_bench: bool
    swap: bool
    tools: list[str]
    caution: str
    how: list[str]
    looks_at: list[LooksAt]
    nothing: str
    first: list[str]
    only_on: list[Kinematics]
    note: str


def read_faults(known: Book | None = None) -> list[FaultRead]:
    """Every fault of the knowledge, in the order of its files; ``known``: as a workshop has it."""
    of = known or book()
    return [_read(f, of) for f in of.faults.values()]


def read_checks(known: Book | None = None) -> list[CheckRead]:
    """Every check of the knowledge, in the order of the fixed checklist; ``known``: as a workshop does it."""
    of = (known or book()).checks
    return [
        CheckRead(
            **c.model_dump(include=set(CheckRead.model_fields) & set(Check.model_fields)),
            at_bench=c.procedure is not None and not c.planned,
            looks_at=[LooksAt(finding=a, label=findings()[a].label) for a in c.answers],
            nothing=c.nothing,
            first=[of[b].label for b in c.before],
        )
        for c in of.values()
    ]


def _read(f: Fault, known: Book) -> FaultRead:
    shown = sorted(f.shows.items(), key=lambda s: -s[1])

    def within(low: float, high: float) -> list[ShownOut]:
        return [ShownOut(finding=k, label=findings()[k].label, percent=100 * p) for k, p in shown if low <= p < high]

    copied = f.model_dump(include=set(FaultRead.model_fields) & set(Fault.model_fields) - {"where", "after", "hides"})
    return FaultRead(
        **copied,
        where=_WHERE[f.where],
        base_percent=f.base,
        must=within(MUST, 1.01),
        often=within(OFTEN, MUST),
        may=within(0.0, OFTEN),
        hides=[findings()[k].label for k in f.hides],
        told_by=_told_by(f, known),
        begins_after=[e.replace("_", " ") for e, k in sorted(f.events.items(), key=lambda e: -e[1]) if k >= _BEGINS],
        after=[words_of(p) for p in f.after],
    )


def _told_by(f: Fault, known: Book) -> list[ToldBy]:
    rows = []
    for c in known.checks.values():
        # That another machine prints it well tells that it is this one, not what of it.
        looked = [a for a in c.answers if a in f.shows and a != "swap_machine_cures"]
        best = max(looked, key=lambda a: f.shows[a], default=None)
        if best is not None and f.shows[best] >= _TELLS and not (c.swap and f.shows[best] < MUST):
            procedure = None if c.planned else c.procedure
            rows.append(
                (
                    f.shows[best],
                    ToldBy(
                        check=c.id, label=c.label, minutes=c.minutes, by=findings()[best].label, procedure=procedure
                    ),
                )
            )
    rows.sort(key=lambda r: (-r[0], r[1].minutes))
    return [r for _, r in rows]
