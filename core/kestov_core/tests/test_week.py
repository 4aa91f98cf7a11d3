"""A week's plan: against all plans one by one in small cases; never over bookings, hours or one another; around what was put by hand."""

import itertools
import unittest

from hypothesis import given, settings
from hypothesis import strategies as st

from kestov_core.condition.week import FETCH, STEP, Placed, Round, Sitting, plan


def spans(most):
    return st.lists(
        st.tuples(st.integers(0, 60), st.integers(1, 12)).map(lambda t: (5 * t[0], 5 * (t[0] + t[1]))), max_size=most
    )


ROUNDS = st.lists(
    st.tuples(st.integers(2, 24), st.integers(1, 9), st.frozensets(st.sampled_from("abc"), max_size=2), spans(2)),
    min_size=1,
    max_size=4,
).map(lambda rows: [Round(i, 5.0 * d, float(v), g, tuple(b)) for i, (d, v, g, b) in enumerate(rows)])
SITTINGS = st.lists(st.tuples(st.integers(0, 20), st.integers(4, 30)), min_size=1, max_size=2).map(
    lambda rows: [Sitting(i, 400 * i + 5 * a, 400 * i + 5 * (a + d)) for i, (a, d) in enumerate(rows)]
)


def meets(a, b):
    return a[0] < b[1] and b[0] < a[1]


def fits_in_this_order(order, s):
    """Each as early as it can: if that does not fit, nothing in this order does."""
    at = s.begins + FETCH * len({g for r in order for g in r.fetched})
    at = -(-at // STEP) * STEP
    for r in order:
        moved = True
        while moved:
            moved = False
            for b in r.booked:
                if meets((at, at + r.minutes), b):
                    at, moved = -(-b[1] // STEP) * STEP, True
        at += r.minutes
    return at <= s.ends


def best(rounds, sittings):
    """The most that any plan is worth: every round in every sitting or none, in every order."""
    most = 0.0
    for where in itertools.product([None, *sittings], repeat=len(rounds)):
        worth = sum(r.worth for r, s in zip(rounds, where, strict=True) if s)
        if worth <= most:
            continue
        if all(
            any(
                fits_in_this_order(order, s)
                for order in itertools.permutations([r for r, w in zip(rounds, where, strict=True) if w is s])
            )
            for s in sittings
        ):
            most = worth
    return most


class Week(unittest.TestCase):
    @settings(max_examples=40, deadline=None)
    @given(ROUNDS, SITTINGS)
    def test_small_weeks_are_as_good_as_the_best_of_all_plans(self, rounds, sittings):
        found = plan(rounds, sittings)
        brute = best(rounds, sittings)
        self.assertGreaterEqual(found.worth, 0.98 * brute)
        self.assertLessEqual(found.worth, brute + 1e-9)
        self.assertGreaterEqual(found.bound, brute * (1 - 1e-6) - 0.01)

    @settings(max_examples=40, deadline=None)
    @given(ROUNDS, SITTINGS, st.data())
    def test_a_plan_keeps_to_hours_bookings_and_what_was_put_by_hand(self, rounds, sittings, data):
        hand = data.draw(
            st.one_of(st.none(), st.tuples(st.sampled_from(rounds), st.sampled_from(sittings), st.integers(0, 60)))
        )
        fixed = [] if hand is None else [Placed(hand[0].machine, hand[1].id, 5 * hand[2], 0)]
        found = plan(rounds, sittings, fixed)
        machines = [p.machine for p in found.placed] + [x.machine for x in found.left]
        self.assertEqual(sorted(machines), sorted(r.machine for r in rounds))
        by_id, known = {s.id: s for s in sittings}, {r.machine: r for r in rounds}
        for p in found.placed:
            r, s = known[p.machine], by_id[p.sitting]
            inside = s.begins <= p.begins and p.ends <= s.ends
            booked = any(meets((p.begins, p.ends), b) for b in r.booked)
            self.assertEqual(p.ends - p.begins, r.minutes)
            if p.fixed:
                self.assertEqual(p.begins, fixed[0].begins)
                self.assertEqual(p.clashes, booked or not inside)
            else:
                self.assertTrue(inside and not booked and not p.clashes)
        for a, b in itertools.combinations(found.placed, 2):
            if a.sitting == b.sitting:
                self.assertFalse(meets((a.begins, a.ends), (b.begins, b.ends)), (a, b))

    def test_what_wants_the_same_comes_together_and_what_is_fetched_takes_time(self):
        wants = [
            Round(0, 50, 1, frozenset({"oil"})),
            Round(1, 50, 1, frozenset({"grease"})),
            Round(2, 50, 1, frozenset({"oil"})),
            Round(3, 50, 1, frozenset({"grease"})),
        ]
        found = plan(wants, [Sitting(0, 0, 105), Sitting(1, 1440, 1545)])
        self.assertEqual(found.left, [])
        first = {p.machine for p in found.placed if p.sitting == 0}
        self.assertIn(first, ({0, 2}, {1, 3}))
        self.assertTrue(all(p.begins % 1440 >= FETCH for p in found.placed))

    def test_it_says_why_something_did_not_fit_and_what_would_make_it_fit(self):
        self.assertEqual(plan([Round(0, 30, 1)], []).left[0].why, "no_hours")
        booked = plan([Round(0, 60, 1, booked=((30, 100),))], [Sitting(0, 0, 120)]).left[0]
        self.assertEqual((booked.why, booked.free, booked.short), ("booked", 30, 30))
        full = plan([Round(0, 60, 9), Round(1, 60, 1)], [Sitting(0, 0, 100)]).left[0]
        self.assertEqual((full.machine, full.why, full.short, full.sitting), (1, "full", 20, 0))
        fits = plan([Round(0, 60, 9), Round(1, 60, 1)], [Sitting(0, 0, 100 + full.short)])
        self.assertEqual(fits.left, [])

    def test_what_is_put_by_hand_over_a_booking_stays_and_is_said_to_clash(self):
        rounds = [Round(0, 60, 1, booked=((0, 90),)), Round(1, 60, 1)]
        found = plan(rounds, [Sitting(0, 0, 130)], [Placed(0, 0, 30, 0)])
        first = next(p for p in found.placed if p.machine == 0)
        self.assertEqual((first.begins, first.ends, first.fixed, first.clashes), (30, 90, True, True))
        self.assertEqual([x.machine for x in found.left], [1])

    def test_of_several_ways_one_is_done_the_longest_that_fits_and_pays(self):
        ways = [Round(0, 120, 9, variant=0), Round(0, 60, 6, variant=1), Round(1, 60, 5)]
        found = plan(ways, [Sitting(0, 0, 120)])
        self.assertEqual({p.key for p in found.placed}, {(0, 1), (1, 0)})
        self.assertEqual({p.key for p in plan(ways[:2], [Sitting(0, 0, 120)]).placed}, {(0, 0)})
        short = plan(ways[:2], [Sitting(0, 0, 40)])
        self.assertEqual([(x.machine, x.short) for x in short.left], [(0, 20)])
        fixed = plan(ways, [Sitting(0, 0, 120)], [Placed(0, 0, 0, 0, variant=0)])
        self.assertEqual([p.key for p in fixed.placed], [(0, 0)])

    def test_a_large_week_is_near_what_could_be_and_the_same_each_time(self):
        rounds = [Round(m, 20.0 + 5 * (m * 7 % 23), 1.0 + (m * 13 % 17), frozenset("ab"[: m % 3])) for m in range(60)]
        hours = [Sitting(i, 1440 * i + 600, 1440 * i + 780) for i in range(5)]
        found = plan(rounds, hours)
        self.assertGreater(found.worth, 0.93 * found.bound)
        self.assertEqual(found, plan(rounds, hours))

    def test_bad_input_is_refused(self):
        for rounds, sittings in (
            ([Round(0, 0, 1)], []),
            ([Round(0, 5, 0)], []),
            ([Round(0, 5, 1)], [Sitting(0, 60, 60)]),
            ([Round(0, 5, 1), Round(0, 6, 1)], []),
        ):
            with self.assertRaises(ValueError):
                plan(rounds, sittings)
