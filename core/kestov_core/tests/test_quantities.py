"""Combination of uncertainty against published tables, and the decision rule."""

import math
import unittest

from hypothesis import given
from hypothesis import strategies as st

from kestov_core.errors import BadInput
from kestov_core.quantities import Limits, Quantity, decide, effective_dof, mean_of, quadrature, rounded, t95, worst


class Student(unittest.TestCase):
    def test_factor_is_that_of_the_tables(self):
        for dof, factor in ((1, 12.706), (4, 2.776), (10, 2.228), (30, 2.042), (60, 2.000), (120, 1.980)):
            self.assertAlmostEqual(t95(dof), factor, places=3)

    def test_fractional_degrees_round_down(self):
        self.assertEqual(t95(4.9), t95(4))

    def test_welch_satterthwaite_of_equal_parts_adds_their_degrees(self):
        # GUM G.4.1: two equal contributions of nu each have 2 nu together.
        self.assertAlmostEqual(effective_dof([(0.3, 5), (0.3, 5)]), 10)
        self.assertEqual(effective_dof([(0.3, math.inf)]), math.inf)


class MeanOf(unittest.TestCase):
    def test_spread_of_repeats(self):
        # Ten readings of 1 … 10: s = 3.0277, t(9) = 2.262.
        mean, u95 = mean_of([float(i) for i in range(1, 11)])
        self.assertAlmostEqual(mean, 5.5)
        self.assertAlmostEqual(u95, 2.262 * 3.02765 / math.sqrt(10), places=3)

    def test_equal_readings_keep_the_step_of_the_instrument(self):
        _, u95 = mean_of([20.0, 20.0, 20.0], resolution=0.02)
        self.assertAlmostEqual(u95, 1.96 * 0.02 / (2 * math.sqrt(3)), places=5)

    def test_one_reading_has_its_stated_spread(self):
        self.assertAlmostEqual(mean_of([4.0], stated_u95=0.03)[1], 0.03, places=6)

    def test_none_is_refused(self):
        with self.assertRaises(BadInput):
            mean_of([])


class Decision(unittest.TestCase):
    band = Limits(low=20, high=40)

    def test_the_rule_at_each_place(self):
        for value, u95, verdict in (
            (30, 2, "in_tolerance"),
            (39, 0.5, "watch"),
            (39, 2, "cannot_tell"),
            (41, 2, "cannot_tell"),
            (43, 2, "out_of_tolerance"),
            (17, 2, "out_of_tolerance"),
            (30, 15, "cannot_tell"),
            (30, None, "cannot_tell"),
        ):
            self.assertEqual(decide(value, u95, self.band), verdict, (value, u95))

    def test_no_limit_is_not_judged(self):
        self.assertEqual(decide(1, 1, None), "not_judged")

    @given(st.floats(-100, 100), st.floats(0, 50))
    def test_more_uncertainty_never_decides_more(self, value, u95):
        if decide(value, u95, self.band) == "cannot_tell":
            self.assertEqual(decide(value, u95 * 1.5 + 1, self.band), "cannot_tell")

    @given(st.lists(st.sampled_from(["in_tolerance", "watch", "cannot_tell", "out_of_tolerance"]), min_size=1))
    def test_the_whole_takes_the_worst(self, verdicts):
        order = ["out_of_tolerance", "cannot_tell", "watch", "in_tolerance"]
        self.assertEqual(worst(verdicts), next(v for v in order if v in verdicts))


class Units(unittest.TestCase):
    def test_pounds_and_inches(self):
        q = Quantity(value=10, u95=1, unit="lbf").in_unit("N")
        self.assertAlmostEqual(q.value, 44.482216, places=5)
        self.assertAlmostEqual(q.u95, 4.4482216, places=6)
        self.assertAlmostEqual(Quantity(value=2, unit="in").in_unit("mm").value, 50.8)

    def test_another_dimension_or_an_unknown_unit_is_refused(self):
        for unit in ("mm", "parsec"):
            with self.assertRaises(BadInput) as e:
                Quantity(value=1, unit=unit).in_unit("N", "belts.0.tension.unit")
            self.assertEqual((e.exception.code, e.exception.field), ("unknown_unit", "belts.0.tension.unit"))

    def test_rounding_to_the_second_digit(self):
        self.assertEqual(rounded(61.2345, 1.437), "61.2")
        self.assertEqual(rounded(61.2345, 0.0996), "61.23")
        self.assertEqual(rounded(61.2345, 0.996), "61.2")

    def test_unknown_parts_are_left_out(self):
        self.assertEqual(quadrature(3, None, 4), 5)
