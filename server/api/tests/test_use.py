"""How much a machine was used: meters of more than hours, and job logs that a worker takes whole or not at all."""

import io
import json
from datetime import datetime, timedelta

from people.clock import at, now
from work import doing
from work.models import State, Work
from workshop.meters import hours_now, hours_since, keep_missing, meter_of
from workshop.models import JobLog, LoggedJob, LoggedWeek, MeterNow, Printer

from .world import ApiCase

START = datetime.fromisoformat("2026-03-02T00:00+00:00")
NAMES = "Begun,Time,What,Weight [g]\n"
COLUMNS = {"began": "Begun", "took": "Time", "name": "What", "filament": "Weight [g]", "filament_in": "g"}


def rows(n, first=0, hours=6):
    """A job of some hours each day, of 100 g."""
    days = (START + timedelta(days=first + i) for i in range(n))
    return "".join(f"{d:%Y-%m-%d} 08:00,{hours}:00:00,part {d:%j},100\n" for d in days)


class TheUse(ApiCase):
    def form(self, path, text, who="technician", **told):
        file = io.BytesIO(text.encode() if isinstance(text, str) else text)
        file.name = "jobs.csv"
        return self.call(who, "POST", f"/printers/{self.slinger.pk}/{path}", meta=json.dumps(told), file=file)

    def look(self, text, columns=None):
        status, body = self.form("job-log/look", text, columns=columns)
        self.assertEqual(status, 200, body)
        return body

    def take(self, text, columns=COLUMNS, days=60):
        with at(START + timedelta(days=days)):
            status, body = self.form("job-log", text, columns=columns)
            self.assertEqual(status, 200, body)
            doing.run(body["id"])
        return Work.objects.get(pk=body["id"])

    def use(self, days=60):
        with at(START + timedelta(days=days)):
            return self.good("technician", "GET", f"/printers/{self.slinger.pk}/use")

    def meter(self, what, days=60):
        return next(m for m in self.use(days)["meters"] if m["what"] == what)

    def read(self, day, hours, **more):
        with at(START + timedelta(days=day)):
            return self.call("technician", "POST", f"/printers/{self.slinger.pk}/meter", {"hours": hours, **more})

    def test_a_log_is_looked_at_before_it_is_taken(self):
        seen = self.look(NAMES + rows(14))
        self.assertEqual((seen["columns"]["began"], seen["columns"]["took"], seen["remembered"]), ("Begun", "Time", False))  # fmt: skip
        self.assertEqual((seen["rows"], seen["jobs"], seen["hours"], round(seen["filament_kg"], 6)), (14, 14, 84, 1.4))
        self.assertEqual([(w["monday"], w["hours"]) for w in seen["weeks"]], [("2026-03-02", 42), ("2026-03-09", 42)])
        self.assertEqual((JobLog.objects.count(), LoggedJob.objects.count()), (0, 0))

    def test_a_log_counts_where_the_meter_was_not_read(self):
        self.read(0, 500)
        work = self.take(NAMES + rows(28))
        self.assertEqual((work.state, work.said), (State.DONE, "28 jobs, 28 of them new."))
        hours = self.meter("hours", 27.6)
        # The hours between the reading and the first job go by the use.
        self.assertAlmostEqual(hours["value"], 500 + 28 * 6, delta=3)
        self.assertFalse(hours["estimated"])
        later = self.meter("hours", 31)
        self.assertAlmostEqual(later["value"], 500 + 28 * 6 + 3.4 * 6, delta=4)
        self.assertTrue(later["estimated"])
        self.assertAlmostEqual(self.meter("hours", 14.3)["value"], 500 + 14 * 6, delta=6)
        filament = self.meter("filament", 27.6)
        self.assertEqual((round(filament["value"], 1), filament["unit"], filament["typical"]), (2.8, "kg", False))
        x = self.meter("x")
        self.assertTrue(x["typical"] and x["estimated"])
        log = self.use()["logs"][0]
        self.assertEqual((log["jobs"], log["new"], log["wrong"]), (28, 28, []))

    def test_the_same_log_twice_changes_nothing_and_a_longer_one_only_adds(self):
        self.take(NAMES + rows(14))
        before = self.use()["weeks"]
        self.assertEqual(self.take(NAMES + rows(14)).said, "Nothing changes: all 14 jobs were known.")
        self.assertEqual((self.use()["weeks"], LoggedJob.objects.count()), (before, 14))
        self.assertEqual(self.take(NAMES + rows(21)).said, "21 jobs, 7 of them new.")
        self.assertEqual([w["hours"] for w in self.use()["weeks"]], [42, 42, 42])

    def test_a_job_that_went_on_after_the_first_log_was_written_is_put_right(self):
        self.take(NAMES + rows(1, hours=2))
        self.assertEqual(self.take(NAMES + rows(1, hours=9)).said, "1 jobs, 0 of them new. 1 that were known are told otherwise now.")  # fmt: skip
        self.assertEqual([w["hours"] for w in self.use()["weeks"]], [9])
        self.take(NAMES + rows(1, hours=2))
        self.assertEqual([w["hours"] for w in self.use()["weeks"]], [9])

    def test_what_was_told_in_the_wrong_unit_is_put_right_by_the_same_log(self):
        self.take(NAMES + rows(2), COLUMNS | {"filament_in": "m"})
        self.assertAlmostEqual(self.use()["weeks"][0]["filament_kg"], 0.596, places=2)
        said = self.take(NAMES + rows(2)).said
        self.assertEqual(said, "2 jobs, 0 of them new. 2 that were known are told otherwise now.")
        self.assertAlmostEqual(self.use()["weeks"][0]["filament_kg"], 0.2)
        # A log that tells no filament takes none away.
        self.assertIn("Nothing changes", self.take(NAMES + rows(2), COLUMNS | {"filament": ""}).said)
        self.assertAlmostEqual(self.use()["weeks"][0]["filament_kg"], 0.2)

    def test_columns_are_told_once_and_remembered_for_the_machine_and_its_model(self):
        columns = {**COLUMNS, "name": "Begun"}
        self.take(NAMES + rows(3), columns)
        seen = self.look(NAMES + rows(3))
        self.assertEqual((seen["remembered"], seen["columns"]["name"], seen["known"]), (True, "Begun", 3))
        other = self.look("Start,Length\n2026-03-02 08:00,1:00:00\n")
        self.assertEqual((other["remembered"], other["columns"]["began"]), (False, "Start"))

    def test_one_row_that_cannot_be_read_refuses_all_of_it_by_row_and_column(self):
        text = NAMES + rows(3) + "2026-03-09 08:00,soon,part,100\n"
        work = self.take(text)
        self.assertEqual(work.state, State.FAILED)
        self.assertIn("Nothing was taken: One row of 4 cannot be read. Row 5, column Time: “soon”", work.said)
        self.assertEqual((LoggedJob.objects.count(), LoggedWeek.objects.count()), (0, 0))
        log = self.use()["logs"][0]
        self.assertEqual((log["taken_at"], [(w["row"], w["column"]) for w in log["wrong"]]), (None, [(5, "Time")]))
        seen = self.look(text)
        self.assertEqual((seen["jobs"], seen["wrong_rows"], seen["wrong"][0]["row"]), (3, 1, 5))

    def test_what_is_no_log_is_refused_at_once(self):
        for text, code in (("", "empty_file"), (b"\0\1\2", "not_text"), ("a,a\n1,2\n", "missing_column")):
            for path, told in (("job-log/look", {}), ("job-log", {"columns": COLUMNS})):
                status, body = self.form(path, text, **told)
                self.assertEqual((status, body["code"]), (422, code), (text, path))
        status, body = self.form("job-log", NAMES + rows(1), columns={**COLUMNS, "diameter_mm": 0})
        self.assertEqual((status, body["field"]), (422, "columns.diameter_mm"))
        seen = self.look(NAMES + rows(1), {**COLUMNS, "took": ""})
        self.assertEqual((seen["field"], seen["jobs"]), ("took", 0))
        self.assertIn("how long it took", seen["problem"])

    def test_a_worker_that_ended_in_the_middle_leaves_nothing_half_taken(self):
        with at(START + timedelta(days=60)):
            _, body = self.form("job-log", NAMES + rows(40), columns=COLUMNS)
            doing.run(body["id"], ending=lambda: True)
        self.assertEqual((LoggedJob.objects.count(), Work.objects.get(pk=body["id"]).state), (0, State.WAITING))
        with at(START + timedelta(days=61)):
            doing.run(body["id"])
        self.assertEqual(LoggedJob.objects.count(), 40)

    def test_it_stands_in_the_record(self):
        self.take(NAMES + rows(2))
        lines = self.good("technician", "GET", f"/printers/{self.slinger.pk}/record")["lines"]
        self.assertIn("Job log taken: 2 new jobs", [line["words"] for line in lines])

    def test_filament_and_travel_are_read_and_refused_where_they_went_back(self):
        self.read(0, 10, filament_kg=1.5, travel_km={"x": 3.0})
        for more, field in (({"filament_kg": 1.2}, "filament_kg"), ({"travel_km": {"x": 2.0}}, "travel_km.x")):
            status, body = self.read(1, 12, **more)
            self.assertEqual((status, body["field"]), (422, field))
        status, _ = self.read(2, 20)
        self.assertEqual(status, 200)
        status, body = self.read(3, 30, filament_kg=1.4)
        self.assertEqual((status, body["field"]), (422, "filament_kg"), "nor behind a reading that did not tell it")
        status, _ = self.read(10, 3, filament_kg=0.5, reset=True)
        self.assertEqual(status, 200)
        filament = self.meter("filament", 10)
        self.assertEqual((filament["value"], filament["shown"]), (2.0, 0.5))

    def test_what_is_kept_is_the_same_as_ever_for_today(self):
        other = self.crossed
        for days, hours, more in ((0, 500, {}), (100, 900, {}), (260, 30, {"reset": True}), (330, 260, {})):
            self.read(days, hours, **more)
        for days, hours in ((10, 100), (200, 800), (300, 1300), (340, 1500)):
            with at(START + timedelta(days=days)):
                self.good("technician", "POST", f"/printers/{other.pk}/meter", {"hours": hours})
        self.take(NAMES + rows(120, first=230), days=360)
        with at(START + timedelta(days=360)):
            kept, of_late = (
                hours_now([self.slinger, other]),
                hours_since([self.slinger, other], now() - timedelta(days=60)),
            )
            for printer in (self.slinger, other):
                ever = meter_of(printer)
                for when in (now(), now() + timedelta(days=40)):
                    self.assertAlmostEqual(kept[printer.pk].at(when).value, ever.at(when).value, places=6)
                self.assertEqual(kept[printer.pk].use, ever.use)
                then = now() - timedelta(days=40)
                self.assertAlmostEqual(of_late[printer.pk].at(then).value, ever.at(then).value, places=6)

    def test_what_was_never_kept_is_made_at_the_next_start(self):
        self.read(0, 500)
        self.read(20, 600)
        before = hours_now([self.slinger])[self.slinger.pk].at(now()).value
        MeterNow.objects.all().delete()
        self.assertEqual(keep_missing(), Printer.objects.count())
        self.assertEqual(keep_missing(), 0)
        self.assertAlmostEqual(hours_now([self.slinger])[self.slinger.pk].at(now()).value, before, delta=0.01)

    def test_members_neither_see_nor_bring_it(self):
        self.assertEqual(self.call("member", "GET", f"/printers/{self.slinger.pk}/use")[0], 403)
        self.assertEqual(self.form("job-log/look", NAMES + rows(1), "member")[0], 403)
