"""Simulated machines that ail: what they show follows from their quantities, and goes when the quantity is sound."""

import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from kestov_core import knowledge
from kestov_core.simulator.ailing import CAUSES, ail, can_have, draw, places_for, sound_machine
from kestov_core.simulator.signs import signs

KINEMATICS = ("bed_slinger", "fixed_bed", "corexy", "delta", "belt_bed")


def ailing(kinematics, fault, seed=1):
    rng = np.random.default_rng(seed)
    machine = sound_machine(kinematics, rng)
    machine.homing.update({"x": "friction", "y": "friction", "z": "nozzle_probe"})
    ail(machine, fault, rng)
    return machine


def share(kinematics, fault, finding, n=60):
    """In how many of n such machines a finding is there."""
    return sum(signs(ailing(kinematics, fault, s), s).there(finding) for s in range(n)) / n


class Sound(unittest.TestCase):
    def test_a_sound_machine_shows_hardly_anything(self):
        for kinematics in KINEMATICS:
            shown = [
                len(
                    signs(sound_machine(kinematics, np.random.default_rng(s)), s).at.keys()
                    - {"swap_filament_cures", "swap_machine_cures"}
                    # How it was printed is no trouble.
                    - {k.id for k in knowledge.findings().values() if k.group == "circumstance"}
                )
                for s in range(40)
            ]
            self.assertLess(np.mean(shown), 1.0, kinematics)

    def test_the_same_seed_is_the_same_machine(self):
        one, two = draw("corexy", 7), draw("corexy", 7)
        self.assertEqual((one.values, one.truth, one.events), (two.values, two.truth, two.events))
        self.assertEqual(signs(one, 3).at, signs(two, 3).at)


class Shown(unittest.TestCase):
    def test_every_cause_is_a_fault_of_the_list_and_is_met_or_found(self):
        self.assertLessEqual(set(CAUSES), set(knowledge.faults()))
        for fault in CAUSES:
            shown = set()
            for kinematics in KINEMATICS:
                for s in range(6):
                    machine = (
                        ailing(kinematics, fault, s)
                        if can_have(sound_machine(kinematics, np.random.default_rng(s)), fault)
                        else None
                    )
                    shown |= set(signs(machine, s).at) if machine else set()
            self.assertGreater(len(shown - {"swap_machine_cures", "swap_filament_cures"}), 0, fault)

    def test_what_is_shown_is_in_the_vocabulary(self):
        for seed in range(120):
            for finding in signs(draw(KINEMATICS[seed % 5], seed, 1 + seed % 2), seed).at:
                self.assertIn(finding, knowledge.findings())
                self.assertFalse(knowledge.findings()[finding].either, finding)

    def test_mechanics_go_the_way_that_physics_has(self):
        self.assertGreater(share("bed_slinger", "belt_slack", "belt_slack"), 0.95)
        self.assertGreater(share("bed_slinger", "belt_slack", "echoes_after_corners"), 0.3)
        self.assertLess(share("bed_slinger", "belt_slack", "strings"), 0.05)
        self.assertGreater(share("corexy", "moves_too_hard", "only_fast"), 0.5)
        self.assertGreater(share("bed_slinger", "screw_bent", "bands_regular"), 0.8)
        self.assertGreater(share("bed_slinger", "damp_filament", "swap_filament_cures"), 0.9)
        self.assertLess(share("bed_slinger", "belt_worn", "swap_filament_cures"), 0.05)
        self.assertGreater(share("bed_slinger", "frame_out_of_square", "frame_leans"), 0.9)
        self.assertLess(share("bed_slinger", "skew_stale", "frame_leans"), 0.05)
        self.assertGreater(share("bed_slinger", "skew_stale", "squareness_off"), 0.8)

    def test_a_crossed_belt_shows_on_both_axes(self):
        both = [signs(ailing("corexy", "grub_screw_loose", s), s).at.get("backlash_found", set()) for s in range(30)]
        self.assertGreater(sum({"x", "y"} <= b for b in both), 15)

    @settings(max_examples=40, deadline=None)
    @given(st.sampled_from(KINEMATICS), st.integers(1, 10_000), st.integers(1, 2))
    def test_faults_sit_where_they_can(self, kinematics, seed, how_many):
        machine = draw(kinematics, seed, how_many)
        self.assertEqual(len({f for f, _ in machine.truth}), how_many)
        for fault, place in machine.truth:
            self.assertIn(place, places_for(machine, CAUSES[fault].where))
            self.assertTrue(not CAUSES[fault].on or kinematics in CAUSES[fault].on)


if __name__ == "__main__":
    unittest.main()
