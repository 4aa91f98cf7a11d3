"""Rounds of service: what is due and why, ticked off in the order that does not undo itself, and what a machine itself asks for."""

from datetime import timedelta

from kestov_core.knowledge.part_kinds import part_kinds
from kestov_core.knowledge.tasks import tasks
from measuring.models import Capture, Standing
from people.clock import at, now
from service.models import Asked, Done
from workshop.models import Component, Deed, Printer

from .world import ApiCase


class Rounds(ApiCase):
    def setUp(self):
        super().setUp()
        self.path = f"/printers/{self.slinger.pk}"
        Printer.objects.filter(pk=self.slinger.pk).update(in_use_since=(now() - timedelta(days=400)).date())

    def see(self):
        return self.good("technician", "GET", f"{self.path}/service")

    def task(self, name, seen=None):
        return next(t for t in (seen or self.see())["due"] if t["task"] == name)

    def tick(self, task, days_ago=0.0, **more):
        with at(now() - timedelta(days=days_ago)):
            return self.good("technician", "POST", f"{self.path}/service/done", {"task": task, **more})

    def meter(self, hours, days_ago):
        with at(now() - timedelta(days=days_ago)):
            self.good("technician", "POST", f"{self.path}/meter", {"hours": hours})

    def test_what_was_never_done_is_due_with_how_it_is_done(self):
        belts = self.task("belts")
        self.assertEqual((belts["because"], belts["overdue_by"]), ("time", 370))
        self.assertEqual([p["place"] for p in belts["parts"]], ["x", "y"])
        self.assertEqual(belts["measure"], "belt-pluck")
        guides = self.task("guides")
        self.assertTrue(guides["lubricates"])
        self.assertTrue(all(p["lubricant"] for p in guides["parts"]))

    def test_what_it_measures_in_doubt_it_is_due_at_once_until_it_was_done(self):
        self.tick("resonance_baseline", 1)
        self.assertEqual(self.task("resonance_baseline")["because"], "time")
        told = {"printer": self.slinger, "procedure": "resonance", "doubt": "belt X was set", "taken_at": now()}
        capture = Capture.objects.create(
            printer=self.slinger, place="x", procedure="resonance", context={}, source="typed", taken_at=now()
        )
        Standing.objects.create(place="x", capture=capture, verdict="ok", words="45 Hz", doubt_at=now() - timedelta(hours=2), **told)  # fmt: skip
        due = self.task("resonance_baseline")
        self.assertEqual((due["because"], due["why"]), ("condition", "In doubt at X: belt X was set."))
        rows = self.good("technician", "GET", "/service")
        self.assertGreater(next(r["due"] for r in rows if r["printer_id"] == self.slinger.pk), 0)
        self.tick("resonance_baseline")
        self.assertEqual(self.task("resonance_baseline")["because"], "time")

    def test_a_part_past_its_expected_life_is_asked_for_once_a_month(self):
        self.tick("worn_out", 40)
        self.meter(0, 300)
        self.meter(200, 0)
        self.assertEqual(self.task("worn_out")["because"], "time")
        life = part_kinds()["nozzle"].life_hours
        Component.objects.filter(printer=self.slinger, kind="nozzle").update(
            fitted_hours=200 - life - 1, fitted_on=None
        )
        due = self.task("worn_out")
        self.assertEqual(due["because"], "condition")
        self.assertIn(f"{life + 1:.0f} of {life:.0f} h (typical)", due["why"])
        self.tick("worn_out")
        self.assertEqual(self.task("worn_out")["because"], "time")
        with at(now() + timedelta(days=31)):
            self.assertEqual(self.task("worn_out")["because"], "condition")

    def test_what_is_fetched_goes_by_the_material_of_what_is_there(self):
        kinds = set(Component.objects.filter(printer=self.slinger).values_list("kind", flat=True))
        row = self.task("guides")
        theirs = {part_kinds()[k].stuff for k in tasks()["guides"].parts if k in kinds} - {""}
        self.assertEqual(set(row["fetched"]), {*tasks()["guides"].tools, *theirs})
        self.assertTrue(theirs)

    def test_a_task_is_only_of_machines_that_have_the_part(self):
        Component.objects.filter(printer=self.slinger, kind="filament_sensor").delete()
        self.assertNotIn("filament_sensor", [t["task"] for t in self.see()["due"]])

    def test_whichever_comes_first_by_the_meter(self):
        self.meter(100, 40)
        self.meter(300, 20)
        self.tick("belts", days_ago=10)
        belts = self.task("belts")
        # Ten hours a day: 100 of 150 h are used; fifteen days after it was done it is due, not thirty.
        self.assertEqual((belts["because"], round(belts["overdue_by"])), ("hours", -5))
        self.assertEqual((belts["last_by"], belts["last_found"]), ("Technician", "fine"))

    def test_the_round_is_in_the_order_that_does_not_undo_itself_and_shrinks(self):
        seen = self.see()
        order = seen["round"]
        self.assertLess(order.index("guides"), order.index("screws"))
        self.assertLess(order.index("belts"), order.index("test_part"))
        for task in order:
            seen = self.tick(task)
        self.assertEqual(seen["round"], [])
        self.assertTrue(all(t["overdue_by"] is None or t["overdue_by"] < 0 for t in seen["due"]))

    def test_what_falls_due_soon_is_done_with_what_is_due_today(self):
        first = self.see()["round"]
        for task in first:
            self.tick(task, days_ago=27)
        self.tick("wipe_down", days_ago=6)
        self.tick("plate")
        # Much falls due within three days, but nothing is due today: nobody opens the machine for it.
        self.assertEqual(self.see()["round"], [])
        with at(now() + timedelta(days=4)):
            order = self.see()["round"]
        self.assertIn("belts", order)
        self.assertIn("wipe_down", order)

    def test_a_tick_is_an_observation_of_its_parts(self):
        self.tick("joints")
        parts = self.good("technician", "GET", f"{self.path}/components")["parts"]
        self.assertEqual(next(p for p in parts if p["kind"] == "joints")["condition"], "sound")
        self.tick("idlers")
        self.assertEqual(Deed.objects.filter(component__kind="idler", did="lubricated").count(), 2)
        lines = self.good("technician", "GET", f"{self.path}/record")["lines"]
        self.assertIn("Round: Frame bolts and joints: all fine", [line["words"] for line in lines])

    def test_trouble_is_told_of_the_part_it_was_found_in(self):
        self.refused(422, "missing_field", "words", "technician", "POST", f"{self.path}/service/done",
                     {"task": "idlers", "found": "trouble"})  # fmt: skip
        self.refused(422, "missing_field", "component_id", "technician", "POST", f"{self.path}/service/done",
                     {"task": "idlers", "found": "trouble", "words": "Grates."})  # fmt: skip
        idler = next(p for p in self.task("idlers")["parts"] if p["place"] == "y")
        self.tick("idlers", found="trouble", words="Grates.", component_id=idler["id"])
        conditions = {
            p["place"]: p["condition"]
            for p in self.good("technician", "GET", f"{self.path}/components")["parts"]
            if p["kind"] == "idler"
        }
        self.assertEqual(conditions, {"x": "not_known", "y": "out_of_adjustment"})
        self.assertEqual(Done.objects.get().words, "Grates.")

    def test_what_was_touched_puts_in_doubt_what_it_upsets(self):
        self.good("technician", "POST", f"{self.path}/stored/keep", {"text": "M851 Z-0.5", "take": ["nozzle_height"]})
        self.tick("screws", found="needed")
        events = [line["words"] for line in self.good("technician", "GET", f"{self.path}/record")["lines"]]
        self.assertTrue(any(w.startswith("Screw touched") for w in events), events)

    def test_trouble_opens_a_case_with_what_was_found_at_its_place(self):
        belt = next(p for p in self.task("belts")["parts"] if p["place"] == "x")
        told = {"found": "trouble", "words": "Two teeth gone.", "component_id": belt["id"], "becomes": "case"}
        self.refused(422, "missing_field", "finding", "technician", "POST", f"{self.path}/service/done", {"task": "belts", **told})  # fmt: skip
        wrong = {"task": "belts", **told, "finding": "nonsense"}
        self.refused(422, "out_of_range", "finding", "technician", "POST", f"{self.path}/service/done", wrong)
        self.assertFalse(Done.objects.exists(), "nothing is half taken")
        self.assertIn("belt_damaged", [s["finding"] for s in self.task("belts")["shows"]])
        seen = self.tick("belts", **told, finding="belt_damaged")
        case = self.good("technician", "GET", f"/cases/{seen['case']}")
        self.assertEqual(case["words"], "Belts: looked at, plucked, running true: Two teeth gone.")
        self.assertEqual([(o["finding"], o["axis"]) for o in case["observations"]], [("belt_damaged", "x")])

    def test_a_danger_found_in_a_round_tags_the_machine_out(self):
        plug = self.task("wiring")["parts"][0]["id"]
        self.tick(
            "wiring", found="trouble", words="Browned.", component_id=plug, becomes="case", finding="smoke_or_smell"
        )
        self.assertEqual(self.good("technician", "GET", self.path)["condition"]["fitness"], "tagged_out")

    def test_put_right_on_the_spot_it_is_in_trouble_no_more_and_what_that_upsets_follows(self):
        belt = next(p for p in self.task("belts")["parts"] if p["place"] == "x")
        self.assertTrue(belt["adjusts"])
        seen = self.tick("belts", found="trouble", words="Slack.", component_id=belt["id"], becomes="adjusted")
        self.assertEqual(Component.objects.get(pk=belt["id"]).trouble, "")
        self.assertEqual(Deed.objects.get(pk=seen["id"]).found, "trouble")
        events = [line["words"] for line in self.good("technician", "GET", f"{self.path}/record")["lines"]]
        self.assertTrue(any("Adjusted: Belt" in w for w in events), events)
        fan = self.task("dust")["parts"][0]
        self.refused(
            422, "out_of_range", "becomes", "technician", "POST", f"{self.path}/service/done",
            {"task": "dust", "found": "trouble", "words": "Grates.", "component_id": fan["id"], "becomes": "adjusted"},
        )  # fmt: skip

    def test_what_the_machine_asks_for_is_due_at_once_in_its_words_and_cleared_when_done(self):
        self.tick("guides")
        body = {"words": "LUBRICATE X AXIS", "task": "guides"}
        seen = self.good("technician", "POST", f"{self.path}/service/asked", body)
        guides = self.task("guides", seen)
        self.assertEqual((guides["because"], guides["why"]), ("condition", "LUBRICATE X AXIS"))
        self.assertIn("guides", seen["round"])
        self.assertEqual(self.tick("guides")["asked"], [])
        seen = self.good("technician", "POST", f"{self.path}/service/asked", {"words": "E23"})
        row = seen["asked"][0]["id"]
        self.assertEqual(self.good("technician", "POST", f"/service/asked/{row}/clear")["asked"], [])
        self.assertEqual(self.call("technician", "POST", f"/service/asked/{row}/clear")[0], 409)
        self.assertEqual(Asked.objects.filter(cleared_at=None).count(), 0)

    def test_all_machines_at_a_glance_the_most_overdue_first(self):
        for task in self.see()["round"]:
            self.tick(task)
        rows = self.good("technician", "GET", "/service")
        self.assertEqual([(r["printer"], r["due"] > 0) for r in rows], [("Bowline", True), ("Halyard", False)])
        self.assertIsNotNone(rows[1]["next_on"])
        alone = [t for t in self.see()["due"] if t["overdue_by"] is not None and t["overdue_by"] >= 0]
        self.assertEqual(rows[1]["due"], len(alone))

    def test_the_list_follows_at_once_what_is_done_asked_and_changed(self):
        def due():
            rows = self.good("technician", "GET", "/service")
            return next(r["due"] for r in rows if r["printer_id"] == self.slinger.pk)

        before = due()
        self.tick("belts")
        self.assertEqual(due(), before - 1)
        self.good("technician", "POST", f"{self.path}/service/asked", {"words": "Service the belts", "task": "belts"})
        self.assertEqual(due(), before)
        self.good("lead", "POST", "/service/tasks/belts", {"mend": {"off": True}})
        self.assertEqual(due(), before - 1)

    def test_what_was_done_without_network_comes_late_and_another_has_done_it_since(self):
        self.tick("belts")
        entered = (now() - timedelta(days=2)).isoformat()
        path = f"{self.path}/service/done"
        self.good("technician", "POST", path, {"task": "belts"}, entered=entered, key="late-tick")
        self.assertEqual(Done.objects.filter(task="belts").count(), 2)
        self.assertEqual(round(self.task("belts")["overdue_by"]), -30)

    def test_nonsense_and_strangers(self):
        self.assertEqual(self.call("technician", "POST", f"{self.path}/service/done", {"task": "wishing"})[0], 404)
        self.refused(422, "out_of_range", "task", "technician", "POST", f"{self.path}/service/asked",
                     {"words": "E5", "task": "wishing"})  # fmt: skip
        self.assertEqual(self.call("member", "GET", f"{self.path}/service")[0], 403)
        self.assertEqual(self.call("member", "GET", "/service")[0], 403)
