"""What waited on a device without network: it happens when it was entered, once, and the audit trail says that it came late."""

import uuid
from datetime import timedelta

from cases.models import Case
from measuring.models import Action, Capture, StoredValue
from measuring.rounds import rounds
from people.clock import at, now
from people.models import AuditEntry, DoneOnce

from .world import ApiCase, wav_file

HOUR = timedelta(hours=1)


class Late(ApiCase):
    def turn(self, place, entered=None, **more):
        body = {"place": place, "turns": 0.5, "case_id": None}
        return self.call("technician", "POST", f"/printers/{self.crossed.pk}/turns", body, entered=entered, **more)

    def stand_in_at(self, place, moment):
        with at(moment):
            return self.stand_in(place)

    def test_a_report_happens_when_it_was_entered_and_the_audit_says_when_it_came(self):
        entered = now() - 3 * HOUR
        body = {"printer_id": self.crossed.pk, "finding": "echoes_after_corners", "axis": "x"}
        made = self.good("member", "POST", "/cases", body, entered=entered.isoformat())
        self.assertEqual(Case.objects.get(pk=made["id"]).reported_at, entered)
        line = AuditEntry.objects.get(verb="reported")
        self.assertEqual(line.entered_at, entered)
        self.assertGreater(line.at, now() - HOUR)
        told = self.good("lead", "GET", "/audit")["lines"]
        self.assertEqual([x["entered_at"] is not None for x in told if x["verb"] == "reported"], [True])

    def test_what_comes_at_once_has_one_time(self):
        self.report()
        self.assertIsNone(AuditEntry.objects.get(verb="reported").entered_at)

    def test_a_turn_that_comes_late_ends_the_round_in_which_it_was_made(self):
        self.stand_in_at("a", now() - 4 * HOUR)
        # Meanwhile somebody else measured, turned and measured again.
        self.stand_in_at("b", now() - 2 * HOUR)
        self.assertEqual(self.turn("b")[0], 200)
        self.stand_in("b")
        self.assertEqual(self.turn("a", entered=(now() - 3 * HOUR).isoformat())[0], 200)
        late = Action.objects.get(place="a")
        self.assertLess(late.at, now() - 2 * HOUR)
        past = rounds(self.crossed, ["a", "b"], None)
        self.assertEqual([(r.number, sorted(a.place for a in r.actions)) for r in past], [(1, ["a", "b"]), (2, [])])

    def test_a_turn_before_anything_was_measured_then_is_refused_though_it_was_measured_since(self):
        self.stand_in("a")
        status, answer = self.turn("a", entered=(now() - HOUR).isoformat())
        self.assertEqual((status, answer["code"]), (409, "measure_first"))

    def test_sent_again_late_it_is_the_same_write(self):
        self.stand_in_at("a", now() - HOUR)
        key, entered = str(uuid.uuid4()), (now() - HOUR / 2).isoformat()
        self.assertEqual(self.turn("a", key=key)[0], 200)
        self.assertEqual(self.turn("a", key=key, entered=entered)[0], 200)
        self.assertEqual(Action.objects.count(), 1)
        # The key is kept from when it came, so that no sweep takes it early.
        self.assertGreater(DoneOnce.objects.get(key=key).at, now() - HOUR / 4)

    def test_a_value_that_was_set_and_an_answer_carry_their_time(self):
        entered = now() - 2 * HOUR
        body = {"name": "steps_x", "value": 80.1, "unit": "steps/mm"}
        path = f"/printers/{self.crossed.pk}/ledger"
        self.good("technician", "POST", path, body, entered=entered.isoformat())
        self.assertEqual(StoredValue.objects.get().at, entered)
        with at(now() - 5 * HOUR):
            case = self.report()
        answer = {"check": "rock", "axis": "x", "found": [], "unsure": False}
        self.good("technician", "POST", f"/cases/{case}/outcomes", answer, entered=entered.isoformat())
        self.assertEqual({o.at for o in Case.objects.get(pk=case).observations.filter(check_name="rock")}, {entered})

    def test_too_late_is_refused_with_what_to_do_but_for_what_tells_a_repeat_for_ever(self):
        self.stand_in_at("a", now() - timedelta(days=8))
        entered = (now() - timedelta(days=7)).isoformat()
        status, answer = self.turn("a", entered=entered)
        self.assertEqual((status, answer["code"], answer["field"]), (409, "too_late", "Entered-At"))
        self.assertIn("look whether it is there", answer["detail"])
        meta = f'{{"id": "{uuid.uuid4()}", "place": "a", "context": {{"span_mm": 285}}}}'
        for _ in range(2):
            path = f"/printers/{self.crossed.pk}/belt-pluck/file"
            self.good("technician", "POST", path, entered=entered, key="one", meta=meta, file=wav_file())
        self.assertEqual(Capture.objects.filter(taken_at=entered, source="file").count(), 1)

    def test_a_time_that_is_none_is_refused_and_one_ahead_is_now(self):
        self.stand_in("a")
        for told in ("yesterday", "2026-01-01T10:00:00", "0001-01-01T00:00:00+14:00"):
            status, answer = self.turn("a", entered=told)
            self.assertEqual((status, answer["field"]), (422, "Entered-At"), told)
        self.assertEqual(self.turn("a", entered=(now() + HOUR).isoformat())[0], 200)
        self.assertLess(Action.objects.get().at, now())
