"""One figure across machines: what is odd is odd, chance is not, and a cold room is told from a slack belt."""

import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from kestov_core.condition.fleet import Member, across

FIGURES = st.lists(st.floats(-1e3, 1e3), min_size=1, max_size=12)


def fleet(values, before=None, u95=1.0):
    return across([Member(str(i), v, u95, None if before is None else before[i]) for i, v in enumerate(values)], "N")


def odd(found):
    return [s.name for s in found.stands if s.odd]


class Apart(unittest.TestCase):
    def test_one_in_twenty_sound_fleets_has_one_that_seems_odd_at_the_most(self):
        rng = np.random.default_rng(7)
        for n in (3, 4, 5, 6, 7, 8, 9, 11, 14, 25, 60):
            hits = sum(bool(odd(fleet(rng.normal(50, 3, n), u95=None))) for _ in range(1500))
            self.assertLess(hits, 1.35 * 0.05 * 1500, n)

    def test_one_that_is_far_off_is_found_and_does_not_move_the_centre(self):
        found = fleet([50, 51, 49, 50.5, 49.5, 50, 20])
        self.assertEqual((odd(found), found.centre), (["6"], 50))

    def test_what_readings_cannot_tell_apart_is_not_odd(self):
        self.assertEqual(odd(fleet([50, 50, 50, 50, 50, 50.4], u95=1.0)), [])
        self.assertEqual(odd(fleet([50, 50, 50, 50, 50, 50.4], u95=0.01)), ["5"])

    def test_of_two_nobody_says_which_is_odd(self):
        found = fleet([50, 20])
        self.assertTrue(found.few)
        self.assertEqual(odd(found), [])

    @given(FIGURES, st.floats(-100, 100))
    def test_it_depends_on_no_zero(self, values, shift):
        a, b = fleet(values), fleet([v + shift for v in values])
        self.assertAlmostEqual(a.centre + shift, b.centre, places=6)
        self.assertAlmostEqual(a.spread, b.spread, places=6)


class Moved(unittest.TestCase):
    BEFORE = [50, 52, 48, 51, 49, 50]

    def test_a_cold_room_moves_all_and_blames_none(self):
        found = fleet(
            [v - 6 + d for v, d in zip(self.BEFORE, (0.2, -0.3, 0.1, 0, -0.2, 0.3), strict=True)], self.BEFORE
        )
        self.assertTrue(found.all_moved)
        self.assertAlmostEqual(found.together.value, -6, delta=0.3)
        self.assertFalse(any(s.alone for s in found.stands))

    def test_one_that_went_by_itself_is_told_from_the_others(self):
        now = [v - 6 for v in self.BEFORE]
        now[2] -= 15
        found = fleet(now, self.BEFORE)
        self.assertTrue(found.all_moved)
        self.assertEqual([s.name for s in found.stands if s.alone], ["2"])

    def test_chance_moves_nobody(self):
        rng = np.random.default_rng(3)
        blamed = moved = 0
        for _ in range(1000):
            before = rng.normal(50, 3, 8)
            found = fleet(before + rng.normal(0, 1, 8), before, u95=1.4)
            moved += found.all_moved
            blamed += any(s.alone for s in found.stands)
        self.assertLess(moved, 50)
        self.assertLess(blamed, 60)

    def test_what_was_touched_since_tells_nothing_of_the_room(self):
        members = [Member(str(i), v - 6, 1.0, v if i < 2 else None) for i, v in enumerate(self.BEFORE)]
        found = across(members, "N")
        self.assertIsNone(found.together)
        self.assertEqual([s.moved for s in found.stands], [-6, -6, None, None, None, None])


if __name__ == "__main__":
    unittest.main()
