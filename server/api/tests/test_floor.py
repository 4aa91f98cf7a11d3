"""The floor: what wants attention and in which order; the record of a machine; knowledge for the face."""

from datetime import timedelta

from django.db import connection
from django.test.utils import CaptureQueriesContext
from kestov_core import knowledge, procedures
from people.clock import at, now
from workshop.models import Instrument, Printer

from .world import ApiCase


class Wanted(ApiCase):
    def wanted(self):
        return self.good("technician", "GET", "/floor")["wanted"]

    def test_cases_come_before_belts_and_belts_before_what_is_not_known(self):
        self.stand_in("a")  # out of its band
        self.stand_in("b")
        self.good("member", "POST", "/cases", {"printer_id": self.slinger.pk, "finding": "squeak", "axis": "y"})
        kinds = [(w["kind"], w["title"]) for w in self.wanted()]
        self.assertEqual(kinds[0], ("case", "Halyard: Squeak or creak, Y"))
        self.assertEqual(kinds[1], ("measure", "Bowline: belt A has the wrong tension"))

    def test_what_was_never_measured_is_asked_for(self):
        titles = [w["title"] for w in self.wanted()]
        self.assertIn("Bowline: measure belts A and B", titles)

    def test_a_case_says_who_has_it(self):
        case = self.report()
        self.assertIn("nobody has taken it yet", self.wanted()[0]["why"])
        self.good("technician", "POST", f"/cases/{case}/take")
        self.assertIn("In work with Technician", self.wanted()[0]["why"])
        self.good("technician", "POST", f"/cases/{case}/close", {"closing": "not_verified", "cause": "Belt"})
        self.assertIn("proof is still missing", self.wanted()[0]["why"])

    def test_few_questions_however_much_there_is_to_do(self):
        self.report()
        self.good("member", "POST", "/near-misses", {"words": "The scraper slipped."})
        self.stand_in("a")
        mine = f"/printers/{self.crossed.pk}"
        for path in (
            "/floor", "/service", mine, f"{mine}/bench", f"{mine}/components", f"{mine}/record", f"{mine}/baseline",
            f"{mine}/trend?place=a&procedure=belt-pluck", f"/fleet/{self.crossed.model_id}?procedure=belt-pluck&place=a",
        ):  # fmt: skip
            with CaptureQueriesContext(connection) as asked:
                self.call("technician", "GET", path)
            # And one for what is committed, which is not asked inside a test's own transaction.
            self.assertLessEqual(len(asked) + 1, 12, path)

    def test_an_instrument_past_its_check_is_named(self):
        today = now().date()
        Instrument.objects.create(name="Square 200", kind="square", check_due=today - timedelta(days=2))
        Instrument.objects.create(name="Scale", kind="spring scale", check_due=today + timedelta(days=2))
        titles = [w["title"] for w in self.wanted()]
        self.assertIn("Check Square 200", titles)
        self.assertNotIn("Check Scale", titles)

    def test_a_retired_machine_is_off_the_floor_and_its_record_stays(self):
        self.stand_in("a")
        Printer.objects.filter(pk=self.crossed.pk).update(retired=True)
        names = [t["name"] for p in self.good("technician", "GET", "/floor")["areas"] for t in p["printers"]]
        self.assertEqual(names, ["Halyard"])
        self.assertEqual(len(self.good("technician", "GET", f"/printers/{self.crossed.pk}/record")["lines"]), 1)


class Record(ApiCase):
    def test_everything_that_happened_newest_first(self):
        with at(now() - timedelta(days=3)):
            case = self.report()
        with at(now() - timedelta(days=2)):
            self.stand_in("a", case)
        with at(now() - timedelta(days=1)):
            self.good(
                "technician",
                "POST",
                f"/printers/{self.crossed.pk}/turns",
                {"place": "a", "turns": 0.5, "case_id": case},
            )
        self.good("technician", "POST", f"/printers/{self.crossed.pk}/events", {"event": "serviced", "note": "guides"})
        lines = self.good("technician", "GET", f"/printers/{self.crossed.pk}/record")["lines"]
        self.assertEqual([line["kind"] for line in lines], ["happened", "turned", "measured", "reported"])
        self.assertEqual(lines[0]["words"], "Serviced: guides")
        self.assertIn("0.50 turns clockwise", lines[1]["words"])
        self.assertEqual(lines[2]["case_id"], case)

    def test_by_place(self):
        self.stand_in("a")
        self.stand_in("b")
        lines = self.good("technician", "GET", f"/printers/{self.crossed.pk}/record?place=b")["lines"]
        self.assertEqual([line["place"] for line in lines], ["b"])

    def test_repairs_are_in_it_with_how_they_ended(self):
        case = self.report()
        body = {"fault": "grub_screw_loose", "axis": "a", "helped": False, "note": "it was tight"}
        self.good("technician", "POST", f"/cases/{case}/repairs", body)
        words = self.good("technician", "GET", f"/printers/{self.crossed.pk}/record")["lines"][0]["words"]
        self.assertEqual(words, "Mended: Grub screw of a pulley loose, A; it did not help (it was tight)")


class Knowledge(ApiCase):
    def test_the_face_gets_what_the_core_knows(self):
        known = self.good("technician", "GET", "/knowledge")
        self.assertEqual({f["id"] for f in known["faults"]}, set(knowledge.faults()))
        self.assertEqual([c["id"] for c in known["checks"]], list(knowledge.checks()))
        self.assertEqual(known["events"], knowledge.events())
        findings = self.good("member", "GET", "/findings")
        self.assertEqual({f["id"] for f in findings}, set(knowledge.findings()))
        self.assertEqual(self.call("member", "GET", "/knowledge")[0], 403)

    def test_procedures_describe_themselves(self):
        served = {p["name"]: p for p in self.good("technician", "GET", "/procedures")}
        self.assertEqual(list(served), procedures.names())
        with_card = {name for name, p in served.items() if p["card"] is not None}
        self.assertEqual(with_card, {name for name, p in served.items() if p["measures"] is not None})
        self.assertIn("span_mm", served["belt-pluck"]["schemas"]["context"]["properties"])
