"""What a machine should have stored, as a sheet to be kept beside it: every value with its unit, its standing, and from what it came."""

from __future__ import annotations

import io

from people.clock import now
from people.models import name_of
from workshop.models import Printer
from workshop.paper import face, paragraph

from . import ledger

#: Decimals that nobody reads on paper are left off: the script has them all.
_MOST_DECIMALS = 6


def as_pdf(printer: Printer) -> bytes:
    """The sheet as PDF, A4, as many pages as it takes, each numbered."""
    from reportlab.lib.colors import black, grey
    from reportlab.lib.pagesizes import A4
    from reportlab.lib.styles import ParagraphStyle
    from reportlab.lib.units import mm
    from reportlab.platypus import Paragraph, SimpleDocTemplate, Spacer, Table

    title = f"What {printer.name} should have stored"
    small = ParagraphStyle("small", fontSize=9, leading=11.5)
    head = ParagraphStyle("head", fontSize=17, leading=22)

    def cell(words: str, bold: bool = False) -> Paragraph:
        return paragraph(words, small, bold)

    rows = [[cell(w, bold=True) for w in ("Value", "", "Standing", "From")]]
    for e in ledger.standing(printer):
        told = e.row.text if e.row.value is None else f"{_figure(e.row.value)} {e.row.unit}".strip()
        stand = "valid" if e.stand == "valid" else f"in doubt: {e.doubt}"
        by = f"{name_of(e.row.by)}, {e.row.at:%-d %B %Y}. {e.row.reason}".strip()
        rows.append([cell(ledger.words(e.row.name)), cell(told, bold=True), cell(stand), cell(by)])
    if len(rows) == 1:
        rows.append([cell("The ledger knows no value of this machine yet."), "", "", ""])
    table = Table(rows, colWidths=[52 * mm, 38 * mm, 42 * mm, 48 * mm], repeatRows=1)
    table.setStyle(
        [
            ("LINEBELOW", (0, 0), (-1, 0), 0.8, black),
            ("LINEBELOW", (0, 1), (-1, -1), 0.25, grey),
            ("VALIGN", (0, 0), (-1, -1), "TOP"),
            ("TOPPADDING", (0, 0), (-1, -1), 3),
            ("BOTTOMPADDING", (0, 0), (-1, -1), 3),
        ]
    )
    about = f"{printer.model.name}{f', number {printer.serial}' if printer.serial else ''}. {now():%-d %B %Y}."
    caution = (
        "Take it before a firmware change and hold it against what the machine prints after it. "
        "Let nothing home before each end switch was pressed by hand and seen by the machine. The maker's manual goes first."
    )
    out = io.BytesIO()
    page = SimpleDocTemplate(
        out, pagesize=A4, leftMargin=15 * mm, rightMargin=15 * mm, topMargin=15 * mm, bottomMargin=18 * mm,
        title=title, invariant=1,
    )  # fmt: skip

    def numbered(canvas, document) -> None:
        canvas.setFont(face(title), 9)
        canvas.drawString(15 * mm, 10 * mm, title)
        canvas.drawRightString(A4[0] - 15 * mm, 10 * mm, str(document.page))

    page.build(
        [paragraph(title, head, bold=True), cell(about), Spacer(1, 3 * mm), cell(caution), Spacer(1, 4 * mm), table],
        onFirstPage=numbered,
        onLaterPages=numbered,
    )
    return out.getvalue()


def _figure(value: float) -> str:
    return f"{value:.{_MOST_DECIMALS}f}".rstrip("0").rstrip(".")
