"""Condition of a component and fitness of a printer, derived from evidence and never typed over."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from .. import procedures
from ..procedures.base import Procedure
from ..quantities import Verdict

Condition = Literal["sound", "watch", "out_of_adjustment", "worn", "failed", "not_known"]
Fitness = Literal["fit", "rough_only", "in_service", "look_first", "tagged_out", "not_known"]

#: From best to worst; not known stands before trouble, since it is no evidence of any.
ORDER: tuple[Condition, ...] = ("sound", "not_known", "watch", "out_of_adjustment", "worn", "failed")


@dataclass(frozen=True)
class Evidence:
    """One judged result: which procedure, its verdict, its age in days, how often adjusting did not hold, and what was
    changed after it (in words; empty where nothing was). ``reaches_in_days``: when its course may reach a limit, at the earliest.
    """

    procedure: str
    verdict: Verdict
    age_days: float
    adjustments_not_held: int = 0
    changed: str = ""
    reaches_in_days: float | None = None


def condition_of(evidence: Evidence | None) -> tuple[Condition, str]:
    """Condition and the reason in words.

    Evidence older than twice the task's interval says nothing any more; what was changed after it is in doubt.
    """
    if evidence is None:
        return "not_known", "Nothing has been measured here yet."
    # What no procedure of the core has shown (a check by hand) declares nothing: the defaults hold.
    known = evidence.procedure in procedures.names()
    procedure = procedures.get(evidence.procedure) if known else Procedure
    lasts = 2 * procedure.interval_days
    if evidence.age_days > lasts:
        return "not_known", f"The last measurement is older than {lasts} days."
    if evidence.changed:
        return "not_known", f"In doubt: {evidence.changed}, not measured since."
    soon = evidence.reaches_in_days
    if evidence.verdict == "in_tolerance" and soon is not None and soon < procedure.interval_days:
        when = f"in {soon:.0f} days" if soon >= 1 else "any day"
        return "watch", f"Within its limits; at its rate it may reach one {when}."
    if evidence.verdict == "in_tolerance":
        return "sound", "Measured within its limits."
    if evidence.verdict == "watch":
        return "watch", "Within its limits, in the outer part of the band."
    if evidence.verdict == "out_of_tolerance":
        if not procedure.adjustable:
            return "worn", "Outside its limits, and adjustment does not mend it."
        if evidence.adjustments_not_held >= 3:
            return "worn", "Outside its limits, and three adjustments did not hold."
        return "out_of_adjustment", "Measured outside its limits."
    if evidence.verdict == "cannot_tell":
        return "not_known", "The measurement could not tell: its uncertainty reaches over a limit."
    return "not_known", "What was measured has no limit to judge it by."


def worst(conditions: Sequence[Condition]) -> Condition:
    """The worst of several conditions; not known where there is none."""
    return max(conditions, key=ORDER.index, default="not_known")


def fitness_of(
    tagged_out: str | None, in_service: bool, troubles: Sequence[tuple[str, Condition]], look_first: str = ""
) -> tuple[Fitness, str]:
    """Fitness for members and why, from the tag, open work, and what is wrong by axis (words, condition).

    ``look_first``: the danger on a machine of the same model, in words, until somebody has looked at this one.
    """
    if tagged_out:
        return "tagged_out", tagged_out
    failed = [words for words, c in troubles if c == "failed"]
    if failed:
        return "tagged_out", failed[0]
    if look_first:
        return "look_first", look_first
    if in_service:
        return "in_service", "A technician is working on it."
    rough = [words for words, c in troubles if c in ("out_of_adjustment", "worn")]
    if rough:
        return "rough_only", rough[0]
    return "fit", ""
