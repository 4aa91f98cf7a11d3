"""What hands do to figures is noticed, asked about, or inside the uncertainty; what is common to a sitting is never left out."""

import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from kestov_core.procedures import run
from kestov_core.procedures.resonance import CLOCK_U95, ResonanceContext, analyse_rows
from kestov_core.quantities import odd_ones, step_shown, typed_wrong
from kestov_core.simulator.hands import HABITS, SLIPS, as_typed
from kestov_core.simulator.instruments import CALIPER, DIAL
from kestov_core.simulator.shaking import Sensor, Shake, SimAxis, SimMode, shake

STEPS = {"axis": "x", "steps_per_mm": 80.0, "commanded_mm": 100, "transmission": {"kind": "belt", "teeth": 20}}


def codes(result):
    return [w.code for w in result.warnings]


class Figures(unittest.TestCase):
    @given(st.floats(0.01, 1e4), st.sampled_from([10.0, 0.1, 25.4, 1 / 25.4]), st.floats(-0.02, 0.02))
    def test_a_misplaced_point_and_an_inch_are_known_by_their_factor(self, expected, factor, off):
        self.assertTrue(typed_wrong(expected * factor * (1 + off), expected))
        self.assertEqual(typed_wrong(expected * (1 + 10 * off), expected), "")

    def test_far_ones_are_named_and_a_natural_spread_is_not(self):
        self.assertEqual([i for i, _ in odd_ones([10.01, 10.03, 10.02, 11.02, 10.0], 0.1)], [3])
        self.assertEqual(odd_ones([10.01, 10.03, 10.02, 10.05, 10.0], 0.1), [])
        self.assertEqual([i for i, _ in odd_ones([3.937], 0.1, expected=100.0)], [0])

    def test_favourite_digits_coarsen_the_step(self):
        self.assertEqual(step_shown([100.05, 100.1, 99.95, 100.0, 100.05], 0.01), 0.05)
        self.assertEqual(step_shown([100.05, 100.1, 99.95, 100.01, 100.05], 0.01), 0.01)
        self.assertEqual(step_shown([100.0, 100.0], 0.01), 0.01)


class Steps(unittest.TestCase):
    def typed(self, habit, seed, true=0.0):
        rng = np.random.default_rng(seed)
        read = [CALIPER.read(100 * (1 + true / 100), rng) for _ in range(5)]
        return run("steps", STEPS | {"measured_mm": as_typed(read, habit, 0.01, rng)})

    def test_every_habit_is_covered_or_asked_about(self):
        for habit in HABITS:
            covered = asked = 0
            for seed in range(20):
                result = self.typed(habit, seed, true=0.5)
                odd = "odd_reading" in codes(result)
                asked += odd
                covered += odd or abs(result.error.value - 0.5) <= result.error.u95
            with self.subTest(habit):
                self.assertGreaterEqual(covered, 18)
                if habit in ("typed_in_inches", "point_misplaced"):
                    self.assertEqual(asked, 20)

    def test_nothing_is_set_on_readings_in_inches(self):
        result = run("steps", STEPS | {"measured_mm": [3.937, 3.936, 3.938]})
        self.assertEqual((result.verdict, result.basis, result.ratio_suspect), ("cannot_tell", "kept", []))
        self.assertEqual(result.advice[0].action, "measure_again")
        self.assertIn("1/25.4", result.warnings[0].message)

    def test_a_zero_that_is_off_is_common_to_all_readings(self):
        few, many = (run("steps", STEPS | {"measured_mm": [100.0, 100.01] * n}).travel.u95 for n in (3, 40))
        self.assertGreater(many, 0.03)
        self.assertLess(few - many, 0.02)
        free = run("steps", STEPS | {"measured_mm": [100.0, 100.01] * 40, "zero_u95_mm": 0, "stated_u95_mm": 0})
        self.assertLess(free.travel.u95, 0.01)


class Others(unittest.TestCase):
    def reversal(self, habit, seed, play=0.06):
        rng = np.random.default_rng(seed)
        rows = [
            (t, s, DIAL.read(t - s * play / 2 + float(rng.normal(0, 0.003)), rng))
            for _ in range(5)
            for s in (1, -1)
            for t in (20.0, 25.0, 30.0)
        ]
        typed = as_typed([r[2] for r in rows], habit, 0.01, rng)
        lines = [f"{t:g},{'+' if s > 0 else '-'},{v:.4f}" for (t, s, _), v in zip(rows, typed, strict=True)]
        return run("backlash", {}, ("target_mm,approach,reading_mm\n" + "\n".join(lines)).encode())

    def test_a_reading_put_to_another_target_is_named_by_its_row(self):
        for habit in (*SLIPS, "places_swapped"):
            noticed = sum("odd_reading" in codes(self.reversal(habit, seed)) for seed in range(12))
            self.assertGreaterEqual(noticed, 10, habit)
        self.assertNotIn("odd_reading", codes(self.reversal("careful", 1)))

    def test_what_is_rounded_away_widens_the_reversal(self):
        inside = 0
        for seed in range(25):
            result = self.reversal("favourite_digits", seed, play=0.005 * seed)
            self.assertIn("rounded_readings", codes(result))
            inside += abs(abs(result.mean_reversal.value) - 0.005 * seed) <= result.mean_reversal.u95
        self.assertGreaterEqual(inside, 22)

    def test_the_indicators_own_lost_motion_stays_however_often_one_reads(self):
        self.assertGreaterEqual(self.reversal("careful", 2).reversal_value.u95, 0.003)

    def test_a_press_in_inches_and_a_miscount_are_named(self):
        presses = [{"force_n": f, "deflection_mm": d} for f, d in ((2.0, 5.0), (2.4, 6.0), (2.8, 7.0), (3.2, 8.0))]
        common = {"span_mm": 240, "axial_stiffness_n": 15000, "loop_length_mm": 1700}
        self.assertNotIn("odd_reading", codes(run("belt-deflection", common | {"readings": presses})))
        presses[2]["deflection_mm"] = 7.0 / 25.4
        wrong = run("belt-deflection", common | {"readings": presses, "target_n": {"low": 20, "high": 30}})
        self.assertEqual((wrong.verdict, "odd_reading" in codes(wrong)), ("cannot_tell", True))
        ripples = [{"count": n, "distance_mm": d} for n, d in ((8, 16.0), (7, 14.1), (8, 15.9), (6, 14.0))]
        counted = run("ringing-print", {"speed_mm_s": 80, "ripples": ripples, "wall_runs": "x"})
        self.assertIn("odd_reading", codes(counted))
        self.assertIsNone(counted.recommended)

    def test_scale_and_zero_of_a_press_do_not_average_out(self):
        press = {"force_n": 4 * 25 * 8 / 240, "deflection_mm": 8.0}
        common = {"span_mm": 240, "axial_stiffness_n": 1.0, "span_u95_mm": 0}
        often = run("belt-deflection", common | {"readings": [press] * 60}).tension
        self.assertAlmostEqual(often.shared, 25 * (0.02**2 + (0.2 / 8) ** 2) ** 0.5, places=2)


class SensorsClock(unittest.TestCase):
    @settings(max_examples=6, deadline=None)
    @given(st.floats(-0.02, 0.02))
    def test_a_clock_that_is_off_lies_inside_the_uncertainty(self, off):
        sensor = Sensor(jitter=0.0, clock=1 + off)
        got = shake(SimAxis(modes=[SimMode(hz=45.0, damping=0.06)]), "x", Shake(seconds=12.0), sensor, 4)
        context = ResonanceContext(unit=got.unit, excited_axis="x", excitation="sweep")
        result = analyse_rows(context, got.time_s, got.acceleration)
        f = result.frequency
        self.assertLessEqual(abs(f.value - 45.0), f.u95 + 0.05)
        self.assertAlmostEqual(f.shared, CLOCK_U95 * f.value)
        self.assertIn("counted_out", codes(result))

    def test_knocks_that_bounce_or_come_early_do_no_harm(self):
        for how in ({"doubled": 0.3}, {"early": 0.3}):
            right = 0
            for seed in range(6):
                axis = SimAxis(modes=[SimMode(hz=48.0, damping=0.06)])
                shake_ = Shake(kind="impulse", seconds=10.0, knocks=8, level_mm_s2=15000.0, **how)
                got = shake(axis, "x", shake_, Sensor(), seed)
                context = ResonanceContext(unit=got.unit, excited_axis="x", excitation="impulse")
                result = analyse_rows(context, got.time_s, got.acceleration)
                right += result.recommended is not None and abs(result.modes[0].frequency.value / 48.0 - 1) < 0.01
            self.assertGreaterEqual(right, 5, how)
