"""Input shapers against published figures, closed forms and their own constraints."""

import math
import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from kestov_core.errors import BadInput
from kestov_core.procedures import run
from kestov_core.signals import shapers

DAMPING = st.floats(0, 0.2)
HZ = st.floats(15, 140)


class Published(unittest.TestCase):
    def test_insensitivities_at_zero_damping(self):
        # Singhose 2009: 0.06, 0.29, 0.40, 0.48, 0.73, 0.95 to two figures.
        for name, width, near in (
            ("zv", 0.064, 0.001), ("zvd", 0.287, 0.001), ("ei", 0.3996, 0.001),
            ("zvdd", 0.4804, 0.005), ("ei2", 0.726, 0.005), ("ei3", 0.96, 0.015),
        ):  # fmt: skip
            result = run("shaper", {"name": name, "frequency_hz": 40.0, "damping_ratio": 0.0})
            self.assertAlmostEqual(result.insensitivity_5_percent, width, delta=near, msg=name)

    def test_zv_amplitudes_and_times_at_a_damping(self):
        z, f = 0.1, 50.0
        k = math.exp(-z * math.pi / math.sqrt(1 - z * z))
        impulses = run("shaper", {"name": "zv", "frequency_hz": f, "damping_ratio": z}).impulses
        self.assertAlmostEqual(impulses[0].amplitude, 1 / (1 + k), places=12)
        self.assertAlmostEqual(impulses[1].time_s, 1 / (2 * f * math.sqrt(1 - z * z)), places=12)

    def test_ei_amplitudes_at_zero_damping(self):
        v = 0.05
        amplitudes, times = shapers.impulses("ei", 1.0, 0.0, v)
        np.testing.assert_allclose(amplitudes, [(1 + v) / 4, (1 - v) / 2, (1 + v) / 4], atol=1e-9)
        np.testing.assert_allclose(times, [0, 0.5, 1.0], atol=1e-9)

    def test_smoothing_of_zv_is_an_eighth_of_the_half_period_squared(self):
        # Equal halves at 0 and T/2: sum A (t - mean)^2 = (T/4)^2, so a/2 (T/4)^2.
        result = run("shaper", {"name": "zv", "frequency_hz": 40.0, "damping_ratio": 0.0})
        self.assertAlmostEqual(result.smoothing_mm_per_1000, 500 * (1 / 40 / 4) ** 2, places=9)


class Constraints(unittest.TestCase):
    @given(st.sampled_from(shapers.NAMES), HZ, DAMPING)
    @settings(max_examples=60, deadline=None)
    def test_amplitudes_are_positive_and_sum_to_one_and_times_grow(self, name, f, z):
        amplitudes, times = shapers.impulses(name, f, z)
        self.assertAlmostEqual(amplitudes.sum(), 1, places=9)
        self.assertTrue((amplitudes > 0).all() and times[0] == 0 and (np.diff(times) > 0).all())

    @given(st.sampled_from(("zv", "zvd", "zvdd", "ei2")), HZ, DAMPING)
    @settings(max_examples=40, deadline=None)
    def test_nothing_is_left_at_the_design_frequency(self, name, f, z):
        self.assertLess(float(shapers.residual(*shapers.impulses(name, f, z), f, z)), 1e-5)

    @given(st.sampled_from(("ei", "ei2", "ei3")), st.floats(0, 0.18), st.floats(0.02, 0.1))
    @settings(max_examples=30, deadline=None)
    def test_every_hump_of_the_ei_family_touches_its_tolerance(self, name, z, tolerance):
        amplitudes, times = shapers.impulses(name, 1.0, z, tolerance)
        curve = shapers.residual(
            amplitudes, times, np.linspace(0.35, 2.4, 24001), z
        )  # the last zero of ei3 may lie above 2
        inner = (curve[1:-1] > curve[:-2]) & (curve[1:-1] >= curve[2:])
        below = np.flatnonzero(curve < 1e-3)
        humps = [v for i, v in enumerate(curve[1:-1], 1) if inner[i - 1] and below[0] < i < below[-1]]
        self.assertGreaterEqual(len(humps), 1 if name == "ei" else int(name[2:]))
        for top in humps[: 1 if name == "ei" else int(name[2:])]:
            self.assertAlmostEqual(top, tolerance, delta=2e-4)

    @given(st.sampled_from(shapers.NAMES), DAMPING)
    @settings(max_examples=30, deadline=None)
    def test_the_residual_is_what_a_simulated_mode_keeps(self, name, z):
        """Impulses on x'' + 2 z w x' + w^2 x: amplitude after the last over that of one impulse at the last's time."""
        w = 2 * math.pi * 40
        amplitudes, times = shapers.impulses(name, 36.0, z)
        wd = w * math.sqrt(1 - z * z)
        t = times[-1]
        decay = np.exp(-z * w * (t - times))
        swing = (amplitudes * decay * np.exp(1j * wd * (t - times))).sum()
        self.assertAlmostEqual(abs(swing), float(shapers.residual(amplitudes, times, 40.0, z)), places=9)

    def test_where_no_shaper_exists_it_is_said(self):
        with self.assertRaises(BadInput) as e:
            run("shaper", {"name": "ei3", "frequency_hz": 40.0, "damping_ratio": 0.4})
        self.assertEqual((e.exception.code, e.exception.field), ("out_of_range", "damping_ratio"))

    def test_a_wider_tolerance_makes_a_wider_band_at_its_own_level(self):
        narrow, wide = (shapers.impulses("ei", 40, 0.05, v) for v in (0.02, 0.1))
        self.assertLess(
            shapers.insensitivity(*narrow, 40, 0.05, at_most=0.02), shapers.insensitivity(*wide, 40, 0.05, at_most=0.1)
        )
