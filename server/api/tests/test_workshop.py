"""What the lead sets up, and the demo workshop made by the same rules."""

from datetime import timedelta

from cases.models import Case
from demo.models_of_printers import MODELS
from demo.workshop import load
from django.core.management import call_command
from django.test import Client, TestCase
from measuring.models import Capture
from people.accounts import make_first_code
from people.clock import at, now
from people.models import AuditEntry, FirstCode, User
from workshop.models import Component, Printer

from .world import ApiCase


class Lead(ApiCase):
    def test_the_lead_says_what_the_workshop_holds_with_and_each_measurement_hears_of_it(self):
        def asked():
            page = self.good("technician", "GET", f"/printers/{self.slinger.pk}/bench/squareness/frame")
            return next((f["value"], f["origin"]) for f in page["fields"] if f["name"] == "school")

        self.assertEqual(asked(), ("frame", "typical"))
        told = self.good("lead", "POST", "/workshop/schools", {"what": "skew", "choice": "firmware"})
        self.assertEqual({s["what"]: s["choice"] for s in told["schools"]}["skew"], "firmware")
        self.assertEqual(asked(), ("firmware", "workshop"))
        self.refused(
            422, "out_of_range", "choice", "lead", "POST", "/workshop/schools", {"what": "skew", "choice": "both"}
        )
        self.refused(
            422, "out_of_range", "what", "lead", "POST", "/workshop/schools", {"what": "tea", "choice": "milk"}
        )
        self.assertEqual(
            self.call("technician", "POST", "/workshop/schools", {"what": "skew", "choice": "frame"})[0], 403
        )

    def test_a_model_a_machine_and_its_parts(self):
        model = {**MODELS[3], "name": "Plover Short"}
        shop = self.good("lead", "POST", "/workshop/models", model)
        made = next(m for m in shop["models"] if m["name"] == "Plover Short")
        body = {"name": "Fender", "model_id": made["id"], "area_id": shop["areas"][0]["id"]}
        shop = self.good("lead", "POST", "/workshop/printers", body)
        fender = next(p for p in shop["printers"] if p["name"] == "Fender")
        places = set(Component.objects.filter(printer_id=fender["id"]).values_list("place", flat=True))
        self.assertLessEqual({"t1", "t2", "t3"}, places)
        self.assertIn("fitness", self.good("member", "GET", f"/printers/{fender['id']}")["condition"])
        self.assertTrue(AuditEntry.objects.filter(words__contains="Fender").exists())

    def test_names_are_used_once_and_wrong_models_say_where(self):
        status, answer = self.call("lead", "POST", "/workshop/areas", {"name": "Long walk"})
        self.assertIn(status, (409, 422), answer)
        self.assertEqual(answer["field"], "name")
        bad = {**MODELS[0], "name": "Odd", "description": {**MODELS[0]["description"], "pairs": [["a", "z"]]}}
        status, answer = self.call("lead", "POST", "/workshop/models", bad)
        self.assertEqual(status, 422)
        self.assertIn("pair", answer["detail"])

    def test_people(self):
        body = {"username": "ebb", "name": "Ebba Quill", "password": "a-long-wet-rope", "role": "technician"}
        people = self.good("lead", "POST", "/people", body)
        self.assertIn("Ebba Quill", [p["name"] for p in people])
        self.assertEqual(self.call("lead", "POST", "/people", body)[1]["field"], "username")
        self.assertEqual(
            self.call("lead", "POST", "/people", {**body, "username": "x", "password": "123"})[1]["field"], "password"
        )


class Empty(TestCase):
    def test_the_first_account_asks_for_the_printed_code_and_is_made_once(self):
        client = Client()
        body = {"code": "123456", "username": "ebb", "name": "Ebba Quill", "password": "a-long-wet-rope"}
        with at(now() - timedelta(hours=25)):
            old = make_first_code()
        # Any host's code opens it, not the last one's alone.
        code, _ = make_first_code(), make_first_code()
        for wrong in ("123456", old):
            told = client.post("/api/first-account", {**body, "code": wrong}, content_type="application/json").json()
            self.assertEqual((told["code"], told["field"]), ("wrong_code", "code"))
        body["code"] = code
        made = client.post("/api/first-account", body, content_type="application/json")
        self.assertEqual((made.status_code, made.json()["me"]["role"]), (200, "lead"))
        again = client.post("/api/first-account", {**body, "username": "two"}, content_type="application/json")
        self.assertEqual(again.status_code, 409)
        self.assertEqual((User.objects.count(), FirstCode.objects.count()), (1, 0))


class Demo(TestCase):
    def test_it_is_made_whole_and_only_into_an_empty_workshop(self):
        load()
        kinds = {p.model.motion().kinematics for p in Printer.objects.select_related("model")}
        self.assertEqual(kinds, {"bed_slinger", "fixed_bed", "corexy", "delta", "belt_bed"})
        self.assertGreaterEqual(Printer.objects.count(), 6)
        self.assertEqual(Case.objects.exclude(state="closed").count(), 3)
        self.assertGreater(Capture.objects.count(), 50)
        first, last = (Capture.objects.order_by(o).first().taken_at for o in ("taken_at", "-taken_at"))
        self.assertGreater((last - first).days, 80)
        self.assertEqual(set(Capture.objects.values_list("source", flat=True)), {"standin", "typed"})
        # A second call leaves a workshop with people in it alone.
        before = User.objects.count()
        call_command("demo", "--if-empty", verbosity=0)
        self.assertEqual(User.objects.count(), before)
