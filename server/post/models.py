"""E-mail on its way out."""

from __future__ import annotations

from django.db import models
from people.models import User


class Mail(models.Model):
    """A letter on its way: to whom, its words, and a file that goes with it. ``about``: by what whoever posted it knows it again.

    ``next_at``: when it is tried next; null: it went (``sent_at``), or was given up. ``said``: why it did not go the last time.
    """

    to = models.EmailField(max_length=200)
    user = models.ForeignKey(User, null=True, on_delete=models.SET_NULL, related_name="+")
    about = models.CharField(max_length=40)
    subject = models.CharField(max_length=150)
    words = models.TextField()
    file_name = models.CharField(max_length=80, blank=True)
    file_type = models.CharField(max_length=80, blank=True)
    file = models.BinaryField(null=True)
    at = models.DateTimeField()
    tries = models.PositiveSmallIntegerField(default=0)
    next_at = models.DateTimeField(null=True)
    sent_at = models.DateTimeField(null=True)
    said = models.CharField(max_length=200, blank=True)

    class Meta:
        ordering = ["-at", "-id"]
        indexes = [models.Index(fields=["next_at"], name="on_its_way", condition=models.Q(next_at__isnull=False))]

    @property
    def is_given_up(self) -> bool:
        """Whether it was tried often enough, and never went."""
        return self.sent_at is None and self.next_at is None
