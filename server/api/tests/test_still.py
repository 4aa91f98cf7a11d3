"""Answers that hold while the database stands still: on real connections, with everything committed."""

import itertools
import threading
from datetime import timedelta
from unittest import mock

from cases.acts import Seen, report
from demo.models_of_printers import MODELS
from django.db import connection, transaction
from django.test import Client, TransactionTestCase
from django.test.utils import CaptureQueriesContext
from people.clock import at, now
from people.models import Role, User
from workshop.models import Area, Component, Printer, PrinterModel, fit_out

import api.floor
import api.still

#: Who asks, who that is, and what is committed.
KNOWN = 3


class Still(TransactionTestCase):
    def setUp(self):
        row = MODELS[1]
        model = PrinterModel.objects.create(name=row["name"], description=row["description"])
        self.printer = Printer.objects.create(name="Halyard", model=model, area=Area.objects.create(name="Long walk"))
        fit_out(self.printer)
        self.people = {role: User.objects.create(username=role, name=role.label, role=role) for role in Role}
        self.people["other"] = User.objects.create(username="other", name="Other", role=Role.MEMBER)

    def client_of(self, who):
        client = Client()
        client.force_login(self.people[who], backend="django.contrib.auth.backends.ModelBackend")
        return client

    def asked(self, client, path="/api/floor"):
        """An answer, and how many questions to the database it took."""
        with CaptureQueriesContext(connection) as queries:
            answer = client.get(path)
        return answer.json(), len(queries)

    def fitness(self, floor):
        return floor["areas"][0]["printers"][0]["fitness"]

    def test_asked_again_it_is_not_worked_out_again(self):
        client = self.client_of(Role.TECHNICIAN)
        first, many = self.asked(client)
        self.assertGreater(many, KNOWN)
        self.assertEqual(self.asked(client), (first, KNOWN))

    def test_what_is_kept_is_what_would_be_answered(self):
        client, mine = self.client_of(Role.TECHNICIAN), f"/api/printers/{self.printer.pk}"
        nozzle = Component.objects.get(printer=self.printer, kind="nozzle").pk
        places = ("", "/bench", "/record", "/components", "/use", "/stored", "/baseline", "/service")
        paths = [mine + place for place in places] + [f"/api/components/{nozzle}/life"]
        paths += [f"/api/{name}" for name in ("floor", "forecast", "fleet", "service", "service/tasks", "service/week")]
        with at(now()):
            for path in [*paths, "/api/stores", "/api/cases"]:
                kept = client.get(path)
                self.assertEqual(kept.status_code, 200, path)
                with transaction.atomic():
                    self.assertEqual(kept.json(), client.get(path).json(), path)

    def test_what_is_committed_shows_at_once(self):
        client = self.client_of(Role.TECHNICIAN)
        before, _ = self.asked(client)
        Printer.objects.update(tagged_out="Smoke", tagged_out_at=now())
        after, _ = self.asked(client)
        self.assertNotEqual(self.fitness(before), "tagged_out")
        self.assertEqual(self.fitness(after), "tagged_out")

    def test_what_is_not_committed_is_not_kept(self):
        client = self.client_of(Role.TECHNICIAN)
        self.asked(client)
        with transaction.atomic():
            Printer.objects.update(tagged_out="Smoke", tagged_out_at=now())
            self.assertEqual(self.fitness(self.asked(client)[0]), "tagged_out")
            transaction.set_rollback(True)
        self.assertNotEqual(self.fitness(self.asked(client)[0]), "tagged_out")

    def test_an_answer_is_a_minute_old_at_most(self):
        client = self.client_of(Role.TECHNICIAN)
        self.asked(client)
        with at(now() + timedelta(minutes=1)):
            self.assertGreater(self.asked(client)[1], KNOWN)

    def test_every_role_has_answers_of_its_own(self):
        report(self.printer, Seen("squeak", "y"), "", "", self.people[Role.MEMBER])
        self.assertTrue(self.asked(self.client_of(Role.TECHNICIAN))[0]["wanted"])
        self.assertFalse(self.asked(self.client_of(Role.MEMBER))[0]["wanted"])

    def test_a_member_is_answered_of_their_own_cases(self):
        report(self.printer, Seen("squeak", "y"), "", "", self.people[Role.MEMBER])
        self.assertEqual(len(self.asked(self.client_of(Role.MEMBER), "/api/cases")[0]), 1)
        self.assertEqual(self.asked(self.client_of("other"), "/api/cases")[0], [])

    def test_a_refusal_is_not_kept(self):
        client = self.client_of(Role.TECHNICIAN)
        path = f"/api/fleet/{self.printer.model_id}?procedure=drag&place=x"
        for _ in range(2):
            answer, many = self.asked(client, path)
            self.assertEqual(answer["code"], "not_found")
            self.assertGreater(many, KNOWN)

    def all_ask(self, meanwhile=lambda: None):
        """Four ask for the floor, three of them while it is worked out for the first; what they got, and how often it was worked out."""
        door, begun, answers = Door(), [], []

        def machines(printers):
            begun.append(1)
            meanwhile()
            self.assertTrue(door.four.wait(60))
            return found(printers)

        def ask(client):
            answers.append(client.get("/api/floor").json())
            connection.close()

        found, kept = api.floor.machines, api.still._Kept(door)
        threads = [threading.Thread(target=ask, args=(self.client_of(Role.TECHNICIAN),)) for _ in range(4)]
        with (
            mock.patch.object(api.floor, "machines", machines),
            mock.patch.object(api.still, "_kept", lambda *_: kept),
        ):
            for t in threads:
                t.start()
            for t in threads:
                t.join(120)
        return answers, len(begun)

    def test_who_asks_meanwhile_waits_for_the_same_answer(self):
        answers, worked_out = self.all_ask()
        self.assertEqual((answers, worked_out), ([answers[0]] * 4, 1))

    def test_where_something_changed_meanwhile_one_works_it_out_for_all_who_wait(self):
        def tag_out():
            Printer.objects.update(tagged_out=f"Smoke at {now()}", tagged_out_at=now())
            connection.close()

        answers, worked_out = self.all_ask(tag_out)
        self.assertEqual(worked_out, 2)
        self.assertEqual(answers[1:], [answers[1]] * 3)
        self.assertEqual(self.fitness(answers[1]), "tagged_out")


class Door:
    """A lock that tells when four have come to it."""

    def __init__(self):
        self.lock, self.come, self.four = threading.Lock(), itertools.count(1), threading.Event()

    def __enter__(self):
        if next(self.come) == 4:
            self.four.set()
        self.lock.acquire()

    def __exit__(self, *_):
        self.lock.release()
