"""What the next quarter will want: by life and use, by this workshop's own failures, and by courses that reach a limit."""

from datetime import date, timedelta

from cases.models import KeptForecast
from measuring.models import Capture, Standing
from people.clock import at, now
from workshop.models import Component

from .world import ApiCase


class Quarter(ApiCase):
    def setUp(self):
        super().setUp()
        for hours, days_ago in ((0, 100), (600, 0.01)):
            with at(now() - timedelta(days=days_ago)):
                self.good("technician", "POST", f"/printers/{self.slinger.pk}/meter", {"hours": hours})

    def rows(self, kind="nozzle"):
        label = {"nozzle": "Nozzle", "liner": "Liner"}[kind]
        return [r for r in self.good("technician", "GET", "/forecast")["rows"] if r["label"] == label]

    def aged(self, kind, fitted_hours):
        Component.objects.filter(printer=self.slinger, kind=kind, removed_on=None).update(fitted_hours=fitted_hours)

    def test_a_part_that_ends_within_the_quarter_is_named_with_its_day_and_why(self):
        # 800 h typical, 500 h behind it, six hours a day: fifty days are left.
        self.aged("nozzle", 100)
        (row,) = self.rows()
        self.assertAlmostEqual((date.fromisoformat(row["by"]) - now().date()).days, 50, delta=1)
        self.assertIn("500 of 800 h (typical), 6.0 h a day", row["why"])
        self.assertIsNone(row["chance"])

    def test_one_that_lasts_longer_is_not(self):
        self.aged("nozzle", 599)
        self.aged("liner", 599)
        self.assertEqual([*self.rows(), *self.rows("liner")], [])

    def test_overdue_is_today(self):
        self.aged("nozzle", 0)
        Component.objects.filter(kind="nozzle").update(brought_hours=500)
        self.assertEqual(self.rows()[0]["by"], now().date().isoformat())
        self.assertIn("past its expected life", self.rows()[0]["why"])

    def test_where_three_have_failed_here_their_life_counts(self):
        for ran in (380, 420, 450, 500):
            Component.objects.create(
                printer=self.slinger, place="e", kind="nozzle", label=f"old {ran}", fitted_hours=0, removed_hours=ran,
                removed_on=now().date(), removed_because="worn",
            )  # fmt: skip
        self.aged("nozzle", 200)
        (row,) = self.rows()
        self.assertGreater(row["chance"], 0.5)
        self.assertLess(row["low"], row["chance"])
        self.assertIn("4 have failed", row["why"])

    def test_a_course_that_reaches_its_limit_is_named(self):
        Standing.objects.create(
            printer=self.slinger, place="x", procedure="play", capture=self.capture(), taken_at=now(), verdict="in_tolerance",
            value=0.03, unit="mm", high=0.05, reaches_at=now() + timedelta(days=30),
        )  # fmt: skip
        row = next(r for r in self.good("technician", "GET", "/forecast")["rows"] if r["procedure"] == "play")
        self.assertIn("adjusting does not mend it", row["why"])
        Standing.objects.update(reaches_at=now() + timedelta(days=300))
        self.assertFalse([r for r in self.good("technician", "GET", "/forecast")["rows"] if r["procedure"] == "play"])

    def capture(self):
        return Capture.objects.create(
            printer=self.slinger, place="x", procedure="play", context={}, source="typed", taken_at=now()
        )

    def test_members_do_not_see_it(self):
        self.refused(403, "not_yours", None, "member", "GET", "/forecast")


class Kept(ApiCase):
    def see(self):
        return self.good("technician", "GET", "/forecast")

    def test_what_a_worker_worked_out_is_shown_without_what_was_taken_out_since(self):
        path = f"/printers/{self.slinger.pk}"
        Component.objects.filter(printer=self.slinger).update(fitted_on=(now() - timedelta(days=300)).date())
        for days, hours in ((300, 0), (100, 4000), (1, 6000)):
            with at(now() - timedelta(days=days)):
                self.good("technician", "POST", f"{path}/meter", {"hours": hours})
        worked_out = self.see()["rows"]
        self.assertIn("Nozzle", [r["label"] for r in worked_out])
        self.do_work()
        kept = KeptForecast.objects.get()
        self.assertEqual(self.see()["rows"], worked_out)
        nozzle = Component.objects.get(printer=self.slinger, kind="nozzle", removed_on=None)
        self.good("technician", "POST", f"/components/{nozzle.pk}/deeds", {"did": "replace", "because": "worn"})
        self.assertNotIn("Nozzle", [r["label"] for r in self.see()["rows"]])
        self.do_work()
        self.assertGreater(KeptForecast.objects.get().at, kept.at)

    def test_what_is_old_is_worked_out_on_the_spot(self):
        row = {"label": "Nozzle", "place": "e", "why": "", "chance": None, "low": None, "high": None}
        nozzle = Component.objects.get(printer=self.slinger, kind="nozzle")
        rows = [row | {"printer": self.slinger.pk, "by": "2030-01-01", "component_id": nozzle.pk}]
        KeptForecast.objects.create(at=now() - timedelta(hours=1), rows=rows, more=4)
        seen = self.see()
        self.assertEqual(([r["label"] for r in seen["rows"]], seen["more"]), (["Nozzle"], 4))
        KeptForecast.objects.update(at=now() - timedelta(days=3))
        self.assertEqual((self.see()["rows"], self.see()["more"]), ([], 0))
