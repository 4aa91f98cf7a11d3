"""The faces in which the server prints: those of the screen, and another for words with letters that they lack.

What a page holds is told where it is made (`measuring/sheets.py`, `service/labels.py` …).
"""

from __future__ import annotations

from functools import lru_cache
from pathlib import Path
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from reportlab.lib.styles import ParagraphStyle
    from reportlab.platypus import Paragraph

_FOLDER = Path(__file__).with_name("faces")
#: Upright and bold, the first that has all letters of some words; else the last, which has most.
_FACES = (("AtkinsonHyperlegibleNext-Regular", "AtkinsonHyperlegibleNext-Bold"), ("DejaVuSans", "DejaVuSans-Bold"))


@lru_cache(maxsize=len(_FACES) * 2)
def _letters(name: str) -> frozenset[int]:
    """Make a face known to the printer of PDF, once; the letters that it has."""
    from reportlab.pdfbase.pdfmetrics import registerFont
    from reportlab.pdfbase.ttfonts import TTFont

    font = TTFont(name, str(_FOLDER / f"{name}.ttf"))
    registerFont(font)
    return frozenset(font.face.charToGlyph)


def face(words: str, bold: bool = False) -> str:
    """The name of the face for these words."""
    names = [pair[bold] for pair in _FACES]
    return next((name for name in names if _letters(name).issuperset(map(ord, words))), names[-1])


def paragraph(words: str, style: ParagraphStyle, bold: bool = False) -> Paragraph:
    """Words as a paragraph in the face that they need. What a person typed is words, never marks of the page."""
    from reportlab.lib.styles import ParagraphStyle
    from reportlab.platypus import Paragraph

    plain = words.replace("&", "&amp;").replace("<", "&lt;").replace(">", "&gt;")
    return Paragraph(plain, ParagraphStyle(style.name, parent=style, fontName=face(words, bold)))
