"""Service of machines: what was done of its tasks, and what a machine itself asks for."""

from __future__ import annotations

from django.db import models
from people.models import User
from workshop.models import Printer, PrinterModel


class Done(models.Model):
    """A task of a round that was done on a machine: when, at what its meters stood then, and what was found.

    ``found``: ``fine``, ``needed`` (it was wanted), ``trouble`` (in ``words``). Rows are only ever added.
    """

    printer = models.ForeignKey(Printer, on_delete=models.CASCADE, related_name="service_done")
    task = models.CharField(max_length=30)
    # As it was called then: a task may be reworded, or no longer be there.
    label = models.CharField(max_length=80, blank=True)
    found = models.CharField(max_length=8)
    words = models.CharField(max_length=300, blank=True)
    hours = models.FloatField(null=True)
    kg = models.FloatField(null=True)
    km = models.FloatField(null=True)
    at = models.DateTimeField()
    by = models.ForeignKey(User, null=True, on_delete=models.SET_NULL, related_name="+")

    class Meta:
        ordering = ["-at", "-id"]
        indexes = [models.Index(fields=["printer", "task", "-at"])]


class Asked(models.Model):
    """What a machine itself asks for, in its words; ``cleared_at`` null: not done and cleared on it yet. ``task``: which it means, if told."""

    printer = models.ForeignKey(Printer, on_delete=models.CASCADE, related_name="service_asked")
    words = models.CharField(max_length=200)
    task = models.CharField(max_length=30, blank=True)
    at = models.DateTimeField()
    by = models.ForeignKey(User, null=True, on_delete=models.SET_NULL, related_name="+")
    cleared_at = models.DateTimeField(null=True)
    cleared_by = models.ForeignKey(User, null=True, on_delete=models.SET_NULL, related_name="+")

    class Meta:
        ordering = ["at", "id"]
        indexes = [models.Index(fields=["printer"], name="asked_and_open", condition=models.Q(cleared_at=None))]


class TaskMend(models.Model):
    """One thing of a task that is otherwise here: the workshop's own (``model`` null), or as the maker of a model has it, which goes first.

    The newest of a field holds; ``value`` null: as it is below. ``task`` empty, ``field`` ``order``: the order of a round.
    """

    task = models.CharField(max_length=30, blank=True)
    model = models.ForeignKey(PrinterModel, null=True, on_delete=models.CASCADE, related_name="task_mends")
    field = models.CharField(max_length=20)
    value = models.JSONField(null=True)
    why = models.CharField(max_length=300, blank=True)
    by = models.ForeignKey(User, null=True, on_delete=models.SET_NULL, related_name="+")
    at = models.DateTimeField()

    class Meta:
        ordering = ["at", "id"]
        indexes = [models.Index(fields=["task", "model", "field", "-at"])]


class OwnTask(models.Model):
    """A task that was added: by the workshop, or from a maker's list for one model. ``told``: as the core's `Task` without its id."""

    model = models.ForeignKey(PrinterModel, null=True, on_delete=models.CASCADE, related_name="own_tasks")
    told = models.JSONField()
    by = models.ForeignKey(User, null=True, on_delete=models.SET_NULL, related_name="+")
    at = models.DateTimeField()

    class Meta:
        ordering = ["id"]

    @property
    def task_id(self) -> str:
        """As rounds name it."""
        return f"own_{self.pk}"
