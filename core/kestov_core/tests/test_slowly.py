"""Knocks taken at few samples a second: the right frequency where it can be known, all that it may be where not, never a wrong one."""

import math
import unittest

import numpy as np
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from kestov_core.errors import BadInput
from kestov_core.procedures.resonance import ResonanceContext, analyse_rows
from kestov_core.signals import slowly
from kestov_core.signals.sampling import evenly
from kestov_core.simulator.shaking import PHONE_RATES_HZ, Sensor, Shake, SimAxis, SimMode, knocked_by_phone, shake

#: Where few samples tell the truth, and where a mode poses as one far below half the rate.
TRUTHS = ((18.0, 0.06), (31.0, 0.05), (38.0, 0.06), (57.0, 0.05), (74.0, 0.04))


def axis(hz, damping=0.05, **more):
    return SimAxis(modes=[SimMode(hz=hz, damping=damping)], **more)


def taken(true, rates=PHONE_RATES_HZ, seed=3, heavier=0.0, **context):
    got = knocked_by_phone(true.laden(heavier), "x", rates, seed=seed)
    asked = ResonanceContext(unit=got.unit, excited_axis="x", excitation="impulse", **context)
    return analyse_rows(asked, got.time_s, got.acceleration)


def codes(result):
    return {w.code for w in result.warnings}


class Images(unittest.TestCase):
    @given(st.floats(8, 140), st.floats(30, 110))
    def test_even_samples_of_an_image_are_those_of_the_truth(self, hz, rate):
        n = np.arange(40)
        for other in slowly.images(hz, rate, 150.0):
            self.assertLess(
                np.abs(np.cos(2 * np.pi * hz * n / rate) - np.cos(2 * np.pi * other * n / rate)).max(), 1e-4
            )

    @given(st.floats(8, 140), st.floats(30, 110))
    def test_each_is_the_others_image(self, hz, rate):
        for other in slowly.images(hz, rate, 150.0):
            assume(abs(other / hz - 1) > 0.05)
            self.assertTrue(any(math.isclose(hz, f, rel_tol=1e-4) for f in slowly.images(other, rate, 150.0)))


class ThreeRates(unittest.TestCase):
    def test_a_mode_far_above_half_the_rate_is_told_where_it_is(self):
        for hz, damping in TRUTHS:
            with self.subTest(hz=hz):
                found = taken(axis(hz, damping))
                self.assertNotEqual(found.verdict, "cannot_tell", found.why_not)
                self.assertLess(abs(found.frequency.value - hz), found.frequency.u95)
                self.assertLess(found.frequency.u95, 0.05 * hz)
                self.assertLess(abs(found.modes[0].damping_ratio.value / damping - 1), 0.5)
                self.assertEqual(found.elsewhere, [])

    def test_it_is_a_first_look_without_a_shaper_and_says_nothing_of_play(self):
        found = taken(axis(38.0))
        self.assertIsNone(found.recommended)
        self.assertIn("accelerometer", found.why_not)
        states = {f.finding: f.state for f in found.findings}
        self.assertEqual((states["resonance_not_linear"], states["ringing_frequency"]), ("unknown", "present"))
        self.assertEqual((found.advice[-1].action, found.advice[-1].measure), ("print_a_corner", "ringing-print"))

    def test_what_is_told_is_never_another(self):
        rng = np.random.default_rng(7)
        told = 0
        for seed in range(12):
            hz, damping = float(rng.uniform(14, 90)), float(rng.uniform(0.03, 0.09))
            found = taken(axis(hz, damping), seed=seed)
            if found.verdict != "cannot_tell":
                told += 1
                self.assertLess(abs(found.frequency.value / hz - 1), 0.04, (hz, damping, seed))
        self.assertGreater(told, 6)

    def test_of_a_long_record_some_of_the_knocks_are_enough(self):
        got = knocked_by_phone(axis(38.0), "x", PHONE_RATES_HZ, seconds=240.0, knocks=160, seed=3)
        swings = slowly._swings(got.time_s, got.acceleration)
        self.assertLessEqual(swings.count, 6000)
        context = ResonanceContext(unit=got.unit, excited_axis="x", excitation="impulse")
        found = analyse_rows(context, got.time_s, got.acceleration)
        self.assertLess(abs(found.frequency.value / 38.0 - 1), 0.01)

    def test_stillness_is_no_knock(self):
        rng = np.random.default_rng(1)
        t = np.concatenate([np.arange(0, 16, 1 / 60), 20 + np.arange(0, 16, 1 / 50)])
        still = np.round(rng.normal(0, 0.03, (3, len(t))) / 0.1) * 0.1
        found = analyse_rows(ResonanceContext(unit="m/s2", excited_axis="x", excitation="impulse"), t, still)
        self.assertEqual((found.frequency, found.verdict), (None, "cannot_tell"))
        self.assertIn("low_snr", codes(found))


class OneRate(unittest.TestCase):
    def test_all_that_it_may_be_is_named_the_truth_among_it_and_nothing_is_told(self):
        for hz, damping in TRUTHS:
            with self.subTest(hz=hz):
                found = taken(axis(hz, damping), (60.0,))
                self.assertEqual(found.verdict, "cannot_tell")
                self.assertIn("aliasing_possible", codes(found))
                named = [found.frequency.value, *found.elsewhere]
                self.assertLess(min(abs(f / hz - 1) for f in named), 0.06, named)
                self.assertNotIn("ringing_frequency", {f.finding for f in found.findings})

    def test_a_fast_sensor_is_listened_to_as_ever(self):
        got = shake(axis(45.0), "x", Shake(kind="impulse", seconds=8, level_mm_s2=15_000), Sensor(), 1)
        context = ResonanceContext(unit=got.unit, excited_axis="x", excitation="impulse")
        found = analyse_rows(context, got.time_s, got.acceleration)
        self.assertEqual((found.verdict, found.elsewhere), ("not_judged", []))
        self.assertIsNotNone(found.recommended)


class OddRecords(unittest.TestCase):
    """None of them ends in anything but an answer or a refusal, and none is tuned to."""

    @settings(max_examples=40, deadline=None)
    @given(
        st.lists(st.floats(3, 280), min_size=1, max_size=3),
        st.sampled_from((0.0, 1e-3, 1e-2, 0.1)),
        st.floats(1.2, 9),
        st.sampled_from((20.0, 150.0, 500.0)),
        st.integers(0, 9),
    )
    def test_any_rate_stamp_and_length(self, rates, stamp, seconds, top, seed):
        parts, begin = [], 0.0
        for k, rate in enumerate(rates):
            sensor = Sensor(rate_hz=rate, unit="m/s2", stamp_step_s=stamp)
            how = Shake(kind="impulse", seconds=seconds, knocks=3, level_mm_s2=15_000)
            part = shake(axis(37.0), "x", how, sensor, seed + k)
            parts.append((part.time_s + begin, part.acceleration))
            begin += seconds + 2
        t, a = np.concatenate([p[0] for p in parts]), np.concatenate([p[1] for p in parts], axis=1)
        context = ResonanceContext(unit="m/s2", excited_axis="x", excitation="impulse", max_frequency_hz=top)
        try:
            found = analyse_rows(context, t, a)
        except BadInput:
            return
        found.model_dump_json()
        if found.quality.sample_rate_hz < 2 * top:
            self.assertIsNone(found.recommended)


class Heavy(unittest.TestCase):
    def test_what_the_sensor_weighs_is_taken_out_within_what_is_known_of_the_rest(self):
        found = taken(axis(40.0), heavier=250 / 600, added_g=250.0, moved_g=500.0)
        self.assertLess(abs(found.frequency.value - 40.0), found.frequency.u95)
        self.assertGreater(found.frequency.u95, 1.0)
        # Held against another sensor's record nothing of that cancels.
        self.assertGreater(found.frequency.own, 1.0)

    def test_f_times_the_root_of_one_and_the_share(self):
        plain, heavy = taken(axis(40.0)), taken(axis(40.0), added_g=300.0, moved_g=900.0)
        self.assertAlmostEqual(heavy.frequency.value / plain.frequency.value, math.sqrt(4 / 3), 9)

    def test_without_what_swings_it_is_no_more_than_a_least(self):
        found = taken(axis(40.0), heavier=0.4, added_g=250.0)
        self.assertEqual(found.verdict, "cannot_tell")
        self.assertIn("sensor_heavy", codes(found))
        self.assertLess(found.frequency.value, 40.0)


class CoarseSteps(unittest.TestCase):
    """Readings a tenth of a m/s2 apart."""

    def test_a_coarse_sensor_is_not_at_the_end_of_its_range(self):
        for seed in range(6):
            got = knocked_by_phone(axis(33.0), "x", (60.0,), seed=seed)
            self.assertEqual(evenly(got.time_s, got.acceleration, 20.0).clipped, 0.0)

    def test_one_that_is_says_so(self):
        got = knocked_by_phone(axis(33.0), "x", (60.0,), seed=1)
        self.assertGreater(evenly(got.time_s, np.clip(got.acceleration, -1.0, 1.0), 20.0).clipped, 0.005)
