"""When a task of service is due: whichever comes first, at the machine's use, over leap days, and what cannot be."""

import unittest
from datetime import date, timedelta

from hypothesis import given
from hypothesis import strategies as st

from kestov_core import procedures
from kestov_core.errors import BadInput

TASK = {"task": "wipe", "every_days": 14, "every_hours": 60, "last_on": "2026-02-20", "last_hours": 100.0}
GOOD = {
    "service-due": (
        {
            "tasks": [
                TASK,
                {"task": "guides", "every_days": 30, "every_hours": 150, "last_on": "2025-12-01", "last_hours": 60.0},
                {"task": "gears", "every_kg": 1.5, "last_on": "2026-01-20"},
                {"task": "reminder", "asked": "LUBRICATE AXIS"},
            ],
            "today": "2026-02-25",
            "hours": {"now": 130.0, "a_day": 6.0, "a_day_u95": 2.0},
            "filament": {"now": 4.2, "a_day": 0.05, "a_day_u95": 0.02},
        },
        None,
    )
}


def due(task, today="2026-02-25", **more):
    return procedures.run("service-due", {"tasks": [task], "today": today, **more}, None).due[0]


def hours(now=130.0, a_day=6.0, u95=0.0):
    return {"now": now, "a_day": a_day, "a_day_u95": u95}


class WhicheverComesFirst(unittest.TestCase):
    def test_time_and_hours(self):
        self.assertEqual((due(TASK).due_on, due(TASK).because), (date(2026, 3, 6), "time"))
        found = due(TASK, hours=hours())
        # 30 of 60 h are used, 6 a day: five days are left.
        self.assertEqual((found.due_on, found.because, found.overdue_by), (date(2026, 3, 2), "hours", -5.0))
        self.assertAlmostEqual(found.used, 0.5)
        self.assertEqual(due(TASK, hours=hours(a_day=1.0)).because, "time")

    def test_filament_and_travel(self):
        found = due({"task": "gears", "every_kg": 1.5, "last_kg": 3.0}, filament={"now": 4.25, "a_day": 0.05})
        self.assertEqual((found.due_on, found.because), (date(2026, 3, 2), "filament"))
        found = due({"task": "oil", "every_km": 100, "last_km": 40.0}, travel={"now": 160, "a_day": 2.0})
        self.assertEqual((found.overdue_by, found.because, found.due_on), (10.0, "travel", date(2026, 2, 15)))

    def test_nothing_is_over_for_longer_than_since_it_was_done(self):
        task = {"task": "x", "every_hours": 60, "last_on": "2026-02-20", "last_hours": 10.0}
        self.assertEqual(due(task, hours=hours(now=900.0, a_day=1.0)).overdue_by, 5)

    def test_a_leap_day_is_a_day(self):
        task = {"task": "x", "every_days": 30, "last_on": "2028-02-10"}
        self.assertEqual(due(task, today="2028-02-12").due_on, date(2028, 3, 11))
        self.assertEqual(due(task | {"last_on": "2027-02-10"}, today="2027-02-12").due_on, date(2027, 3, 12))

    def test_uneven_use_makes_a_span_of_days(self):
        found = due({"task": "x", "every_hours": 60, "last_hours": 100.0}, hours=hours(u95=3.0))
        self.assertEqual(
            (found.soonest, found.due_on, found.latest), (date(2026, 2, 28), date(2026, 3, 2), date(2026, 3, 7))
        )
        still = due({"task": "x", "every_hours": 60, "last_hours": 100.0}, hours=hours(u95=6.0))
        self.assertIsNone(still.latest)

    def test_what_was_never_done_counts_from_the_machines_first_day_or_is_due(self):
        never = {"task": "x", "every_days": 30}
        self.assertEqual(due(never, in_use_since="2026-02-01").due_on, date(2026, 3, 3))
        found = due(never)
        self.assertEqual((found.due_on, found.why), (date(2026, 2, 25), "Never done, as far as anybody wrote down."))
        self.assertEqual(due({"task": "x", "every_hours": 60}, hours=hours()).overdue_by, (130 - 60) / 6)

    def test_where_no_meter_was_read_at_that_day_the_use_since_tells(self):
        task = {"task": "x", "every_hours": 60, "last_on": "2026-02-20"}
        self.assertAlmostEqual(due(task, hours=hours()).used, 5 * 6 / 60)

    def test_what_the_machine_asks_for_is_due_at_once_in_its_own_words(self):
        found = due({"task": "x", "every_days": 400, "last_on": "2026-02-24", "asked": "LUBRICATE AXIS"})
        self.assertEqual((found.due_on, found.because, found.why), (date(2026, 2, 25), "condition", "LUBRICATE AXIS"))

    def test_on_a_machine_that_stands_still_hours_make_nothing_due(self):
        found = due({"task": "x", "every_hours": 60, "last_hours": 100.0}, hours=hours(a_day=0.0))
        self.assertEqual((found.due_on, found.overdue_by), (None, None))
        self.assertIsNone(due({"task": "x", "every_hours": 60}).due_on)

    @given(
        st.integers(1, 400),
        st.integers(0, 400),
        st.floats(1, 500),
        st.floats(0, 500),
        st.floats(0.1, 24),
        st.floats(0, 24),
    )
    def test_it_is_the_first_of_its_ways_and_lies_in_its_span(self, days, ago, every, used, a_day, u95):
        last_on = (date(2026, 2, 25) - timedelta(days=ago)).isoformat()
        meter = {"now": 1000.0, "a_day": a_day, "a_day_u95": u95}
        by_time = {"task": "x", "every_days": days, "last_on": last_on, "last_hours": 1000.0 - used}
        both = due(by_time | {"every_hours": every}, hours=meter)
        alone = [
            due(by_time, hours=meter),
            due({**by_time, "every_days": None, "every_hours": every}, hours=meter),
        ]
        self.assertAlmostEqual(both.overdue_by, max(a.overdue_by for a in alone if a.overdue_by is not None))
        self.assertLessEqual(both.soonest, both.due_on)
        self.assertTrue(both.latest is None or both.latest >= both.due_on)


class Order(unittest.TestCase):
    def test_the_most_overdue_comes_first_and_what_is_never_due_last(self):
        context, _ = GOOD["service-due"]
        tasks = [*context["tasks"], {"task": "km", "every_km": 10}]
        found = procedures.run("service-due", {**context, "tasks": tasks}, None)
        self.assertEqual([d.task for d in found.due], ["guides", "gears", "reminder", "wipe", "km"])
        self.assertEqual(found.judged[0].words, "Most overdue: guides")

    def test_what_cannot_be_is_refused_at_its_place(self):
        for task, more, code, field in (
            ({"task": "x"}, {}, "missing_field", "tasks.0.every_days"),
            ({"task": "x", "every_days": 0}, {}, "out_of_range", "tasks.0.every_days"),
            ({"task": "x", "every_hours": 0}, {}, "out_of_range", "tasks.0.every_hours"),
            ({"task": "x", "every_days": 9, "last_on": "2026-03-01"}, {}, "out_of_range", "tasks.0.last_on"),
            ({"task": "x", "every_hours": 9, "last_hours": 131}, {"hours": hours()}, "out_of_range", "tasks.0.last_hours"),
        ):  # fmt: skip
            with self.subTest(task), self.assertRaises(BadInput) as e:
                due(task, **more)
            self.assertEqual((e.exception.code, e.exception.field), (code, field))


if __name__ == "__main__":
    unittest.main()
