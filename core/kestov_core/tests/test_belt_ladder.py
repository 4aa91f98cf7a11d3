"""belt-ladder: the least of rounds against known parabolas, what is tried next, where stiffening bends, and the highest tension."""

import math
import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from kestov_core import procedures
from kestov_core.errors import BadInput


def q(value, u95, unit):
    return {"value": float(value), "u95": u95, "unit": unit}


def rounds(
    turns, best=1.5, depth=0.03, least=0.05, noise=0.0, seed=1, u95=0.004, per_turn=4.0, first_n=18.0, bend=None
):
    rng = np.random.default_rng(seed)
    out = []
    for t in turns:
        f2 = 1600 + 150 * (min(t, bend) if bend is not None else t)
        out.append(
            {
                "turns_total": float(t),
                "residual": q(max(0.0, least + depth * (t - best) ** 2 + rng.normal(0, noise)), u95, "mm"),
                "tension": q(first_n + per_turn * t, 0.8, "N"),
                "frequency": q(math.sqrt(f2), 0.2, "Hz"),
            }
        )
    return out


GOOD = {"belt-ladder": ({"rounds": rounds((0, 1, 2, 3), noise=0.001), "highest_n": 50.0}, None)}


def run(rows, **context):
    return procedures.run("belt-ladder", {"rounds": rows, **context})


class Ladder(unittest.TestCase):
    def test_the_least_comes_out_whole_with_its_tension(self):
        result = run(rounds((0, 1, 2, 3), best=1.7))
        self.assertAlmostEqual(result.best_turns.value, 1.7, places=6)
        self.assertTrue(result.best_known)
        self.assertAlmostEqual(result.tension_at_best.value, 18 + 4 * 1.7, places=4)
        self.assertAlmostEqual(result.stiffening.value, 150.0, places=3)
        self.assertIsNone(result.next_turns)
        self.assertEqual((result.verdict, result.advice[0].action), ("not_judged", "set_own_best"))

    def test_while_it_falls_one_turn_further_is_tried(self):
        result = run(rounds((0, 1, 2), best=6.0))
        self.assertIsNone(result.best_turns)
        self.assertEqual(result.next_turns.value, 3.0)
        self.assertEqual(result.advice[0].direction, "tighter")

    def test_passed_from_the_first_round_on_it_goes_back(self):
        result = run(rounds((0, 1, 2), best=-2.0))
        self.assertEqual((result.best_turns, result.next_turns.value), (None, -1.0))

    def test_enclosed_but_unsure_quarter_turns_round_it_are_tried(self):
        result = run(rounds((0, 1, 2), best=1.8, depth=0.02, u95=0.014))
        self.assertIsNotNone(result.best_turns)
        self.assertFalse(result.best_known)
        self.assertAlmostEqual(result.next_turns.value % 0.25, 0.0)
        self.assertLessEqual(abs(result.next_turns.value - result.best_turns.value), 0.5)
        self.assertGreater(min(abs(result.next_turns.value - t) for t in (0, 1, 2)), 0.1)

    def test_never_beyond_the_highest_tension(self):
        result = run(rounds((0, 1, 2), best=9.0), highest_n=28.2)
        self.assertAlmostEqual(result.next_turns.value, 2.5)
        self.assertLessEqual(18 + 4 * result.next_turns.value, 28.2)
        there = run(rounds((0, 1, 2), best=9.0), highest_n=26.2)
        self.assertIsNone(there.next_turns)
        self.assertEqual(there.advice[0].action, "stay")

    def test_where_it_rings_no_higher_the_spring_is_another(self):
        result = run(rounds((0, 1, 2, 3, 4, 5), best=2.5, bend=2.6))
        self.assertAlmostEqual(result.bends_at_turns.value, 2.6, delta=max(0.15, result.bends_at_turns.u95))
        self.assertAlmostEqual(result.stiffening.value, 150.0, delta=result.stiffening.u95 + 1)
        self.assertIn("bends", [w.code for w in result.warnings])
        self.assertIsNone(run(rounds((0, 1, 2, 3, 4, 5), best=2.5)).bends_at_turns)

    def test_the_uncertainty_covers_the_truth_as_often_as_it_says(self):
        inside, known = [], 0
        for seed in range(400):
            result = run(rounds((0, 0.75, 1.5, 2.25, 3), best=1.6, noise=0.004, seed=seed, u95=1.96 * 0.004))
            if result.best_turns is not None:
                known += 1
                inside.append(abs(result.best_turns.value - 1.6) <= result.best_turns.u95)
        self.assertGreater(known, 350)
        self.assertGreaterEqual(np.mean(inside), 0.91)
        self.assertLessEqual(np.mean(inside), 0.99)

    def test_following_what_is_tried_next_finds_the_best_in_few_rounds(self):
        for best in (0.6, 2.2, 4.4, -1.3):
            turns = [0.0, 1.0, 2.0]
            for _ in range(10):
                result = run(rounds(turns, best=best, noise=0.001, u95=0.005))
                if result.best_known:
                    break
                turns.append(result.next_turns.value)
            self.assertTrue(result.best_known, best)
            self.assertAlmostEqual(result.best_turns.value, best, delta=0.4)

    def test_rows_as_typed_are_the_same_rounds(self):
        typed = [
            {
                "turns_total": r["turns_total"],
                "ripple_mm": r["residual"]["value"],
                "tension_n": r["tension"]["value"],
                "frequency_hz": 0.0,
            }
            for r in rounds((0, 1, 2, 3))
        ]
        result = procedures.run("belt-ladder", {"tried": typed, "ripple_u95_mm": 0.004})
        self.assertAlmostEqual(result.best_turns.value, 1.5, places=6)
        self.assertIsNone(result.stiffening)

    def test_bad_input_is_refused(self):
        wrong = rounds((0, 1, 2))
        wrong[0]["tension"]["unit"] = "Hz"
        negative = rounds((0, 1, 2))
        negative[0]["residual"]["value"] = -0.1
        for rows, code in ((rounds((0, 1)), "too_few_rows"), (wrong, "unknown_unit"), (negative, "out_of_range")):
            with self.assertRaises(BadInput) as e:
                run(rows)
            self.assertEqual(e.exception.code, code)

    @settings(max_examples=40, deadline=None)
    @given(st.floats(0.3, 2.7), st.floats(-20, 20))
    def test_from_where_turns_are_counted_does_not_count(self, best, first):
        one = run(rounds((0, 1, 2, 3), best=best))
        moved = rounds((0, 1, 2, 3), best=best)
        for r in moved:
            r["turns_total"] += first
        other = run(moved)
        if one.best_turns is not None and other.best_turns is not None:
            self.assertAlmostEqual(other.best_turns.value - first, one.best_turns.value, places=5)


if __name__ == "__main__":
    unittest.main()
