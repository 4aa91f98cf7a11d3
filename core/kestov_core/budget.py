"""Where a figure's uncertainty comes from, line by line: what it would be if one thing were known without doubt, and what then is missing.

Each doubt that a context names (a resolution, what an instrument or a constant is good to) is taken away by itself, and the procedure is run
again: the square that is missing is its share (JCGM 100:2008, 5.1.2: variances of independent inputs add). What no line explains is the
readings' own: how they spread, and how well the method can do.
"""

from __future__ import annotations

import math
import re
from typing import Annotated, Any

from pydantic import BaseModel, ConfigDict, Field

from .asking import Asked
from .errors import BadInput
from .procedures import get, parse, run
from .quantities import Quantity

_A_DOUBT = re.compile(r"(^|_)(u95|resolution)(_|$)")
#: What must lie above zero is made so small instead.
_NEXT_TO_NOTHING = 1e-9
#: A share under this is told as none: it is rounding.
_LEAST = 1e-6


class BudgetLine(BaseModel):
    """One source of doubt: what was told of it (in its unit), what it gives to the figure (95 %, in the figure's unit), and its share of
    the whole, by squares.
    """

    model_config = ConfigDict(extra="forbid")

    field: str
    words: str
    told: float
    unit: str
    u95: Annotated[float, Field(ge=0)]
    share: Annotated[float, Field(ge=0, le=1)]


class Budget(BaseModel):
    """A figure with its doubt by sources, the largest first; ``rest``: what the readings and the method give by themselves."""

    model_config = ConfigDict(extra="forbid")

    words: str
    quantity: Quantity
    lines: list[BudgetLine]
    rest_u95: float
    rest_share: float


def budget(name: str, context: dict[str, Any], data: bytes | None = None) -> Budget | None:
    """The budget of a procedure's headline figure; None where it has none, or none with an uncertainty.

    Parameters
    ----------
    name : str
        The procedure.
    context : dict
        Its context, as `procedures.run` takes it.
    data : bytes, optional
        Its file.

    Raises
    ------
    BadInput
        Where the procedure itself refuses its input.

    Examples
    --------
    >>> budget("service-due", {"tasks": [{"task": "wipe", "every_days": 14}], "today": "2026-05-01"}) is None
    True
    """
    whole = _headline(name, context, data)
    if whole is None or not (u95 := whole[1].u95):
        return None
    words, quantity = whole
    square, lines = u95**2, []
    told = parse(get(name).context, context)
    for field, asked in _doubts(name):
        value = getattr(told, field)
        if not value:
            continue
        without = _without(name, context, field, data)
        if without is None:
            continue
        missing = max(0.0, square - without**2)
        share = missing / square
        if share >= _LEAST:
            stem, _, of = field.partition("_u95_")
            title = asked.title if asked is not None else f"{stem.replace('_', ' ').capitalize()} good to ±"
            unit = (asked.unit if asked is not None else "") or {"percent": "%"}.get(of, of.replace("_", "/"))
            lines.append(
                BudgetLine(field=field, words=title, told=value, unit=unit, u95=math.sqrt(missing), share=share)
            )
    together = sum(line.share for line in lines)
    if together > 1:
        # What goes into the figure by more than its square cannot be told apart exactly: the shares are made one whole.
        lines = [
            line.model_copy(update={"share": line.share / together, "u95": line.u95 / math.sqrt(together)})
            for line in lines
        ]
        together = 1.0
    lines.sort(key=lambda line: -line.share)
    rest = max(0.0, 1 - together)
    return Budget(words=words, quantity=quantity, lines=lines, rest_u95=math.sqrt(rest * square), rest_share=rest)


def _headline(name: str, context: dict[str, Any], data: bytes | None) -> tuple[str, Quantity] | None:
    judged = run(name, context, data).judged
    return (judged[0].words, judged[0].quantity) if judged else None


def _doubts(name: str) -> list[tuple[str, Asked | None]]:
    """The fields of a procedure's context that say how far something may be off."""
    return [
        (field, next((m for m in info.metadata if isinstance(m, Asked)), None))
        for field, info in get(name).context.model_fields.items()
        if _A_DOUBT.search(field)
    ]


def _without(name: str, context: dict[str, Any], field: str, data: bytes | None) -> float | None:
    """What the headline's uncertainty is without one doubt; None where the procedure cannot do without."""
    for value in (0.0, _NEXT_TO_NOTHING):
        try:
            found = _headline(name, {**context, field: value}, data)
        except BadInput:
            continue
        return None if found is None or found[1].u95 is None else found[1].u95
    return None
