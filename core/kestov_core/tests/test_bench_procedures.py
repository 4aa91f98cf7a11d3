"""ripple-source, layer-shift, steps, backlash, motor-current: closed forms, the simulator, and what is left open."""

import math
import re
import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from kestov_core import gcode
from kestov_core.errors import BadInput
from kestov_core.procedures import run
from kestov_core.simulator.instruments import SimTravel, reversal_csv, ripple_counts, shift_readings, travel_readings

BELT = {"kind": "belt", "pitch_mm": 2.0, "teeth": 20}
CROSSED = {"kinematics": "corexy", "transmissions": {"a": BELT, "b": BELT}}
SLINGER = {
    "kinematics": "bed_slinger",
    "transmissions": {"x": BELT, "y": BELT, "z": {"kind": "screw", "lead_mm": 8.0, "thread_pitch_mm": 2.0}},
}


class RippleSource(unittest.TestCase):
    def top(self, direction, observations, machine):
        result = run("ripple-source", {"direction": direction, "observations": observations, "machine": machine})
        return result, result.sources[0]

    def test_a_spacing_that_grows_with_speed_is_timed(self):
        observations = [{"speed_mm_s": v, "spacing_mm": v / 45.0, "u95_mm": 0.03} for v in (50, 100)]
        result, best = self.top("x", observations, {**CROSSED, "modes_hz": {"x": [45.5]}})
        self.assertAlmostEqual(result.speed_exponent.value, 1, delta=0.03)
        self.assertEqual((result.family, best.source, best.axis), ("timed", "resonance", "x"))
        self.assertAlmostEqual(result.timed_frequency.value, 45, delta=1)

    def test_a_spacing_that_stays_is_a_length_and_which(self):
        for direction, machine, period, source in (
            ("x", CROSSED, 2.0, "belt_tooth"),
            ("y", SLINGER, 40.0, "pulley_turn"),
            ("x", SLINGER, 0.8, "four_step_cycle"),
            ("z", SLINGER, 8.0, "screw_lead"),
        ):
            observations = [{"speed_mm_s": v, "spacing_mm": period, "u95_mm": 0.01 * period} for v in (40, 90)]
            result, best = self.top(direction, observations, machine)
            self.assertEqual((result.family, best.source), ("geometric", source))
            self.assertAlmostEqual(result.speed_exponent.value, 0, delta=0.05)

    def test_at_one_speed_both_families_stay_open(self):
        result, _ = self.top("x", [{"speed_mm_s": 80, "spacing_mm": 2.0, "u95_mm": 0.02}], CROSSED)
        self.assertIsNone(result.speed_exponent)
        self.assertEqual(result.family, "open")
        timed = sum(s.probability for s in result.sources if s.family == "timed")
        self.assertTrue(0.1 < timed < 0.9)
        self.assertEqual(result.advice[0].action, "print_at_another_speed")
        self.assertEqual({f.state for f in result.findings}, {"unknown"})

    def test_what_nothing_explains_is_something_else(self):
        observations = [{"speed_mm_s": v, "spacing_mm": 5.3, "u95_mm": 0.02} for v in (40, 90)]
        _, best = self.top("x", observations, CROSSED)
        self.assertEqual(best.source, "other_length")

    def test_counting_gives_the_spacing_and_divides_its_uncertainty(self):
        result, _ = self.top("x", [{"speed_mm_s": 80, "count": 10, "distance_mm": 20.0, "u95_mm": 0.2}], CROSSED)
        self.assertAlmostEqual(result.spacing.value, 2.0)
        self.assertAlmostEqual(result.spacing.u95, 0.02)

    def test_chances_sum_to_one_and_every_source_says_what_to_check(self):
        result, _ = self.top("x", [{"speed_mm_s": 80, "spacing_mm": 1.1}], {**SLINGER, "fans_hz": [80.0]})
        self.assertAlmostEqual(sum(s.probability for s in result.sources), 1, places=9)
        self.assertTrue(all(s.check and s.expected_mm > 0 for s in result.sources))

    def test_half_a_period_is_the_second_order(self):
        observations = [{"speed_mm_s": v, "spacing_mm": 20.0, "u95_mm": 0.1} for v in (40, 90)]
        _, best = self.top("y", observations, SLINGER)
        self.assertEqual((best.source, best.order), ("pulley_turn", 2))

    def test_counts_on_a_simulated_print_lead_back_to_its_mode(self):
        rows = [(v, *ripple_counts(52.0, v, 8, 1, seed=v)[0]) for v in (60, 120, 120)]
        observations = [{"speed_mm_s": v, "count": n, "distance_mm": d} for v, n, d in rows]
        result, best = self.top("x", observations, {**CROSSED, "modes_hz": {"x": [51.0], "y": [39.0]}})
        self.assertEqual(best.source, "resonance")
        self.assertLessEqual(abs(result.timed_frequency.value - 52), 2 * result.timed_frequency.u95)

    def test_a_spacing_or_a_count_is_needed(self):
        with self.assertRaises(BadInput):
            self.top("x", [{"speed_mm_s": 80}], CROSSED)


class LayerShift(unittest.TestCase):
    def shifted(self, x, y, machine, **more):
        return run("layer-shift", {"shift_x_mm": x, "shift_y_mm": y, **machine, **more})

    def test_a_tooth_on_one_belt_of_a_crossed_pair(self):
        result = self.shifted(1.0, 1.02, CROSSED, u95_mm=0.08)
        best = result.mechanisms[0]
        self.assertEqual((best.mechanism, best.motor), ("tooth_jump", "a"))
        a, b = result.motors
        self.assertAlmostEqual(a.teeth, 1.01)
        self.assertAlmostEqual(a.travel.u95, 0.08 * math.sqrt(2))
        self.assertAlmostEqual(b.travel_mm, -0.02)
        self.assertIn(("step_whole_teeth", "a", "present"), [(f.finding, f.axis, f.state) for f in result.findings])

    def test_what_both_explain_is_left_open(self):
        # Two teeth of 2 mm are five cycles of 0.8 mm.
        result = self.shifted(4.0, 0.0, SLINGER)
        kinds = {m.mechanism: m.probability for m in result.mechanisms if m.motor == "x"}
        self.assertTrue(kinds["tooth_jump"] > 0.1 and kinds["lost_cycles"] > 0.1)
        self.assertEqual({f.state for f in result.findings}, {"unknown"})

    def test_cycles_without_a_tooth(self):
        result = self.shifted(0.0, -1.6, SLINGER, u95_mm=0.06)
        self.assertEqual((result.mechanisms[0].mechanism, result.mechanisms[0].motor), ("lost_cycles", "y"))
        self.assertEqual(next(m for m in result.motors if m.motor == "y").whole_cycles, -2)

    def test_creeping_by_no_unit_is_a_pulley_that_slips(self):
        result = self.shifted(0.33, 0.0, SLINGER, shifts=6, progressive=True, u95_mm=0.05)
        self.assertEqual(result.mechanisms[0].mechanism, "pulley_slip")

    def test_both_ways_by_no_unit_is_the_part(self):
        self.assertEqual(self.shifted(1.31, 0.77, SLINGER, u95_mm=0.05).mechanisms[0].mechanism, "part_moved")

    def test_a_delta_has_no_such_pair(self):
        with self.assertRaises(BadInput) as e:
            self.shifted(1.0, 0.0, {"kinematics": "delta", "transmissions": {"t1": BELT}})
        self.assertEqual(e.exception.code, "not_for_this_kinematics")

    def test_a_motor_without_its_drive_is_asked_for(self):
        with self.assertRaises(BadInput) as e:
            self.shifted(1.0, 0.0, {"kinematics": "bed_slinger", "transmissions": {"x": BELT}})
        self.assertEqual(e.exception.field, "transmissions.y")

    @given(st.sampled_from("ab"), st.sampled_from([2.0, -2.0, 6.0, 0.8, -1.6, 2.4]), st.integers(0, 99))
    @settings(max_examples=30, deadline=None)
    def test_calipers_on_a_simulated_shift_lead_back_to_the_motor(self, motor, travel, seed):
        x, y = shift_readings("corexy", motor, travel, seed)
        result = self.shifted(x, y, CROSSED, u95_mm=0.06)
        self.assertEqual(result.mechanisms[0].motor, motor)
        self.assertEqual(result.mechanisms[0].mechanism, "tooth_jump" if travel % 2 == 0 else "lost_cycles")


class WhoseRipples(unittest.TestCase):
    def weigh(self, modes, direction="x", kinematics="bed_slinger", **more):
        walls = [{"speed_mm_s": v, "spacing_mm": v / 52.0, "u95_mm": 0.03} for v in (60, 120)]
        machine = {"kinematics": kinematics, "transmissions": {"x": BELT, "y": BELT}, "modes_hz": modes}
        return run("ripple-source", {"direction": direction, "observations": walls, "machine": machine, **more})

    def test_ripples_are_as_a_rule_motion_across_the_wall(self):
        result = self.weigh({"x": [52.0], "y": [52.0]})
        chance = {s.axis: s.probability for s in result.sources if s.source == "resonance"}
        self.assertAlmostEqual(chance["y"] / chance["x"], 6.0, places=3)
        found = {f.finding: f.axis for f in result.findings}
        self.assertEqual(found, {"pattern_follows_speed": "y", "pattern_is_geometric": "x"})
        self.assertEqual(self.weigh({"x": [52.0], "y": [52.0]}, "y").sources[0].axis, "x")

    def test_a_mode_along_the_wall_is_possible_but_seldom(self):
        across = self.weigh({"y": [52.0]}).sources[0]
        along = next(s for s in self.weigh({"x": [52.0]}).sources if s.source == "resonance")
        self.assertEqual((across.source, across.axis), ("resonance", "y"))
        self.assertLess(along.probability, across.probability)

    def test_crossed_belts_shake_both_walls(self):
        for direction in ("x", "y"):
            result = self.weigh({"a": [52.0], "b": [70.0]}, direction, "corexy")
            self.assertEqual((result.sources[0].source, result.sources[0].axis), ("resonance", "a"))

    def test_what_is_timed_and_unknown_leads_to_the_axis_across(self):
        result = self.weigh({})
        self.assertEqual((result.sources[0].source, result.advice[-1].target), ("other_timed", "y"))
        self.assertIn("shake Y", result.advice[-1].reason)

    def test_drivers_just_changed_make_their_own_cycle_likelier(self):
        walls = [{"speed_mm_s": v, "spacing_mm": 0.8, "u95_mm": 0.02} for v in (60, 120)]
        machine = {"kinematics": "bed_slinger", "transmissions": {"x": BELT}}

        def cycle(changed):
            context = {"direction": "x", "observations": walls, "machine": machine, "drivers_changed": changed}
            sources = run("ripple-source", context).sources
            return next(s.probability for s in sources if s.source == "four_step_cycle")

        self.assertGreater(cycle(True), cycle(False))


class SharedCurrent(unittest.TestCase):
    def read(self, **more):
        at_driver = {} if "stored_rms_a" in more else {"reference_v": 1.0, "sense_ohm": 0.1, "gain": 5.0}
        return run("motor-current", {"rated_a": 1.5, **at_driver, **more})

    def test_motors_in_parallel_each_get_their_share(self):
        # 1 V / (5 * 0.1 ohm) = 2 A peak, 1.414 A r.m.s.: 94 % of 1.5 A for one motor, 47 % for each of two.
        one, two, series = self.read(), self.read(motors_on_driver=2), self.read(motors_on_driver=2, wiring="series")
        self.assertAlmostEqual(one.percent_of_rated.value, 94.28, places=2)
        self.assertAlmostEqual(two.percent_of_rated.value, 47.14, places=2)
        self.assertAlmostEqual(series.percent_of_rated.value, 94.28, places=2)
        self.assertAlmostEqual(two.driver_rms_current.value, one.rms_current.value)
        # Followed, the advice brings each motor to the middle of the band.
        volts = two.advice[0].amount.value
        after = run(
            "motor-current", {"rated_a": 1.5, "reference_v": volts, "sense_ohm": 0.1, "gain": 5, "motors_on_driver": 2}
        )
        self.assertAlmostEqual(after.percent_of_rated.value, 80.0, places=6)

    def test_a_stored_current_needs_no_reference(self):
        result = self.read(stored_rms_a=2.0)
        self.assertEqual((result.verdict, result.advice[0].amount.unit), ("out_of_tolerance", "A"))
        self.assertAlmostEqual(result.advice[0].amount.value, 1.2)
        self.assertNotIn("live", " ".join(result.cautions))
        for context, code, field in (
            ({"rated_a": 1.0}, "missing_field", "reference_v"),
            ({"rated_a": 1.0, "reference_v": 1.0, "sense_ohm": 0.1}, "missing_field", "gain"),
            ({"rated_a": 1.0, "reference_v": 1.0, "stored_rms_a": 1.0}, "out_of_range", "stored_rms_a"),
        ):
            with self.assertRaises(BadInput) as e:
                run("motor-current", context)
            self.assertEqual((e.exception.code, e.exception.field), (code, field))


class Steps(unittest.TestCase):
    def travelled(self, measured, **more):
        return run(
            "steps",
            {
                "axis": "x",
                "steps_per_mm": 80.0,
                "commanded_mm": 100.0,
                "measured_mm": measured,
                "transmission": BELT,
                **more,
            },
        )

    def test_theory_of_belt_screw_and_drive_gear(self):
        for drive, theory in (
            (BELT, 80.0),
            ({"kind": "screw", "lead_mm": 8.0}, 400.0),
            ({"kind": "extruder", "drive_diameter_mm": 11.0, "gear_ratio": 3.0}, 3 * 3200 / (math.pi * 11)),
        ):
            result = self.travelled([100.0], transmission=drive)
            self.assertAlmostEqual(result.theory_steps_per_mm, theory)
        self.assertAlmostEqual(self.travelled([100.0]).script.travel_per_turn_mm, 40.0)

    def test_nothing_is_changed_on_noise(self):
        result = self.travelled([100.02, 99.98, 100.01])
        self.assertEqual((result.basis, result.steps_per_mm_new.value), ("theory", 80.0))
        self.assertEqual([a.action for a in result.advice], ["leave"])

    def test_steps_that_are_off_are_mended_by_the_travel(self):
        # Theory agrees with the travel, the setting does not.
        result = self.travelled([98.78, 98.75, 98.77], steps_per_mm=79.0)
        self.assertEqual(
            (result.verdict, result.basis, result.steps_per_mm_new.value), ("out_of_tolerance", "theory", 80.0)
        )
        self.assertIn("M92 X80.0000", result.script.gcode)
        self.assertEqual(result.script.gcode.split()[-2:], ["M500", "M503"])

    @given(st.floats(0.985, 1.015), st.integers(0, 50))
    @settings(max_examples=30, deadline=None)
    def test_following_the_advice_brings_the_travel_right(self, scale, seed):
        before = travel_readings(SimTravel(scale=scale), 100.0, 5, seed)
        result = self.travelled(before, transmission={"kind": "extruder"}, axis="e")
        new = result.steps_per_mm_new.value
        after = 100.0 * scale * new / 80.0
        self.assertLessEqual(abs(after - 100), max(abs(100 * scale - 100), 0.06))

    def test_a_ratio_is_named_with_all_that_makes_it(self):
        half = self.travelled([50.01, 49.99])
        self.assertEqual(half.ratio_suspect[0].ratio, 0.5)
        self.assertEqual(half.advice[0].action, "check_ratio")
        pulley = self.travelled([80.0, 80.02])
        self.assertAlmostEqual(pulley.ratio_suspect[0].ratio, 0.8)
        self.assertIn("teeth", pulley.ratio_suspect[0].because)
        both = self.travelled([25.0, 25.01], transmission={"kind": "screw", "lead_mm": 8.0})
        self.assertEqual(len(both.ratio_suspect), 2)
        self.assertEqual({f.finding: f.state for f in both.findings}["steps_ratio"], "present")

    def test_marks_on_the_filament_are_a_travel_with_two_readings_in_it(self):
        drive = {"axis": "e", "steps_per_mm": 400.0, "commanded_mm": 100.0, "transmission": {"kind": "extruder"}}
        marks = run("steps", {**drive, "mark_before_mm": 120.0, "mark_after_mm": [24.9, 25.1, 25.0]})
        plain = run("steps", {**drive, "measured_mm": [95.1, 94.9, 95.0]})
        self.assertAlmostEqual(marks.travel.value, 95.0)
        self.assertGreater(marks.travel.u95, plain.travel.u95)
        self.assertAlmostEqual(marks.steps_per_mm_new.value, 400 / 0.95, places=6)
        for wrong, code, field in (
            ({}, "missing_field", "measured_mm"),
            ({"mark_before_mm": 20.0, "mark_after_mm": [25.0]}, "out_of_range", "mark_after_mm"),
            ({"measured_mm": []}, "too_few_rows", "measured_mm"),
        ):
            with self.assertRaises(BadInput) as e:
                run("steps", {**drive, **wrong})
            self.assertEqual((e.exception.code, e.exception.field), (code, field))

    def test_one_reading_is_not_enough_to_change_anything(self):
        result = self.travelled([99.0])
        self.assertIn("single_reading", [w.code for w in result.warnings])
        self.assertNotIn("set_steps", [a.action for a in result.advice])


class Backlash(unittest.TestCase):
    def test_the_standard_figures_by_hand(self):
        # Two targets, two cycles; deviations in hundredths: + 2, 4 and - 0, -2 at 10; + 1, 1 and - 1, 1 at 20.
        rows = "target_mm,approach,reading_mm\n" + "\n".join(
            f"{t},{s},{t + d / 100:.2f}"
            for t, s, d in (
                (10, "+", 2),
                (10, "+", 4),
                (10, "-", 0),
                (10, "-", -2),
                (20, "+", 1),
                (20, "+", 1),
                (20, "-", 1),
                (20, "-", 1),
            )
        )
        result = run("backlash", {}, rows.encode())
        s = math.sqrt(2) / 100
        self.assertAlmostEqual(result.reversal_value.value, 0.04)
        self.assertAlmostEqual(result.mean_reversal.value, 0.02)
        self.assertAlmostEqual(result.repeatability.value, 2 * s + 2 * s + 0.04)
        self.assertAlmostEqual(result.systematic_deviation.value, 0.04)
        self.assertAlmostEqual(result.accuracy.value, 0.03 + 2 * s - (-0.01 - 2 * s))
        self.assertIn("fewer_than_five_cycles", [w.code for w in result.warnings])

    @given(st.floats(0.0, 0.2), st.integers(0, 1000))
    @settings(max_examples=25, deadline=None)
    def test_the_simulated_lost_motion_is_found(self, backlash, seed):
        data = reversal_csv(SimTravel(backlash_mm=backlash), [20.0, 22.5, 25.0, 27.5], 5, seed)
        result = run("backlash", {"axis": "x"}, data)
        self.assertAlmostEqual(-result.mean_reversal.value, backlash, delta=0.008)
        self.assertGreaterEqual(result.repeatability.value, result.reversal_value.value)
        if abs(backlash - 0.05) > 0.03:
            self.assertEqual(result.verdict, "out_of_tolerance" if backlash > 0.05 else "in_tolerance")

    def test_bad_tables(self):
        for text, code, field in (
            ("target_mm,approach,reading_mm\n10,up,10.0\n", "bad_row", "approach"),
            ("target_mm,approach,reading_mm\n10,+,10.0\n10,-,10.0\n", "too_few_rows", "approach"),
            ("target_mm,approach\n10,+\n", "missing_column", "reading_mm"),
            ("target_mm,approach,reading_mm\n", "too_few_rows", "data"),
        ):
            with self.assertRaises(BadInput) as e:
                run("backlash", {}, text.encode())
            self.assertEqual((e.exception.code, e.exception.field), (code, field))


class MotorCurrent(unittest.TestCase):
    def test_peak_rms_and_share(self):
        result = run("motor-current", {"reference_v": 0.8, "sense_ohm": 0.1, "gain": 8.0, "rated_a": 1.0})
        self.assertAlmostEqual(result.peak_current.value, 1.0)
        self.assertAlmostEqual(result.rms_current.value, 1 / math.sqrt(2))
        self.assertAlmostEqual(result.percent_of_rated.value, 100 / math.sqrt(2))
        self.assertEqual(result.verdict, "in_tolerance")
        self.assertTrue(any("unpowered" in c for c in result.cautions))

    @given(st.floats(0.2, 2.0), st.floats(0.4, 2.5))
    @settings(max_examples=40, deadline=None)
    def test_following_the_advice_brings_it_into_the_band(self, volts, rated):
        context = {"reference_v": volts, "sense_ohm": 0.1, "gain": 8.0, "rated_a": rated, "axis": "x"}
        result = run("motor-current", context)
        if result.verdict == "out_of_tolerance":
            after = run("motor-current", {**context, "reference_v": result.advice[0].amount.value})
            self.assertEqual(after.verdict, "in_tolerance")
            state = {f.finding: f.state for f in result.findings}
            self.assertEqual(sorted(state.values()), ["absent", "present"])

    def test_a_hot_motor_at_the_drive_gears_is_warned_of(self):
        context = {"reference_v": 0.8, "sense_ohm": 0.1, "gain": 8.0, "rated_a": 1.0, "case_temperature_c": 70.0}
        self.assertTrue(any("softens filament" in c for c in run("motor-current", {**context, "axis": "e"}).cautions))
        self.assertFalse(any("softens filament" in c for c in run("motor-current", {**context, "axis": "x"}).cautions))


class Programs(unittest.TestCase):
    def test_a_reversal_test_visits_every_target_from_both_sides_and_keeps_its_limits(self):
        program = gcode.backlash_test("x", 100.0, 2.0, 5, 3, 0.0, 220.0)
        moves = [float(m) for m in re.findall(r"^G1 X([-\d.]+)", program, re.M)]
        self.assertTrue(all(5 <= m <= 215 for m in moves))
        reads = re.findall(r"Read ([\d.]+) mm, from ([+-]), cycle (\d)", program)
        self.assertEqual(len(reads), 5 * 2 * 3)
        self.assertEqual({r[1] for r in reads if r[0] == "104"}, {"+", "-"})
        position, ups, downs = moves[0], [], []
        for m in moves[1:]:
            (ups if m > position else downs).append(m)
            position = m
        for t in (100, 102, 104, 106, 108):
            self.assertTrue(t in ups and t in downs)

    def test_programs_only_move(self):
        for program in (
            gcode.backlash_test("y", 50, 2, 3, 2, 0, 200, pause_s=4),
            gcode.travel_test("z", 20, 100, 3, 0, 200),
        ):
            words = {line.split(";")[0].split()[0] for line in program.splitlines() if line.split(";")[0].strip()}
            self.assertLessEqual(words, {"G1", "G4", "G21", "G90", "M0", "M400"})
            self.assertNotRegex(program, r"\bE[\d.]")

    def test_what_would_leave_the_axis_is_refused(self):
        for make in (
            lambda: gcode.backlash_test("x", 1, 2, 5, 5, 0, 200),
            lambda: gcode.travel_test("x", 50, 200, 3, 0, 200),
            lambda: gcode.travel_test("e", 50, 20, 3, 0, 200),
            lambda: gcode.backlash_test("x", 50, -2, 5, 5, 0, 200),
        ):
            with self.assertRaises(BadInput) as e:
                make()
            self.assertEqual(e.exception.code, "out_of_range")


class Readings(unittest.TestCase):
    def test_instruments_show_in_their_own_steps(self):
        for value in travel_readings(SimTravel(), 100.0, 20, 1):
            self.assertAlmostEqual(value * 100, round(value * 100))
        for value in travel_readings(SimTravel(), 300.0, 20, 1):
            self.assertAlmostEqual(value * 2, round(value * 2))
        spread = np.std(travel_readings(SimTravel(), 100.0, 200, 2))
        self.assertTrue(0.01 < spread < 0.025)
