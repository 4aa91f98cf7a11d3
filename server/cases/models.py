"""Cases: what somebody complained of, what has been seen, what was done, and whether it helped."""

from __future__ import annotations

from django.db import models
from people.models import User
from workshop.models import Component, Printer


class State(models.TextChoices):
    REPORTED = "reported", "Reported"
    IN_WORK = "in_work", "In work"
    NOT_VERIFIED = "not_verified", "Mended, not verified"
    CLOSED = "closed", "Closed"


class Closing(models.TextChoices):
    VERIFIED = "verified", "Mended and verified"
    HARMLESS = "harmless", "Harmless, left"
    HANDED_ON = "handed_on", "Handed on"
    WARRANTY = "warranty", "Warranty"
    RETIRED = "retired", "Retired"


class Case(models.Model):
    """A complaint about one printer, from the first report to a proven end. ``unaided``: who works on it is not told what it may be, nor
    what to do next; they said so when they began to practise.
    """

    printer = models.ForeignKey(Printer, on_delete=models.PROTECT, related_name="cases")
    title = models.CharField(max_length=120)
    words = models.TextField(blank=True)
    since = models.CharField(max_length=60, blank=True)
    state = models.CharField(max_length=14, choices=State.choices, default=State.REPORTED)
    reported_by = models.ForeignKey(User, null=True, on_delete=models.SET_NULL, related_name="+")
    reported_at = models.DateTimeField()
    taken_by = models.ForeignKey(User, null=True, on_delete=models.SET_NULL, related_name="+")
    closing = models.CharField(max_length=14, choices=Closing.choices, blank=True)
    cause = models.CharField(max_length=160, blank=True)
    # The confirmed cause as the knowledge names it, with its place; blank where it is not on the list.
    fault = models.CharField(max_length=40, blank=True)
    fault_axis = models.CharField(max_length=5, blank=True)
    unaided = models.BooleanField(default=False)
    closed_by = models.ForeignKey(User, null=True, on_delete=models.SET_NULL, related_name="+")
    closed_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-reported_at"]
        indexes = [models.Index(fields=["-reported_at"]), models.Index(fields=["printer", "-reported_at"])]
        constraints = [
            models.CheckConstraint(
                condition=~models.Q(state="closed") | (models.Q(closed_at__isnull=False) & ~models.Q(closing="")),
                name="closed_with_words_and_time",
            )
        ]

    @property
    def is_open(self) -> bool:
        return self.state != State.CLOSED


class Observation(models.Model):
    """Something seen, or looked for and not seen. A later one of the same finding and axis replaces it in the view."""

    case = models.ForeignKey(Case, on_delete=models.CASCADE, related_name="observations")
    finding = models.CharField(max_length=40)
    axis = models.CharField(max_length=5, blank=True)
    state = models.CharField(
        max_length=8, choices=[("present", "present"), ("absent", "absent"), ("unknown", "unknown")]
    )
    note = models.CharField(max_length=300, blank=True)
    # The figure, where there was one, in the finding's unit; and the check that gave it.
    value = models.FloatField(null=True)
    u95 = models.FloatField(null=True)
    check_name = models.CharField(max_length=40, blank=True)
    withdrawn = models.BooleanField(default=False)
    by = models.ForeignKey(User, null=True, on_delete=models.SET_NULL, related_name="+")
    at = models.DateTimeField()

    class Meta:
        ordering = ["at", "id"]


class Comment(models.Model):
    """Words in the log of a case."""

    case = models.ForeignKey(Case, on_delete=models.CASCADE, related_name="comments")
    words = models.TextField()
    by = models.ForeignKey(User, null=True, on_delete=models.SET_NULL, related_name="+")
    at = models.DateTimeField()

    class Meta:
        ordering = ["at", "id"]


class Picture(models.Model):
    """A picture of a print or a part, re-encoded on the way in (no hidden data, bounded size).

    ``small``: its small version, made a moment later by a worker; null until then. ``before``: the picture that this one was
    taken over, from the same place; ``fit`` lays it over that one (see `acts.Fit`).
    """

    case = models.ForeignKey(Case, on_delete=models.CASCADE, related_name="pictures")
    image = models.BinaryField()
    small = models.BinaryField(null=True)
    width = models.PositiveIntegerField()
    height = models.PositiveIntegerField()
    words = models.CharField(max_length=200, blank=True)
    before = models.ForeignKey("self", null=True, on_delete=models.SET_NULL, related_name="later")
    fit = models.JSONField(null=True)
    by = models.ForeignKey(User, null=True, on_delete=models.SET_NULL, related_name="+")
    at = models.DateTimeField()

    class Meta:
        ordering = ["at", "id"]


class SiblingLook(models.Model):
    """A machine of the model on which a danger was met: held (look first) until somebody has looked and ticked what was found.

    Made with the danger; ``looked_at`` is null while it waits. ``trouble``: the same was found here.
    """

    case = models.ForeignKey(Case, on_delete=models.CASCADE, related_name="looks")
    printer = models.ForeignKey(Printer, on_delete=models.CASCADE, related_name="looks")
    danger = models.CharField(max_length=40)
    made_at = models.DateTimeField()
    looked_at = models.DateTimeField(null=True)
    by = models.ForeignKey(User, null=True, on_delete=models.SET_NULL, related_name="+")
    trouble = models.BooleanField(null=True)
    found = models.CharField(max_length=300, blank=True)

    class Meta:
        ordering = ["made_at", "id"]
        constraints = [models.UniqueConstraint(fields=["case", "printer"], name="look_once_for_a_danger")]


class Mend(models.Model):
    """One thing that the workshop has changed of the knowledge: of a fault or a check, one field, or how often it shows a finding.

    The newest of a field holds; ``value`` null: it is as it came with Kestov again. Older ones tell how it was.
    """

    kind = models.CharField(max_length=5, choices=[("fault", "fault"), ("check", "check")])
    name = models.CharField(max_length=40)
    # ``shows.FINDING`` for how often a fault shows a finding.
    field = models.CharField(max_length=60)
    value = models.JSONField(null=True)
    why = models.CharField(max_length=300, blank=True)
    by = models.ForeignKey(User, null=True, on_delete=models.SET_NULL, related_name="+")
    at = models.DateTimeField()

    class Meta:
        ordering = ["at", "id"]
        indexes = [models.Index(fields=["kind", "name", "field", "-at"])]


class KeptForecast(models.Model):
    """Which parts will be wanted in the next quarter, as a worker worked it out: of many machines that is more than a page's time.

    ``rows``: as `forecast.Expected`, the soonest; ``more``: so many more.
    """

    at = models.DateTimeField()
    rows = models.JSONField()
    more = models.PositiveIntegerField(default=0)


class NearMiss(models.Model):
    """What nearly hurt somebody: a slipped blade, a burnt hand, sparks. Nobody is named, and nobody is blamed; the lead reads it.

    ``answer``: what was done about it; ``read_at`` null: the lead has not seen it yet.
    """

    printer = models.ForeignKey(Printer, null=True, on_delete=models.SET_NULL, related_name="near_misses")
    words = models.TextField()
    hurt = models.BooleanField(default=False)
    at = models.DateTimeField()
    read_at = models.DateTimeField(null=True)
    answer = models.CharField(max_length=400, blank=True)

    class Meta:
        ordering = ["-at", "-id"]


class Suspect(models.Model):
    """A part that an open case may want another of: how likely that is, as the case was weighed last. Made by a worker."""

    case = models.ForeignKey(Case, on_delete=models.CASCADE, related_name="suspects")
    component = models.ForeignKey(Component, on_delete=models.CASCADE, related_name="+")
    chance = models.FloatField()

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["case", "component"], name="suspect_once"),
            models.CheckConstraint(
                condition=models.Q(chance__gte=0) & models.Q(chance__lte=1), name="suspected_by_a_chance"
            ),
        ]


class OpenReport(models.Model):
    """What somebody without an account has told of a machine: it counts when a technician has looked. ``name``: as it was typed.

    ``address``: from where, as a hash, so that nobody floods the list; ``case``: what it became; ``why_not``: why it does not count.
    """

    printer = models.ForeignKey(Printer, on_delete=models.CASCADE, related_name="open_reports")
    name = models.CharField(max_length=80)
    finding = models.CharField(max_length=40)
    words = models.TextField(blank=True)
    since = models.CharField(max_length=60, blank=True)
    address = models.CharField(max_length=64)
    at = models.DateTimeField()
    looked_at = models.DateTimeField(null=True)
    by = models.ForeignKey(User, null=True, on_delete=models.SET_NULL, related_name="+")
    case = models.ForeignKey(Case, null=True, on_delete=models.SET_NULL, related_name="open_reports")
    why_not = models.CharField(max_length=200, blank=True)

    class Meta:
        ordering = ["-at", "-id"]
        indexes = [
            models.Index(fields=["at"]),
            models.Index(fields=["at"], name="not_looked_at", condition=models.Q(looked_at=None)),
        ]
