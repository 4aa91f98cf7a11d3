"""The week: hours, calendars of bookings refused whole or taken, the plan around them, moving in it, and calendars out that others can read."""

import random
import zlib
from datetime import UTC, datetime, time, timedelta
from zoneinfo import ZoneInfo

import vobject
from django.db import connection
from django.test import override_settings
from django.test.utils import CaptureQueriesContext
from kestov_core.knowledge.tasks import tasks as came_with
from people.clock import at, now
from people.refusals import Refused
from service import calendars, planning
from service.models import Booking, Calendar, Done, Hours, PlannedRound
from workshop.models import Printer

from .world import ApiCase

MONDAY = datetime(2026, 3, 2, 6, 0, tzinfo=UTC)


def ics(*events, zone=""):
    """A calendar as other programs write it."""
    rows = ["BEGIN:VCALENDAR", "VERSION:2.0", "PRODID:-//x//y//EN"]
    for i, lines in enumerate(events):
        rows += ["BEGIN:VEVENT", f"UID:{i}@x", "DTSTAMP:20260101T000000Z", *lines, "END:VEVENT"]
    return "\r\n".join([*rows, "END:VCALENDAR", ""]).encode()


def event(begins, ends, summary="Booked", *more):
    return [f"DTSTART:{begins}", f"DTEND:{ends}", f"SUMMARY:{summary}", *more]


class Week(ApiCase):
    def setUp(self):
        super().setUp()
        Printer.objects.update(in_use_since=(MONDAY - timedelta(days=500)).date())
        clock = at(MONDAY)
        clock.__enter__()
        self.addCleanup(clock.__exit__, None, None, None)
        self.me = self.people["technician"].pk

    def hours(self, *told, who="technician", user=None):
        rows = [{"weekday": d, "begins": b, "ends": e} for d, b, e in told]
        return self.good(who, "POST", "/service/hours", {"user_id": user or self.me, "hours": rows})

    def plan(self):
        return self.good("technician", "POST", "/service/week", {"monday": "2026-03-02"})

    def take(self, data, name="Booked", **more):
        file = __import__("io").BytesIO(data)
        file.name = "booked.ics"
        return self.clients["lead"].post("/api/calendars", {"name": name, "file": file, **more})

    def taken(self, data, **more):
        answer = self.take(data, **more)
        self.assertEqual(answer.status_code, 200, answer.content[:300])
        return answer.json()

    def bad(self, data, code, words):
        answer = self.take(data)
        self.assertEqual((answer.status_code, answer.json()["code"]), (422, code), answer.content[:300])
        self.assertIn(words, answer.json()["detail"])
        self.assertFalse(Calendar.objects.exists() or Booking.objects.exists(), "nothing is half taken")


class Plans(Week):
    def test_rounds_are_planned_into_the_hours_of_who_is_there(self):
        self.hours((1, "09:00", "13:00"), (3, "14:00", "18:00"))
        seen = self.plan()
        self.assertEqual(seen["left"], [])
        self.assertEqual({r["printer"] for r in seen["rounds"]}, {"Bowline", "Halyard"})
        for r in seen["rounds"]:
            begins, ends = (datetime.fromisoformat(r[f]) for f in ("begins", "ends"))
            within = [
                (datetime.fromisoformat(s["begins"]), datetime.fromisoformat(s["ends"])) for s in seen["sittings"]
            ]
            self.assertTrue(any(b <= begins and ends <= e for b, e in within), r)
            self.assertGreater(r["tasks"], 3)
        first = min(datetime.fromisoformat(r["begins"]) for r in seen["rounds"])
        sitting = next(s for s in seen["sittings"] if datetime.fromisoformat(s["begins"]) <= first)
        self.assertGreater(sitting["fetching"], 0)
        self.assertGreaterEqual(
            (first - datetime.fromisoformat(sitting["begins"])).total_seconds() / 60, sitting["fetching"]
        )

    def test_a_booked_machine_is_left_alone(self):
        self.hours((1, "09:00", "13:00"), (3, "09:00", "13:00"))
        zone = planning.timezone.get_default_timezone()
        day = datetime.combine((MONDAY + timedelta(days=1)).date(), time(9), tzinfo=zone)
        stamp = lambda d: d.astimezone(UTC).strftime("%Y%m%dT%H%M%SZ")  # noqa: E731
        self.taken(ics(event(stamp(day), stamp(day + timedelta(hours=4)), "Course", "LOCATION:Bowline")))
        by = {
            r["printer"]: datetime.fromisoformat(r["begins"]).astimezone(zone).weekday() for r in self.plan()["rounds"]
        }
        self.assertEqual(by["Bowline"], 3)

    def test_what_did_not_fit_is_said_with_what_would_make_it_fit(self):
        seen = self.plan()
        self.assertEqual({x["why"] for x in seen["left"]}, {"Nobody has hours this week: tell when somebody is there."})
        self.hours((1, "09:00", "11:00"))
        left = self.plan()["left"]
        self.assertEqual(len(left), 1)
        self.assertEqual(left[0]["why"], "The hours are full with what presses more.")
        self.assertRegex(left[0]["would"], r"\d+ minutes more on Tuesday \(Technician\)\.")

    def test_of_a_round_that_is_longer_than_anybodys_hours_what_presses_most_is_done(self):
        self.hours((1, "09:00", "10:00"))
        r = self.plan()["rounds"][0]
        self.assertGreater(r["tasks"], 0)
        minutes = datetime.fromisoformat(r["ends"]) - datetime.fromisoformat(r["begins"])
        self.assertLessEqual(minutes, timedelta(minutes=60))

    def test_todays_rounds_are_on_the_floors_list_until_they_are_begun(self):
        self.hours((0, "09:00", "13:00"), (3, "14:00", "18:00"))
        by = {r["printer"]: datetime.fromisoformat(r["begins"]) for r in self.plan()["rounds"]}

        def wanted():
            return [w["title"] for w in self.good("technician", "GET", "/floor")["wanted"] if w["kind"] == "round"]

        self.assertEqual(wanted(), [f"{name}: its round" for name, at_ in by.items() if at_.date() == MONDAY.date()])
        self.assertTrue(wanted())
        printer = Printer.objects.get(name=next(n for n, at_ in by.items() if at_.date() == MONDAY.date()))
        with at(MONDAY + timedelta(hours=4)):
            self.good(
                "technician", "POST", f"/printers/{printer.pk}/service/done", {"task": "grub_screws", "found": "fine"}
            )
            self.assertNotIn(f"{printer.name}: its round", wanted())
        self.assertEqual(self.good("member", "GET", "/floor")["wanted"], [])

    def test_put_by_hand_it_stays_and_the_rest_goes_around_it(self):
        self.hours((1, "09:00", "14:00"), (3, "09:00", "14:00"))
        where = {"monday": "2026-03-02", "printer_id": self.slinger.pk, "user_id": self.me}
        seen = self.good("technician", "POST", "/service/week/move", {**where, "begins": "2026-03-05T09:30:00"})
        mine = next(r for r in seen["rounds"] if r["printer"] == "Halyard")
        self.assertTrue(mine["fixed"] and not mine["clashes"])
        again = next(r for r in self.plan()["rounds"] if r["printer"] == "Halyard")
        self.assertEqual(again["begins"], mine["begins"])
        late = self.good("technician", "POST", "/service/week/move", {**where, "begins": "2026-03-05T13:45:00"})
        self.assertTrue(next(r for r in late["rounds"] if r["printer"] == "Halyard")["clashes"])
        freed = self.good(
            "technician", "POST", "/service/week/free", {"monday": "2026-03-02", "printer_id": self.slinger.pk}
        )
        self.assertFalse(next(r for r in freed["rounds"] if r["printer"] == "Halyard")["fixed"])
        self.refused(
            422,
            "out_of_range",
            "begins",
            "technician",
            "POST",
            "/service/week/move",
            {**where, "begins": "2026-03-12T09:00:00"},
        )
        self.refused(
            422,
            "out_of_range",
            "user_id",
            "technician",
            "POST",
            "/service/week/move",
            {**where, "user_id": 999999, "begins": "2026-03-05T09:00:00"},
        )
        self.refused(
            404,
            "not_found",
            None,
            "technician",
            "POST",
            "/service/week/move",
            {**where, "printer_id": 999999, "begins": "2026-03-05T09:00:00"},
        )

    def test_what_cannot_be_put_there_is_said_and_changes_nothing(self):
        self.hours((1, "09:00", "14:00"))
        before = self.plan()["rounds"]
        where = {
            "monday": "2026-03-02",
            "printer_id": self.slinger.pk,
            "user_id": self.me,
            "begins": "2026-03-06T09:30:00",
        }
        with at(MONDAY + timedelta(days=3)):
            # Of her hours nothing is left in that week.
            self.refused(422, "out_of_range", "user_id", "technician", "POST", "/service/week/move", where)
        Printer.objects.filter(pk=self.slinger.pk).update(in_use_since=MONDAY.date())
        Done.objects.bulk_create(
            Done(printer=self.slinger, task=t, found="fine", at=MONDAY) for t in came_with() if t != "spares"
        )
        self.good("lead", "POST", "/service/tasks/spares", {"mend": {"off": True}})
        where["begins"] = "2026-03-03T09:30:00"
        self.refused(409, "nothing_due", None, "technician", "POST", "/service/week/move", where)
        self.assertEqual(self.good("technician", "GET", "/service/week?day=2026-03-02")["rounds"], before)

    @override_settings(TIME_ZONE="Europe/Berlin")
    def test_bookings_are_kept_to_on_the_day_on_which_clocks_change(self):
        monday = datetime(2026, 3, 23, 6, 0, tzinfo=UTC)
        with at(monday):
            self.hours((6, "09:00", "13:00"))
            # From nine to eleven by the clocks on the wall, which are put forward that night.
            self.taken(ics(event("20260329T070000Z", "20260329T090000Z", "Bowline and Halyard")))
            seen = self.good("technician", "POST", "/service/week", {"monday": "2026-03-23"})
            self.assertTrue(seen["rounds"])
            for r in seen["rounds"]:
                self.assertGreaterEqual(datetime.fromisoformat(r["begins"]), datetime(2026, 3, 29, 9, tzinfo=UTC))
                self.assertLessEqual(datetime.fromisoformat(r["ends"]), datetime(2026, 3, 29, 11, tzinfo=UTC))

    def test_few_questions_however_much_is_planned(self):
        self.hours((1, "09:00", "14:00"), (3, "09:00", "14:00"))
        self.plan()
        for path in ("/service/week?day=2026-03-02", "/service/tasks"):
            with CaptureQueriesContext(connection) as asked:
                self.good("technician", "GET", path)
            self.assertLessEqual(len(asked), 12, path)

    def test_what_presses_more_goes_first(self):
        self.hours((1, "09:00", "11:00"))
        Printer.objects.filter(pk=self.slinger.pk).update(tagged_out="Smells.", tagged_out_at=now())
        self.assertEqual([r["printer"] for r in self.plan()["rounds"]], ["Halyard"])
        Printer.objects.filter(pk=self.slinger.pk).update(tagged_out="", tagged_out_at=None)
        Printer.objects.filter(pk=self.crossed.pk).update(tagged_out="Smells.", tagged_out_at=now())
        self.assertEqual([r["printer"] for r in self.plan()["rounds"]], ["Bowline"])

    def test_hours_that_overlap_or_end_before_they_begin_are_refused_whole(self):
        self.hours((0, "09:00", "12:00"))
        for rows, code, field in (
            ([(0, "09:00", "12:00"), (0, "11:00", "13:00")], "overlap", "hours.1.begins"),
            ([(0, "09:00", "09:00")], "out_of_range", "hours.0.ends"),
            ([(7, "09:00", "10:00")], "out_of_range", "hours.0.weekday"),
            ([(1, "09:00+05:00", "10:00")], "out_of_range", "hours.0.begins"),
        ):
            told = {"user_id": self.me, "hours": [{"weekday": d, "begins": b, "ends": e} for d, b, e in rows]}
            self.refused(422, code, field, "technician", "POST", "/service/hours", told)
        self.assertEqual(Hours.objects.count(), 1)
        told = {"user_id": self.people["lead"].pk, "hours": []}
        self.refused(403, "not_yours", None, "technician", "POST", "/service/hours", told)
        told["user_id"] = self.people["member"].pk
        self.refused(422, "out_of_range", "user_id", "lead", "POST", "/service/hours", told)

    def test_only_weeks_to_come_are_planned_and_what_is_over_today_is_no_room(self):
        self.refused(422, "out_of_range", "monday", "technician", "POST", "/service/week", {"monday": "2026-02-23"})
        self.refused(422, "out_of_range", "monday", "technician", "POST", "/service/week", {"monday": "2026-03-03"})
        self.hours((0, "00:00", "23:59"))
        with at(MONDAY + timedelta(hours=5)):
            self.assertTrue(all(datetime.fromisoformat(r["begins"]) >= now() for r in self.plan()["rounds"]))


class Calendars(Week):
    def test_of_one_machine_or_of_those_that_it_names_and_the_rest_is_counted(self):
        rows = [
            event("20260303T090000Z", "20260303T110000Z", f"{who} for a course")
            for who in ("Bowline", "halyard", "Bowlines", "x")
        ]
        seen = self.taken(ics(*rows))
        self.assertEqual(
            [(b["printer"], b["words"]) for b in seen["bookings"]],
            [("Bowline", "Bowline for a course"), ("Halyard", "halyard for a course")],
        )
        self.assertEqual((seen["calendars"][0]["bookings"], seen["calendars"][0]["of_none"]), (2, 2))
        seen = self.taken(ics(*rows[:1]), printer_id=self.slinger.pk)
        self.assertEqual([b["printer"] for b in seen["bookings"]], ["Halyard"])
        self.assertEqual(len(seen["calendars"]), 1, "the newer one of the same name")

    def test_whole_days_zones_and_what_recurs(self):
        data = ics(
            ["DTSTART;VALUE=DATE:20260304", "SUMMARY:Bowline"],
            [
                "DTSTART;TZID=America/New_York:20260303T090000",
                "DURATION:PT1H",
                "SUMMARY:Halyard",
                "RRULE:FREQ=WEEKLY;COUNT=3",
            ],
            event("20260303T090000Z", "20260303T110000Z", "Bowline", "STATUS:CANCELLED"),
            event("20260303T090000Z", "20260303T110000Z", "Bowline", "TRANSP:TRANSPARENT"),
        )
        self.taken(data)
        zone = planning.timezone.get_default_timezone()
        whole = Booking.objects.get(printer=self.crossed)
        self.assertEqual(whole.begins, datetime(2026, 3, 4, tzinfo=zone))
        self.assertEqual(whole.ends, datetime(2026, 3, 5, tzinfo=zone))
        begins = list(Booking.objects.filter(printer=self.slinger).values_list("begins", flat=True))
        # At nine there each time: in the second week summer time has begun.
        self.assertEqual([b.astimezone(ZoneInfo("America/New_York")).hour for b in begins], [9, 9, 9])
        self.assertEqual([b.astimezone(UTC).hour for b in begins], [14, 13, 13])

    def test_what_recurs_for_ever_is_looked_up_further_as_time_goes_on(self):
        self.taken(ics(event("20250101T090000Z", "20250101T100000Z", "Bowline", "RRULE:FREQ=DAILY")))
        count = Booking.objects.count()
        self.assertTrue(95 <= count <= 105, count)
        with at(MONDAY + timedelta(days=50)):
            calendars.look_up_anew()
            self.assertGreater(Booking.objects.last().begins, MONDAY + timedelta(days=140))
            self.assertGreater(Booking.objects.first().ends, MONDAY + timedelta(days=40))

    def test_one_that_has_grown_too_large_keeps_nothing_else_from_being_looked_up(self):
        daily = event("20250101T090000Z", "20250101T100000Z", "Bowline", "RRULE:FREQ=DAILY")
        self.taken(ics(daily), name="A")
        self.taken(ics(daily), name="B")
        Calendar.objects.filter(name="A").update(raw=zlib.compress(ics(*[[*daily[:3], "RRULE:FREQ=HOURLY"]] * 30)))
        with at(MONDAY + timedelta(days=50)):
            calendars.look_up_anew()
            last = {c.name: c.bookings.last().begins for c in Calendar.objects.all()}
        self.assertGreater(last["B"], MONDAY + timedelta(days=140))
        self.assertLess(last["A"], MONDAY + timedelta(days=95))

    def test_a_broken_calendar_is_refused_whole_with_what_and_where(self):
        good = event("20260303T090000Z", "20260303T110000Z", "Bowline")
        self.bad(b"", "not_a_calendar", "no iCalendar file")
        self.bad(b"\x89PNG\r\n\x1a\n", "not_a_calendar", "no iCalendar file")
        self.bad(ics(good).replace(b"END:VCALENDAR", b""), "not_a_calendar", "no iCalendar file")
        self.bad(
            ics(good, event("20260305T110000Z", "20260305T090000Z", "Halyard")),
            "bad_event",
            "Event 2 (“Halyard”) ends before it begins",
        )
        self.bad(ics(good, ["DTSTART:nonsense", "SUMMARY:Halyard"]), "bad_event", "Event 2")
        self.bad(ics(["SUMMARY:Halyard"]), "bad_event", "does not say when it begins")
        self.bad(ics([*good, "RRULE:FREQ=SECONDLY"]), "bad_event", "recurs every minute or oftener")
        self.bad(ics(*[[*good, "RRULE:FREQ=HOURLY"]] * 30), "too_many", "more than 20000 bookings")

    def test_whatever_is_broken_in_it_is_refused_in_words(self):
        good = ics(
            event("20260303T090000Z", "20260303T110000Z", "Bowline", "RRULE:FREQ=WEEKLY;COUNT=3"),
            ["DTSTART;TZID=Europe/Lisbon:20260304T090000", "DURATION:PT1H", "SUMMARY:Halyard"],
            ["DTSTART;VALUE=DATE:20260305", "SUMMARY:Bowline", "EXDATE:20260306T000000Z"],
        )
        rng, taken = random.Random(7), 0
        for _ in range(400):
            data = bytearray(good)
            for _ in range(rng.randint(1, 4)):
                k = rng.randrange(len(data))
                data[k : k + rng.choice((0, 1, 1, 7))] = rng.choice(
                    (b"", b"9", b"\n", b":", b";", b"\xff", b"Z", b"-1", b"99991231")
                )
            try:
                calendars.read(bytes(data), MONDAY, MONDAY + timedelta(days=92))
                taken += 1
            except Refused as e:
                self.assertTrue(e.detail.endswith("."), e.detail)
        self.assertGreater(taken, 20, "what is broken beside the bookings harms nobody")

    def test_a_large_one_is_taken(self):
        begin = datetime(2026, 3, 2, tzinfo=UTC)
        rows = [
            event(
                (begin + timedelta(minutes=10 * i)).strftime("%Y%m%dT%H%M%SZ"),
                (begin + timedelta(minutes=10 * i + 10)).strftime("%Y%m%dT%H%M%SZ"),
                "Bowline",
            )
            for i in range(2000)
        ]
        self.assertEqual(self.taken(ics(*rows))["calendars"][0]["bookings"], 2000)

    def test_a_calendar_is_forgotten_with_its_bookings(self):
        seen = self.taken(ics(event("20260303T090000Z", "20260303T110000Z", "Bowline")))
        path = f"/calendars/{seen['calendars'][0]['id']}/forget"
        self.assertEqual(self.good("lead", "POST", path)["calendars"], [])
        self.assertFalse(Booking.objects.exists())
        self.refused(404, "not_found", None, "lead", "POST", path)


class Feeds(Week):
    def setUp(self):
        super().setUp()
        self.hours((1, "09:00", "14:00"), (3, "09:00", "14:00"))
        self.plan()

    def read(self, body):
        return list(vobject.readOne(body.decode()).vevent_list)

    def test_the_file_is_read_back_by_another_parser(self):
        answer = self.clients["technician"].get("/api/service/rounds.ics")
        self.assertEqual(answer["Content-Type"], "text/calendar; charset=utf-8")
        events = self.read(answer.content)
        rounds = PlannedRound.objects.order_by("begins")
        self.assertEqual([e.summary.value for e in events], [f"Round: {r.printer.name}" for r in rounds])
        self.assertEqual([(e.dtstart.value, e.dtend.value) for e in events], [(r.begins, r.ends) for r in rounds])
        self.assertIn("Fans and vents", events[0].description.value)
        own = {
            "label": "Seals greased", "every": {"days": 90}, "state": "unplugged", "stage": "guides",
            "minutes": 4, "steps": ["Grease the seals."], "caution": "Unplugged.", "trouble": "Torn.",
        }  # fmt: skip
        self.good("lead", "POST", "/service/tasks", own)
        self.plan()
        again = self.read(self.clients["technician"].get("/api/service/rounds.ics").content)
        self.assertIn("Seals greased", again[0].description.value)
        self.assertEqual(self.read(answer.content)[0].uid.value, f"round-{rounds[0].printer_id}-20260302@kestov")

    def test_a_private_address_needs_no_sign_in_and_ends_with_the_next_one(self):
        first = self.good("technician", "POST", "/service/feed")["address"]
        path = first.removeprefix("http://testserver")
        answer = self.clients["nobody"].get(path)
        self.assertEqual(answer.status_code, 200)
        self.assertEqual(len(self.read(answer.content)), 2)
        self.good("technician", "POST", "/service/feed")
        self.assertEqual(self.clients["nobody"].get(path).status_code, 404)
        self.assertEqual(self.clients["nobody"].get("/api/feeds/guessed.ics").status_code, 404)
        self.people["technician"].is_active = False
        self.people["technician"].save()
        again = self.clients["nobody"].get(path)
        self.assertEqual(again.status_code, 404)

    def test_planned_anew_it_is_moved_not_doubled(self):
        before = {e.uid.value for e in self.read(self.clients["technician"].get("/api/service/rounds.ics").content)}
        where = {"monday": "2026-03-02", "printer_id": self.slinger.pk, "user_id": self.me}
        self.good("technician", "POST", "/service/week/move", {**where, "begins": "2026-03-05T09:30:00"})
        after = {e.uid.value for e in self.read(self.clients["technician"].get("/api/service/rounds.ics").content)}
        self.assertEqual(before, after)


class Letters(Week):
    def lines(self, title, day=None):
        seen = self.good("technician", "GET", "/service/letter" + (f"?day={day}" if day else ""))
        return next(p["lines"] for p in seen["parts"] if p["title"] == title)

    def test_it_tells_what_was_done_is_open_due_planned_and_fit(self):
        path = f"/printers/{self.slinger.pk}/service/done"
        self.good("technician", "POST", path, {"task": "joints", "found": "fine"})
        self.good("technician", "POST", path, {"task": "plate", "found": "needed"})
        case = self.report(printer=self.slinger)
        self.hours((1, "09:00", "13:00"))
        self.plan()
        self.assertEqual(
            self.lines("Done"),
            [
                "Halyard: 2 tasks by Technician. Plate washed; then alcohol; then what its surface allows: it was wanted."
            ],
        )
        self.assertIn(f"Case {case}, Halyard", self.lines("Open cases")[0])
        self.assertTrue(any(line.startswith("Bowline: ") for line in self.lines("Due")))
        self.assertRegex(self.lines("Planned")[0], r"^Tuesday 3 March, 09:\d\d: \w+, Technician\.$")
        self.assertEqual(self.lines("To order"), [])
        self.assertIn("For a fine part: Bowline", " ".join(self.lines("Machines")))
        with at(MONDAY + timedelta(days=8)):
            self.assertEqual(self.lines("Done"), [])
            self.assertEqual(len(self.lines("Done", "2026-03-04")), 1)
        self.refused(422, "out_of_range", "day", "technician", "GET", "/service/letter?day=2026-03-20")

    def test_on_paper_it_says_the_same(self):
        path = f"/printers/{self.slinger.pk}/service/done"
        self.good(
            "technician",
            "POST",
            path,
            {"task": "joints", "found": "trouble", "words": "<b>Cracked</b> & loose.", "component_id": self.joint()},
        )
        pdf = self.clients["technician"].get("/api/service/letter.pdf").content
        self.assertTrue(pdf.startswith(b"%PDF"))
        self.assertEqual(pdf.count(b"/Type /Page\n"), 1)

    def joint(self):
        return self.slinger.components.filter(kind="joints").first().pk

    def test_a_long_one_is_cut_and_says_how_much_more(self):
        for i in range(50):
            Printer.objects.create(
                name=f"Extra {i:02}", model=self.slinger.model, area=self.slinger.area, position=i + 10
            )
        due = self.lines("Due")
        self.assertEqual((len(due), due[-1]), (41, "And 12 more."))
