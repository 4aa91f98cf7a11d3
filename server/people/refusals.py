"""A refusal in words, whoever it is told to: a person at the API, a command, a job."""

from __future__ import annotations


class Refused(Exception):
    """Something that may not be done now: an HTTP status for who asks over the network, a stable code, words, and the field."""

    def __init__(self, status: int, code: str, detail: str, field: str | None = None) -> None:
        super().__init__(detail)
        self.status, self.code, self.detail, self.field = status, code, detail, field
