"""One figure across the machines of a model: the odd one, what moved all, and what was touched in between."""

import uuid
from datetime import timedelta

from people.clock import at, now
from workshop.models import Printer, fit_out

from .world import ApiCase


class AcrossTheMachines(ApiCase):
    @classmethod
    def setUpTestData(cls):
        super().setUpTestData()
        cls.fleet = [cls.slinger]
        for i in range(5):
            machine = Printer.objects.create(name=f"Reef {i}", model=cls.slinger.model, area=cls.slinger.area)
            fit_out(machine)
            cls.fleet.append(machine)

    def plate(self, machine, lean, days_ago):
        """A plate of 100 by 100 mm whose diagonals tell a lean, mm on 100."""
        more = lean / 100 * 70.71
        body = {
            "place": "frame",
            "context": {
                "diagonal_ac_mm": [141.42 + more, 141.43 + more, 141.41 + more],
                "diagonal_bd_mm": [141.42 - more, 141.41 - more, 141.43 - more],
                "nominal_w_mm": 100,
                "nominal_h_mm": 100,
            },
        }

        with at(now() - timedelta(days=days_ago)):
            self.good("technician", "POST", f"/printers/{machine.pk}/squareness", {"id": str(uuid.uuid4()), **body})

    def see(self):
        path = f"/fleet/{self.slinger.model_id}?procedure=squareness&place=frame"
        return self.good("technician", "GET", path)

    def test_figures_in_common_are_offered_by_model(self):
        self.assertEqual(self.good("technician", "GET", "/fleet"), [])
        for m in self.fleet[:2]:
            self.plate(m, 0.02, 1)
        (model,) = self.good("technician", "GET", "/fleet")
        self.assertEqual(model["model"], "Dunlin 220")
        self.assertIn(
            ("squareness", "frame", 2), [(f["procedure"], f["place"], f["machines"]) for f in model["figures"]]
        )
        self.assertTrue(self.see()["few"])

    def test_the_odd_one_is_named_and_a_single_one_is_no_fleet(self):
        for m, lean in zip(self.fleet, (0.02, 0.03, 0.01, 0.02, 0.025, 0.6), strict=True):
            self.plate(m, lean, 1)
        seen = self.see()
        self.assertEqual([m["printer"] for m in seen["machines"] if m["odd"]], ["Reef 4"])
        self.assertAlmostEqual(seen["centre"], 0.02, delta=0.01)
        path = f"/fleet/{self.crossed.model_id}?procedure=squareness&place=frame"
        self.assertEqual(self.call("technician", "GET", path)[0], 404)

    def test_what_moved_all_is_told_from_what_moved_one_and_from_what_was_touched(self):
        for m in self.fleet:
            self.plate(m, 0.02, 60)
            self.plate(m, 0.32 if m is not self.fleet[3] else 1.2, 1)
        seen = self.see()
        self.assertTrue(seen["all_moved"])
        self.assertAlmostEqual(seen["together"]["value"], 0.3, delta=0.05)
        self.assertEqual([m["printer"] for m in seen["machines"] if m["alone"]], [self.fleet[3].name])
        with at(now() - timedelta(days=20)):
            for m in self.fleet[:4]:
                path = f"/printers/{m.pk}/events"
                self.good("technician", "POST", path, {"event": "frame_touched", "note": ""})
        seen = self.see()
        self.assertIsNone(seen["together"])
        self.assertEqual(sum(bool(m["touched"]) for m in seen["machines"]), 4)

    def test_old_figures_say_nothing_of_today_and_members_see_none(self):
        for m in self.fleet:
            self.plate(m, 0.02, 300)
        self.assertEqual(self.good("technician", "GET", "/fleet"), [])
        self.assertEqual(self.call("member", "GET", "/fleet")[0], 403)
