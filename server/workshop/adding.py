"""What the lead sets up: areas of the room, models with their limits, printers, instruments. Names are used once."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date
from typing import Any

from django.db import transaction
from kestov_core import procedures
from kestov_core.describing import FILE_VERSION, LimitTold, ModelFile, remarks
from kestov_core.machine import Description
from people.clock import now
from people.models import User, audit
from people.refusals import Refused
from pydantic import ValidationError

from . import tags
from .models import Area, Instrument, Limit, Printer, PrinterModel, School, fit_out

#: A model's file is no longer; the longest description that passes its bounds is a fifth of it.
MOST_FILE_BYTES = 500 * 1024


def _free(
    rows: type[Area] | type[PrinterModel] | type[Printer] | type[Instrument], name: str, but: int | None = None
) -> str:
    """The trimmed name, refused where another row of the kind has it."""
    name = name.strip()
    if not name:
        raise Refused(422, "missing_field", "Give it a name.", "name")
    if rows.objects.filter(name__iexact=name).exclude(pk=but or 0).exists():
        raise Refused(422, "out_of_range", f"There is already one called “{name}”.", "name")
    return name


def add_area(by: User, name: str) -> Area:
    """Add a part of the room, after those that there are."""
    area = Area.objects.create(name=_free(Area, name), position=Area.objects.count())
    audit(by, "added", area, f"Added the area {area.name}.")
    return area


@transaction.atomic
def describe(
    by: User,
    name: str,
    description: Description,
    limits: Sequence[LimitTold] = (),
    notes: str = "",
    model_id: int | None = None,
) -> PrinterModel:
    """Describe a new model, or one that is there anew, with all of its limits.

    Refused where the machine would make no sense, where no procedure takes such a limit, and where a limit's ends are
    crossed. Results that are already computed keep the figures that they were made with.
    """
    model = PrinterModel()
    if model_id is not None:
        model = _held(model_id)
    before = model.description
    for remark in remarks(description):
        if remark.grave:
            raise Refused(422, "out_of_range", remark.words, ".".join(map(str, ["description", *remark.path])))
    told: set[tuple[str, str]] = set()
    for i, limit in enumerate(limits):
        _check_limit(limit, f"limits.{i}")
        if (limit.what, limit.place) in told:
            raise Refused(422, "out_of_range", "This limit stands here twice; take one out.", f"limits.{i}.what")
        told.add((limit.what, limit.place))
    model.name = _free(PrinterModel, name, model.pk)
    # Only what is told: the rest stays typical, and is shown so.
    model.description = description.model_dump(mode="json", exclude_none=True, exclude_unset=True) | {
        "kinematics": description.kinematics
    }
    model.notes = notes
    model.save()
    model.limits.all().delete()
    Limit.objects.bulk_create(Limit(model=model, **limit.model_dump()) for limit in limits)
    if model_id is None:
        audit(by, "added", model, f"Described the model {model.name}.")
    else:
        audit(by, "changed", model, f"Changed the model {model.name}.", before=before)
    return model


def as_file(model: PrinterModel) -> ModelFile:
    """A model as one file, for another workshop (docs/models.md)."""
    limits = [LimitTold.model_validate(x, from_attributes=True) for x in model.limits.all()]
    return ModelFile(name=model.name, notes=model.notes, description=model.description, limits=limits)


def take_file(by: User, data: bytes, name: str = "") -> PrinterModel:
    """Take a model that another workshop has described. ``name``: another name for it here."""
    if len(data) > MOST_FILE_BYTES:
        raise Refused(413, "too_large", "The file is over 500 kB: no model is that long.", "file")
    try:
        told = ModelFile.model_validate_json(data)
    except ValidationError as e:
        first = e.errors(include_url=False)[0]
        where = ".".join(str(p) for p in first["loc"]) or "file"
        raise Refused(
            422, "bad_file", f"This is no description of a model: {where}: {procedures.said(first)}.", "file"
        ) from e
    if told.version > FILE_VERSION:
        raise Refused(
            422, "bad_file", f"This file is of version {told.version}; this Kestov reads up to {FILE_VERSION}.", "file"
        )
    description = procedures.parse(Description, told.description)
    return describe(by, name.strip() or told.name, description, told.limits, told.notes)


def _check_limit(limit: LimitTold, field: str) -> None:
    known = procedures.limits()
    if limit.what not in known:
        named = ", ".join(s.words.lower() for s in known.values())
        raise Refused(422, "out_of_range", f"There is no limit “{limit.what}”. There are: {named}.", f"{field}.what")
    if limit.low is not None and limit.high is not None and limit.low >= limit.high:
        raise Refused(422, "out_of_range", "The lower limit must be below the upper.", f"{field}.low")


def _held(model_id: int) -> PrinterModel:
    model = PrinterModel.objects.select_for_update().filter(pk=model_id).first()
    if model is None:
        raise Refused(404, "not_found", "There is no such model; it may have been removed.")
    return model


@transaction.atomic
def forget_causes(by: User, model_id: int) -> PrinterModel:
    """Weigh a model by the knowledge's own base rates again: causes confirmed until now no longer count."""
    model = _held(model_id)
    model.learned_since = now()
    model.save(update_fields=["learned_since"])
    audit(by, "reset", model, f"Base rates of {model.name} begin anew.")
    return model


@transaction.atomic
def add_printer(by: User, name: str, model_id: int, area_id: int, **more: Any) -> Printer:
    """Put a printer on the floor (``serial``, ``in_use_since``); it gets the components of its model."""
    if not PrinterModel.objects.filter(pk=model_id).exists():
        raise Refused(404, "not_found", "There is no such model; it may have been removed.", "model_id")
    if not Area.objects.filter(pk=area_id).exists():
        raise Refused(404, "not_found", "There is no such area; it may have been removed.", "area_id")
    there = Printer.objects.filter(area_id=area_id).count()
    printer = Printer.objects.create(
        name=_free(Printer, name), model_id=model_id, area_id=area_id, position=there, **more
    )
    fit_out(printer)
    audit(by, "added", printer, f"Put {printer.name} on the floor.")
    return printer


@transaction.atomic
def retire(by: User, printer_id: int, why: str) -> Printer:
    """Give a machine up: it leaves the floor, and its record stays."""
    printer = tags.locked(printer_id)
    if printer.retired:
        raise Refused(409, "retired", f"{printer.name} is given up already.")
    printer.retired = True
    printer.save(update_fields=["retired"])
    tags.parts_or_use_changed.send(sender=Printer)
    audit(by, "retired", printer, f"Gave up {printer.name}.{f' {why}' if why else ''}")
    return printer


@transaction.atomic
def take_back(by: User, printer_id: int, why: str) -> Printer:
    """Put a machine that was given up back on the floor."""
    printer = tags.locked(printer_id)
    printer.retired = False
    printer.save(update_fields=["retired"])
    tags.parts_or_use_changed.send(sender=Printer)
    audit(by, "took back", printer, f"{printer.name} is on the floor again.{f' {why}' if why else ''}")
    return printer


@transaction.atomic
def tell_warranty(by: User, printer_id: int, until: date | None) -> Printer:
    """Tell until when a machine is under its maker's warranty."""
    printer = tags.locked(printer_id)
    printer.warranty_until = until
    printer.save(update_fields=["warranty_until"])
    audit(by, "changed", printer, f"{printer.name} is under warranty until {until:%-d %B %Y}." if until else f"Nobody knows of a warranty of {printer.name}.")  # fmt: skip
    return printer


def add_instrument(by: User, name: str, kind: str, **more: Any) -> Instrument:
    """Add an instrument, with what is known of it (resolution, uncertainty, checks, address)."""
    instrument = Instrument.objects.create(name=_free(Instrument, name), kind=kind, **more)
    audit(by, "added", instrument, f"Added the instrument {instrument.name}.")
    return instrument


@transaction.atomic
def change_instrument(by: User, instrument_id: int, name: str, kind: str, **more: Any) -> Instrument:
    """Tell of an instrument anew what it is and how good it is said to be; its checks are records, and stay."""
    instrument = Instrument.objects.select_for_update().filter(pk=instrument_id).first()
    if instrument is None:
        raise Refused(404, "not_found", "There is no such instrument; it may have been removed.")
    told = {"name": _free(Instrument, name, instrument_id), "kind": kind.strip(), **more}
    before = {field: getattr(instrument, field) for field in told}
    for field, value in told.items():
        setattr(instrument, field, value)
    instrument.save(update_fields=list(told))
    audit(by, "changed", instrument, f"Changed the instrument {instrument.name}.", before=before)
    return instrument


def hold_with(by: User, what: str, choice: str) -> School:
    """Set what the workshop holds with where practitioners differ; each measurement may still be told otherwise."""
    known = procedures.schools().get(what)
    if known is None:
        raise Refused(422, "out_of_range", f"There is no such question “{what}”.", "what")
    source, choices = known
    label = next((c.label for c in choices if c.value == choice), None)
    if label is None:
        raise Refused(422, "out_of_range", f"It is answered by {', '.join(c.value for c in choices)}.", "choice")
    row, _ = School.objects.update_or_create(what=what, defaults={"choice": choice})
    audit(by, "changed", row, f"{source.words}: {label}.")
    return row
