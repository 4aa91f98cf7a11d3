"""The photo ruler: spacing of a regular pattern on a wall, from grey values along a line in a picture.

Lengths come from two points a known distance apart, or from the four corners of a known rectangle, which also takes
out the tilt (a homography). Points are in pixels, x to the right, y down.
"""

from __future__ import annotations

import math
from typing import Annotated

import numpy as np
import scipy.fft as sfft
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field

from ..errors import BadInput
from ..quantities import Quantity, quadrature

Array = NDArray[np.float64]
#: How well a finger or mouse points (px, u95).
POINTING_PX = 2.0

# Criteria of a pattern, chosen on made photographs (aslant, noisy, shaded unevenly): real ones were not to be had.
#: Shortest line, and least distance of two points of known distance (px).
_SHORTEST_LINE_PX, _SHORTEST_RULE_PX = 60.0, 20.0
#: Samples a pixel along the line, lines to either side whose mean is taken (px), and the degree of the shading taken out.
_A_PIXEL, _TO_EITHER_SIDE, _SHADING = 2, 6, 4
#: Points that are drawn of the profile and of the spectrum; up to so many times the pattern's ripples, and this at least.
_DRAWN, _DRAWN_SPECTRUM, _DRAWN_TO, _DRAWN_AT_LEAST = 500, 300, 12, 30
#: Least ripples on a line, and samples a ripple.
_LEAST_RIPPLES, _LEAST_SAMPLES = 2.5, 8
#: The period is looked for within this of the spectrum's top (ripples), at so many points, then closer at so many, so often.
_WITHIN, _COARSE, _FINE, _CLOSER = 0.7, 57, 21, 3
#: A pattern explains this share of the profile's variance at least.
_LEAST_CLEAR = 0.08
#: Longest memory of what is left over (samples) that is believed.
_LONGEST_MEMORY = 40.0


class Px(BaseModel):
    """A point of the picture."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)

    x: Annotated[float, Field(ge=-1e5, le=1e5)]
    y: Annotated[float, Field(ge=-1e5, le=1e5)]


class Rectangle(BaseModel):
    """A known rectangle's corners, in order round it, and its sides (mm): the first side lies between the first two."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)

    corners: Annotated[list[Px], Field(min_length=4, max_length=4)]
    width_mm: Annotated[float, Field(ge=0.5, le=5000)]
    height_mm: Annotated[float, Field(ge=0.1, le=5000)]


class Ruler(BaseModel):
    """Two points a known distance apart (mm)."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)

    ends: Annotated[list[Px], Field(min_length=2, max_length=2)]
    distance_mm: Annotated[float, Field(ge=0.001, le=5000)]


class WallMarks(BaseModel):
    """What was marked in the picture. With ``rectangle`` the tilt is taken out; else ``ruler`` gives the scale."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)

    line: Annotated[list[Px], Field(min_length=2, max_length=2)]
    ruler: Ruler | None = None
    rectangle: Rectangle | None = None


class WallMeasured(BaseModel):
    """``spacing`` of the pattern; the profile (grey, slow shading taken out) over mm; its spectrum over spacing."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)

    spacing: Quantity
    length_mm: float
    ripples: float
    clear: float
    position_mm: list[float]
    profile: list[float]
    spacings_mm: list[float]
    strength: list[float]


def measure_wall(grey: Array, marks: WallMarks) -> WallMeasured:
    """Grey values (height, width) and what was marked in them. Errors: ``out_of_range``, ``missing_field``, ``no_pattern``."""
    height, width = grey.shape
    for p in marks.line:
        if not (0 <= p.x < width and 0 <= p.y < height):
            raise BadInput("out_of_range", "The line must lie inside the picture.", "line")
    start, end = (np.array([p.x, p.y]) for p in marks.line)
    pixels = float(np.hypot(*(end - start)))
    if pixels < _SHORTEST_LINE_PX:
        raise BadInput("out_of_range", "The line is too short: draw it across several ripples.", "line")
    steps = int(_A_PIXEL * pixels)
    along = start + (end - start) * np.linspace(0, 1, steps)[:, None]
    across = np.array([-(end - start)[1], (end - start)[0]]) / pixels
    mm, relative = _millimetres(along, marks)
    profile = np.mean([_sample(grey, along + k * across) for k in range(-_TO_EITHER_SIDE, _TO_EITHER_SIDE + 1)], axis=0)
    length = float(mm[-1])
    even = np.linspace(0, length, steps)
    profile = np.interp(even, mm, profile)
    x = np.linspace(-1, 1, steps)
    profile = profile - np.polynomial.Polynomial.fit(x, profile, _SHADING)(x)
    spacing, u, clear, curve = _period(profile, length)
    u95 = quadrature(1.96 * u, spacing * relative)
    keep = np.linspace(0, steps - 1, min(steps, _DRAWN)).astype(int)
    scale = np.abs(profile).max() or 1.0
    return WallMeasured(
        spacing=Quantity(value=spacing, u95=u95, own=1.96 * u, shared=spacing * relative, unit="mm"),
        length_mm=length,
        ripples=length / spacing,
        clear=clear,
        position_mm=np.round(even[keep], 3).tolist(),
        profile=np.round(profile[keep] / scale, 4).tolist(),
        spacings_mm=np.round(curve[0], 4).tolist(),
        strength=np.round(curve[1], 4).tolist(),
    )


def _sample(grey: Array, at: Array) -> Array:
    """Grey values between pixels (bilinear), edges repeated."""
    h, w = grey.shape
    x, y = np.clip(at[:, 0], 0, w - 1.001), np.clip(at[:, 1], 0, h - 1.001)
    i, j = x.astype(int), y.astype(int)
    a, b = x - i, y - j
    return np.asarray(
        grey[j, i] * (1 - a) * (1 - b)
        + grey[j, i + 1] * a * (1 - b)
        + grey[j + 1, i] * (1 - a) * b
        + grey[j + 1, i + 1] * a * b
    )


def _millimetres(along: Array, marks: WallMarks) -> tuple[Array, float]:
    """Distance from the line's start at each of its points (mm), and the scale's relative u95 from pointing."""
    if marks.rectangle is not None:
        r = marks.rectangle
        px = np.array([[p.x, p.y] for p in r.corners])
        mm = np.array([[0, 0], [r.width_mm, 0], [r.width_mm, r.height_mm], [0, r.height_mm]], dtype=float)
        rows = []
        for (u, v), (x, y) in zip(px, mm, strict=True):
            rows += [[u, v, 1, 0, 0, 0, -u * x, -v * x, -x], [0, 0, 0, u, v, 1, -u * y, -v * y, -y]]
        h = np.linalg.svd(np.array(rows))[2][-1].reshape(3, 3)
        if abs(np.linalg.det(h / np.linalg.norm(h))) < 1e-12:
            raise BadInput(
                "out_of_range", "The four corners do not make a rectangle: mark them in order round it.", "rectangle"
            )
        there = np.column_stack([along, np.ones(len(along))]) @ h.T
        if (there[:, 2] > 0).any() and (there[:, 2] < 0).any():
            raise BadInput(
                "out_of_range",
                "The line lies beyond the rectangle's horizon: mark the corners in order round it.",
                "rectangle",
            )
        plane = there[:, :2] / there[:, 2:]
        step = np.hypot(*np.diff(plane, axis=0).T)
        side = min(np.hypot(*(px[1] - px[0])), np.hypot(*(px[2] - px[1])))
        return np.concatenate([[0.0], np.cumsum(step)]), math.sqrt(2) * POINTING_PX / float(side)
    if marks.ruler is None:
        raise BadInput(
            "missing_field", "Mark two points of known distance, or the corners of a known rectangle.", "ruler"
        )
    a, b = ((p.x, p.y) for p in marks.ruler.ends)
    pixels = math.dist(a, b)
    if pixels < _SHORTEST_RULE_PX:
        raise BadInput("out_of_range", "The two points of known distance lie too close together.", "ruler")
    scale = marks.ruler.distance_mm / pixels
    return np.hypot(*(along - along[0]).T) * scale, math.sqrt(2) * POINTING_PX / pixels


def _period(profile: Array, length: float) -> tuple[float, float, float, tuple[Array, Array]]:
    """Strongest period of a profile: spacing, standard uncertainty, share of the variance it explains, and the spectrum."""
    n = len(profile)
    window = np.hanning(n)
    size = sfft.next_fast_len(8 * n)
    power = np.abs(sfft.rfft(profile * window, size)) ** 2
    cycles = np.arange(len(power)) * n / size  # over the line's length
    inside = (cycles >= _LEAST_RIPPLES) & (cycles <= n / _LEAST_SAMPLES)
    if not inside.any() or not np.any(profile):
        raise BadInput("no_pattern", "There is no pattern along this line.", "line")
    first = float(cycles[inside][power[inside].argmax()])
    x = np.linspace(0, 1, n)

    def fit(c: float) -> tuple[float, float]:
        basis = np.column_stack([np.cos(2 * np.pi * c * x), np.sin(2 * np.pi * c * x), np.ones(n)])
        coefficients = np.linalg.lstsq(basis, profile, rcond=None)[0]
        left = profile - basis @ coefficients
        return float((left**2).sum()), float(np.hypot(*coefficients[:2]))

    grid = first + np.linspace(-_WITHIN, _WITHIN, _COARSE)
    for _ in range(_CLOSER):
        sums = [fit(c)[0] for c in grid]
        best = float(grid[int(np.argmin(sums))])
        step = grid[1] - grid[0]
        grid = best + np.linspace(-step, step, _FINE)
    left, amplitude = fit(best)
    clear = 1 - left / max(float((profile**2).sum()), 1e-30)
    if clear < _LEAST_CLEAR:
        raise BadInput(
            "no_pattern",
            "No regular pattern stands out along this line: light the wall from the side, or draw it elsewhere.",
            "line",
        )
    # Frequency of a sine in noise (Rife and Boorstyn 1974), neighbours counted together by the residual's own memory.
    sigma2 = left / n
    memory = max(1.0, n / (4 * best))
    u_cycles = math.sqrt(6 * sigma2 * min(memory, _LONGEST_MEMORY) / (amplitude**2 * n)) / math.pi
    spacing = length / best
    shown = inside & (cycles <= max(_DRAWN_TO * best, _DRAWN_AT_LEAST))
    pick = np.linspace(0, shown.sum() - 1, min(_DRAWN_SPECTRUM, int(shown.sum()))).astype(int)
    c, p = cycles[shown][pick], power[shown][pick]
    return spacing, spacing * u_cycles / best, clear, (length / c, p / p.max())
