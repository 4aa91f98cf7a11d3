"""Checks of instruments: each is a record with its result; the newest says whether the instrument may be believed."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date
from typing import Any

from django.db import transaction
from django.db.models import Q, QuerySet
from kestov_core import CORE_VERSION, procedures
from kestov_core.procedures.instrument_check import PROCEDURE
from people.clock import now
from people.models import User, audit
from people.refusals import Refused
from workshop.models import Instrument

from .models import InstrumentCheck


@transaction.atomic
def check(by: User, instrument_id: int, against: str, typed: Mapping[str, Any], due: date | None) -> InstrumentCheck:
    """Keep a check: what was read of something known, and when it is due again. Raises the core's `BadInput`."""
    instrument = Instrument.objects.select_for_update().filter(pk=instrument_id).first()
    if instrument is None:
        raise Refused(404, "not_found", "There is no such instrument; it may have been removed.")
    moment, against = now(), against.strip()
    if not against:
        raise Refused(422, "missing_field", "Say what it was held against.", "against")
    if due is not None and due <= moment.date():
        raise Refused(422, "out_of_range", "The next check lies in the future.", "check_due")
    context = {**typed, "unit": instrument.unit}
    if instrument.resolution is not None:
        context["resolution"] = instrument.resolution
    found = procedures.run(PROCEDURE.name, context).model_dump(mode="json")
    row = InstrumentCheck.objects.create(
        instrument=instrument,
        against=against,
        context=context,
        found=found,
        core_version=CORE_VERSION,
        by=by,
        at=moment,
    )
    instrument.checked_on, instrument.checked_against, instrument.check_due = moment.date(), against, due
    instrument.found_off = _off(found)
    instrument.save(update_fields=["checked_on", "checked_against", "check_due", "found_off"])
    audit(by, "checked", instrument, f"Checked {instrument.name} against {against}.")
    return row


def _off(found: Mapping[str, Any]) -> str:
    """What is said of an instrument that a check found off; empty where it holds."""
    if found["verdict"] != "out_of_tolerance":
        return ""
    error = found["error"]
    more = "more" if error["value"] > 0 else "less"
    return f"Its last check found that it reads {abs(error['value']):.3g} {error['unit']} {more} than is there."


def doubt(instrument: Instrument) -> str:
    """Why an instrument should not be believed as it is, in words; empty where nothing speaks against it."""
    return speaks_against(instrument.found_off, instrument.check_due)


def speaks_against(found_off: str, due: date | None) -> str:
    """The same by what its newest check found, and by when the next is due."""
    if found_off:
        return found_off
    return f"Its check was due on {due}." if due is not None and due < now().date() else ""


def doubted() -> QuerySet[Instrument]:
    """All instruments that something speaks against."""
    return Instrument.objects.filter(Q(check_due__lt=now().date()) | ~Q(found_off=""))


def left_open(instrument: Instrument) -> float | None:
    """What the newest check leaves open of each reading (u95, in the instrument's unit); None where there is none."""
    newest = instrument.checks.first()
    if newest is None or newest.found["unit"] != instrument.unit:
        return None
    return float(newest.found["reading_u95"])
