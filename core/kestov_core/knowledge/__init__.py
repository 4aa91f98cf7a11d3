"""What the workshop knows, as data: read here, checked on load, mended by anyone who can edit a sentence."""

from __future__ import annotations

import json
import tomllib
from functools import cache
from pathlib import Path
from typing import Annotated, Any, Literal, TypeVar, get_args

from pydantic import BaseModel, ConfigDict, Field, TypeAdapter

from ..machine import Homing, Kinematics, Place
from .cards import Card, Group

_HERE = Path(__file__).parent
_Row = TypeVar("_Row", "FindingKind", "Fault", "Check")
Probability = Annotated[float, Field(gt=0, lt=1)]


class _Known(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)


class FindingKind(_Known):
    """A finding: its stable id, the words for it, and whether it is seen, measured (with its unit) or a danger.

    A *circumstance* is how it was printed: it makes some faults likelier, and is there often without any.

    ``group``: where one meets it. ``placed``: what its axis can be (null: of the whole machine). ``limit`` and
    ``sense``: typical limit of a measured one, and on which side of it trouble lies. ``words``: found by these, too.
    ``asked``: ``wall`` where a person is asked which way the wall runs, and the axis follows from it. ``among``: places where
    it can be at all, whatever is told. ``felt_at``: where hands try it, by a check that has no place of its own. ``either``: what it stands for where nobody knows which; such a one is never
    shown by itself. ``qualifies``: tells more of another finding, and is no complaint of its own. ``leak``: how often it is there without any of the faults (of its group where it is null). ``printed``: measured on a print, so that what spoils prints spoils it too.
    ``reads_as``: what its figure is read as by the machine's own lengths (`diagnosis.figures`).
    """

    id: str
    label: str
    group: Literal["print", "sound", "hand", "look", "machine", "swap", "measured", "circumstance", "danger"]
    kind: Literal["seen", "measured", "danger"]
    unit: str | None
    placed: Literal["axis", "belt", "screw"] | None = None
    limit: float | None = None
    sense: Literal["above", "below"] | None = None
    words: str = ""
    asked: Literal["wall"] | None = None
    among: list[Place] = []
    felt_at: list[Place] = []
    either: list[str] = []
    reads_as: list[str] = []
    qualifies: bool = False
    printed: bool = False
    leak: Annotated[float, Field(ge=0, le=0.6)] | None = None

    @property
    def met(self) -> bool:
        """Whether anybody can tell it: from a print, by ear, from what the machine does, and how it was printed."""
        return self.group in ("print", "sound", "machine", "circumstance")

    @property
    def looked_for(self) -> bool:
        """Whether it is found by looking for it, rather than met and told."""
        return self.group in ("hand", "look", "measured", "swap")

    @property
    def touched(self) -> bool:
        """Whether it is found at the machine itself, at a place, rather than told by a print, a sound or the whole."""
        return self.looked_for and self.group != "swap" and not self.printed


class Fault(_Known):
    """One fault and all that is known of it.

    ``where``: the places it can have (`diagnosis.places`). ``base``: in so many of a hundred complaints, over the whole
    machine. ``homing``: only where an axis finds its home so. ``only_on``, ``not_on``: kinematics. ``shows``: with which probability it shows each finding; ``hides``: factor on a finding that it makes
    unlikely. ``events``: factor on ``base`` when that has just been done. ``wears``: grows with age. ``minutes``: the
    repair, for a practised hand. ``before``: checks that a repair waits for; ``after``: what must be measured again.
    ``note``: what a workshop knows of it besides.
    """

    id: str
    label: str
    group: str
    kind: Literal["mechanical", "setting", "electrical", "process", "danger"] = "mechanical"
    where: Literal["belt", "pair", "axis", "plane", "motor", "screw", "beam", "z", "frame", "head", "bed", "e", "all"]
    not_on: list[Kinematics] = []
    only_on: list[Kinematics] = []
    homing: Homing | None = None
    base: Annotated[float, Field(gt=0, le=100)]
    wears: bool = False
    shows: dict[str, Probability]
    hides: dict[str, Probability] = {}
    events: dict[str, Annotated[float, Field(gt=0, le=30)]] = {}
    minutes: Annotated[float, Field(gt=0)]
    state: str
    tools: list[str] = []
    parts: list[str] = []
    caution: str
    steps: Annotated[list[str], Field(min_length=1)]
    before: list[str] = []
    after: list[str] = []
    then: str
    hand_to: str = ""
    note: str = ""


class Check(_Known):
    """One check: what it answers, its minutes (set-up apart), what it needs, and what has to come before it.

    ``general``: an answer that any of the others implies. ``at``: done at each such place, or once for the machine (null);
    ``walk``: once round the machine, each thing at all its places.
    ``swap``: a controlled swap: one thing is changed. ``procedure``: what runs it; then minutes, tools and caution are
    those of its card. ``planned``: the bench does not have that procedure yet; the check is done by hand. ``note``: what a
    workshop knows of it besides.
    """

    id: str
    label: str
    minutes: Annotated[float, Field(gt=0)]
    at: Literal["belt", "axis", "motor", "screw", "screws", "beam", "walk"] | None = None
    setup: list[Literal["unplug", "cool", "covers", "fetch", "print"]] = []
    answers: Annotated[list[str], Field(min_length=1)]
    general: str | None = None
    later: list[str] = []
    waits_hours: float = 0
    procedure: str | None = None
    planned: bool = False
    before: list[str] = []
    swap: bool = False
    only_on: list[Kinematics] = []
    tools: list[str] = []
    caution: str
    how: Annotated[list[str], Field(min_length=1)]
    note: str = ""

    @property
    def nothing(self) -> str:
        """In words that nothing was found: of a swap, that it cured nothing."""
        return "It stays as it was" if self.swap else "All fine"


class Line(_Known):
    """One line of a symptom's drawing in a frame of 96 by 72: what it belongs to, and its path.

    ``part``: the print or what moves; ``trouble``: what is wrong; ``right``: how it should be; ``machine``: what stands
    about; ``bed``: what it stands on.
    """

    of: Literal["part", "trouble", "right", "machine", "bed"]
    d: Annotated[str, Field(pattern=r"^M[-0-9. MLHVCQAZqa]+$", max_length=900)]


class Drawing(_Known):
    """How a finding looks, for who has no word for it."""

    finding: str
    lines: Annotated[list[Line], Field(min_length=1, max_length=8)]


#: Minutes of each set-up, paid once.
SETUP_MINUTES = {"unplug": 1.0, "cool": 15.0, "covers": 5.0, "fetch": 2.0, "print": 2.0}


def _by_id(rows: list[_Row], file: str) -> dict[str, _Row]:
    by_id = {row.id: row for row in rows}
    if len(by_id) != len(rows):
        raise ValueError(f"{file} names an id twice")
    return by_id


@cache
def findings() -> dict[str, FindingKind]:
    """All findings by id. Ids are snake case and never change their meaning."""
    rows = json.loads((_HERE / "findings.json").read_text(encoding="utf-8"))
    found = _by_id(TypeAdapter(list[FindingKind]).validate_python(rows), "findings.json")
    for kind in found.values():
        for name in kind.reads_as:
            if name not in found or not kind.unit:
                raise ValueError(f"{kind.id} is read as {name}, which is no finding, or has no unit")
        for name in kind.either:
            if name not in found or found[name].either:
                raise ValueError(f"{kind.id} stands for {name}, which is no single finding of findings.json")
    return found


@cache
def faults() -> dict[str, Fault]:
    """All faults by id, in the order of their files."""
    rows = [
        row
        for file in sorted((_HERE / "faults").glob("*.toml"))
        for row in tomllib.loads(file.read_text("utf-8"))["fault"]
    ]
    found = _by_id(TypeAdapter(list[Fault]).validate_python(rows), "faults/")
    for fault in found.values():
        _known([*fault.shows, *fault.hides], f"fault {fault.id}")
        for name in fault.shows:
            if findings()[name].either:
                raise ValueError(f"fault {fault.id} shows {name}: say which of {', '.join(findings()[name].either)}")
        for gate in fault.before:
            if gate not in checks():
                raise ValueError(f"fault {fault.id} waits for {gate}, which is no check")
        for again in fault.after:
            if again not in cards() and all(c.procedure != again for c in checks().values()):
                raise ValueError(f"fault {fault.id} is measured again by {again}, which is no procedure")
    return found


@cache
def checks() -> dict[str, Check]:
    """All checks by id, in the order of the fixed checklist; what a card says of a procedure is taken from it."""
    rows = tomllib.loads((_HERE / "checks.toml").read_text("utf-8"))["check"]
    found = _by_id(TypeAdapter(list[Check]).validate_python([_with_card(row) for row in rows]), "checks.toml")
    for check in found.values():
        _known([*check.answers, *check.later, *([check.general] if check.general else [])], f"check {check.id}")
        for gate in check.before:
            if gate not in found:
                raise ValueError(f"check {check.id} waits for {gate}, which is no check")
    return found


def _with_card(row: dict[str, Any]) -> dict[str, Any]:
    """A check with its card's minutes, tools and caution; one without a procedure, or with a planned one, says its own."""
    name = row.get("procedure")
    if name is None or row.get("planned"):
        if name in cards():
            raise ValueError(f"check {row['id']}: {name} is planned no longer")
        return row
    if name not in cards():
        raise ValueError(f"check {row['id']} runs {name}, which is no procedure with a card; is it planned?")
    if twice := {"minutes", "tools", "caution"} & set(row):
        raise ValueError(f"check {row['id']}: {', '.join(sorted(twice))} stand on the card of {name}")
    card = cards()[name]
    return row | {"minutes": card.minutes, "tools": card.needs, "caution": card.caution}


@cache
def cards() -> dict[str, Card]:
    """Cards by the procedure's name, which is the file's, in the order of the bench's start page."""
    files = sorted((_HERE / "procedures").glob("*.toml"))
    found = {p.stem: Card.model_validate(tomllib.loads(p.read_text("utf-8"))) for p in files}
    for name, card in found.items():
        if card.next is not None and card.next.procedure not in found:
            raise ValueError(f"the card of {name} goes on to {card.next.procedure}, which has none")
    groups = get_args(Group)
    return dict(sorted(found.items(), key=lambda c: (groups.index(c[1].group), c[1].rank)))


@cache
def atlas() -> dict[str, list[Line]]:
    """The symptom atlas: drawings of findings, by the finding."""
    rows = TypeAdapter(list[Drawing]).validate_json((_HERE / "atlas.json").read_text(encoding="utf-8"))
    _known([r.finding for r in rows], "atlas.json")
    return {r.finding: r.lines for r in rows}


def words_of(procedure: str) -> str:
    """A procedure in words: as its card has it, or for one that is planned, as its check is called."""
    if procedure in cards():
        return cards()[procedure].words
    return next(c.label for c in checks().values() if c.procedure == procedure).lower()


def _known(ids: list[str], where: str) -> None:
    for name in ids:
        if name not in findings():
            raise ValueError(f"{where} names the finding {name}, which is not in findings.json")


@cache
def events() -> list[str]:
    """All events that some fault knows of."""
    return sorted({e for fault in faults().values() for e in fault.events})
