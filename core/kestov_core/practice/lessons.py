"""What is practised: lessons as data, the machines they are practised on, and machines drawn by chance. The same for everybody by seed."""

from __future__ import annotations

import random
import tomllib
from functools import cache
from pathlib import Path
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, TypeAdapter

from ..diagnosis.evidence import at_place
from ..errors import BadInput
from ..knowledge import faults, findings
from ..machine import Description, Kinematics, Place
from ..quantities import Limits
from .truth import At, Happened, Truth, drawn, given

_HERE = Path(__file__).parent
#: Seeds of machines drawn by chance: so many are told apart.
MOST_SEED = 99_999
#: Machines tried until one shows something to complain of.
_TRIES = 80
#: What strikes a member, the more the likelier it is told.
SALIENT = {"print": 3.0, "sound": 2.0, "machine": 2.0, "danger": 50.0}


class _Read(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)


class Told(_Read):
    """A finding as a member tells it, with its place where they know it."""

    finding: str
    axis: Place | None = None


class Lesson(_Read):
    """A lesson. ``step``: its place in the order; ``minutes``: for a beginner; ``why``: what it is for, without a hint; ``teaches``: shown
    when it is over; ``told`` and ``words``: the complaint; ``shows``: what it is found by, on every one of its
    machines; ``began``: what was done just before.
    """

    id: str
    title: Annotated[str, Field(max_length=80)]
    step: Annotated[int, Field(ge=1, le=100)]
    minutes: Annotated[float, Field(ge=5, le=20)]
    kinematics: Kinematics
    faults: Annotated[dict[str, str], Field(min_length=1, max_length=2)]
    told: Annotated[list[Told], Field(min_length=1, max_length=3)]
    shows: Annotated[list[Told], Field(max_length=4)] = []
    began: str = ""
    words: Annotated[str, Field(max_length=300)]
    why: Annotated[str, Field(max_length=300)]
    teaches: Annotated[str, Field(max_length=400)]


class PracticeMachine(_Read):
    """A machine that is practised on, as its maker describes it."""

    name: str
    description: Description


class Begun(_Read):
    """A lesson begun: the machine as it truly is, and the complaint. ``lesson`` is empty where it was drawn by chance."""

    lesson: str
    title: str
    truth: Truth
    told: list[Told]
    words: str


@cache
def lessons() -> dict[str, Lesson]:
    """All lessons in their order."""
    told: dict[str, Any] = tomllib.loads((_HERE / "lessons.toml").read_text(encoding="utf-8"))
    rows = TypeAdapter(list[Lesson]).validate_python(told["lesson"])
    return {row.id: row for row in sorted(rows, key=lambda row: row.step)}


@cache
def machines() -> dict[str, PracticeMachine]:
    """The machines by kinematics."""
    told: dict[str, Any] = tomllib.loads((_HERE / "machines.toml").read_text(encoding="utf-8"))
    return TypeAdapter(dict[str, PracticeMachine]).validate_python(told)


def limits() -> dict[tuple[str, str], Limits]:
    """The limits of a practice machine: a band for its belts (N), and what a pair may differ by (%)."""
    return {("tension", "all"): Limits(low=20.0, high=34.0), ("imbalance", "all"): Limits(high=8.0)}


def begin(lesson: str, seed: int) -> Begun:
    """A lesson's machine and complaint; the seed gives it its own figures."""
    known = lessons().get(lesson)
    if known is None:
        raise BadInput("out_of_range", "There is no such lesson.", "lesson")
    for again in range(_TRIES):
        truth = given(known.kinematics, seed + 100_000 * again, known.faults)
        truth.events = [Happened(event=known.began, days=4.0 + seed % 6)] if known.began else []
        shown = truth.signs()
        # Of how bad it may be, one that shows what the member tells, and what it is found by.
        if all(shown.there(t.finding, t.axis) for t in [*known.told, *known.shows]):
            return Begun(lesson=known.id, title=known.title, truth=truth, told=list(known.told), words=known.words)
    raise BadInput("out_of_range", "No machine of this seed shows what the lesson tells.", "seed")


def by_chance(kinematics: Kinematics, seed: int, difficulty: Literal["one", "two"] = "one") -> Begun:
    """A machine drawn by chance, of which somebody would complain; two faults where that is asked."""
    for again in range(_TRIES):
        truth = drawn(kinematics, seed + 100_000 * again, 2 if difficulty == "two" else 1)
        told = complaint(truth, seed)
        if told:
            words = f"{'; '.join(findings()[t.finding].label.lower() for t in told)}."
            return Begun(
                lesson="", title=f"Machine {seed}", truth=truth, told=told, words=words[:1].upper() + words[1:]
            )
    raise BadInput("out_of_range", "No machine of this seed has anything to complain of.", "seed")


def complaint(truth: Truth, seed: int) -> list[Told]:
    """One to three of the signs that anybody meets, the more striking the likelier; the place is told in six of ten."""
    rng, kinds = random.Random(seed), findings()
    rows = [
        Told.model_validate({"finding": f, "axis": p})
        for f, at in sorted(truth.signs().at.items())
        for p in sorted(at, key=str)
    ]
    met = [r for r in rows if kinds[r.finding].group in SALIENT]
    striking = [r for r in met if not kinds[r.finding].qualifies]
    if not striking:
        return []
    first = rng.choices(striking, [SALIENT[kinds[r.finding].group] for r in striking])[0]
    rest = [r for r in met if r.finding != first.finding]
    more = rng.sample(rest, len(rest))[: rng.choices((0, 1, 2), (0.5, 0.35, 0.15))[0]]
    general = {c: k.id for k in kinds.values() for c in k.either}
    told: list[Told] = []
    for r in (first, *more):
        name = general[r.finding] if r.finding in general and rng.random() < 0.3 else r.finding
        row = Told(finding=name, axis=r.axis if rng.random() < 0.6 else None)
        if all(row.finding != t.finding for t in told):
            told.append(row)
    return told


def named(at: At) -> str:
    """A fault at its place, in words."""
    return at_place(faults()[at.fault].label, at.place or None)
