"""How one figure is asked for: its words, its unit, and where it may be from when nobody types it.

A field of a context or of a machine's description carries an `Asked`. Filling it is in ``asking``.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict

#: Where a value is from: typed now; the model's description; the workshop's limits table or its settings; the instrument
#: used; the machine's ledger; what was told last time; what was measured before; else it is typical.
Origin = Literal["typed", "model", "limit", "workshop", "instrument", "stored", "last", "measured", "typical"]


@dataclass(frozen=True)
class Source:
    """Where a value may be from, and how it is found there; None where it is not known.

    It is asked of what `asking.Known` tells.
    """

    origin: Origin
    find: Callable[[Any], Any]


class Choice(BaseModel):
    """One of a few answers; ``hint`` stands under it while it is chosen."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    value: str
    label: str
    hint: str = ""


@dataclass(frozen=True)
class Asked:
    """How a field is asked for. Without a title it is not asked: only what is known fills it.

    ``when``: asked only while another field has one of these values. ``here``: asked only where this holds. ``beside``:
    belongs to the figure of that field; where that one was typed, what is known is of another. ``expect``: about what a
    reading should be, the first of these fields less the others. ``more``: asked for under a fold. ``spare``: may be left
    empty though it hangs on a choice. ``varies``: differs from row to row on purpose (where, how fast).
    """

    title: str = ""
    unit: str = ""
    hint: str = ""
    sources: tuple[Source, ...] = ()
    choices: tuple[Choice, ...] = ()
    when: tuple[str, tuple[str, ...]] | None = None
    here: Callable[[Any], bool] = lambda known: True
    beside: str = ""
    expect: tuple[str, ...] = ()
    more: bool = False
    spare: bool = False
    varies: bool = False

    def known(self, known: Any) -> tuple[Any, Origin] | None:
        """The first source that knows it; None where none does."""
        for source in self.sources:
            value = source.find(known)
            if value is not None:
                return value, source.origin
        return None

    def __get_pydantic_json_schema__(self, core_schema: Any, handler: Any) -> dict[str, Any]:
        """Title, unit and hint stand in the JSON Schema, too."""
        said = {"title": self.title, "unit": self.unit, "description": self.hint}
        found: dict[str, Any] = handler(core_schema)
        return found | {k: v for k, v in said.items() if v}


def told(*sources: Source) -> Asked:
    """A field that is asked of nobody: what is known fills it."""
    return Asked(sources=sources)
