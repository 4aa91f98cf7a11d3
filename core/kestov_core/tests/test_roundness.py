"""roundness: ovals against the closed form, scale told from skew, noise, and the simulated ring."""

import math
import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from kestov_core import procedures
from kestov_core.errors import BadInput
from kestov_core.procedures.roundness import ANGLES
from kestov_core.simulator.frame import SimFrame
from kestov_core.simulator.instruments import SimTravel
from kestov_core.simulator.machine import SimMachine


def ring(a=0.0, b=0.0, mean=40.0, noise=0.0, seed=1, angles=ANGLES, times=1):
    rng = np.random.default_rng(seed)
    return [
        {
            "angle_deg": float(t),
            "diameter_mm": float(
                mean + a * math.cos(2 * math.radians(t)) + b * math.sin(2 * math.radians(t)) + rng.normal(0, noise)
            ),
        }
        for _ in range(times)
        for t in angles
    ]


GOOD = {"roundness": ({"nominal_mm": 40.0, "readings": ring(0.12, 0.03, 40.1, 0.008)}, None)}


def run(readings, **context):
    return procedures.run("roundness", {"nominal_mm": 40.0, "readings": readings, **context})


class Roundness(unittest.TestCase):
    def test_the_oval_comes_out_whole(self):
        result = run(ring(0.15, -0.08, 40.2))
        self.assertAlmostEqual(result.mean_error.value, 0.2, places=6)
        self.assertAlmostEqual(result.scale_mismatch.value, 2 * 0.15 / 40.2, places=8)
        self.assertAlmostEqual(result.skew_part.value, -2 * 0.08 / 40.2, places=8)
        self.assertAlmostEqual(result.out_of_round.value, 2 * math.hypot(0.15, 0.08), places=6)

    def test_along_the_axes_is_scale_and_along_the_diagonals_skew(self):
        for a, b, cause, action in (
            (0.2, 0.0, "scale", "belts_and_backlash"),
            (-0.2, 0.01, "scale", "belts_and_backlash"),
            (0.0, 0.2, "skew", "squareness"),
            (0.15, 0.15, "both", "belts_and_backlash"),
            (0.01, 0.01, "round", None),
        ):
            result = run(ring(a, b, noise=0.004))
            self.assertEqual(result.cause, cause)
            self.assertEqual(result.advice[0].action if result.advice else None, action)

    def test_the_uncertainties_cover_the_truth_as_often_as_they_say(self):
        ovals, skews = [], []
        for seed in range(300):
            r = run(ring(0.1, 0.05, noise=0.02, seed=seed, times=2), resolution_mm=0.0)
            ovals.append(abs(r.out_of_round.value - 2 * math.hypot(0.1, 0.05)) <= r.out_of_round.u95)
            skews.append(abs(r.skew_part.value - 2 * 0.05 / 40) <= r.skew_part.u95)
        for inside in (ovals, skews):
            self.assertGreaterEqual(np.mean(inside), 0.91)
            self.assertLessEqual(np.mean(inside), 0.985)

    def test_a_round_one_read_with_noise_is_not_called_oval(self):
        for seed in range(60):
            result = run(ring(noise=0.02, seed=seed), limit_mm=0.1)
            self.assertNotEqual(result.verdict, "out_of_tolerance")
        self.assertEqual(run(ring(0.07, noise=0.02, seed=4)).advice[0].action, "measure_again")

    def test_one_direction_that_stands_out_is_a_seam_and_no_oval(self):
        readings = ring(noise=0.003, times=2)
        readings[6]["diameter_mm"] += 0.3
        result = run(readings)
        self.assertEqual(result.gap_at_deg, 112.5)
        self.assertIn("one_direction", [w.code for w in result.warnings])

    def test_bad_input_is_refused(self):
        for readings, code in (
            (ring(angles=(0, 45, 90, 100)), "too_few_rows"),
            (ring(angles=(0, 45, 90)), "too_few_rows"),
        ):
            with self.assertRaises(BadInput) as e:
                run(readings)
            self.assertEqual((e.exception.code, e.exception.field), (code, "readings"))
        slip = ring(noise=0.004)
        slip[2]["diameter_mm"] = 4.0
        self.assertEqual((run(slip).verdict, run(slip).advice[0].action), ("cannot_tell", "measure_again"))

    def test_the_simulated_ring_shows_lean_and_travel_of_one_machine(self):
        procedure = procedures.get("roundness")
        leaning = SimMachine(belts={}, frame=SimFrame(lean_xy=0.5, wall_mm=0.0))
        read = procedure.stand_in(leaning, "all", 1, {"nominal_mm": 60.0})
        result = procedures.run("roundness", {"nominal_mm": 60.0, "readings": read.rows})
        self.assertEqual(result.cause, "skew")
        # The same lean as the printed plate tells (rad).
        self.assertAlmostEqual(result.skew_part.value, 0.005, delta=result.skew_part.u95 + 1e-4)
        stretched = SimMachine(belts={}, travel={"y": SimTravel(scale=0.993)}, frame=SimFrame(wall_mm=0.0))
        read = procedure.stand_in(stretched, "all", 1, {"nominal_mm": 60.0})
        result = procedures.run("roundness", {"nominal_mm": 60.0, "readings": read.rows})
        self.assertEqual((result.cause, result.advice[0].target), ("scale", "y"))
        put_right = procedure.stand_in(SimMachine(belts={}, frame=SimFrame(wall_mm=0.0)), "all", 1, {})
        self.assertEqual(procedures.run("roundness", {"nominal_mm": 60.0, "readings": put_right.rows}).advice, [])

    @settings(max_examples=40, deadline=None)
    @given(st.floats(-0.3, 0.3), st.floats(-0.3, 0.3), st.integers(-2, 2))
    def test_half_a_turn_further_is_the_same_diameter(self, a, b, turns):
        readings = ring(a, b)
        turned = [{**r, "angle_deg": max(-360.0, min(360.0, r["angle_deg"] + 180 * (turns % 2)))} for r in readings]
        one, other = run(readings), run(turned)
        self.assertAlmostEqual(one.out_of_round.value, other.out_of_round.value, places=6)


if __name__ == "__main__":
    unittest.main()
