"""Labels with a code to be read by a phone, for drawers and machines, on common sheets of labels, as PDF."""

from __future__ import annotations

import io
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from workshop.paper import face


@dataclass(frozen=True)
class Sheet:
    """A sheet of labels: page and label in mm, how many across and down, the margins to the first, and from one to the next."""

    words: str
    page: tuple[float, float]
    label: tuple[float, float]
    across: int
    down: int
    margins: tuple[float, float]
    step: tuple[float, float]

    @property
    def many(self) -> int:
        """Labels on a sheet."""
        return self.across * self.down


_A4, _LETTER = (210.0, 297.0), (215.9, 279.4)
SHEETS: dict[str, Sheet] = {
    "a4-24": Sheet("A4, 3 by 8, 70 by 37 mm", _A4, (70.0, 37.0), 3, 8, (0.0, 0.5), (70.0, 37.0)),
    "a4-21": Sheet("A4, 3 by 7, 63.5 by 38.1 mm", _A4, (63.5, 38.1), 3, 7, (7.2, 15.1), (66.0, 38.1)),
    "a4-65": Sheet("A4, 5 by 13, 38.1 by 21.2 mm", _A4, (38.1, 21.2), 5, 13, (4.7, 10.7), (40.6, 21.2)),
    "letter-30": Sheet("Letter, 3 by 10, 66.7 by 25.4 mm", _LETTER, (66.7, 25.4), 3, 10, (4.8, 12.7), (69.9, 25.4)),
}
#: From the edge of a label, in mm: nothing prints nearer, and a code wants white around it.
_EDGE = 4.0


@dataclass(frozen=True)
class Label:
    """What stands on a label: its code, a name, and two smaller lines."""

    code: str
    name: str
    below: str = ""
    small: str = ""


def as_pdf(labels: Sequence[Label], sheet: Sheet, skip: int = 0) -> bytes:
    """Sheets of labels, the first ``skip`` left out: they were used already."""
    from reportlab.lib.units import mm
    from reportlab.pdfgen.canvas import Canvas

    out = io.BytesIO()
    page = Canvas(out, pagesize=(sheet.page[0] * mm, sheet.page[1] * mm), invariant=1)
    page.setTitle("Labels")
    for i, label in enumerate(labels, start=skip % sheet.many):
        place = i % sheet.many
        if place == 0 and i > skip % sheet.many:
            page.showPage()
        x = sheet.margins[0] + (place % sheet.across) * sheet.step[0]
        y = sheet.page[1] - sheet.margins[1] - (place // sheet.across) * sheet.step[1] - sheet.label[1]
        page.saveState()
        page.translate(x * mm, y * mm)
        _one(page, label, sheet.label)
        page.restoreState()
    page.save()
    return out.getvalue()


def _one(page: Any, label: Label, size: tuple[float, float]) -> None:
    import segno
    from reportlab.lib.units import mm
    from reportlab.pdfbase.pdfmetrics import stringWidth

    wide, high = size
    side = min(high - 1.5 * _EDGE, wide * 0.42)
    squares = [list(row) for row in segno.make(label.code, error="m", micro=False).matrix_iter(border=0)]
    step = side / len(squares)
    for r, row in enumerate(squares):
        for c, dark in enumerate(row):
            if dark:
                # A hair over, so that no white line is left between two.
                page.rect((_EDGE + c * step) * mm, (high / 2 + side / 2 - (r + 1) * step) * mm, (step + 0.02) * mm, (step + 0.02) * mm, stroke=0, fill=1)  # fmt: skip
    left = 1.6 * _EDGE + side
    room = wide - left - _EDGE / 2
    y = high / 2 + 3.2
    for words, bold, points in ((label.name, True, 13.0), (label.below, False, 9.0), (label.small, False, 7.0)):
        if not words:
            continue
        font = face(words, bold)
        while points > 5 and stringWidth(words, font, points) > room * mm:
            points -= 0.5
        while len(words) > 4 and stringWidth(words, font, points) > room * mm:
            words = f"{words.rstrip('…')[:-1]}…"
        page.setFont(font, points)
        page.drawString(left * mm, y * mm, words)
        y -= 5.2
