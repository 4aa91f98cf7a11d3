"""What was measured: captures (raw, never changed) and results (derived, stamped with the core's version)."""

from __future__ import annotations

import hashlib
import uuid
import zlib
from typing import Any

from django.db import models
from kestov_core import CORE_VERSION, procedures
from people.models import User
from workshop.models import Instrument, Printer


class Capture(models.Model):
    """One measurement as it came: the file or the typed readings, the context, the circumstances, and who took it.

    ``data`` is the file, compressed; null where all of it stands in ``context``. A trigger in the database refuses
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
    sha256 = models.CharField(max_length=64, blank=True)
    source = models.CharField(max_length=12)
    circumstances = models.JSONField(default=dict)
    instrument = models.ForeignKey(Instrument, null=True, on_delete=models.PROTECT, related_name="+")
    taken_at = models.DateTimeField()
    taken_by = models.ForeignKey(User, null=True, on_delete=models.SET_NULL, related_name="+")
    case = models.ForeignKey("cases.Case", null=True, on_delete=models.SET_NULL, related_name="captures")
    round = models.PositiveSmallIntegerField(default=1)
    supersedes = models.ForeignKey("self", null=True, on_delete=models.PROTECT, related_name="superseded_by")

    class Meta:
        ordering = ["-taken_at"]
        indexes = [models.Index(fields=["printer", "place", "-taken_at"])]

    def raw(self) -> bytes | None:
        """The file as it came."""
        return None if self.data is None else zlib.decompress(bytes(self.data))

    def put(self, data: bytes, name: str) -> None:
        """Take a file in, before the first save."""
        # A large table is packed quickly rather than tightly.
        self.data = zlib.compress(data, 6 if len(data) < 4_000_000 else 1)
        self.data_name, self.data_bytes = name[:120], len(data)
        self.sha256 = hashlib.sha256(data).hexdigest()

    def compute(self) -> Result:
        """Run the core on this capture and keep the result. Raises the core's `BadInput`."""
        from people.clock import now

        # What an earlier core took is told to today's in its words; what was typed stays as it came.
        first_result = self.results.order_by("computed_at").first()
        context = self.context
        if first_result is not None:
            context = procedures.get(self.procedure).of_old(context, first_result.core_version)
        found = procedures.run(self.procedure, context, self.raw()).model_dump(mode="json")
        first = found["judged"][0]["quantity"] if found["judged"] else {}
        return Result.objects.create(
            capture=self,
            core_version=CORE_VERSION,
            found=found,
            verdict=found["verdict"],
            value=first.get("value"),
            u95=first.get("u95"),
            unit=first.get("unit") or "",
            computed_at=now(),
        )

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

    @property
    def headline(self) -> dict[str, Any] | None:
        """The figure that stands for it in lists and trends; None where it has none. Read from its row, not from ``found``."""
        return None if self.value is None else {"value": self.value, "u95": self.u95, "unit": self.unit}


class StoredValue(models.Model):
    """The settings ledger: a value set on a machine, what it was before, why, and by whom. Rows are only ever added."""

    printer = models.ForeignKey(Printer, on_delete=models.PROTECT, related_name="ledger")
    name = models.CharField(max_length=40)
    value = models.FloatField()
    was = models.FloatField(null=True)
    unit = models.CharField(max_length=12)
    reason = models.CharField(max_length=200, blank=True)
    capture = models.ForeignKey(Capture, null=True, on_delete=models.PROTECT, related_name="+")
    by = models.ForeignKey(User, null=True, on_delete=models.SET_NULL, related_name="+")
    at = models.DateTimeField()

    class Meta:
        ordering = ["-at", "-id"]
        indexes = [models.Index(fields=["printer", "name", "-at"])]


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
    by = models.ForeignKey(User, on_delete=models.CASCADE, related_name="+")
    at = models.DateTimeField()

    class Meta:
        ordering = ["number"]
        constraints = [models.UniqueConstraint(fields=["recording", "number"], name="chunk_once")]


def latest_results(printer: Printer) -> list[tuple[Capture, Result]]:
    """The newest capture of each procedure at each place, with its newest result; superseded captures are passed over."""
    captures = (
        Capture.objects.filter(printer=printer, superseded_by__isnull=True)
        .defer("data")
        .prefetch_related("results")
        .order_by("place", "procedure", "-taken_at")
        .distinct("place", "procedure")
    )
    return [(c, r) for c in captures if (r := c.latest()) is not None]
