"""The tasks of service: complete, in an order that does not undo itself, each with its caution."""

import unittest

from hypothesis import given
from hypothesis import strategies as st

from kestov_core.knowledge.part_kinds import part_kinds
from kestov_core.knowledge.tasks import BY_MATERIAL, STAGES, in_order, tasks

IDS = sorted(tasks())
#: What would undo what: the later would undo the earlier, if it came after it.
NEVER_AFTER = [
    ("screws", "guides"), ("screws", "wipe_down"), ("wipe_down", "dust"), ("test_part", "belts"), ("calibrate", "screws"),
    ("resonance_baseline", "belts"), ("belts", "joints"), ("first_layer", "calibrate"), ("calibrate", "plate"),
]  # fmt: skip


class Tasks(unittest.TestCase):
    def test_the_workshops_intervals(self):
        known = tasks()
        told = {
            t: (known[t].every_days, known[t].every_hours, known[t].every_kg)
            for t in ("wipe_down", "guides", "belts", "joints", "grub_screws", "screws", "gears", "plate", "test_part")
        }
        self.assertEqual(told, {
            "wipe_down": (14, 60, None), "guides": (30, 150, None), "belts": (30, 150, None), "joints": (30, 200, None),
            "grub_screws": (90, 400, None), "screws": (90, 400, None), "gears": (30, None, 1.5), "plate": (7, None, None),
            "test_part": (30, 200, None),
        })  # fmt: skip

    def test_lubricant_is_by_the_parts_material_never_by_habit(self):
        for task in tasks().values():
            if task.stuff:
                self.assertEqual(task.stuff, BY_MATERIAL, task.id)
                self.assertTrue(any(part_kinds()[k].lubricant for k in task.parts), task.id)

    def test_each_has_its_caution_where_it_can_hurt(self):
        self.assertIn("Heater OFF", tasks()["nozzle"].caution)
        self.assertIn("qualified", tasks()["wiring"].caution)
        self.assertIn("never on a turning screw", tasks()["screws"].caution)
        self.assertTrue(all(t.caution for t in tasks().values()))

    @given(st.lists(st.sampled_from(IDS), max_size=25))
    def test_no_task_comes_after_one_that_undoes_it(self, wanted):
        order = [t.id for t in in_order(wanted)]
        self.assertEqual(sorted(order), sorted(set(wanted)))
        for i, earlier in enumerate(order):
            for later in order[i + 1 :]:
                self.assertNotIn(earlier, tasks()[later].before, f"{later} undoes {earlier}")
        for first, then in NEVER_AFTER:
            if first in order and then in order:
                self.assertGreater(order.index(first), order.index(then), (first, then))

    @given(st.lists(st.sampled_from(IDS), max_size=25))
    def test_unplugged_work_is_together_and_comes_first(self, wanted):
        states = [t.state for t in in_order(wanted)]
        if "unplugged" in states:
            last = len(states) - 1 - states[::-1].index("unplugged")
            self.assertEqual(set(states[: last + 1]), {"unplugged"})

    def test_what_is_no_task_is_refused(self):
        with self.assertRaises(KeyError):
            in_order(["guides", "wishing"])
        self.assertEqual(len({t.stage for t in tasks().values()} - set(STAGES)), 0)


if __name__ == "__main__":
    unittest.main()
