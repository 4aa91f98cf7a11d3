"""Who may do a thing alone: given with a practice record, asked for at the bench, taken back."""

import uuid
from datetime import timedelta

from django.test import override_settings
from people.clock import at, now
from people.models import AuditEntry
from practice import alone
from practice.models import Alone

from .world import ApiCase


class ASecondPerson(ApiCase):
    def pluck(self, who="technician"):
        body = {"id": str(uuid.uuid4()), "place": "a", "case_id": None}
        return who, "POST", f"/printers/{self.crossed.pk}/belt-pluck/stand-in", body

    def on(self):
        self.assertTrue(self.good("lead", "PUT", "/alone/asks", {"asks": True})["asks"])

    def test_nobody_is_asked_until_the_lead_says_so(self):
        self.good(*self.pluck())
        self.assertFalse(self.good("technician", "GET", "/company/procedure/belt-pluck")["needed"])

    def test_the_bench_asks_and_somebody_who_may_is_enough(self):
        self.on()
        self.assertIn("Say who is with you", self.refused(409, "second_person", "second", *self.pluck()))
        told = self.good("technician", "GET", "/company/procedure/belt-pluck")
        lead = self.people["lead"].pk
        self.assertEqual((told["needed"], [p["id"] for p in told["may"]]), (True, [lead]))
        told = self.good("technician", "POST", "/company/procedure/belt-pluck", {"second_id": lead})
        self.assertTrue(told["fits"])
        taken = self.good(*self.pluck())
        self.assertEqual(taken["circumstances"]["with"], "Lead")
        with at(now() + timedelta(hours=3)):
            self.refused(409, "second_person", "second", *self.pluck())
        # The lead needs nobody.
        self.good(*self.pluck("lead"))

    def test_one_who_may_not_is_not_enough_and_nobody_is_with_themselves(self):
        self.on()
        mine = self.people["technician"].pk
        self.refused(422, "out_of_range", "second_id", "technician", "POST", "/company/procedure/drag", {"second_id": mine})  # fmt: skip
        member = self.people["member"].pk
        self.refused(404, "not_found", None, "technician", "POST", "/company/procedure/drag", {"second_id": member})

    def test_what_is_given_is_done_alone_until_it_is_taken_back(self):
        self.on()
        mine = self.people["technician"].pk
        body = {"kind": "procedure", "name": "belt-pluck", "why": "Ten lessons, none unsafe."}
        given = self.good("lead", "POST", f"/alone/people/{mine}", body)
        row = next(p for p in given["people"] if p["id"] == mine)["may"][0]
        self.assertEqual((row["label"], row["by"]), ("Belt tension by pitch", "Lead"))
        self.good(*self.pluck())
        self.refused(409, "given", "name", "lead", "POST", f"/alone/people/{mine}", body)
        self.good("lead", "DELETE", f"/alone/{row['id']}")
        self.refused(409, "second_person", "second", *self.pluck())
        self.refused(404, "not_found", None, "lead", "DELETE", f"/alone/{row['id']}")
        self.assertEqual(AuditEntry.objects.filter(words__contains="alone: Belt tension").count(), 2)
        self.assertIsNotNone(Alone.objects.get().ended_at)

    def test_a_repair_too(self):
        self.on()
        case = self.report()
        self.good("technician", "POST", f"/cases/{case}/take")
        path, body = f"/cases/{case}/repairs", {"fault": "belt_slack", "axis": "a", "helped": False}
        self.refused(409, "second_person", "second", "technician", "POST", path, body)
        give = {"kind": "repair", "name": "belt_slack"}
        self.good("lead", "POST", f"/alone/people/{self.people['technician'].pk}", give)
        self.good("technician", "POST", path, body)

    def test_only_the_lead_gives_and_only_what_there_is(self):
        mine = self.people["technician"].pk
        body = {"kind": "procedure", "name": "nothing"}
        self.refused(422, "out_of_range", "name", "lead", "POST", f"/alone/people/{mine}", body)
        self.refused(403, "not_yours", None, "technician", "POST", f"/alone/people/{mine}", body)
        self.refused(404, "not_found", None, "lead", "POST", f"/alone/people/{self.people['member'].pk}", body | {"name": "drag"})  # fmt: skip


class ARecord(ApiCase):
    def test_the_practice_record_lies_before_the_lead_and_is_kept_with_what_is_given(self):
        user = self.people["technician"]
        with override_settings(PRACTICE=True):
            run = self.good("technician", "POST", "/practice/runs", {"lesson": "grub_screw", "seed": 5})
            self.good("technician", "POST", f"/practice/runs/{run['id']}/end")
            stated = self.good("lead", "GET", f"/practice/people/{user.pk}/statement")
            self.refused(403, "not_yours", None, "technician", "GET", f"/practice/people/{user.pk}/statement")
        self.assertEqual(stated["username"], "technician")
        path = f"/alone/people/{user.pk}"
        lines = self.good("lead", "POST", f"{path}/record", {"statement": stated["statement"]})
        self.assertEqual((lines[0]["lesson"], lines[0]["right"]), ("grub_screw", False))
        self.good("lead", "POST", path, {"kind": "procedure", "name": "drag", "statement": stated["statement"]})
        self.assertEqual(Alone.objects.get().record["lines"][0]["title"], "Steps, now and then")
        other = self.people["lead"].pk
        self.refused(422, "out_of_range", "statement", "lead", "POST", f"/alone/people/{other}/record", {"statement": stated["statement"]})  # fmt: skip
        self.refused(422, "out_of_range", "statement", "lead", "POST", f"{path}/record", {"statement": "made up"})

    def test_a_statement_is_made_in_practice_alone(self):
        self.refused(404, "not_practice", None, "lead", "GET", f"/practice/people/{self.people['lead'].pk}/statement")
        with override_settings(PRACTICE=True):
            self.assertFalse(alone.asks())
