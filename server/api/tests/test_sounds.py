"""Ten seconds of sound with a report: against the machine's healthy sound, into the weighing, and refused where it is none."""

import io
import uuid

import numpy as np
from kestov_core.simulator.sound import Recording, wav

from .world import ApiCase


def recorded(tone=0.0, seed=1, seconds=6.0):
    rng, n = np.random.default_rng(seed), int(16_000 * seconds)
    samples = rng.normal(0, 0.02, n) + tone * np.sin(2 * np.pi * 800 * np.arange(n) / 16_000)
    file = io.BytesIO(wav(Recording(samples, 16_000)))
    file.name = "sound.wav"
    return file


class WithAReport(ApiCase):
    def healthy(self):
        meta = f'{{"id": "{uuid.uuid4()}", "place": "frame", "context": {{"state": "healthy"}}}}'
        path = f"/printers/{self.crossed.pk}/machine-sound/file"
        return self.good("technician", "POST", path, meta=meta, file=recorded())

    def add(self, case, who="member", **how):
        return self.call(who, "POST", f"/cases/{case}/sound", file=recorded(**how), source="microphone")

    def test_what_is_new_is_said_and_weighed(self):
        self.healthy()
        case = self.report(finding="strings", axis="")
        status, told = self.add(case, tone=0.06, seed=2)
        self.assertEqual(status, 200, told)
        (sound,) = told["sounds"]
        self.assertEqual((sound["new"], sound["why_not"]), (["a tone about 794 Hz, all along"], ""))
        seen = self.good("technician", "GET", f"/cases/{case}")
        because = [r["finding"] for h in seen["weighing"]["result"]["hypotheses"] for r in h["because"]]
        self.assertIn("whine", because)
        self.assertTrue(any("sound" in line["words"] for line in seen["log"]))
        played = self.good("technician", "GET", f"/captures/{sound['capture']}/raw")
        self.assertEqual(played[:4], b"RIFF")

    def test_the_same_as_ever_is_nothing_new_and_later_ones_go_by_the_healthy_one(self):
        self.healthy()
        case = self.report()
        self.assertEqual(self.add(case, seed=3)[1]["sounds"][0]["new"], [])
        told = self.add(case, tone=0.06, seed=4)[1]
        self.assertEqual(len(told["sounds"][1]["new"]), 1)

    def test_a_round_leads_to_where_the_healthy_sound_is_kept(self):
        told = self.good("technician", "GET", f"/printers/{self.crossed.pk}/service")["listen"]
        self.assertEqual(told, {"procedure": "machine-sound", "place": "frame"})

    def test_without_a_healthy_sound_it_is_kept_and_said_so(self):
        case = self.report()
        told = self.add(case, seed=5)[1]
        self.assertIn("never kept", told["sounds"][0]["why_not"])

    def test_what_is_none_or_not_ones_own_is_refused(self):
        case = self.report()
        status, told = self.add(case, seconds=2.0)
        self.assertEqual((status, told["code"], told["field"]), (422, "too_few_rows", "data"))
        text = io.BytesIO(b"no sound")
        text.name = "a.wav"
        self.refused(422, "not_a_wav", "data", "member", "POST", f"/cases/{case}/sound", file=text)
        self.assertEqual(self.add(case, "other")[0], 403)
        self.good("technician", "POST", f"/cases/{case}/take")
        self.good("technician", "POST", f"/cases/{case}/close", {"closing": "harmless"})
        self.assertEqual(self.add(case)[1]["code"], "closed")
