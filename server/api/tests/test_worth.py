"""Minutes and money: what each machine took in a year, what speaks for giving it up, and what the lead decides."""

from datetime import timedelta

from cases.models import Case
from django.utils import timezone
from kestov_core import knowledge
from kestov_core.knowledge.tasks import tasks
from people.clock import at, now
from service.models import Decided, Stock
from workshop.models import Component, Printer

from .world import ApiCase


class Worth(ApiCase):
    def seen(self, printer=None, who="technician"):
        rows = self.good(who, "GET", "/service/worth")["machines"]
        return next(m for m in rows if m["printer_id"] == (printer or self.crossed).pk)

    def lead(self, path, **told):
        return self.good("lead", "POST", f"/service/worth/{path}", told)

    def ago(self, days):
        return at(now() - timedelta(days=days))

    def part(self, kind="nozzle"):
        return Component.objects.get(printer=self.crossed, kind=kind, removed_on=None)

    def drawer(self, cost="12.50", **told):
        seen = self.good("lead", "POST", "/part-types", {"name": "Brass nozzle", "kind": "nozzle"})
        type_id = next(t["id"] for t in seen["types"] if t["name"] == "Brass nozzle")
        self.good("lead", "POST", f"/part-types/{type_id}/drawer", {"cost": cost, **told})
        return type_id

    def replace(self, **told):
        path = f"/components/{self.part().pk}/deeds"
        return self.good("technician", "POST", path, {"did": "replace", "because": "worn", "words": "Worn.", **told})

    def test_a_machine_that_nobody_touched_took_nothing_and_nothing_speaks(self):
        row = self.seen()
        self.assertEqual((row["rounds"], row["cases"], row["measuring"], row["fitted"]), (0, 0, 0, 0))
        self.assertEqual((row["stood_days"], row["printed_hours"], row["reasons"], row["decided"]), (0, None, [], None))

    def test_minutes_of_rounds_measurements_and_parts_of_the_last_year(self):
        for days in (400, 100, 10):
            with self.ago(days):
                self.good("technician", "POST", f"/printers/{self.crossed.pk}/service/done", {"task": "grub_screws", "found": "fine"})  # fmt: skip
        self.stand_in("a")
        self.replace(type_id=self.drawer())
        row = self.seen()
        self.assertEqual(row["rounds"], 2 * tasks()["grub_screws"].minutes)
        self.assertEqual(row["measuring"], knowledge.cards()["belt-pluck"].minutes)
        self.assertEqual((row["fitted"], row["parts_cost"], row["unpriced"], row["cases"]), (1, "12.50", 0, 15))
        self.assertEqual(self.seen(self.slinger)["rounds"], 0)

    def test_a_part_without_a_price_is_said_and_one_from_another_machine_is_not_new(self):
        self.replace()
        self.assertEqual((self.seen()["fitted"], self.seen()["unpriced"]), (1, 1))
        other = Component.objects.get(printer=self.slinger, kind="nozzle", removed_on=None)
        self.good("technician", "POST", f"/components/{self.part().pk}/move", {"to": other.pk})
        self.assertEqual(self.seen(self.slinger)["fitted"], 0)

    def test_days_that_it_stood_count_once_where_tag_and_case_overlap(self):
        tag = f"/printers/{self.crossed.pk}/tag-out"
        with self.ago(20):
            self.good("technician", "POST", tag, {"reason": "It smells."})
        with self.ago(18):
            case = self.report()
            self.good("technician", "POST", f"/cases/{case}/take")
        with self.ago(15):
            self.good("technician", "DELETE", f"{tag}?verified=Looked")
        with self.ago(12):
            self.good("technician", "POST", f"/cases/{case}/close", {"closing": "harmless", "cause": "Damp."})
        self.assertAlmostEqual(self.seen()["stood_days"], 8, places=2)
        with self.ago(2):
            self.good("technician", "POST", tag, {"reason": "It smells again."})
        self.assertAlmostEqual(self.seen()["stood_days"], 10, places=2)

    def test_what_it_printed_by_its_meter(self):
        for days, hours in ((300, 100), (0, 700)):
            with self.ago(days):
                self.good("technician", "POST", f"/printers/{self.crossed.pk}/meter", {"hours": hours})
        self.assertEqual(self.seen()["printed_hours"], 600)

    def test_a_fault_that_came_back_after_three_repairs_speaks_until_the_lead_has_decided(self):
        made = [
            Case(printer=self.crossed, title="Echoes", reported_at=now(), state="closed", closing="verified", fault="belt_slack", fault_axis="a", closed_at=now() - timedelta(days=d), cause="Slack")
            for d in (200, 150, 100, 40)
        ]  # fmt: skip
        Case.objects.bulk_create(made)
        reason = self.seen()["reasons"][0]
        self.assertEqual((reason["speaks"], reason["undecided"]), ("returns", True))
        self.assertIn("at A: mended 4 times", reason["words"])
        self.refused(
            422, "missing_field", "why", "lead", "POST", "/service/worth/decide", {"printer_id": self.crossed.pk, "decided": "keep"}
        )  # fmt: skip
        self.lead("decide", printer_id=self.crossed.pk, decided="keep", why="A new tensioner is on its way.")
        row = self.seen()
        self.assertFalse(row["reasons"][0]["undecided"])
        self.assertEqual((row["decided"]["decided"], row["decided"]["by"]), ("keep", "Lead"))
        # Once more, and it speaks again.
        made[0].pk, made[0].closed_at = None, now() - timedelta(days=1)
        made[0].save()
        self.assertTrue(self.seen()["reasons"][0]["undecided"])

    def test_a_repair_is_held_against_a_year_of_another_machine(self):
        quote = {"printer_id": self.crossed.pk, "parts": "180.00", "hours": 2, "words": "By the maker."}
        self.good("technician", "POST", "/service/worth/quote", quote)
        self.lead("price", model_id=self.crossed.model_id, another="900", lasts_years=4)
        self.assertEqual((self.seen()["repair"], self.seen()["reasons"]), (None, []))
        self.lead("hour", hour="20")
        row = self.seen()
        self.assertEqual((row["repair"], row["a_year"]), (220.0, 225.0))
        self.assertEqual(row["reasons"], [])
        self.lead("hour", hour="30")
        self.assertEqual([r["speaks"] for r in self.seen()["reasons"]], ["dear"])
        self.good("technician", "POST", "/service/worth/quote", {"printer_id": self.crossed.pk})
        self.assertEqual((self.seen()["quote"], self.seen()["repair"]), (None, None))

    def test_parts_in_trouble_reckon_a_repair_and_one_that_can_be_had_no_more_speaks(self):
        type_id = self.drawer(cost="40", ended=True)
        Component.objects.filter(pk=self.part().pk).update(type=type_id)
        self.lead("hour", hour="12")
        told = {"did": "inspect", "found": "trouble", "words": "It is worn wide."}
        self.good("technician", "POST", f"/components/{self.part().pk}/deeds", told)
        row = self.seen()
        self.assertEqual(row["repair"], 40 + 12 * 15 / 60)
        self.assertEqual([r["speaks"] for r in row["reasons"]], ["no_spare"])
        Stock.objects.update(here=1)
        self.assertEqual(self.seen()["reasons"], [])
        drawer = self.good("technician", "GET", "/stores")["drawers"][0]
        self.assertEqual((drawer["ended"], drawer["order_by"]), (True, None))

    def test_under_warranty_what_is_grave_goes_back_before_it_is_opened(self):
        today = timezone.localdate(now())
        self.lead("warranty", printer_id=self.crossed.pk, until=str(today + timedelta(days=30)))
        self.assertEqual(self.seen()["reasons"], [])
        case = self.report(finding="smoke_or_smell", axis="")
        self.assertEqual([r["speaks"] for r in self.seen()["reasons"]], ["warranty"])
        # Where somebody is about to open it, it is said, too.
        self.assertIn("Under warranty", self.good("technician", "GET", f"/cases/{case}")["step"]["warranty"])
        self.lead("warranty", printer_id=self.crossed.pk, until=str(today - timedelta(days=1)))
        self.assertEqual(self.good("technician", "GET", f"/cases/{case}")["step"]["warranty"], "")
        self.assertEqual(self.seen()["reasons"], [])

    def test_sent_back_it_is_tagged_out(self):
        self.lead("decide", printer_id=self.crossed.pk, decided="warranty", why="A bent screw on the third day.")
        self.crossed.refresh_from_db()
        self.assertIn("do not open it", self.crossed.tagged_out)

    def test_given_up_it_leaves_the_floor_and_comes_back_when_taken_back(self):
        case = self.report()
        self.lead("decide", printer_id=self.crossed.pk, decided="retire", why="No spares.")
        self.assertTrue(Printer.objects.get(pk=self.crossed.pk).retired)
        names = [m["name"] for a in self.good("lead", "GET", "/floor")["areas"] for m in a["printers"]]
        self.assertNotIn(self.crossed.name, names)
        self.assertEqual(Case.objects.get(pk=case).closing, "retired")
        self.assertTrue(self.seen()["retired"])
        self.assertTrue(self.good("member", "GET", f"/printers/{self.crossed.pk}")["retired"])
        twice = {"printer_id": self.crossed.pk, "decided": "retire", "why": "Again."}
        self.refused(409, "retired", None, "lead", "POST", "/service/worth/decide", twice)
        self.refused(
            409, "retired", None, "lead", "POST", "/service/worth/decide", {**twice, "decided": "warranty"}
        )  # fmt: skip
        self.lead("decide", printer_id=self.crossed.pk, decided="keep", why="Spares turned up.")
        self.assertFalse(Printer.objects.get(pk=self.crossed.pk).retired)
        self.assertEqual(Decided.objects.count(), 2)

    def test_only_the_lead_decides_and_what_cannot_be_is_refused(self):
        for path, told in (
            ("decide", {"printer_id": self.crossed.pk, "decided": "retire", "why": "No."}),
            ("hour", {"hour": "3"}),
            ("price", {"model_id": self.crossed.model_id, "another": "3"}),
            ("warranty", {"printer_id": self.crossed.pk, "until": None}),
        ):
            self.assertEqual(self.call("technician", "POST", f"/service/worth/{path}", told)[0], 403, path)
        self.assertEqual(self.call("member", "GET", "/service/worth")[0], 403)
        price = {"model_id": self.crossed.model_id, "another": "1.999"}
        self.assertEqual(self.call("lead", "POST", "/service/worth/price", price)[0], 422)
        self.assertEqual(self.call("lead", "POST", "/service/worth/price", {**price, "another": "-1"})[0], 422)
        self.refused(404, "not_found", None, "lead", "POST", "/service/worth/price", {"model_id": 999, "another": None})
        old = {"printer_id": self.crossed.pk, "until": "0001-01-01"}
        self.refused(422, "out_of_range", "until", "lead", "POST", "/service/worth/warranty", old)

    def test_a_page_of_many_machines_asks_no_more_than_one_of_few(self):
        from django.db import connection
        from django.test.utils import CaptureQueriesContext

        with CaptureQueriesContext(connection) as few:
            self.seen()
        Printer.objects.bulk_create(
            Printer(name=f"Buoy {i}", model=self.crossed.model, area=self.crossed.area) for i in range(30)
        )
        with CaptureQueriesContext(connection) as many:
            self.seen()
        self.assertLessEqual(len(many), len(few))
