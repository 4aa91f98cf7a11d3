"""play: the dead band apart from friction, against loops whose truth is known; what noise, haste and a half loop do to it."""

import math
import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from kestov_core import procedures
from kestov_core.errors import BadInput
from kestov_core.procedures.play import NUT, _turn
from kestov_core.simulator.guides import pushed, stiffness
from kestov_core.simulator.machine import SimMachine
from kestov_core.simulator.shaking import SimAxis, SimMode

CYCLE = [0, 5, 10, 15, 20, 15, 10, 5, 0, -5, -10, -15, -20, -15, -10, -5, 0]
TWICE = [float(f) for f in CYCLE + CYCLE[1:]]


def table(forces, at):
    rows = "".join(f"{f:g},{x:.7f}\n" for f, x in zip(forces, at, strict=True))
    return ("force_n,displacement_mm\n" + rows).encode()


def loop(gap=0.08, k=40.0, friction=1.5, noise=0.0, seed=1, forces=TWICE, k_pull=None, step=0.0):
    at = pushed(forces, gap, k, k_pull or k, friction, noise, seed)
    return table(forces, [round(x / step) * step for x in at] if step else at)


GOOD = {"play": ({"limit_mm": 0.05}, loop(noise=0.002, step=0.01))}


def run(data, **context):
    return procedures.run("play", context, data)


class Play(unittest.TestCase):
    def state(self, result):
        return next(f.state for f in result.findings if f.finding == "play_found")

    def codes(self, result):
        return [w.code for w in result.warnings]

    def test_the_closed_form_comes_out_whole(self):
        result = run(loop(0.08, 40.0, 1.5, k_pull=25.0), resolution_mm=0.0, indicator_u95_mm=0.0)
        self.assertAlmostEqual(result.play.value, 0.08, places=4)
        self.assertAlmostEqual(result.stiffness_push.value, 40.0, delta=0.1)
        self.assertAlmostEqual(result.stiffness_pull.value, 25.0, delta=0.1)
        self.assertAlmostEqual(result.friction.value, 1.5, delta=0.05)
        self.assertEqual((result.verdict, self.state(result)), ("out_of_tolerance", "present"))

    def test_without_a_gap_it_is_sound_and_friction_is_not_taken_for_play(self):
        for friction in (0.0, 1.0, 4.0):
            result = run(loop(0.0, 40.0, friction, noise=0.002, step=0.01))
            self.assertLess(result.play.value, 0.02, friction)
            self.assertEqual((result.verdict, self.state(result)), ("in_tolerance", "absent"), friction)
            self.assertEqual(result.play.low, 0.0)

    def test_the_area_of_the_loop_is_the_work_that_friction_takes(self):
        # A parallelogram on either side of the dead band: force 2 f apart over the spring's way, and the gap crossed both ways.
        forces = [
            float(f)
            for f in np.concatenate([np.linspace(0, 20, 81), np.linspace(20, -20, 161), np.linspace(-20, 0, 81)])
        ]
        forces += forces[1:]
        result = run(loop(0.1, 40.0, 1.5, forces=forces), resolution_mm=0.0)
        way = 0.1 + 2 * (20 - 1.5) / 40
        self.assertAlmostEqual(result.hysteresis.value, 2 * 1.5 * way, delta=0.12 * 2 * 1.5 * way)

    def test_the_uncertainty_covers_the_truth_as_often_as_it_says(self):
        inside = [
            abs(
                (
                    r := run(loop(0.06, 40.0, 1.5, noise=0.004, seed=s), indicator_u95_mm=0.0, resolution_mm=0.0)
                ).play.value
                - 0.06
            )
            <= r.play.u95
            for s in range(200)
        ]
        self.assertGreaterEqual(np.mean(inside), 0.90)
        self.assertLessEqual(np.mean(inside), 0.99)

    def test_more_cycles_make_it_surer(self):
        once = run(loop(noise=0.004, forces=[float(f) for f in CYCLE]))
        thrice = run(loop(noise=0.004, forces=[float(f) for f in CYCLE + CYCLE[1:] * 2]))
        self.assertLess(thrice.play.own, once.play.own)

    def test_near_the_limit_it_cannot_tell_and_says_what_would(self):
        result = run(loop(0.053, 40.0, 1.5, noise=0.004, seed=4))
        self.assertEqual((result.verdict, self.state(result)), ("cannot_tell", "unknown"))
        self.assertEqual(result.advice[0].action, "measure_again")

    def test_without_the_way_back_play_is_proven_but_never_its_absence(self):
        out_only = [0.0, 5, 10, 15, 20, 0, -5, -10, -15, -20]
        ways = [pushed(out_only[:5], g, 40, 40, 1.5) + pushed(out_only[5:], g, 40, 40, 1.5) for g in (0.01, 0.4)]
        # Let go between: only readings that go outward are left.
        some, much = (run(table(out_only[1:5] + out_only[6:], w[1:5] + w[6:])) for w in ways)
        self.assertIn("no_way_back", self.codes(some))
        self.assertEqual((some.verdict, much.verdict), ("cannot_tell", "out_of_tolerance"))
        self.assertIn("way back", some.advice[0].reason)
        self.assertIsNone(some.friction)

    def test_a_misread_figure_judges_nothing(self):
        at = pushed(TWICE, 0.0, 40.0, 40.0, 1.5, 0.002)
        at[12] += 0.5
        result = run(table(TWICE, at))
        self.assertEqual((result.verdict, result.advice[0].action), ("cannot_tell", "measure_again"))
        self.assertIn("-20 N", result.warnings[0].message)

    def test_pushed_too_little_friction_takes_it_all(self):
        weak = [f / 5 for f in TWICE]
        self.assertIn("pushed_too_little", self.codes(run(loop(0.02, 40.0, 3.0, forces=weak))))

    def test_one_side_that_holds_is_told_and_one_too_stiff_to_see_too(self):
        self.assertIn("one_side_softer", self.codes(run(loop(0.0, 60.0, 1.0, k_pull=12.0))))
        stiff = run(loop(0.03, 5000.0, 0.5, noise=0.003))
        self.assertIn("too_stiff_to_tell", self.codes(stiff))
        self.assertIsNone(stiff.stiffness_push)

    def test_following_the_advice_takes_it_out_and_the_resonance_hears_the_same_gap(self):
        loose = SimMachine(belts={}, axes={"x": SimAxis(modes=[SimMode(hz=45.0)], play_mm=0.06)})
        before = self.on(loose)
        self.assertAlmostEqual(before.play.value, 2 * 0.06, delta=before.play.u95)
        self.assertEqual(before.advice[0].action, "take_out_the_play")
        after = self.on(loose.model_copy(update={"axes": {"x": SimAxis(modes=[SimMode(hz=45.0)])}}))
        self.assertEqual((after.verdict, after.advice), ("in_tolerance", []))
        self.assertLessEqual(after.play.value, before.advice[0].expect.u95)
        self.assertAlmostEqual(after.stiffness_push.value, stiffness(45.0), delta=3 * after.stiffness_push.u95)

    def test_rollers_are_tightened_by_eighths_until_it_holds_and_what_a_turn_does_is_learned(self):
        machine = SimMachine(belts={}, axes={"x": SimAxis(modes=[SimMode(hz=45.0)], play_mm=0.28)})
        rollers = {"guide": "rollers", "pushed": "across"}
        history = []
        for _ in range(8):
            result = self.on(machine, **rollers, history=history)
            if result.verdict in ("in_tolerance", "watch"):
                break
            todo = result.advice[0]
            self.assertEqual((todo.action, todo.direction), ("turn", "tighter"))
            self.assertLessEqual(todo.amount.value, 0.125)
            after = _turn(machine, "x", NUT, -todo.amount.value, {})
            was = {NUT: result.play.value}
            machine, now = after, {NUT: self.on(after, **rollers).play.value}
            history.append({"turned": {NUT: -todo.amount.value}, "before_mm": was, "after_mm": now, "u95_mm": 0.01})
        self.assertEqual(result.advice, [])
        self.assertGreater(len(history), 1)
        # The simulated eccentric answers four fifths of the book's.
        self.assertAlmostEqual(result.answers.value, 0.8, delta=0.08)
        # Too far is no play, and a carriage that is hard to push.
        tight = _turn(machine, "x", NUT, -0.25, {})
        self.assertEqual(tight.axis("x").play_mm, 0.0)
        self.assertGreater(tight.guide("x").drag_n, machine.guide("x").drag_n + 3)

    def test_only_rollers_pushed_across_are_turned(self):
        loose = SimMachine(belts={}, axes={"x": SimAxis(modes=[SimMode(hz=45.0)], play_mm=0.1)})
        for context in ({"guide": "rails", "pushed": "across"}, {"guide": "rollers"}, {}):
            result = self.on(loose, **context)
            self.assertEqual((result.turnables, result.advice[0].action), ([], "take_out_the_play"))

    def on(self, machine, **context):
        read = procedures.get("play").stand_in(machine, "x", 3, {})
        return procedures.run(
            "play",
            {"axis": "x", **context},
            table(*zip(*((r["force_n"], r["displacement_mm"]) for r in read.rows), strict=True)),
        )

    def test_bad_tables_are_refused_where_they_are(self):
        for data, code in (
            (table([0.0, 5, 10, 15, 20], [0, 0.1, 0.2, 0.3, 0.4]), "too_few_rows"),
            (table([5.0] * 6 + [-5.0] * 6, [0.1] * 12), "too_few_rows"),
            (table([900.0, 5, -5], [0, 0, 0]), "out_of_range"),
            (table([5.0, 5, -5], [0, 80, 0]), "out_of_range"),
            (b"force_n,displacement_mm\n1,x\n", "bad_row"),
            (b"force_n\n1\n", "missing_column"),
        ):
            with self.assertRaises(BadInput) as e:
                run(data)
            self.assertEqual(e.exception.code, code)

    @settings(max_examples=100, deadline=None)
    @given(st.floats(0.0, 0.4), st.floats(8.0, 200.0), st.floats(0.0, 3.0), st.floats(-1.0, 1.0))
    def test_where_the_indicator_was_set_to_nothing_does_not_count(self, gap, k, friction, zero):
        at = pushed(TWICE, gap, k, k, friction)
        one, other = (run(table(TWICE, [x + z for x in at]), resolution_mm=0.0) for z in (0.0, zero))
        self.assertTrue(math.isclose(one.play.value, other.play.value, abs_tol=3e-5))
        # The friction is sought in steps, fine ones: that is all that is left.
        self.assertAlmostEqual(one.play.value, gap, delta=2e-3 + 1e-3 / k)


if __name__ == "__main__":
    unittest.main()
