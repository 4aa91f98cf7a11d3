"""Intervals learn: against the beta distribution, by properties, and by whether they settle where they are meant to."""

import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st
from scipy.stats import beta

from kestov_core.condition.intervals import LEAST, MOST, WANTED, Seen, learned

ROUNDS = st.lists(st.builds(Seen, st.floats(0.05, 5), st.booleans()), max_size=40)


def on_time(n, finds):
    return [Seen(1.0, i < finds) for i in range(n)]


class Intervals(unittest.TestCase):
    def test_on_time_the_chance_is_a_beta(self):
        for n, k in ((0, 0), (4, 3), (8, 0), (12, 5), (30, 2)):
            found = learned(on_time(n, k))
            for rate, q in ((found.low, 0.05), (found.rate, 0.5), (found.high, 0.95)):
                self.assertAlmostEqual(1 - np.exp(-rate), beta.ppf(q, k + 0.5, n - k + 0.5), delta=2e-3, msg=(n, k, q))

    def test_nothing_is_proposed_from_little(self):
        self.assertEqual(learned([]).way, "keep")
        self.assertEqual(learned(on_time(3, 0)).way, "keep")
        self.assertEqual(learned(on_time(12, 3)).way, "keep")

    def test_what_keeps_finding_nothing_stretches_by_half_at_most(self):
        self.assertEqual(learned(on_time(8, 0)).way, "stretch")
        self.assertEqual(learned(on_time(60, 0)).factor, MOST)
        self.assertAlmostEqual(learned(on_time(60, 0), already=1.2).factor, 1.25)
        self.assertEqual(learned(on_time(60, 0), already=MOST).way, "keep")
        self.assertEqual(learned(on_time(60, 0), may_stretch=False).way, "keep")

    def test_what_keeps_finding_shortens_also_where_it_may_not_stretch(self):
        found = learned(on_time(6, 6), may_stretch=False)
        self.assertEqual((found.way, found.factor), ("shorten", LEAST))

    def test_found_late_says_less_than_found_early(self):
        early, late = learned([Seen(0.3, True)] * 4), learned([Seen(4.0, True)] * 4)
        self.assertGreater(early.low, late.low)
        self.assertGreater(late.factor, early.factor)

    @given(ROUNDS, st.floats(1, MOST))
    def test_it_stays_within_what_is_allowed_and_a_find_never_stretches(self, rounds, already):
        found = learned(rounds, already)
        self.assertTrue(LEAST <= found.factor <= MOST)
        self.assertLessEqual(found.factor * already, max(MOST, already) + 1e-9)
        self.assertTrue(found.low <= found.rate <= found.high)
        more = learned([*rounds, Seen(1.0, True)], already)
        self.assertGreaterEqual(more.rate, found.rate - 1e-6)

    @given(st.floats(0.02, 4.0), st.integers(0, 2**16))
    def test_followed_again_and_again_it_settles_where_it_is_meant_to(self, true_rate, seed):
        rng, at = np.random.default_rng(seed), 1.0
        for _ in range(12):
            chance = 1 - np.exp(-true_rate * at)
            at *= learned([Seen(1.0, bool(f)) for f in rng.random(40) < chance], max(1.0, at)).factor
        share = 1 - np.exp(-true_rate * at)
        # Either it finds about as often as is wanted, or it is stretched as far as it may be.
        self.assertTrue(share < 2.4 * WANTED, (share, at))
        self.assertTrue(share > 0.2 * WANTED or at > 1.3, (share, at))

    def test_a_share_of_nothing_is_no_round(self):
        with self.assertRaises(ValueError):
            learned([Seen(0.0, True)])
