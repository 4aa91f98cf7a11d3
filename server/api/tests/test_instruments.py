"""Instruments: checks that are records, comparisons of people run reading by reading, and what comes out of them counts."""

import itertools
import uuid
from datetime import timedelta

from measuring.models import InstrumentCheck, Study, StudyReading
from people.clock import now
from people.models import AuditEntry
from workshop.models import Instrument

from .world import ApiCase


class WithACaliper(ApiCase):
    def setUp(self):
        super().setUp()
        self.caliper = Instrument.objects.create(
            name="Bench caliper", kind="caliper", unit="mm", resolution=0.01, u95=0.03
        )
        self.path = f"/instruments/{self.caliper.pk}"
        self.day = (now() + timedelta(days=180)).date().isoformat()

    def check(self, *readings, limit=0.03, **more):
        body = {
            "how": "known",
            "against": "25 mm gauge block",
            "reference": 25.0,
            "reference_u95": 0.001,
            "readings": readings,
            "limit": limit,
            "check_due": self.day,
            **more,
        }
        return self.call("technician", "POST", f"{self.path}/checks", body)


class Checks(WithACaliper):
    def test_a_check_is_a_record_with_its_result_and_sets_the_next_date(self):
        status, shown = self.check(25.01, 25.0, 25.01)
        self.assertEqual(status, 200, shown)
        self.assertEqual(
            (shown["checked_against"], shown["check_due"], shown["doubt"]), ("25 mm gauge block", self.day, "")
        )
        first = shown["checks"][0]
        self.assertEqual((first["found"]["verdict"], first["readings"]), ("in_tolerance", [25.01, 25.0, 25.01]))
        self.assertAlmostEqual(first["found"]["error"]["value"], 0.00667, 4)
        self.assertTrue(AuditEntry.objects.filter(verb="checked", what="instrument").exists())

    def test_one_found_off_or_overdue_warns_at_the_bench_and_on_the_floor(self):
        self.check(25.08, 25.08, 25.09)
        bench = f"/printers/{self.slinger.pk}/bench/dimensions/all"
        offered = self.good("technician", "GET", bench)["instruments"]
        self.assertIn("reads 0.0833 mm more", next(i["doubt"] for i in offered if i["id"] == self.caliper.pk))
        wanted = [w for w in self.good("technician", "GET", "/floor")["wanted"] if w["kind"] == "instrument"]
        self.assertEqual([(w["title"], w["instrument_id"]) for w in wanted], [("Check Bench caliper", self.caliper.pk)])
        self.check(25.0, 25.0, 25.01)
        self.assertEqual(
            [w for w in self.good("technician", "GET", "/floor")["wanted"] if w["kind"] == "instrument"], []
        )
        Instrument.objects.update(check_due="2020-01-01")
        self.assertIn("was due", self.good("technician", "GET", self.path)["doubt"])

    def test_a_square_turned_over_is_its_own_reference(self):
        _, shown = self.check(0.4, 0.4, how="turned_over", reversed=[0.2, 0.2], reference=None)
        self.assertAlmostEqual(shown["checks"][0]["found"]["error"]["value"], 0.1)

    def test_what_is_wrong_is_said_at_its_field_and_nothing_is_kept(self):
        post = ("technician", "POST", f"{self.path}/checks")
        body = {"how": "known", "against": "block", "readings": [25.0]}
        self.refused(422, "missing_field", "reference", *post, body)
        self.refused(422, "missing_field", "readings", *post, {**body, "readings": []})
        self.refused(422, "out_of_range", "check_due", *post, {**body, "reference": 25, "check_due": "2020-01-01"})
        self.assertEqual(self.call("technician", "POST", "/instruments/999999/checks", body)[0], 404)
        self.assertEqual(InstrumentCheck.objects.count(), 0)

    def test_sent_twice_it_is_one(self):
        body = {"how": "known", "against": "block", "reference": 25.0, "readings": [25.0, 25.01]}
        key = str(uuid.uuid4())
        for _ in range(2):
            self.good("technician", "POST", f"{self.path}/checks", body, key=key)
        self.assertEqual(InstrumentCheck.objects.count(), 1)


class Changing(WithACaliper):
    def test_the_lead_tells_anew_what_it_is_and_its_checks_stay(self):
        self.check(25.0, 25.01, 25.0)
        told = {"name": "Caliper 2", "kind": "caliper", "unit": "mm", "resolution": 0.02, "u95": 0.04, "address": ""}
        path = f"/workshop/instruments/{self.caliper.pk}"
        self.good("lead", "POST", path, told)
        shown = self.good("technician", "GET", self.path)
        self.assertEqual(
            (shown["name"], shown["resolution"], shown["u95"], len(shown["checks"])), ("Caliper 2", 0.02, 0.04, 1)
        )
        self.assertEqual(self.call("technician", "POST", path, told)[0], 403)
        self.refused(422, "out_of_range", "u95", "lead", "POST", path, {**told, "u95": -1})
        self.assertEqual(self.call("lead", "POST", "/workshop/instruments/999999", told)[0], 404)


class Studies(WithACaliper):
    def set_up(self, **more):
        who = [self.people["technician"].pk, self.people["lead"].pk]
        body = {
            "what": "Printed blocks",
            "people": who,
            "pieces": ["1", "2", "=3"],
            "times": 2,
            "tolerance": None,
            **more,
        }
        return self.good("technician", "POST", f"{self.path}/studies", body)

    def read(self, study, bias=(0.0, 0.05), spread=0.004):
        """Let everybody read what is left for them, as somebody with such a bias would."""
        for person, off in zip(study["people"], bias, strict=True):
            if not person["left"]:
                continue
            typed = [
                {
                    "position": t["position"],
                    "value": round(20 + t["piece"] + off + spread * (-1) ** (t["position"] // 3), 3),
                }
                for t in person["left"]
            ]
            study = self.good(
                "technician", "POST", f"/studies/{study['id']}/readings", {"person": person["id"], "readings": typed}
            )
        return study

    def test_everybody_has_an_order_of_their_own_with_each_piece_as_often(self):
        study = self.set_up(times=5)
        orders = [[t["piece"] for t in p["left"]] for p in study["people"]]
        for order in orders:
            self.assertEqual(sorted(order), sorted([0, 1, 2] * 5))
            self.assertNotIn(True, [a == b for a, b in itertools.pairwise(order)])
        self.assertEqual(study["people"], self.good("technician", "GET", f"/studies/{study['id']}")["people"])

    def test_a_study_is_run_read_and_then_counts_in_each_of_the_hands(self):
        study = self.read(self.set_up())
        found = study["found"]
        self.assertEqual([p["person"] for p in found["people"]], ["Technician", "Lead"])
        self.assertAlmostEqual(found["people"][1]["bias"]["value"], 0.025)
        bench = f"/printers/{self.slinger.pk}/bench/dimensions/all?instrument_id={self.caliper.pk}"

        def good_to(who):
            fields = self.good(who, "GET", bench)["fields"]
            return next((f["value"], f["origin"]) for f in fields if f["name"] == "caliper_u95_mm")

        self.assertEqual(good_to("lead"), (0.03, "instrument"))
        counted = self.good("technician", "POST", f"/studies/{study['id']}/count")
        self.assertIsNotNone(counted["counts_since"])
        self.assertEqual(good_to("lead"), (found["people"][1]["reading_u95"], "instrument"))
        self.assertEqual(good_to("technician"), (found["people"][0]["reading_u95"], "instrument"))
        shown = self.good("lead", "GET", self.path)
        self.assertEqual((shown["in_hands"], shown["studies"][0]["counts"]), (found["people"][1]["reading_u95"], True))

    def test_a_capture_says_what_the_reading_was_good_to_in_whose_hands(self):
        study = self.read(self.set_up())
        self.good("technician", "POST", f"/studies/{study['id']}/count")
        body = {
            "id": str(uuid.uuid4()),
            "place": "all",
            "instrument_id": self.caliper.pk,
            "rows": [
                {"axis": axis, "feature": f"{n}", "kind": "outer", "nominal_mm": n, "measured_mm": n + 0.05}
                for axis in ("x", "y")
                for n in (20, 40, 60, 80)
            ],
        }
        self.good("lead", "POST", f"/printers/{self.slinger.pk}/dimensions", body)
        from measuring.models import Capture

        kept = Capture.objects.get(pk=body["id"]).context
        self.assertEqual(kept["caliper_u95_mm"], study["found"]["people"][1]["reading_u95"])

    def test_a_slip_is_taken_again_and_stays_in_the_record(self):
        study = self.read(self.set_up())
        self.good("technician", "POST", f"/studies/{study['id']}/count")
        slip = study["readings"][0]
        study = self.good("technician", "POST", f"/studies/{study['id']}/readings/{slip['id']}/again")
        self.assertEqual((study["found"], study["counts_since"]), (None, None))
        left = next(p["left"] for p in study["people"] if p["id"] == slip["person"])
        self.assertEqual([t["piece"] for t in left], [slip["piece"]])
        self.assertIsNotNone(self.read(study)["found"])
        self.assertEqual(StudyReading.objects.filter(withdrawn_at__isnull=False).count(), 1)
        self.refused(
            404, "not_found", None, "technician", "POST", f"/studies/{study['id']}/readings/{slip['id']}/again"
        )

    def test_what_makes_no_comparison_is_refused_at_its_field(self):
        post = ("technician", "POST", f"{self.path}/studies")
        who = [self.people["technician"].pk, self.people["lead"].pk]
        good = {"what": "Blocks", "people": who, "pieces": ["1", "2"], "times": 2}
        self.refused(422, "too_few_rows", "people", *post, {**good, "people": who[:1] * 2})
        self.refused(422, "out_of_range", "people", *post, {**good, "people": [who[0], self.people["member"].pk]})
        self.refused(422, "out_of_range", "pieces", *post, {**good, "pieces": ["1", " 1"]})
        self.refused(422, "missing_field", "pieces", *post, {**good, "pieces": []})
        self.refused(422, "out_of_range", "times", *post, {**good, "times": 1})
        self.assertEqual(Study.objects.count(), 0)

    def test_a_reading_that_is_there_already_is_not_doubled(self):
        study = self.set_up()
        person = study["people"][0]
        first = [{"position": person["left"][0]["position"], "value": 20.0}]
        path = f"/studies/{study['id']}/readings"
        self.good("technician", "POST", path, {"person": person["id"], "readings": first})
        self.refused(
            409,
            "twice_at_once",
            "readings.0.position",
            "technician",
            "POST",
            path,
            {"person": person["id"], "readings": first},
        )
        self.refused(422, "out_of_range", "person", "technician", "POST", path, {"person": 999999, "readings": first})
        self.refused(409, "not_whole", None, "technician", "POST", f"/studies/{study['id']}/count")

    def test_readings_all_alike_are_as_good_as_the_step_they_were_written_to(self):
        Instrument.objects.update(resolution=None)
        study = self.read(self.set_up(pieces=["1"]), bias=(0.0, 0.0), spread=0.0)
        self.assertAlmostEqual(study["found"]["repeatability"]["value"], 1 / 12**0.5)
        study = self.read(self.set_up(pieces=["1"]), bias=(0.25, 0.25), spread=0.0)
        self.assertAlmostEqual(study["found"]["repeatability"]["value"], 0.01 / 12**0.5)

    def test_the_table_goes_out_with_no_cell_that_a_spreadsheet_runs(self):
        study = self.read(self.set_up())
        body = self.good("technician", "GET", f"/studies/{study['id']}/readings.csv").decode()
        self.assertEqual(len(body.splitlines()), 13)
        self.assertIn("'=3", body)
