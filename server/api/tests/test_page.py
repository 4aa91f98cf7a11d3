"""What a measurement asks for: figures with where they are from, and that they reach the computation."""

import uuid

from kestov_core import knowledge, procedures
from measuring.models import Capture
from workshop.models import Instrument, Limit

from .world import ApiCase

PRESSES = [{"force_n": 2.0, "deflection_mm": 5.0}, {"force_n": 2.05, "deflection_mm": 5.1}]
GAPS = [{"travel_mm": t, "clearance_top_mm": 0.6, "clearance_bottom_mm": 0.5 + t / 1000} for t in (0, 100, 200)]


class Page(ApiCase):
    def page(self, procedure, place, printer=None, **query):
        more = "&".join(f"{k}={v}" for k, v in query.items())
        got = self.good(
            "technician", "GET", f"/printers/{(printer or self.slinger).pk}/bench/{procedure}/{place}?{more}"
        )
        return got, {f["name"]: f for f in got["fields"]}

    def typed(self, procedure, place, context, **more):
        body = {"id": str(uuid.uuid4()), "place": place, "context": context, **more}
        return self.good("technician", "POST", f"/printers/{self.slinger.pk}/{procedure}", body)

    def test_each_figure_says_where_it_is_from(self):
        _, fields = self.page("belt-deflection", "x")
        self.assertEqual((fields["span_mm"]["value"], fields["span_mm"]["origin"]), (240, "model"))
        self.assertEqual(
            (fields["target_n"]["value"], fields["target_n"]["origin"]), ({"low": 20, "high": 34}, "limit")
        )
        self.assertEqual((fields["resolution_n"]["value"], fields["resolution_n"]["origin"]), (0.1, "typical"))

    def test_an_instrument_brings_its_step_and_its_uncertainty(self):
        scale = Instrument.objects.create(name="Scale 2", kind="spring scale", unit="N", resolution=0.25, u95=0.4)
        _, fields = self.page("belt-deflection", "x", instrument_id=scale.pk)
        self.assertEqual((fields["resolution_n"]["value"], fields["resolution_n"]["origin"]), (0.25, "instrument"))
        capture = self.typed("belt-deflection", "x", {"readings": PRESSES}, instrument_id=scale.pk)
        self.assertEqual((capture["context"]["resolution_n"], capture["context"]["scale_u95_n"]), (0.25, 0.4))
        without = self.typed("belt-deflection", "x", {"readings": PRESSES})
        # u(T) = u(F) L / 4 d = 0.4 * 240 / 4 / 5.05 = 4.8 N, besides what there is without.
        self.assertGreater(capture["found"]["tension"]["shared"], without["found"]["tension"]["shared"] + 2)

    def test_the_leads_limit_reaches_the_verdict(self):
        before = self.typed("belt-tracking", "x", {"positions": GAPS})
        self.assertEqual(before["found"]["judged"][0]["limits"]["high"], 0.2)
        self.assertEqual(before["found"]["judged"][0]["source_of_limits"], "typical")
        Limit.objects.create(
            model=self.slinger.model, what="tracking", place="all", high=0.05, unit="mm", source="ours"
        )
        after = self.typed("belt-tracking", "x", {"positions": GAPS})
        self.assertEqual(after["found"]["judged"][0]["limits"]["high"], 0.05)
        self.assertEqual(after["found"]["judged"][0]["source_of_limits"], "limit")
        self.assertNotEqual(before["verdict"], after["verdict"])

    def test_what_is_typed_for_this_reading_goes_before_it(self):
        capture = self.typed("belt-tracking", "x", {"positions": GAPS, "limit_mm": 0.5})
        self.assertEqual(capture["found"]["judged"][0]["limits"]["high"], 0.5)
        self.assertEqual(capture["context"]["sources"]["limit_mm"], "typed")

    def test_what_was_told_last_time_is_offered_again(self):
        told = {"reference_v": 0.8, "sense_ohm": 0.1, "gain": 8, "rated_a": 1}
        self.typed("motor-current", "x", told)
        _, fields = self.page("motor-current", "x")
        for name in ("sense_ohm", "gain", "rated_a"):
            self.assertEqual((fields[name]["value"], fields[name]["origin"]), (told[name], "last"))
        self.assertIsNone(fields["reference_v"]["value"])
        again = self.typed("motor-current", "x", {"reference_v": 0.7})
        self.assertEqual((again["context"]["gain"], again["context"]["sources"]["gain"]), (8, "last"))

    def test_what_nobody_knows_is_asked_for_at_its_field(self):
        body = {"id": str(uuid.uuid4()), "place": "x", "context": {"reference_v": 0.8}}
        path = f"/printers/{self.slinger.pk}/motor-current"
        self.refused(422, "missing_field", "rated_a", "technician", "POST", path, body)
        self.assertEqual(Capture.objects.count(), 0)

    def test_the_ledger_tells_the_steps(self):
        _, fields = self.page("steps", "x")
        self.assertEqual(fields["steps_per_mm"]["origin"], "model")
        row = {"name": "steps_x", "value": 80.4, "unit": "steps/mm"}
        self.good("technician", "POST", f"/printers/{self.slinger.pk}/ledger", row)
        _, fields = self.page("steps", "x")
        self.assertEqual((fields["steps_per_mm"]["value"], fields["steps_per_mm"]["origin"]), (80.4, "stored"))

    def test_the_card_reads_as_it_does_at_the_place(self):
        page, _ = self.page("steps", "e")
        self.assertEqual(page["card"]["heading"], "Does it feed as much as told?")
        self.assertEqual(page["readings"]["field"], "mark_after_mm")
        self.assertIsNone(page["program"])
        page, _ = self.page("steps", "x")
        self.assertEqual([f["name"] for f in page["program"]], ["start_mm", "travel_mm", "low_mm", "high_mm"])
        self.assertEqual((page["next"]["procedure"], page["next"]["place"]), ("backlash", "x"))

    def test_every_page_of_every_machine_opens(self):
        for printer in (self.crossed, self.slinger):
            entries = self.good("technician", "GET", f"/printers/{printer.pk}/bench")["entries"]
            self.assertEqual({e["procedure"] for e in entries} <= set(knowledge.cards()), True)
            for entry in entries:
                for at in entry["places"]:
                    page, _ = self.page(entry["procedure"], at["place"], printer)
                    self.assertTrue(page["card"]["how"])

    def test_a_place_that_the_machine_lacks_is_refused_in_words(self):
        for procedure, place in (("belt-pluck", "a"), ("resonance", "a"), ("motor-current", "t1")):
            path = f"/printers/{self.slinger.pk}/bench/{procedure}/{place}"
            words = self.refused(422, "out_of_range", "place", "technician", "GET", path)
            self.assertIn("Halyard has no", words)
        self.refused(
            422, "unknown_procedure", None, "technician", "GET", f"/printers/{self.slinger.pk}/bench/nothing/x"
        )

    def test_nobody_is_shown_a_procedures_id(self):
        known = self.good("technician", "GET", "/knowledge")
        said = [w for f in known["faults"] for w in f["after"]]
        self.assertTrue(said)
        ids = {n for n in procedures.names() if "-" in n} | {"screw-runout", "square-reversal"}
        self.assertEqual(set(said) & ids, set())

    def test_a_limit_that_nothing_is_judged_by_is_refused(self):
        workshop = self.good("lead", "GET", "/workshop")
        kinds = {k["what"]: k for k in workshop["limit_kinds"]}
        self.assertEqual((kinds["tracking"]["unit"], kinds["tension"]["side"]), ("mm", "band"))
        model = workshop["models"][0]
        for what, place, status in (("reversal", "x", 200), ("colour", "x", 422)):
            row = {"what": what, "place": place, "high": 0.04, "unit": "mm", "source": "ours"}
            body = {k: model[k] for k in ("name", "description", "notes")} | {"limits": [row]}
            got, answer = self.call("lead", "PUT", f"/workshop/models/{model['id']}", body)
            self.assertEqual(got, status, answer)
