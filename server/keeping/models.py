"""What is kept of keeping: which backups were made, when and where; and the signing key that several hosts share."""

from __future__ import annotations

from django.conf import settings
from django.db import models


class SigningKey(models.Model):
    """The one signing key of all hosts on this database: the first host's. Whoever signed in by one is known to the others."""

    id = models.PositiveSmallIntegerField(primary_key=True, default=1)
    key = models.CharField(max_length=200)

    class Meta:
        constraints = [models.CheckConstraint(condition=models.Q(id=1), name="one_signing_key")]

    @classmethod
    def shared(cls) -> str:
        """The key; this host's own where there is none yet."""
        return cls.objects.get_or_create(id=1, defaults={"key": settings.SECRET_KEY})[0].key


class BackupMade(models.Model):
    """A backup that was written whole: the file, on which machine, and how large it is (bytes)."""

    file = models.CharField(max_length=400)
    host = models.CharField(max_length=80)
    size = models.BigIntegerField()
    at = models.DateTimeField()

    class Meta:
        ordering = ["-at"]
