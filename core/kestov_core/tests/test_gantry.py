"""gantry: the beam's slope against the closed form, what each screw wants, whole motor cycles, and the simulator's beam."""

import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from kestov_core import procedures
from kestov_core.course import Stage, course
from kestov_core.errors import BadInput
from kestov_core.quantities import Quantity
from kestov_core.simulator.frame import SimBeam, SimBed
from kestov_core.simulator.machine import SimMachine
from kestov_core.turned import TurnedStep, answers

SCREWS = [
    {"name": "left", "x_mm": 0.0, "lead_mm": 8.0, "raise": "clockwise"},
    {"name": "right", "x_mm": 200.0, "lead_mm": 8.0, "raise": "clockwise"},
]


def gaps(tilt, noise=0.0, seed=1, n=5, step=0.0):
    rng = np.random.default_rng(seed)
    out = []
    for x in np.linspace(10, 190, n):
        h = 40 + tilt * x / 100 + rng.normal(0, noise)
        out.append({"x_mm": float(x), "height_mm": float(round(h / step) * step if step else h)})
    return out


GOOD = {"gantry": ({"probe": gaps(0.2, 0.004, step=0.01), "screws": SCREWS}, None)}


def run(probe, screws=SCREWS, **context):
    return procedures.run("gantry", {"probe": probe, "screws": screws, **context})


class Gantry(unittest.TestCase):
    def test_the_slope_and_the_turn_come_out_whole(self):
        result = run(gaps(0.2), resolution_mm=0.0)
        self.assertAlmostEqual(result.tilt.value, 0.2, places=9)
        right = result.screws[1]
        self.assertAlmostEqual(right.turns.value, 0.4 / 8, places=9)
        self.assertAlmostEqual(right.degrees.value, 18.0, places=6)
        self.assertEqual((right.direction, result.screws[0].direction), ("anticlockwise", None))
        self.assertAlmostEqual(result.skew_of_part.value, 0.2)
        self.assertEqual(result.findings[0].state, "present")

    def test_which_screw_is_left_alone_can_be_said_and_a_lifted_bed_turns_the_other_way(self):
        result = run(gaps(0.2), fixed="right")
        self.assertEqual([s.direction for s in result.screws], ["clockwise", None])
        lifted = run(gaps(0.2), lifts="bed")
        self.assertEqual(lifted.screws[1].direction, "clockwise")
        reverse = [SCREWS[0], SCREWS[1] | {"raise": "anticlockwise"}]
        self.assertEqual(run(gaps(0.2), reverse).screws[1].direction, "clockwise")

    def test_on_one_driver_it_is_whole_cycles_and_within_one_nothing(self):
        result = run(gaps(0.2), motors_on_driver=2, resolution_mm=0.0)
        self.assertAlmostEqual(result.smallest_step.value, 0.16)
        self.assertEqual(result.screws[1].cycles, -2)
        self.assertAlmostEqual(result.screws[1].turns.value, 2 * 4 / 200)
        self.assertAlmostEqual(result.advice[0].expect.value, 0.04, places=9)
        small = run(gaps(0.07), motors_on_driver=2, resolution_mm=0.0, reading_u95_mm=0.005)
        self.assertEqual((small.verdict, small.screws[1].turns.value), ("out_of_tolerance", 0.0))
        self.assertIn("As good as it gets by hand", small.advice[0].reason)

    def test_level_is_left_alone_and_so_is_what_cannot_be_told(self):
        self.assertEqual(run(gaps(0.02, 0.002)).advice, [])
        near = run(gaps(0.05, 0.01, seed=2))
        self.assertEqual((near.verdict, near.advice[0].action), ("cannot_tell", "measure_again"))
        self.assertIn("Turn nothing", near.schools[0].answer)

    def test_both_schools_answer_side_by_side(self):
        result = run(gaps(0.2), school="both", resolution_mm=0.0)
        self.assertEqual([s.direction for s in result.screws], ["clockwise", "anticlockwise"])
        self.assertAlmostEqual(result.screws[0].turns.value, 0.025)
        self.assertEqual([s.chosen for s in result.schools], [False, True])
        self.assertIn("18°", result.schools[0].answer)

    def test_the_uncertainty_covers_the_truth_as_often_as_it_says(self):
        inside = []
        for seed in range(400):
            tilt = run(gaps(0.1, 0.02, seed, n=6)).tilt
            inside.append(abs(tilt.value - 0.1) <= tilt.u95)
        self.assertGreaterEqual(np.mean(inside), 0.92)
        self.assertLessEqual(np.mean(inside), 0.98)

    def test_to_the_bed_it_says_what_else_is_in_it(self):
        codes = lambda r: [w.code for w in r.warnings]  # noqa: E731
        self.assertIn("bed_not_known", codes(run(gaps(0.2))))
        self.assertNotIn("bed_not_known", codes(run(gaps(0.2), against="frame")))
        self.assertIn("few_readings", codes(run(gaps(0.2, n=2))))

    def test_bad_input_is_refused_at_its_field(self):
        for probe, screws, more, field in (
            ([{"x_mm": 5.0, "height_mm": 1.0}] * 3, SCREWS, {}, "probe"),
            (gaps(0.1), [SCREWS[0], SCREWS[0] | {"x_mm": 9.0}], {}, "screws"),
            (gaps(0.1), [SCREWS[0], SCREWS[1] | {"x_mm": 0.0}], {}, "screws"),
            (gaps(0.1), SCREWS, {"fixed": "middle"}, "fixed"),
            (gaps(0.1), SCREWS[:1], {}, "screws"),
        ):
            with self.assertRaises(BadInput) as e:
                run(probe, screws, **more)
            self.assertEqual(e.exception.field, field)

    def test_following_the_advice_on_the_simulated_beam_levels_it_in_rounds(self):
        machine = SimMachine(belts={}, seed=5, beam=SimBeam(tilt=0.3, answers=0.8), bed=SimBed(width_mm=200))
        procedure = procedures.get("gantry")
        history, stages, sizes = [], [], []
        for round_ in range(6):
            rows = procedure.stand_in(machine, "z", round_, {}).rows
            result = run(rows, against="frame", history=history, fixed="left")
            while result.verdict == "cannot_tell" and len(rows) < 60:
                rows += procedure.stand_in(machine, "z", 100 + len(rows), {}).rows
                result = run(rows, against="frame", history=history, fixed="left")
            sizes.append(abs(machine.true_beam().tilt))
            stages.append(Stage(quantity=result.tilt, verdict=result.verdict, turned=bool(result.advice)))
            if result.verdict in ("in_tolerance", "watch"):
                break
            turn = result.advice[0]
            self.assertEqual(turn.action, "turn")
            amount = turn.amount.value * (1 if turn.direction == "clockwise" else -1)
            machine = procedure.turned.turn(machine, "z", turn.target, amount, result.model_dump())
            before = {t.target: t.at.value for t in result.turnables}
            after = run(procedure.stand_in(machine, "z", 50 + round_, {}).rows, fixed="left")
            history.append(
                {
                    "turned": {turn.target: amount},
                    "before_mm": before,
                    "after_mm": {t.target: t.at.value for t in after.turnables},
                    "u95_mm": 0.02,
                }
            )
        self.assertEqual(sizes, sorted(sizes, reverse=True))
        self.assertLess(sizes[-1], 0.05)
        self.assertEqual(course(stages).state, "holds")
        self.assertGreater(course(stages).improvement.value, 75)

    @settings(max_examples=60, deadline=None)
    @given(st.floats(-0.5, 0.5), st.floats(-400, 400), st.floats(30, 500), st.floats(-50, 50))
    def test_where_the_axis_begins_and_the_gauge_was_set_to_nothing_do_not_count(self, tilt, begins, wide, zero):
        def at(x0, z0):
            probe = [{"x_mm": x0 + wide * i / 4, "height_mm": z0 + tilt * wide * i / 400} for i in range(5)]
            screws = [SCREWS[0] | {"x_mm": x0}, SCREWS[1] | {"x_mm": x0 + wide}]
            return run(probe, screws, resolution_mm=0.0)

        one, other = at(0.0, 0.0), at(begins, zero)
        self.assertAlmostEqual(one.tilt.value, other.tilt.value, places=6)
        self.assertAlmostEqual(one.screws[1].turns.value, abs(tilt) * wide / 100 / 8, places=6)


class WhatTurningTaught(unittest.TestCase):
    def step(self, turned, got, u95=0.01):
        zero = dict.fromkeys(("a", "b"), 0.0)
        return TurnedStep(turned=turned, before_mm=zero, after_mm=zero | got, u95_mm=u95)

    def test_many_sure_steps_outweigh_the_book(self):
        steps = [self.step({"b": 0.5}, {"b": 0.2})] * 10
        found = answers(steps, {"a": 0.5, "b": 0.5})
        self.assertAlmostEqual(found.value, 0.8, delta=0.03)
        self.assertLess(found.u95, 0.1)

    def test_what_all_screws_share_drops_out(self):
        steps = [self.step({"a": 0.5, "b": 0.5}, {"a": 0.1, "b": 0.1})]
        self.assertIsNone(answers(steps, {"a": 0.5, "b": 0.5}))

    def test_unsure_steps_leave_it_by_the_book(self):
        found = answers([self.step({"b": 0.1}, {"b": 0.5}, u95=5.0)], {"a": 0.5, "b": 0.5})
        self.assertAlmostEqual(found.value, 1.0, delta=0.02)
        self.assertIsNone(answers([], {"a": 0.5}))


class Courses(unittest.TestCase):
    def stage(self, value, verdict="out_of_tolerance", u95=0.02):
        return Stage(quantity=Quantity(value=value, u95=u95, unit="mm"), verdict=verdict, turned=True)

    def test_each_course_has_its_word(self):
        for values, last, state in (
            ([0.4], "out_of_tolerance", "first"),
            ([0.4, 0.2], "out_of_tolerance", "helps"),
            ([0.4, -0.2], "out_of_tolerance", "helps"),
            ([0.4, 0.41], "out_of_tolerance", "no_longer_helps"),
            ([0.4, -0.6], "out_of_tolerance", "worse"),
            ([0.4, 0.05], "cannot_tell", "cannot_tell"),
            ([0.4, 0.03], "in_tolerance", "holds"),
        ):
            stages = [self.stage(v) for v in values[:-1]] + [self.stage(values[-1], last)]
            self.assertEqual(course(stages).state, state, values)
        self.assertIsNone(course([]))

    def test_the_improvement_has_the_spread_of_both_rounds(self):
        found = course([self.stage(0.4), self.stage(0.1)]).improvement
        rng = np.random.default_rng(3)
        a, b = 0.4 + rng.normal(0, 0.01, 200_000), 0.1 + rng.normal(0, 0.01, 200_000)
        self.assertAlmostEqual(found.value, 75.0)
        self.assertAlmostEqual(found.u95, 1.96 * float(np.std(100 * (1 - b / a))), delta=0.25)


if __name__ == "__main__":
    unittest.main()
