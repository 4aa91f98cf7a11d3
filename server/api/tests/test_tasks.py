"""Tasks of service as the workshop has them: a maker's list first, then its own; the order; and what the rounds tell of how often."""

from datetime import timedelta

from kestov_core.knowledge.tasks import Every
from people.clock import at, now
from people.models import AuditEntry
from service import tasks
from service.models import Done, TaskMend
from workshop.models import Printer

from .world import ApiCase


class Tasks(ApiCase):
    path = "/service/tasks"

    def see(self, model=None):
        return self.good("technician", "GET", self.path if model is None else f"{self.path}?model={model}")

    def task(self, name, seen=None):
        return next(t for t in (seen or self.see())["tasks"] if t["id"] == name)

    def mend(self, task, mend, model=None, **more):
        return self.good("lead", "POST", f"{self.path}/{task}", {"model_id": model, "mend": mend, **more})

    def due(self, printer, task):
        seen = self.good("technician", "GET", f"/printers/{printer.pk}/service")["due"]
        return next((d for d in seen if d["task"] == task), None)

    def test_as_they_come_each_is_typical(self):
        belts = self.task("belts")
        self.assertEqual((belts["source"], belts["every"]["days"], belts["every"]["hours"]), ("typical", 30, 150))
        self.assertFalse(belts["changed"] or belts["proposed"])

    def test_the_makers_goes_before_the_workshops_and_reaches_what_is_due(self):
        Printer.objects.update(in_use_since=(now() - timedelta(days=50)).date())
        self.assertEqual(self.due(self.slinger, "belts")["overdue_by"], 20)
        self.mend("belts", {"every": {"days": 60}}, why="They hold.")
        self.assertEqual(self.due(self.slinger, "belts")["overdue_by"], -10)
        model = self.slinger.model_id
        self.mend("belts", {"every": {"days": 45}}, model, why="Page 12 of its manual.")
        self.assertEqual(self.due(self.slinger, "belts")["overdue_by"], 5)
        self.assertEqual(self.due(self.crossed, "belts")["overdue_by"], -10)
        its = self.task("belts", self.see(model))
        self.assertEqual((its["source"], its["every"]["days"], its["came"]["days"]), ("maker", 45, 60))
        self.assertEqual([(c["maker"], c["why"]) for c in its["changed"]], [(True, "Page 12 of its manual.")])
        self.mend("belts", {}, model, back=["every"])
        self.assertEqual(self.task("belts", self.see(model))["source"], "workshop")
        self.mend("belts", {}, back=["every"])
        self.assertEqual(self.task("belts")["source"], "typical")
        self.assertIn("They hold.", AuditEntry.objects.filter(verb="mended").last().words)

    def test_told_as_it_came_anyway_nothing_is_held(self):
        self.mend("belts", {"every": {"days": 60}})
        self.mend("belts", {"every": {"days": 30, "hours": 150}})
        self.assertEqual(self.task("belts")["changed"], [])

    def test_what_is_not_done_here_is_in_no_round_and_can_come_back(self):
        seen = self.mend("idlers", {"off": True}, why="Sealed ones.")
        self.assertTrue(self.task("idlers", seen)["off"])
        self.assertIsNone(self.due(self.slinger, "idlers"))
        self.mend("idlers", {"off": False})
        self.assertIsNotNone(self.due(self.slinger, "idlers"))

    def test_what_cannot_be_is_refused_at_its_field(self):
        def refused(status, code, field, mend, task="belts", **more):
            self.refused(status, code, field, "lead", "POST", f"{self.path}/{task}", {"mend": mend, **more})

        refused(422, "out_of_range", "mend.every.days", {"every": {"days": 0}})
        refused(422, "out_of_range", "mend.every", {"every": {}})
        refused(422, "out_of_range", "mend.caution", {"caution": ""})
        refused(422, "missing_field", "mend", {})
        refused(422, "missing_field", "mend", {"every": {"days": 30, "hours": 150}})
        refused(404, "not_found", None, {"every": {"days": 9}}, task="wings")
        refused(404, "not_found", None, {"every": {"days": 9}}, model_id=999999)
        self.refused(403, "not_yours", None, "technician", "POST", f"{self.path}/belts", {"mend": {"minutes": 5}})
        self.assertFalse(TaskMend.objects.exists())

    def test_another_order_is_kept_unless_it_undoes_itself(self):
        order = [t["id"] for t in self.see()["tasks"]]
        order.remove("spares")
        seen = self.good("lead", "POST", "/service/order", {"order": ["spares", *order]})
        self.assertEqual((seen["tasks"][0]["id"], seen["arranged"]), ("spares", True))
        due = self.good("technician", "GET", f"/printers/{self.slinger.pk}/service")
        self.assertEqual(due["round"][0], "spares")
        wrong = ["screws", *(t for t in order if t != "screws")]
        self.refused(422, "undoes", "order", "lead", "POST", "/service/order", {"order": wrong})
        self.refused(422, "out_of_range", "order", "lead", "POST", "/service/order", {"order": ["wings"]})
        back = self.good("lead", "POST", "/service/order", {"order": []})
        self.assertEqual((back["tasks"][-1]["id"], back["arranged"]), ("spares", False))

    def test_a_makers_order_goes_before_the_workshops_for_its_model_alone(self):
        order = [t["id"] for t in self.see()["tasks"] if t["id"] != "spares"]
        told = {"model_id": self.slinger.model_id, "order": ["spares", *order]}
        seen = self.good("lead", "POST", "/service/order", told)
        self.assertEqual((seen["tasks"][0]["id"], seen["arranged"]), ("spares", True))
        self.good("lead", "POST", "/service/order", {"order": [*order, "spares"]})
        of = lambda p: self.good("technician", "GET", f"/printers/{p.pk}/service")["round"]  # noqa: E731
        self.assertEqual((of(self.slinger)[0], of(self.crossed)[-1]), ("spares", "spares"))
        wrong = {**told, "order": ["screws", *(t for t in order if t != "screws")]}
        self.refused(422, "undoes", "order", "lead", "POST", "/service/order", wrong)
        # Taken back, it is the workshop's again.
        back = self.good("lead", "POST", "/service/order", {**told, "order": []})
        self.assertEqual((back["tasks"][-1]["id"], back["arranged"]), ("spares", False))

    def test_a_task_of_ones_own_is_due_ticked_and_told(self):
        own = {
            "label": "Seals greased", "every": {"days": 90}, "parts": [], "state": "unplugged", "stage": "guides",
            "minutes": 4, "steps": ["Grease the seals."], "caution": "Unplugged.", "trouble": "Torn.",
        }  # fmt: skip
        seen = self.good("lead", "POST", self.path, {**own, "model_id": self.slinger.model_id})
        added = next(t for t in seen["tasks"] if t["own"])
        self.assertEqual((added["source"], added["every"]["days"]), ("maker", 90))
        self.assertFalse(any(t["own"] for t in self.see()["tasks"]), "another model's maker asks nothing of it")
        self.assertIsNone(self.due(self.crossed, added["id"]))
        path = f"/printers/{self.slinger.pk}"
        self.good("technician", "POST", f"{path}/service/done", {"task": added["id"], "found": "fine"})
        record = self.good("technician", "GET", f"{path}/record")["lines"]
        self.assertIn("Round: Seals greased: all fine", [r["words"] for r in record])
        self.mend(added["id"], {"every": {"days": 30}}, self.slinger.model_id)
        self.assertEqual(self.due(self.slinger, added["id"])["overdue_by"], -30)
        bad = {**own, "parts": ["wing"]}
        self.refused(422, "out_of_range", "parts", "lead", "POST", self.path, bad)
        self.refused(422, "out_of_range", "every", "lead", "POST", self.path, {**own, "every": {}})


class Learned(ApiCase):
    """Rounds done on time, with what they found."""

    def rounds(self, task, found, every=30, until=0):
        for i, what in enumerate(found):
            then = now() - timedelta(days=every * (len(found) - i) + until)
            Done.objects.add(self.slinger, task, then, label=task, found=what, by=self.people["lead"])

    def proposed(self, task, model=None):
        seen = self.good("lead", "GET", "/service/tasks" + (f"?model={model}" if model else ""))
        return next(t for t in seen["tasks"] if t["id"] == task)["proposed"]

    def test_what_keeps_finding_nothing_may_wait_longer_and_the_lead_takes_it(self):
        self.rounds("belts", ["fine"] * 13)
        found = self.proposed("belts")
        self.assertEqual((found["rounds"], found["finds"]), (12, 0))
        self.assertEqual((found["every"]["days"], found["every"]["hours"]), (45, 220))
        seen = self.good("lead", "POST", "/service/tasks/belts/learned", {})
        belts = next(t for t in seen["tasks"] if t["id"] == "belts")
        self.assertEqual((belts["every"]["days"], belts["source"], belts["proposed"]), (45, "workshop", None))
        self.assertEqual(
            belts["changed"][0]["why"], "Of 12 rounds, over 12 intervals, none found anything: it can wait longer."
        )
        self.refused(409, "nothing_proposed", None, "lead", "POST", "/service/tasks/belts/learned", {})
        self.refused(403, "not_yours", None, "technician", "POST", "/service/tasks/belts/learned", {})

    def test_stretched_by_half_it_is_not_stretched_again(self):
        self.rounds("belts", ["fine"] * 13)
        self.good("lead", "POST", "/service/tasks/belts/learned", {})
        with at(now() + timedelta(days=700)):
            self.rounds("belts", ["fine"] * 14, every=45)
            self.assertEqual(tasks.proposals(None), {})

    def test_what_keeps_finding_trouble_shortens(self):
        self.rounds("gears", ["needed", "fine", "trouble", "needed", "needed", "needed", "needed"])
        found = self.proposed("gears")
        self.assertEqual((found["rounds"], found["finds"]), (6, 5))
        self.assertLess(found["every"]["days"], 25)

    def test_a_makers_interval_is_never_stretched_and_its_machines_tell_nothing_of_the_workshops(self):
        model = self.slinger.model_id
        self.good("lead", "POST", "/service/tasks/belts", {"model_id": model, "mend": {"every": {"days": 30, "hours": 100}}})  # fmt: skip
        with at(now() + timedelta(days=700)):
            self.rounds("belts", ["fine"] * 13, until=200)
            self.assertEqual(tasks.proposals(None), {})
            self.assertEqual(tasks.proposals(model), {})
            self.rounds("belts", ["trouble"] * 20, every=10)
            self.assertEqual(tasks.proposals(model)["belts"].learned.way, "shorten")
            self.assertEqual(tasks.proposals(None), {})

    def test_a_makers_interval_that_was_taken_back_is_the_workshops_again(self):
        model, path = self.slinger.model_id, "/service/tasks/belts"
        self.good("lead", "POST", path, {"model_id": model, "mend": {"every": {"days": 20}}})
        self.rounds("belts", ["fine"] * 13)
        self.assertIsNone(self.proposed("belts"))
        self.good("lead", "POST", path, {"model_id": model, "back": ["every"]})
        self.assertEqual(self.proposed("belts")["rounds"], 12)

    def test_a_round_counts_by_whichever_of_its_meters_went_furthest(self):
        every = Every(days=30, hours=100, km=10)
        then = tasks._Then(now().timestamp(), 0.0, None, 0.0)
        later = then._replace(at=then.at + 3 * 86400, hours=20.0, km=15.0)
        self.assertAlmostEqual(tasks._share(every, then, later), 1.5)
        self.assertAlmostEqual(tasks._share(every, then, later._replace(km=None)), 0.2)

    def test_rounds_from_before_an_interval_was_changed_tell_nothing_of_it(self):
        self.rounds("belts", ["fine"] * 13)
        self.good("lead", "POST", "/service/tasks/belts", {"mend": {"every": {"days": 40}}})
        self.assertIsNone(self.proposed("belts"))
