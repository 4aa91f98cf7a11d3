"""What nobody would send on purpose is refused in words at its field, and what nobody foresaw is told with an id."""

import json
from unittest import mock

from django.db import DataError, IntegrityError, InterfaceError, OperationalError
from people.models import User
from workshop.models import Instrument

from .world import ApiCase, wav_file


class Text(ApiCase):
    def raw(self, who, method, path, body):
        answer = self.clients[who].generic(method, f"/api{path}", body, content_type="application/json")
        return answer.status_code, answer.json()

    def test_a_sign_that_is_none_is_refused_at_its_field_even_at_sign_in(self):
        for text in ("a\0b", "\ud800"):
            self.refused(
                422, "wrong_type", "username", "nobody", "POST", "/session", {"username": text, "password": "x"}
            )
            body = {"name": "Slip", "more": [{"deep": text}]}
            self.refused(422, "wrong_type", "more.0.deep", "lead", "POST", "/workshop/areas", body)
        status, answer = self.raw("lead", "POST", "/workshop/areas", b'{"na\\u0000me": "Slip"}')
        self.assertEqual((status, answer["code"]), (422, "wrong_type"))

    def test_the_same_in_an_address_and_in_a_form(self):
        status, answer = self.call("technician", "GET", "/cases?search=a%00b")
        self.assertEqual((status, answer["field"]), (422, "search"))
        status, answer = self.call(
            "technician", "POST", f"/printers/{self.crossed.pk}/belt-pluck/file", meta='{"place": "\\u0000"}', file=""
        )
        self.assertEqual(status, 422, answer)

    def test_a_form_that_cannot_be_read(self):
        file = wav_file(name="x" * 2000)
        path = f"/printers/{self.crossed.pk}/belt-pluck/file"
        self.refused(422, "out_of_range", None, "technician", "POST", path, meta="{}", file=file)

    def test_what_is_no_json_says_so(self):
        for body in (b"{", b"[" * 100_000, b"9" * 5000, b"\xff\xfe", b""):
            status, answer = self.raw("lead", "POST", "/workshop/areas", body)
            self.assertEqual(status, 422, (body[:20], answer))
            self.assertEqual(answer["status"], 422)

    def test_no_figure_is_infinite_or_none(self):
        for text in (b"NaN", b"Infinity", b"-Infinity", b"1e999"):
            body = b'{"name": "Caliper 9", "kind": "caliper", "resolution": ' + text + b"}"
            status, answer = self.raw("lead", "POST", "/workshop/instruments", body)
            self.assertEqual((status, answer["code"], answer["field"]), (422, "not_finite", "resolution"))
        self.assertFalse(Instrument.objects.filter(name="Caliper 9").exists())

    def test_nested_without_end_is_refused(self):
        body = {"name": "Slip"}
        for _ in range(40):
            body = {"more": body}
        self.assertEqual(self.call("lead", "POST", "/workshop/areas", body)[1]["code"], "too_large")

    def test_names_longer_than_is_kept_are_refused_at_their_field(self):
        for path, body, field in (
            ("/workshop/areas", {"name": "x" * 61}, "name"),
            ("/people", {"username": "x" * 151, "name": "X", "password": "a-long-wet-rope"}, "username"),
            ("/people", {"username": "x", "name": "x" * 81, "password": "a-long-wet-rope"}, "name"),
            ("/people", {"username": "x", "name": "X", "password": "x" * 201}, "password"),
        ):
            self.refused(422, "out_of_range", field, "lead", "POST", path, body)
        self.assertFalse(User.objects.filter(username__startswith="x").exists())

    def test_figures_beyond_physics_are_refused_in_a_persons_words(self):
        drive = {"kind": "belt", "pitch_mm": 2e-6, "teeth": 20}
        body = {
            "id": "1" * 32,
            "place": "all",
            "context": {"shift_x_mm": 2, "shift_y_mm": 0, "transmissions": {"a": drive, "b": drive}},
        }
        words = self.refused(
            422, "out_of_range", "context.transmissions.a.belt.pitch_mm", "technician", "POST", f"/printers/{self.crossed.pk}/layer-shift", body
        )  # fmt: skip
        self.assertIn("must be at least 0.2", words)


class Unforeseen(ApiCase):
    def failing(self, error):
        return mock.patch("api.workshop.Area.objects.all", side_effect=error)

    def test_what_the_database_cannot_keep_is_a_refusal(self):
        for error, status, code in (
            (DataError("value too long"), 422, "out_of_range"),
            (IntegrityError("duplicate"), 409, "twice_at_once"),
        ):
            with self.failing(error), self.assertLogs("kestov.failed") if code == "twice_at_once" else mock.MagicMock():
                self.refused(status, code, None, "lead", "GET", "/workshop")

    def test_while_the_database_is_away_everybody_is_told_when_to_come_again(self):
        for error in (OperationalError("connection refused\nsecret"), InterfaceError("closed")):
            with self.failing(error), self.assertLogs("kestov.failed", "WARNING"):
                answer = self.clients["lead"].get("/api/workshop")
            self.assertEqual((answer.status_code, answer.json()["code"]), (503, "away"))
            self.assertEqual(answer.headers["Retry-After"], "5")
            self.assertNotIn("secret", answer.content.decode())

    def test_what_nobody_foresaw_is_told_with_an_id_that_is_in_the_log(self):
        with self.failing(RuntimeError("the secret")), self.assertLogs("kestov.failed", "ERROR") as log:
            status, answer = self.call("lead", "GET", "/workshop")
        self.assertEqual((status, answer["code"]), (500, "failed"))
        self.assertIn(answer["id"], log.output[0])
        self.assertIn("the secret", log.output[0])
        self.assertNotIn("secret", json.dumps(answer))

    def test_outside_a_route_too(self):
        client = self.clients["lead"]
        client.raise_request_exception = False
        load = "django.contrib.sessions.backends.db.SessionStore.load"
        with mock.patch(load, side_effect=OperationalError("gone")), self.assertLogs("kestov.failed", "WARNING"):
            self.assertEqual(client.get("/api/floor").status_code, 503)
        with mock.patch("kestov.views.settings.DIST", None), self.assertLogs("kestov.failed", "ERROR"):
            page = client.get("/cases")
        self.assertEqual((page.status_code, "away for a moment" in page.content.decode()), (500, True))

    def test_an_address_or_a_host_that_is_none(self):
        status, answer = self.call("lead", "GET", "/there-is-none")
        self.assertEqual((status, answer["code"]), (404, "not_found"))
        with self.assertLogs("django.security.DisallowedHost"):
            answer = self.clients["lead"].get("/api/floor", headers={"host": "evil.example"})
        self.assertEqual((answer.status_code, answer.json()["status"]), (400, 400))
