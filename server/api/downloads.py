"""Files to take along: names as RFC 6266 has them, tables that no spreadsheet takes for a formula."""

from __future__ import annotations

import csv
import io
import unicodedata
from collections.abc import Iterable, Sequence
from typing import Any

from django.http import HttpResponse
from django.utils.http import content_disposition_header

#: A cell that begins so is run by a spreadsheet instead of shown.
_RUN = ("=", "+", "-", "@", "\t", "\r")


def download(body: str | bytes, kind: str, name: str) -> HttpResponse:
    """A file of a content type; signs in its name that no file should have are left out."""
    plain = "".join("-" if c in ' /\\:*?"<>|' else c for c in name if unicodedata.category(c)[0] != "C").strip("-.")
    header = content_disposition_header(True, plain[:120] or "file")
    return HttpResponse(body, content_type=kind, headers={"Content-Disposition": header or "attachment"})


def table(rows: Iterable[Sequence[Any]], name: str) -> HttpResponse:
    """A CSV made for people and their spreadsheets."""
    out = io.StringIO()
    csv.writer(out).writerows([[_cell(c) for c in row] for row in rows])
    return download(out.getvalue(), "text/csv; charset=utf-8", name)


def _cell(value: Any) -> Any:
    return f"'{value}" if isinstance(value, str) and value.startswith(_RUN) else value
