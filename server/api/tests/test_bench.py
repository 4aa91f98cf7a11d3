"""Captures by file, microphone, stand-in and typed figures; rounds; turns; what is kept and what is refused."""

import io
import json
import uuid

import numpy as np
from django.db import InternalError, ProgrammingError, transaction
from kestov_core import CORE_VERSION
from measuring.models import Action, Capture, Chunk, Result
from workshop.models import Instrument

from .world import ApiCase, recording, wav_file


class Bench(ApiCase):
    def pluck(self, file=None, who="technician", printer=None, key=None, **meta):
        meta = {"id": str(uuid.uuid4()), "place": "a", **meta}
        path = f"/printers/{(printer or self.crossed).pk}/belt-pluck/file"
        return self.call(who, "POST", path, key=key, meta=json.dumps(meta), file=file or wav_file())

    def test_a_recording_becomes_newtons_and_is_kept_as_it_came(self):
        file = wav_file()
        raw = file.getvalue()
        status, capture = self.pluck(file, circumstances={"room_c": 19.5})
        self.assertEqual(status, 200)
        # 4 * 0.00824 * 0.285^2 * 100^2 = 26.77 N
        self.assertAlmostEqual(capture["found"]["tension"]["value"], 26.77, delta=0.15)
        self.assertEqual((capture["verdict"], capture["core_version"]), ("in_tolerance", CORE_VERSION))
        self.assertEqual(self.good("technician", "GET", f"/captures/{capture['id']}/raw"), raw)
        self.assertEqual(capture["circumstances"], {"room_c": 19.5})
        view = self.good("technician", "GET", f"/captures/{capture['id']}/view")
        self.assertEqual(len(view["low"]), len(view["high"]))
        table = self.good("technician", "GET", f"/captures/{capture['id']}/result.csv").decode()
        self.assertIn("tension,26.", table)

    def test_sent_twice_it_is_one_capture(self):
        id_ = str(uuid.uuid4())
        first = self.pluck(id=id_)[1]
        again = self.pluck(id=id_)[1]
        self.assertEqual((first["id"], Capture.objects.count(), Result.objects.count()), (again["id"], 1, 1))

    def test_what_the_core_refuses_is_not_kept(self):
        text = io.BytesIO(b"not a sound at all")
        text.name = "belt.wav"
        status, answer = self.pluck(text)
        self.assertEqual((status, answer["code"]), (422, "not_a_wav"))
        quiet = wav_file()
        data = bytearray(quiet.getvalue())
        data[44:] = bytes(len(data) - 44)
        silent = io.BytesIO(bytes(data))
        silent.name = "silent.wav"
        self.assertEqual(self.pluck(silent)[1]["code"], "no_pluck")
        self.assertEqual(Capture.objects.count(), 0)

    def test_wrong_places_ids_and_fields(self):
        self.assertEqual(self.pluck(place="t1")[1]["field"], "place")
        self.assertEqual(self.pluck(context={"span_mm": -3})[1]["code"], "out_of_range")
        self.assertEqual(self.pluck(case_id=999)[0], 404)
        self.assertEqual(
            self.call("technician", "POST", f"/printers/{self.crossed.pk}/belt-pluck/file", meta="{", file=wav_file())[
                0
            ],
            422,
        )

    def test_the_database_itself_refuses_to_change_a_capture(self):
        capture = self.pluck()[1]
        for change in ({"place": "b"}, {"context": {}}, {"data": b""}):
            with self.assertRaises((InternalError, ProgrammingError)), transaction.atomic():
                Capture.objects.filter(pk=capture["id"]).update(**change)

    def test_recomputing_adds_a_result_and_keeps_the_old(self):
        capture = self.pluck()[1]
        again = self.good("technician", "POST", f"/captures/{capture['id']}/recompute")
        self.assertEqual(again["found"]["tension"], capture["found"]["tension"])
        self.assertEqual(Result.objects.filter(capture_id=capture["id"]).count(), 2)

    def test_a_correction_supersedes(self):
        wrong = self.pluck(wav_file(150.0))[1]
        right = self.pluck(wav_file(100.0), supersedes=wrong["id"])[1]
        rounds = self.good("technician", "GET", f"/printers/{self.crossed.pk}/rounds?place=a")
        self.assertEqual(rounds["rounds"][0]["readings"][0]["capture"]["id"], right["id"])
        self.assertEqual(Capture.objects.count(), 2)

    def test_a_microphone_in_chunks(self):
        sound = recording()
        samples = (sound.samples * 32767).astype("<i2")
        id_ = str(uuid.uuid4())
        pieces = np.array_split(samples, 5)
        heard = []
        for number in (0, 1, 1, 3, 2, 4):  # one twice, one late
            path = f"/api/recordings/{id_}/chunks/{number}?rate_hz={sound.rate_hz}"
            answer = self.clients["technician"].post(
                path, pieces[number].tobytes(), content_type="application/octet-stream"
            )
            self.assertEqual(answer.status_code, 200, answer.content)
            heard.append(sum(p["used"] for p in answer.json()["plucks"]))
        self.assertEqual(heard[-1], 4)
        self.assertLess(heard[1], 4)
        path = f"/printers/{self.crossed.pk}/belt-pluck/recordings/{id_}/finish"
        meta = {"id": id_, "place": "a", "source": "microphone"}
        self.refused(422, "no_samples", "chunks", "technician", "POST", f"{path}?chunks=6", meta)
        capture = self.good("technician", "POST", f"{path}?chunks=5", meta)
        self.assertAlmostEqual(capture["found"]["frequency"]["value"], 100, delta=0.3)
        self.assertEqual(Chunk.objects.count(), 0)
        # The browser never heard the answer and sends it again: the same capture.
        self.assertEqual(self.good("technician", "POST", f"{path}?chunks=5", meta)["id"], capture["id"])

    def test_typed_figures(self):
        body = {"id": str(uuid.uuid4()), "place": "x"}
        # The belt's own stretch counts, too: the model knows its loop, and how stiff such a belt is.
        loop = self.slinger.model.motion().belts()["x"].loop_length_mm
        presses = [
            {"force_n": 4 * 25 * d / 240 + 8 * 15000 * d**3 / (240**2 * loop), "deflection_mm": d} for d in (5.0, 6.0)
        ]
        path = f"/printers/{self.slinger.pk}"
        found = self.good(
            "technician", "POST", f"{path}/belt-deflection", {**body, "context": {"span_mm": 240, "readings": presses}}
        )
        self.assertAlmostEqual(found["found"]["tension"]["value"], 25, places=5)
        status, answer = self.call(
            "technician",
            "POST",
            f"{path}/belt-deflection",
            {
                **body,
                "id": str(uuid.uuid4()),
                "context": {"span_mm": 240, "readings": [{"force_n": -1, "deflection_mm": 5}]},
            },
        )
        self.assertEqual((status, answer["field"]), (422, "context.readings.0.force_n"))
        ringing = {
            "id": str(uuid.uuid4()),
            "place": "x",
            "context": {"speed_mm_s": 80, "ripples": [{"count": 4, "distance_mm": 8}]},
        }
        self.assertEqual(self.good("technician", "POST", f"{path}/ringing-print", ringing)["verdict"], "not_judged")

    def test_an_instrument_past_its_check_warns(self):
        instrument = Instrument.objects.create(name="Old microphone", kind="microphone", check_due="2020-01-01")
        capture = self.pluck(instrument_id=instrument.pk)[1]
        self.assertEqual(capture["instrument"], "Old microphone")
        bench = self.good("technician", "GET", f"/printers/{self.crossed.pk}/bench")
        self.assertEqual(bench["instruments"][0]["doubt"], "Its check was due on 2020-01-01.")

    def test_the_stand_in_is_only_for_simulated_machines(self):
        body = {"id": str(uuid.uuid4()), "place": "x"}
        self.refused(
            409, "not_simulated", None, "technician", "POST", f"/printers/{self.slinger.pk}/belt-pluck/stand-in", body
        )


class Rounds(ApiCase):
    def rounds(self, case):
        return self.good("technician", "GET", f"/printers/{self.crossed.pk}/rounds?place=a&case_id={case}")

    def turn(self, place, turns, case, key=None, **more):
        body = {"place": place, "turns": turns, "case_id": case, **more}
        return self.call("technician", "POST", f"/printers/{self.crossed.pk}/turns", body, key=key)

    def test_measure_turn_and_measure_again_until_it_holds(self):
        case = self.report()
        self.good("technician", "POST", f"/cases/{case}/take")
        for _ in range(8):
            for place in self.rounds(case)["missing"]:
                self.stand_in(place, case)
            state = self.rounds(case)
            todo = [b for b in state["advice"]["belts"] if b["turns"]]
            if not todo:
                break
            for belt in todo:
                sign = 1 if belt["tighten"] else -1
                self.assertEqual(self.turn(belt["id"], sign * belt["turns"]["value"], case)[0], 200)
        self.assertTrue(state["advice"]["holds"])
        self.assertGreater(len(state["rounds"]), 1)
        self.crossed.refresh_from_db()
        for belt in self.crossed.simulated["belts"].values():
            self.assertAlmostEqual(belt["tension_n"], 30, delta=3.5)
        step = self.good("technician", "GET", f"/cases/{case}")["step"]
        self.assertEqual(step["kind"], "close")
        closed = self.good(
            "technician", "POST", f"/cases/{case}/close", {"closing": "verified", "cause": "Belt A slack"}
        )
        self.assertEqual((closed["state"], closed["closing"]), ("closed", "Mended and verified"))
        floor = self.good("technician", "GET", "/floor")
        tile = next(t for t in floor["areas"][0]["printers"] if t["name"] == "Bowline")
        self.assertEqual(tile["fitness"], "fit")
        words = " ".join(
            line["words"] for line in self.good("technician", "GET", f"/printers/{self.crossed.pk}/record")["lines"]
        )
        for part in ("Plucked belt A", "Reported", "Belt A slack"):
            self.assertIn(part, words)

    def test_before_a_figure_nothing_is_turned(self):
        case = self.report()
        status, answer = self.turn("a", 0.5, case)
        self.assertEqual((status, answer["code"]), (409, "measure_first"))

    def test_a_turn_repeated_by_a_bad_link_is_turned_once(self):
        case = self.report()
        for place in ("a", "b"):
            self.stand_in(place, case)
        for _ in range(3):
            self.assertEqual(self.turn("a", 0.5, case, key="one-turn")[0], 200)
        self.assertEqual(Action.objects.count(), 1)
        self.assertEqual(self.turn("a", 25, case)[1]["field"], "turns")
        # The same key for something else is a mistake of the client, and said.
        status, answer = self.call("technician", "POST", f"/cases/{case}/take", key="one-turn")
        self.assertEqual((status, answer["code"]), (409, "key_reused"))

    def test_a_closed_case_takes_no_measurement(self):
        case = self.report()
        self.good("technician", "POST", f"/cases/{case}/close", {"closing": "harmless"})
        body = {"id": str(uuid.uuid4()), "place": "a", "case_id": case}
        self.refused(
            409, "closed", "case_id", "technician", "POST", f"/printers/{self.crossed.pk}/belt-pluck/stand-in", body
        )
