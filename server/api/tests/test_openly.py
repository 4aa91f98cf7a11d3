"""Without an account: the wall, reports that count when somebody has looked, and joining by a link; nothing of it until the lead says so."""

import io
from datetime import timedelta
from unittest import mock

from cases import open_reports
from cases.models import Case, OpenReport
from django.test import Client
from people.clock import at, now
from people.models import Invitation, User

from .world import PASSWORD, ApiCase


class Openly(ApiCase):
    def open_up(self, **told):
        return self.good("lead", "POST", "/openness", {"wall": False, "reports": False, **told})

    def tell(self, name="Suna", finding="echoes_after_corners", who="nobody", **more):
        path = f"/open/printers/{self.crossed.pk}"
        return self.call(who, "POST", path, {"name": name, "finding": finding, **more})


class Wall(Openly):
    def test_it_is_shown_when_the_lead_has_switched_it_on(self):
        self.refused(404, "not_open", None, "nobody", "GET", "/wall")
        self.open_up(wall=True)
        areas = self.good("nobody", "GET", "/wall")
        names = {m["name"] for a in areas for m in a["machines"]}
        self.assertEqual(names, {"Bowline", "Halyard"})
        # Fitness and why, nothing else.
        self.assertEqual(set(areas[0]["machines"][0]), {"name", "fitness", "reason"})
        self.open_up()
        self.refused(404, "not_open", None, "nobody", "GET", "/wall")

    def test_only_the_lead_opens_up(self):
        self.assertEqual(self.call("technician", "POST", "/openness", {"wall": True, "reports": True})[0], 403)
        self.assertEqual(self.call("technician", "GET", "/openness")[0], 403)


class Reports(Openly):
    def setUp(self):
        super().setUp()
        self.open_up(reports=True)

    def test_it_counts_when_a_technician_has_looked(self):
        form = self.good("nobody", "GET", f"/open/printers/{self.crossed.pk}")
        self.assertEqual(form["printer"], "Bowline")
        self.assertFalse([f for f in form["findings"] if f["group"] in ("hand", "measured")])
        status, answer = self.tell(words="On all lids.", since="Monday")
        self.assertEqual((status, answer), (200, {"printer": "Bowline"}))
        self.assertFalse(Case.objects.exists())
        wanted = self.good("technician", "GET", "/floor")["wanted"]
        self.assertIn("Suna told it", next(w["why"] for w in wanted if w["kind"] == "told"))
        row = self.good("technician", "GET", "/open-reports")[0]
        self.assertEqual((row["name"], row["since"], row["danger"]), ("Suna", "Monday", False))
        seen = self.good("technician", "POST", f"/open-reports/{row['id']}", {"counts": True})
        case = Case.objects.get(pk=seen["case"])
        self.assertEqual(case.words, "Suna told it, without an account. On all lids.")
        self.assertEqual(seen["waiting"], [])
        self.refused(409, "looked_already", None, "technician", "POST", f"/open-reports/{row['id']}", {"counts": True})

    def test_what_does_not_count_says_why_and_opens_nothing(self):
        self.tell()
        row = OpenReport.objects.get()
        path = f"/open-reports/{row.pk}"
        self.refused(422, "missing_field", "why_not", "technician", "POST", path, {"counts": False})
        self.good("technician", "POST", path, {"counts": False, "why_not": "It was the other machine."})
        row.refresh_from_db()
        self.assertEqual((row.why_not, row.case, Case.objects.count()), ("It was the other machine.", None, 0))

    def test_a_danger_tags_nothing_out_until_it_counts(self):
        self.tell(finding="smoke_or_smell")
        self.crossed.refresh_from_db()
        self.assertEqual(self.crossed.tagged_out, "")
        row = self.good("technician", "GET", "/open-reports")[0]
        self.assertTrue(row["danger"])
        self.good("technician", "POST", f"/open-reports/{row['id']}", {"counts": True})
        self.crossed.refresh_from_db()
        self.assertNotEqual(self.crossed.tagged_out, "")

    def test_one_address_is_slowed_and_so_are_all_together(self):
        for i in range(open_reports.OF_ONE):
            self.assertEqual(self.tell(name=f"Suna {i}")[0], 200)
        self.assertEqual(self.tell(name="Once more")[0], 429)
        with at(now() + timedelta(minutes=61)):
            self.assertEqual(self.tell(name="Later")[0], 200)
        with mock.patch.object(open_reports, "OF_ALL", 6), mock.patch.object(open_reports, "OF_ONE", 99):
            self.assertEqual(self.tell(name="Another")[0], 429)
        # No address is kept that could be read.
        self.assertNotIn("127.0.0.1", {r.address for r in OpenReport.objects.all()})

    def test_pressed_twice_it_stays_one(self):
        self.tell()
        self.tell()
        self.assertEqual(OpenReport.objects.count(), 1)

    def test_what_cannot_be_is_refused_at_its_field(self):
        for told, field in (
            ({"name": " "}, "name"),
            ({"finding": "belt_slack"}, "finding"),
            ({"finding": "x"}, "finding"),
        ):
            status, answer = self.tell(**told)
            self.assertEqual((status, answer["field"]), (422, field), answer)
        self.assertEqual(self.call("nobody", "POST", "/open/printers/999", {"name": "S", "finding": "buzz"})[0], 404)
        self.open_up()
        self.assertEqual(self.tell()[0], 404)
        self.assertEqual(self.call("nobody", "GET", f"/open/printers/{self.crossed.pk}")[0], 404)
        self.assertEqual(self.call("member", "GET", "/open-reports")[0], 403)


class Joining(Openly):
    def secret(self, answer):
        return answer["address"].rpartition("/")[2]

    def join(self, secret, **told):
        client = Client()
        answer = client.post(f"/api/join/{secret}", {"username": "suna", "name": "Suna", "password": PASSWORD, **told}, content_type="application/json")  # fmt: skip
        return answer.status_code, answer.json(), client

    def test_by_a_link_one_makes_ones_own_account_and_is_in(self):
        secret = self.secret(self.good("lead", "POST", "/invitations", {"role": "technician"}))
        self.assertEqual(self.good("nobody", "GET", f"/join/{secret}"), {"role": "technician", "username": "", "name": ""})  # fmt: skip
        status, answer, client = self.join(secret)
        self.assertEqual((status, answer["me"]["role"]), (200, "technician"))
        self.assertEqual(client.get("/api/floor").status_code, 200)
        # Used, it is no longer good.
        self.assertEqual(self.join(secret, username="another")[0], 404)
        self.assertFalse(Invitation.objects.filter(hash=secret).exists())

    def test_one_for_several_makes_members_alone(self):
        self.refused(422, "out_of_range", "uses", "lead", "POST", "/invitations", {"role": "lead", "uses": 2})
        secret = self.secret(self.good("lead", "POST", "/invitations", {"uses": 2}))
        self.assertEqual([self.join(secret, username=f"suna{i}")[0] for i in range(3)], [200, 200, 404])

    def test_refused_it_stays_good(self):
        secret = self.secret(self.good("lead", "POST", "/invitations"))
        status, answer, _ = self.join(secret, password="short")
        self.assertEqual((status, answer["field"]), (422, "password"))
        self.assertEqual(self.join(secret, username="lead")[1]["field"], "username")
        self.assertEqual(self.join(secret)[0], 200)

    def test_it_ends_after_a_fortnight_or_when_it_is_taken_back(self):
        secret = self.secret(self.good("lead", "POST", "/invitations"))
        with at(now() + timedelta(days=15)):
            self.assertEqual(self.join(secret)[0], 404)
        there = self.good("lead", "GET", "/invitations")
        self.assertEqual([i["address"] for i in there], [None])
        self.assertEqual(self.good("lead", "POST", "/invitations/back", {"id": there[0]["id"]}), [])
        self.assertEqual(self.join(secret)[0], 404)
        self.refused(404, "not_found", None, "lead", "POST", "/invitations/back", {"id": there[0]["id"]})

    def take(self, text, who="lead"):
        file = io.BytesIO(text if isinstance(text, bytes) else text.encode())
        file.name = "people.csv"
        return self.call(who, "POST", "/invitations/list", file=file)

    def test_a_list_makes_a_link_for_each_of_its_lines(self):
        status, made = self.take("Name;Username;Role\nSuna Marrow;suna;\nJory Pell;jory;technician\n")
        self.assertEqual(status, 200, made)
        self.assertEqual(
            [(m["name"], m["role"]) for m in made], [("Suna Marrow", "member"), ("Jory Pell", "technician")]
        )
        # Whose it is is settled: another name is not taken.
        status, answer, _ = self.join(self.secret(made[1]), username="else", name="Else")
        self.assertEqual((status, answer["me"]["username"], answer["me"]["name"]), (200, "jory", "Jory Pell"))

    def test_a_list_is_taken_whole_or_not_at_all(self):
        for text, words in (
            ("", "columns"),
            ("name,username\n", "no line under"),
            ("name,username\nSuna,suna\n,jory\n", "Line 3"),
            ("name,username\nSuna,suna\nJory,su na\n", "Line 3"),
            ("name,username\nSuna,suna\nS,SUNA\n", "stands here twice"),
            ("name,username\nSuna,lead\n", "has an account already"),
            ("name,username,role\nSuna,suna,king\n", "no role"),
            ("who\nSuna\n", "“name” is missing"),
            (b"\xff\xfe\x00", "no text in UTF-8"),
            ("name,username\n" + "S,u\n" * 600, "at most"),
        ):
            status, answer = self.take(text)
            self.assertEqual((status, answer["field"]), (422, "file"), (text, answer))
            self.assertIn(words, answer["detail"])
        self.assertFalse(Invitation.objects.exists())
        self.assertEqual(self.take(b"x" * 200_000)[0], 413)
        self.assertEqual(self.take("name,username\nS,s\n", "technician")[0], 403)
        self.assertEqual(User.objects.count(), len(self.people))
