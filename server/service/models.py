"""Service of machines: what was done of its tasks, and what a machine itself asks for."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from django.db import models
from kestov_core.condition.worth import LASTS_YEARS
from people.models import User
from workshop.models import Component, PartType, Printer, PrinterModel


class DoneManager(models.Manager["Done"]):
    """Rows are only ever added, by `add`."""

    def add(self, printer: Printer, task: str, at: datetime, **told: Any) -> Done:
        """Write down that a task was done; what was entered late does not become the newest. The machine is held against other writers."""
        mine = self.filter(printer=printer, task=task, newest=True)
        newest = not mine.filter(at__gt=at).exists()
        if newest:
            mine.update(newest=False)
        return self.create(printer=printer, task=task, at=at, newest=newest, **told)


class Done(models.Model):
    """A task of a round that was done on a machine: when, at what its meters stood then, and what was found.

    ``found``: ``fine``, ``needed`` (it was wanted), ``trouble`` (in ``words``). ``newest``: of its task on its machine.
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
    newest = models.BooleanField(default=True)

    objects = DoneManager()

    class Meta:
        ordering = ["-at", "-id"]
        indexes = [models.Index(fields=["printer", "task", "-at"])]
        constraints = [
            models.UniqueConstraint(fields=["printer", "task"], condition=models.Q(newest=True), name="one_newest")
        ]


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


class Stock(models.Model):
    """What lies in a drawer of one type of part: how many, where, how many at the least, how long an order takes, what one costs.

    ``counted_at`` null: nobody has counted it yet. ``ended``: it can be had no more.
    """

    type = models.OneToOneField(PartType, on_delete=models.CASCADE, related_name="stock")
    drawer = models.CharField(max_length=40, blank=True)
    here = models.PositiveIntegerField(default=0)
    minimum = models.PositiveIntegerField(default=0)
    lead_days = models.PositiveIntegerField(default=14)
    cost = models.DecimalField(max_digits=9, decimal_places=2, null=True)
    counted_at = models.DateTimeField(null=True)
    ended = models.BooleanField(default=False)

    class Meta:
        ordering = ["drawer", "type__name"]


class Order(models.Model):
    """Parts that were ordered. ``came``: how many of them have; ``ended_at``: all came, or the rest is not waited for any more."""

    stock = models.ForeignKey(Stock, on_delete=models.CASCADE, related_name="orders")
    number = models.PositiveIntegerField()
    came = models.PositiveIntegerField(default=0)
    ordered_at = models.DateTimeField()
    expected_on = models.DateField()
    ended_at = models.DateTimeField(null=True)
    by = models.ForeignKey(User, null=True, on_delete=models.SET_NULL, related_name="+")

    class Meta:
        ordering = ["expected_on", "id"]
        constraints = [
            models.CheckConstraint(
                condition=models.Q(number__gte=1) & models.Q(came__lte=models.F("number")),
                name="no_more_came_than_ordered",
            )
        ]
        indexes = [models.Index(fields=["stock"], name="ordered_and_open", condition=models.Q(ended_at=None))]


class StockMove(models.Model):
    """What went into or out of a drawer: ``counted`` (``number`` is what was found), ``came``, ``fitted``. Rows are only ever added."""

    stock = models.ForeignKey(Stock, on_delete=models.CASCADE, related_name="moves")
    did = models.CharField(max_length=8)
    number = models.IntegerField()
    # What lay there after it.
    left = models.PositiveIntegerField()
    component = models.ForeignKey(Component, null=True, on_delete=models.SET_NULL, related_name="+")
    words = models.CharField(max_length=200, blank=True)
    at = models.DateTimeField()
    by = models.ForeignKey(User, null=True, on_delete=models.SET_NULL, related_name="+")

    class Meta:
        ordering = ["-at", "-id"]
        indexes = [models.Index(fields=["stock", "-at"])]


class ServiceSetting(models.Model):
    """What the lead has settled: the chance of standing without a part that is borne, in which money costs are told, and what an hour of
    somebody's time costs (null: not told).
    """

    risk = models.FloatField(default=0.05)
    money = models.CharField(max_length=8, blank=True)
    hour = models.DecimalField(max_digits=7, decimal_places=2, null=True)

    class Meta:
        constraints = [
            models.CheckConstraint(condition=models.Q(risk__gt=0) & models.Q(risk__lt=1), name="a_risk_is_a_chance")
        ]


class Calendar(models.Model):
    """A calendar of bookings as it was given: of one machine, or (``printer`` null) of those that its bookings name.

    ``address``: where it is fetched from again and again (empty: it came as a file); ``said``: why that did not succeed the last time.
    """

    name = models.CharField(max_length=80, unique=True)
    printer = models.ForeignKey(Printer, null=True, on_delete=models.CASCADE, related_name="calendars")
    # As it came (zlib): what recurs is looked up anew as time goes on.
    raw = models.BinaryField()
    at = models.DateTimeField()
    by = models.ForeignKey(User, null=True, on_delete=models.SET_NULL, related_name="+")
    # Until when its bookings were looked up, and how many name no machine.
    until = models.DateTimeField()
    of_none = models.PositiveIntegerField(default=0)
    address = models.CharField(max_length=300, blank=True)
    said = models.CharField(max_length=300, blank=True)

    class Meta:
        ordering = ["name"]


class Booking(models.Model):
    """A machine is booked from then to then."""

    calendar = models.ForeignKey(Calendar, on_delete=models.CASCADE, related_name="bookings")
    printer = models.ForeignKey(Printer, on_delete=models.CASCADE, related_name="bookings")
    begins = models.DateTimeField()
    ends = models.DateTimeField()
    words = models.CharField(max_length=120, blank=True)

    class Meta:
        ordering = ["begins", "id"]
        indexes = [models.Index(fields=["printer", "ends"]), models.Index(fields=["ends"])]
        constraints = [
            models.CheckConstraint(
                condition=models.Q(ends__gt=models.F("begins")), name="a_booking_ends_after_it_begins"
            )
        ]


class Hours(models.Model):
    """When somebody is there for service: a day of the week (0: Monday), from, until."""

    user = models.ForeignKey(User, on_delete=models.CASCADE, related_name="service_hours")
    weekday = models.PositiveSmallIntegerField()
    begins = models.TimeField()
    ends = models.TimeField()

    class Meta:
        ordering = ["weekday", "begins", "user"]
        constraints = [
            models.CheckConstraint(
                condition=models.Q(weekday__lte=6) & models.Q(ends__gt=models.F("begins")),
                name="hours_end_after_they_begin",
            )
        ]


class PlannedWeek(models.Model):
    """A week as it was planned: from its Monday; ``left``: what did not fit, and why; ``share``: of what the best plan could be worth."""

    monday = models.DateField(unique=True)
    at = models.DateTimeField()
    by = models.ForeignKey(User, null=True, on_delete=models.SET_NULL, related_name="+")
    left = models.JSONField(default=list)
    share = models.FloatField(default=1.0)


class PlannedRound(models.Model):
    """A machine's round in a week's plan: whose, when; its ``tasks`` as they are called, and what has to be fetched for it.

    ``fixed``: put there by hand; ``clashes``: there it meets a booking, another round or the end of the hours.
    """

    week = models.ForeignKey(PlannedWeek, on_delete=models.CASCADE, related_name="rounds")
    printer = models.ForeignKey(Printer, on_delete=models.CASCADE, related_name="+")
    user = models.ForeignKey(User, on_delete=models.CASCADE, related_name="planned_rounds")
    begins = models.DateTimeField()
    ends = models.DateTimeField()
    tasks = models.JSONField(default=list)
    fetched = models.JSONField(default=list)
    fixed = models.BooleanField(default=False)
    clashes = models.BooleanField(default=False)

    class Meta:
        ordering = ["begins", "id"]
        constraints = [models.UniqueConstraint(fields=["week", "printer"], name="one_round_of_a_machine_a_week")]
        indexes = [models.Index(fields=["user", "begins"])]


class Feed(models.Model):
    """The private address of somebody's calendar: a hash of what is secret in it."""

    user = models.OneToOneField(User, on_delete=models.CASCADE, related_name="service_feed")
    hash = models.CharField(max_length=64, unique=True)
    at = models.DateTimeField()


class Price(models.Model):
    """What another machine of a model costs, and how many years one lasts."""

    model = models.OneToOneField(PrinterModel, on_delete=models.CASCADE, related_name="price")
    another = models.DecimalField(max_digits=9, decimal_places=2)
    lasts_years = models.FloatField(default=LASTS_YEARS)

    class Meta:
        constraints = [models.CheckConstraint(condition=models.Q(lasts_years__gt=0), name="a_machine_lasts")]


class Quote(models.Model):
    """What a repair of a machine would take, as somebody has offered or reckoned it: parts in money, hours of people."""

    printer = models.OneToOneField(Printer, on_delete=models.CASCADE, related_name="quote")
    parts = models.DecimalField(max_digits=9, decimal_places=2, default=0)
    hours = models.FloatField(default=0.0)
    words = models.CharField(max_length=200, blank=True)
    at = models.DateTimeField()
    by = models.ForeignKey(User, null=True, on_delete=models.SET_NULL, related_name="+")


class Decided(models.Model):
    """What the lead has decided of a machine: to ``keep`` it, to ``retire`` it, or to send it back under ``warranty``. Rows are only ever added.

    ``spoke``: what spoke then (as the core's `Reason`, what and about what): it speaks no more until something else does.
    """

    printer = models.ForeignKey(Printer, on_delete=models.CASCADE, related_name="decided")
    decided = models.CharField(max_length=8)
    why = models.CharField(max_length=300, blank=True)
    spoke = models.JSONField(default=list)
    at = models.DateTimeField()
    by = models.ForeignKey(User, null=True, on_delete=models.SET_NULL, related_name="+")

    class Meta:
        ordering = ["-at", "-id"]
        indexes = [models.Index(fields=["printer", "-at"])]


class LetterTo(models.Model):
    """Who wants the week's letter by e-mail, and where. ``week``: the Monday of the last week whose letter was posted to them."""

    user = models.OneToOneField(User, on_delete=models.CASCADE, related_name="letter_to")
    address = models.EmailField(max_length=200)
    week = models.DateField(null=True)
    at = models.DateTimeField()
