"""Measuring sheets: the part drawn with its places numbered, a box for each reading, and the way back to the page; as SVG and PDF.

One layout, told as a list of strokes and words, drawn by either.
"""

from __future__ import annotations

import base64
import io
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from xml.sax.saxutils import escape

from kestov_core.parts.designs import Design, PartShape, extent
from workshop.paper import face

from .models import OwnPart
from .own_parts import places_of

#: A4 and its margins (mm); the drawing's height; a row of the table, and how many stand in a column.
WIDTH, HEIGHT, MARGIN = 210.0, 297.0, 15.0
_DRAWING, _ROW, _TOP = 105.0, 9.0, 160.0
_ROWS = 13


@dataclass(frozen=True)
class Stroke:
    """A line through points (mm from the upper left corner)."""

    points: list[tuple[float, float]]
    wide: float = 0.25
    dashed: bool = False


@dataclass(frozen=True)
class Words:
    """Words at a place; ``size`` in mm; ``middle``: hung by their middle; ``halo``: what they stand on is kept off them."""

    x: float
    y: float
    text: str
    size: float = 3.6
    bold: bool = False
    middle: bool = False
    halo: bool = False


@dataclass(frozen=True)
class Picture:
    """A JPEG at a place (its upper left corner) and of a size, mm."""

    image: bytes
    x: float
    y: float
    width: float
    height: float


@dataclass(frozen=True)
class Sheet:
    """A page: its strokes, its words, and a code that opens ``link``; under them a picture, where there is one."""

    title: str
    strokes: list[Stroke]
    words: list[Words]
    link: str
    picture: Picture | None = None


def sheet_of(design: Design, shape: PartShape, machine: str, day: str, link: str) -> Sheet:
    """The measuring sheet of a part for a machine; ``link`` opens its page at the first reading."""
    strokes: list[Stroke] = []
    words = _head(f"{machine}: {design.title}", design.words, day)
    _drawn(shape, strokes, words)
    _boxes([(p.number, p.words, f"{p.nominal_mm:g}") for p in shape.places], strokes, words)
    foot = _IN_ORDER if shape.places else "Look at it by eye: no sizes are asked for."
    words.append(Words(MARGIN, HEIGHT - MARGIN + 4, foot, 3.2))
    return Sheet(f"{machine}, {design.title}", strokes, words, link)


_IN_ORDER = "Type the figures in this order: the code opens the page."


def _head(title: str, told: str, day: str) -> list[Words]:
    return [
        Words(MARGIN, MARGIN + 6, title, 6.5, bold=True),
        Words(MARGIN, MARGIN + 13, told),
        Words(
            MARGIN,
            MARGIN + 20,
            f"Printed {day or '____________'}    Measured by ____________    Instrument ____________",
        ),
    ]


def own_sheet_of(part: OwnPart, machine: str, day: str, link: str) -> Sheet:
    """The measuring sheet of a part of the workshop's own: its picture with the places numbered."""
    strokes: list[Stroke] = []
    words = _head(f"{machine}: {part.name}", part.words[:110], day)
    room_w, room_h = WIDTH - 2 * MARGIN - 46, _DRAWING
    scale = min(room_w / part.width, room_h / part.height)
    picture = Picture(bytes(part.image), MARGIN, MARGIN + 28, part.width * scale, part.height * scale)
    placed: list[tuple[float, float]] = []
    places = places_of(part)
    for i, p in enumerate(places, 1):
        if p.line is None:
            continue
        a, b = ((picture.x + s.x * picture.width, picture.y + s.y * picture.height) for s in p.line)
        strokes.append(Stroke([a, b], 0.5))
        _number(i, a, b, placed, words)
    told = [f"{p.nominal_mm:g}" + (f" ± {p.tolerance_mm:g}" if p.tolerance_mm is not None else "") for p in places]
    _boxes([(i, f"{p.axis.upper()}: {p.words}", told[i - 1]) for i, p in enumerate(places, 1)], strokes, words)
    words.append(Words(MARGIN, HEIGHT - MARGIN + 4, _IN_ORDER, 3.2))
    return Sheet(f"{machine}, {part.name}", strokes, words, link, picture)


def _number(
    number: int,
    a: tuple[float, float],
    b: tuple[float, float],
    placed: list[tuple[float, float]],
    words: list[Words],
) -> None:
    """A place's number on its line; where one stands already, the next moves on along it."""
    spot = next(
        (c for share in (0.5, 0.62, 0.38, 0.74, 0.26, 0.86) if _free(c := _between(a, b, share), placed)),
        _between(a, b, 0.5),
    )
    while not _free(spot, placed):
        spot = (spot[0] + 3.4, spot[1])
    placed.append(spot)
    words.append(Words(spot[0], spot[1] + 1.1, str(number), 3.2, bold=True, middle=True, halo=True))


def _drawn(shape: PartShape, strokes: list[Stroke], words: list[Words]) -> None:
    """The part from above, X to the right, with its numbered places."""
    x0, x1, y0, y1 = extent(shape.outlines)
    room_w, room_h = WIDTH - 2 * MARGIN - 46, _DRAWING
    scale = min(room_w / max(x1 - x0, 1), room_h / max(y1 - y0, 1), 1.6)
    left, low = MARGIN + 8, MARGIN + 30 + room_h

    def at(x: float, y: float) -> tuple[float, float]:
        return left + (x - x0) * scale, low - (y - y0) * scale

    strokes += [Stroke([at(*p) for p in line], 0.35) for line in shape.outlines]
    placed: list[tuple[float, float]] = []
    for p in shape.places:
        a, b = at(p.line[0], p.line[1]), at(p.line[2], p.line[3])
        if a != b:
            strokes.append(Stroke([a, b], 0.18, dashed=True))
        _number(p.number, a, b, placed, words)
    words.append(Words(left + (x1 - x0) * scale + 4, low, "X", 4, bold=True))
    words.append(Words(left - 6, low - (y1 - y0) * scale, "Y", 4, bold=True))


def _between(a: tuple[float, float], b: tuple[float, float], share: float) -> tuple[float, float]:
    return a[0] + share * (b[0] - a[0]), a[1] + share * (b[1] - a[1])


def _free(spot: tuple[float, float], placed: Sequence[tuple[float, float]]) -> bool:
    return all(abs(spot[0] - x) > 3.2 or abs(spot[1] - y) > 3.2 for x, y in placed)


def _boxes(rows: Sequence[tuple[int, str, str]], strokes: list[Stroke], words: list[Words]) -> None:
    """A row for each place: its number, its words, what it should be, and a box to write in; in two columns."""
    column = (WIDTH - 2 * MARGIN - 6) / 2
    for i, (number, told, nominal) in enumerate(rows[: 2 * _ROWS]):
        x = MARGIN + (i // _ROWS) * (column + 6)
        y = _TOP + (i % _ROWS) * _ROW
        words.append(Words(x, y + 5.8, str(number), 4, bold=True))
        words.append(Words(x + 8, y + 5.8, told, 2.9))
        words.append(Words(x + column - 25.5 - 1.9 * len(nominal), y + 5.8, nominal, 3.4))
        bx, by = x + column - 24, y + 0.8
        strokes.append(Stroke([(bx, by), (bx + 24, by), (bx + 24, by + 7.4), (bx, by + 7.4), (bx, by)], 0.3))


def _code(link: str) -> tuple[list[tuple[int, int]], int]:
    """The dark squares of the link's code, and how many there are on a side."""
    import segno

    rows = list(segno.make(link, error="m").matrix_iter(border=0))
    return [(c, r) for r, line in enumerate(rows) for c, dark in enumerate(line) if dark], len(rows)


#: Where the code stands, and how large (mm).
_CODE_AT, _CODE = (WIDTH - MARGIN - 36, MARGIN + 26), 36.0


def as_svg(sheet: Sheet) -> str:
    """The sheet as SVG, in mm."""
    return "\n".join(_svg(sheet)) + "\n"


def _svg(sheet: Sheet) -> Iterator[str]:
    yield (
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{WIDTH:g}mm" height="{HEIGHT:g}mm" '
        f'viewBox="0 0 {WIDTH:g} {HEIGHT:g}" font-family="sans-serif">'
    )
    yield f"<title>{escape(sheet.title)}</title>"
    yield f'<rect width="{WIDTH:g}" height="{HEIGHT:g}" fill="white"/>'
    if sheet.picture is not None:
        p, data = sheet.picture, base64.b64encode(sheet.picture.image).decode()
        yield (
            f'<image x="{p.x:.2f}" y="{p.y:.2f}" width="{p.width:.2f}" height="{p.height:.2f}" '
            f'href="data:image/jpeg;base64,{data}"/>'
        )
    for s in sheet.strokes:
        path = " ".join(f"{'L' if i else 'M'}{x:.2f} {y:.2f}" for i, (x, y) in enumerate(s.points))
        dash = ' stroke-dasharray="1.6 1.2"' if s.dashed else ""
        yield f'<path d="{path}" fill="none" stroke="black" stroke-width="{s.wide:g}"{dash}/>'
    for w in sheet.words:
        halo = ' stroke="white" stroke-width="1" paint-order="stroke"' if w.halo else ""
        more = halo + (' font-weight="bold"' if w.bold else "") + (' text-anchor="middle"' if w.middle else "")
        yield f'<text x="{w.x:.2f}" y="{w.y:.2f}" font-size="{w.size:g}"{more}>{escape(w.text)}</text>'
    dark, side = _code(sheet.link)
    unit = _CODE / side
    squares = "".join(
        f"M{_CODE_AT[0] + c * unit:.3f} {_CODE_AT[1] + r * unit:.3f}h{unit:.3f}v{unit:.3f}h-{unit:.3f}z"
        for c, r in dark
    )
    yield f'<path d="{squares}" fill="black"><title>{escape(sheet.link)}</title></path>'
    yield "</svg>"


def as_pdf(sheet: Sheet) -> bytes:
    """The sheet as PDF, one A4 page."""
    from reportlab.lib.units import mm
    from reportlab.lib.utils import ImageReader
    from reportlab.pdfgen.canvas import Canvas

    out = io.BytesIO()
    page = Canvas(out, pagesize=(WIDTH * mm, HEIGHT * mm), invariant=1)
    page.setTitle(sheet.title)
    if sheet.picture is not None:
        p = sheet.picture
        at = (p.x * mm, (HEIGHT - p.y - p.height) * mm, p.width * mm, p.height * mm)
        page.drawImage(ImageReader(io.BytesIO(p.image)), *at)
    for s in sheet.strokes:
        page.setLineWidth(s.wide * mm)
        page.setDash([1.6 * mm, 1.2 * mm] if s.dashed else [])
        path = page.beginPath()
        for i, (x, y) in enumerate(s.points):
            (path.lineTo if i else path.moveTo)(x * mm, (HEIGHT - y) * mm)
        page.drawPath(path)
    for w in sheet.words:
        if w.halo:
            page.setFillGray(1)
            wide = 0.62 * w.size * len(w.text)
            page.rect((w.x - wide / 2) * mm, (HEIGHT - w.y - 0.2) * mm, wide * mm, 0.8 * w.size * mm, stroke=0, fill=1)
            page.setFillGray(0)
        page.setFont(face(w.text, w.bold), w.size * mm)
        draw = page.drawCentredString if w.middle else page.drawString
        draw(w.x * mm, (HEIGHT - w.y) * mm, w.text)
    dark, side = _code(sheet.link)
    unit = _CODE / side
    for c, r in dark:
        page.rect(
            (_CODE_AT[0] + c * unit) * mm,
            (HEIGHT - _CODE_AT[1] - (r + 1) * unit) * mm,
            unit * mm,
            unit * mm,
            stroke=0,
            fill=1,
        )
    page.linkURL(
        sheet.link,
        (
            _CODE_AT[0] * mm,
            (HEIGHT - _CODE_AT[1] - _CODE) * mm,
            (_CODE_AT[0] + _CODE) * mm,
            (HEIGHT - _CODE_AT[1]) * mm,
        ),
    )
    page.save()
    return out.getvalue()
