"""What is read on paper: a case's figures before and after, and the certificate of a measurement."""

import uuid

from kestov_core import CORE_VERSION
from measuring.models import Capture
from workshop.models import Instrument

from .world import ApiCase


class Papers(ApiCase):
    def test_a_case_tells_its_first_and_its_last_figure_of_each_place(self):
        case = self.report()
        self.good("technician", "POST", f"/cases/{case}/take")
        path = f"/cases/{case}/measured"
        self.assertEqual(self.good("technician", "GET", path), [])
        first = self.stand_in("a", case)["id"] if "id" in self.stand_in("b", case) else None
        rows = self.good("technician", "GET", path)
        self.assertEqual({r["place"] for r in rows}, {"a", "b"})
        self.assertTrue(all(r["once"] for r in rows))
        self.stand_in("a", case)
        row = next(r for r in self.good("technician", "GET", path) if r["place"] == "a")
        self.assertFalse(row["once"])
        self.assertLess(row["first"]["at"], row["last"]["at"])
        self.assertEqual((row["first"]["unit"], row["last"]["by"]), ("N", "Technician"))
        self.assertIsNotNone(row["last"]["low"])
        self.assertTrue(first is None or first != row["last"]["capture_id"])
        # What was measured outside of the case is not told.
        self.stand_in("b")
        self.assertTrue(next(r for r in self.good("technician", "GET", path) if r["place"] == "b")["once"])
        self.assertEqual(self.call("member", "GET", path)[0], 403)

    def certificate(self, capture):
        return self.good("technician", "GET", f"/captures/{capture}/certificate")

    def test_a_certificate_has_what_the_figure_rests_on(self):
        dial = Instrument.objects.create(name="Dial 3", kind="dial indicator", resolution=0.01, u95=0.004, unit="mm")
        body = {
            "id": str(uuid.uuid4()), "place": "x", "instrument_id": dial.pk,
            "context": {"resolution_mm": 0.01, "indicator_u95_mm": 0.004},
            "rows": [{"target_mm": 10.0, "approach": a, "reading_mm": 10 + r} for a, r in (("+", 0.01), ("-", 0.09), ("+", 0.012), ("-", 0.092), ("+", 0.01), ("-", 0.091))],
        }  # fmt: skip
        status, answer = self.call("technician", "POST", f"/printers/{self.slinger.pk}/backlash", body)
        self.assertEqual(status, 200, answer)
        told = self.certificate(Capture.objects.get().pk)
        self.assertEqual((told["printer"], told["core"], told["why_not"]), ("Halyard", CORE_VERSION, ""))
        self.assertEqual((told["instrument"]["name"], told["instrument"]["checked_on"]), ("Dial 3", None))
        self.assertEqual(told["rows"][0], ["target_mm", "approach", "reading_mm"])
        self.assertEqual(len(told["rows"]), 7)
        self.assertIn(
            ("Indicator good to ±", "0.004", "mm"), [(t["words"], t["value"], t["unit"]) for t in told["told"]]
        )
        lines = {x["field"]: x["share"] for x in told["budget"]["lines"]}
        self.assertGreater(lines["indicator_u95_mm"], 0)
        self.assertAlmostEqual(sum(lines.values()) + told["budget"]["rest_share"], 1, places=6)
        self.assertEqual(
            told["budget"]["quantity"]["value"], told["capture"]["found"]["judged"][0]["quantity"]["value"]
        )

    def test_of_a_recording_the_file_is_named_by_its_hash(self):
        self.stand_in("a")
        told = self.certificate(Capture.objects.get().pk)
        self.assertEqual((told["rows"], len(told["sha256"])), ([], 64))
        self.assertIsNone(told["instrument"])
        self.assertIn("span_u95_mm", {x["field"] for x in told["budget"]["lines"]})

    def test_there_is_none_of_what_was_never_taken(self):
        self.assertEqual(self.call("technician", "GET", f"/captures/{uuid.uuid4()}/certificate")[0], 404)
