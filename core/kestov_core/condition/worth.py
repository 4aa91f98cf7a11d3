"""Whether a machine is worth going on with: what speaks for giving it up, or for sending it back. The lead decides.

Not here: what it took (the server's record), and which of its parts will be wanted (`stores`).
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from typing import Literal

from ..knowledge import faults

#: So many repairs of one fault are enough; older ones tell of another machine than today's (typical).
REPAIRS, _LATE = 3, timedelta(days=730)
#: Where nobody told until when it is under warranty, one so young may be (typical).
NEARLY_NEW = timedelta(days=365)
#: So long a machine lasts, where nobody told (typical).
LASTS_YEARS = 5.0
#: A fault that shows a complaint so often may be what came back.
_SHOWS = 0.5

Speaks = Literal["warranty", "returns", "no_spare", "dear"]


@dataclass(frozen=True)
class Mended:
    """A fault that was confirmed and mended, at a place, on a day."""

    fault: str
    place: str
    on: date


@dataclass(frozen=True)
class Known:
    """What is known of a machine. Money is in one currency, per what is named; None: not known.

    ``grave``: what is wrong with it that would have to be opened for, in words (empty: nothing). ``complaints``: findings of its open cases.
    ``without_spare``: its parts that want another which cannot be had. ``repair``: what the repair at hand would cost, hours of people
    and parts; ``faults_cost``: what faults cost in the last year, so; ``another``: the price of another machine like it.
    """

    in_use_since: date | None = None
    warranty_until: date | None = None
    grave: str = ""
    mended: Sequence[Mended] = ()
    complaints: Sequence[str] = ()
    without_spare: Sequence[str] = ()
    repair: float | None = None
    faults_cost: float | None = None
    another: float | None = None
    lasts_years: float = LASTS_YEARS

    @property
    def a_year(self) -> float | None:
        """What a year of another machine like it costs: its price over the years that it lasts."""
        return None if self.another is None else self.another / self.lasts_years


@dataclass(frozen=True)
class Reason:
    """What speaks for not going on as before, and why, in words; ``about``: by what it is told from another of its kind."""

    speaks: Speaks
    words: str
    about: str = ""


def reasons(machine: Known, today: date, money: str = "") -> list[Reason]:
    """What speaks for giving a machine up, or for sending it back to its maker; empty where nothing does.

    Parameters
    ----------
    machine : Known
        What is known of it.
    today : date
        The day on which it is asked.
    money : str
        The name of the currency, for the words.

    Examples
    --------
    >>> [r.speaks for r in reasons(Known(repair=240, another=750), date(2026, 5, 1))]
    ['dear']
    """
    found = [
        _under_warranty(machine, today),
        *_returns(machine, today),
        *_without_spare(machine),
        *_dear(machine, money),
    ]
    return [r for r in found if r is not None]


def _under_warranty(m: Known, today: date) -> Reason | None:
    if not m.grave:
        return None
    if m.warranty_until is not None:
        if m.warranty_until < today:
            return None
        return Reason("warranty", f"Under warranty until {m.warranty_until:%-d %B %Y}, and: {m.grave}. It goes back before it is opened.", m.grave)  # fmt: skip
    if m.in_use_since is not None and timedelta(0) <= today - m.in_use_since < NEARLY_NEW:
        return Reason("warranty", f"Nearly new (since {m.in_use_since:%-d %B %Y}), and: {m.grave}. Ask for the warranty before it is opened.", m.grave)  # fmt: skip
    return None


def _returns(m: Known, today: date) -> list[Reason]:
    times: dict[tuple[str, str], list[date]] = defaultdict(list)
    for each in m.mended:
        if each.fault in faults() and today - _LATE <= each.on <= today:
            times[each.fault, each.place].append(each.on)
    out = []
    for (name, place), days in sorted(times.items(), key=lambda row: -len(row[1])):
        fault = faults()[name]
        is_back = any(fault.shows.get(c, 0.0) >= _SHOWS for c in m.complaints)
        if len(days) > REPAIRS or (len(days) == REPAIRS and is_back):
            where = f" at {place.upper()}" if place else ""
            ends = "and the complaint is back" if is_back else "it came back each time"
            out.append(Reason("returns", f"{fault.label}{where}: mended {len(days)} times since {min(days):%-d %B %Y}, {ends}.", f"{name} {place} {len(days)}"))  # fmt: skip
    return out


def _without_spare(m: Known) -> list[Reason]:
    return [
        Reason("no_spare", f"{part} wants another, and none can be had any more.", part) for part in m.without_spare
    ]


def _dear(m: Known, money: str) -> list[Reason]:
    worth = m.a_year
    if worth is None:
        return []
    against = f"a year of another one costs about {_said(worth, money)}"
    out = []
    if m.repair is not None and m.repair > worth:
        out.append(Reason("dear", f"The repair costs about {_said(m.repair, money)}; {against}.", "repair"))
    if m.faults_cost is not None and m.faults_cost > worth:
        out.append(
            Reason(
                "dear", f"Its faults cost about {_said(m.faults_cost, money)} in the last year; {against}.", "faults"
            )
        )
    return out


def _said(amount: float, money: str) -> str:
    """An amount as one says it: of what is reckoned nobody knows the cents."""
    rounded = float(f"{amount:.2g}") if amount >= 10 else round(amount, 1)
    return f"{rounded:.0f} {money}".rstrip() if rounded >= 10 else f"{rounded:g} {money}".rstrip()
