"""What was measured and turned: captures (raw, never changed), results (derived, stamped with the core's version), actions."""

from __future__ import annotations

import hashlib
import uuid
import zlib
from datetime import datetime
from typing import Any

from django.db import models
from kestov_core import CORE_VERSION, procedures
from kestov_core.tables.mapping import TableMap, as_read
from people.models import User
from work.models import Work
from workshop.models import Instrument, Printer


class CaptureQuery(models.QuerySet["Capture"]):
    """Questions about captures."""

    def current(self) -> CaptureQuery:
        """Those that no correction has replaced."""
        # Said so, PostgreSQL walks them newest first and stops; over a join with "is null" it sorts all of a machine's life.
        return self.filter(~models.Exists(Capture.objects.filter(supersedes=models.OuterRef("pk"))))


class Capture(models.Model):
    """One measurement as it came: the file or the typed readings, the context, the circumstances, and who took it.

    ``data`` is the file, compressed; null where all of it stands in ``context``. ``columns``: which column of it is which,
    where an instrument wrote it in its own way. A trigger in the database refuses
    any change to these columns. A correction is a new capture that supersedes.
    """

    id = models.UUIDField(primary_key=True, default=uuid.uuid4)
    printer = models.ForeignKey(Printer, on_delete=models.PROTECT, related_name="captures")
    place = models.CharField(max_length=5)
    procedure = models.CharField(max_length=40)
    context = models.JSONField()
    data = models.BinaryField(null=True)
    data_name = models.CharField(max_length=120, blank=True)
    data_bytes = models.PositiveIntegerField(default=0)
    columns = models.JSONField(null=True)
    sha256 = models.CharField(max_length=64, blank=True)
    source = models.CharField(max_length=12)
    circumstances = models.JSONField(default=dict)
    instrument = models.ForeignKey(Instrument, null=True, on_delete=models.PROTECT, related_name="+")
    taken_at = models.DateTimeField()
    taken_by = models.ForeignKey(User, null=True, on_delete=models.SET_NULL, related_name="+")
    case = models.ForeignKey("cases.Case", null=True, on_delete=models.SET_NULL, related_name="captures")
    round = models.PositiveSmallIntegerField(default=1)
    supersedes = models.ForeignKey("self", null=True, on_delete=models.PROTECT, related_name="superseded_by")

    objects = CaptureQuery.as_manager()

    class Meta:
        ordering = ["-taken_at"]
        indexes = [
            models.Index(fields=["printer", "place", "-taken_at"]),
            models.Index(fields=["printer", "-taken_at"]),
        ]

    def raw(self) -> bytes | None:
        """The file as it came."""
        return None if self.data is None else zlib.decompress(bytes(self.data))

    def table(self) -> bytes | None:
        """The file as its procedure reads it. Raises the core's `BadInput`."""
        raw = self.raw()
        if raw is None or self.columns is None:
            return raw
        return as_read(procedures.get(self.procedure), raw, TableMap.model_validate(self.columns))

    def put(self, data: bytes, name: str) -> None:
        """Take a file in, before the first save."""
        # A large table is packed quickly rather than tightly.
        self.data = zlib.compress(data, 6 if len(data) < 4_000_000 else 1)
        self.data_name, self.data_bytes = name[:120], len(data)
        self.sha256 = hashlib.sha256(data).hexdigest()

    def find(self) -> dict[str, Any]:
        """What the core finds in this capture, as it is kept. Raises the core's `BadInput`."""
        # What an earlier core took is told to today's in its words; what was typed stays as it came.
        first_result = self.results.order_by("computed_at").first()
        context = self.context
        if first_result is not None:
            context = procedures.get(self.procedure).of_old(context, first_result.core_version)
        found: dict[str, Any] = procedures.run(self.procedure, context, self.table()).model_dump(mode="json")
        return found

    def compute(self) -> Result:
        """Run the core on this capture and keep the result. Raises the core's `BadInput`."""
        from people.clock import now

        from .standing import refresh

        result = Result.of(self, self.find(), now())
        refresh(self.printer, self.place, self.procedure)
        return result

    def latest(self) -> Result | None:
        """The newest result of this capture."""
        return next(iter(sorted(self.results.all(), key=lambda r: r.computed_at, reverse=True)), None)


class Result(models.Model):
    """What the core made of a capture, with the version that did. The headline figure is kept beside it for trends."""

    capture = models.ForeignKey(Capture, on_delete=models.CASCADE, related_name="results")
    core_version = models.CharField(max_length=20)
    found = models.JSONField()
    verdict = models.CharField(max_length=20)
    value = models.FloatField(null=True)
    u95 = models.FloatField(null=True)
    unit = models.CharField(max_length=12, blank=True)
    computed_at = models.DateTimeField()

    class Meta:
        ordering = ["-computed_at"]

    @classmethod
    def of(cls, capture: Capture, found: dict[str, Any], moment: datetime, core: str = CORE_VERSION) -> Result:
        """Keep what the core, today's where no other is named, found in a capture."""
        first = found["judged"][0]["quantity"] if found["judged"] else {}
        return cls.objects.create(
            capture=capture,
            core_version=core,
            found=found,
            verdict=found["verdict"],
            value=first.get("value"),
            u95=first.get("u95"),
            unit=first.get("unit") or "",
            computed_at=moment,
        )

    @property
    def headline(self) -> dict[str, Any] | None:
        """The figure that stands for it in lists and trends; None where it has none. Read from its row, not from ``found``."""
        return None if self.value is None else {"value": self.value, "u95": self.u95, "unit": self.unit}

    @property
    def judged(self) -> list[dict[str, Any]]:
        """Its figures as they were judged, the headline first; of an earlier core, which did not tell them so, the headline alone."""
        if "judged" in self.found:
            return list(self.found["judged"])
        return [{"words": "Measured", "quantity": self.headline, "verdict": self.verdict}] if self.headline else []


class Recomputed(models.Model):
    """What today's core finds in a capture, beside the result that stands, until somebody accepts it or leaves it.

    ``was``: the verdict that stands. ``refused``: why today's core does not take the capture (then nothing was found).
    """

    work = models.ForeignKey(Work, on_delete=models.CASCADE, related_name="+")
    capture = models.ForeignKey(Capture, on_delete=models.CASCADE, related_name="+")
    found = models.JSONField(null=True)
    was = models.CharField(max_length=20, blank=True)
    verdict = models.CharField(max_length=20, blank=True)
    refused = models.CharField(max_length=300, blank=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["work", "capture"], name="recomputed_once")]


class StoredValue(models.Model):
    """The settings ledger: a value set on a machine, what it was before, why, and by whom. Rows are only ever added.

    ``text``: of a kind that is words and no figure (firmware build, board, wiring, bed map).
    """

    printer = models.ForeignKey(Printer, on_delete=models.PROTECT, related_name="ledger")
    name = models.CharField(max_length=40)
    value = models.FloatField(null=True)
    text = models.CharField(max_length=2000, blank=True)
    was = models.FloatField(null=True)
    unit = models.CharField(max_length=12)
    reason = models.CharField(max_length=200, blank=True)
    capture = models.ForeignKey(Capture, null=True, on_delete=models.PROTECT, related_name="+")
    by = models.ForeignKey(User, null=True, on_delete=models.SET_NULL, related_name="+")
    at = models.DateTimeField()

    class Meta:
        ordering = ["-at", "-id"]
        indexes = [models.Index(fields=["printer", "name", "-at"])]
        constraints = [
            models.CheckConstraint(
                condition=models.Q(value__isnull=False) | ~models.Q(text=""), name="stored_figure_or_words"
            )
        ]


class ReadBack(models.Model):
    """What a machine printed of its settings, as it came; which of the ledger's values it agreed with then. Rows are only ever added."""

    printer = models.ForeignKey(Printer, on_delete=models.PROTECT, related_name="read_backs")
    text = models.TextField()
    agreed = models.JSONField(default=list)
    differed = models.JSONField(default=list)
    by = models.ForeignKey(User, null=True, on_delete=models.SET_NULL, related_name="+")
    at = models.DateTimeField()

    class Meta:
        ordering = ["-at", "-id"]
        indexes = [models.Index(fields=["printer", "-at"])]


class Action(models.Model):
    """What was done to a machine: what was turned, how far, by whom. ``turns`` positive tightens (mm for sliders).

    Of kind ``turn``: ``target`` was turned by what ``procedure`` had found at the place; positive is the first of its two ways.

    Of kind ``repair``: a remedy of the knowledge, for ``fault`` at ``place``; ``helped`` is null until it has been seen.
    """

    printer = models.ForeignKey(Printer, on_delete=models.PROTECT, related_name="actions")
    case = models.ForeignKey("cases.Case", null=True, on_delete=models.SET_NULL, related_name="actions")
    place = models.CharField(max_length=5)
    kind = models.CharField(max_length=30, default="turn_tensioner")
    turns = models.FloatField(null=True)
    unit = models.CharField(max_length=8, default="turns")
    direction = models.CharField(max_length=14, blank=True)
    advised = models.FloatField(null=True)
    round = models.PositiveSmallIntegerField(default=1)
    procedure = models.CharField(max_length=40, blank=True)
    target = models.CharField(max_length=40, blank=True)
    fault = models.CharField(max_length=40, blank=True)
    helped = models.BooleanField(null=True)
    note = models.CharField(max_length=300, blank=True)
    by = models.ForeignKey(User, null=True, on_delete=models.SET_NULL, related_name="+")
    at = models.DateTimeField()

    class Meta:
        ordering = ["at", "id"]


class Standing(models.Model):
    """Where a place of a machine stands by one procedure: its newest result, how it was judged, and what has overtaken it.

    Kept up to date in the transaction that stores a result or a change (`standing`), so that no page reads the history.
    ``lost``: how often in the last half year it went from within its limits to outside without being touched. ``doubt``:
    what was changed since, in words (empty: nothing), and when. ``reaches_at``: the earliest day on which its course may reach a limit.
    """

    printer = models.ForeignKey(Printer, on_delete=models.CASCADE, related_name="standings")
    place = models.CharField(max_length=5)
    procedure = models.CharField(max_length=40)
    capture = models.ForeignKey(Capture, on_delete=models.CASCADE, related_name="+")
    taken_at = models.DateTimeField()
    verdict = models.CharField(max_length=20)
    words = models.CharField(max_length=120, blank=True)
    value = models.FloatField(null=True)
    u95 = models.FloatField(null=True)
    unit = models.CharField(max_length=12, blank=True)
    low = models.FloatField(null=True)
    high = models.FloatField(null=True)
    source = models.CharField(max_length=12, blank=True)
    lost = models.PositiveSmallIntegerField(default=0)
    doubt = models.CharField(max_length=160, blank=True)
    doubt_at = models.DateTimeField(null=True)
    reaches_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["place", "procedure"]
        constraints = [models.UniqueConstraint(fields=["printer", "place", "procedure"], name="standing_once")]

    @property
    def quantity(self) -> dict[str, Any] | None:
        """The headline figure; None where it has none."""
        return None if self.value is None else {"value": self.value, "u95": self.u95, "unit": self.unit}


class WallPicture(models.Model):
    """A photograph of a printed wall, what was marked in it, and the spacing that came of it."""

    printer = models.ForeignKey(Printer, on_delete=models.PROTECT, related_name="wall_pictures")
    image = models.BinaryField()
    kind = models.CharField(max_length=20)
    width = models.PositiveIntegerField()
    height = models.PositiveIntegerField()
    marks = models.JSONField(null=True)
    found = models.JSONField(null=True)
    by = models.ForeignKey(User, null=True, on_delete=models.SET_NULL, related_name="+")
    at = models.DateTimeField()

    class Meta:
        ordering = ["-at"]


class Chunk(models.Model):
    """A piece of a recording that is still being taken: 16-bit mono samples, in order of ``number``."""

    recording = models.UUIDField()
    number = models.PositiveIntegerField()
    rate_hz = models.PositiveIntegerField()
    samples = models.BinaryField()
    # What was heard up to here: plucks and pitch, so that the earlier sound is not heard again.
    heard = models.JSONField(null=True)
    by = models.ForeignKey(User, on_delete=models.CASCADE, related_name="+")
    at = models.DateTimeField()

    class Meta:
        ordering = ["number"]
        constraints = [models.UniqueConstraint(fields=["recording", "number"], name="chunk_once")]


class TableMapping(models.Model):
    """How an instrument's own tables are read for a procedure, as it was told the last time."""

    instrument = models.ForeignKey(Instrument, on_delete=models.CASCADE, related_name="tables")
    procedure = models.CharField(max_length=40)
    columns = models.JSONField()
    at = models.DateTimeField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["instrument", "procedure"], name="table_mapping_once")]


class DoubtMend(models.Model):
    """One thing that the workshop has changed of what an event puts in doubt. The newest of a field holds; ``value`` null: as it came."""

    event = models.CharField(max_length=40)
    field = models.CharField(max_length=20)
    value = models.JSONField(null=True)
    why = models.CharField(max_length=300, blank=True)
    by = models.ForeignKey(User, null=True, on_delete=models.SET_NULL, related_name="+")
    at = models.DateTimeField()

    class Meta:
        ordering = ["at", "id"]
        indexes = [models.Index(fields=["event", "field", "-at"])]


class OwnPart(models.Model):
    """A part of the workshop's own that is measured: its places, entered once, on its picture; its model to print, where there is one.

    ``places``: `own_parts.OwnPlace`, in the order in which they are measured. ``retired_at``: no longer offered.
    """

    name = models.CharField(max_length=60, unique=True)
    words = models.CharField(max_length=300, blank=True)
    places = models.JSONField()
    image = models.BinaryField()
    width = models.PositiveIntegerField()
    height = models.PositiveIntegerField()
    mesh = models.BinaryField(null=True)
    by = models.ForeignKey(User, null=True, on_delete=models.SET_NULL, related_name="+")
    at = models.DateTimeField()
    retired_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["name"]


class InstrumentCheck(models.Model):
    """An instrument held against something known: what was read, and what the core made of it. Rows are only ever added."""

    instrument = models.ForeignKey(Instrument, on_delete=models.PROTECT, related_name="checks")
    against = models.CharField(max_length=120)
    context = models.JSONField()
    found = models.JSONField()
    core_version = models.CharField(max_length=20)
    by = models.ForeignKey(User, null=True, on_delete=models.SET_NULL, related_name="+")
    at = models.DateTimeField()

    class Meta:
        ordering = ["-at", "-id"]


class Study(models.Model):
    """The same pieces measured with one instrument several times by two or more people.

    ``people``: ``[{id, name}]``, as they were called when it was set up. ``pieces``: what each is called. ``times``: how often
    each person measures each. ``found``: what the core makes of all readings; null while some are missing. ``counts_since``:
    from then on a reading with this instrument is taken to be as good as it says.
    """

    instrument = models.ForeignKey(Instrument, on_delete=models.PROTECT, related_name="studies")
    what = models.CharField(max_length=120)
    people = models.JSONField()
    pieces = models.JSONField()
    times = models.PositiveSmallIntegerField()
    unit = models.CharField(max_length=12)
    tolerance = models.FloatField(null=True)
    found = models.JSONField(null=True)
    core_version = models.CharField(max_length=20, blank=True)
    by = models.ForeignKey(User, null=True, on_delete=models.SET_NULL, related_name="+")
    at = models.DateTimeField()
    counts_since = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-at", "-id"]


class StudyReading(models.Model):
    """One reading of a study. ``position``: its number in that person's own order; ``withdrawn_at``: it was a slip, and taken again."""

    study = models.ForeignKey(Study, on_delete=models.CASCADE, related_name="readings")
    person = models.PositiveIntegerField()
    position = models.PositiveSmallIntegerField()
    piece = models.PositiveSmallIntegerField()
    value = models.FloatField()
    by = models.ForeignKey(User, null=True, on_delete=models.SET_NULL, related_name="+")
    at = models.DateTimeField()
    withdrawn_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["person", "position", "id"]
        constraints = [
            models.UniqueConstraint(
                fields=["study", "person", "position"],
                condition=models.Q(withdrawn_at__isnull=True),
                name="study_reading_once",
            )
        ]
