"""E-mail on its way: taken by a real mail server on this machine, tried again where it is not, given up in the end; each sent once."""

from contextlib import contextmanager
from datetime import timedelta
from email import message_from_bytes
from unittest import mock

from aiosmtpd.controller import Controller
from django.test import TestCase, override_settings
from people.clock import at, now
from people.refusals import Refused
from work import doing
from work.models import State, Work

from post import sending
from post.models import Mail

#: The next free port is the mail server's.
_SMTP = "django.core.mail.backends.smtp.EmailBackend"


class Taker:
    """Takes letters, or says ``refuses`` instead."""

    def __init__(self, refuses=""):
        self.refuses, self.came = refuses, []

    async def handle_DATA(self, server, session, envelope):
        if self.refuses:
            return self.refuses
        self.came.append(envelope)
        return "250 OK"


@contextmanager
def mail_server(taker):
    import socket

    with socket.socket() as s:
        s.bind(("127.0.0.1", 0))
        port = s.getsockname()[1]
    controller = Controller(taker, hostname="127.0.0.1", port=port)
    controller.start()
    try:
        with override_settings(
            EMAIL_BACKEND=_SMTP, EMAIL_HOST="127.0.0.1", EMAIL_PORT=port, DEFAULT_FROM_EMAIL="kestov@rope.walk"
        ):
            yield
    finally:
        controller.stop()


def work():
    for row in Work.objects.filter(state=State.WAITING, kind="post"):
        doing.run(row.pk)


class Sending(TestCase):
    def post(self, **more):
        return sending.post("wen@rope.walk", "letter", "The week of\n  2 March", "Bowline: fit.", **more)

    def test_a_letter_is_taken_to_the_mail_server_with_its_file(self):
        taker = Taker()
        with mail_server(taker):
            row = self.post(file=sending.File("week.pdf", "application/pdf", b"%PDF-1.7 told"))
            self.assertIsNone(row.sent_at)
            work()
        row.refresh_from_db()
        self.assertIsNotNone(row.sent_at)
        self.assertIsNone(row.next_at)
        # What went needs no more room.
        self.assertIsNone(row.file)
        envelope = taker.came[0]
        self.assertEqual((envelope.mail_from, envelope.rcpt_tos), ("kestov@rope.walk", ["wen@rope.walk"]))
        got = message_from_bytes(envelope.original_content)
        self.assertEqual(got["Subject"], "The week of 2 March")
        words, file = got.get_payload()
        self.assertIn("Bowline: fit.", words.get_payload())
        self.assertEqual((file.get_filename(), file.get_payload(decode=True)), ("week.pdf", b"%PDF-1.7 told"))

    def test_what_is_not_taken_is_tried_again_later_and_given_up_in_the_end(self):
        taker = Taker("451 The loft is full")
        began = now()
        with mail_server(taker):
            row = self.post()
            work()
            row.refresh_from_db()
            self.assertIn("The loft is full", row.said)
            self.assertAlmostEqual((row.next_at - began).total_seconds(), 600, delta=60)
            # Before its time it is left alone.
            sending.again(0)
            work()
            self.assertEqual(Mail.objects.get().tries, 1)
            for _ in sending.AGAIN:
                with at(Mail.objects.get().next_at + timedelta(seconds=1)):
                    sending.again(0)
                    work()
        row.refresh_from_db()
        self.assertTrue(row.is_given_up)
        self.assertEqual(row.tries, len(sending.AGAIN) + 1)
        self.assertEqual(taker.came, [])

    def test_one_that_was_refused_goes_when_the_server_takes_it(self):
        taker = Taker("451 Later")
        with mail_server(taker):
            self.post()
            work()
            taker.refuses = ""
            with at(now() + timedelta(minutes=11)):
                sending.again(0)
                work()
        self.assertEqual(len(taker.came), 1)
        self.assertEqual(Mail.objects.get().said, "")

    def test_a_server_that_is_away_leaves_it_waiting(self):
        with override_settings(EMAIL_BACKEND=_SMTP, EMAIL_HOST="127.0.0.1", EMAIL_PORT=9):
            self.post()
            work()
        row = Mail.objects.get()
        self.assertIsNotNone(row.next_at)
        self.assertIn("did not take it", row.said)

    def test_what_is_being_sent_is_not_sent_by_another_worker_too(self):
        sent = []

        def slowly(message):
            # While the first is at it, the second comes by.
            sent.append(message)
            if len(sent) == 1:
                self.assertIsNone(sending._send(row.pk))

        with override_settings(EMAIL_HOST="h"), mock.patch.object(sending.EmailMessage, "send", slowly):
            row = self.post()
            self.assertTrue(sending._send(row.pk))
        self.assertEqual(len(sent), 1)

    def test_without_a_mail_server_nothing_is_posted_and_an_address_that_is_none_is_refused(self):
        with self.assertRaises(Refused):
            self.post()
        with override_settings(EMAIL_HOST="h"):
            for wrong in ("", "wen", "wen@", "a@b\nBcc: c@d.e"):
                with self.assertRaises(Refused, msg=wrong):
                    sending.post(wrong, "letter", "s", "w")
        self.assertFalse(Mail.objects.exists())

    def test_what_went_long_ago_is_let_go_and_what_waits_is_not(self):
        with override_settings(EMAIL_HOST="h"), at(now() - timedelta(days=100)):
            self.post()
            gone = self.post()
        Mail.objects.filter(pk=gone.pk).update(next_at=None, sent_at=now())
        sending.forget()
        self.assertEqual(Mail.objects.count(), 1)
