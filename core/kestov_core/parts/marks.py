"""Raised letters made of small blocks: which axis is which, which machine, which day."""

from __future__ import annotations

from .solids import Box

#: Three by five, rows from the top, a dot for nothing.
_GLYPHS: dict[str, str] = {
    "A": ".#. #.# ### #.# #.#", "B": "##. #.# ##. #.# ##.", "C": ".## #.. #.. #.. .##", "D": "##. #.# #.# #.# ##.",
    "E": "### #.. ##. #.. ###", "F": "### #.. ##. #.. #..", "G": ".## #.. #.# #.# .##", "H": "#.# #.# ### #.# #.#",
    "I": "### .#. .#. .#. ###", "J": "..# ..# ..# #.# .#.", "K": "#.# #.# ##. #.# #.#", "L": "#.. #.. #.. #.. ###",
    "M": "#.# ### ### #.# #.#", "N": "##. #.# #.# #.# #.#", "O": ".#. #.# #.# #.# .#.", "P": "##. #.# ##. #.. #..",
    "Q": ".#. #.# #.# ### .##", "R": "##. #.# ##. #.# #.#", "S": ".## #.. .#. ..# ##.", "T": "### .#. .#. .#. .#.",
    "U": "#.# #.# #.# #.# ###", "V": "#.# #.# #.# #.# .#.", "W": "#.# #.# ### ### #.#", "X": "#.# #.# .#. #.# #.#",
    "Y": "#.# #.# .#. .#. .#.", "Z": "### ..# .#. #.. ###", "0": "### #.# #.# #.# ###", "1": ".#. ##. .#. .#. ###",
    "2": "##. ..# .#. #.. ###", "3": "##. ..# .#. ..# ##.", "4": "#.# #.# ### ..# ..#", "5": "### #.. ##. ..# ##.",
    "6": ".## #.. ### #.# ###", "7": "### ..# .#. .#. .#.", "8": "### #.# ### #.# ###", "9": "### #.# ### ..# ##.",
    "-": "... ... ### ... ...", ".": "... ... ... ... .#.",
}  # fmt: skip
#: Blocks overlap by so much, so that none touch along an edge alone.
_OVERLAP = 0.12


def text(words: str, x: float, y: float, z: float, size: float = 1.0, high: float = 0.6, along: str = "x") -> list[Box]:
    """Letters from a corner on, standing on ``z``; ``size`` is a block's (mm); ``along`` the y axis they read upward.

    What there is no letter for is left out; they sink a little into what they stand on.
    """
    out: list[Box] = []
    at = 0.0
    for letter in words.upper():
        rows = _GLYPHS.get(letter, "").split()
        for row, line in enumerate(rows):
            for column, dot in enumerate(line):
                if dot != "#":
                    continue
                u, v = at + column * size, (4 - row) * size
                a, b = u - _OVERLAP * size, u + (1 + _OVERLAP) * size
                c, d = v - _OVERLAP * size, v + (1 + _OVERLAP) * size
                if along == "x":
                    out.append((x + a, x + b, y + c, y + d, max(0.0, z - 0.2), z + high))
                else:
                    out.append((x - d, x - c, y + a, y + b, max(0.0, z - 0.2), z + high))
        at += (4 if rows else 2) * size
    return out


def width(words: str, size: float = 1.0) -> float:
    """How long the letters are (mm)."""
    return sum(4 if w in _GLYPHS else 2 for w in words.upper()) * size
