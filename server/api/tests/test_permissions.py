"""Who may do what, tried on every route of the API itself."""

import re
import sys

from people.models import Role, User

from api import api
from api.permissions import TABLE
from api.shapes import Shape

from .world import PASSWORD, ApiCase

ORDER = ["nobody", "member", "technician", "lead"]


class EveryRoute(ApiCase):
    def test_below_its_role_each_route_refuses(self):
        paths = api.get_openapi_schema(path_prefix="/api/")["paths"]
        tried = 0
        for path, methods in paths.items():
            for method, operation in methods.items():
                role = operation["x-role"]
                if role == "nothing":
                    continue
                # Ids that lead nowhere: a refusal by role must come before any look-up.
                place = re.sub(r"\{[^}]*(capture|recording)_id\}", "00000000-0000-4000-8000-000000000000", path)
                place = re.sub(r"\{kind\}", "json", re.sub(r"\{[^}]*(?:_id|number)\}", "999999", place))
                for who in ORDER[: ORDER.index(role)]:
                    status, answer = self.call(who, method.upper(), place.removeprefix("/api"))
                    self.assertEqual(status, 401 if who == "nobody" else 403, (method, path, who, answer))
                    tried += 1
        self.assertGreater(tried, 60)

    def test_every_line_of_the_table_is_used(self):
        source = "".join(
            p.read_text() for p in __import__("pathlib").Path(api.__module__ and __file__).parents[1].glob("*.py")
        )
        for line in TABLE:
            self.assertIn(f'may("{line}")', source)

    def test_no_two_shapes_are_called_alike(self):
        # The description holds shapes by name: of two the later would silently stand for both.
        named = {}
        for module in [m for n, m in sys.modules.items() if n.startswith("api.") and ".tests" not in n]:
            for name, shape in vars(module).items():
                if isinstance(shape, type) and issubclass(shape, Shape) and shape.__module__ == module.__name__:
                    self.assertNotIn(name, named, f"{module.__name__} and {named.get(name)}")
                    named[name] = module.__name__
        self.assertGreater(len(named), 100)

    def test_the_description_names_every_error_free_answer(self):
        schema = api.get_openapi_schema(path_prefix="/api/")
        self.assertEqual(schema["paths"]["/api/printers/{printer_id}/turns"]["post"]["x-role"], "technician")
        self.assertIn("CaseOut", schema["components"]["schemas"])


class Objects(ApiCase):
    def test_a_member_opens_only_their_own_case(self):
        case = self.report("member")
        self.assertTrue(self.good("member", "GET", f"/cases/{case}"))
        self.refused(403, "not_yours", None, "other", "GET", f"/cases/{case}")
        self.refused(403, "not_yours", None, "other", "POST", f"/cases/{case}/comments", {"words": "me too"})
        self.assertEqual(self.good("other", "GET", "/cases"), [])
        self.assertEqual(len(self.good("technician", "GET", "/cases")), 1)

    def test_members_see_fitness_and_no_more(self):
        floor = self.good("member", "GET", "/floor")
        tile = floor["areas"][0]["printers"][0]
        self.assertIn(tile["fitness"], ("fit", "rough_only", "in_service"))
        self.assertEqual((tile["axes"], floor["wanted"]), ([], []))

    def test_the_last_lead_cannot_be_taken_away(self):
        lead = self.people["lead"]
        for change in ({"role": "member"}, {"is_active": False}):
            status, _ = self.call("lead", "PATCH", f"/people/{lead.pk}", change)
            self.assertEqual(status, 409)
        self.assertEqual(User.objects.get(pk=lead.pk).role, Role.LEAD)


class SigningIn(ApiCase):
    def test_in_and_out(self):
        body = {"username": "technician", "password": PASSWORD}
        state = self.good("nobody", "POST", "/session", body)
        self.assertEqual(state["me"]["role"], "technician")
        self.good("nobody", "DELETE", "/session")
        self.refused(401, "signed_out", None, "nobody", "GET", "/floor")

    def test_wrong_password_is_said_at_the_field_and_is_slowed_after_ten(self):
        wrong = {"username": "lead", "password": "no"}
        for _ in range(9):
            self.refused(401, "wrong_sign_in", "password", "nobody", "POST", "/session", wrong)
        self.refused(429, "locked", "password", "nobody", "POST", "/session", wrong)
        self.refused(429, "locked", "password", "nobody", "POST", "/session", {**wrong, "password": PASSWORD})

    def test_units_are_kept(self):
        self.assertEqual(self.good("member", "PATCH", "/me", {"force_unit": "lbf"})["force_unit"], "lbf")
        self.assertEqual(self.good("member", "GET", "/session")["me"]["force_unit"], "lbf")
        self.assertEqual(self.call("member", "PATCH", "/me", {"force_unit": "stone"})[0], 422)

    def test_a_form_from_another_site_is_refused(self):
        from django.test import Client

        client = Client(enforce_csrf_checks=True)
        client.force_login(self.people["member"], backend="django.contrib.auth.backends.ModelBackend")
        answer = client.patch("/api/me", '{"light": "dim"}', content_type="application/json")
        self.assertEqual((answer.status_code, answer.json()["code"]), (403, "csrf"))
