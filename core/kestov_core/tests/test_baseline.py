"""After something was done: what is in doubt by the table, and the way back in the order of the chain, nothing twice."""

import unittest

from kestov_core import procedures
from kestov_core.condition.baseline import (
    ORDER,
    Doubted,
    DoubtedValue,
    measured_in_doubt,
    plan,
    stored_in_doubt,
)
from kestov_core.condition.stored import all_stored
from kestov_core.errors import BadInput
from kestov_core.knowledge import cards, ledger
from kestov_core.knowledge.ledger import UpsetMended, stored_kinds, upsets
from kestov_core.machine import Description

CROSSED = Description.model_validate(
    {
        "kinematics": "corexy",
        "transmissions": {
            "a": {"kind": "belt"},
            "b": {"kind": "belt"},
            "z1": {"kind": "screw"},
            "e": {"kind": "extruder"},
        },
        "pairs": [["a", "b"]],
    }
)
SLINGER = Description.model_validate(
    {
        "kinematics": "bed_slinger",
        "transmissions": {
            "x": {"kind": "belt"},
            "y": {"kind": "belt"},
            "z1": {"kind": "screw"},
            "z2": {"kind": "screw"},
        },
    }
)


class InDoubt(unittest.TestCase):
    def test_the_table(self):
        """Row by row as the service's table has it."""
        for event, procedure, place, there in (
            ("belt_tensioned", "resonance", "x", True),
            ("belt_tensioned", "belt-tracking", "x", True),
            ("belt_tensioned", "steps", "x", False),
            ("pulley_changed", "steps", "x", True),
            ("driver_changed", "motor-current", "x", True),
            ("frame_touched", "squareness", "frame", True),
            ("frame_touched", "screw-runout", "z1", True),
            ("frame_touched", "belt-pluck", "x", False),
            ("screw_touched", "gantry", "z", True),
            ("carriage_changed", "play", "x", True),
            ("head_changed", "resonance", "x", True),
            ("machine_moved", "bed", "bed", True),
            ("spool_moved", "resonance", "x", True),
            ("collision", "squareness", "frame", True),
            ("filament_changed", "resonance", "x", False),
        ):
            with self.subTest(event, procedure=procedure):
                self.assertEqual(measured_in_doubt(event, SLINGER, "", procedure, place), there)

    def test_it_reaches_the_axis_of_the_belt_and_both_where_belts_cross(self):
        self.assertTrue(measured_in_doubt("belt_tensioned", SLINGER, "x", "resonance", "x"))
        self.assertFalse(measured_in_doubt("belt_tensioned", SLINGER, "x", "resonance", "y"))
        for place in ("x", "y", "a", "b"):
            self.assertTrue(measured_in_doubt("belt_tensioned", CROSSED, "a", "resonance", place), place)
        # Nobody said which belt: then it may be any.
        self.assertTrue(measured_in_doubt("belt_tensioned", SLINGER, "", "resonance", "y"))

    def test_firmware_may_lose_all_that_is_stored(self):
        for name, s in all_stored().items():
            if s.kind.kind == "figure":
                self.assertIs(stored_in_doubt("firmware_updated", SLINGER, "", name), True, name)
        self.assertIs(stored_in_doubt("firmware_updated", SLINGER, "", "wiring"), None)

    def test_what_is_still_there_may_no_longer_fit(self):
        self.assertIs(stored_in_doubt("belt_tensioned", SLINGER, "x", "shaper_frequency_x"), False)
        self.assertIs(stored_in_doubt("belt_tensioned", SLINGER, "x", "shaper_frequency_y"), None)
        self.assertIs(stored_in_doubt("nozzle_changed", SLINGER, "", "nozzle_height"), False)
        self.assertIs(stored_in_doubt("nozzle_changed", SLINGER, "", "steps_x"), None)

    def test_data_and_procedures_fit(self):
        self.assertGreaterEqual(len(upsets()), 18)
        for kind in stored_kinds().values():
            if kind.measured_by:
                self.assertIsNotNone(cards()[kind.measured_by].chain, kind.id)
        for upset in upsets().values():
            for name in upset.measured:
                self.assertIsNotNone(procedures.get(name).measures, name)


class AsAWorkshopHasIt(unittest.TestCase):
    def test_what_was_changed_is_laid_over_what_came(self):
        table = ledger.table(
            {"spool_moved": UpsetMended(measured=["belt-pluck"], by_hand=["Look at the holder first."])}
        )
        self.assertTrue(measured_in_doubt("spool_moved", CROSSED, "", "belt-pluck", "a", table))
        self.assertFalse(measured_in_doubt("spool_moved", CROSSED, "", "belt-pluck", "a"))
        self.assertEqual(table["spool_moved"].stale, ledger.upsets()["spool_moved"].stale)
        self.assertEqual(table["belt_tensioned"], ledger.upsets()["belt_tensioned"])
        self.assertEqual(plan(CROSSED, [], [], ["spool_moved"], table).by_hand, ["Look at the holder first."])

    def test_what_there_is_not_is_refused_with_where(self):
        for mended, field in (
            ({"rained": UpsetMended()}, "rained"),
            ({"spool_moved": UpsetMended(lost=["charm"])}, "lost.0"),
        ):
            with self.assertRaises(BadInput) as e:
                ledger.table(mended)
            self.assertEqual((e.exception.code, e.exception.field), ("out_of_range", field))


class TheWayBack(unittest.TestCase):
    def steps(self, motion=SLINGER, doubted=(), values=(), happened=()):
        return plan(
            motion,
            [Doubted(procedure=p, place=at, since="a belt was set") for p, at in doubted],
            [
                DoubtedValue(name=n, label=all_stored()[n].label, lost=lost, since="it was updated")
                for n, lost in values
            ],
            happened,
        )

    def test_in_the_order_of_the_chain(self):
        wanted = [
            ("resonance", "x"),
            ("belt-pluck", "x"),
            ("squareness", "frame"),
            ("play", "x"),
            ("bed", "bed"),
            ("gantry", "z"),
        ]
        found = self.steps(doubted=wanted)
        ranks = [ORDER.index(cards()[s.procedure].chain) for s in found.steps]
        self.assertEqual(ranks, sorted(ranks))
        self.assertEqual({(s.procedure, s.place) for s in found.steps}, set(wanted))
        self.assertEqual(found.minutes, sum(cards()[p].minutes for p, _ in wanted))

    def test_what_was_lost_is_read_back_first_and_once(self):
        found = self.steps(doubted=[("play", "x")], values=[("steps_x", True), ("steps_z", True), ("current_x", True)])
        self.assertEqual([s.procedure for s in found.steps], [None, "play"])
        self.assertEqual(found.steps[0].values, ["steps_x", "steps_z", "current_x"])

    def test_a_value_that_may_not_fit_is_settled_by_its_measurement_once(self):
        found = self.steps(
            doubted=[("resonance", "x")], values=[("shaper_frequency_x", False), ("shaper_damping_x", False)]
        )
        self.assertEqual([(s.procedure, s.place) for s in found.steps], [("resonance", "x")])
        self.assertEqual(found.steps[0].values, ["shaper_frequency_x", "shaper_damping_x"])

    def test_crossed_belts_are_shaken_along_their_diagonals_or_axes(self):
        found = self.steps(CROSSED, values=[("shaper_frequency_x", False)])
        self.assertTrue(found.steps)
        self.assertTrue(all(s.procedure == "resonance" for s in found.steps))

    def test_what_no_procedure_measures_is_said_in_words(self):
        found = self.steps(values=[("nozzle_height", False)])
        self.assertEqual([(s.procedure, s.values) for s in found.steps], [(None, ["nozzle_height"])])
        self.assertIn("Nozzle height", found.steps[0].title)

    def test_words_are_written_down_anew(self):
        found = self.steps(values=[("firmware", False)])
        self.assertEqual(found.steps[0].title, "Write down anew: Firmware build")

    def test_what_tells_the_same_is_measured_once(self):
        found = self.steps(doubted=[("belt-pluck", "x"), ("belt-deflection", "x")])
        self.assertEqual(len(found.steps), 1)

    def test_nothing_in_doubt_needs_nothing(self):
        found = self.steps()
        self.assertEqual((found.steps, found.minutes, found.by_hand), ([], 0, []))

    def test_by_hand_before_anything_moves(self):
        found = self.steps(happened=["board_changed", "firmware_updated", "filament_changed"])
        self.assertEqual(sum("end switch" in line for line in found.by_hand), 1, "said once")
        self.assertTrue(any("which way each motor turns" in line for line in found.by_hand))

    def test_what_this_machine_does_not_have_is_left_out(self):
        self.assertEqual(self.steps(doubted=[("belt-pluck", "t1"), ("screw-runout", "z4")]).steps, [])


if __name__ == "__main__":
    unittest.main()
