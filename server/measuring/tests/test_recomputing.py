"""Computing again by a new core: beside what stands, told, and then accepted or left."""

from unittest import mock

from api.tests.world import ApiCase
from kestov_core import CORE_VERSION
from kestov_core.errors import BadInput
from people.models import AuditEntry
from work.models import Work

from measuring.models import Capture, Recomputed, Result, Standing

_find = Capture.find


def _harsher(capture):
    """A newer core that finds every belt out of tolerance."""
    found = _find(capture)
    return {**found, "verdict": "out_of_tolerance"}


class Recomputing(ApiCase):
    def setUp(self):
        super().setUp()
        for place in ("a", "b", "a"):
            self.stand_in(place)
        Result.objects.update(core_version="0.2.0", verdict="watch")

    def ask(self, **more):
        return self.good("lead", "POST", "/works/recompute", {"procedure": "", **more})["id"]

    def done(self, work):
        self.do_work(work)
        return self.good("lead", "GET", f"/works/{work}")

    def verdicts(self):
        return {c.latest().verdict for c in Capture.objects.prefetch_related("results")}

    def test_nothing_stands_otherwise_until_it_is_accepted(self):
        work = self.ask()
        with mock.patch.object(Capture, "find", _harsher):
            told = self.done(work)
        self.assertEqual((told["state"], told["decide"], told["done"], told["total"]), ("done", True, 3, 3))
        self.assertEqual(told["said"], "3 computed; 3 verdicts change.")
        self.assertEqual((self.verdicts(), Result.objects.count()), ({"watch"}, 3))
        changes = self.good("lead", "GET", f"/works/{work}/changes")
        self.assertEqual((changes["captures"], changes["changed"], changes["refused"]), (3, 3, 0))
        self.assertEqual({(c["was"], c["will_be"]) for c in changes["listed"]}, {("watch", "out_of_tolerance")})

        taken = self.good("lead", "POST", f"/works/{work}/accept")
        self.do_work(taken["id"])
        self.assertEqual(self.verdicts(), {"out_of_tolerance"})
        self.assertEqual(Result.objects.filter(core_version=CORE_VERSION).count(), 3)
        # The older results stay, and where the machine stands follows.
        self.assertEqual(Result.objects.count(), 6)
        self.assertEqual(set(Standing.objects.values_list("verdict", flat=True)), {"out_of_tolerance"})
        self.assertEqual(Recomputed.objects.count(), 0)
        self.assertTrue(AuditEntry.objects.filter(verb="accepted").exists())
        self.assertFalse(self.good("lead", "GET", f"/works/{work}")["decide"])
        self.refused(409, "decided", None, "lead", "POST", f"/works/{work}/accept")

    def test_left_as_it_was_nothing_remains_of_it(self):
        work = self.ask()
        self.done(work)
        self.good("lead", "POST", f"/works/{work}/leave")
        self.assertEqual((Recomputed.objects.count(), self.verdicts(), Result.objects.count()), (0, {"watch"}, 3))
        self.refused(409, "decided", None, "lead", "POST", f"/works/{work}/leave")

    def test_it_goes_on_where_it_was_stopped(self):
        work, calls = self.ask(), []

        def once(capture):
            calls.append(capture.pk)
            if len(calls) == 2:
                Work.objects.filter(pk=work).update(stop=True)
            return _find(capture)

        with mock.patch.object(Capture, "find", once), mock.patch("work.doing._WRITE_S", 0.0):
            self.assertEqual(self.done(work)["state"], "stopped")
            self.assertEqual(Recomputed.objects.count(), 2)
            self.good("lead", "POST", f"/works/{work}/again")
            self.assertEqual(self.done(work)["state"], "done")
        self.assertEqual(len(set(calls)), 3)
        self.assertEqual(len(calls), 3)

    def test_what_todays_core_refuses_stays_as_it_is(self):
        with mock.patch.object(Capture, "find", side_effect=BadInput("no_pluck", "Nothing was plucked.")):
            work = self.ask()
            told = self.done(work)
        self.assertIn("3 are refused by today's core", told["said"])
        taken = self.good("lead", "POST", f"/works/{work}/accept")
        self.do_work(taken["id"])
        self.assertEqual((self.verdicts(), Result.objects.count()), ({"watch"}, 3))

    def test_only_what_is_meant(self):
        Result.objects.filter(capture=Capture.objects.filter(place="b").get()).update(core_version=CORE_VERSION)
        for meant, many in (
            ({}, 2),
            ({"every": True}, 3),
            ({"printer_id": self.slinger.pk, "every": True}, 0),
            ({"printer_id": self.crossed.pk}, 2),
            ({"procedure": "belt-pluck", "every": True}, 3),
            ({"procedure": "steps", "every": True}, 0),
        ):
            work = self.ask(**meant)
            self.done(work)
            self.assertEqual(self.good("lead", "GET", f"/works/{work}/changes")["captures"], many, meant)
        self.refused(422, "out_of_range", "procedure", "lead", "POST", "/works/recompute", {"procedure": "guess"})

    def test_a_core_that_came_meanwhile_is_asked_anew(self):
        work = self.ask()
        Work.objects.filter(pk=work).update(told={"core": "0.1.0"})
        told = self.done(work)
        self.assertEqual((told["state"], f"The core is {CORE_VERSION} by now" in told["said"]), ("failed", True))

    def test_standings_anew_and_what_everybody_sees_of_work(self):
        Standing.objects.all().delete()
        work = self.good("lead", "POST", "/works/standings")["id"]
        self.assertEqual(self.done(work)["said"], "2 standings made anew.")
        self.assertEqual(Standing.objects.count(), 2)
        listed = self.good("lead", "GET", "/works")
        self.assertEqual(([w["id"] for w in listed["works"]], listed["workers"]), ([work], 0))
        self.refused(403, "not_yours", None, "technician", "GET", f"/works/{work}")
        self.refused(403, "not_yours", None, "technician", "POST", f"/works/{work}/stop")
