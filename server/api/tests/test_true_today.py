"""What a figure says of today: whose ringing a wall shows, what was changed since, and a danger that holds its model."""

import uuid
from datetime import timedelta

from cases.models import Observation, SiblingLook
from measuring.condition import condition
from measuring.models import Capture, Result
from people.clock import at, now
from workshop.models import Printer

from .world import ApiCase


class Walls(ApiCase):
    def path(self, name):
        return f"/printers/{self.slinger.pk}/{name}"

    def count(self, **context):
        ripples = {"speed_mm_s": 80, "ripples": [{"count": 4, "distance_mm": 8}], **context}
        return {"id": str(uuid.uuid4()), "place": "x", "context": ripples}

    def test_a_wall_along_x_shows_y_and_is_kept_there(self):
        capture = self.good("technician", "POST", self.path("ringing-print"), self.count(wall_runs="x"))
        self.assertEqual((capture["place"], capture["found"]["axis"]), ("y", "y"))
        self.assertEqual([f["axis"] for f in capture["found"]["findings"]], ["y"])
        self.refused(
            422, "out_of_range", "axis", "technician", "POST", self.path("ringing-print"), self.count(wall_runs="x", axis="x")
        )  # fmt: skip

    def test_the_bench_says_whose_motion_each_wall_shows(self):
        walls = self.good("technician", "GET", self.path("bench"))["walls"]
        self.assertEqual([(w["runs"], w["axis"]) for w in walls], [("x", "y"), ("y", "x")])
        self.assertIn("the bed", walls[0]["words"])

    def test_an_earlier_capture_keeps_its_readings_and_is_worked_out_again(self):
        earlier = Capture.objects.create(
            printer=self.slinger,
            place="x",
            procedure="ringing-print",
            context=self.count(axis="x")["context"],
            source="typed",
            taken_at=now(),
        )
        Result.objects.create(
            capture=earlier, core_version="0.1.0", found={"axis": "x"}, verdict="not_judged", computed_at=now()
        )
        again = earlier.compute()
        self.assertEqual((again.found["axis"], again.found["findings"][0]["axis"]), ("y", "y"))
        self.assertEqual(Capture.objects.get(pk=earlier.pk).context["axis"], "x")

    def test_echoes_are_reported_by_their_wall(self):
        body = {"printer_id": self.slinger.pk, "finding": "echoes_after_corners", "wall": "x"}
        case = self.good("member", "POST", "/cases", body)
        self.assertEqual(case["title"], "Echoes or ripples after a corner, wall along X")
        seen = Observation.objects.get(case=case["id"])
        self.assertEqual((seen.axis, seen.note), ("y", "on the wall along X"))
        self.refused(422, "out_of_range", "axis", "member", "POST", "/cases", body | {"axis": "x"})
        self.refused(422, "out_of_range", "wall", "member", "POST", "/cases", body | {"finding": "squeak"})
        seen = {"finding": "echoes_after_corners", "wall": "y", "state": "absent"}
        self.good("technician", "POST", f"/cases/{case['id']}/observations", seen)
        self.assertEqual(Observation.objects.filter(case=case["id"]).last().axis, "x")

    def test_a_simulated_wall_is_rippled_by_the_axis_across_it(self):
        rows = self.good(
            "technician", "GET", f"/printers/{self.crossed.pk}/practice-readings?procedure=ripple-source&place=x"
        )["rows"]
        from kestov_core.simulator.machine import SimMachine

        true = SimMachine.model_validate(Printer.objects.get(pk=self.crossed.pk).simulated).axis("y").modes[0].hz
        for r in rows:
            self.assertAlmostEqual(r["speed_mm_s"] * r["count"] / r["distance_mm"], true, delta=0.06 * true)


def doubts(found):
    """What was overtaken by a change."""
    return [e for p in found.places for e in p.evidence if e.in_doubt]


class InDoubt(ApiCase):
    def travelled(self, measured):
        context = {
            "axis": "x", "steps_per_mm": 80, "commanded_mm": 100, "measured_mm": [measured] * 5,
            "transmission": {"kind": "belt"},
        }  # fmt: skip
        body = {"id": str(uuid.uuid4()), "place": "x", "context": context}
        return self.good("technician", "POST", f"/printers/{self.slinger.pk}/steps", body)

    def test_a_setting_that_was_set_since_is_no_trouble_but_not_known(self):
        with at(now() - timedelta(days=50)):
            self.travelled(99.0)
        self.assertEqual(condition(self.slinger).fitness, "rough_only")
        with at(now() - timedelta(days=45)):
            body = {"name": "steps_x", "value": 80.8, "unit": "steps/mm"}
            self.good("technician", "POST", f"/printers/{self.slinger.pk}/ledger", body)
        found = condition(self.slinger)
        x = next(a for a in found.axes if a.axis == "x")
        self.assertEqual((found.fitness, x.condition), ("fit", "not_known"))
        self.assertEqual(doubts(found)[0].why, "In doubt: X was set to 80.8 steps/mm 6 weeks ago, not measured since.")
        wanted = self.good("technician", "GET", "/floor")["wanted"]
        self.assertIn(("Halyard: measure X again", "steps"), [(w["title"], w["procedure"]) for w in wanted])
        self.travelled(100.0)
        self.assertEqual(doubts(condition(self.slinger)), [])
        # A setting of another axis, or one set before the measurement, is no matter.
        with at(now() - timedelta(days=1)):
            body = {"name": "steps_y", "value": 81, "unit": "steps/mm"}
            self.good("technician", "POST", f"/printers/{self.slinger.pk}/ledger", body)
        self.assertEqual(doubts(condition(self.slinger)), [])

    def test_a_belt_that_was_turned_is_not_known_until_it_is_plucked_again(self):
        self.stand_in("a")
        self.stand_in("b")
        self.good("technician", "POST", f"/printers/{self.crossed.pk}/turns", {"place": "a", "turns": 0.5})
        places = {p.place: p for p in condition(self.crossed).places if p.kind == "belt"}
        self.assertEqual(places["a"].condition, "not_known")
        self.assertIn("belt A was turned today", places["a"].why)
        self.assertNotEqual(places["b"].condition, "not_known")
        self.stand_in("a")
        self.assertNotEqual(
            {p.place: p for p in condition(self.crossed).places if p.kind == "belt"}["a"].condition, "not_known"
        )


class LookFirst(ApiCase):
    def setUp(self):
        super().setUp()
        self.sister = Printer.objects.create(name="Marline", model=self.crossed.model, area=self.crossed.area)
        self.case = self.report(finding="smoke_or_smell", axis="")

    def fitness(self, printer):
        return self.good("member", "GET", f"/printers/{printer.pk}")["condition"]["fitness"]

    def look(self, **more):
        row = SiblingLook.objects.get(printer=self.sister)
        body = {"unplugged": True, "trouble": False, "found": "Plug and terminals sound.", **more}
        return "technician", "POST", f"/looks/{row.pk}", body

    def test_a_danger_holds_its_model_until_each_was_looked_at(self):
        self.assertEqual((self.fitness(self.sister), self.fitness(self.slinger)), ("look_first", "fit"))
        wanted = self.good("technician", "GET", "/floor")["wanted"]
        self.assertIn(("Look at Marline, unplugged", "look"), [(w["title"], w["kind"]) for w in wanted])
        self.refused(422, "out_of_range", "unplugged", *self.look(unplugged=False))
        self.assertEqual(self.call("member", *self.look()[1:])[0], 403)
        case = self.good(*self.look())
        self.assertEqual(self.fitness(self.sister), "fit")
        self.assertTrue(any("Looked at Marline, unplugged" in line["words"] for line in case["log"]))
        self.refused(409, "looked_already", None, *self.look())

    def test_the_same_found_there_is_reported_and_tagged_out(self):
        other = self.good(*self.look(trouble=True, found="Browned there, too."))
        self.assertEqual((other["printer"], self.fitness(self.sister)), ("Marline", "tagged_out"))

    def test_the_look_outlives_the_case_but_not_a_danger_that_was_none(self):
        close = {"closing": "handed_on", "cause": "Plug renewed by an electrician."}
        self.good("technician", "POST", f"/cases/{self.case}/take")
        self.good("technician", "POST", f"/cases/{self.case}/close", close)
        self.assertEqual(self.fitness(self.sister), "look_first")
        self.good("technician", "POST", f"/cases/{self.case}/reopen")
        self.good("technician", "POST", f"/cases/{self.case}/close", {"closing": "harmless", "cause": "A cigar."})
        self.assertEqual(self.fitness(self.sister), "fit")
