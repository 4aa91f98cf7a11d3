"""Long work: done once, stopped at a step, taken up again, or said to have been broken off; how it ended stands in its row."""

from contextlib import contextmanager
from datetime import timedelta
from unittest import mock

from django.test import TestCase
from kestov_core.errors import BadInput
from people.clock import at, now
from people.refusals import Refused
from procrastinate.contrib.django.models import ProcrastinateJob

from work import doing, kinds
from work.kinds import Kind
from work.models import State, Work


class Doing(TestCase):
    def setUp(self):
        self.seen = []
        self.enterContext(mock.patch.object(doing, "_WRITE_S", 0.0))

    @contextmanager
    def kind(self, run=None, **more):
        def steps(progress, told):
            for k in range(told.get("steps", 3)):
                progress.at(k, 3)
                self.seen.append(k)
            return "All three.", {"three": 3}

        with mock.patch.dict(kinds._kinds, {"steps": Kind("steps", run or steps, **more)}):
            yield

    def ask(self, **told):
        return doing.ask("steps", "Three steps", None, told)

    def state(self, work):
        work.refresh_from_db()
        return work.state, work.said

    def test_it_is_done_once_and_says_what_came_of_it(self):
        with self.kind():
            work = self.ask()
            self.assertEqual(ProcrastinateJob.objects.get().args, {"work": work.pk})
            for _ in range(2):
                doing.run(work.pk)
        self.assertEqual(self.state(work), ("done", "All three."))
        self.assertEqual((self.seen, work.found, work.tries), ([0, 1, 2], {"three": 3}, 1))
        self.assertIsNotNone(work.ended_at)

    def test_the_same_is_not_asked_for_twice_while_it_goes_on(self):
        with self.kind():
            first = doing.ask_once("steps", "Three", None, {"steps": 3})
            self.assertEqual(doing.ask_once("steps", "Three", None, {"steps": 3}), first)
            self.assertNotEqual(doing.ask_once("steps", "Three", None, {"steps": 2}), first)
            doing.run(first.pk)
            self.assertNotEqual(doing.ask_once("steps", "Three", None, {"steps": 3}), first)

    def test_asked_for_lightly_it_is_asked_again_only_where_nothing_waits(self):
        with self.kind():
            for many, state in ((1, None), (1, State.WAITING), (2, State.RUNNING), (3, State.DONE)):
                if state is not None:
                    Work.objects.update(state=state)
                doing.ask_lightly("steps", "Three", {"steps": 3})
                self.assertEqual(Work.objects.count(), many, state)

    def test_what_waits_is_stopped_at_once(self):
        with self.kind():
            work = self.ask()
            doing.stop(work.pk)
            doing.run(work.pk)
        self.assertEqual(self.state(work)[0], "stopped")
        self.assertEqual(self.seen, [])

    def test_what_is_under_way_stops_at_its_next_step_and_goes_on_when_asked_again(self):
        def run(progress, told):
            progress.at(0, 2)
            self.seen.append("one")
            if len(self.seen) == 1:
                doing.stop(progress.work.pk)
            progress.at(1, 2)
            return "Done.", {}

        with self.kind(run):
            work = self.ask()
            doing.run(work.pk)
            self.assertEqual(self.state(work), ("stopped", "Stopped before its end."))
            doing.again(work.pk)
            self.assertEqual(self.state(work)[0], "waiting")
            self.assertEqual(ProcrastinateJob.objects.count(), 2)
            doing.run(work.pk)
        self.assertEqual(self.state(work)[0], "done")

    def test_what_fails_says_why(self):
        for raised, said in (
            (Refused(409, "no", "There is no room."), "There is no room."),
            (BadInput("no_samples", "Nothing was heard."), "Nothing was heard."),
            (ZeroDivisionError(), "as work"),
        ):
            with self.kind(mock.Mock(side_effect=raised)):
                work = self.ask()
                with self.assertLogs("kestov.work") if said == "as work" else mock.MagicMock():
                    doing.run(work.pk)
            self.assertEqual(self.state(work)[0], "failed")
            self.assertIn(said, work.said)

    def test_only_what_failed_or_was_stopped_is_done_again_and_what_is_over_not_stopped(self):
        with self.kind():
            work = self.ask()
            with self.assertRaises(Refused):
                doing.again(work.pk)
            doing.run(work.pk)
            for act in (doing.again, doing.stop):
                with self.assertRaises(Refused) as refused:
                    act(work.pk)
                self.assertEqual(refused.exception.status, 409)

    def test_a_worker_that_ends_hands_it_on(self):
        with self.kind():
            work = self.ask()
            doing.run(work.pk, ending=lambda: len(self.seen) == 1)
            self.assertEqual(self.state(work)[0], "waiting")
            self.assertEqual(ProcrastinateJob.objects.count(), 2)
            doing.run(work.pk)
        self.assertEqual(self.state(work)[0], "done")

    def test_where_a_worker_was_killed_another_takes_it_up_but_not_for_ever(self):
        with self.kind():
            work = self.ask()
            # Killed in the middle: the row still says that it is under way.
            Work.objects.filter(pk=work.pk).update(state="running", tries=1)
            doing.run(work.pk)
            self.assertEqual(self.state(work)[0], "done")
            poison = self.ask()
            Work.objects.filter(pk=poison.pk).update(state="running", tries=doing.MOST_TRIES)
            doing.run(poison.pk)
        self.assertEqual(self.state(poison)[0], "failed")
        self.assertIn("ended its worker each time", poison.said)

    def test_what_must_not_begin_by_itself_is_broken_off_or_too_late(self):
        with self.kind(again=False, within=timedelta(seconds=20)):
            broken, late = self.ask(), self.ask()
            Work.objects.filter(pk=broken.pk).update(state="running", tries=1)
            doing.run(broken.pk)
            self.assertIn("ended in the middle", self.state(broken)[1])
            with at(now() + timedelta(seconds=21)):
                doing.run(late.pk)
            self.assertIn("when you stand at the machine", self.state(late)[1])
            ending = self.ask()
            doing.run(ending.pk, ending=lambda: True)
        self.assertEqual(self.state(ending)[0], "failed")
        self.assertEqual(self.seen, [])

    def test_what_is_long_over_is_forgotten(self):
        with self.kind(quiet=True):
            loud, hushed, waiting = self.ask(), self.ask(), self.ask()
            Work.objects.filter(pk=loud.pk).update(kind="other")
            for work in (loud, hushed):
                Work.objects.filter(pk=work.pk).update(state="done", ended_at=now() - timedelta(days=3))
            self.assertEqual(doing.forget(), 1)
            self.assertEqual(set(Work.objects.values_list("pk", flat=True)), {loud.pk, waiting.pk})
            Work.objects.filter(pk=loud.pk).update(ended_at=now() - timedelta(days=61))
            self.assertEqual(doing.forget(), 1)
