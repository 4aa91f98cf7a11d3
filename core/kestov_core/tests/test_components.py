"""The parts of a machine: every position once, by its guides; and a condition that is derived from what tells of it."""

import unittest

from hypothesis import given, settings
from hypothesis import strategies as st

from kestov_core import knowledge, procedures
from kestov_core.condition import ORDER
from kestov_core.condition.components import Speaks, condition_of_part, positions
from kestov_core.knowledge.part_kinds import part_kinds
from kestov_core.machine import Description

from .test_baseline import CROSSED, SLINGER

BELT = part_kinds()["belt"]


def known(measured=(), inspected=None, confirmed=(), share=None, kind=BELT):
    return condition_of_part(kind, measured, inspected, confirmed, share)


class Positions(unittest.TestCase):
    def test_each_once_in_words_of_their_own(self):
        for motion in (CROSSED, SLINGER):
            found = positions(motion)
            self.assertEqual(len({(p.kind.id, p.place) for p in found}), len(found))
            self.assertEqual(len({p.label for p in found}), len(found))

    def test_belts_screws_and_motors_as_the_machine_has_them(self):
        def at(kind):
            return {p.place for p in positions(CROSSED) if p.kind.id == kind}

        self.assertEqual((at("belt"), at("pulley"), at("screw"), at("nut")), ({"a", "b"}, {"a", "b"}, {"z1"}, {"z1"}))
        self.assertEqual(at("motor"), {"a", "b", "z1", "e"})
        self.assertEqual((at("plate"), at("joints"), at("nozzle"), at("fans")), ({"bed"}, {"frame"}, {"e"}, {"all"}))

    def test_what_slides_is_by_the_guide_of_its_axis(self):
        told = SLINGER.model_dump(mode="json") | {"guides": {"x": "rails", "y": "rollers"}}
        kinds = {
            p.place: p.kind.id
            for p in positions(Description.model_validate(told))
            if p.kind.at == "guide" and p.kind.guides
        }
        self.assertEqual(kinds, {"x": "ball_carriages", "y": "rollers", "z": "ball_bushings"})

    def test_every_kind_of_guide_has_something_that_slides_on_it(self):
        covered = {g for k in part_kinds().values() for g in k.guides}
        self.assertEqual(covered, {"rods_ball", "rods_polymer", "rails", "tubes_polymer", "rollers"})

    def test_carbon_and_polymer_are_never_oiled(self):
        for kind in part_kinds().values():
            if {"tubes_polymer", "rollers"} & set(kind.guides):
                self.assertNotIn("lubricate", kind.can)
                self.assertTrue(kind.lubricant.startswith("None"))

    def test_faults_that_wear_sit_in_a_part(self):
        held = {f for k in part_kinds().values() for f in k.faults}
        without = [f.id for f in knowledge.faults().values() if f.wears and f.id not in held]
        self.assertLessEqual(len(without), 3, without)

    def test_what_tells_of_a_part_measures_its_kind_of_place(self):
        kinds = {
            "belt": {"belt"},
            "motor": {"motor"},
            "guide": {"axis"},
            "screw": {"screw"},
            "bed": {"bed"},
            "frame": {"frame"},
            "e": {"axis"},
        }
        for kind in part_kinds().values():
            for name in kind.told_by:
                self.assertIn(procedures.get(name).measures, kinds[kind.at], (kind.id, name))


class Derived(unittest.TestCase):
    def test_nothing_known_says_what_would_tell(self):
        found = known()
        self.assertEqual((found.condition, found.speaks), ("not_known", ()))
        self.assertIn("Teeth whole".lower(), found.would_tell.lower())

    def test_the_worst_speaks_first_and_all_are_told(self):
        found = known(
            [Speaks("sound", "Tracks.", 3), Speaks("out_of_adjustment", "Slack.", 5)], Speaks("sound", "Clean.", 1)
        )
        self.assertEqual(found.condition, "out_of_adjustment")
        self.assertEqual([s.words for s in found.speaks], ["Slack.", "Clean.", "Tracks."])

    def test_an_old_look_says_nothing(self):
        found = known(inspected=Speaks("sound", "Clean.", 400))
        self.assertEqual(found.condition, "not_known")
        self.assertIn("long ago", found.speaks[0].words)

    def test_age_alone_makes_nothing_sound_but_watches_the_old(self):
        self.assertEqual(known(share=0.3).condition, "not_known")
        self.assertEqual(known(share=0.85).condition, "watch")
        self.assertIn("past its expected life", known(share=1.4).speaks[0].words)
        self.assertEqual(known([Speaks("sound", "In band.", 2)], share=0.3).condition, "sound")

    def test_what_a_case_confirmed_is_worn(self):
        self.assertEqual(known([Speaks("sound", "In band.", 2)], confirmed=["belt worn"]).condition, "worn")

    @settings(max_examples=60, deadline=None)
    @given(
        st.lists(st.sampled_from(ORDER), max_size=4),
        st.none() | st.floats(0, 3),
    )
    def test_it_is_never_better_than_what_speaks(self, told, share):
        found = known([Speaks(c, c, 1.0) for c in told], share=share)
        for c in told:
            if c != "not_known":
                self.assertGreaterEqual(ORDER.index(found.condition), ORDER.index(c))


if __name__ == "__main__":
    unittest.main()
