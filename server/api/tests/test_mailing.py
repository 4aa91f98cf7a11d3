"""The week's letter by e-mail: asked for by oneself, on Monday morning, once; sent now for trying."""

from datetime import datetime, timedelta
from zoneinfo import ZoneInfo

from django.core import mail
from django.test import override_settings
from django.utils import timezone
from people import accounts
from people.clock import at
from people.models import User
from post.models import Mail
from service import mailing
from service.models import LetterTo

from .world import ApiCase

#: A Monday.
MONDAY = datetime(2026, 3, 2, 12, tzinfo=ZoneInfo("UTC"))


@override_settings(EMAIL_HOST="mail.rope.walk", CSRF_TRUSTED_ORIGINS=["https://kestov.rope.walk"])
class Letters(ApiCase):
    def want(self, address="wen@rope.walk", who="technician"):
        return self.good(who, "POST", "/service/letter/mail", {"address": address})

    def test_it_is_asked_for_and_ended_by_oneself(self):
        self.assertEqual(self.good("technician", "GET", "/service/letter/mail"), {"is_set": True, "address": "", "last": None})  # fmt: skip
        self.assertEqual(self.want()["address"], "wen@rope.walk")
        self.assertEqual(self.good("lead", "GET", "/service/letter/mail")["address"], "")
        self.assertEqual(self.want("")["address"], "")
        self.refused(422, "out_of_range", "address", "technician", "POST", "/service/letter/mail", {"address": "no"})
        self.assertEqual(self.call("member", "POST", "/service/letter/mail", {"address": "a@b.c"})[0], 403)

    def test_now_goes_the_letter_as_it_stands_with_its_pdf_and_the_way_back(self):
        self.refused(409, "no_address", None, "technician", "POST", "/service/letter/send")
        self.want()
        last = self.good("technician", "POST", "/service/letter/send")["last"]
        self.assertEqual((last["to"], last["sent_at"], last["given_up"]), ("wen@rope.walk", None, False))
        self.do_work()
        self.assertIsNotNone(self.good("technician", "GET", "/service/letter/mail")["last"]["sent_at"])
        (sent,) = mail.outbox
        self.assertEqual(sent.to, ["wen@rope.walk"])
        self.assertIn("For a fine part", sent.body)
        self.assertIn("https://kestov.rope.walk/rounds/letter", sent.body)
        name, data, kind = sent.attachments[0]
        self.assertEqual((name[-4:], kind, data[:5]), (".pdf", "application/pdf", b"%PDF-"))

    def test_on_monday_morning_the_week_that_is_over_goes_once(self):
        with at(MONDAY - timedelta(days=4)):
            self.want()
            # In the week in which it was asked for nothing goes.
            self.assertEqual(mailing.post_due(), 0)
        with at(MONDAY.replace(hour=5)):
            self.assertEqual(mailing.post_due(), 0)
        with at(MONDAY.replace(hour=6, minute=17)):
            self.assertEqual((mailing.post_due(), mailing.post_due()), (1, 0))
        self.assertEqual(Mail.objects.get().subject, "The week of 23 February 2026")
        with at(MONDAY + timedelta(days=3)):
            self.assertEqual(mailing.post_due(), 0)
        # After a week in which nothing ran, only the newest.
        with at(MONDAY + timedelta(days=22)):
            self.assertEqual(mailing.post_due(), 1)
        self.assertEqual(Mail.objects.first().subject, "The week of 16 March 2026")

    def test_it_goes_by_the_workshops_monday(self):
        with at(MONDAY - timedelta(days=4)):
            self.want()
        with timezone.override("Pacific/Auckland"), at(MONDAY.replace(hour=0) - timedelta(hours=6)):
            # Sunday evening by world time is Monday morning there.
            self.assertEqual(mailing.post_due(), 1)

    def test_who_left_or_serves_no_more_gets_none(self):
        with at(MONDAY - timedelta(days=4)):
            self.want()
            self.want("ilse@rope.walk", "lead")
        self.people["technician"].role = "member"
        self.people["technician"].save()
        self.people["lead"].is_active = False
        self.people["lead"].save()
        with at(MONDAY):
            self.assertEqual(mailing.post_due(), 0)
        self.assertEqual(LetterTo.objects.count(), 2)

    @override_settings(EMAIL_HOST="")
    def test_where_no_mail_server_is_set_that_is_said_and_nothing_is_lost(self):
        self.assertFalse(self.want()["is_set"])
        self.refused(409, "no_mail_server", None, "technician", "POST", "/service/letter/send")
        with at(MONDAY + timedelta(days=7000)):
            self.assertEqual(mailing.post_due(), 0)


@override_settings(EMAIL_HOST="mail.rope.walk", CSRF_TRUSTED_ORIGINS=["https://kestov.rope.walk"])
class Hearing(ApiCase):
    def closed(self, who="member", closing="harmless"):
        case = self.report(who)
        self.good("technician", "POST", f"/cases/{case}/take")
        self.good("technician", "POST", f"/cases/{case}/close", {"closing": closing, "cause": "Damp filament."})
        self.do_work()
        return case

    def want(self, email, who="member"):
        return self.good(who, "PATCH", "/me", {"hears_at": email})["hears_at"]

    def test_who_reported_hears_what_became_of_it_where_they_want_it(self):
        self.assertEqual(self.want("suna@rope.walk"), "suna@rope.walk")
        case = self.closed()
        (sent,) = mail.outbox
        self.assertEqual((sent.to, sent.subject), (["suna@rope.walk"], "Bowline: what became of your report"))
        for part in ("It is harmless", "What it was: Damp filament.", f"https://kestov.rope.walk/cases/{case}"):
            self.assertIn(part, sent.body)

    def test_nobody_hears_who_does_not_want_it_or_closed_it_themselves(self):
        self.closed()
        self.want("wen@rope.walk", "technician")
        self.closed("technician")
        self.want("suna@rope.walk")
        self.want("")
        self.closed()
        self.assertEqual(mail.outbox, [])

    def test_the_demo_stays_one_wherever_its_lead_hears(self):
        User.objects.filter(username="lead").update(email=accounts.DEMO_MARK)
        self.want("ilse@rope.walk", "lead")
        self.assertTrue(accounts.is_demo())

    def test_mended_and_not_verified_is_no_end(self):
        self.want("suna@rope.walk")
        self.closed(closing="not_verified")
        self.assertEqual(mail.outbox, [])

    def test_an_address_that_is_none_is_refused_at_its_field(self):
        self.refused(422, "out_of_range", "hears_at", "member", "PATCH", "/me", {"hears_at": "suna"})
        self.assertEqual(self.good("member", "PATCH", "/me", {"light": "dim"})["hears_at"], "")

    @override_settings(EMAIL_HOST="")
    def test_without_a_mail_server_a_case_is_closed_as_ever(self):
        self.want("suna@rope.walk")
        self.closed()
        self.assertFalse(Mail.objects.exists())
