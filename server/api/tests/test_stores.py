"""Stores: counted, ordered, come, fitted in the act that fits it; what a type fits; what will be wanted and to order by when."""

from datetime import timedelta
from unittest import mock

import segno
from cases.models import Suspect
from django.db import connection
from django.test.utils import CaptureQueriesContext
from people.clock import at, now
from service import labels
from service.models import Order, Stock, StockMove
from workshop.models import Component, PartType

from .world import ApiCase


class Stores(ApiCase):
    def setUp(self):
        super().setUp()
        seen = self.good("lead", "POST", "/part-types", {"name": "Brass nozzle", "kind": "nozzle", "life_hours": 1000})
        self.type = next(t["id"] for t in seen["types"] if t["name"] == "Brass nozzle")
        self.keep()
        self.drawer = Stock.objects.get().pk

    def keep(self, **told):
        return self.good("lead", "POST", f"/part-types/{self.type}/drawer", {"drawer": "B4", **told})

    def row(self, seen=None):
        return next(
            d for d in (seen or self.good("technician", "GET", "/stores"))["drawers"] if d["type_id"] == self.type
        )

    def count(self, number):
        return self.good("technician", "POST", f"/drawers/{self.drawer}/count", {"number": number})

    def nozzle(self, printer):
        return Component.objects.get(printer=printer, kind="nozzle", removed_on=None)

    def replace(self, printer, **more):
        path = f"/components/{self.nozzle(printer).pk}/deeds"
        return self.call("technician", "POST", path, {"did": "replace", "type_id": self.type, **more})

    def used(self, printer, hours, fitted_at=0.0):
        """A machine that runs ten hours a day."""
        for days, shown in ((20, hours - 200), (0, hours)):
            with at(now() - timedelta(days=days)):
                self.good("technician", "POST", f"/printers/{printer.pk}/meter", {"hours": shown})
        Component.objects.filter(printer=printer, kind="nozzle", removed_on=None).update(
            fitted_hours=fitted_at, type=self.type
        )

    def test_a_fitted_part_leaves_the_drawer_in_the_same_act(self):
        self.count(2)
        self.assertEqual(self.replace(self.slinger)[0], 200)
        self.assertEqual(self.row()["here"], 1)
        moves = self.good("technician", "GET", f"/drawers/{self.drawer}/moves")
        self.assertEqual([(m["did"], m["left"]) for m in moves], [("fitted", 1), ("counted", 2)])
        self.assertIn(self.slinger.name, moves[0]["words"])

    def test_the_last_one_is_fitted_once_and_what_is_refused_changes_nothing(self):
        self.count(1)
        self.assertEqual(self.replace(self.slinger)[0], 200)
        before = self.nozzle(self.crossed).pk
        status, answer = self.replace(self.crossed)
        self.assertEqual((status, answer["code"], answer["field"]), (409, "none_left", "spare"))
        self.assertEqual(self.nozzle(self.crossed).pk, before)
        self.assertEqual(self.replace(self.crossed, spare="elsewhere")[0], 200)
        self.assertEqual(Stock.objects.get().here, 0)

    def test_a_drawer_that_nobody_counted_yet_refuses_nothing(self):
        self.assertEqual(self.replace(self.slinger)[0], 200)
        self.assertFalse(StockMove.objects.exists())

    def test_an_open_case_that_suspects_a_part_wants_a_spare_as_likely_as_it_weighs_it(self):
        seen = self.good("lead", "POST", "/part-types", {"name": "Belt, 6 mm", "kind": "belt"})
        belts = next(t["id"] for t in seen["types"] if t["name"] == "Belt, 6 mm")
        self.good("lead", "POST", f"/part-types/{belts}/drawer", {"drawer": "B1"})

        def expected():
            seen = self.good("technician", "GET", "/stores")["drawers"]
            return next(d["expected"] for d in seen if d["type_id"] == belts)

        self.assertEqual(expected(), 0)
        case = self.report(finding="belt_damaged", axis="a")
        self.do_work()
        part = Component.objects.get(printer=self.crossed, kind="belt", place="a")
        chance = Suspect.objects.get(case=case, component=part).chance
        self.assertGreater(chance, 0.3)
        self.assertAlmostEqual(expected(), sum(Suspect.objects.filter(component__kind="belt").values_list("chance", flat=True)), 6)  # fmt: skip
        # A case that is over wants nothing any more, even before a worker has come by.
        self.good("technician", "POST", f"/cases/{case}/take")
        self.good("technician", "POST", f"/cases/{case}/close", {"closing": "harmless", "cause": "Only dust."})
        self.assertEqual(expected(), 0)
        self.do_work()
        self.assertFalse(Suspect.objects.exists())

    def test_ordered_come_in_two_goes_and_the_rest_given_up(self):
        self.count(1)
        self.keep(lead_days=10)
        seen = self.good("technician", "POST", f"/drawers/{self.drawer}/orders", {"number": 5})
        order = self.row(seen)["orders"][0]
        self.assertEqual(order["expected_on"], (now() + timedelta(days=10)).date().isoformat())
        self.good("technician", "POST", f"/part-orders/{order['id']}/came", {"number": 3})
        self.refused(
            422, "out_of_range", "number", "technician", "POST", f"/part-orders/{order['id']}/came", {"number": 3}
        )
        row = self.row()
        self.assertEqual((row["here"], row["orders"][0]["left"], row["orders"][0]["late"]), (4, 2, False))
        with at(now() + timedelta(days=11)):
            self.assertTrue(self.row()["orders"][0]["late"])
        self.good("technician", "POST", f"/part-orders/{order['id']}/give-up")
        self.assertEqual(self.row()["orders"], [])
        self.refused(409, "ended", None, "technician", "POST", f"/part-orders/{order['id']}/came", {"number": 1})

    def test_what_cannot_be_is_refused(self):
        def refused(status, code, field, who, path, told):
            self.refused(status, code, field, who, "POST", path, told)

        refused(422, "out_of_range", "number", "technician", f"/drawers/{self.drawer}/count", {"number": -1})
        refused(422, "out_of_range", "number", "technician", f"/drawers/{self.drawer}/orders", {"number": 0})
        yesterday = (now() - timedelta(days=1)).date().isoformat()
        refused(422, "out_of_range", "expected_on", "technician", f"/drawers/{self.drawer}/orders", {"number": 1, "expected_on": yesterday})  # fmt: skip
        refused(404, "not_found", None, "technician", "/drawers/999999/count", {"number": 1})
        refused(404, "not_found", None, "technician", "/part-orders/999999/came", {"number": 1})
        refused(404, "not_found", None, "lead", "/part-types/999999/drawer", {})
        refused(403, "not_yours", None, "technician", f"/part-types/{self.type}/drawer", {})
        refused(
            422,
            "out_of_range",
            "models",
            "lead",
            f"/part-types/{self.type}",
            {"name": "Brass nozzle", "models": [999999]},
        )
        refused(
            422, "out_of_range", "places", "lead", f"/part-types/{self.type}", {"name": "Brass nozzle", "places": ["q"]}
        )
        refused(422, "out_of_range", "risk", "lead", "/stores/settled", {"risk": 0})
        self.assertFalse(Order.objects.exists())

    def test_a_type_is_offered_and_taken_only_where_it_fits(self):
        told = {"name": "Brass nozzle", "models": [self.crossed.model_id], "places": ["e"]}
        self.good("lead", "POST", f"/part-types/{self.type}", told)
        for printer, there in ((self.crossed, True), (self.slinger, False)):
            here = self.good("technician", "GET", f"/printers/{printer.pk}/components")
            self.assertEqual(any(t["id"] == self.type for t in here["types"]), there)
        status, answer = self.replace(self.slinger)
        self.assertEqual((status, answer["field"]), (422, "type_id"))
        self.assertEqual(self.replace(self.crossed)[0], 200)
        self.good("lead", "POST", f"/part-types/{self.type}", {**told, "places": ["head"]})
        self.assertEqual(self.replace(self.crossed)[1]["field"], "type_id")

    def test_what_is_worn_is_wanted_soon_and_ordered_in_time(self):
        self.count(0)
        self.used(self.crossed, 1000)
        row = self.row()
        self.assertEqual(row["parts"], 1)
        self.assertGreater(row["expected"], 0.7)
        self.assertEqual((row["order_by"], row["order"]), (now().date().isoformat(), 1))
        # A young one, and an old one for which one lies there: nobody stands without this month.
        self.count(1)
        self.used(self.slinger, 1000, fitted_at=900)
        row = self.row()
        self.assertEqual(row["parts"], 2)
        self.assertGreater(row["order_by"], now().date().isoformat())
        self.assertEqual((row["low"], row["high"]), (1, 2))

    def test_a_part_of_unknown_type_counts_where_only_one_drawer_fits_it(self):
        self.count(1)
        self.used(self.slinger, 900)
        Component.objects.update(type=None)
        self.assertEqual(self.row()["parts"], 1)
        other = PartType.objects.create(name="Steel nozzle", kind="nozzle")
        Stock.objects.create(type=other)
        self.assertEqual(self.row()["parts"], 0)

    def test_what_nobody_can_tell_of_is_said_and_trouble_wants_one_now(self):
        self.count(1)
        Component.objects.filter(kind="nozzle").update(type=self.type)
        self.assertEqual((self.row()["parts"], self.row()["unknown"]), (0, 2))
        Component.objects.filter(kind="nozzle", printer=self.slinger).update(trouble="Clogged.")
        self.assertEqual((self.row()["parts"], self.row()["unknown"]), (1, 1))

    def test_the_leads_figure_moves_the_day(self):
        self.count(1)
        self.used(self.crossed, 700)
        self.used(self.slinger, 700)
        careful, bold = [], []
        for risk, days in ((0.01, careful), (0.4, bold)):
            self.good("lead", "POST", "/stores/settled", {"risk": risk, "money": "€"})
            days.append(self.row()["short_on"])
        self.assertLess(careful[0], bold[0])

    def test_few_questions_however_many_drawers(self):
        for i in range(5):
            Stock.objects.create(type=PartType.objects.create(name=f"Type {i}", kind="nozzle"))
        # Who asks is two of them.
        with CaptureQueriesContext(connection) as asked:
            self.good("technician", "GET", "/stores")
        self.assertLessEqual(len(asked), 12)


class Labels(ApiCase):
    def pdf(self, query):
        answer = self.clients["technician"].get(f"/api/labels.pdf?{query}")
        self.assertEqual((answer.status_code, answer["Content-Type"]), (200, "application/pdf"), answer.content[:300])
        return answer.content

    def test_each_machine_has_one_that_a_phone_can_read_back(self):
        modules, make = [], segno.make
        with mock.patch("segno.make", side_effect=lambda code, **how: modules.append(code) or make(code, **how)):
            pdf = self.pdf("what=machines")
        self.assertTrue(pdf.startswith(b"%PDF"))
        self.assertEqual(sorted(modules), sorted(f"http://testserver/m/{p.pk}" for p in (self.crossed, self.slinger)))

    def test_a_name_of_any_letters_harms_no_label(self):
        self.slinger.name = "Ключ 東京 “½” " * 2
        self.slinger.save()
        self.assertTrue(self.pdf("what=machines&sheet=a4-65").startswith(b"%PDF"))

    def test_used_labels_are_skipped_and_a_full_sheet_goes_on_on_the_next(self):
        rows = [labels.Label(f"http://x/m/{i}", f"Machine {i}", "Long walk") for i in range(30)]
        for sheet in labels.SHEETS.values():
            for skip in (0, 7):
                pages = labels.as_pdf(rows, sheet, skip).count(b"/Type /Page\n")
                self.assertEqual(pages, -(-(30 + skip) // sheet.many), (sheet.words, skip))

    def test_labels_lie_on_their_page_and_not_over_each_other(self):
        for s in labels.SHEETS.values():
            self.assertGreaterEqual(s.step[0], s.label[0])
            self.assertGreaterEqual(s.step[1], s.label[1])
            right = s.margins[0] + (s.across - 1) * s.step[0] + s.label[0]
            foot = s.margins[1] + (s.down - 1) * s.step[1] + s.label[1]
            self.assertLessEqual(right, s.page[0] + 0.01, s.words)
            self.assertLessEqual(foot, s.page[1] + 0.01, s.words)

    def test_what_there_is_not_is_said(self):
        self.refused(409, "nothing_there", None, "technician", "GET", "/labels.pdf?what=drawers")
        self.refused(422, "out_of_range", "sheet", "technician", "GET", "/labels.pdf?what=machines&sheet=a9")
