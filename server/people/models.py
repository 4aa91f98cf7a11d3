"""Accounts, roles and the audit trail."""

from __future__ import annotations

from typing import Any

from django.contrib.auth.models import AbstractUser
from django.db import models


class Role(models.TextChoices):
    MEMBER = "member", "Member"
    TECHNICIAN = "technician", "Technician"
    LEAD = "lead", "Lead"

    def at_least(self, other: Role) -> bool:
        order = list(Role)
        return order.index(self) >= order.index(other)


class User(AbstractUser):
    """Who signs in. ``preferences``: units and light, by each person; ``hears_at``: where to they are told what became of a report (empty:
    only its page tells).
    """

    first_name = None  # type: ignore[assignment]
    last_name = None  # type: ignore[assignment]
    name = models.CharField(max_length=80)
    role = models.CharField(max_length=12, choices=Role.choices, default=Role.MEMBER)
    length_unit = models.CharField(max_length=4, choices=[("mm", "mm"), ("in", "in")], default="mm")
    force_unit = models.CharField(max_length=4, choices=[("N", "N"), ("lbf", "lbf")], default="N")
    light = models.CharField(
        max_length=6, choices=[("day", "day"), ("dim", "dim"), ("system", "system")], default="day"
    )

    hears_at = models.EmailField(max_length=200, blank=True)

    class Meta:
        constraints = [models.CheckConstraint(condition=models.Q(role__in=Role.values), name="user_role_known")]

    def may(self, role: Role) -> bool:
        """Whether this person has at least that role."""
        return self.is_active and Role(self.role).at_least(role)


def name_of(user: User | None) -> str:
    """A person's name, or words where the account is gone."""
    return user.name if user else "someone no longer here"


class AuditEntry(models.Model):
    """Who did what to what, when. Written in the same transaction as the deed; never changed.

    ``entered_at``: when it was entered on a device that could not reach the workshop; null where it came at once.
    """

    at = models.DateTimeField()
    entered_at = models.DateTimeField(null=True)
    who = models.ForeignKey(User, null=True, on_delete=models.SET_NULL, related_name="+")
    verb = models.CharField(max_length=40)
    what = models.CharField(max_length=40)
    what_id = models.CharField(max_length=40)
    words = models.TextField()
    details = models.JSONField(default=dict)

    class Meta:
        ordering = ["-at", "-id"]
        indexes = [models.Index(fields=["what", "what_id"])]


class DoneOnce(models.Model):
    """The answer to a write that came with a key, so that a repeat gets the same answer and does nothing twice."""

    key = models.CharField(max_length=80)
    user = models.ForeignKey(User, on_delete=models.CASCADE, related_name="+")
    route = models.CharField(max_length=120)
    # What was sent, as a hash (empty: from before this was kept): the same key with another body is no repeat.
    body = models.CharField(max_length=64, default="")
    answer = models.JSONField(null=True)
    at = models.DateTimeField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["user", "key"], name="done_once_key")]


class Presence(models.Model):
    """Where somebody is signed in: the session, since when, and what the device calls itself."""

    user = models.ForeignKey(User, on_delete=models.CASCADE, related_name="+")
    session = models.CharField(max_length=40, unique=True)
    at = models.DateTimeField()
    device = models.CharField(max_length=120, blank=True)
    address = models.CharField(max_length=45, blank=True)


class WrongTry(models.Model):
    """A wrong password on a device that is known: of a stranger's the lock keeps count."""

    device = models.CharField(max_length=40)
    at = models.DateTimeField()

    class Meta:
        indexes = [models.Index(fields=["device", "-at"])]


class PasswordCode(models.Model):
    """A code for a new password: its hash, until when it is good, and how often a wrong one was tried."""

    user = models.OneToOneField(User, on_delete=models.CASCADE, related_name="+")
    hash = models.CharField(max_length=64)
    until = models.DateTimeField()
    wrong = models.PositiveSmallIntegerField(default=0)


class Invitation(models.Model):
    """A link by which somebody makes an account of their own: its hash, as whom, until when, and how many may still use it.

    ``username``, ``name``: of whom it is (empty: of whoever has it).
    """

    hash = models.CharField(max_length=64, unique=True)
    role = models.CharField(max_length=12, choices=Role.choices, default=Role.MEMBER)
    username = models.CharField(max_length=150, blank=True)
    name = models.CharField(max_length=80, blank=True)
    until = models.DateTimeField()
    left = models.PositiveSmallIntegerField(default=1)
    at = models.DateTimeField()
    by = models.ForeignKey(User, null=True, on_delete=models.SET_NULL, related_name="+")

    class Meta:
        ordering = ["-at", "-id"]
        constraints = [models.CheckConstraint(condition=models.Q(role__in=Role.values), name="invited_role_known")]


class Openness(models.Model):
    """What the lead shows and takes without an account: fitness on a page for a wall, and reports."""

    wall = models.BooleanField(default=False)
    reports = models.BooleanField(default=False)


class FirstCode(models.Model):
    """A code for the first account of an empty workshop: its hash, and until when it is good. Each start makes one."""

    hash = models.CharField(max_length=64)
    until = models.DateTimeField()


def audit(who: User | None, verb: str, what: models.Model, words: str, **details: Any) -> None:
    """Write one line of the audit trail."""
    from people.clock import arrived, now

    came, entered = arrived(), now()
    AuditEntry.objects.create(
        at=came,
        entered_at=entered if entered < came else None,
        who=who,
        verb=verb,
        what=what._meta.model_name or "",
        what_id=str(what.pk),
        words=words,
        details=details,
    )
