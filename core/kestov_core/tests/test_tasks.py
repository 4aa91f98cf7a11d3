"""The tasks of service: complete, in an order that does not undo itself, each with its caution."""

import unittest

from hypothesis import given
from hypothesis import strategies as st

from kestov_core.errors import BadInput
from kestov_core.knowledge.part_kinds import part_kinds
from kestov_core.knowledge.tasks import BY_MATERIAL, STAGES, Every, Task, TaskMended, table, tasks

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

    @given(st.sets(st.sampled_from(IDS)))
    def test_no_task_comes_after_one_that_undoes_it(self, off):
        order = list(table([{t: TaskMended(off=True) for t in off}]))
        self.assertEqual(sorted(order), sorted(set(IDS) - off))
        for i, earlier in enumerate(order):
            for later in order[i + 1 :]:
                self.assertNotIn(earlier, tasks()[later].before, f"{later} undoes {earlier}")
        for first, then in NEVER_AFTER:
            if first in order and then in order:
                self.assertGreater(order.index(first), order.index(then), (first, then))

    def test_unplugged_work_is_together_and_comes_first(self):
        states = [t.state for t in tasks().values()]
        last = len(states) - 1 - states[::-1].index("unplugged")
        self.assertEqual(set(states[: last + 1]), {"unplugged"})
        self.assertEqual({t.stage for t in tasks().values()} - set(STAGES), set())


class Layers(unittest.TestCase):
    def test_the_makers_goes_before_the_workshops_and_that_before_the_typical(self):
        shop = {"belts": TaskMended(every=Every(days=60, hours=300), caution="Hands out, always.")}
        maker = {"belts": TaskMended(every=Every(hours=100))}
        belts = table([shop, maker])["belts"]
        self.assertEqual((belts.every_days, belts.every_hours), (None, 100))
        self.assertEqual(belts.caution, "Hands out, always.")
        self.assertEqual(table([shop])["belts"].every, Every(days=60, hours=300))
        self.assertEqual(table()["belts"], tasks()["belts"])

    def test_what_is_not_done_is_gone_unless_the_maker_asks_for_it(self):
        self.assertNotIn("idlers", table([{"idlers": TaskMended(off=True)}]))
        self.assertIn("idlers", table([{"idlers": TaskMended(off=False)}]))

    def test_an_interval_of_nothing_and_an_empty_caution_are_refused(self):
        for wrong in (
            {"every": {}},
            {"every": {"days": 0}},
            {"every": {"hours": -5}},
            {"caution": ""},
            {"stage": "test"},
        ):
            with self.assertRaises(ValueError):
                TaskMended.model_validate(wrong)

    def test_a_task_of_ones_own_goes_at_the_end_of_its_stage(self):
        own = Task(
            id="own_1", label="Seals greased", every_days=90, parts=[], state="unplugged", stage="guides", minutes=4,
            steps=["Grease the seals."], tools=[], caution="Unplugged.", trouble="Torn.",
        )  # fmt: skip
        order = list(table(own=[own]))
        self.assertEqual(order[order.index("guides") + 1], "own_1")

    @given(st.permutations(IDS))
    def test_an_order_that_undoes_itself_is_refused_any_other_holds(self, wanted):
        undone = any(later in wanted[:i] for i, t in enumerate(wanted) for later in tasks()[t].before)
        if undone:
            with self.assertRaises(BadInput):
                table(order=wanted)
        else:
            self.assertEqual(list(table(order=wanted)), wanted)

    @given(st.sampled_from(IDS), st.sampled_from(IDS))
    def test_moved_before_another_it_stands_there_or_is_refused(self, one, other):
        order = [t for t in tasks() if t != one]
        order.insert(order.index(other) if other in order else 0, one)
        try:
            found = list(table(order=order))
        except BadInput as e:
            self.assertEqual(e.code, "undoes")
        else:
            self.assertEqual(found, order)

    def test_what_an_order_does_not_name_stays_behind_what_it_followed(self):
        order = [t for t in tasks() if t not in ("belts", "spares")]
        self.assertEqual(list(table(order=order)), list(tasks()))

    def test_stretched_in_figures_that_one_would_say(self):
        self.assertEqual(Every(days=30, hours=150, kg=1.5).times(1.29), Every(days=39, hours=190, kg=1.9))
        self.assertEqual(Every(days=1).times(0.5), Every(days=1))
        self.assertEqual(Every(days=3650, hours=1e5).times(1.5), Every(days=3650, hours=1e5))


if __name__ == "__main__":
    unittest.main()
