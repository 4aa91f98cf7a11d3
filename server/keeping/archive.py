"""Everything a workshop has, or one machine with its history, in open formats: JSON lines, and every file as it is (docs/archive.md).

A backup brings back this very workshop; an archive can be read by anybody, and by another workshop. Passwords, sessions, keys and links
that let somebody in are not in it; what is worked out from the rest is made anew.
"""

from __future__ import annotations

import gzip
import json
import zipfile
import zlib
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from datetime import date, datetime
from decimal import Decimal
from pathlib import Path
from typing import IO, Any, Literal
from uuid import UUID

from django.apps import apps
from django.core.exceptions import ValidationError
from django.core.management.color import no_style
from django.db import DataError, IntegrityError, connection, transaction
from django.db.models import BinaryField, BooleanField, ExpressionWrapper, ForeignKey, Model, Q, QuerySet
from kestov_core import CORE_VERSION, procedures
from measuring.models import Capture
from measuring.standing import rebuild
from people.clock import now
from people.models import AuditEntry, User, audit
from people.refusals import Refused
from pydantic import BaseModel
from workshop.meters import keep_missing
from workshop.models import Area, Instrument, Limit, PartType, Printer, PrinterModel

VERSION = 1
_MANIFEST = "manifest.json"
#: So many rows are written at once, and a table's line is no longer than this (bytes).
_BATCH, _MOST_LINE = 200, 64 << 20
#: A machine's archive is no larger (bytes, unpacked) when it is taken in by the page; by the command it may be.
MOST_UNPACKED = 2 << 30
_APPS = ("people", "workshop", "measuring", "cases", "service", "practice")
#: What lets somebody in, what is under way, and what is worked out from the rest.
LEFT = {
    "people.DoneOnce", "people.Presence", "people.WrongTry", "people.PasswordCode", "people.Invitation", "people.FirstCode",
    "workshop.MeterNow", "measuring.Recomputed", "measuring.Standing", "measuring.Chunk", "cases.KeptForecast", "cases.Suspect", "service.Feed",
    "practice.Ticket", "practice.With", "practice.Lesson", "practice.Did",
}  # fmt: skip
_LEFT_FIELDS = {
    "people.User": {"password", "last_login", "email", "is_superuser", "is_staff"},
    "cases.Picture": {"small"},
}
#: How a file lies in the database, and its ending here (of a recording or table its own).
_PACKED: dict[str, tuple[Callable[[bytes], bytes], Callable[[bytes], bytes], str]] = {
    "measuring.Capture.data": (zlib.decompress, zlib.compress, ""),
    "workshop.JobLog.data": (gzip.decompress, gzip.compress, ".csv"),
    "service.Calendar.raw": (zlib.decompress, zlib.compress, ".ics"),
    "measuring.OwnPart.mesh": (bytes, bytes, ".bin"),
}
#: What goes with a machine, and how it hangs on it.
_OF_A_MACHINE = {
    "workshop.Printer": "pk", "workshop.Difference": "printer", "workshop.Component": "printer", "workshop.Deed": "component__printer",
    "workshop.DeedPicture": "deed__component__printer", "workshop.MeterReading": "printer", "workshop.JobLog": "printer",
    "workshop.LoggedJob": "printer", "workshop.LoggedWeek": "printer", "workshop.Event": "printer", "cases.Case": "printer",
    "cases.Observation": "case__printer", "cases.Comment": "case__printer", "cases.Picture": "case__printer", "measuring.Capture": "printer",
    "measuring.Result": "capture__printer", "measuring.StoredValue": "printer", "measuring.ReadBack": "printer", "measuring.Action": "printer",
    "measuring.WallPicture": "printer", "service.Done": "printer", "service.Asked": "printer", "service.Quote": "printer",
    "service.Decided": "printer",
}  # fmt: skip
#: What a machine rests on and shares with others: found again by its name where it is taken in.
_SHARED = (
    "people.User",
    "workshop.Area",
    "workshop.PrinterModel",
    "workshop.Limit",
    "workshop.PartType",
    "workshop.Instrument",
)
Row = dict[str, Any]


def tables() -> list[type[Model]]:
    """What is kept, each after those that it refers to."""
    left = [m for a in _APPS for m in apps.get_app_config(a).get_models() if m._meta.label not in LEFT]
    out: list[type[Model]] = []
    while left:
        ready = [m for m in left if not {f.related_model for f in _links(m)} & (set(left) - {m})]
        out += ready
        left = [m for m in left if m not in ready]
    return out


def _links(model: type[Model]) -> list[ForeignKey[Any, Any]]:
    return [f for f in model._meta.concrete_fields if isinstance(f, ForeignKey)]


def write(file: Path | IO[bytes], printer: Printer | None = None) -> Manifest:
    """Write the whole workshop, or one machine with its history; gives the manifest. One moment of the database."""
    outermost = not connection.in_atomic_block
    with transaction.atomic():
        if outermost:
            with connection.cursor() as cursor:
                cursor.execute("SET TRANSACTION ISOLATION LEVEL REPEATABLE READ, READ ONLY")
        chosen = {m._meta.label: m._base_manager.order_by("pk") for m in tables()} if printer is None else _of(printer)
        counts: dict[str, int] = {}
        with zipfile.ZipFile(file, "w", zipfile.ZIP_DEFLATED, allowZip64=True) as out:
            for label, rows in chosen.items():
                with out.open(f"tables/{label}.jsonl", "w", force_zip64=True) as table:
                    counts[label] = _write(table, label, rows)
            for label, rows in chosen.items():
                _write_files(out, label, rows)
            manifest = Manifest(
                core=CORE_VERSION,
                made=now().isoformat(),
                of="workshop" if printer is None else "machine",
                name=printer.name if printer else "",
                rows=counts,
            )
            out.writestr(_MANIFEST, manifest.model_dump_json(indent=1))
    return manifest


def _of(printer: Printer) -> dict[str, QuerySet[Any]]:
    """The rows of a machine, and of what it rests on."""
    mine = {
        label: apps.get_model(label)._base_manager.filter(**{path: printer.pk}).order_by("pk")
        for label, path in _OF_A_MACHINE.items()
    }
    cases = [str(pk) for pk in mine["cases.Case"].values_list("pk", flat=True)]
    trail = AuditEntry.objects.filter(what="printer", what_id=str(printer.pk)) | AuditEntry.objects.filter(
        what="case", what_id__in=cases
    )
    mine["people.AuditEntry"] = trail.order_by("pk")
    people: set[int] = set()
    for rows in mine.values():
        for link in _links(rows.model):
            if link.related_model is User:
                people |= {pk for pk in rows.order_by().values_list(link.attname, flat=True).distinct() if pk}
    types = mine["workshop.Component"].exclude(type=None).values_list("type_id", flat=True)
    instruments = mine["measuring.Capture"].exclude(instrument=None).order_by().values_list("instrument_id", flat=True)
    shared: dict[str, QuerySet[Any]] = {
        "people.User": User.objects.filter(pk__in=people).order_by("pk"),
        "workshop.Area": Area.objects.filter(pk=printer.area_id),
        "workshop.PrinterModel": PrinterModel.objects.filter(pk=printer.model_id),
        "workshop.Limit": apps.get_model("workshop.Limit")._base_manager.filter(model=printer.model_id).order_by("pk"),
        "workshop.PartType": PartType.objects.filter(pk__in=list(types)).order_by("pk"),
        "workshop.Instrument": Instrument.objects.filter(pk__in=list(instruments.distinct())).order_by("pk"),
    }
    order = [m._meta.label for m in tables()]
    both = shared | mine
    return {label: both[label] for label in order if label in both}


def _write(table: IO[bytes], label: str, rows: QuerySet[Any]) -> int:
    n = 0
    # Files are written by themselves.
    heavy = [f.name for f in rows.model._meta.concrete_fields if isinstance(f, BinaryField)]
    holds = {f"has_{name}": _there(name) for name in heavy}
    for row in rows.defer(*heavy).annotate(**holds).iterator(chunk_size=_BATCH):
        table.write(json.dumps(_as_json(row, label, heavy), ensure_ascii=False).encode() + b"\n")
        n += 1
    return n


def _there(name: str) -> Any:
    return ExpressionWrapper(Q(**{f"{name}__isnull": False}), output_field=BooleanField())


def _as_json(row: Model, label: str, heavy: list[str]) -> Row:
    left = _LEFT_FIELDS.get(label, set())
    out: Row = {}
    for f in row._meta.concrete_fields:
        if f.name in left:
            continue
        if f.name in heavy:
            out[f.name] = _file_name(row, label, f.name) if getattr(row, f"has_{f.name}") else None
        else:
            out[f.attname] = _plain(f.value_from_object(row))
    for many in row._meta.many_to_many:
        if many.name not in ("groups", "user_permissions"):
            out[many.name] = sorted(r.pk for r in many.value_from_object(row))
    return out


def _plain(value: Any) -> Any:
    if isinstance(value, datetime | date):
        return value.isoformat()
    return str(value) if isinstance(value, UUID | Decimal) else value


def _file_name(row: Model, label: str, field: str) -> str:
    ending = _PACKED.get(f"{label}.{field}", (None, None, ".jpg"))[2]
    if isinstance(row, Capture):
        ending = Path(row.data_name).suffix.lower()[:6] or ".bin"
    return f"files/{label}/{row.pk}.{field}{ending}"


def _write_files(out: zipfile.ZipFile, label: str, rows: QuerySet[Any]) -> None:
    left = _LEFT_FIELDS.get(label, set())
    for f in rows.model._meta.concrete_fields:
        if not isinstance(f, BinaryField) or f.name in left:
            continue
        unpack = _PACKED.get(f"{label}.{f.name}", (bytes, bytes, ""))[0]
        for row in rows.exclude(**{f.name: None}).iterator(chunk_size=20):
            out.writestr(_file_name(row, label, f.name), unpack(bytes(getattr(row, f.name))))


class Manifest(BaseModel):
    """What an archive says of itself; ``rows``: how many each of its tables has."""

    kind: Literal["kestov-archive"] = "kestov-archive"
    version: int = VERSION
    core: str
    made: str
    of: Literal["workshop", "machine"]
    name: str
    rows: dict[str, int]


class _Archive:
    """An archive that is read: its manifest, its tables line by line, its files."""

    def __init__(self, file: Path | IO[bytes]) -> None:
        try:
            self.zip = zipfile.ZipFile(file)
            self.manifest = Manifest.model_validate_json(self.zip.read(_MANIFEST))
        except (OSError, KeyError, ValueError, zipfile.BadZipFile) as e:
            raise _bad("This is no archive of Kestov, or it is damaged.") from e
        if self.manifest.version != VERSION:
            raise _bad(f"This archive is of version {self.manifest.version}; this Kestov reads version {VERSION}.")
        self.size = sum(i.file_size for i in self.zip.infolist())

    def rows(self, label: str) -> Iterator[Row]:
        """The rows of a table; one that is not there has none."""
        try:
            table = self.zip.open(f"tables/{label}.jsonl")
        except KeyError:
            return
        with table:
            for n, line in enumerate(iter(lambda: table.readline(_MOST_LINE + 1), b""), 1):
                if len(line) > _MOST_LINE:
                    raise _bad(f"{label}, line {n}: too long.")
                try:
                    row = json.loads(line)
                except ValueError as e:
                    raise _bad(f"{label}, line {n}: this is no JSON.") from e
                if not isinstance(row, dict):
                    raise _bad(f"{label}, line {n}: this is no row.")
                yield row

    def object(self, model: type[Model], row: Row) -> Model:
        """A row as it is stored."""
        label = model._meta.label
        told: dict[str, Any] = {}
        try:
            for f in model._meta.concrete_fields:
                name = f.name if isinstance(f, BinaryField) else f.attname
                if name not in row or f.name in _LEFT_FIELDS.get(label, set()):
                    continue
                value = row[name]
                if isinstance(f, BinaryField):
                    pack = _PACKED.get(f"{label}.{f.name}", (bytes, bytes, ""))[1]
                    told[name] = None if value is None else pack(self.zip.read(str(value)))
                elif isinstance(f, ForeignKey):
                    told[name] = None if value is None else f.target_field.to_python(value)
                else:
                    told[name] = value if f.get_internal_type() == "JSONField" else f.to_python(value)
        except (ValidationError, KeyError, TypeError, ValueError, zlib.error) as e:
            raise _bad(f"{label}, row {row.get('id', '?')}: {f.name} cannot be read.") from e
        if label == "people.User":
            told["password"] = "!"
        return model(**told)


def _bad(words: str) -> Refused:
    return Refused(422, "bad_archive", words, "file")


@contextmanager
def _whole() -> Iterator[None]:
    """All of it, or nothing: what the database refuses is told as a bad archive."""
    try:
        with transaction.atomic():
            yield
    except (IntegrityError, DataError) as e:
        raise _bad(f"What it holds does not fit together: {str(e).splitlines()[0][:160]}") from e


def take_workshop(file: Path) -> Manifest:
    """Take a whole workshop into a database that holds none. Nobody can sign in until they were given a password (see docs/archive.md)."""
    got = _Archive(file)
    if got.manifest.of != "workshop":
        raise _bad("This is the archive of one machine: it is taken into a workshop that there is.")
    if User.objects.exists():
        raise Refused(
            409, "not_empty", "There is a workshop in this database already. An archive is taken into an empty one."
        )
    with _whole():
        known = tables()
        for model in known:
            _insert(model, ((row, got.object(model, row)) for row in got.rows(model._meta.label)))
            n = got.manifest.rows.get(model._meta.label, 0)
            if model._base_manager.count() != n:
                raise _bad(f"{model._meta.label}: the archive says {n} rows, and holds others.")
        with connection.cursor() as cursor:
            for sql in connection.ops.sequence_reset_sql(no_style(), known):
                cursor.execute(sql)
        _made_anew(None)
    return got.manifest


def _made_anew(printer: Printer | None) -> None:
    rebuild(None if printer is None else [printer])
    keep_missing()


def _insert(model: type[Model], rows: Iterator[tuple[Row, Model]]) -> None:
    """Insert rows, each after the one of the same table that it refers to."""
    itself = [f for f in _links(model) if f.related_model is model]
    there: set[Any] = set()
    waiting: list[tuple[Row, Model]] = []
    batch: list[tuple[Row, Model]] = []

    def put() -> None:
        model._base_manager.bulk_create([o for _, o in batch])
        for row, o in batch:
            there.add(o.pk)
            for many in model._meta.many_to_many:
                if row.get(many.name):
                    getattr(o, many.name).set(row[many.name])
        batch.clear()

    for row, o in rows:
        refers = {getattr(o, f.attname) for f in itself} - {None}
        if refers - there and itself:
            waiting.append((row, o))
            continue
        batch.append((row, o))
        if itself or len(batch) >= _BATCH:
            put()
    put()
    while waiting:
        ready = [(r, o) for r, o in waiting if not ({getattr(o, f.attname) for f in itself} - {None}) - there]
        if not ready:
            raise _bad(f"{model._meta.label}: rows that refer to what is not there.")
        batch += ready
        put()
        waiting = [(r, o) for r, o in waiting if o.pk not in there]


def take_machine(
    by: User, file: Path | IO[bytes], name: str = "", area_id: int | None = None, most: int | None = None
) -> Printer:
    """Take a machine with its history into this workshop. ``name``: another name for it here; ``area_id``: where it stands.

    Its model, types of parts and instruments are found again by their names where they are the same; people come as closed accounts: nobody is
    taken for somebody of the same name here.
    """
    got = _Archive(file)
    if got.manifest.of != "machine":
        raise _bad("This is the archive of a whole workshop: it is taken into an empty database by the command.")
    if most is not None and got.size > most:
        raise Refused(
            413,
            "too_large",
            "This archive is too large for the page: take it in by the command (docs/archive.md).",
            "file",
        )
    with _whole():
        moved: dict[str, dict[Any, Any]] = {}
        for label in _SHARED:
            moved[label] = _shared(got, label, moved, area_id)
        for model in tables():
            label = model._meta.label
            if label in _OF_A_MACHINE or label == "people.AuditEntry":
                moved[label] = _moved(got, model, moved, name)
        printer = Printer.objects.select_related("model").get(pk=next(iter(moved["workshop.Printer"].values())))
        _made_anew(printer)
        audit(by, "took in", printer, f"Took in {printer.name} with its history, from another workshop.")
    return printer


def _shared(got: _Archive, label: str, moved: dict[str, dict[Any, Any]], area_id: int | None) -> dict[Any, Any]:
    """What a machine shares with others: by its old key the one here."""
    model, out = apps.get_model(label), {}
    for row in got.rows(label):
        o = got.object(model, row)
        old, o.pk = o.pk, None
        same: Model | None = None
        if isinstance(o, User):
            o.username, o.is_active, o.role = _free(User, "username", o.username), False, "member"
        elif isinstance(o, Area):
            same = Area.objects.filter(pk=area_id).first() if area_id else Area.objects.filter(name=o.name).first()
        elif isinstance(o, PrinterModel):
            same = PrinterModel.objects.filter(name=o.name, description=o.description).first()
            o.name = o.name if same else _free(PrinterModel, "name", o.name)
        elif isinstance(o, PartType):
            same = PartType.objects.filter(name=o.name).first()
        elif isinstance(o, Instrument):
            same = Instrument.objects.filter(name=o.name, kind=o.kind).first()
            o.name = o.name if same else _free(Instrument, "name", o.name)
        elif isinstance(o, Limit):
            # A model that is here already has its limits.
            if o.model_id in moved["same models"]:
                continue
            o.model_id = moved["workshop.PrinterModel"][o.model_id]
        if same is None:
            o.save(force_insert=True)
        elif isinstance(o, PrinterModel):
            moved.setdefault("same models", {})[old] = same.pk
        out[old] = (same or o).pk
    if label == "workshop.PrinterModel":
        moved.setdefault("same models", {})
    return out


def _free(model: type[Model], field: str, wanted: str) -> str:
    """A name that is free here: as it was, else with a number."""
    most = getattr(model._meta.get_field(field), "max_length", None) or 80
    for n in range(1, 1000):
        name = wanted if n == 1 else f"{wanted[: most - 5]} ({n})"
        if not model._base_manager.filter(**{f"{field}__iexact": name}).exists():
            return name
    raise Refused(409, "taken", f"“{wanted}” is taken here, in a thousand ways.", "name")


def _moved(got: _Archive, model: type[Model], moved: dict[str, dict[Any, Any]], name: str) -> dict[Any, Any]:
    """The rows of a table under keys of their own here, referring to what they became here."""
    out: dict[Any, Any] = {}
    links, label = _links(model), model._meta.label

    def one(row: Row) -> Model:
        o = got.object(model, row)
        for f in links:
            value = getattr(o, f.attname)
            if value is None or f.related_model is model:
                continue
            assert isinstance(f.related_model, type)
            here = moved.get(f.related_model._meta.label, {})
            if value not in here and not f.null:
                raise _bad(f"{label}: a row refers to what is not in the archive.")
            setattr(o, f.attname, here.get(value))
        if isinstance(o, Printer):
            o.name = _free(Printer, "name", (name.strip() or o.name)[:40])
        if isinstance(o, AuditEntry):
            table = {"printer": "workshop.Printer", "case": "cases.Case"}.get(o.what, "")
            o.what_id = str(moved.get(table, {}).get(int(o.what_id), o.what_id))
        return o

    if label == "measuring.Capture":
        for row in got.rows(label):
            if row.get("procedure") not in procedures.names():
                raise _bad(f"{label}: this Kestov has no procedure “{row.get('procedure')}”.")
        ids = [row["id"] for row in got.rows(label)]
        if Capture.objects.filter(pk__in=ids).exists():
            raise Refused(
                409, "here_already", "This machine's measurements are here already: it was taken in before.", "file"
            )
        # Measurements keep their own ids: they are the same for ever, wherever they are.
        _insert(model, ((row, one(row)) for row in got.rows(label)))
        return {UUID(i): UUID(i) for i in ids}
    itself = [f for f in links if f.related_model is model]
    waiting = list(got.rows(label)) if itself else None
    for row in waiting or got.rows(label):
        o = one(row)
        old, o.pk = o.pk, None
        for f in itself:
            setattr(o, f.attname, out.get(getattr(o, f.attname)))
        o.save(force_insert=True)
        out[old] = o.pk
    return out
