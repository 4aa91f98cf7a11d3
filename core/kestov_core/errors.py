"""How the core refuses bad input: one exception, with a stable code, words that help, and the place."""

from __future__ import annotations

from typing import Any


class BadInput(Exception):
    """Input that cannot be used, refused whole.

    Parameters
    ----------
    code : a stable word in snake case (``missing_field``, ``not_a_wav``, ``no_pluck`` …).
    message : what is wrong and how to mend it, for a person.
    field : where it is: a field path (``readings.2.force_n``), a column, or ``data``.
    row : 1-based row of a table, counting the header as row 1, where there is one.
    """

    def __init__(self, code: str, message: str, field: str | None = None, row: int | None = None) -> None:
        super().__init__(message)
        self.code = code
        self.message = message
        self.field = field
        self.row = row

    def as_dict(self) -> dict[str, Any]:
        """The error object of the contract: ``{"error": {"code", "message", "field"}}``."""
        body: dict[str, Any] = {"code": self.code, "message": self.message, "field": self.field}
        if self.row is not None:
            body["row"] = self.row
        return {"error": body}
