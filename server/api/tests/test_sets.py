"""What is turned in rounds: bed screws and the beam, measured, turned, measured again; what it learns and what it refuses."""

import uuid
from datetime import timedelta

from kestov_core import procedures
from kestov_core.simulator.frame import SimBeam, SimBed
from kestov_core.simulator.machine import SimMachine
from kestov_core.simulator.shaking import SimAxis, SimMode
from measuring.models import Action, Standing
from people.clock import at, now

from .world import ApiCase


class Sets(ApiCase):
    def setUp(self):
        super().setUp()
        bed = SimBed(tilt_x=0.2, tilt_y=-0.3, bow_mm=0.08, answers=0.8)
        self.slinger.simulated = SimMachine(belts={}, seed=5, beam=SimBeam(tilt=0.25, answers=0.9), bed=bed).model_dump(
            mode="json"
        )
        self.slinger.save()

    def path(self, procedure, place):
        return f"/printers/{self.slinger.pk}/sets/{procedure}/{place}"

    def measure(self, procedure, place, case=None, **context):
        read = f"/printers/{self.slinger.pk}/practice-readings?procedure={procedure}&place={place}&seed={Action.objects.count()}"
        got = self.good("technician", "GET", read)
        body = {"id": str(uuid.uuid4()), "place": place, "case_id": case, "context": {**got["settings"], **context}}
        field = procedures.get(procedure)
        if field.table is None:
            body["context"]["probe"] = got["rows"]
        else:
            body["rows"] = got["rows"]
        return self.good("technician", "POST", f"/printers/{self.slinger.pk}/{procedure}", body)

    def advised(self, capture):
        return [
            {
                "target": a["target"],
                "amount": a["amount"]["value"],
                "way": a["direction"],
                "advised": a["amount"]["value"],
            }
            for a in capture["found"]["advice"]
            if a["action"] == "turn"
        ]

    def turn(self, procedure, place, turned, case=None, key=None):
        return self.call(
            "technician", "POST", self.path(procedure, place), {"turned": turned, "case_id": case}, key=key
        )

    def test_beam_then_bed_are_set_in_rounds_until_they_hold_and_the_case_is_proven(self):
        case = self.report(printer=self.slinger)
        self.good("technician", "POST", f"/cases/{case}/take")
        for procedure, place in (("gantry", "z"), ("bed", "bed")):
            for _ in range(7):
                capture = self.measure(procedure, place, case)
                todo = self.advised(capture)
                if not todo:
                    break
                self.assertEqual(self.turn(procedure, place, todo, case)[0], 200)
                step = self.good("technician", "GET", f"/cases/{case}")["step"]
                self.assertTrue(step["title"].startswith("Measure the "), step["title"])
            sets = self.good("technician", "GET", f"{self.path(procedure, place)}?case_id={case}")
            self.assertEqual(sets["course"]["state"], "holds", procedure)
            self.assertGreater(sets["course"]["improvement"]["value"], 60)
            self.assertEqual([r["number"] for r in sets["rounds"]], list(range(1, len(sets["rounds"]) + 1)))
            # What the machine truly answers was learned from its own turns.
            if len(sets["rounds"]) > 2:
                self.assertLess(capture["found"]["answers"]["value"], 0.97)
        self.assertEqual(self.good("technician", "GET", f"/cases/{case}")["step"]["kind"], "close")
        words = " ".join(
            x["words"] for x in self.good("technician", "GET", f"/printers/{self.slinger.pk}/record")["lines"]
        )
        self.assertIn("Turned bed screw front", words)
        self.assertIn("Turned screw z2", words)

    def test_a_carriage_on_rollers_is_tightened_in_rounds_and_its_drag_is_then_in_doubt(self):
        machine = SimMachine.model_validate(self.slinger.simulated)
        loose = machine.model_copy(update={"axes": {"x": SimAxis(modes=[SimMode(hz=44)], play_mm=0.2)}})
        self.slinger.simulated = loose.model_dump(mode="json")
        self.slinger.save()
        self.measure("drag", "x")
        for _ in range(6):
            capture = self.measure("play", "x", pushed="across")
            todo = self.advised(capture)
            if not todo:
                break
            self.assertEqual((todo[0]["target"], todo[0]["way"]), ("eccentric nut", "tighter"))
            self.assertEqual(self.turn("play", "x", todo)[0], 200)
        sets = self.good("technician", "GET", self.path("play", "x"))
        self.assertEqual(sets["course"]["state"], "holds")
        self.assertGreater(len(sets["rounds"]), 2)
        self.assertIn("eccentric nut was turned", Standing.objects.get(procedure="drag").doubt)

    def test_the_bed_hears_of_the_beam_until_a_screw_is_turned(self):
        def codes():
            return [w["code"] for w in self.measure("bed", "bed")["found"]["warnings"]]

        self.assertIn("beam_not_known", codes())
        beam = self.measure("gantry", "z")
        self.assertIn("beam_tilted", codes())
        self.assertEqual(self.turn("gantry", "z", self.advised(beam))[0], 200)
        # What was measured before the turn says nothing of today.
        self.assertIn("beam_not_known", codes())
        self.assertIn("z2 was turned", Standing.objects.get(procedure="gantry").doubt)

    def test_it_got_worse_is_an_answer_and_so_is_turning_it_back(self):
        first = self.measure("gantry", "z")
        wrong = [
            {**t, "way": "clockwise" if t["way"] == "anticlockwise" else "anticlockwise"} for t in self.advised(first)
        ]
        self.assertEqual(self.turn("gantry", "z", wrong)[0], 200)
        self.measure("gantry", "z")
        sets = self.good("technician", "GET", self.path("gantry", "z"))
        self.assertEqual(sets["course"]["state"], "worse")
        done = sets["rounds"][0]["actions"][0]
        back = [{"target": done["target"], "amount": abs(done["turns"]), "way": self.advised(first)[0]["way"]}]
        self.assertEqual(self.turn("gantry", "z", back)[0], 200)
        self.assertAlmostEqual(
            self.measure("gantry", "z")["found"]["tilt"]["value"], first["found"]["tilt"]["value"], delta=0.03
        )

    def test_what_cannot_be_is_refused_at_its_field(self):
        status, answer = self.turn("gantry", "z", [{"target": "z1", "amount": 0.1, "way": "clockwise"}])
        self.assertEqual((status, answer["code"]), (409, "measure_first"))
        self.measure("gantry", "z")
        for turned, field in (
            ([], "turned"),
            ([{"target": "z9", "amount": 0.1, "way": "clockwise"}], "turned.0.target"),
            ([{"target": "z1", "amount": 0.1, "way": "up"}], "turned.0.way"),
            ([{"target": "z1", "amount": 0, "way": "clockwise"}], "turned.0.amount"),
            ([{"target": "z1", "amount": 1e9, "way": "clockwise"}], "turned.0.amount"),
        ):
            status, answer = self.turn("gantry", "z", turned)
            self.assertEqual((status, answer["field"]), (422, field))
        self.assertEqual(self.call("technician", "POST", self.path("drag", "x"), {"turned": []})[0], 409)
        self.assertEqual(self.call("member", "POST", self.path("gantry", "z"), {"turned": []})[0], 403)
        self.assertEqual(Action.objects.count(), 0)

    def test_a_turn_repeated_by_a_bad_link_is_turned_once(self):
        todo = self.advised(self.measure("gantry", "z"))
        for _ in range(3):
            self.assertEqual(self.turn("gantry", "z", todo, key="one")[0], 200)
        self.assertEqual(Action.objects.count(), 1)

    def test_the_map_of_another_day_is_told_beside_this_one(self):
        cold, hot = self.measure("bed", "bed"), self.measure("bed", "bed", hot_c=60.0)
        earlier = self.good("technician", "GET", f"/captures/{hot['id']}/earlier")
        self.assertEqual([c["id"] for c in earlier], [cold["id"]])
        self.assertEqual(self.call("member", "GET", f"/captures/{hot['id']}/earlier")[0], 403)


class First(ApiCase):
    def first(self, printer, case=None):
        query = f"?case_id={case}" if case else ""
        return self.good("technician", "GET", f"/printers/{printer.pk}/bench{query}")["first"]

    def test_what_a_case_asks_for_comes_first_and_what_is_not_known_after_it(self):
        case = self.report(finding="square_is_diamond", axis="all")
        self.good("technician", "POST", f"/cases/{case}/take")
        asked = self.first(self.crossed, case)
        self.assertTrue(asked[0]["why"].startswith("The case asks for it"))
        self.assertIn(asked[0]["procedure"], ("squareness", "square-reversal", "belt-pluck"))
        alone = self.first(self.crossed)
        self.assertFalse(any(f["why"].startswith("The case") for f in alone))
        self.assertIn("belt-pluck", [f["procedure"] for f in alone])
        self.assertEqual(len(asked), len({(f["procedure"], f["place"]) for f in asked}))

    def test_what_was_measured_too_long_ago_is_due_with_its_days(self):
        body = {
            "id": str(uuid.uuid4()),
            "place": "x",
            "rows": [{"position_mm": p, "force_n": 1.0} for p in range(0, 100, 10)],
        }
        self.good("technician", "POST", f"/printers/{self.slinger.pk}/drag", body)
        self.assertNotIn("drag", [f["procedure"] for f in self.first(self.slinger)])
        with at(now() + timedelta(days=200)):
            due = next(f for f in self.first(self.slinger) if f["procedure"] == "drag")
        self.assertIn("200 days ago", due["why"])


class Maps(ApiCase):
    def test_a_pasted_map_is_read_and_what_is_none_is_refused_at_the_text(self):
        asked = {"text": "0.1 0.2 0.1\n0.2 0.3 0.2\n", "left_mm": 10, "right_mm": 210, "front_mm": 10, "rear_mm": 210}
        found = self.good("technician", "POST", "/bed-maps/read", asked)
        self.assertEqual((found["columns"], found["lines"], len(found["heights"])), (3, 2, 6))
        self.refused(422, "too_few_rows", "text", "technician", "POST", "/bed-maps/read", {"text": "no map"})
        self.assertEqual(self.call("member", "POST", "/bed-maps/read", asked)[0], 403)
        page = self.good("technician", "GET", f"/printers/{self.slinger.pk}/bench/bed/bed")
        self.assertEqual(page["grid"], {"left_mm": 10.0, "right_mm": 210.0, "front_mm": 10.0, "rear_mm": 210.0})
