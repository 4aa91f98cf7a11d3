"""A tag is lifted when what its reason calls for was seen to; what is missing is said, and a danger is never talked away."""

from datetime import timedelta

from cases.models import Case, NearMiss, Observation
from measuring.models import StoredValue
from people.clock import now
from people.models import AuditEntry
from workshop.models import Component, Event

from .world import ApiCase


class Lifting(ApiCase):
    def setUp(self):
        super().setUp()
        self.path = f"/printers/{self.slinger.pk}"
        self.good("technician", "POST", f"{self.path}/tag-out", {"reason": "It knocks."})

    def missing(self):
        return [m["words"] for m in self.good("technician", "GET", self.path)["before_lifting"]]

    def lift(self, verified=""):
        return self.call("technician", "DELETE", f"{self.path}/tag-out?verified={verified}")

    def test_nothing_missing_nothing_asked(self):
        self.assertEqual(self.missing(), [])
        self.assertEqual(self.lift()[0], 200)

    def trouble(self):
        part = Component.objects.get(printer=self.slinger, kind="idler", place="x").pk
        self.good(
            "technician",
            "POST",
            f"/components/{part}/deeds",
            {"did": "inspect", "found": "trouble", "words": "Rumbles."},
        )
        return part

    def test_trouble_that_was_found_is_missing_until_it_is_seen_to_or_said_for(self):
        part = self.trouble()
        self.assertEqual(self.missing(), ["Trouble was found: Idlers, X: rumbles."])
        status, answer = self.lift()
        self.assertEqual((status, answer["code"], answer["field"]), (409, "not_verified", "verified"))
        self.assertIn("Idlers, X: rumbles.", answer["detail"])
        self.assertEqual(self.lift("Ran+an+hour+with+a+hand+on+it")[0], 200)
        self.assertTrue(AuditEntry.objects.filter(words__contains="Made sure of by: Ran an hour").exists())
        self.good("technician", "POST", f"{self.path}/tag-out", {"reason": "Again."})
        self.good("technician", "POST", f"/components/{part}/deeds", {"did": "lubricate", "used": "oil"})
        self.assertEqual(self.missing(), [])

    def test_trouble_in_a_part_makes_rough_work_only(self):
        self.lift()
        self.trouble()
        seen = self.good("member", "GET", self.path)["condition"]
        self.assertEqual((seen["fitness"], seen["reason"]), ("rough_only", "Idlers, X: rumbles"))

    def test_a_memory_that_was_not_read_back(self):
        StoredValue.objects.create(
            printer=self.slinger, name="steps_x", value=80, unit="steps/mm", at=now() - timedelta(days=9)
        )
        Event.objects.create(printer=self.slinger, event="firmware_updated", at=now())
        self.assertEqual(self.missing(), ["What it has stored was not read back."])

    def test_work_that_is_not_proven(self):
        case = self.report(printer=self.slinger)
        self.assertEqual(self.missing(), [], "only reported")
        self.good("technician", "POST", f"/cases/{case}/take")
        self.assertIn("A case is not proven yet", self.missing()[0])

    def test_a_danger_is_never_talked_away(self):
        case = Case.objects.create(printer=self.slinger, title="Smoke", reported_at=now())
        Observation.objects.create(case=case, finding="smoke_or_smell", state="present", at=now())
        self.assertEqual(self.missing(), ["A case with a danger is open: Smoke"])
        status, answer = self.lift("It+is+fine")
        self.assertEqual((status, answer["code"]), (409, "danger_open"))


class NearMisses(ApiCase):
    def tell(self, who="member", **more):
        return self.good(who, "POST", "/near-misses", {"words": "The blade slipped off the part.", **more})

    def test_told_by_anyone_without_a_name_read_and_answered_by_the_lead(self):
        self.tell(printer_id=self.slinger.pk, hurt=True)
        (row,) = self.good("technician", "GET", "/near-misses")
        self.assertEqual((row["printer"], row["hurt"], row["read_at"]), (self.slinger.name, True, None))
        self.assertFalse({f.name for f in NearMiss._meta.fields} & {"by", "user", "who", "reported_by"})
        self.assertFalse(AuditEntry.objects.filter(what="nearmiss").exists())
        wanted = self.good("technician", "GET", "/floor")["wanted"]
        self.assertIn("near_miss", [w["kind"] for w in wanted])
        (row,) = self.good("lead", "POST", f"/near-misses/{row['id']}", {"words": "A mesh glove hangs there now."})
        self.assertTrue(row["read_at"])
        wanted = self.good("technician", "GET", "/floor")["wanted"]
        self.assertNotIn("near_miss", [w["kind"] for w in wanted])

    def test_members_read_none_and_technicians_answer_none(self):
        self.tell()
        self.refused(403, "not_yours", None, "member", "GET", "/near-misses")
        pk = NearMiss.objects.get().pk
        self.refused(403, "not_yours", None, "technician", "POST", f"/near-misses/{pk}", {"words": "x"})
        self.refused(404, "not_found", None, "lead", "POST", "/near-misses/999999", {"words": "x"})
        self.assertEqual(self.call("member", "POST", "/near-misses", {"words": "  a "})[0], 422)
