"""Who gets in, who is slowed, and what a password, a code and a session are worth."""

from datetime import timedelta

from api.tests.world import PASSWORD, ApiCase
from django.core import signing
from django.test import Client, override_settings

from people import doorkeeping
from people.clock import at, now
from people.models import AuditEntry, PasswordCode, Presence, WrongTry

NEW = "a-drier-wet-rope"


# The real one is slow by design.
@override_settings(PASSWORD_HASHERS=["django.contrib.auth.hashers.MD5PasswordHasher"])
class DoorCase(ApiCase):
    @classmethod
    def setUpTestData(cls):
        super().setUpTestData()
        for user in cls.people.values():
            user.set_password(PASSWORD)
            user.save()

    def setUp(self):
        super().setUp()
        # Those that the other tests' clients come with.
        Presence.objects.all().delete()

    def sign_in(self, username, password, client=None, address="10.0.0.1"):
        client = client or Client()
        body = {"username": username, "password": password}
        return client.post("/api/session", body, content_type="application/json", REMOTE_ADDR=address)

    def signed(self, username="technician", password=PASSWORD, **more):
        client = Client(**more)
        self.assertEqual(self.sign_in(username, password, client).status_code, 200)
        return client


@override_settings(AXES_ENABLED=True)
class Slowed(DoorCase):
    def test_one_name_from_many_addresses(self):
        for i in range(9):
            self.assertEqual(self.sign_in("lead", "wrong", address=f"10.0.0.{i}").status_code, 401)
        self.assertEqual(self.sign_in("lead", "wrong", address="10.0.0.9").status_code, 429)
        self.assertEqual(self.sign_in("lead", PASSWORD, address="10.0.1.1").status_code, 429)
        self.assertEqual(self.sign_in("member", PASSWORD, address="10.0.1.1").status_code, 200)

    def test_many_names_from_one_address(self):
        for i in range(9):
            self.sign_in(f"name{i}", "wrong")
        self.assertEqual(self.sign_in("name9", "wrong").status_code, 429)
        self.assertEqual(self.sign_in("member", PASSWORD).status_code, 429)
        self.assertEqual(self.sign_in("member", PASSWORD, address="10.0.0.2").status_code, 200)

    def test_a_device_that_is_known_is_not_shut_out_by_others_tries(self):
        tablet = self.signed("lead")
        tablet.delete("/api/session")
        for i in range(10):
            self.sign_in("lead", "wrong", address=f"10.0.0.{i}")
        self.assertEqual(self.sign_in("lead", PASSWORD, address="10.0.1.1").status_code, 429)
        self.assertEqual(self.sign_in("lead", PASSWORD, tablet, address="10.0.1.1").status_code, 200)

    def test_a_known_device_is_slowed_by_its_own_tries(self):
        tablet = self.signed("lead")
        tablet.delete("/api/session")
        for _ in range(doorkeeping.MOST_WRONG):
            self.assertEqual(self.sign_in("lead", "wrong", tablet).status_code, 401)
        for _ in range(10):
            self.sign_in("lead", "wrong", tablet)
        self.assertEqual(self.sign_in("lead", PASSWORD, tablet).status_code, 429)
        WrongTry.objects.update(at=now() - doorkeeping.WITHIN)
        self.assertEqual(self.sign_in("lead", PASSWORD, tablet).status_code, 200)

    def test_a_made_up_device_is_none(self):
        tablet = self.signed("lead")
        cookie = tablet.cookies[doorkeeping.DEVICE]
        self.assertTrue(cookie["httponly"])
        for made in (
            "",
            "x",
            cookie.value[:-2],
            signing.dumps({"id": "x"}, salt="kestov.device"),
            signing.dumps([1], salt="kestov.device"),
        ):
            client = Client()
            client.cookies[doorkeeping.DEVICE] = made
            request = client.get("/api/session").wsgi_request
            self.assertFalse(doorkeeping.is_known(request, {"username": "lead"}), made)
        request = tablet.get("/api/session").wsgi_request
        self.assertTrue(doorkeeping.is_known(request, {"username": " LEAD "}))
        self.assertFalse(doorkeeping.is_known(request, {"username": "member"}))
        self.assertFalse(doorkeeping.is_known(request))


class Forged(DoorCase):
    def test_signing_in_and_the_first_account_are_our_own_pages(self):
        client = Client(enforce_csrf_checks=True)
        self.assertEqual(self.sign_in("lead", PASSWORD, client).json()["code"], "csrf")
        body = {"code": "x", "username": "x", "name": "x", "password": NEW}
        answer = client.post("/api/first-account", body, content_type="application/json")
        self.assertEqual((answer.status_code, answer.json()["code"]), (403, "csrf"))
        token = client.get("/").cookies["csrftoken"].value
        answer = client.post(
            "/api/session", {"username": "lead", "password": PASSWORD}, content_type="application/json", headers={"X-CSRFToken": token}
        )  # fmt: skip
        self.assertEqual(answer.status_code, 200)

    def test_the_page_says_what_may_come_in(self):
        policy = Client().get("/").headers["Content-Security-Policy"]
        for words in ("base-uri 'none'", "form-action 'self'", "object-src 'none'", "frame-ancestors 'none'"):
            self.assertIn(words, policy)


class Passwords(DoorCase):
    def change(self, client, present=PASSWORD, new=NEW):
        return client.post("/api/me/password", {"present": present, "new": new}, content_type="application/json")

    def test_one_changes_ones_own_and_is_signed_out_everywhere_else(self):
        here, there = self.signed(), self.signed()
        answer = self.change(here)
        self.assertEqual((answer.status_code, answer.json()["username"]), (200, "technician"))
        self.assertEqual(here.get("/api/floor").status_code, 200)
        self.assertEqual(there.get("/api/floor").status_code, 401)
        self.assertEqual(self.sign_in("technician", PASSWORD).status_code, 401)
        self.assertEqual(self.sign_in("technician", NEW).status_code, 200)
        self.assertEqual(len(here.get("/api/me/sessions").json()), 2)

    def test_the_present_one_must_be_right_and_the_new_one_good(self):
        client = self.signed()
        self.assertEqual(self.change(client, present="wrong").json()["field"], "present")
        for weak in ("short-one", "password123", "technician1", "1234567890"):
            answer = self.change(client, new=weak)
            self.assertEqual((answer.status_code, answer.json()["field"]), (422, "new"), weak)
        self.assertEqual(client.get("/api/floor").status_code, 200)

    def code(self, who="technician"):
        return self.good("lead", "POST", f"/people/{self.people[who].pk}/code")["code"]

    def by_code(self, code, new=NEW, username="technician"):
        body = {"username": username, "code": code, "new": new}
        return Client().post("/api/session/by-code", body, content_type="application/json")

    def test_a_forgotten_one_is_set_anew_by_a_code_that_works_once(self):
        code = self.code()
        self.assertNotIn(code, PasswordCode.objects.get().hash)
        self.assertEqual(self.by_code(code, new="short").json()["field"], "new")
        self.assertRegex(code, r"^[a-km-z2-9]{4}(-[a-km-z2-9]{4}){2}$")
        # As it was heard, and typed.
        answer = self.by_code(f" {code.upper().replace('-', ' ')} ")
        self.assertEqual((answer.status_code, answer.json()["me"]["username"]), (200, "technician"))
        self.assertEqual(self.by_code(code).json()["field"], "code")
        self.assertEqual(self.sign_in("technician", NEW).status_code, 200)
        said = list(AuditEntry.objects.order_by("-id").values_list("words", flat=True))
        self.assertIn("by a code", said[0])
        self.assertFalse([w for w in said if code in w])

    def test_it_is_good_for_an_hour_for_one_person_and_the_newest_counts(self):
        old, code = self.code(), self.code()
        self.assertEqual(self.by_code(old).status_code, 422)
        self.assertEqual(self.by_code(code, username="member").status_code, 422)
        with at(now() + timedelta(minutes=61)):
            self.assertEqual(self.by_code(code).status_code, 422)
        self.assertFalse(PasswordCode.objects.exists())

    def test_ten_wrong_codes_end_it(self):
        code = self.code()
        for _ in range(10):
            self.assertEqual(self.by_code("guessed").status_code, 422)
        self.assertEqual(self.by_code(code).status_code, 422)

    def test_only_the_lead_makes_codes_and_for_nobody_who_is_put_out(self):
        path = f"/people/{self.people['member'].pk}/code"
        self.assertEqual(self.call("technician", "POST", path)[0], 403)
        self.good("lead", "PATCH", f"/people/{self.people['member'].pk}", {"is_active": False})
        self.refused(404, "not_found", None, "lead", "POST", path)


class Sessions(DoorCase):
    def test_one_sees_where_one_is_signed_in_and_ends_it(self):
        agent = "Mozilla/5.0 (X11; Linux x86_64) AppleWebKit/537.36 Chrome/120.0"
        here, there = self.signed(headers={"user-agent": agent}), self.signed()
        rows = here.get("/api/me/sessions").json()
        self.assertEqual(
            [(r["device"], r["here"]) for r in rows], [("another device", False), ("Chrome on Linux", True)]
        )
        mine = next(r["id"] for r in rows if r["here"])
        self.assertEqual(len(here.delete(f"/api/me/sessions/{mine}").json()), 2)
        other = next(r["id"] for r in rows if not r["here"])
        self.assertEqual(len(here.delete(f"/api/me/sessions/{other}").json()), 1)
        self.assertEqual((there.get("/api/floor").status_code, here.get("/api/floor").status_code), (401, 200))

    def test_nobody_ends_anothers(self):
        mine, theirs = self.signed(), self.signed("member")
        mine.delete(f"/api/me/sessions/{Presence.objects.get(user=self.people['member']).pk}")
        self.assertEqual(theirs.get("/api/floor").status_code, 200)

    def test_what_has_run_out_is_forgotten(self):
        client = self.signed()
        self.signed().session.flush()
        self.assertEqual(len(client.get("/api/me/sessions").json()), 1)
        self.assertEqual(Presence.objects.count(), 1)

    def test_a_closed_account_is_signed_out_everywhere(self):
        client = self.signed()
        self.good("lead", "PATCH", f"/people/{self.people['technician'].pk}", {"is_active": False})
        self.assertEqual(client.get("/api/floor").status_code, 401)
        self.assertFalse(Presence.objects.filter(user=self.people["technician"]).exists())
