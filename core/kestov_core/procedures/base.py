"""Shapes and small pieces that every procedure shares: the result, its advice, warnings and findings."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict

from ..machine import Place
from ..quantities import Limits, Quantity, Verdict, decide

DataKind = Literal["wav", "csv"]


class Context(BaseModel):
    """What a procedure is told besides its data. Unknown fields are refused, so a misspelt one is not lost."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)


class Part(BaseModel):
    """A piece of a result."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)


class Advice(Part):
    """One thing to do. ``amount`` says how far, ``expect`` what the next measurement should read if it is right."""

    action: str
    target: str
    amount: Quantity | None = None
    direction: str | None = None
    reason: str
    expect: Quantity | None = None


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


class Judged(Part):
    """One figure of a result and how it was judged: in words, its limits and where they are from, and the verdict.

    No limits: not judged, or by something else than the figure. ``source_of_limits``: ``given`` or ``typical``.
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
class Procedure:
    """What the registry, the command line and the server know of a procedure.

    ``analyse(context, data)`` takes a validated context and the bytes of the data file (None where it has none).
    ``adjustable``: adjustment can mend what it judges; else what is out of tolerance is worn. ``interval_days``: how often
    it is checked, the default of a service plan (typical).
    ``sets``: the setting that its advice changes, as the ledger names it before the axis (``steps``).
    ``of_old(context, version)``: what a context kept by an earlier version of the core said, in today's words.
    """

    name: str
    title: str
    context: type[Context]
    result: type[Result]
    analyse: Callable[[Any, bytes | None], Result]
    data: DataKind | None = None
    adjustable: bool = False
    interval_days: int = 90
    sets: str | None = None
    of_old: Callable[[dict[str, Any], str], dict[str, Any]] = lambda context, _: context

    def schema(self) -> dict[str, Any]:
        """JSON Schemas of input and result."""
        return {
            "procedure": self.name,
            "title": self.title,
            "data": self.data,
            "context": self.context.model_json_schema(),
            "result": self.result.model_json_schema(mode="serialization"),
        }


def source_of(context: Context, field: str) -> str:
    """Where a limit of the context is from: ``given`` with it, or the ``typical`` default."""
    return "given" if field in context.model_fields_set else "typical"


def three_way(verdict: Verdict, bad: Verdict = "out_of_tolerance") -> Literal["present", "absent", "unknown"]:
    """State of a finding that stands for being out of tolerance."""
    if verdict == bad:
        return "present"
    return "absent" if verdict in ("in_tolerance", "watch") else "unknown"
