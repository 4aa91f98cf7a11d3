"""What a person reads of a measuring procedure: one file a procedure in ``procedures/``, named as it is.

Said here once: the diagnosis's check that runs the procedure takes its minutes, tools and caution from the card.
"""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, PrivateAttr

from ..machine import Place, across

#: What the bench's start page asks, in its order.
Group = Literal[
    "Are the belts right?",
    "What rings, what repeats?",
    "Does anything rock or bind?",
    "Is it square and level?",
    "Do the screws run true?",
    "Does it go where it is told?",
    "Is the part the size it should be?",
    "Is the motor strong enough?",
]
#: What the machine is while one measures.
State = Literal["unplugged", "idle", "holding", "moving", "live", "printed"]
STATE_WORDS: dict[State, str] = {
    "unplugged": "unplugged",
    "idle": "motors off",
    "holding": "motors on and holding; across the travel, unplugged",
    "moving": "it moves by itself",
    "live": "board open and live",
    "printed": "a print, taken off",
}
#: What is put right before what, after work on a machine: each builds on those before it.
Chain = Literal["frame", "guides", "screws", "bed", "belts", "steps", "squareness", "resonance", "dimensions"]
CHAIN_WORDS: dict[Chain, str] = {
    "frame": "Frame and joints",
    "guides": "Guides: play and drag",
    "screws": "Screws and beam",
    "bed": "Bed",
    "belts": "Belts and motors",
    "steps": "Steps",
    "squareness": "Squareness",
    "resonance": "Resonance",
    "dimensions": "A test print",
}
Line = Annotated[str, Field(min_length=3, max_length=300)]
#: Words with ``{place}``, and ``{wall}`` for the direction of a wall that shows it.
Words = Annotated[str, Field(min_length=1, max_length=80, pattern=r"^([^{}]|\{place\}|\{wall\})*$")]


class _Read(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)


class Next(_Read):
    """What to measure after it, and why."""

    procedure: str
    why: Line


class Beside(_Read):
    """What reads otherwise at some places; what is left out stays as it is everywhere."""

    places: Annotated[list[Place], Field(min_length=1)]
    question: Words | None = None
    heading: Words | None = None
    label: Words | None = None
    trouble: Words | None = None
    how: Annotated[list[Line], Field(min_length=1)] | None = None
    caution: Line | None = None


class Card(_Read):
    """What a person reads of a procedure.

    ``words``: what it measures, in a sentence ("measure … again"). ``group`` and ``rank``: where it stands on the bench's
    start page. ``short``: what one does. ``question``: what it
    answers; ``heading``: the page's; ``label``: a place on its link. ``instruments``: kinds that do. ``minutes``: for a
    practised hand, set-up apart (typical). ``notes``: what to know before it is believed. ``record``: what was done, as
    the machine's record says it; ``trouble``: what is wrong where it is out of its limits. ``at``: what reads otherwise at some places. ``chain``: where it stands when a machine is put right again.
    """

    words: Annotated[str, Field(min_length=3, max_length=60)]
    group: Group
    rank: int
    short: Annotated[str, Field(min_length=3, max_length=60)]
    question: Words
    heading: Words
    label: Words = "{place}"
    instruments: Annotated[list[str], Field(min_length=1)]
    tools: list[str] = []
    state: State
    minutes: Annotated[float, Field(gt=0, le=240)]
    how: Annotated[list[Line], Field(min_length=1)]
    caution: Line
    notes: list[Line] = []
    record: Words
    trouble: Words
    next: Next | None = None
    chain: Chain | None = None
    at: list[Beside] = []
    # It is told at the same few places over and over.
    _read: dict[str, Card] = PrivateAttr(default_factory=dict)

    def here(self, place: str) -> Card:
        """The card as it reads at a place: its own words there, places named."""
        if place not in self._read:
            self._read[place] = self._at(place)
        return self._read[place]

    def _at(self, place: str) -> Card:
        own: dict[str, object] = {}
        for beside in self.at:
            if place in beside.places:
                own |= beside.model_dump(exclude_none=True, exclude={"places"})
        card = self.model_copy(update=own)
        named = {"place": "this print" if place == "all" else place.upper(), "wall": across(place).upper()}
        said = {k: getattr(card, k).format(**named) for k in ("question", "heading", "record", "trouble")}
        label = "This print" if place == "all" else card.label.format(**named)
        return card.model_copy(update=said | {"label": label})

    @property
    def needs(self) -> list[str]:
        """All that is fetched: one of the instruments, and the tools."""
        return [" or ".join(self.instruments), *self.tools]
