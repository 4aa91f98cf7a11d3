"""instrument-check: what an instrument reads of something known, or of itself turned over, and whether that may stand.

A gauge block or any known length, force or voltage; a square turned over is its own reference (reversal, ISO 230-1).
"""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from ..asking import Asked
from ..errors import BadInput
from ..quantities import Limits, Quantity, decide, mean_of, odd_ones, quadrature
from .base import Advice, Context, Procedure, Result, source_of
from .gauge_study import AskedUnit

Reading = Annotated[float, Field(ge=-1e6, le=1e6)]
Readings = Annotated[list[Reading], Field(max_length=40)]


class InstrumentCheckContext(Context):
    """Readings of something that is known, or of a square as it lies and turned over (the change over one span)."""

    how: Literal["known", "turned_over"] = "known"
    unit: AskedUnit = "mm"
    reference: Annotated[Reading | None, Asked("It is truly", "", "As it is marked, or as its certificate says.")] = (
        None
    )
    reference_u95: Annotated[
        float, Field(ge=0, le=1e6), Asked("Known to ±", "", "A good gauge block: 0.001 mm (typical).")
    ] = 0.001
    readings: Annotated[Readings, Asked("It reads")] = []
    reversed: Annotated[Readings, Asked("Turned over it reads")] = []
    resolution: Annotated[float, Field(ge=0, le=1e6), Asked("Reads to", "", "The instrument's smallest step.")] = 0.0
    limit: Annotated[
        float | None, Field(gt=0, le=1e6), Asked("It may be off by", "", "Two steps are typical of a hand tool.")
    ] = None


class InstrumentCheckResult(Result):
    """``error``: what it reads too much. ``reading_u95``: what a reading is good to while it stays uncorrected."""

    procedure: Literal["instrument-check"] = "instrument-check"
    unit: str
    error: Quantity
    reading_u95: float


def analyse(context: InstrumentCheckContext, data: bytes | None = None) -> InstrumentCheckResult:
    """How far an instrument is off, and whether that may stand.

    Parameters
    ----------
    context : InstrumentCheckContext
        One or more readings, and what is truly there; or readings both ways round, whose half difference is the error.
    data : None
        It has no file.

    Returns
    -------
    InstrumentCheckResult
        The error in the instrument's unit, judged by the limit where one is told.

    Raises
    ------
    BadInput
        ``missing_field`` where there is no reading, no reference, or only one way round.

    Examples
    --------
    >>> result = analyse(InstrumentCheckContext(reference=25.0, readings=[25.02, 25.03, 25.02], limit=0.05))
    >>> round(result.error.value, 3), result.verdict
    (0.023, 'in_tolerance')
    """
    error = _error(context)
    result = InstrumentCheckResult(
        verdict="not_judged",
        unit=context.unit,
        error=error,
        reading_u95=abs(error.value) + (error.u95 or 0.0),
    )
    limits = None if context.limit is None else Limits(low=-context.limit, high=context.limit)
    words = "It reads too much by" if context.how == "known" else "The square is off by"
    result.judge(words, error, limits, source_of(context, "limit"), decide(error.value, error.u95, limits))
    result.verdict = result.judged[0].verdict
    _warn(result, context)
    _advise(result, context)
    return result


def _error(context: InstrumentCheckContext) -> Quantity:
    step = context.resolution
    if not context.readings:
        raise BadInput("missing_field", "At least one reading is needed.", "readings")
    mean, u = mean_of(context.readings, step)
    if context.how == "turned_over":
        if not context.reversed:
            raise BadInput(
                "missing_field", "Turn it over and read it again: only both together tell its error.", "reversed"
            )
        other, u_other = mean_of(context.reversed, step)
        return Quantity(value=(mean - other) / 2, u95=quadrature(u, u_other) / 2, unit=context.unit)
    if context.reference is None:
        raise BadInput("missing_field", "Tell what is truly there.", "reference")
    return Quantity(value=mean - context.reference, u95=quadrature(u, context.reference_u95), unit=context.unit)


def _warn(result: InstrumentCheckResult, context: InstrumentCheckContext) -> None:
    for name, readings in (("readings", context.readings), ("reversed", context.reversed)):
        if len(readings) == 1:
            result.warn("single_reading", "Read once: a slip would not show. Three times are better.")
        for i, _said in odd_ones(readings, max(3 * context.resolution, 1e-12)) if len(readings) >= 4 else []:
            where = "" if name == "readings" else " turned over"
            result.warn("odd_reading", f"Reading {i + 1}{where}, {readings[i]:g}, lies far from the others.")
    if context.limit is not None and context.how == "known" and context.reference_u95 > context.limit / 3:
        result.warn(
            "reference_too_coarse",
            f"What it is checked against is known to ± {context.reference_u95:g} {context.unit} only: a third of what it may be off, or less, is wanted (typical).",
        )


def _advise(result: InstrumentCheckResult, context: InstrumentCheckContext) -> None:
    error = result.error
    if result.verdict == "out_of_tolerance":
        result.advice.append(
            Advice(
                action="Clean its faces, set its zero, and check it again",
                target="the instrument",
                reason=f"It reads {abs(error.value):.3g} {error.unit} {'more' if error.value > 0 else 'less'} than is there. If it stays so, put it aside, or take that off each reading.",
            )
            if context.how == "known"
            else Advice(
                action="Measure with it turned over, too, or put it aside",
                target="the square",
                reason="The half sum of both ways is free of its error; one way alone is not.",
            )
        )
    elif result.verdict == "cannot_tell":
        result.advice.append(
            Advice(
                action="Read it a few times more",
                target="the instrument",
                reason="What it may be off by lies inside the uncertainty of this check.",
            )
        )


PROCEDURE = Procedure(
    "instrument-check", "An instrument against something known", InstrumentCheckContext, InstrumentCheckResult, analyse
)
