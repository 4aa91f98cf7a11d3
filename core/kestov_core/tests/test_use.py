"""Meters: readings, logs between them and after them, resets, and what is estimated."""

import itertools
import unittest
from datetime import UTC, date, datetime, timedelta

from hypothesis import given
from hypothesis import strategies as st

from kestov_core.condition.use import Logged, Meter, Reading, stretches

START = datetime(2026, 1, 5, tzinfo=UTC)


def day(d):
    return START + timedelta(days=d)


def log(*amounts, first=0, long=7):
    return [Logged(day(first + long * i), day(first + long * (i + 1)), a) for i, a in enumerate(amounts)]


class Meters(unittest.TestCase):
    def test_between_two_readings_the_log_tells_how_it_went(self):
        meter = Meter([Reading(day(0), 100), Reading(day(14), 140)], log(30, 10))
        self.assertEqual([round(meter.at(day(d)).value, 6) for d in (0, 7, 14)], [100, 130, 140])
        self.assertFalse(meter.at(day(7)).estimated)
        # Without it nobody knows: in proportion, and said so.
        bare = Meter([Reading(day(0), 100), Reading(day(14), 140)])
        self.assertEqual((bare.at(day(7)).value, bare.at(day(7)).estimated), (120, True))

    def test_its_last_and_its_use_tell_the_same_from_then_on(self):
        whole = Meter(
            [Reading(day(0), 100), Reading(day(10), 150), Reading(day(20), 30, reset=True), Reading(day(29), 90)],
            log(9, 4, first=15),
        )
        kept = Meter.standing(whole.last, whole.use)
        for d in (29, 29.2, 40, 500):
            self.assertEqual(kept.at(day(d)), whole.at(day(d)))
            self.assertEqual(kept.scaled(0.1).at(day(d)), whole.scaled(0.1).at(day(d)))
        self.assertEqual(kept.scaled(0.1).use.a_day, whole.use.a_day * 0.1)
        self.assertIsNone(Meter.standing(None, None).at(day(1)))

    def test_how_far_it_went_between_two_moments(self):
        meter = Meter(
            [Reading(day(0), 100), Reading(day(10), 150), Reading(day(20), 30, reset=True), Reading(day(30), 90)]
        )
        self.assertEqual(meter.over(day(0), day(30)).value, 140)
        self.assertEqual((meter.over(day(5), day(10)).value, meter.over(day(5), day(10)).estimated), (25, True))
        # Long before anything is known of it: from the first that is.
        self.assertEqual(meter.over(day(-900), day(10)).value, 50)
        self.assertIsNone(Meter([]).over(day(0), day(1)))

    def test_a_log_that_lacks_jobs_is_stretched_to_what_the_meter_counted(self):
        meter = Meter([Reading(day(0), 0), Reading(day(14), 80)], log(30, 10))
        self.assertAlmostEqual(meter.at(day(7)).value, 60)

    def test_a_log_of_one_half_leaves_the_rest_to_the_other(self):
        meter = Meter([Reading(day(0), 0), Reading(day(14), 80)], log(30))
        self.assertAlmostEqual(meter.at(day(7)).value, 30)
        self.assertAlmostEqual(meter.at(day(10.5)).value, 55)

    def test_a_log_goes_on_after_the_last_reading_and_use_after_the_log(self):
        meter = Meter([Reading(day(0), 100)], log(14, 28))
        self.assertEqual((meter.at(day(14)).value, meter.at(day(14)).estimated), (142, False))
        later = meter.at(day(24))
        self.assertEqual((round(later.value, 6), later.estimated), (172, True))
        self.assertEqual(later.read_at, day(14))

    def test_a_log_alone_counts_from_its_begin(self):
        meter = Meter([], log(21, 21))
        self.assertEqual((meter.at(day(14)).value, meter.shown), (42, None))

    def test_a_log_from_before_the_first_reading_reaches_back(self):
        meter = Meter([Reading(day(14), 100)], log(30, 10))
        self.assertEqual([round(meter.at(day(d)).value, 6) for d in (0, 7, 14)], [60, 90, 100])

    def test_a_meter_that_began_anew_goes_on(self):
        meter = Meter([Reading(day(0), 900), Reading(day(10), 20, reset=True), Reading(day(20), 50)])
        self.assertEqual((meter.at(day(20)).value, meter.shown), (950, 50))

    def test_what_nobody_counts_goes_by_the_hours_and_may_be_a_third_or_treble(self):
        filament = Meter([Reading(day(0), 0), Reading(day(10), 100)]).scaled(0.015)
        there = filament.at(day(10))
        self.assertEqual((there.value, there.estimated, there.u95), (1.5, True, 3.0))
        self.assertIsNone(filament.shown)

    @given(
        st.lists(st.tuples(st.integers(0, 200), st.floats(0, 50)), min_size=1, max_size=6),
        st.lists(st.floats(0, 100), max_size=20),
        st.integers(0, 100),
    )
    def test_it_never_goes_back_and_passes_through_what_was_read(self, steps, amounts, first):
        value, readings = 0.0, {}
        for d, more in sorted(steps):
            value += more
            readings[d] = value
        meter = Meter([Reading(day(d), v) for d, v in readings.items()], log(*amounts, first=first))
        for d, v in readings.items():
            self.assertAlmostEqual(meter.at(day(d)).value, v, places=6)
        seen = [there.value for d in range(0, 260, 3) if (there := meter.at(day(d))) is not None]
        self.assertTrue(all(b >= a - 1e-6 for a, b in itertools.pairwise(seen)), seen)


class Stretches(unittest.TestCase):
    def test_weeks_fill_the_time_that_logs_span_and_a_week_without_jobs_is_one_without_use(self):
        found = stretches({date(2026, 1, 5): 10.0, date(2026, 1, 19): 4.0}, [(day(2), day(16))], UTC)
        self.assertEqual([(s.begin, s.end, s.amount) for s in found], [(day(2), day(7), 10), (day(7), day(14), 0), (day(14), day(16), 4)])  # fmt: skip

    def test_two_logs_that_overlap_are_one(self):
        found = stretches({date(2026, 1, 5): 10.0}, [(day(0), day(4)), (day(2), day(6))], UTC)
        self.assertEqual([(s.begin, s.end, s.amount) for s in found], [(day(0), day(6), 10)])


if __name__ == "__main__":
    unittest.main()
