"""Lives: against published maximum-likelihood estimates and closed forms, and how often the intervals hold the truth."""

import math
import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from kestov_core import procedures
from kestov_core.errors import BadInput


def table(hours, failed):
    return "\n".join(["hours,failed", *(f"{h},{int(f)}" for h, f in zip(hours, failed, strict=True))]).encode()


def life(hours, failed, **context):
    return procedures.run("life", context, table(hours, failed))


#: Lieblein and Zelen 1956: millions of turns to failure of 23 deep-groove ball bearings.
BEARINGS = [
    17.88, 28.92, 33.00, 41.52, 42.12, 45.60, 48.48, 51.84, 51.96, 54.12, 55.56, 67.80, 68.64, 68.64, 68.88, 84.12,
    93.12, 98.64, 105.12, 105.84, 127.92, 128.04, 173.40,
]  # fmt: skip
GOOD = {
    "life": (
        {"default_life_hours": 900.0, "age_hours": 300.0, "horizon_hours": 200.0},
        table([420, 510, 560, 640, 700, 300, 350, 900], [1, 1, 1, 1, 1, 0, 0, 0]),
    )
}


class Estimates(unittest.TestCase):
    def test_of_many_failures_the_interval_is_that_of_large_samples(self):
        # Its shape is known to 0.78 of itself over the root of the failures (one standard deviation; Bain and Engelhardt).
        for failures in (100, 400, 2_000, 10_000):
            hours = 1000 * np.random.default_rng(failures).weibull(2.0, failures)
            shape = life(hours, np.ones(failures)).shape
            expected = 1.96 * 0.78 / math.sqrt(failures)
            self.assertAlmostEqual((shape.high - shape.low) / 2 / shape.value, expected, delta=0.2 * expected)

    def test_the_ball_bearings_of_the_textbooks(self):
        # Lawless 2003, example 5.1.1 and Nelson: shape 2.102, scale 81.88; ten in a hundred have failed at 28.1.
        result = life(BEARINGS, [1] * 23)
        self.assertAlmostEqual(result.shape.value, 2.102, delta=0.002)
        self.assertAlmostEqual(result.scale_hours.value, 81.88, delta=0.03)
        self.assertAlmostEqual(result.b10_hours.value, 81.88 * (-math.log(0.9)) ** (1 / 2.102), delta=0.05)
        # Lawless's likelihood interval of the shape, and that of the same table's scale.
        self.assertAlmostEqual(result.shape.low, 1.49, delta=0.05)
        self.assertAlmostEqual(result.shape.high, 2.84, delta=0.07)

    def test_with_shape_one_the_scale_is_hours_over_failures(self):
        rng = np.random.default_rng(5)
        hours = 500 * rng.weibull(1.0, 4000)
        failed = hours < 600
        hours = np.minimum(hours, 600)
        result = life(hours, failed)
        self.assertAlmostEqual(result.shape.value, 1.0, delta=0.05)
        self.assertAlmostEqual(result.scale_hours.value, hours.sum() / failed.sum(), delta=12)

    def test_the_likelihood_is_at_its_top(self):
        hours, failed = np.array([420, 510, 560, 640, 700, 300, 350, 900.0]), np.array([1, 1, 1, 1, 1, 0, 0, 0], bool)
        result = life(hours, failed)

        def log_likelihood(k, s):
            return (
                failed.sum() * (math.log(k) - k * math.log(s))
                + (k - 1) * np.log(hours[failed]).sum()
                - ((hours / s) ** k).sum()
            )

        k, s = result.shape.value, result.scale_hours.value
        top = log_likelihood(k, s)
        for dk, ds in ((1.02, 1), (0.98, 1), (1, 1.02), (1, 0.98), (1.01, 1.01)):
            self.assertLess(log_likelihood(k * dk, s * ds), top)

    def test_who_still_runs_makes_life_longer(self):
        some = life([100, 200, 300, 400], [1, 1, 1, 1]).median_hours.value
        self.assertGreater(life([100, 200, 300, 400, 500, 500], [1, 1, 1, 1, 0, 0]).median_hours.value, some)

    def test_hours_in_another_unit_are_the_same_life(self):
        one, other = life(BEARINGS, [1] * 23), life([60 * h for h in BEARINGS], [1] * 23)
        self.assertAlmostEqual(other.shape.value, one.shape.value, places=6)
        self.assertAlmostEqual(other.median_hours.low / 60, one.median_hours.low, delta=0.05)

    def test_intervals_hold_the_truth_with_few_failures_too(self):
        median, b10 = 600 * math.log(2) ** 0.4, 600 * (-math.log(0.9)) ** 0.4
        for n, until in ((4, math.inf), (10, 550)):
            held = [0, 0, 0]
            for seed in range(150):
                hours = 600 * np.random.default_rng(seed).weibull(2.5, n)
                result = life(np.minimum(hours, until), hours < until) if (hours < until).sum() > 1 else None
                if result is None:
                    held = [x + 1 for x in held]
                    continue
                told = (result.shape, result.median_hours, result.b10_hours)
                for i, (q, true) in enumerate(zip(told, (2.5, median, b10), strict=True)):
                    held[i] += q.low <= true <= (math.inf if q.high is None else q.high)
            self.assertGreater(min(held), 0.9 * 150, (n, held))


class OnePart(unittest.TestCase):
    def test_its_chance_is_that_of_those_which_came_so_far(self):
        result = life(BEARINGS, [1] * 23, age_hours=50.0, horizon_hours=30.0)
        k, s = result.shape.value, result.scale_hours.value
        self.assertAlmostEqual(result.failure_probability.value, 1 - math.exp((50 / s) ** k - (80 / s) ** k), places=9)
        self.assertLess(result.failure_probability.low, result.failure_probability.value)

    def test_a_worn_one_is_likelier_to_fail_than_a_new_one(self):
        def chance(age):
            return life(BEARINGS, [1] * 23, age_hours=age, horizon_hours=20.0).failure_probability.value

        self.assertLess(chance(0), chance(60))
        self.assertLess(chance(60), chance(120))


class Few(unittest.TestCase):
    def test_what_is_left_to_one_that_has_run(self):
        fresh = life(BEARINGS, [1] * 23, age_hours=0)
        self.assertAlmostEqual(fresh.left_hours.value, fresh.median_hours.value, places=6)
        self.assertAlmostEqual(fresh.left_hours.high, fresh.median_hours.high, places=6)
        # Of a Weibull course: ((age/scale)^k + ln 2)^(1/k) scale - age.
        old = life(BEARINGS, [1] * 23, age_hours=60)
        k, scale = old.shape.value, old.scale_hours.value
        self.assertAlmostEqual(
            old.left_hours.value, scale * ((60 / scale) ** k + math.log(2)) ** (1 / k) - 60, places=6
        )
        # What wears out has the less left the longer it has run; half of them fail within what is left.
        self.assertLess(old.left_hours.value, fresh.left_hours.value)
        within = life(BEARINGS, [1] * 23, age_hours=60, horizon_hours=old.left_hours.value)
        self.assertAlmostEqual(within.failure_probability.value, 0.5, places=6)

    def test_few_failures_say_so_and_keep_the_typical_life(self):
        for failed in ([0, 0, 0], [1, 0, 0], [1, 1, 0]):
            result = life([100, 200, 300], failed, default_life_hours=800)
            self.assertIn("few_failures", [w.code for w in result.warnings])
            self.assertEqual(result.default_life_hours, 800)
            self.assertEqual(result.median_hours is None, not any(failed))
        self.assertEqual(life([100, 200, 300], [1, 1, 1]).warnings, [])

    def test_one_that_failed_late_claims_no_end(self):
        result = life([100, 200, 300], [1, 0, 0])
        self.assertIsNone(result.median_hours.high)
        self.assertIsNone(result.median_hours.u95)

    def test_all_at_one_age_is_said(self):
        self.assertIn("all_at_one_age", [w.code for w in life([300, 300, 300], [1, 1, 1]).warnings])

    def test_refused(self):
        for rows, code in (
            (b"", "empty_file"),
            (b"hours,failed\n0,1\n", "out_of_range"),
            (b"hours,failed\n5,2\n", "bad_row"),
            (b"hours,failed\n5,yes\n", "bad_row"),
            (b"hours\n5\n", "missing_column"),
        ):
            with self.subTest(rows), self.assertRaises(BadInput) as e:
                procedures.run("life", {}, rows)
            self.assertEqual(e.exception.code, code)

    @settings(max_examples=40, deadline=None)
    @given(st.lists(st.tuples(st.floats(0.1, 1e6), st.booleans()), min_size=1, max_size=12))
    def test_any_parts_give_an_answer_in_order(self, rows):
        result = life([h for h, _ in rows], [f for _, f in rows], age_hours=10, horizon_hours=10)
        for q in (result.shape, result.median_hours, result.b10_hours, result.failure_probability, result.left_hours):
            if q is not None:
                self.assertLessEqual(q.low, q.value * (1 + 1e-6) + 1e-12)
                self.assertGreaterEqual((math.inf if q.high is None else q.high) * (1 + 1e-6), q.value)


if __name__ == "__main__":
    unittest.main()
