"""Long work: what was asked for, how far it is, how it ended. The queue beneath only carries its number to a worker."""

from __future__ import annotations

from django.db import models
from people.models import User


class State(models.TextChoices):
    WAITING = "waiting", "Waiting"
    RUNNING = "running", "Under way"
    DONE = "done", "Done"
    STOPPED = "stopped", "Stopped"
    FAILED = "failed", "Failed"


class Work(models.Model):
    """A piece of long work. ``told``: what its kind needs to know; ``found``: what came of it; ``said``: that, or why not, in words.

    ``done`` of ``total``: how far it is (0 of 0 until that is known). ``by`` is empty where the clock asked. ``stop``: somebody has
    asked it to end. ``tries``: how often a worker began it.
    """

    kind = models.CharField(max_length=30)
    words = models.CharField(max_length=200)
    told = models.JSONField(default=dict)
    state = models.CharField(max_length=8, choices=State.choices, default=State.WAITING)
    done = models.PositiveIntegerField(default=0)
    total = models.PositiveIntegerField(default=0)
    said = models.CharField(max_length=400, blank=True)
    found = models.JSONField(default=dict)
    stop = models.BooleanField(default=False)
    tries = models.PositiveSmallIntegerField(default=0)
    by = models.ForeignKey(User, null=True, on_delete=models.SET_NULL, related_name="+")
    at = models.DateTimeField()
    began_at = models.DateTimeField(null=True)
    ended_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-at", "-id"]
        indexes = [models.Index(fields=["state", "-at"]), models.Index(fields=["kind", "-at"])]

    @property
    def is_over(self) -> bool:
        """Whether nothing more comes of it by itself."""
        return self.state not in (State.WAITING, State.RUNNING)
