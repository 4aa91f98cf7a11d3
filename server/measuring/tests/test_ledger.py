"""The settings ledger: what stands now, what was before, and the way back."""

from api.tests.world import ApiCase
from people.refusals import Refused

from measuring import ledger


class Ledger(ApiCase):
    def set(self, value, name="steps_x", **more):
        return ledger.set_value(self.slinger, name, value, "steps/mm", self.people["technician"], **more)

    def test_the_newest_of_a_name_stands_and_each_knows_what_was_before(self):
        self.set(80.0, was=79.0)
        self.set(80.4, was=12.0)
        self.set(0.2, name="nozzle_height")
        found = ledger.entries(self.slinger)
        self.assertEqual([(e.row.value, e.row.was, e.present) for e in found], [
            (0.2, None, True), (80.4, 80.0, True), (80.0, 79.0, False),
        ])  # fmt: skip

    def test_the_way_back_is_a_script_for_what_machines_have_a_word_for(self):
        self.set(80.0, was=79.0)
        self.set(250.0, name="travel_high_x", was=240.0)
        self.set(0.2, name="nozzle_height", was=0.1)
        height, travel, steps = ledger.entries(self.slinger)
        self.assertEqual((height.script, travel.script), ("M851 Z0.100\nM500\nM503\n", ""))
        self.assertEqual(steps.script, "M92 X79.0000\nM500\nM503\n")

    def test_going_back_is_a_row_of_its_own(self):
        self.set(80.0, was=79.0)
        row = ledger.go_back(ledger.entries(self.slinger)[0].row, self.people["technician"])
        self.assertEqual((row.value, row.was), (79.0, 80.0))
        self.assertEqual(len(ledger.entries(self.slinger)), 2)

    def test_there_is_no_way_back_to_what_nobody_knew(self):
        with self.assertRaises(Refused):
            ledger.go_back(self.set(80.0), self.people["technician"])

    def test_of_two_things_that_were_done_since_neither_is_blamed_alone(self):
        self.set(40.0, name="shaper_frequency_x")
        for event in ("belt_tensioned", "head_changed", "head_changed"):
            self.good("technician", "POST", f"/printers/{self.slinger.pk}/events", {"event": event})
        (entry,) = ledger.standing(self.slinger)
        self.assertEqual((entry.stand, entry.lost), ("in_doubt", False))
        self.assertIn("a belt was set and ", entry.doubt)
        self.assertTrue(entry.doubt.endswith("(neither alone can be blamed)"), entry.doubt)
