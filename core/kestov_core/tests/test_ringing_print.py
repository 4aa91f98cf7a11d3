"""ringing-print against closed forms."""

import math
import unittest

from hypothesis import given, settings
from hypothesis import strategies as st

from kestov_core.errors import BadInput
from kestov_core.procedures import run


class RingingPrint(unittest.TestCase):
    def test_frequency_joined_by_count(self):
        # 100 mm/s: 5 in 10 mm is 50 Hz, 10 in 18 mm is 55.56 Hz; weights 1/3 and 2/3.
        result = run(
            "ringing-print",
            {"speed_mm_s": 100, "ripples": [{"count": 5, "distance_mm": 10}, {"count": 10, "distance_mm": 18}]},
        )
        self.assertAlmostEqual(result.frequency.value, 50 / 3 + 2 * 55.5556 / 3, places=3)
        self.assertEqual(result.verdict, "not_judged")

    @given(st.floats(0.01, 0.3), st.floats(0.1, 0.5))
    @settings(max_examples=30, deadline=None)
    def test_damping_by_the_decrement(self, zeta, first):
        decrement = 2 * math.pi * zeta / math.sqrt(1 - zeta**2)
        peaks = [first * math.exp(-decrement * k) for k in range(4)]
        result = run(
            "ringing-print", {"speed_mm_s": 80, "ripples": [{"count": 4, "distance_mm": 6}], "amplitudes_mm": peaks}
        )
        self.assertAlmostEqual(result.damping_ratio.value, zeta, places=6)
        damped = result.frequency.value
        self.assertAlmostEqual(result.undamped_frequency.value, damped / math.sqrt(1 - zeta**2), places=4)

    def test_ripples_in_the_ramp_are_said(self):
        context = {
            "speed_mm_s": 100,
            "acceleration_mm_s2": 1000,
            "ripples": [{"count": 3, "distance_mm": 5, "from_mm": 1}],
        }
        result = run("ringing-print", context)
        self.assertAlmostEqual(result.count_from_mm, 5.0)
        self.assertIn("counted_in_acceleration", [w.code for w in result.warnings])

    def test_peaks_that_grow_are_refused(self):
        with self.assertRaises(BadInput) as e:
            run(
                "ringing-print",
                {"speed_mm_s": 80, "ripples": [{"count": 4, "distance_mm": 6}], "amplitudes_mm": [0.1, 0.2]},
            )
        self.assertEqual(e.exception.field, "amplitudes_mm")


class WhoseRinging(unittest.TestCase):
    def count(self, **more):
        return run("ringing-print", {"speed_mm_s": 80, "ripples": [{"count": 4, "distance_mm": 8}], **more})

    def test_a_wall_shows_the_axis_across_it(self):
        for wall, axis in (("x", "y"), ("y", "x")):
            result = self.count(wall_runs=wall)
            self.assertEqual((result.axis, result.findings[0].axis), (axis, axis))
        self.assertIn("the bed", self.count(wall_runs="x", kinematics="bed_slinger").whose)
        self.assertIn("both belts", self.count(wall_runs="y", kinematics="corexy").whose)

    def test_a_contradiction_is_refused_and_an_untold_wall_is_said(self):
        with self.assertRaises(BadInput) as e:
            self.count(wall_runs="x", axis="x")
        self.assertEqual((e.exception.code, e.exception.field), ("out_of_range", "axis"))
        self.assertEqual(self.count(wall_runs="x", axis="y").axis, "y")
        untold = self.count()
        self.assertIsNone(untold.axis)
        self.assertIn("wall_not_told", [w.code for w in untold.warnings])
