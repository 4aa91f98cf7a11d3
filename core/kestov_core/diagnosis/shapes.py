"""What the diagnosis takes and gives: a case, and what it may be, with reasons, checks, repairs and danger."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, field_validator

from ..knowledge.mended import Mended
from ..machine import Kinematics, Place
from ..procedures.base import Context, Part
from ..quantities import MOST_TOLD, Told

#: An id of the knowledge.
Word = Annotated[str, Field(max_length=60)]
#: A figure in a finding's own unit.
Figure = Annotated[float, Field(ge=-MOST_TOLD, le=MOST_TOLD)]
#: Days before today: a hundred years.
Days = Annotated[float, Field(ge=0, le=36_525)]


class PrinterIn(BaseModel):
    """What the machine is. What else a printer's record says is of no matter here."""

    model_config = ConfigDict(extra="ignore")

    kinematics: Kinematics
    transmissions: Annotated[dict[Place, dict[str, Any]], Field(max_length=19)] = {}
    pairs: Annotated[list[Annotated[list[Place], Field(min_length=2, max_length=2)]], Field(max_length=9)] = []
    homing: Annotated[dict[Place, Word], Field(max_length=19)] = {}


class Observed(Part):
    """One finding. ``value`` (a figure in the finding's unit, or a quantity) is weighed against its limit where that is
    known; ``age_days``: how old the evidence is; ``times``: how often in a row it was looked for and the same was said.
    ``missed``: chance that it is there though a look said not, where a workshop has learned it of its looks.
    ``complaint``: what the case was opened with, which has a cause for certain; where none is marked, the first thing met.
    """

    finding: Word
    axis: Place | None = None
    state: Literal["present", "absent", "unknown"] = "present"
    value: Told | Figure | None = None
    limit: Figure | None = None
    age_days: Days = 0.0
    times: Annotated[int, Field(ge=1, le=1000)] = 1
    complaint: bool = False
    missed: Annotated[float, Field(ge=0.001, le=0.999)] | None = None

    @field_validator("axis", mode="before")
    @classmethod
    def _nowhere(cls, v: Any) -> Any:
        return None if v == "" else v


class Event(Part):
    """What was done to the machine, and how many days before the trouble began."""

    event: Word
    days_before: Days = 0.0


class PartAge(Part):
    """How much of its expected life the part at a place has behind it (1: all of it). ``faults``: those that sit in it; none: any there."""

    axis: Place
    life_share: Annotated[float, Field(ge=0, le=5)]
    faults: Annotated[list[Word], Field(max_length=20)] = []


class Tried(Part):
    """A repair that was done and did not help."""

    fault: Word
    axis: Place | None = None


class DiagnoseContext(Context):
    """A case. ``confirmed``: causes that this workshop has confirmed on this model, by fault. ``setup_done``: set-up that is
    paid already (unplug, cool, covers, fetch, print). ``minutes``: what a check takes in this workshop, by its id.
    ``mended``: what the workshop has changed of the knowledge.
    """

    printer: PrinterIn
    findings: Annotated[list[Observed], Field(max_length=1000)] = []
    events: Annotated[list[Event], Field(max_length=500)] = []
    parts: Annotated[list[PartAge], Field(max_length=500)] = []
    tried: Annotated[list[Tried], Field(max_length=500)] = []
    confirmed: Annotated[dict[Word, Annotated[int, Field(ge=0, le=1_000_000)]], Field(max_length=500)] = {}
    setup_done: Annotated[list[Literal["unplug", "cool", "covers", "fetch", "print"]], Field(max_length=5)] = []
    minutes: Annotated[dict[Word, Annotated[float, Field(gt=0, le=600)]], Field(max_length=200)] = {}
    mended: Mended = Mended()
    most: Annotated[int, Field(ge=1, le=200)] = 12


class Reason(Part):
    """Why: a finding or an event, with its weight in words. ``bits``: log2 of how much likelier it makes the fault."""

    words: str
    bits: float
    finding: str | None = None
    axis: Place | None = None
    event: str | None = None


class Hypothesis(Part):
    """A fault at its place (``other``: something not on the list) with its marginal probability."""

    fault: str
    label: str
    axis: Place | None
    kind: str
    probability: float
    because: list[Reason] = []


class Likely(Part):
    """A fault and its probability, in short."""

    fault: str
    label: str
    axis: Place | None
    probability: float


class Outcome(Part):
    """One thing that a check can show, how likely that is, and what it may be then. ``finding`` null: nothing was found."""

    finding: str | None
    axis: Place | None = None
    label: str
    probability: float
    then: list[Likely]


class Looked(Part):
    """One thing that a check looks at: a finding at a place."""

    finding: str
    axis: Place | None
    label: str


class NextCheck(Part):
    """A check with its minutes (set-up that is still to be paid included) and the minutes it is expected to save beyond them.

    ``gate``: why it should wait; it may be done all the same, with a note. ``asks``: what it looks at that is not known yet.
    ``why_now``: why this before another, in a sentence.
    """

    check: str
    label: str
    axis: Place | None
    minutes: float
    saves_minutes: float
    why: str
    why_now: str = ""
    gate: str | None = None
    procedure: str | None = None
    tools: list[str] = []
    caution: str = ""
    how: list[str] = []
    note: str = ""
    waits_hours: float = 0
    asks: list[Looked] = []
    outcomes: list[Outcome] = []


class Question(Part):
    """A finding that anybody can answer from the print, the noise or what the machine does, and that would move the bars.

    ``places``: it is there already; asked is where.
    """

    finding: str
    label: str
    places: list[Place] = []


class RepairNow(Part):
    """A repair that is cheaper than the next check; ``beside``: not cheaper, but it takes hardly longer than to look."""

    fault: str
    label: str
    axis: Place | None
    minutes: float
    probability: float
    words: str
    beside: bool = False


class Stop(Part):
    """Danger: what to do now, and nothing else."""

    reason: str
    steps: list[str]
