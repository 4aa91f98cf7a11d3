"""The kinds of long work, each registered by the app that does it. Not here: what any of them does."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from datetime import timedelta
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from .doing import Progress

#: What a kind is given, and gives back: its words for the list, and what was found.
Run = Callable[["Progress", dict[str, Any]], tuple[str, dict[str, Any]]]


@dataclass(frozen=True)
class Kind:
    """``again``: taken up anew where a worker ended in the middle. ``within``: not begun so soon, it is not begun at all.

    ``alone``: what of it goes on one at a time (the kind itself, where nothing is said). ``queue``: which workers take it.
    ``quiet``: of no interest to anybody unless it fails.
    """

    name: str
    run: Run
    again: bool = True
    within: timedelta | None = None
    alone: Callable[[dict[str, Any]], str] | None = None
    queue: str = "work"
    quiet: bool = False

    def lock(self, told: dict[str, Any]) -> str:
        """Of two with the same, the second waits for the first."""
        return f"{self.name} {self.alone(told)}" if self.alone else self.name


_kinds: dict[str, Kind] = {}
_sweeps: list[Callable[[], int]] = []


def register(kind: Kind) -> Kind:
    """Make a kind of work known."""
    _kinds[kind.name] = kind
    return kind


def get(name: str) -> Kind:
    """A kind by its name; KeyError where there is none."""
    return _kinds[name]


def quiet() -> list[str]:
    """The kinds that nobody needs to see."""
    return [k.name for k in _kinds.values() if k.quiet]


def sweeping(sweep: Callable[[], int]) -> Callable[[], int]:
    """Have something swept every hour; it gives how many rows it removed."""
    _sweeps.append(sweep)
    return sweep


def sweeps() -> list[Callable[[], int]]:
    """All that is swept."""
    return list(_sweeps)
