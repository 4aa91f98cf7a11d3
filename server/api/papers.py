"""What is read on paper besides what the pages show: a case's figures before and after, and the certificate of a measurement."""

from __future__ import annotations

import csv
import io
import json
from collections.abc import Iterator
from datetime import date, datetime
from typing import Any
from uuid import UUID

from cases.measured import Pair, pairs
from cases.models import Case
from django.shortcuts import get_object_or_404
from kestov_core import CORE_VERSION, knowledge, procedures
from kestov_core.asking import Asked
from kestov_core.budget import Budget, budget
from kestov_core.errors import BadInput
from measuring.checks import doubt
from measuring.models import Capture, Result
from ninja import Router
from people.models import name_of

from .permissions import may
from .shapes import CaptureOut, Shape, capture_out
from .signed import SignedIn

router = Router(tags=["papers"])
#: So many rows of a table stand on paper.
_ROWS = 60


class MeasuredOut(Shape):
    """One measurement as a strip shows it; no quantity: it has no figure."""

    capture_id: UUID
    at: datetime
    by: str
    instrument: str
    verdict: str
    words: str
    value: float | None
    u95: float | None
    unit: str
    low: float | None
    high: float | None
    source_of_limits: str


class PairOut(Shape):
    """What was measured in a case at a place: its first figure and its last; ``once``: they are the same one."""

    procedure: str
    place: str
    question: str
    first: MeasuredOut
    last: MeasuredOut
    once: bool


def _pair(p: Pair) -> PairOut:
    first, last = _measured(*p.first), _measured(*p.last)
    once = first.capture_id == last.capture_id
    return PairOut(procedure=p.procedure, place=p.place, question=p.question, first=first, last=last, once=once)


def _measured(capture: Capture, result: Result) -> MeasuredOut:
    head: dict[str, Any] = next(iter(result.judged), {})
    quantity, limits = head.get("quantity") or {}, head.get("limits") or {}
    return MeasuredOut(
        capture_id=capture.pk,
        at=capture.taken_at,
        by=name_of(capture.taken_by),
        instrument=capture.instrument.name if capture.instrument else "",
        verdict=result.verdict,
        words=head.get("words", ""),
        value=quantity.get("value"),
        u95=quantity.get("u95"),
        unit=quantity.get("unit", ""),
        low=limits.get("low"),
        high=limits.get("high"),
        source_of_limits=head.get("source_of_limits", ""),
    )


@router.get(
    "/cases/{case_id}/measured", auth=may("cases.measured"), response=list[PairOut], operation_id="cases.measured"
)
def measured(request: SignedIn, case_id: int):
    """What was measured in a case, before and after."""
    return [_pair(p) for p in pairs(get_object_or_404(Case, pk=case_id))]


class InstrumentUsed(Shape):
    """What a capture was read with, as it stands today. ``doubt``: why it should not be believed as it is (empty: nothing)."""

    name: str
    kind: str
    resolution: float | None
    u95: float | None
    unit: str
    checked_on: date | None
    checked_against: str
    check_due: date | None
    found_off: str
    doubt: str


class ToldWith(Shape):
    """One thing that was told with a measurement: in words, its value and unit, and where it was from."""

    words: str
    value: str
    unit: str
    origin: str


class Certificate(Shape):
    """A measurement with all that it rests on. ``told``: what was told with it; ``rows``: its readings as a table, the head first (``more`` than are shown); ``budget``: where its
    uncertainty comes from, as today's core reckons it (null: it has none, or today's core refuses the readings: ``why_not``).
    """

    capture: CaptureOut
    printer: str
    model: str
    serial: str
    question: str
    how: list[str]
    instrument: InstrumentUsed | None
    told: list[ToldWith]
    rows: list[list[str]]
    more: int
    sha256: str
    budget: Budget | None
    why_not: str
    core: str


@router.get(
    "/captures/{capture_id}/certificate",
    auth=may("captures.certificate"),
    response=Certificate,
    operation_id="captures.certificate",
)
def certificate(request: SignedIn, capture_id: UUID):
    """The certificate of a measurement: procedure, instrument and its check, readings, uncertainty line by line, the core's version."""
    rows = Capture.objects.select_related("taken_by", "instrument", "printer__model").prefetch_related("results")
    capture = get_object_or_404(rows, pk=capture_id)
    card = knowledge.cards()[capture.procedure].here(capture.place)
    told, why_not = _budget(capture)
    table, more = _rows(capture)
    return Certificate(
        capture=capture_out(capture),
        printer=capture.printer.name,
        model=capture.printer.model.name,
        serial=capture.printer.serial,
        question=card.question,
        how=card.how,
        instrument=_instrument(capture),
        told=list(_told(capture)),
        rows=table,
        more=more,
        sha256=capture.sha256,
        budget=told,
        why_not=why_not,
        core=CORE_VERSION,
    )


def _budget(capture: Capture) -> tuple[Budget | None, str]:
    try:
        return budget(capture.procedure, capture.context, capture.table()), ""
    except BadInput as e:
        return None, e.message


def _told(capture: Capture) -> Iterator[ToldWith]:
    """What was told with a capture, in the words of its procedure."""
    fields, origins = procedures.get(capture.procedure).context.model_fields, capture.context.get("sources", {})
    for name, value in capture.context.items():
        if name == "sources" or value in (None, "", [], {}):
            continue
        told = next((m for m in fields[name].metadata if isinstance(m, Asked)), None) if name in fields else None
        words, unit = (told.title, told.unit) if told else (name.replace("_", " ").capitalize(), "")
        yield ToldWith(words=words, value=_as_words(value)[:200], unit=unit, origin=origins.get(name, ""))


def _as_words(value: Any) -> str:
    if isinstance(value, dict) and set(value) <= {"low", "high"}:
        return f"{value.get('low', '')} to {value.get('high', '')}"
    if isinstance(value, bool):
        return "yes" if value else "no"
    return value if isinstance(value, str) else json.dumps(value)


def _instrument(capture: Capture) -> InstrumentUsed | None:
    i = capture.instrument
    if i is None:
        return None
    told = {f: getattr(i, f) for f in InstrumentUsed.model_fields if f != "doubt"}
    return InstrumentUsed(**told, doubt=doubt(i))


def _rows(capture: Capture) -> tuple[list[list[str]], int]:
    """The table of a capture that is one; of a recording none."""
    if procedures.get(capture.procedure).data != "csv":
        return [], 0
    data = capture.table() or b""
    rows = [row for row in csv.reader(io.StringIO(data.decode("utf-8", "replace"))) if row]
    return [[cell[:40] for cell in row[:12]] for row in rows[: _ROWS + 1]], max(0, len(rows) - _ROWS - 1)
