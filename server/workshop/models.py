"""The room and what stands in it: areas, printer models with their limits, printers, components, instruments."""

from __future__ import annotations

import copy
import itertools
import json
from collections.abc import Sequence
from functools import lru_cache
from typing import Any

from django.core.exceptions import ValidationError
from django.db import models
from kestov_core import procedures
from kestov_core.condition.components import positions
from kestov_core.errors import BadInput
from kestov_core.machine import Description


class Area(models.Model):
    """A part of the room."""

    name = models.CharField(max_length=60, unique=True)
    position = models.PositiveSmallIntegerField(default=0)

    class Meta:
        ordering = ["position", "name"]


def _validate_description(value: Any) -> None:
    try:
        procedures.parse(Description, value)
    except BadInput as e:
        raise ValidationError(e.message) from e


@lru_cache(maxsize=512)
def described(text: str) -> Description:
    """A description from its JSON; shared, not to be changed."""
    return Description.model_validate_json(text)


class PrinterModel(models.Model):
    """A model of printer: its motion system, described once in the core's shape."""

    name = models.CharField(max_length=60, unique=True)
    kinematics = models.CharField(max_length=20)
    description = models.JSONField(validators=[_validate_description])
    notes = models.TextField(blank=True)
    # Confirmed causes count into the weighing from here on; null: all of them.
    learned_since = models.DateTimeField(null=True)

    class Meta:
        ordering = ["name"]

    def told(self) -> str:
        """The description as JSON: what it is known by, whichever machine asks."""
        read = self.__dict__.get("_read")
        if read is None or read[0] is not self.description:
            read = self.__dict__["_read"] = (self.description, json.dumps(self.description))
        text: str = read[1]
        return text

    def motion(self) -> Description:
        """The motion system in the core's shape; shared, not to be changed."""
        return described(self.told())

    def save(self, *args: Any, **kwargs: Any) -> None:
        _validate_description(self.description)
        self.kinematics = self.description["kinematics"]
        super().save(*args, **kwargs)


class School(models.Model):
    """What the workshop holds with where practitioners differ: by the question's name, the answer's."""

    what = models.CharField(max_length=20, primary_key=True)
    choice = models.CharField(max_length=20)

    class Meta:
        ordering = ["what"]


class Limit(models.Model):
    """A tolerance of a model at a place, with where it comes from. ``what``: ``tension``, ``imbalance``, ``tracking`` …"""

    model = models.ForeignKey(PrinterModel, on_delete=models.CASCADE, related_name="limits")
    what = models.CharField(max_length=30)
    place = models.CharField(max_length=5)
    low = models.FloatField(null=True)
    high = models.FloatField(null=True)
    unit = models.CharField(max_length=12)
    source = models.CharField(max_length=120)

    class Meta:
        ordering = ["what", "place"]
        constraints = [
            models.UniqueConstraint(fields=["model", "what", "place"], name="limit_once"),
            models.CheckConstraint(
                condition=models.Q(low__isnull=True) | models.Q(high__isnull=True) | models.Q(low__lt=models.F("high")),
                name="limit_in_order",
            ),
        ]


class Printer(models.Model):
    """A machine. ``simulated`` holds the true state of a stand-in; null for a real machine."""

    name = models.CharField(max_length=40, unique=True)
    model = models.ForeignKey(PrinterModel, on_delete=models.PROTECT, related_name="printers")
    area = models.ForeignKey(Area, on_delete=models.PROTECT, related_name="printers")
    position = models.PositiveSmallIntegerField(default=0)
    serial = models.CharField(max_length=40, blank=True)
    in_use_since = models.DateField(null=True)
    # Null: nobody told.
    warranty_until = models.DateField(null=True)
    simulated = models.JSONField(null=True)
    tagged_out = models.CharField(max_length=200, blank=True)
    tagged_out_by = models.ForeignKey("people.User", null=True, on_delete=models.SET_NULL, related_name="+")
    tagged_out_at = models.DateTimeField(null=True)
    retired = models.BooleanField(default=False)
    # Where it differs from its model today, as [path, value]: kept by `differences`, whose rows are the history.
    differs = models.JSONField(default=list)

    class Meta:
        ordering = ["area__position", "position", "name"]
        constraints = [
            models.CheckConstraint(
                condition=models.Q(tagged_out="") | models.Q(tagged_out_at__isnull=False), name="tag_has_a_time"
            )
        ]

    @classmethod
    def on_the_floor(cls, **which: Any) -> list[Printer]:
        """The machines in use, each with its model: one of a kind is read once, not with every machine. ``which``: of those, as a
        query has it.
        """
        rows = list(cls.objects.filter(retired=False, **which).select_related("area").defer("simulated"))
        models = PrinterModel.objects.in_bulk({p.model_id for p in rows})
        for p in rows:
            p.model = models[p.model_id]
        return sorted(rows, key=lambda p: (p.area.position, p.area.name, p.position, p.name))

    def told(self) -> str:
        """Its description as JSON: that of its model, but for what differs on this machine."""
        return json.dumps(put(self.model.description, self.differs)) if self.differs else self.model.told()

    def motion(self) -> Description:
        """Its motion system; shared, not to be changed."""
        return described(self.told())


def of_these(printers: Sequence[Printer]) -> models.Q:
    """What belongs to these machines; of many, what belongs to any on the floor: quicker asked for than by their names."""
    if len(printers) > 20:
        return models.Q(printer__retired=False)
    return models.Q(printer__in=[p.pk for p in printers])


def put(description: dict[str, Any], differs: list[Any]) -> dict[str, Any]:
    """A description with single values put in their places (a path of keys and numbers each)."""
    out: dict[str, Any] = copy.deepcopy(description)
    for path, value in differs:
        node: Any = out
        for key, after in itertools.pairwise(path):
            blank: Any = [] if isinstance(after, int) else {}
            if isinstance(node, list):
                node.extend({} for _ in range(key + 1 - len(node)))
                node = node[key]
            else:
                node = node.setdefault(key, blank)
        if isinstance(node, dict):
            node[path[-1]] = value
    return out


class Difference(models.Model):
    """A value in which a machine differs from its model: since when, and why. Rows are only ever added; null: as the model again."""

    printer = models.ForeignKey(Printer, on_delete=models.CASCADE, related_name="differences")
    path = models.JSONField()
    words = models.CharField(max_length=120)
    value = models.JSONField(null=True)
    shown = models.CharField(max_length=80)
    since = models.DateField()
    reason = models.CharField(max_length=200)
    by = models.ForeignKey("people.User", null=True, on_delete=models.SET_NULL, related_name="+")
    at = models.DateTimeField()

    class Meta:
        ordering = ["-at", "-id"]


class PartType(models.Model):
    """A part that can be fitted in a position: of which kind, and what is known of its life here (null: typical of its kind)."""

    name = models.CharField(max_length=80, unique=True)
    kind = models.CharField(max_length=30)
    life_hours = models.FloatField(null=True)
    lubricant = models.CharField(max_length=200, blank=True)
    notes = models.CharField(max_length=400, blank=True)
    # Which models it fits (none: all), and in which places there (none: all of its kind).
    fits: models.ManyToManyField[PrinterModel, Any] = models.ManyToManyField(PrinterModel, related_name="part_types")
    places = models.JSONField(default=list)

    class Meta:
        ordering = ["kind", "name"]
        constraints = [
            models.CheckConstraint(
                condition=models.Q(life_hours__isnull=True) | models.Q(life_hours__gt=0), name="a_life_is_above_zero"
            )
        ]


class Component(models.Model):
    """A part in a named position of a printer. ``place``: the axis or belt it belongs to; ``kind``: as the knowledge names it.

    ``fitted_hours``, ``removed_hours``: the machine's hours then, where they were known. ``removed_because``: it ``failed``, was
    ``worn``, was taken out ``sound``, or was ``moved`` to another machine.
    """

    printer = models.ForeignKey(Printer, on_delete=models.CASCADE, related_name="components")
    place = models.CharField(max_length=5)
    kind = models.CharField(max_length=30)
    label = models.CharField(max_length=80)
    type = models.ForeignKey(PartType, null=True, on_delete=models.PROTECT, related_name="components")
    fitted_on = models.DateField(null=True)
    fitted_hours = models.FloatField(null=True)
    removed_on = models.DateField(null=True)
    removed_hours = models.FloatField(null=True)
    removed_because = models.CharField(max_length=8, blank=True)
    # Hours that it had run on other machines before.
    brought_hours = models.FloatField(default=0.0)
    # What the newest look found wrong with it, until it is seen to (empty: nothing); kept with the deeds, so that no page reads them.
    trouble = models.CharField(max_length=300, blank=True)

    class Meta:
        ordering = ["place", "kind", "label"]
        constraints = [
            models.UniqueConstraint(
                fields=["printer", "place", "kind", "label"],
                condition=models.Q(removed_on__isnull=True),
                name="one_part_in_a_position",
            )
        ]
        indexes = [
            models.Index(
                fields=["printer"], name="parts_in_trouble", condition=models.Q(removed_on=None) & ~models.Q(trouble="")
            )
        ]


class Deed(models.Model):
    """What was done to a part: fitted, inspected, adjusted, lubricated, taken out; when, at how many hours, by whom.

    ``found``: of an inspection, ``sound`` or ``trouble``; ``words``: what was found, or why; ``used``: with what it was lubricated.
    """

    component = models.ForeignKey(Component, on_delete=models.CASCADE, related_name="deeds")
    did = models.CharField(max_length=12)
    at = models.DateTimeField()
    hours = models.FloatField(null=True)
    found = models.CharField(max_length=8, blank=True)
    words = models.CharField(max_length=300, blank=True)
    used = models.CharField(max_length=120, blank=True)
    by = models.ForeignKey("people.User", null=True, on_delete=models.SET_NULL, related_name="+")

    class Meta:
        ordering = ["-at", "-id"]
        indexes = [models.Index(fields=["component", "-at"])]


class DeedPicture(models.Model):
    """A picture of what was found or done; re-encoded on the way in."""

    deed = models.OneToOneField(Deed, on_delete=models.CASCADE, related_name="picture")
    image = models.BinaryField()
    width = models.PositiveIntegerField()
    height = models.PositiveIntegerField()
    by = models.ForeignKey("people.User", null=True, on_delete=models.SET_NULL, related_name="+")
    at = models.DateTimeField()


class MeterReading(models.Model):
    """What a machine's own meter showed: print hours, and filament (kg) and travel by axis (km) where it counts them. Rows are only ever added.

    ``reset``: the meter began anew before this reading (a replaced board): what it had shown before is kept beneath.
    """

    printer = models.ForeignKey(Printer, on_delete=models.CASCADE, related_name="meter_readings")
    hours = models.FloatField()
    filament_kg = models.FloatField(null=True)
    travel_km = models.JSONField(default=dict)
    reset = models.BooleanField(default=False)
    at = models.DateTimeField()
    by = models.ForeignKey("people.User", null=True, on_delete=models.SET_NULL, related_name="+")

    class Meta:
        ordering = ["at", "id"]
        indexes = [models.Index(fields=["printer", "at"])]
        constraints = [models.CheckConstraint(condition=models.Q(hours__gte=0), name="hours_above_zero")]


class MeterNow(models.Model):
    """Where a machine's hours stand: the last that is known (null: nothing is), and its use of late. Made from readings and logs, in the
    transaction that adds to them, so that no page of many machines reads those.
    """

    printer = models.OneToOneField(Printer, on_delete=models.CASCADE, primary_key=True, related_name="+")
    at = models.DateTimeField(null=True)
    hours = models.FloatField(null=True)
    a_day = models.FloatField(null=True)
    u95 = models.FloatField(null=True)


class JobLog(models.Model):
    """A list of jobs as a machine wrote it, kept as it came. ``taken_at``: when its jobs were taken; null while it waits, or was refused.

    ``columns``: which of its columns is which; ``wrong``: the rows for which it was refused; ``new``: how many of its jobs were not known.
    """

    printer = models.ForeignKey(Printer, on_delete=models.CASCADE, related_name="job_logs")
    name = models.CharField(max_length=120)
    data = models.BinaryField()
    columns = models.JSONField()
    wrong = models.JSONField(default=list)
    jobs = models.PositiveIntegerField(default=0)
    new = models.PositiveIntegerField(default=0)
    began = models.DateTimeField(null=True)
    ended = models.DateTimeField(null=True)
    at = models.DateTimeField()
    taken_at = models.DateTimeField(null=True)
    by = models.ForeignKey("people.User", null=True, on_delete=models.SET_NULL, related_name="+")

    class Meta:
        ordering = ["-at", "-id"]


class LoggedJob(models.Model):
    """A job that a log told of. A machine begins a file once at a moment: the same log twice makes no second row."""

    printer = models.ForeignKey(Printer, on_delete=models.CASCADE, related_name="+")
    began = models.DateTimeField()
    ended = models.DateTimeField()
    name = models.CharField(max_length=80, blank=True)
    filament_kg = models.FloatField(null=True)
    travel_km = models.JSONField(default=dict)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["printer", "began", "name"], name="a_job_once")]
        indexes = [models.Index(fields=["printer", "ended"])]


class LoggedWeek(models.Model):
    """What the jobs of a week (from Monday) add up to; made from them."""

    printer = models.ForeignKey(Printer, on_delete=models.CASCADE, related_name="+")
    monday = models.DateField()
    hours = models.FloatField()
    filament_kg = models.FloatField(null=True)
    travel_km = models.JSONField(default=dict)

    class Meta:
        ordering = ["monday"]
        constraints = [models.UniqueConstraint(fields=["printer", "monday"], name="a_week_once")]


class Instrument(models.Model):
    """What measures: resolution and own uncertainty in ``unit``; when it was checked, against what, and until when."""

    name = models.CharField(max_length=60, unique=True)
    kind = models.CharField(max_length=30)
    resolution = models.FloatField(null=True)
    u95 = models.FloatField(null=True)
    unit = models.CharField(max_length=12)
    checked_on = models.DateField(null=True)
    checked_against = models.CharField(max_length=120, blank=True)
    check_due = models.DateField(null=True)
    # What its newest check found against it, in words.
    found_off = models.CharField(max_length=160, blank=True)
    # host:port of one that answers on the network (docs/instruments.md).
    address = models.CharField(max_length=120, blank=True)

    class Meta:
        ordering = ["kind", "name"]


def fit_out(printer: Printer) -> None:
    """Give a new printer the components that its model's motion system has, in named positions."""
    Component.objects.bulk_create(
        Component(printer=printer, place=p.place, kind=p.kind.id, label=p.label, fitted_on=printer.in_use_since)
        for p in positions(printer.motion())
    )


class Event(models.Model):
    """Something that was done to a machine or happened to it, by an id that the knowledge of faults knows.

    ``place``: where on it, where that is told; what it puts in doubt then reaches no further than it can.
    """

    printer = models.ForeignKey(Printer, on_delete=models.CASCADE, related_name="events")
    event = models.CharField(max_length=40)
    place = models.CharField(max_length=5, blank=True)
    at = models.DateTimeField()
    by = models.ForeignKey("people.User", null=True, on_delete=models.SET_NULL, related_name="+")
    note = models.CharField(max_length=200, blank=True)

    class Meta:
        ordering = ["-at"]
        indexes = [models.Index(fields=["printer", "-at"])]
