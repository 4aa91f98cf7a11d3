"""shaper: the impulses of one input shaper, how much it leaves when the frequency is off, and what it costs."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from ..errors import BadInput
from ..quantities import Quantity
from ._shaped import Impulse, ShaperName
from .base import Context, Part, Procedure, Result


class ShaperContext(Context):
    """Which shaper, for which mode. ``tolerance``: the residual that the ei family is built to allow."""

    name: ShaperName
    frequency_hz: Annotated[float, Field(ge=0.5, le=1000)]
    damping_ratio: Annotated[float, Field(ge=0, lt=0.5)]
    tolerance: Annotated[float, Field(gt=0, le=0.2)] = 0.05


class CurvePoint(Part):
    """What is left (%) when the true frequency is this."""

    frequency_hz: float
    residual_percent: float


class ShaperResult(Result):
    """``insensitivity_5_percent``: width of the band with V <= 5 %, over the design frequency, as a fraction."""

    procedure: Literal["shaper"] = "shaper"
    impulses: list[Impulse]
    duration_ms: float
    insensitivity_5_percent: float
    smoothing_mm_per_1000: float
    curve: list[CurvePoint]
    method: Literal["closed_form", "constraints_solved"]


def analyse(context: ShaperContext, data: bytes | None = None) -> ShaperResult:
    """Impulses by closed form (zv, zvd, zvdd) or by solving the ei family's constraints at the given damping.

    Parameters
    ----------
    context : ShaperContext
        The shaper's name, the mode's frequency (Hz) and damping ratio, and the residual that the ei family allows.
    data : None
        It has no file.

    Returns
    -------
    ShaperResult
        Impulses, duration (ms), the insensitive band as a fraction of the frequency, and the sensitivity curve.

    Raises
    ------
    BadInput
        ``out_of_range`` where no shaper of the ei family meets its constraints (damping above about 0.25).

    Notes
    -----
    See `signals.shapers` for the sources.

    Examples
    --------
    >>> result = analyse(ShaperContext(name="zv", frequency_hz=50, damping_ratio=0.0))
    >>> result.duration_ms, [i.amplitude for i in result.impulses]
    (10.0, [0.5, 0.5])
    """
    import numpy as np

    from ..signals import shapers

    f, z = context.frequency_hz, context.damping_ratio
    try:
        amplitudes, times = shapers.impulses(context.name, f, z, context.tolerance)
    except (ValueError, np.linalg.LinAlgError) as e:
        raise BadInput(
            "out_of_range",
            f"damping_ratio: at {z:g} no {context.name} shaper meets its constraints; zv, zvd and zvdd do.",
            "damping_ratio",
        ) from e
    ratio = np.linspace(0.4, 1.8, 281)
    left = 100 * shapers.residual(amplitudes, times, f * ratio, z)
    closed = context.name.startswith("zv")
    result = ShaperResult(
        verdict="not_judged",
        impulses=[Impulse(amplitude=float(a), time_s=float(t)) for a, t in zip(amplitudes, times, strict=True)],
        duration_ms=1000 * float(times[-1]),
        insensitivity_5_percent=shapers.insensitivity(amplitudes, times, f, z),
        smoothing_mm_per_1000=500 * shapers.smoothing_seconds2(amplitudes, times),
        curve=[
            CurvePoint(frequency_hz=float(x), residual_percent=float(v)) for x, v in zip(f * ratio, left, strict=True)
        ],
        method="closed_form" if closed else "constraints_solved",
    )
    result.judge("Lasts", Quantity(value=result.duration_ms, u95=0.0, unit="ms"))
    if not closed and z > 0:
        result.warn(
            "ei_by_constraints",
            "Away from zero damping this family has several published forms: here its constraints are solved at the given damping.",
        )
    return result


PROCEDURE = Procedure("shaper", "One input shaper", ShaperContext, ShaperResult, analyse)
