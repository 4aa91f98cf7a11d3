"""The course of a figure: each time's reading over hours of use, cut where the place was touched, and when it reaches its limit."""

import uuid
from datetime import timedelta

from measuring import trend
from measuring.models import Action, Standing
from measuring.standing import rebuild
from people.clock import at, now

from .world import ApiCase


class Courses(ApiCase):
    def press(self, newtons, days_ago):
        """A belt of X that is pressed at a tension."""
        # F = 4 T d / L; the belt's own stretch is little at 3 mm over 300 mm.
        readings = [{"force_n": round(4 * newtons * 3 / 300, 4), "deflection_mm": 3.0}] * 2
        context = {"span_mm": 300, "axial_stiffness_n": 1.0, "readings": readings, "target_n": {"low": 20, "high": 40}, "resolution_n": 0.01, "resolution_mm": 0.01}  # fmt: skip
        with at(now() - timedelta(days=days_ago)):
            self.good(
                "technician",
                "POST",
                f"/printers/{self.slinger.pk}/belt-deflection",
                {"id": str(uuid.uuid4()), "place": "x", "context": context},
            )

    def meter(self, hours, days_ago):
        with at(now() - timedelta(days=days_ago)):
            self.good("technician", "POST", f"/printers/{self.slinger.pk}/meter", {"hours": hours})

    def course(self):
        path = f"/printers/{self.slinger.pk}/trend?place=x&procedure=belt-deflection"
        return self.good("technician", "GET", path)

    def falling(self):
        for k, days_ago in enumerate((100, 80, 60, 40, 20, 1)):
            self.press(34 - 1.6 * k, days_ago)

    def test_over_days_where_no_meter_was_read(self):
        self.falling()
        found = self.course()
        self.assertEqual((found["over"], len(found["points"])), ("days", 6))
        # 1.6 N in 20 days, from 26 N down to 20 N.
        self.assertAlmostEqual(found["found"]["rate_per_100h"]["value"], -8, delta=0.4)
        self.assertAlmostEqual(found["found"]["hours_to_limit"]["value"], 75, delta=8)
        self.assertEqual(found["found"]["verdict"], "in_tolerance")
        self.assertLess(found["soonest"], found["latest"])

    def test_over_hours_of_use_where_it_was(self):
        self.falling()
        self.meter(0, 110)
        self.meter(550, 0.5)
        found = self.course()
        self.assertEqual(found["over"], "hours")
        self.assertAlmostEqual(found["points"][-1]["x"] - found["points"][0]["x"], 99 * 5, delta=15)
        # Five hours a day: a hundred hours are twenty days.
        self.assertAlmostEqual(found["found"]["rate_per_100h"]["value"], -1.6, delta=0.15)

    def test_what_was_turned_begins_another_course(self):
        self.falling()
        Action.objects.create(
            printer=self.slinger, place="x", turns=0.5, at=now() - timedelta(days=50), by=self.people["technician"]
        )
        found = self.course()
        self.assertEqual([t["words"] for t in found["touched"]], ["belt X was turned"])
        self.assertEqual((found["found"]["points_used"], found["found"]["verdict"]), (3, "cannot_tell"))
        self.assertIsNone(found["soonest"])

    def test_a_course_that_nears_its_limit_is_watched_and_measured_again_is_not(self):
        for k, days_ago in enumerate((75, 60, 45, 30, 15, 1)):
            self.press(37 - 1.5 * k, days_ago)
        self.assertEqual(self.condition(), "sound", "ten newtons are left, at three a month")
        for k, days_ago in enumerate((0.9, 0.5)):
            self.press(26.4 - 0.1 * k, days_ago)
        row = Standing.objects.get(printer=self.slinger, place="x", procedure="belt-deflection")
        before = row.reaches_at
        rebuild([self.slinger])
        after = Standing.objects.get(printer=self.slinger, place="x", procedure="belt-deflection").reaches_at
        self.assertEqual(before, after)
        Standing.objects.update(reaches_at=now() + timedelta(days=9))
        self.assertEqual(self.condition(), "watch")

    def condition(self):
        seen = self.good("technician", "GET", f"/printers/{self.slinger.pk}")["condition"]
        return next(p["condition"] for p in seen["places"] if (p["kind"], p["place"]) == ("belt", "x"))

    def test_a_steady_figure_reaches_nothing(self):
        for k, days_ago in enumerate((100, 80, 60, 40, 20, 1)):
            self.press(30 + 0.1 * (-1) ** k, days_ago)
        found = self.course()
        self.assertIsNone(found["found"]["hours_to_limit"])
        self.assertIsNone(trend.reached_on(self.slinger, "x", "belt-deflection"))

    def test_nothing_measured_and_nonsense(self):
        path = f"/printers/{self.slinger.pk}/trend"
        for asked in ("place=x&procedure=belt-deflection", "place=qqqqqqqqq&procedure=gremlins"):
            self.refused(404, "not_found", None, "technician", "GET", f"{path}?{asked}")
        self.refused(403, "not_yours", None, "member", "GET", f"{path}?place=x&procedure=play")
