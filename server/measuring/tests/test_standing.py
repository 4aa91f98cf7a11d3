"""Standings: kept as results and changes come, the same as made anew; belt x and axis x are two places."""

import uuid
from datetime import timedelta

from api.tests.world import ApiCase, sim
from django.db import connection
from django.test.utils import CaptureQueriesContext
from people.clock import at, now
from workshop.models import Printer

from measuring.apps import _standings_of_old
from measuring.condition import condition
from measuring.models import Standing
from measuring.standing import rebuild


class Places(ApiCase):
    def typed(self, procedure, place, context, printer=None, **more):
        body = {"id": str(uuid.uuid4()), "place": place, "context": context, **more}
        return self.good("technician", "POST", f"/printers/{(printer or self.slinger).pk}/{procedure}", body)

    def pressed(self, place, newtons, moment=None):
        loop = self.slinger.model.motion().belts()[place].loop_length_mm
        span = self.slinger.model.motion().belts()[place].spans[0].span_mm
        rows = [
            {"force_n": 4 * newtons * d / span + 8 * 15000 * d**3 / (span**2 * loop), "deflection_mm": d}
            for d in (4.0, 4.5, 5.0)
        ]
        with at(moment or now()):
            return self.typed("belt-deflection", place, {"readings": rows, "axial_stiffness_u95_percent": 0})

    def travelled(self, measured, moment=None):
        with at(moment or now()):
            return self.typed("steps", "x", {"steps_per_mm": 80, "measured_mm": [measured, measured + 0.01, measured]})

    def place(self, kind, place, printer=None):
        found = condition(printer or self.slinger)
        return next(p for p in found.places if (p.kind, p.place) == (kind, place))

    def test_a_failed_travel_test_is_no_loss_of_the_belt(self):
        # The belt within its limits, then travel tests of the axis of the same name that fail: three times.
        for k in range(3):
            self.pressed("x", 27, now() - timedelta(days=30 - 8 * k))
            self.travelled(97.0, now() - timedelta(days=28 - 8 * k))
        self.pressed("x", 12)
        self.assertEqual(
            (self.place("belt", "x").condition, self.place("axis", "x").condition), ("out_of_adjustment",) * 2
        )
        self.assertEqual(Standing.objects.get(procedure="belt-deflection", place="x").lost, 1)

    def test_a_belt_is_lost_again_by_pluck_and_by_press_alike(self):
        printer = Printer.objects.get(pk=self.crossed.pk)
        for k in range(6):
            printer.simulated = sim(30 if k % 2 == 0 else 15, 30)
            printer.save()
            with at(now() - timedelta(days=50 - 6 * k)):
                self.stand_in("a")
        self.assertEqual(self.place("belt", "a", self.crossed).condition, "worn")

    def test_tracking_is_shown_as_tracking_and_not_as_a_tension(self):
        self.pressed("x", 27)
        gaps = [{"travel_mm": t, "clearance_top_mm": 0.6, "clearance_bottom_mm": 0.5} for t in (0, 100, 200)]
        self.typed("belt-tracking", "x", {"positions": gaps})
        belt = self.place("belt", "x")
        self.assertEqual([e.procedure for e in belt.evidence], ["belt-tracking", "belt-deflection"])
        shown = {e.procedure: (e.standing.words, e.standing.unit) for e in belt.evidence}
        self.assertEqual(shown, {"belt-tracking": ("Wanders", "mm"), "belt-deflection": ("Tension", "N")})

    def test_the_figure_shown_is_the_one_that_the_verdict_rests_on(self):
        rows = [{"position_mm": 10.0 * k, "force_n": f} for k, f in enumerate([1.5] * 6 + [4.0] + [1.5] * 6)]
        body = {"id": str(uuid.uuid4()), "place": "x", "rows": rows, "context": {}}
        self.good("technician", "POST", f"/printers/{self.slinger.pk}/drag", body)
        shown = self.place("axis", "x").evidence[0].standing
        self.assertEqual((shown.value, shown.high), (4.0, 2.25))

    def test_trouble_is_told_by_what_was_measured(self):
        self.travelled(97.0)
        found = condition(self.slinger)
        self.assertEqual((found.fitness, found.reason), ("rough_only", "X does not travel as far as told"))

    def test_a_belt_that_was_turned_leaves_the_axis_as_it_was(self):
        self.pressed("x", 12)
        self.travelled(100.0)
        self.good("technician", "POST", f"/printers/{self.slinger.pk}/turns", {"place": "x", "turns": 0.5})
        self.assertEqual(self.place("belt", "x").condition, "not_known")
        self.assertEqual(self.place("axis", "x").condition, "sound")

    def test_the_record_of_a_belt_is_not_that_of_its_axis(self):
        self.pressed("x", 27)
        self.travelled(100.0)
        path = f"/printers/{self.slinger.pk}/record?place=x"
        words = {
            k: [x["words"] for x in self.good("technician", "GET", f"{path}&kind={k}")["lines"]]
            for k in ("belt", "axis")
        }
        self.assertEqual([len(w) for w in words.values()], [1, 1])
        self.assertIn("Pressed belt X", words["belt"][0])
        self.assertIn("Tested the travel of X", words["axis"][0])


class Kept(Places):
    def rows(self):
        return list(Standing.objects.order_by("printer", "place", "procedure").values())

    def lived(self):
        """Some weeks of a workshop: measured, turned, corrected, set, mended."""
        case = self.report()
        with at(now() - timedelta(days=20)):
            self.stand_in("a")
            self.stand_in("b")
            self.travelled(97.0)
        with at(now() - timedelta(days=10)):
            self.stand_in("a", case)
            self.good(
                "technician",
                "POST",
                f"/printers/{self.crossed.pk}/turns",
                {"place": "a", "turns": 0.5, "case_id": case},
            )
            body = {"name": "steps_x", "value": 80.8, "unit": "steps/mm"}
            self.good("technician", "POST", f"/printers/{self.slinger.pk}/ledger", body)
        wrong = self.pressed("x", 60)
        self.pressed("y", 27)
        rows = [{"force_n": 2.0, "deflection_mm": 5.0}]
        self.typed("belt-deflection", "x", {"readings": rows}, supersedes=wrong["id"])
        repair = {"fault": "grub_screw_loose", "axis": "a", "helped": None, "note": ""}
        self.good("technician", "POST", f"/cases/{case}/repairs", repair)

    def test_kept_as_it_comes_and_made_anew_are_the_same(self):
        self.lived()
        kept = [{k: v for k, v in r.items() if k != "id"} for r in self.rows()]
        self.assertGreater(len(kept), 4)
        self.assertTrue(any(r["doubt"] for r in kept))
        rebuild()
        self.assertEqual([{k: v for k, v in r.items() if k != "id"} for r in self.rows()], kept)

    def test_a_database_of_an_earlier_version_gets_them_once(self):
        self.lived()
        kept = len(self.rows())
        Standing.objects.all().delete()
        _standings_of_old()
        self.assertEqual(len(self.rows()), kept)
        Standing.objects.first().delete()
        _standings_of_old()
        self.assertEqual(len(self.rows()), kept - 1)

    def test_a_floor_costs_no_more_for_an_older_workshop(self):
        def asked():
            with CaptureQueriesContext(
                connection,
            ) as queries:
                self.good("technician", "GET", "/floor")
            return len(queries)

        self.stand_in("a")
        young = asked()
        for k in range(4):
            with at(now() - timedelta(days=3 * k)):
                self.stand_in("a")
                self.stand_in("b")
                self.travelled(99.9)
        self.assertEqual(asked(), young)
        self.assertLessEqual(young, 15)


class Paged(ApiCase):
    def test_the_record_comes_by_pages_in_order_and_whole(self):
        for k in range(60):
            with at(now() - timedelta(hours=3 * k)):
                self.good(
                    "technician", "POST", f"/printers/{self.crossed.pk}/events", {"event": "serviced", "note": str(k)}
                )
        path = f"/printers/{self.crossed.pk}/record?page="
        first, second, third = (self.good("technician", "GET", f"{path}{n}") for n in (1, 2, 3))
        self.assertEqual([len(p["lines"]) for p in (first, second, third)], [50, 10, 0])
        self.assertEqual([p["more"] for p in (first, second, third)], [True, False, False])
        told = [line["words"] for p in (first, second) for line in p["lines"]]
        self.assertEqual(told, [f"Serviced: {k}" for k in range(60)])
