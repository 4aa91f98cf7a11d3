"""Who may do what is changed by rules that hold whoever calls: the API, a command, a job."""

from django.test import TestCase

from people.accounts import add_account, change_account
from people.models import AuditEntry, Role, User
from people.refusals import Refused


class Changing(TestCase):
    @classmethod
    def setUpTestData(cls):
        cls.lead = User.objects.create(username="lead", name="Ilse", role=Role.LEAD)
        cls.tech = User.objects.create(username="tech", name="Wen", role=Role.TECHNICIAN)

    def test_the_last_lead_stays_one(self):
        for change in ({"role": Role.MEMBER}, {"is_active": False}):
            with self.assertRaises(Refused) as caught:
                change_account(self.lead, self.lead.pk, **change)
            self.assertEqual(caught.exception.code, "last_lead")
        self.lead.refresh_from_db()
        self.assertEqual((self.lead.role, self.lead.is_active), (Role.LEAD, True))

    def test_with_a_second_lead_the_first_may_go_but_not_both(self):
        change_account(self.lead, self.tech.pk, role=Role.LEAD)
        change_account(self.tech, self.lead.pk, is_active=False)
        with self.assertRaises(Refused):
            change_account(self.tech, self.tech.pk, role=Role.TECHNICIAN)

    def test_a_closed_lead_is_none(self):
        User.objects.create(username="gone", name="Gone", role=Role.LEAD, is_active=False)
        with self.assertRaises(Refused):
            change_account(self.lead, self.lead.pk, role=Role.MEMBER)

    def test_what_is_not_told_stays(self):
        changed = change_account(self.lead, self.tech.pk, is_active=False)
        self.assertEqual((changed.role, changed.is_active), (Role.TECHNICIAN, False))
        self.assertIn("closed", AuditEntry.objects.get().words)

    def test_an_account_that_is_not_there(self):
        with self.assertRaises(Refused) as caught:
            change_account(self.lead, 0, role=Role.LEAD)
        self.assertEqual(caught.exception.status, 404)

    def test_a_new_one_is_written_into_the_trail(self):
        user = add_account(self.lead, " ebb ", " Ebba ", "a-long-wet-rope", Role.MEMBER)
        self.assertEqual((user.username, user.name), ("ebb", "Ebba"))
        self.assertEqual(AuditEntry.objects.get().who, self.lead)
