"""The test parts: their shapes fitted to a machine, and what is measured on each.

Of our own design. A part lies on the bed as it is printed, its marks up, X to the right.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field

import numpy as np

from ..errors import BadInput
from ..machine import BED
from .marks import text, width
from .places import DrawnPlace
from .solids import Box, Floats, Mesh, boxes, joined, turned
from .stepped import HEIGHTS, PLACES, TREADS, WINDOWS

#: A caliper of 150 mm reaches over no longer diagonal; the margin left free on every side of the bed (mm).
CALIPER_MM, MARGIN_MM = 150.0, 10.0
#: What a hand and a caliper are good to (u95, typical), for how large a plate must be.
_CALIPER_U95 = 0.03
Line = list[tuple[float, float]]


@dataclass(frozen=True)
class Fitted:
    """What a part is made to fit: the bed (mm), the nozzle (mm), the lean that must be seen (mm per 100 mm), and its marks."""

    width_mm: float = 220.0
    depth_mm: float = 220.0
    nozzle_mm: float = 0.4
    lean_limit: float = 0.1
    machine: str = ""
    day: str = ""

    @property
    def room(self) -> float:
        """The side of the largest square that fits."""
        return min(self.width_mm, self.depth_mm) - 2 * MARGIN_MM


@dataclass(frozen=True)
class PartShape:
    """A part made: its solid, its outlines seen from above (mm), and what is measured on it."""

    mesh: Mesh
    outlines: list[Line]
    places: list[DrawnPlace] = field(default_factory=list)


@dataclass(frozen=True)
class Design:
    """A part: its name, what it is for, and how it is made. Which procedure reads it, that procedure says."""

    name: str
    title: str
    words: str
    make: Callable[[Fitted], PartShape]


def _rectangle(x0: float, x1: float, y0: float, y1: float) -> Line:
    return [(x0, y0), (x1, y0), (x1, y1), (x0, y1), (x0, y0)]


def _circle(x: float, y: float, r: float) -> Line:
    return [(x + r * math.cos(t), y + r * math.sin(t)) for t in np.linspace(0, 2 * math.pi, 73)]


def _marked(fit: Fitted, x: float, y: float, z: float, room: float, size: float = 1.0) -> list[Box]:
    """The machine's name and the day, as far as they go in."""
    for words in (f"{fit.machine} {fit.day}".strip(), fit.machine, fit.day):
        if words and width(words, size) <= room:
            return text(words, x, y, z, size)
    return []


def frame_side(fit: Fitted) -> float:
    """The side of a square frame that tells half the lean that must be seen, as far as bed and caliper go (mm)."""
    # Two diagonals, three readings each; a lean of t mm per 100 mm parts them by 2 t s / (100 sqrt 2).
    wanted = 100 * _CALIPER_U95 / math.sqrt(3) * math.sqrt(2) * math.sqrt(2) / 2 / (0.5 * fit.lean_limit)
    most = min(fit.room, CALIPER_MM / math.sqrt(2) - 2)
    return float(10 * math.floor(min(max(wanted, 60.0), most) / 10))


def _frame(fit: Fitted) -> PartShape:
    """A square frame whose outer corners a caliper reaches: flat pads at each, square to the diagonal's ends."""
    s, bar, high = frame_side(fit), 8.0, 4.0
    if s < 40:
        raise BadInput("out_of_range", "The bed is too small for a frame that tells anything.", BED)
    add: list[Box] = [
        (0, s, 0, bar, 0, high),
        (0, s, s - bar, s, 0, high),
        (0, bar, 0, s, 0, high),
        (s - bar, s, 0, s, 0, high),
    ]
    add += (
        text("A", 2, 1.5, high)
        + text("B", s - 5.5, 1.5, high)
        + text("C", s - 5.5, s - 6.5, high)
        + text("D", 2, s - 6.5, high)
    )
    add += text("X", s / 2 - 1.5, 1.5, high) + text("Y", 2, s / 2, high)
    add += _marked(fit, 10, s - 6.5, high, s - 22)
    d = s * math.sqrt(2)
    places = [
        DrawnPlace(number=i, words=words, row={}, nominal_mm=round(n, 2), line=line)
        for i, (words, n, line) in enumerate(
            [
                *(("A to C", d, (0.0, 0.0, s, s)), ("B to D", d, (s, 0.0, 0.0, s))) * 3,
                ("side A to B", s, (0.0, -4.0, s, -4.0)),
                ("side A to D", s, (-4.0, 0.0, -4.0, s)),
            ],
            1,
        )
    ]
    return PartShape(boxes(add), [_rectangle(0, s, 0, s), _rectangle(bar, s - bar, bar, s - bar)], places)


#: Where the bar's stair along Y begins: at its right side, so far up, so that both fit on a small bed (mm).
_RIGHT, _UP, _STRIP = 90.0, 24.0, 10.0


def _stair(along: str) -> tuple[list[Box], list[Box], list[Line]]:
    """A lying stair of treads with windows in its two longest; and its outline from above."""
    add: list[Box] = []
    cut: list[Box] = []
    lines: list[Line] = []

    def put(a0: float, a1: float, b0: float, b1: float, into: list[Box]) -> None:
        x0, x1, y0, y1 = (a0, a1, b0, b1) if along == "x" else (_RIGHT - b1, _RIGHT - b0, _UP + a0, _UP + a1)
        into.append((x0, x1, y0, y1, 0, 6.0))
        lines.append(_rectangle(x0, x1, y0, y1))

    for i, tread in enumerate(TREADS):
        put(0, tread, i * _STRIP, (i + 1) * _STRIP, add)
    for i, window in enumerate(WINDOWS):
        put(10, 10 + window, (i + 0.25) * _STRIP, (i + 0.75) * _STRIP, cut)
    return add, cut, lines


def _bar(fit: Fitted) -> PartShape:
    """Two lying stairs along X and Y, and one standing."""
    if fit.width_mm < _RIGHT + 10 or fit.depth_mm < _UP + TREADS[0] + 8:
        raise BadInput("out_of_range", "The bed is too small for the stepped bar: it wants 100 by 112 mm.", BED)
    add_x, cut_x, lines_x = _stair("x")
    add_y, cut_y, lines_y = _stair("y")
    tower: list[Box] = [(10 * i, 10 * i + 10, 60, 72, 0, h) for i, h in enumerate(HEIGHTS)]
    lines = [*lines_x, *lines_y, *(_rectangle(b[0], b[1], b[2], b[3]) for b in tower)]
    x_marks = text("X", 66, 2.5, 6) + _marked(fit, 2, 2 * _STRIP + 2.5, 6, 36)
    y_marks = text("Y", _RIGHT - 2.5, _UP + 66, 6, along="y")
    meshes = [
        boxes([*add_x, *x_marks], cut_x),
        boxes([*add_y, *y_marks], cut_y),
        boxes([*tower, *text("Z", 3, 63, HEIGHTS[0])]),
    ]
    return PartShape(joined(meshes), lines, _bar_places())


def _bar_places() -> list[DrawnPlace]:
    return [
        DrawnPlace(
            number=i, words=p.words, row=p.row(), nominal_mm=p.nominal_mm, line=_bar_line(p.axis, p.kind, p.nominal_mm)
        )
        for i, p in enumerate(PLACES, 1)
    ]


def _bar_line(axis: str, kind: str, n: float) -> tuple[float, float, float, float]:
    """Where a size of the bar is measured, seen from above."""
    if axis == "z":
        i = HEIGHTS.index(n) if kind == "outer" else HEIGHTS.index(n + HEIGHTS[-1])
        x, y = 5.0 + 10 * i, 63.0 if kind == "outer" else 69.0
        return (x, y, x, y)
    if kind == "outer":
        a0, a1, b = 0.0, n, (TREADS.index(n) + 0.88) * _STRIP
    elif kind == "inner":
        a0, a1, b = 10.0, 10.0 + n, (WINDOWS.index(n) + 0.5) * _STRIP
    else:
        a0, a1, b = TREADS[-1], TREADS[-1] + n, (TREADS.index(n + TREADS[-1]) + 0.12) * _STRIP
    return (a0, b, a1, b) if axis == "x" else (_RIGHT - b, _UP + a0, _RIGHT - b, _UP + a1)


def _ring(fit: Fitted) -> PartShape:
    """A ring to be measured over its outside, its mark toward +X."""
    from ..procedures.roundness import ANGLES

    outer = min(30.0, fit.room / 2 - 2)
    inner = outer - 6
    body = turned(lambda t, z: outer + 0 * t, [0, 6], lambda t, z: inner + 0 * t, around=180)
    mark = boxes([(outer - 4.5, outer - 1.5, -0.6, 0.6, 5.9, 6.8)])
    lines = [_circle(0, 0, outer), _circle(0, 0, inner), _rectangle(outer - 4.5, outer - 1.5, -0.6, 0.6)]
    places = []
    for i, a in enumerate(ANGLES, 1):
        c, s = math.cos(math.radians(a)), math.sin(math.radians(a))
        line = (-outer * c, -outer * s, outer * c, outer * s)
        places.append(
            DrawnPlace(number=i, words=f"across at {a:g}°", row={"angle_deg": a}, nominal_mm=2 * outer, line=line)
        )
    return PartShape(joined([body, mark]), lines, places)


def _corner(fit: Fitted) -> PartShape:
    """A corner whose two walls are long enough for the head to have its speed, with a mark on each."""
    s, w, h = min(60.0, fit.room), max(2.0, 4 * fit.nozzle_mm), 25.0
    add: list[Box] = [(0, s, 0, w, 0, h), (0, w, 0, s, 0, h), (0, s, -3, w + 3, 0, 1.2), (-3, w + 3, 0, s, 0, 1.2)]
    add += text("X", s - 8, w + 0.4 if w > 6 else -2.6, 1.2, 0.45, 0.5) + text("Y", -2.6, s - 8, 1.2, 0.45, 0.5)
    return PartShape(boxes(add), [_rectangle(0, s, 0, w), _rectangle(0, w, 0, s)])


def _wall(fit: Fitted) -> PartShape:
    """A straight wall, long enough for a pattern to repeat, for the same at two speeds."""
    s, w, h = min(120.0, fit.room), max(1.6, 4 * fit.nozzle_mm), 20.0
    add: list[Box] = [(0, s, 0, w, 0, h), (0, s, -4, w + 4, 0, 1.2)]
    add += _marked(fit, 4, w + 0.6, 1.2, s - 8, 0.55)
    return PartShape(boxes(add), [_rectangle(0, s, 0, w), _rectangle(0, s, -4, w + 4)])


def _column(fit: Fitted) -> PartShape:
    """A column with a rib every ten millimetres, for what repeats over the height."""
    h, side = 120.0, 16.0
    add: list[Box] = [(0, side, 0, side, 0, h), (-3, side + 3, -3, side + 3, 0, 1.6)]
    add += [(-1, side + 1, -1, side + 1, z, z + 1.6) for z in range(10, int(h), 10)]
    add += text("X", side / 2 - 1.5, side / 2 - 2.5, h)
    return PartShape(boxes(add), [_rectangle(0, side, 0, side), _rectangle(-3, side + 3, -3, side + 3)])


def _flat(fit: Fitted) -> PartShape:
    """Five thin fields, at the corners and in the middle of the bed, for the first layer."""
    w, d, side, thin = fit.width_mm - 2 * MARGIN_MM, fit.depth_mm - 2 * MARGIN_MM, 25.0, 0.6 * fit.nozzle_mm
    at = [(0, 0), (w - side, 0), (w - side, d - side), (0, d - side), ((w - side) / 2, (d - side) / 2)]
    add = [(x, x + side, y, y + side, 0.0, thin) for x, y in at]
    return PartShape(joined([boxes([b]) for b in add]), [_rectangle(b[0], b[1], b[2], b[3]) for b in add])


def _health(fit: Fitted) -> PartShape:
    """The monthly look: a corner with a wall, stepped lengths, a ring and a first layer on one small plate."""
    thin = 0.6 * fit.nozzle_mm
    wall = max(1.6, 4 * fit.nozzle_mm)
    add: list[Box] = [(0, 50, 0, 40, 0, thin), (0, 50, 0, wall, 0, 12), (0, wall, 0, 40, 0, 12)]
    treads: list[Box] = [(8, 8 + n, 8 + 5 * i, 13 + 5 * i, 0, 4) for i, n in enumerate((36.0, 24.0, 12.0))]
    add += [*treads, *text("X", 40, 32, thin, 0.8), *_marked(fit, 8, 30, thin, 30, 0.7)]
    ring = turned(lambda t, z: 10 + 0 * t, [0, 4], lambda t, z: 7 + 0 * t, around=120).moved(64, 14)
    lines = [
        _rectangle(0, 50, 0, 40),
        *(_rectangle(b[0], b[1], b[2], b[3]) for b in treads),
        _circle(64, 14, 10),
        _circle(64, 14, 7),
    ]
    named = [
        (f"X: over the length of {b[1] - b[0]:g}", b[1] - b[0], (b[0], (b[2] + b[3]) / 2, b[1], (b[2] + b[3]) / 2))
        for b in treads
    ]
    named += [("ring, along X", 20.0, (54.0, 14.0, 74.0, 14.0)), ("ring, along Y", 20.0, (64.0, 4.0, 64.0, 24.0))]
    named += [("wall, its width", wall, (25.0, 0.0, 25.0, wall)), ("height of the corner", 12.0, (0.8, 0.8, 0.8, 0.8))]
    places = [DrawnPlace(number=i, words=w, nominal_mm=n, line=line) for i, (w, n, line) in enumerate(named, 1)]
    return PartShape(joined([boxes(add), ring]), lines, places)


#: The thread: its pitch and depth, its outer radius, and the play between bolt and nut (mm).
_PITCH, _DEPTH, _OUTER, _PLAY = 3.0, 1.4, 8.0, 0.25


def _thread(t: Floats, z: float) -> Floats:
    """From 0 at the root to 1 at the crest, a round-nosed saw that climbs one pitch in a turn."""
    phase = (z / _PITCH - t / (2 * np.pi)) % 1.0
    out: Floats = np.clip(1.5 - np.abs(phase - 0.5) * 4, 0.0, 1.0)
    return out


def _bolt_and_nut(fit: Fitted) -> PartShape:
    """The golden thread: a bolt and its nut, whose fit is a go or no-go against the pair that is kept."""

    def hexagon(across: float) -> Callable[[Floats, float], Floats]:
        def radius(t: Floats, z: float) -> Floats:
            out: Floats = across / 2 / np.cos((t + np.pi / 6) % (np.pi / 3) - np.pi / 6)
            return out

        return radius

    def bolt(t: Floats, z: float) -> Floats:
        head = z < 6
        shank = _OUTER - _DEPTH + _DEPTH * _thread(t, z)
        out: Floats = hexagon(24.0)(t, z) if head else shank
        return out

    def bore(t: Floats, z: float) -> Floats:
        out: Floats = _OUTER - _DEPTH + _PLAY + _DEPTH * _thread(t, z)
        return out

    shank = np.arange(6.001, 26, _PITCH / 12)
    male = turned(bolt, [0.0, 5.999, *shank.tolist()], around=96)
    female = turned(hexagon(24.0), np.arange(0, 10.01, _PITCH / 12).tolist(), bore, around=96).moved(36, 0)
    return PartShape(joined([male, female]), [_circle(0, 0, 12), _circle(36, 0, 12), _circle(36, 0, _OUTER)])


DESIGNS: dict[str, Design] = {
    d.name: d
    for d in (
        Design(
            "frame",
            "Frame for squareness",
            "Diagonals by caliper; its size tells half the lean that is allowed.",
            _frame,
        ),
        Design(
            "bar",
            "Stepped bar",
            "Four lengths and more of each kind, so that scale and wall come apart.",
            _bar,
        ),
        Design("ring", "Ring for roundness", "Diameters by angle; its mark toward +X.", _ring),
        Design("corner", "Corner for ringing", "Two walls; count the ripples after the corner.", _corner),
        Design("wall", "Wall for two speeds", "The same wall at two speeds: timed or geometric.", _wall),
        Design("column", "Ribbed column", "What repeats over the height, and how tall it is.", _column),
        Design("flat", "First layer", "Five thin fields over the bed.", _flat),
        Design(
            "health",
            "Health print",
            "Under half an hour: corner, wall, lengths, ring and first layer, for the monthly look.",
            _health,
        ),
        Design(
            "thread",
            "Golden thread",
            "Bolt and nut: a ten-second go or no-go against the pair that is kept.",
            _bolt_and_nut,
        ),
    )
}


def made(name: str, fit: Fitted) -> PartShape:
    """A part fitted to a machine. ``out_of_range`` where there is none of that name, or the bed is too small."""
    if name not in DESIGNS:
        raise BadInput("out_of_range", f"There is no part “{name}”. There are: {', '.join(DESIGNS)}.", "part")
    return DESIGNS[name].make(fit)


def extent(outlines: Sequence[Line]) -> tuple[float, float, float, float]:
    """Least and greatest x and y of outlines (mm)."""
    xs = [p[0] for line in outlines for p in line]
    ys = [p[1] for line in outlines for p in line]
    return min(xs), max(xs), min(ys), max(ys)
