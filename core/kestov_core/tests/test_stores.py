"""Stores: the number wanted against enumeration and the binomial; ordering by the day against simulated shelves."""

import itertools
import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.stats import binom

from kestov_core.condition.stores import SOON, outlook, typical_chances, wanted
from kestov_core.procedures.life import Life

DAYS = np.arange(366)


def rising(*rates):
    """Parts that fail at a constant rate a day each."""
    return np.array([1 - np.exp(-r * DAYS) for r in rates]).reshape(len(rates), DAYS.size)


class Wanted(unittest.TestCase):
    @given(st.lists(st.floats(0, 1), min_size=1, max_size=7))
    def test_is_what_all_cases_one_by_one_add_up_to(self, chances):
        found = wanted(np.array([[p] for p in chances]))[0]
        brute = np.zeros(len(chances) + 1)
        for which in itertools.product((0, 1), repeat=len(chances)):
            brute[sum(which)] += np.prod([p if w else 1 - p for p, w in zip(chances, which, strict=True)])
        np.testing.assert_allclose(found, brute, atol=1e-12)

    def test_of_equal_chances_it_is_the_binomial(self):
        found = wanted(np.full((30, 1), 0.17))[0]
        np.testing.assert_allclose(found, binom.pmf(range(31), 30, 0.17), atol=1e-12)

    def test_what_is_more_than_was_asked_for_is_held_by_the_last(self):
        found = wanted(np.full((30, 2), 0.5), most=4)
        np.testing.assert_allclose(found.sum(axis=1), 1)
        self.assertAlmostEqual(found[0, 4], 1 - binom.cdf(3, 30, 0.5))


class Chances(unittest.TestCase):
    def test_half_of_new_ones_fail_by_their_typical_life_and_95_of_100_from_half_to_double(self):
        p = typical_chances(np.zeros(1), np.array([1000.0]), np.array([0.0, 500.0, 1000.0, 2000.0]))
        np.testing.assert_allclose(p, [0, 0.025, 0.5, 0.975], atol=1e-6)

    @given(st.floats(0, 5e5), st.floats(10, 1e5))
    def test_are_chances_that_never_fall(self, age, life):
        p = typical_chances(np.array([age]), np.array([life]), np.linspace(0, 5000, 30))
        self.assertTrue(((p >= 0) & (p <= 1)).all() and (np.diff(p) >= -1e-12).all())

    def test_of_a_life_known_here_they_are_its_own(self):
        rng = np.random.default_rng(3)
        life = Life.of(1000 * rng.weibull(2.0, 40), np.ones(40, dtype=bool))
        p = life.chances(300.0, np.array([0.0, 200.0, 900.0]))
        self.assertEqual(p[0], 0)
        for ahead, chance in ((200.0, p[1]), (900.0, p[2])):
            self.assertAlmostEqual(chance, life.fails_within(300.0, ahead).value, places=9)


class Drawer(unittest.TestCase):
    def test_with_more_than_can_be_wanted_nobody_ever_stands_without(self):
        found = outlook(rising(0.01, 0.02), stock=2)
        self.assertEqual((found.short_on, found.order_by, found.order), (None, None, 0))

    def test_one_part_and_an_empty_drawer(self):
        # 1 - exp(-0.01 d) is over 5 % from day 6 on.
        found = outlook(rising(0.01), stock=0, lead_days=4)
        self.assertEqual((found.short_on, found.order_by, found.order), (6, 2, 1))
        self.assertEqual(outlook(rising(0.01), stock=0, lead_days=40).order_by, 0)

    def test_what_is_on_its_way_counts_from_its_day(self):
        late = outlook(rising(0.01), stock=0, arrivals=[(5, 1)])
        self.assertIsNone(late.short_on)
        self.assertEqual(outlook(rising(0.01), stock=0, arrivals=[(20, 1)]).short_on, 6)

    def test_under_its_minimum_it_is_ordered_today(self):
        found = outlook(rising(0.0), stock=1, minimum=4)
        self.assertEqual((found.order_by, found.order), (0, 3))
        self.assertIsNone(outlook(rising(0.0), stock=1, arrivals=[(9, 3)], minimum=4).order_by)

    def test_nothing_in_use_wants_nothing(self):
        found = outlook(np.zeros((0, 366)), stock=0)
        self.assertEqual((found.expected, found.high, found.order_by), (0.0, 0, None))

    def test_bad_input_is_refused(self):
        for chances, stock in ((rising(0.1), -1), (np.full((1, 9), 1.5), 0), (np.zeros(9), 0)):
            with self.assertRaises(ValueError):
                outlook(chances, stock)

    @given(st.lists(st.floats(1e-4, 0.02), min_size=1, max_size=12), st.integers(0, 6), st.integers(0, 40))
    def test_one_more_in_the_drawer_is_never_worse(self, rates, stock, lead):
        one, more = (outlook(rising(*rates), stock=s, lead_days=lead) for s in (stock, stock + 1))
        self.assertTrue((more.short <= one.short + 1e-12).all())
        self.assertTrue(more.short_on is None or (one.short_on is not None and one.short_on <= more.short_on))
        self.assertTrue(one.low <= one.expected + 1 and one.expected - 1 <= one.high)

    @settings(max_examples=8, deadline=None)
    @given(st.integers(0, 2**16))
    def test_ordered_by_the_day_hardly_anybody_stands_without(self, seed):
        rng = np.random.default_rng(seed)
        rates = rng.uniform(5e-4, 6e-3, 12)
        risk, lead, stock = 0.05, 14, 3
        told = outlook(rising(*rates), stock=stock, lead_days=lead, risk=risk)
        assert told.order_by is not None
        comes = told.order_by + lead
        fails = rng.exponential(1 / rates, (4000, rates.size))
        before = (fails < comes).sum(axis=1) > stock
        after = (fails < comes + SOON).sum(axis=1) > stock + told.order
        self.assertLess(before.mean(), risk + 0.015)
        self.assertLess(after.mean(), risk + 0.015)
        # And not much more than is needed: one less, and it is over.
        less = (fails < comes + SOON).sum(axis=1) > stock + told.order - 1
        self.assertGreater(less.mean(), risk - 0.015)
