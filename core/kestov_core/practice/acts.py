"""What is done on a practice machine, by a person or by the advice: the same looks, instruments and repairs, with what each takes."""

from __future__ import annotations

import tomllib
from collections.abc import Callable, Mapping
from functools import cache
from pathlib import Path
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, TypeAdapter

from .. import procedures
from ..asking import Known, fill
from ..errors import BadInput
from ..knowledge import Check, Fault, cards, checks
from ..machine import Description
from ..procedures.base import Finding, Result
from ..quantities import Limits
from ..simulator.machine import SimMachine

#: Minutes to ask somebody a question; to unplug or plug in; to print the complaint's part again and look at it.
ASKING, PLUG, PRINTING = 0.5, 1.0, 25.0
#: What each kind of state asks of the machine.
Needs = Literal["unplugged", "powered", "live", "any"]
Limited = Mapping[tuple[str, str], Limits]


class State(BaseModel):
    """How the machine stands: ``plugged`` in, ``hot`` (it has printed or heated since it cooled), ``covers`` on."""

    model_config = ConfigDict(extra="forbid")

    plugged: bool = True
    hot: bool = True
    covers: bool = True


@cache
def costs() -> dict[str, float]:
    """What the parts of a repair cost (typical), by the words in which the fault names them."""
    told = tomllib.loads((Path(__file__).parent / "costs.toml").read_text(encoding="utf-8"))
    return TypeAdapter(dict[str, float]).validate_python(told)


def cost_of(fault: Fault) -> float:
    """What the parts of a repair cost (typical)."""
    return sum(costs().get(p, 0.0) for p in fault.parts)


def asks(check: Check) -> Needs:
    """What a check asks of the machine: it stays unplugged, it moves by itself, or its board is live."""
    if check.procedure is not None and not check.planned:
        return asks_of_card(check.procedure)
    if "unplug" in check.setup:
        return "unplugged"
    return "powered" if check.swap or "print" in check.setup or check.id in _MOVES else "any"


#: Looks at a machine that has to be on for them.
_MOVES = {"listen", "end_switch", "read_back", "push_by_hand", "watch_temperature"}


def asks_of_card(procedure: str) -> Needs:
    """What a measurement asks of the machine; a print was made while it was on."""
    needs: dict[str, Needs] = {
        "unplugged": "unplugged", "moving": "powered", "holding": "powered", "printed": "powered", "live": "live", "idle": "any",
    }  # fmt: skip
    return needs[cards()[procedure].state]


def asks_of_repair(fault: Fault) -> Needs:
    """What a repair asks of the machine, by how its fault says it is to stand; one that is done either way asks nothing."""
    still = any(word in fault.state for word in ("unplugged", "unpowered", "supply discharged"))
    on = "powered" in fault.state.replace("unpowered", "")
    return (
        "any" if (still and on) or "motors off" in fault.state else "unplugged" if still else "powered" if on else "any"
    )


def cold(fault: Fault) -> bool:
    """Whether hands come near what was hot: then a repair waits until the machine is cold."""
    return "cold" in fault.state and "unplugged" in fault.state


def measured(
    sim: SimMachine,
    name: str,
    place: str,
    description: Description,
    limits: Limited,
    seed: int,
    before: Callable[[str, str], Mapping[str, Any] | None] = lambda procedure, place: None,
) -> tuple[SimMachine, Result | None]:
    """Measure by a procedure as the bench does: the simulated instrument reads, what is known is filled in, the core computes. None where
    the instrument has nothing to read, or there is none.
    """
    procedure = procedures.get(name)
    if procedure.stand_in is None or place not in procedure.places(description):
        return sim, None
    known = Known(description=description, place=place, limits=limits, measured=before, today=before)
    typed: dict[str, Any] = dict(procedure.reported or procedure.healthy or {})
    try:
        got = procedure.stand_in(sim, place, seed, fill(procedure.context, typed, known) | {"seconds": 15.0})
        context = fill(procedure.context, typed | got.told, known)
        data = got.data
        if got.rows and procedure.table is not None:
            data = procedures.as_table(procedure, got.rows)
        elif got.rows:
            context |= _as_field(procedure.context, got.rows)
        return got.machine or sim, procedures.run(name, context, data)
    except BadInput:
        return sim, None


def _as_field(context: type[BaseModel], rows: list[dict[str, float | str]]) -> dict[str, Any]:
    """Rows as they are typed into the one list that a context has: of figures where each row is one, of rows else."""
    for name, info in context.model_fields.items():
        if name != "sources" and "list" in str(info.annotation):
            plain = len(rows[0]) == 1 and name in rows[0]
            return {name: [row[name] for row in rows] if plain else rows}
    return {}


def findings_of(result: Result) -> list[Finding]:
    """What a measurement says of the case; what it cannot say is left out."""
    return [f for f in result.findings if f.state != "unknown"]


def check_of(procedure: str) -> Check | None:
    """The check that a procedure runs."""
    return next((c for c in checks().values() if c.procedure == procedure), None)
