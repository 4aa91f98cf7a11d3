"""machine-sound: what is new in a machine's sound, whatever the microphone's distance; and when it says nothing."""

import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from kestov_core import procedures
from kestov_core.errors import BadInput
from kestov_core.procedures.machine_sound import AGAIN_DB, CENTRES_HZ
from kestov_core.simulator.moving import SimPart, ladder_sound
from kestov_core.simulator.sound import Recording, wav

RATE = 16_000


def noise(seconds=10.0, seed=1, level=0.02):
    return np.random.default_rng(seed).normal(0, level, int(seconds * RATE))


def tone(hz, level, like):
    return level * np.sin(2 * np.pi * hz * np.arange(len(like)) / RATE)


def hear(samples, **context):
    return procedures.run("machine-sound", context, wav(Recording(np.clip(samples, -1, 1), RATE)))


WELL = hear(noise(), state="healthy").own.model_dump()
GOOD = {
    "machine-sound": (
        {"state": "complaint", "healthy": WELL},
        wav(Recording(noise(seed=4) + tone(500, 0.1, noise()), RATE)),
    )
}


class New(unittest.TestCase):
    def test_a_tone_is_found_at_its_pitch_with_the_rise_that_it_has(self):
        quiet = noise(seed=2)
        found = hear(quiet + tone(800, 0.05, quiet), healthy=WELL)
        (new,) = found.new
        self.assertTrue(new.low_hz < 800 < new.high_hz)
        # Closed form: the tone's power over the noise's in its band.
        k = int(np.argmin(np.abs(np.array(CENTRES_HZ) - 794)))
        width = CENTRES_HZ[k] * (2 ** (1 / 6) - 2 ** (-1 / 6))
        band = 0.02**2 * width / (RATE / 2)
        expected = 10 * np.log10(1 + (0.05**2 / 2) / band)
        self.assertAlmostEqual(new.rise.value, expected, delta=1.0)
        self.assertTrue(new.steady)
        self.assertEqual((found.likeness, [f.finding for f in found.findings]), ("other", ["whine"]))
        self.assertGreaterEqual(new.rise.u95, AGAIN_DB)

    def test_the_same_again_is_the_same(self):
        found = hear(noise(seed=3), healthy=WELL)
        self.assertEqual((found.likeness, found.new, found.findings), ("alike", [], []))

    @settings(max_examples=12)
    @given(st.floats(0.25, 4.0), st.integers(10, 60))
    def test_nearer_or_further_is_nothing_new(self, gain, seed):
        found = hear(noise(seed=seed) * gain, healthy=WELL)
        self.assertEqual(found.new, [])
        self.assertAlmostEqual(found.gain_db, 20 * np.log10(gain), delta=0.6)

    def test_short_and_high_is_a_squeak_low_is_a_buzz(self):
        quiet = noise(seed=5)
        at = (np.arange(len(quiet)) / RATE % 1.5) < 0.35
        squeak = hear(quiet + at * tone(2500, 0.25, quiet), healthy=WELL)
        self.assertEqual([f.finding for f in squeak.findings], ["squeak"])
        self.assertFalse(squeak.new[0].steady)
        buzz = hear(quiet + at * tone(250, 0.25, quiet), healthy=WELL)
        self.assertEqual([f.finding for f in buzz.findings], ["buzz"])

    def test_neighbouring_bands_are_one_sound(self):
        rng = np.random.default_rng(6)
        wide = np.fft.rfft(rng.normal(0, 1, 160_000))
        hz = np.fft.rfftfreq(160_000, 1 / RATE)
        wide[(hz < 600) | (hz > 1500)] = 0
        added = np.fft.irfft(wide)
        found = hear(noise(seed=7) + 0.15 * added / added.std(), healthy=WELL)
        self.assertEqual(len(found.new), 1)
        self.assertIn("a sound from", found.new[0].words)

    def test_a_simulated_panel_is_new_on_its_machine(self):
        def run(parts, seed):
            return ladder_sound(
                [20.0, 48.0, 35.0, 60.0, 80.0], 5.0, parts, rung_s=1.3, pause_s=0.1, rush=0.012, seed=seed
            )

        well = hear(run([], 1).samples, state="healthy").own.model_dump()
        self.assertEqual(hear(run([], 2).samples, healthy=well).new, [])
        found = hear(run([SimPart(hz=240.0, q=20.0, level=0.16)], 3).samples, healthy=well)
        self.assertTrue(found.new[0].low_hz < 260 and found.new[0].high_hz > 220)


class SaysNothing(unittest.TestCase):
    def codes(self, found):
        self.assertEqual((found.likeness, found.verdict), ("cannot_tell", "not_judged"))
        return [w.code for w in found.warnings]

    def test_without_a_healthy_sound_nothing_is_new(self):
        self.assertEqual(self.codes(hear(noise())), ["no_healthy_sound"])

    def test_a_spoilt_recording(self):
        self.assertEqual(self.codes(hear(noise(level=1e-5), healthy=WELL)), ["too_quiet"])
        self.assertEqual(self.codes(hear(noise(level=2.0), healthy=WELL)), ["clipped"])

    def test_too_short_and_too_long_are_refused(self):
        for seconds, code in ((2.0, "too_few_rows"), (70.0, "too_large")):
            with self.assertRaises(BadInput) as e:
                hear(noise(seconds), healthy=WELL)
            self.assertEqual(e.exception.code, code)

    def test_a_healthy_sound_is_kept_and_not_judged(self):
        found = hear(noise(), state="healthy")
        self.assertEqual((found.likeness, found.new, len(found.own.along)), ("kept", [], len(CENTRES_HZ)))
