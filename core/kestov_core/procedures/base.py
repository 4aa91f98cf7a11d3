"""Shapes and small pieces that every procedure shares: the result, its advice, warnings and findings."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field

from ..asking import Origin
from ..machine import Description, Kinematics, Place, PlaceKind
from ..parts.places import SheetPlace
from ..quantities import Limits, Quantity, Verdict, decide

if TYPE_CHECKING:
    from ..simulator.machine import SimMachine

DataKind = Literal["wav", "csv"]


class Context(BaseModel):
    """What a procedure is told besides its data. Unknown fields are refused, so a misspelt one is not lost.

    ``sources``: where each value is from, as far as it is told.
    """

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)

    sources: Annotated[dict[Annotated[str, Field(max_length=40)], Origin], Field(max_length=60)] = {}


class Part(BaseModel):
    """A piece of a result."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)


class Advice(Part):
    """One thing to do. ``amount`` says how far, ``expect`` what the next measurement should read if it is right; ``measure``: the
    procedure that it asks for, at ``target`` where that is a place of it.
    """

    action: str
    target: str
    amount: Quantity | None = None
    direction: str | None = None
    reason: str
    expect: Quantity | None = None
    measure: str | None = None


class Warning_(Part):
    """Why the figure may mislead."""

    code: str
    message: str


class Finding(Part):
    """Something the diagnosis understands. Ids stand in ``knowledge/findings.json``."""

    finding: str
    axis: Place | None = None
    state: Literal["present", "absent", "unknown"]
    value: Quantity | None = None


class School(Part):
    """What one school of practitioners answers here, and why they hold it. ``chosen``: the one that the advice follows."""

    school: str
    title: str
    answer: str
    why: str
    chosen: bool = False


class Judged(Part):
    """One figure of a result and how it was judged: in words, its limits and where they are from, and the verdict.

    No limits: not judged, or by something else than the figure. ``source_of_limits``: where the context's value is from,
    ``given`` where that was not told, ``typical`` for a default.
    """

    words: str
    quantity: Quantity
    limits: Limits | None = None
    source_of_limits: str = ""
    verdict: Verdict = "not_judged"


class Result(Part):
    """What every result has. ``procedure`` tells one shape from another; ``judged``: the headline first."""

    procedure: str
    verdict: Verdict
    judged: list[Judged] = []
    advice: list[Advice] = []
    warnings: list[Warning_] = []
    findings: list[Finding] = []

    def judge(
        self,
        words: str,
        quantity: Quantity,
        limits: Limits | None = None,
        source: str = "",
        verdict: Verdict | None = None,
    ) -> None:
        """Add a figure that was judged; without a verdict, by its limits."""
        if limits is not None and limits.low is None and limits.high is None:
            limits = None
        own = verdict or decide(quantity.value, quantity.u95, limits)
        self.judged.append(
            Judged(
                words=words, quantity=quantity, limits=limits, source_of_limits=source if limits else "", verdict=own
            )
        )

    def warn(self, code: str, message: str) -> None:
        """Add a warning."""
        self.warnings.append(Warning_(code=code, message=message))


@dataclass(frozen=True)
class StandIn:
    """What the simulated instruments read: a data file, or what a person would type (rows, and figures of the context).

    ``machine``: the simulated machine after it, where the measuring itself changes it.
    """

    data: bytes | None = None
    rows: list[dict[str, float | str]] = field(default_factory=list)
    told: dict[str, Any] = field(default_factory=dict)
    machine: SimMachine | None = None


@dataclass(frozen=True)
class Program:
    """Moves to run while measuring: their name, what they are told, the G-code that comes of it, and how they run, in words.

    What it is told by a name that the context has, too, is told once. ``not_at``: places of the procedure that have no travel to run (a drive that feeds).
    """

    name: str
    told: type[BaseModel]
    gcode: Callable[[Any], str]
    words: str
    not_at: tuple[str, ...] = ()


@dataclass(frozen=True)
class Turned:
    """How a procedure's result is set in rounds. ``done``: what was done, for the record ("Turned screw {target}"). ``upsets``:
    the procedures whose figures say nothing of today after it. ``event``: what the diagnosis calls it.

    ``turn(machine, place, target, amount, found)``: what turning does to a simulated machine, of which a result (as a dictionary)
    says where things stand; positive is the first of the turnable's two ways.
    """

    done: str
    upsets: tuple[str, ...]
    event: str
    turn: Callable[[SimMachine, str, str, float, Mapping[str, Any]], SimMachine]


@dataclass(frozen=True)
class Procedure:
    """What the registry, the command line, the server and the bench know of a procedure.

    ``analyse(context, data)`` takes a validated context and the bytes of the data file (None where it has none).

    ``measures``: the kind of place; None for what only computes, and has neither card nor page. ``kinematics``: only on
    these. ``at(description)``: at which places, where not at all of the kind. ``gives``: what it tells of its place:
    procedures that give the same speak for each other, the newest counts. ``expected``: without it the condition of its
    place is not known. ``adjustable``: adjustment can mend what it
    judges; else what is out of tolerance is worn. ``interval_days``: how often it is checked, the default of a service
    plan (typical); evidence lasts twice as long. ``sets``: the setting that its advice changes, as the ledger names it
    before the axis (``steps``).

    ``table``: one row of the data, where it may be typed; ``row``: where it comes as a file alone. ``as_mapped``: what its context
    says of a table that was mapped from another. ``live``: what it can record by itself. ``photo``: what is
    asked beside a photograph of a wall, which gives a reading's ``spacing_mm`` and ``u95_mm``. ``rounds``: belts are set by it, in pairs and rounds. ``turned``: what its result is set by, in rounds of its own place.
    ``by_wall``: a person names the wall that
    shows it. ``program``: moves to run. ``sheet``: what is measured on the test part, in order. ``part``: the test part that it reads, by its design's name; ``own_parts``: it reads parts of the workshop's own, place by place. ``grid``: its table may be pasted as a machine prints it, heights over x and y. ``stand_in(machine, place, seed, context)``: what simulated instruments read.
    ``healthy``: what its context says when it is taken while all is well, for later ones to be held against; ``reported``: what it
    says of a machine in trouble, where a report brings its file.
    ``true``: a figure of its result that has one true value in a simulated machine, and that value at a place (None: none there).
    ``view(context, data, found)``: what its drawing shows beside the result.

    ``place_of(context)``: the place that a context itself tells, where it does. ``of_old(context, version)``: what a
    context kept by an earlier version of the core said, in today's words.
    """

    name: str
    title: str
    context: type[Context]
    result: type[Result]
    analyse: Callable[[Any, bytes | None], Result]
    data: DataKind | None = None
    measures: PlaceKind | None = None
    kinematics: tuple[Kinematics, ...] = ("bed_slinger", "fixed_bed", "corexy", "delta", "belt_bed")
    at: Callable[[Description], tuple[str, ...]] | None = None
    gives: str = ""
    expected: bool = False
    adjustable: bool = False
    interval_days: int = 90
    sets: str | None = None
    table: type[Part] | None = None
    row: type[Part] | None = None
    as_mapped: Mapping[str, Any] = field(default_factory=dict)
    live: Literal["microphone", "accelerometer"] | None = None
    photo: tuple[str, ...] = ()
    rounds: bool = False
    turned: Turned | None = None
    by_wall: bool = False
    program: Program | None = None
    sheet: Callable[[], list[SheetPlace]] | None = None
    part: str | None = None
    own_parts: bool = False
    grid: bool = False
    stand_in: Callable[[SimMachine, str, int, dict[str, Any]], StandIn] | None = None
    healthy: Mapping[str, Any] | None = None
    reported: Mapping[str, Any] | None = None
    true: tuple[str, Callable[[SimMachine, str], float | None]] | None = None
    view: Callable[[Any, bytes, dict[str, Any]], BaseModel] | None = None
    place_of: Callable[[Any], Place | None] = lambda _: None
    of_old: Callable[[dict[str, Any], str], dict[str, Any]] = lambda context, _: context

    def places(self, description: Description) -> tuple[str, ...]:
        """Where it measures on this machine; nowhere on kinematics that it is not for."""
        if self.measures is None or description.kinematics not in self.kinematics:
            return ()
        return self.at(description) if self.at is not None else description.places(self.measures)

    def schema(self) -> dict[str, Any]:
        """JSON Schemas of input and result."""
        return {
            "procedure": self.name,
            "title": self.title,
            "data": self.data,
            "context": self.context.model_json_schema(),
            "result": self.result.model_json_schema(mode="serialization"),
        }


def source_of(context: Context, name: str) -> str:
    """Where a limit of the context is from: as it says, else ``given`` with it, or the ``typical`` default."""
    return context.sources.get(name) or ("given" if name in context.model_fields_set else "typical")


def three_way(verdict: Verdict, bad: Verdict = "out_of_tolerance") -> Literal["present", "absent", "unknown"]:
    """State of a finding that stands for being out of tolerance."""
    if verdict == bad:
        return "present"
    return "absent" if verdict in ("in_tolerance", "watch") else "unknown"
