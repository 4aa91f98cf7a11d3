"""Wear: rate and crossing against closed forms, how often the intervals hold the truth, and what is never guessed."""

import math
import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from kestov_core import procedures
from kestov_core.errors import BadInput


def table(hours, values, u95=None):
    head = "hours,value" + (",u95" if u95 is not None else "")
    told = "" if u95 is None else f",{u95}"
    return "\n".join([head, *(f"{h},{v}{told}" for h, v in zip(hours, values, strict=True))]).encode()


def trend(hours, values, u95=None, **context):
    return procedures.run("wear-trend", {"limit": 0.1, **context}, table(hours, values, u95))


WORN = np.arange(0, 800, 80.0)
GOOD = {
    "wear-trend": (
        {"limit": 0.15, "unit": "mm", "interventions_hours": [100.0], "service_in_hours": 100.0},
        table(WORN, 0.01 + 0.0001 * WORN + 0.002 * np.sin(WORN), 0.004),
    )
}


class Straight(unittest.TestCase):
    def test_rate_and_crossing_of_a_line(self):
        h = np.arange(0, 500, 50.0)
        result = trend(h, 0.02 + 0.0001 * h)
        self.assertEqual(result.model, "straight")
        self.assertAlmostEqual(result.rate_per_100h.value, 0.01, places=9)
        self.assertAlmostEqual(result.limit_at_hours, 800.0, places=4)
        self.assertAlmostEqual(result.hours_to_limit.value, 350.0, places=4)

    def test_weighted_least_squares_by_hand(self):
        # Two precise points fix the line; what is a hundred times as uncertain moves it by a ten-thousandth.
        rows = b"hours,value,u95\n0,1.0,0.001\n100,2.0,0.001\n50,9.0,10\n70,9.0,10\n"
        result = procedures.run("wear-trend", {"limit": 5.0}, rows)
        self.assertAlmostEqual(result.rate_per_100h.value, 1.0, delta=1e-3)

    def test_the_standard_error_of_a_slope(self):
        h = np.array([0.0, 100, 200, 300, 400])
        v = np.array([1.0, 2.1, 2.9, 4.2, 4.8])
        result = trend(h, v, limit=20.0)
        slope, left = np.polyfit(h, v, 1), 0.0
        left = float(((v - np.polyval(slope, h)) ** 2).sum()) / 3
        error = math.sqrt(left / float(((h - h.mean()) ** 2).sum()))
        self.assertAlmostEqual(result.rate_per_100h.u95, 100 * 3.182 * error, places=6)

    def test_the_crossing_s_interval_is_fieller_s(self):
        h = np.array([0.0, 100, 200, 300, 400, 500])
        v = np.array([1.0, 2.1, 2.9, 4.2, 4.8, 6.1])
        found = trend(h, v, limit=10.0).hours_to_limit
        # Fieller: the hours at which (10 - a - b h)^2 = t^2 var(a + b h), solved by hand.
        design = np.column_stack([np.ones_like(h), h])
        theta, *_ = np.linalg.lstsq(design, v, rcond=None)
        cov = np.linalg.inv(design.T @ design) * float(((v - design @ theta) ** 2).sum()) / 4
        t2 = 2.776**2
        a = theta[1] ** 2 - t2 * cov[1, 1]
        b = -2 * ((10 - theta[0]) * theta[1] + t2 * cov[0, 1])
        c = (10 - theta[0]) ** 2 - t2 * cov[0, 0]
        roots = sorted(np.roots([a, b, c]).real - 500)
        self.assertAlmostEqual(found.low, roots[0], places=3)
        self.assertAlmostEqual(found.high, roots[1], places=3)

    def test_intervals_hold_the_truth(self):
        held = rate = answered = 0
        for seed in range(200):
            rng = np.random.default_rng(seed)
            h = np.sort(rng.uniform(0, 600, 9))
            result = trend(h, 0.01 + 0.0002 * h + rng.normal(0, 0.006, 9), limit=0.3)
            rate += abs(result.rate_per_100h.value - 0.02) <= result.rate_per_100h.u95
            if (found := result.hours_to_limit) is not None:
                answered += 1
                held += found.low <= 0.29 / 0.0002 - h[-1] <= (found.high or math.inf)
        self.assertGreater(rate, 0.92 * 200)
        self.assertGreater(answered, 190)
        self.assertGreater(held, 0.92 * answered)


class Settling(unittest.TestCase):
    def test_a_fresh_belt_gives_then_holds(self):
        h = np.arange(0, 200, 10.0)
        rng = np.random.default_rng(1)
        result = trend(h, 25 + 8 * np.exp(-h / 30) + rng.normal(0, 0.2, 20), limit=20, direction="falling", unit="N")
        self.assertEqual(result.model, "settling")
        self.assertAlmostEqual(result.settles_at.value, 25, delta=result.settles_at.u95)
        self.assertIsNone(result.hours_to_limit)
        self.assertEqual([w.code for w in result.warnings], ["settles"])
        self.assertEqual(result.verdict, "in_tolerance")

    def test_it_reaches_a_limit_that_lies_before_its_rest(self):
        h = np.arange(0, 60, 6.0)
        result = trend(h, 25 + 8 * np.exp(-h / 30), limit=26, direction="falling")
        self.assertEqual(result.model, "settling")
        self.assertAlmostEqual(result.limit_at_hours, 30 * math.log(8), delta=0.5)
        # Its present rate is the curve's own, not that of the whole stretch.
        self.assertAlmostEqual(result.rate_per_100h.value, -100 * 8 / 30 * math.exp(-54 / 30), delta=0.02)

    def test_noise_on_a_line_is_not_taken_for_it(self):
        settling = 0
        for seed in range(80):
            rng = np.random.default_rng(seed)
            h = np.sort(rng.uniform(0, 600, 10))
            settling += trend(h, 0.01 + 0.0002 * h + rng.normal(0, 0.008, 10), limit=0.3).model == "settling"
        self.assertLess(settling, 6)


class NotGuessed(unittest.TestCase):
    def test_too_few_points(self):
        result = trend([0, 100, 200], [0.01, 0.02, 0.03])
        self.assertEqual((result.verdict, result.rate_per_100h, result.hours_to_limit), ("cannot_tell", None, None))
        self.assertEqual(result.advice[0].action, "measure_more")
        same_hour = trend([50] * 6, [0.01, 0.02, 0.03, 0.02, 0.01, 0.02])
        self.assertIsNone(same_hour.rate_per_100h)

    def test_what_was_before_the_last_intervention_is_another_course(self):
        h = np.arange(0, 1000, 100.0)
        v = np.where(h < 500, 0.02 + 0.0001 * h, 0.01 + 0.00005 * (h - 500))
        result = trend(h, v, interventions_hours=[500])
        self.assertEqual((result.points_used, result.since_hours), (5, 500))
        self.assertAlmostEqual(result.rate_per_100h.value, 0.005, places=9)
        self.assertEqual(trend(h, v, interventions_hours=[500, 800]).verdict, "cannot_tell")
        # One that is still to come cuts nothing off.
        self.assertEqual(trend(h, v, interventions_hours=[500, 5000]).points_used, 5)

    def test_a_rate_inside_its_uncertainty_says_nothing_of_the_limit(self):
        rng = np.random.default_rng(3)
        h = np.arange(0, 500, 50.0)
        result = trend(h, 0.05 + rng.normal(0, 0.01, 10))
        self.assertIsNone(result.hours_to_limit)
        self.assertIn("no_trend", [w.code for w in result.warnings])

    def test_a_rate_that_leads_away_never_reaches_it(self):
        h = np.arange(0, 500, 50.0)
        self.assertIsNone(trend(h, 0.09 - 0.0001 * h).hours_to_limit)
        self.assertIsNotNone(trend(h, 0.09 - 0.0001 * h, limit=0.01, direction="falling").hours_to_limit)

    def test_past_the_limit_is_said(self):
        h = np.arange(0, 500, 50.0)
        result = trend(h, 0.08 + 0.0001 * h, 0.002)
        self.assertEqual((result.verdict, result.hours_to_limit.value), ("out_of_tolerance", 0.0))

    def test_what_is_reached_before_the_next_service_is_watched(self):
        h = np.arange(0, 500, 50.0)
        v = 0.02 + 0.0001 * h
        self.assertEqual(trend(h, v, 0.002).verdict, "in_tolerance")
        self.assertEqual(trend(h, v, 0.002, service_in_hours=500).verdict, "watch")

    def test_refused(self):
        for rows, code in (
            (b"", "empty_file"),
            (b"hours,value\n", "too_few_rows"),
            (b"hours\n1\n", "missing_column"),
            (b"hours,value\n-1,2\n", "out_of_range"),
            (b"hours,value,u95\n1,2,-1\n", "out_of_range"),
            (b"hours,value\n1,x\n", "bad_row"),
            (b"hours,value\n1,1e300\n", "out_of_range"),
        ):
            with self.subTest(rows), self.assertRaises(BadInput) as e:
                procedures.run("wear-trend", {"limit": 1.0}, rows)
            self.assertEqual(e.exception.code, code)

    @settings(max_examples=80, deadline=None)
    @given(
        st.lists(st.tuples(st.floats(0, 1e5), st.floats(-1e6, 1e6)), min_size=1, max_size=25),
        st.sampled_from(["rising", "falling"]),
        st.floats(-1e6, 1e6),
    )
    def test_any_readings_give_an_answer_in_order(self, rows, direction, limit):
        try:
            result = trend([h for h, _ in rows], [v for _, v in rows], limit=limit, direction=direction)
        except BadInput as e:
            self.assertIn(e.code, ("out_of_range", "bad_row"))
            return
        if (found := result.hours_to_limit) is not None:
            self.assertGreaterEqual(found.value, 0)
            self.assertLessEqual(found.low, found.value + 1e-6 * (1 + found.value))
            self.assertGreaterEqual((found.high if found.high is not None else math.inf) * (1 + 1e-6), found.value)


if __name__ == "__main__":
    unittest.main()
