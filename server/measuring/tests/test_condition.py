"""Condition of belts and axes, and what members may print, derived from the record alone."""

from datetime import timedelta

from api.tests.world import ApiCase, sim
from django.core.exceptions import ValidationError
from django.db import IntegrityError, transaction
from people.clock import at, now
from workshop.models import Component, Printer, PrinterModel, fit_out

from measuring.condition import condition, conditions


class Conditions(ApiCase):
    def place(self, name):
        return next(p for p in condition(self.crossed).places if p.place == name)

    def axis(self, found, axis):
        return next(a for a in found.axes if a.axis == axis)

    def test_never_measured_is_not_known(self):
        found = condition(self.crossed)
        self.assertEqual({p.condition for p in found.places}, {"not_known"})
        self.assertEqual(self.axis(found, "x").condition, "not_known")
        self.assertEqual(found.fitness, "fit")

    def test_a_slack_belt_shows_in_every_axis_it_moves(self):
        self.stand_in("a")
        self.stand_in("b")
        found = condition(self.crossed)
        self.assertEqual(self.place("a").condition, "out_of_adjustment")
        self.assertEqual(self.place("b").condition, "sound")
        for axis in "xy":
            self.assertEqual(self.axis(found, axis).condition, "out_of_adjustment")
            self.assertEqual(self.axis(found, axis).why, "Belt A has the wrong tension. Measured outside its limits.")
        self.assertEqual((found.fitness, found.reason), ("rough_only", "belt A has the wrong tension"))

    def test_evidence_ages(self):
        with at(now() - timedelta(days=65)):
            self.stand_in("b")
        self.assertEqual(self.place("b").condition, "not_known")
        self.assertIn("older than 60 days", self.place("b").why)

    def test_it_follows_each_thing_that_it_rests_on(self):
        """What follows from the same is not worked out again: anything that differs must be seen at once."""
        self.assertEqual(self.place("b").condition, "not_known")
        self.stand_in("b")
        self.assertEqual(self.place("b").condition, "sound")
        self.assertEqual(condition(self.crossed, in_work=True).fitness, "in_service")
        self.assertEqual(condition(self.crossed, held="Marline: smoke").fitness, "look_first")
        self.assertEqual(condition(self.crossed).fitness, "fit")
        self.crossed.tagged_out = "Fan cable bare"
        self.assertEqual(condition(self.crossed).fitness, "tagged_out")
        self.crossed.tagged_out = ""
        with at(now() + timedelta(days=61)):
            self.assertEqual(self.place("b").condition, "not_known")
        self.crossed.differs = [[["transmissions", "z"], {"kind": "belt"}]]
        self.assertIn(("belt", "z"), [(p.kind, p.place) for p in condition(self.crossed).places])

    def test_a_floor_of_many_is_read_as_each_machine_alone(self):
        self.stand_in("a")
        more = [
            Printer.objects.create(name=f"Hull {i}", model=self.slinger.model, area=self.slinger.area)
            for i in range(20)
        ]
        retired = Printer.objects.create(name="Wreck", model=self.crossed.model, area=self.crossed.area, retired=True)
        found = conditions([self.crossed, *more], set(), {})
        self.assertEqual(found[self.crossed.pk], condition(self.crossed))
        self.assertEqual(len(found), 21)
        self.assertNotIn(retired.pk, found)

    def test_a_belt_that_is_lost_again_and_again_is_worn(self):
        printer = Printer.objects.get(pk=self.crossed.pk)
        for k in range(8):
            printer.simulated = sim(30 if k % 2 == 0 else 15, 30)
            printer.save()
            with at(now() - timedelta(days=50 - 6 * k)):
                self.stand_in("a")
        self.assertEqual(self.place("a").condition, "worn")

    def test_a_tag_goes_before_everything_and_only_a_technician_lifts_it(self):
        path = f"/printers/{self.crossed.pk}/tag-out"
        self.assertEqual(self.call("technician", "POST", path, {"reason": ""})[0], 422)
        tagged = self.good("technician", "POST", path, {"reason": "Fan cable bare"})
        self.assertEqual((tagged["condition"]["fitness"], tagged["tagged_out_by"]), ("tagged_out", "Technician"))
        self.assertEqual(self.call("member", "DELETE", path)[0], 403)
        self.assertNotEqual(self.good("technician", "DELETE", path)["condition"]["fitness"], "tagged_out")
        words = [
            line["words"] for line in self.good("technician", "GET", f"/printers/{self.crossed.pk}/record")["lines"]
        ]
        self.assertTrue(any("Fan cable bare" in w for w in words))


class Models(ApiCase):
    def test_a_model_that_is_none_is_refused_by_the_model_itself(self):
        with self.assertRaises(ValidationError):
            PrinterModel.objects.create(name="Odd", description={"kinematics": "sledge", "transmissions": {}})

    def test_a_name_is_used_once(self):
        with self.assertRaises(IntegrityError), transaction.atomic():
            Printer.objects.create(name="Bowline", model=self.crossed.model, area=self.crossed.area)

    def test_a_machine_has_the_parts_of_its_model_and_one_in_each_position(self):
        self.assertGreater(Component.objects.filter(printer=self.crossed).count(), 8)
        labels = " ".join(Component.objects.filter(printer=self.crossed, place="a").values_list("label", flat=True))
        self.assertIn("belt", labels.lower())
        with self.assertRaises(IntegrityError), transaction.atomic():
            fit_out(self.crossed)
