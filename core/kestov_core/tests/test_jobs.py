"""Job logs as machines write them: read in any of their ways, refused by row and column, summed up by weeks."""

import math
import unittest
from datetime import UTC, date, datetime, timedelta
from zoneinfo import ZoneInfo

from hypothesis import given, settings
from hypothesis import strategies as st

from kestov_core.errors import BadInput
from kestov_core.tables.jobs import Job, JobColumns, guess, read_jobs, weeks

NOW = datetime(2026, 6, 1, tzinfo=UTC)
JOB = datetime(2026, 5, 1, 18, 4, 30, tzinfo=UTC), timedelta(hours=3, minutes=25)


def taken(data, columns=None, zone="UTC"):
    return read_jobs(data, columns or guess(data, zone), NOW)


def wrong(data, columns=None):
    return [(w.row, w.column, w.message) for w in taken(data, columns).wrong]


class Reading(unittest.TestCase):
    def test_many_ways_of_writing_the_same_job(self):
        for name, data in {
            "year first, clock": b"Started,Duration,File\n2026-05-01 18:04:30,3:25:00,clip\n",
            "with a zone": b"start_time;end_time;file\n2026-05-01T20:04:30+02:00;2026-05-01T21:29:30Z;clip\n",
            "day first, letters": b"Beginn (start)\tDauer (duration)\tDatei (file)\n01.05.2026 18:04:30\t3h 25m\tclip\n",
            "half days": b"job name,date,elapsed\nclip,05/31/2026 06:04:30 pm,3:25\nclip,5/1/2026 6:04:30 PM,3:25\n",
            "seconds since 1970": b"began,took [s],name\n1777658670,12300,clip\n",
            "milliseconds, with a mark": b"\xef\xbb\xbfbegan,took [h],name\r\n1777658670000,3.4166666666666665,clip\r\n",
            "decimal comma": b"began;took hours;name\n2026-05-01 18:04:30;3,4166666666666667;clip\n",
        }.items():
            with self.subTest(name):
                job = taken(data).jobs[-1]
                self.assertEqual(job.began, JOB[0])
                self.assertAlmostEqual((job.ended - job.began).total_seconds(), JOB[1].total_seconds(), delta=0.01)
                self.assertEqual(job.name, "clip")

    def test_a_time_without_a_zone_is_meant_where_the_machine_stands(self):
        data = b"began,took\n2026-05-01 20:04:30,3:25:00\n"
        self.assertEqual(taken(data, zone="Europe/Paris").jobs[0].began, JOB[0])
        with self.assertRaises(BadInput) as refused:
            taken(data, zone="Tidewater/Rope")
        self.assertEqual((refused.exception.code, refused.exception.field), ("unknown_unit", "zone"))

    def test_filament_comes_in_kilograms_by_its_volume(self):
        thick = math.pi / 4 * 1.75**2 * 1.24e-3
        for unit, told, kg in (("g", 250, 0.25), ("kg", 0.25, 0.25), ("cm3", 100, 0.124), ("m", 10, 10 * thick), ("mm", 10_000, 10 * thick)):  # fmt: skip
            columns = JobColumns(began="b", took="t", filament="f", filament_in=unit)
            job = taken(f"b,t,f\n2026-05-01 10:00,1:00:00,{told}\n".encode(), columns).jobs[0]
            self.assertAlmostEqual(job.filament_kg, kg)
        thicker = JobColumns(began="b", took="t", filament="f", filament_in="m", diameter_mm=3.5)
        job = taken(b"b,t,f\n2026-05-01 10:00,1:00:00,10\n", thicker).jobs[0]
        self.assertAlmostEqual(job.filament_kg, 40 * thick)

    def test_travel_is_told_by_axis_and_an_empty_cell_tells_nothing(self):
        columns = JobColumns(began="b", took="t", travel={"x": "tx", "y": "ty"}, travel_in="m")
        job = taken(b"b,t,tx,ty\n2026-05-01 10:00,1:00:00,850,\n", columns).jobs[0]
        self.assertEqual(job.travel_km, {"x": 0.85})

    def test_what_cannot_be_taken_is_told_by_row_and_column_and_the_rest_is_shown(self):
        columns = JobColumns(began="b", ended="e", filament="f")
        log = taken(
            b"b,e,f\n2026-05-01 10:00,2026-05-01 11:00,4\nsoon,2026-05-01 11:00,4\n2026-05-02 10:00,2026-05-01 10:00,4\n"
            b"2026-05-03 10:00,2026-05-03 11:00,many\n2026-05-04 10:00,2026-05-04 11:00\n2036-05-04 10:00,2036-05-04 11:00,1\n"
            b"2026-05-04 10:00,2026-05-04 11:00,-1\n2026-05-05 10:00,,\n",
            columns,
        )
        self.assertEqual([(w.row, w.column) for w in log.wrong], [(3, "b"), (4, "e"), (5, "f"), (6, ""), (7, "b"), (8, "f")])  # fmt: skip
        self.assertEqual((log.rows, len(log.jobs), log.wrong_rows, log.unbegun), (8, 1, 6, 1))
        self.assertIn("many", log.wrong[2].message)

    def test_lengths_and_units_that_cannot_be_are_doubted(self):
        took = JobColumns(began="b", took="t")
        for cell in ("later", "1:2:3:4", "99999:00:00", "1.2.3h", "9" * 400 + "h", "-3:00"):
            self.assertEqual(len(wrong(f"b,t\n2026-05-01 10:00,{cell}\n".encode(), took)), 1, cell)
        kg = JobColumns(began="b", took="t", filament="f", filament_in="kg")
        self.assertIn("Another unit?", wrong(b"b,t,f\n2026-05-01 10:00,1:00:00,2500\n", kg)[0][2])

    def test_a_log_that_is_none_is_refused_whole(self):
        columns = JobColumns(began="b", took="t")
        for data, code in ((b"", "empty_file"), (b" \n \n", "empty_file"), (b"b,t\n", "too_few_rows"), (b"b,b,t\n1,1,1\n", "missing_column"),
                           (b"x,t\n1,2\n", "missing_column"), (b"\0\x01", "not_text")):  # fmt: skip
            with self.subTest(data), self.assertRaises(BadInput) as refused:
                taken(data, columns)
            self.assertEqual(refused.exception.code, code)
        with self.assertRaises(BadInput) as refused:
            taken(b"b,t\n1,2\n", JobColumns(began="b"))
        self.assertEqual(refused.exception.code, "missing_field")

    def test_how_far_it_is_is_told_on_the_way(self):
        rows = b"".join(b"2026-05-01 10:00,0:00:01\n" for _ in range(12_000))
        said = []
        read_jobs(b"b,t\n" + rows, JobColumns(began="b", took="t"), NOW, said.append)
        self.assertEqual(said, [5000, 10_000])

    @settings(max_examples=150, deadline=None)
    @given(
        st.lists(st.lists(st.text(max_size=12), min_size=1, max_size=4), min_size=1, max_size=5),
        st.sampled_from(",;\t"),
    )
    def test_no_text_ends_in_anything_but_a_refusal(self, rows, separator):
        data = "\n".join(separator.join(r) for r in rows).encode("utf-8", "replace")
        try:
            taken(data)
        except BadInput as e:
            self.assertTrue(e.message)


START = datetime(2026, 3, 25, tzinfo=UTC)
SPANS = st.lists(st.tuples(st.integers(0, 40_000), st.integers(0, 5_000)), min_size=1, max_size=12)


class Weeks(unittest.TestCase):
    @given(SPANS)
    def test_hours_are_those_in_which_anything_was_printed(self, spans):
        jobs = [Job(START + timedelta(minutes=a), START + timedelta(minutes=a + long)) for a, long in spans]
        minutes = len({m for a, long in spans for m in range(a, a + long)})
        self.assertAlmostEqual(60 * sum(w.hours for w in weeks(jobs, ZoneInfo("Europe/Paris"))), minutes, places=6)

    @given(SPANS)
    def test_each_week_begins_on_a_monday_and_has_no_more_hours_than_it_is_long(self, spans):
        jobs = [Job(START + timedelta(minutes=a), START + timedelta(minutes=a + long)) for a, long in spans]
        found = weeks(jobs, ZoneInfo("Europe/Paris"))
        self.assertEqual([w.monday.weekday() for w in found], [0] * len(found))
        self.assertEqual(len({w.monday for w in found}), len(found))
        self.assertTrue(all(0 <= w.hours <= 168 for w in found))

    def test_clocks_are_put_forward_in_a_week_of_one_hour_less(self):
        # The last Sunday of March 2026 is the 29th.
        zone = ZoneInfo("Europe/Paris")
        begin, end = (datetime(2026, m, d, tzinfo=zone).astimezone(UTC) for m, d in ((3, 23), (4, 6)))
        self.assertEqual(
            [(w.monday, w.hours) for w in weeks([Job(begin, end)], zone)],
            [(date(2026, 3, 23), 167.0), (date(2026, 3, 30), 168.0)],
        )


if __name__ == "__main__":
    unittest.main()
