"""The hour of each machine, for which what is worked out of it holds."""

from datetime import UTC, datetime, timedelta

from django.test import SimpleTestCase
from people.clock import at

from workshop.meters import hour_of

NOON = datetime(2026, 11, 29, 12, 0, tzinfo=UTC)


class Hours(SimpleTestCase):
    def test_it_has_begun_within_the_last_hour_and_holds_for_one(self):
        for printer in range(1, 61):
            begins = set()
            for minutes in range(0, 180, 5):
                moment = NOON + timedelta(minutes=minutes)
                with at(moment):
                    hour = hour_of(printer)
                self.assertTrue(timedelta(0) <= moment - hour < timedelta(hours=1), (printer, moment, hour))
                begins.add(hour)
            self.assertLessEqual(len(begins), 4, printer)

    def test_no_two_of_a_small_floor_begin_together(self):
        with at(NOON):
            self.assertEqual(len({hour_of(printer) for printer in range(1, 61)}), 60)
