"""Practice: lessons that somebody works through on a simulated machine, in a database of its own; and in the workshop's, who may do what alone."""

from __future__ import annotations

from cases.models import Case
from django.db import models
from measuring.models import Capture
from people.models import User
from workshop.models import Printer


class Lesson(models.Model):
    """A lesson that somebody has begun: the core's ``begun`` (the truth when it was met, and the complaint), ``truth`` as it is now, and
    how the machine ``stands``. ``name``: which lesson (empty: a machine drawn by chance). ``looks``: the part as it was printed last. ``unaided``: without the
    advice.

    ``told``: the account, once it has ended; ``how``: how it ended. Of the truth nothing leaves the server before.
    """

    user = models.ForeignKey(User, on_delete=models.CASCADE, related_name="lessons")
    name = models.CharField(max_length=40, blank=True)
    title = models.CharField(max_length=80)
    kinematics = models.CharField(max_length=12)
    seed = models.PositiveIntegerField()
    printer = models.ForeignKey(Printer, null=True, on_delete=models.CASCADE, related_name="+")
    case = models.OneToOneField(Case, null=True, on_delete=models.CASCADE, related_name="lesson")
    begun = models.JSONField()
    truth = models.JSONField()
    stands = models.JSONField()
    looks = models.JSONField()
    unaided = models.BooleanField(default=False)
    begun_at = models.DateTimeField()
    ended_at = models.DateTimeField(null=True)
    how = models.CharField(
        max_length=8, blank=True, choices=[("ended", "ended"), ("given_up", "given up"), ("unsafe", "unsafe")]
    )
    told = models.JSONField(null=True)

    class Meta:
        ordering = ["-begun_at", "-id"]
        constraints = [
            models.UniqueConstraint(fields=["user"], condition=models.Q(ended_at=None), name="one_lesson_at_a_time"),
            models.CheckConstraint(
                condition=models.Q(ended_at=None) | models.Q(told__isnull=False), name="ended_with_an_account"
            ),
        ]


class Did(models.Model):
    """One thing done in a lesson, as the core's account takes it; ``true``: the true figure of what was measured, then."""

    lesson = models.ForeignKey(Lesson, on_delete=models.CASCADE, related_name="did")
    told = models.JSONField()
    capture = models.ForeignKey(Capture, null=True, on_delete=models.CASCADE, related_name="+")
    true = models.FloatField(null=True)
    at = models.DateTimeField()

    class Meta:
        ordering = ["id"]


class Ticket(models.Model):
    """A way in from the workshop that was used: each is good once."""

    nonce = models.CharField(max_length=40, primary_key=True)
    at = models.DateTimeField()


class Alone(models.Model):
    """In the workshop's database: who may do a measurement or a repair without a second person, given by the lead with the practice record
    that lay before them. ``ended_at``: taken back.
    """

    user = models.ForeignKey(User, on_delete=models.CASCADE, related_name="alone")
    kind = models.CharField(max_length=10, choices=[("procedure", "procedure"), ("repair", "repair")])
    name = models.CharField(max_length=40)
    record = models.JSONField(default=dict)
    why = models.CharField(max_length=300, blank=True)
    by = models.ForeignKey(User, null=True, on_delete=models.SET_NULL, related_name="+")
    at = models.DateTimeField()
    ended_by = models.ForeignKey(User, null=True, on_delete=models.SET_NULL, related_name="+")
    ended_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["name", "-at"]
        constraints = [
            models.UniqueConstraint(
                fields=["user", "kind", "name"], condition=models.Q(ended_at=None), name="alone_once"
            )
        ]


class With(models.Model):
    """Who said that somebody is with them at the machine, until when; the newest counts."""

    user = models.OneToOneField(User, on_delete=models.CASCADE, related_name="+")
    second = models.ForeignKey(User, on_delete=models.CASCADE, related_name="+")
    until = models.DateTimeField()


class Rule(models.Model):
    """Whether the bench asks for a second person where somebody may not do a thing alone yet; one row."""

    second_person = models.BooleanField(default=False)
