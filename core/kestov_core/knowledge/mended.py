"""What a workshop has changed of the knowledge: words, minutes and rates, laid over what came with Kestov.

What is not told stays as it came. Names, places, and what a check looks at are not changed here: records, papers and other
workshops share them.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property, lru_cache
from typing import Annotated, Any

from pydantic import BaseModel, ConfigDict, Field, StringConstraints

from ..errors import BadInput
from . import Check, Fault, checks, faults, findings

#: A line of what to do, or a tool's name; a sentence of caution.
Line = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=400)]
Words = Annotated[str, StringConstraints(strip_whitespace=True, min_length=3, max_length=600)]
Note = Annotated[str, StringConstraints(strip_whitespace=True, max_length=1000)]
Lines = Annotated[list[Line], Field(max_length=30)]
Minutes = Annotated[float, Field(ge=0.5, le=600)]
#: How often a fault shows a finding; 0: it does not.
Share = Annotated[float, Field(ge=0, le=0.99)]


class _Mended(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)


class FaultMended(_Mended):
    """A fault as a workshop has it. ``base``: in so many of a hundred complaints; ``shows``: with which probability it shows
    a finding (0: not at all), for the findings that are told; ``note``: what this workshop knows of it besides. Their titles
    are the words by which a person is told what was changed.
    """

    base: Annotated[float, Field(ge=0.01, le=100)] | None = Field(default=None, title="how usual it is")
    minutes: Minutes | None = Field(default=None, title="minutes")
    shows: Annotated[dict[Annotated[str, Field(max_length=60)], Share], Field(max_length=60)] = {}
    steps: Annotated[Lines, Field(min_length=1)] | None = Field(default=None, title="what to do")
    caution: Words | None = Field(default=None, title="the caution")
    tools: Lines | None = Field(default=None, title="tools")
    parts: Lines | None = Field(default=None, title="parts")
    then: Words | None = Field(default=None, title="what to do when it was not enough")
    note: Note | None = Field(default=None, title="the workshop's note")


class CheckMended(_Mended):
    """A check as a workshop has it: its minutes, how it is done, with what, and its caution; ``note``: what else is known of it."""

    minutes: Minutes | None = Field(default=None, title="minutes")
    how: Annotated[Lines, Field(min_length=1)] | None = Field(default=None, title="how it is done")
    caution: Words | None = Field(default=None, title="the caution")
    tools: Lines | None = Field(default=None, title="tools")
    note: Note | None = Field(default=None, title="the workshop's note")


class Mended(_Mended):
    """All that a workshop has changed, by the id of the fault and of the check."""

    faults: Annotated[dict[Annotated[str, Field(max_length=60)], FaultMended], Field(max_length=300)] = {}
    checks: Annotated[dict[Annotated[str, Field(max_length=60)], CheckMended], Field(max_length=300)] = {}


@dataclass(frozen=True, eq=False)
class Book:
    """The knowledge as one workshop has it."""

    mended: Mended

    @property
    def changed(self) -> int:
        """How many faults and checks are otherwise than they came."""
        return len(self.mended.faults) + len(self.mended.checks)

    @cached_property
    def faults(self) -> dict[str, Fault]:
        """All faults by id, as `knowledge.faults` with what was changed."""
        return {i: _fault(f, self.mended.faults.get(i)) for i, f in faults().items()}

    @cached_property
    def checks(self) -> dict[str, Check]:
        """All checks by id, as `knowledge.checks` with what was changed."""
        return {i: _check(c, self.mended.checks.get(i)) for i, c in checks().items()}


def book(mended: Mended | None = None) -> Book:
    """The knowledge with what a workshop has changed; the same book for the same changes.

    Raises
    ------
    BadInput
        ``out_of_range`` for a fault, a check or a finding that there is not, and where a fault would show nothing.
    """
    return _book((mended or Mended()).model_dump_json(exclude_unset=True))


@lru_cache(maxsize=8)
def _book(told: str) -> Book:
    mended = Mended.model_validate_json(told)
    for name, fault in mended.faults.items():
        _refuse_fault(name, fault)
    for name, check in mended.checks.items():
        if name not in checks():
            raise BadInput(
                "out_of_range", f"“{name}” is not a check; --list-checks lists them.", f"mended.checks.{name}"
            )
        if check.caution is not None or check.tools is not None:
            _refuse_card(name)
    return Book(mended)


def _refuse_fault(name: str, mended: FaultMended) -> None:
    known = faults().get(name)
    if known is None:
        raise BadInput("out_of_range", f"“{name}” is not a fault; --list-faults lists them.", f"mended.faults.{name}")
    for finding in mended.shows:
        kind = findings().get(finding)
        where = f"mended.faults.{name}.shows.{finding}"
        if kind is None:
            raise BadInput("out_of_range", f"“{finding}” is not a finding; --list-findings lists them.", where)
        if kind.either:
            raise BadInput("out_of_range", f"“{kind.label}” stands for several: say which of them.", where)
    if not any((known.shows | mended.shows).values()):
        raise BadInput(
            "out_of_range", f"“{known.label}” would show nothing: nobody could tell it.", f"mended.faults.{name}.shows"
        )


def _refuse_card(name: str) -> None:
    check = checks()[name]
    if check.procedure is not None and not check.planned:
        raise BadInput(
            "out_of_range",
            f"“{check.label}” is measured at the bench: its tools and its caution stand on its card.",
            f"mended.checks.{name}",
        )


def _fault(known: Fault, mended: FaultMended | None) -> Fault:
    if mended is None:
        return known
    shows = {f: p for f, p in (known.shows | mended.shows).items() if p > 0}
    return known.model_copy(update=_told(mended) | {"shows": shows})


def _check(known: Check, mended: CheckMended | None) -> Check:
    return known if mended is None else known.model_copy(update=_told(mended))


def _told(mended: _Mended) -> dict[str, Any]:
    return mended.model_dump(exclude_none=True, exclude_unset=True)
