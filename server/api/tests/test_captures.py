"""Captures handed out again: original form, drawn form, result as JSON and CSV, computed anew."""

import csv
import io
import json
import uuid
from unittest import mock

from kestov_core.errors import BadInput
from kestov_core.readers import read_wav
from measuring.models import Capture, Result

from .world import ApiCase, wav_file


class HandedOut(ApiCase):
    def setUp(self):
        super().setUp()
        meta = {"id": str(uuid.uuid4()), "place": "a", "source": "lossy", "circumstances": {"head_x_mm": 0}}
        path = f"/printers/{self.crossed.pk}/belt-pluck/file"
        self.capture = self.good(
            "technician", "POST", path, meta=json.dumps(meta), file=wav_file(name="phone take.wav")
        )

    def get(self, part):
        return self.clients["technician"].get(f"/api/captures/{self.capture['id']}{part}")

    def test_the_original_comes_back_under_a_name_that_says_what_it_is(self):
        answer = self.get("/raw")
        self.assertEqual(answer.headers["Content-Type"], "audio/wav")
        self.assertRegex(answer.headers["Content-Disposition"], r'filename="Bowline-a-\d{8}-\d{6}\.wav"')
        self.assertEqual(read_wav(answer.content).rate_hz, 16000)

    def test_typed_readings_come_back_as_they_were_typed(self):
        context = {"span_mm": 240, "readings": [{"force_n": 2.1, "deflection_mm": 5.0}]}
        body = {"id": str(uuid.uuid4()), "place": "x", "context": context}
        typed = self.good("technician", "POST", f"/printers/{self.slinger.pk}/belt-deflection", body)
        answer = self.clients["technician"].get(f"/api/captures/{typed['id']}/raw")
        self.assertEqual(answer.headers["Content-Type"], "application/json")
        self.assertEqual(answer.json()["readings"], [{"force_n": 2.1, "deflection_mm": 5.0}])
        self.assertEqual(self.clients["technician"].get(f"/api/captures/{typed['id']}/view").status_code, 404)

    def test_the_result_as_json_is_the_whole_of_it(self):
        result = self.get("/result.json").json()
        self.assertEqual(result["found"], self.capture["found"])
        self.assertEqual((result["source"], result["circumstances"]), ("lossy", {"head_x_mm": 0}))

    def test_the_result_as_csv_has_figures_with_unit_and_uncertainty(self):
        rows = {r["field"]: r for r in csv.DictReader(io.StringIO(self.get("/result.csv").content.decode()))}
        tension = self.capture["found"]["tension"]
        self.assertAlmostEqual(float(rows["tension"]["value"]), tension["value"])
        self.assertAlmostEqual(float(rows["tension"]["u95"]), tension["u95"])
        self.assertEqual((rows["tension"]["unit"], rows["verdict"]["value"]), ("N", self.capture["verdict"]))
        self.assertEqual(self.get("/result.pdf").status_code, 422)

    def test_a_result_of_an_earlier_core_still_shows_its_figure(self):
        result = Result.objects.get(capture=self.capture["id"])
        result.found = {k: v for k, v in result.found.items() if k not in ("judged", "procedure")}
        result.save()
        found = self.get("/result.json").json()["found"]
        self.assertEqual(found["procedure"], "belt-pluck")
        self.assertEqual([j["quantity"]["value"] for j in found["judged"]], [result.value])

    def test_the_drawn_form_is_small_and_ends_where_the_partials_do(self):
        view = self.get("/view").json()
        self.assertAlmostEqual(view["seconds"], 4.6, places=2)
        self.assertLessEqual(len(view["low"]), 900)
        self.assertEqual(len(view["frequency_hz"]), len(view["level_db"]))
        self.assertLess(max(view["frequency_hz"]), 7.6 * self.capture["found"]["frequency"]["value"])
        self.assertTrue(all(low <= high for low, high in zip(view["low"], view["high"], strict=True)))

    def test_a_core_that_refuses_an_old_capture_says_so_and_keeps_the_old_result(self):
        refusal = BadInput("no_pluck", "Nothing rings.", "data")
        with mock.patch("kestov_core.procedures.run", side_effect=refusal):
            status, answer = self.call("technician", "POST", f"/captures/{self.capture['id']}/recompute")
        self.assertEqual((status, answer["code"]), (409, "no_pluck"))
        self.assertIn("Today's core refuses this capture", answer["detail"])
        self.assertEqual(Result.objects.count(), 1)
        self.assertEqual(
            self.good("technician", "GET", f"/captures/{self.capture['id']}")["found"], self.capture["found"]
        )

    def test_an_id_that_is_anothers_is_refused(self):
        meta = {"id": self.capture["id"], "place": "x"}
        path = f"/printers/{self.slinger.pk}/belt-pluck/file"
        status, answer = self.call("technician", "POST", path, meta=json.dumps(meta), file=wav_file())
        self.assertEqual((status, answer["code"], answer["field"]), (409, "key_reused", "id"))
        self.assertEqual(Capture.objects.count(), 1)

    def test_what_is_not_there_answers_in_words(self):
        for part in ("", "/raw", "/view", "/result.json"):
            status, answer = self.call("technician", "GET", f"/captures/{uuid.uuid4()}{part}")
            self.assertEqual((status, answer["code"]), (404, "not_found"))


class Limits(ApiCase):
    def test_too_large_a_recording_is_refused_before_it_is_read(self):
        with mock.patch("django.conf.settings.MAX_UPLOAD", 1000):
            meta = {"id": str(uuid.uuid4()), "place": "a"}
            path = f"/printers/{self.crossed.pk}/belt-pluck/file"
            status, answer = self.call("technician", "POST", path, meta=json.dumps(meta), file=wav_file())
        self.assertEqual((status, answer["code"], answer["field"]), (413, "too_large", "file"))

    def test_a_machine_without_a_span_asks_for_it(self):
        model = self.slinger.model
        model.description["transmissions"]["x"]["spans"] = []
        model.save()
        meta = {"id": str(uuid.uuid4()), "place": "x"}
        path = f"/printers/{self.slinger.pk}/belt-pluck/file"
        status, answer = self.call("technician", "POST", path, meta=json.dumps(meta), file=wav_file())
        self.assertEqual((status, answer["code"], answer["field"]), (422, "missing_field", "span_mm"))
        meta["context"] = {"span_mm": 240}
        status, answer = self.call("technician", "POST", path, meta=json.dumps(meta), file=wav_file())
        self.assertEqual((status, answer["context"]["span_mm"]), (200, 240))
