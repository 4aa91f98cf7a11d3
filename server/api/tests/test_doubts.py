"""What events put in doubt, as the workshop has it: changed with why, by it all machines are judged, and taken back."""

from measuring.models import DoubtMend, Standing
from work.models import State, Work

from .world import ApiCase


class OwnDoubts(ApiCase):
    def see(self):
        found = self.good("technician", "GET", "/doubts")
        return {e["event"]: e for e in found["events"]}, found

    def mend(self, event="belt_tensioned", who="lead", **body):
        return self.call(who, "POST", f"/doubts/{event}", body)

    def mended(self, event="belt_tensioned", **body):
        status, found = self.mend(event, **body)
        self.assertEqual(status, 200, found)
        self.do_work()
        return next(e for e in found["events"] if e["event"] == event)

    def test_all_that_comes_is_told_in_words(self):
        events, found = self.see()
        self.assertIn("resonance", events["belt_tensioned"]["measured"])
        self.assertEqual(events["belt_tensioned"]["changed"], [])
        self.assertIn("Steps", " ".join(s["words"] for s in found["stored"]))

    def test_what_the_lead_adds_and_takes_away_holds_for_all_machines_at_once(self):
        self.stand_in("a")
        self.good("technician", "POST", f"/printers/{self.crossed.pk}/events", {"event": "spool_moved"})
        standing = Standing.objects.get(printer=self.crossed, place="a", procedure="belt-pluck")
        self.assertEqual(standing.doubt, "")
        event = self.mended("spool_moved", mend={"measured": ["belt-pluck"]}, why="Ours hangs on the beam.")
        self.assertEqual(event["measured"], ["belt-pluck"])
        (changed,) = event["changed"]
        self.assertEqual((changed["field"], changed["why"]), ("measured", "Ours hangs on the beam."))
        self.assertIn("resonance", changed["came"])
        standing.refresh_from_db()
        self.assertNotEqual(standing.doubt, "")
        plan = self.good("technician", "GET", f"/printers/{self.crossed.pk}/baseline")
        self.assertEqual([(s["procedure"], s["place"]) for s in plan["steps"]], [("belt-pluck", "a")])
        self.mended("spool_moved", back=["measured"])
        standing.refresh_from_db()
        self.assertEqual(standing.doubt, "")
        self.assertEqual(self.see()[0]["spool_moved"]["changed"], [])

    def test_as_it_came_is_no_change_and_the_plan_tells_what_is_looked_at_by_hand(self):
        came = self.see()[0]["frame_touched"]
        status, body = self.mend("frame_touched", mend={"measured": came["measured"]})
        self.assertEqual((status, body["code"]), (422, "missing_field"))
        self.mended("frame_touched", mend={"by_hand": ["Look whether the ribbon is free of the beam."]})
        self.good(
            "technician",
            "POST",
            f"/printers/{self.crossed.pk}/stored/keep",
            {"text": "M852 I0.001", "take": ["skew_xy"]},
        )
        self.good("technician", "POST", f"/printers/{self.crossed.pk}/events", {"event": "frame_touched"})
        plan = self.good("technician", "GET", f"/printers/{self.crossed.pk}/baseline")
        self.assertEqual(plan["by_hand"], ["Look whether the ribbon is free of the beam."])

    def test_nonsense_is_refused_at_its_place_and_nothing_is_kept(self):
        for body, status, code, field in (
            ({"mend": {"measured": ["belt-pluck", "wishing"]}}, 422, "out_of_range", "mend.measured.1"),
            ({"mend": {"lost": ["charm"]}}, 422, "out_of_range", "mend.lost.0"),
            ({"mend": {"by_hand": ["no"]}}, 422, "out_of_range", "mend.by_hand.0"),
            ({}, 422, "missing_field", "mend"),
        ):
            got, answer = self.mend(**body)
            self.assertEqual((got, answer["code"], answer["field"]), (status, code, field), body)
        self.assertEqual(self.mend("no_such_event", mend={"measured": []})[0], 404)
        self.assertEqual(self.mend(who="technician", mend={"measured": []})[0], 403)
        self.assertEqual(DoubtMend.objects.count(), 0)

    def test_the_change_is_worked_out_by_a_worker_once(self):
        self.mend("spool_moved", mend={"measured": []})
        self.mend("spool_moved", mend={"lost": ["skew"]})
        self.assertEqual(Work.objects.filter(kind="doubts", state=State.WAITING).count(), 1)
