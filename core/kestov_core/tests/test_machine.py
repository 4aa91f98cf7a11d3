"""Motor and axis coordinates, tensioners, descriptions."""

import unittest

from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from kestov_core.errors import BadInput
from kestov_core.machine import Description, Tensioner, axis_travel, motor_travel, newtons_per_turn

BELT = {"kind": "belt", "loop_length_mm": 1000}


class Coordinates(unittest.TestCase):
    @given(st.floats(-300, 300), st.floats(-300, 300))
    def test_crossed_belts_there_and_back(self, dx, dy):
        motors = motor_travel("corexy", dx, dy)
        self.assertAlmostEqual(motors["a"], dx + dy)
        back = axis_travel("corexy", motors)
        self.assertAlmostEqual(back[0], dx)
        self.assertAlmostEqual(back[1], dy)

    def test_a_tower_or_conveyor_has_no_such_pair(self):
        for kinematics in ("delta", "belt_bed"):
            with self.assertRaises(BadInput) as e:
                motor_travel(kinematics, 1, 0)
            self.assertEqual(e.exception.code, "not_for_this_kinematics")


class Tensioners(unittest.TestCase):
    def test_newtons_a_turn_in_closed_form(self):
        idler = Tensioner(thread_pitch_mm=0.7)
        # 15 kN over a loop of 1 m: 15 N per mm of belt; an idler takes two of belt for one of travel.
        self.assertAlmostEqual(newtons_per_turn(idler, 15000, 1000), 21.0)
        self.assertAlmostEqual(newtons_per_turn(Tensioner(thread_pitch_mm=0.7, wrap_deg=60), 15000, 1000), 10.5)
        self.assertAlmostEqual(
            newtons_per_turn(Tensioner(kind="threaded_clamp", thread_pitch_mm=0.5), 15000, 1000), 7.5
        )
        self.assertAlmostEqual(newtons_per_turn(Tensioner(kind="slider"), 15000, 1000), 30.0)

    def test_a_thread_without_pitch_is_asked_for(self):
        with self.assertRaises(BadInput) as e:
            newtons_per_turn(Tensioner(), 15000, 1000)
        self.assertEqual(e.exception.field, "tensioner.thread_pitch_mm")


class Descriptions(unittest.TestCase):
    def test_partner_of_a_pair(self):
        d = Description.model_validate(
            {"kinematics": "corexy", "transmissions": {"a": BELT, "b": BELT}, "pairs": [["a", "b"]]}
        )
        self.assertEqual((d.partner("a"), d.partner("b"), d.partner("z")), ("b", "a", None))

    def test_a_pair_names_belts_that_are_there(self):
        with self.assertRaises(ValidationError):
            Description.model_validate({"kinematics": "corexy", "transmissions": {"a": BELT}, "pairs": [["a", "b"]]})

    def test_a_misspelt_field_is_not_lost(self):
        with self.assertRaises(ValidationError):
            Description.model_validate({"kinematics": "corexy", "transmissions": {"a": {**BELT, "teeths": 20}}})
