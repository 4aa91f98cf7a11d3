"""Roles, the audit trail, writes that happen once, and the pages around the API."""

import os
import tempfile
from datetime import timedelta
from unittest import mock

from api import once
from api.tests.test_cases import picture
from api.tests.world import ApiCase
from django.db import IntegrityError, transaction
from django.test import Client, TestCase

from people import trail
from people.clock import at, now
from people.models import AuditEntry, DoneOnce, Role, User, audit


class Roles(TestCase):
    def test_each_may_what_those_below_may(self):
        for role, may in ((Role.MEMBER, 1), (Role.TECHNICIAN, 2), (Role.LEAD, 3)):
            user = User(role=role, is_active=True)
            self.assertEqual(sum(user.may(r) for r in Role), may)

    def test_who_is_put_out_may_nothing(self):
        self.assertFalse(User(role=Role.LEAD, is_active=False).may(Role.MEMBER))

    def test_an_unknown_role_is_refused_by_the_database(self):
        with self.assertRaises(IntegrityError), transaction.atomic():
            User.objects.create(username="x", name="X", role="captain")


class Clock(TestCase):
    def test_it_can_be_set_back_and_comes_back(self):
        moment = now().replace(year=2020)
        with at(moment):
            self.assertEqual(now(), moment)
        self.assertGreater(now().year, 2020)


class Once(ApiCase):
    def test_a_repeat_gets_the_same_answer_and_does_nothing(self):
        case = self.report()
        words = {"words": "The belt squeaks at the back."}
        first = self.good("member", "POST", f"/cases/{case}/comments", words, key="k1")
        again = self.good("member", "POST", f"/cases/{case}/comments", words, key="k1")
        self.assertEqual(first, again)
        self.assertEqual(sum(line["kind"] == "comment" for line in again["log"]), 1)

    def test_a_refused_write_leaves_no_key_behind(self):
        case = self.report()
        self.call("member", "POST", f"/cases/{case}/comments", {"words": ""}, key="k2")
        self.good("member", "POST", f"/cases/{case}/comments", {"words": "Now with words."}, key="k2")

    def test_a_key_is_one_intent_not_another_way_nor_another_body(self):
        path = f"/printers/{self.crossed.pk}/tag-out"
        self.good("technician", "POST", path, {"reason": "Fan cable bare"}, key="k3")
        self.refused(409, "key_reused", "Idempotency-Key", "technician", "DELETE", path, key="k3")
        other = {"reason": "Fan cable burnt"}
        self.refused(409, "key_reused", "Idempotency-Key", "technician", "POST", path, other, key="k3")
        self.good("technician", "POST", path, {"reason": "Fan cable bare"}, key="k3")

    def test_a_form_sent_again_is_the_same_whatever_parts_its_fields(self):
        case, made = self.report(), picture()
        first = self.form(case, made, "The long face")
        self.assertEqual(self.form(case, made, "The long face").json(), first.json())
        self.assertEqual(len(first.json()["pictures"]), 1)
        self.assertEqual(self.form(case, picture(size=(90, 60)), "The long face").json()["code"], "key_reused")

    def form(self, case, file, words):
        file.seek(0)
        form = {"file": file, "words": words}
        return self.clients["member"].post(f"/api/cases/{case}/pictures", form, headers={"Idempotency-Key": "k4"})

    def test_keys_are_forgotten_after_a_week(self):
        for days in (8, 6):
            with at(now() - timedelta(days=days)):
                self.good("member", "POST", f"/cases/{self.report()}/comments", {"words": "x"}, key=f"{days} days")
        self.assertEqual(once.sweep(), 1)
        self.assertEqual(DoneOnce.objects.get().key, "6 days")

    def test_keys_are_each_persons_own(self):
        case = self.report()
        for who in ("member", "technician"):
            self.good(who, "POST", f"/cases/{case}/comments", {"words": f"from {who}"}, key="same")
        self.assertEqual(DoneOnce.objects.filter(key="same").count(), 2)
        self.refused(
            422,
            "too_large",
            "Idempotency-Key",
            "member",
            "POST",
            f"/cases/{case}/comments",
            {"words": "x"},
            key="k" * 81,
        )


class Audit(ApiCase):
    def test_deeds_are_written_down_with_who_did_them(self):
        case = self.report()
        self.good("technician", "POST", f"/cases/{case}/take")
        lines = self.good("lead", "GET", "/audit")["lines"]
        self.assertEqual((lines[1]["who"], lines[1]["verb"]), ("Technician", "took"))
        self.assertEqual(self.call("technician", "GET", "/audit")[0], 403)
        self.assertEqual(AuditEntry.objects.count(), 3)

    def test_who_looked_is_written_down_once_in_an_hour(self):
        for _ in range(2):
            self.good("lead", "GET", "/people")
            lines = self.good("lead", "GET", "/audit")["lines"]
        told = [(x["who"], x["verb"]) for x in lines]
        self.assertEqual(told, [("Lead", "looked at who did what"), ("Lead", "looked at the accounts")])
        with at(now() + timedelta(minutes=61)):
            self.good("lead", "GET", "/people")
        self.assertEqual(AuditEntry.objects.filter(verb="looked at the accounts").count(), 2)

    def test_it_is_read_page_by_page_and_none_is_shown_twice(self):
        for i in range(5):
            audit(None, "counted", self.people["lead"], f"deed {i}")
        with mock.patch.object(trail, "A_PAGE", 2):
            pages = [trail.page(n) for n in (1, 2, 3, 4)]
        self.assertEqual(
            [[e.words for e in rows] for rows, _ in pages], [["deed 4", "deed 3"], ["deed 2", "deed 1"], ["deed 0"], []]
        )
        self.assertEqual([more for _, more in pages], [True, True, False, False])


class Pages(TestCase):
    def test_every_address_of_the_front_end_gives_the_page_with_its_guards(self):
        client = Client()
        for path in ("/", "/cases/3", "/bench/1/belts/a"):
            answer = client.get(path)
            self.assertIn(answer.status_code, (200, 503))
            self.assertIn("default-src 'self'", answer.headers["Content-Security-Policy"])
            self.assertEqual(answer.headers["X-Frame-Options"], "DENY")

    def test_an_address_of_the_api_that_is_none_answers_in_words(self):
        client = Client()
        self.assertEqual(client.get("/api/no-such").status_code, 404)

    def test_the_authority_is_handed_out_only_where_there_is_one(self):
        client = Client()
        self.assertEqual(client.get("/authority.crt").status_code, 404)
        with tempfile.NamedTemporaryFile() as file:
            file.write(b"-----BEGIN CERTIFICATE-----")
            file.flush()
            with mock.patch.dict(os.environ, {"KESTOV_AUTHORITY": file.name}):
                answer = client.get("/authority.crt")
        self.assertEqual((answer.status_code, answer.headers["Content-Type"]), (200, "application/x-x509-ca-cert"))
