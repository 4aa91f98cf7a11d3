"""belt-deflection, belt-set and belt-tracking against their formulas, and the whole loop in the simulator."""

import unittest

from hypothesis import given, settings
from hypothesis import strategies as st

from kestov_core import procedures
from kestov_core.errors import BadInput
from kestov_core.machine import Tensioner
from kestov_core.simulator.machine import SimBelt, SimMachine, pluck, true_pitch, turn
from kestov_core.simulator.sound import wav

run = procedures.run
IDLER = {"thread_pitch_mm": 0.7}


def belt(id_, newtons, u95=0.3, **more):
    row = {
        "id": id_,
        "tension": {"value": newtons, "u95": u95, "unit": "N"},
        "loop_length_mm": 1000,
        "tensioner": IDLER,
    }
    return {**row, **more}


class Deflection(unittest.TestCase):
    def press(self, tension, d, span=300.0, ea=None, loop=None):
        force = 4 * tension * d / span
        if ea:
            force += 8 * ea * d**3 / (span**2 * loop) if loop else 8 * ea * (d / span) ** 3
        return {"force_n": force, "deflection_mm": d}

    @given(st.floats(10, 80), st.sampled_from([None, 1200.0]))
    @settings(max_examples=25, deadline=None)
    def test_both_formulas_there_and_back(self, tension, loop):
        ea = 15000.0
        readings = [self.press(tension, d, ea=ea, loop=loop) for d in (4.0, 6.0, 8.0)]
        context = {"span_mm": 300, "axial_stiffness_n": ea, "readings": readings}
        result = run("belt-deflection", {**context, **({"loop_length_mm": loop} if loop else {})})
        self.assertAlmostEqual(result.tension.value, tension, places=6)

    def test_one_press_warns_and_a_deep_one_is_refused(self):
        result = run("belt-deflection", {"span_mm": 300, "readings": [self.press(30, 5)]})
        self.assertIn("single_reading", [w.code for w in result.warnings])
        with self.assertRaises(BadInput) as e:
            run("belt-deflection", {"span_mm": 300, "readings": [self.press(30, 5), self.press(30, 70)]})
        self.assertEqual(e.exception.field, "readings.1.deflection_mm")


class Setting(unittest.TestCase):
    def test_turns_by_theory_alone(self):
        # 15 kN, loop 1 m, thread 0.7: 21 N a turn. 10 N wanted is 10/21 of a turn.
        result = run("belt-set", {"belts": [belt("x", 20)], "target_n": 30})
        step = result.belts[0]
        self.assertAlmostEqual(step.turns.value, 10 / 21, places=6)
        self.assertEqual((step.turns.unit, step.direction, step.tighten), ("turns", "clockwise", True))
        self.assertAlmostEqual(step.expect.value, 30)
        self.assertFalse(result.holds)

    def test_never_more_than_one_turn_and_it_says_so(self):
        result = run("belt-set", {"belts": [belt("x", 2)], "target_n": 60})
        self.assertEqual(result.belts[0].turns.value, 1.0)
        self.assertIn("more than one step", result.advice[0].reason)

    def test_over_tight_is_slackened_the_other_way(self):
        left = {**IDLER, "tighten": "anticlockwise"}
        result = run("belt-set", {"belts": [belt("b", 45, tensioner=left)], "target_n": 30})
        self.assertEqual(result.belts[0].direction, "clockwise")
        self.assertFalse(result.belts[0].tighten)

    def test_nothing_is_turned_on_noise(self):
        result = run("belt-set", {"belts": [belt("x", 26, u95=5)], "target_n": 30})
        self.assertIsNone(result.belts[0].turns)
        self.assertEqual((result.verdict, result.advice[0].action), ("cannot_tell", "weigh_belt"))

    def test_the_shared_part_cancels_in_the_difference(self):
        a, b = (belt(i, t, u95=3.01, u95_shared_n=3.0) for i, t in (("a", 28), ("b", 32)))
        result = run("belt-set", {"belts": [a, b], "target_n": 30})
        own = (3.01**2 - 3.0**2) ** 0.5
        self.assertAlmostEqual(result.imbalance_percent.value, 100 * 4 / 30)
        self.assertAlmostEqual(result.imbalance_percent.u95, 100 * own * 2**0.5 / 30, places=6)
        self.assertEqual(result.slacker, "a")
        self.assertEqual([x.id for x in result.belts if x.turns], ["a"])

    def test_the_machines_own_rounds_weigh_more_than_theory(self):
        history = [{"id": "x", "turns": 1, "before_n": 10, "after_n": 22, "u95_n": 0.3}] * 3
        result = run("belt-set", {"belts": [belt("x", 24)], "target_n": 36, "history": history})
        self.assertAlmostEqual(result.belts[0].newtons_per_turn.value, 12, delta=0.2)

    def test_coupling_is_undone_and_learned(self):
        context = {"belts": [belt("a", 20), belt("b", 26)], "target_n": 30, "coupling": 0.2}
        a, b = (x.turns.value * 21 for x in run("belt-set", context).belts)
        self.assertAlmostEqual(20 + a - 0.2 * b, 30)
        self.assertAlmostEqual(26 + b - 0.2 * a, 30)
        self.assertEqual(run("belt-set", context).advice[0].target, "b", "the smaller step comes first")
        history = [
            {"id": "a", "turns": 0.5, "before_n": 20, "after_n": 30, "u95_n": 0.2},
            {"id": "b", "turns": 0, "before_n": 30, "after_n": 28.5, "u95_n": 0.2},
        ]
        del context["coupling"]
        self.assertAlmostEqual(run("belt-set", {**context, "history": history}).coupling, 0.15, delta=0.02)

    def test_wrong_input_names_its_field(self):
        for context, code, field in (
            ({"belts": [belt("a", 20), belt("a", 20)], "target_n": 30}, "out_of_range", "belts"),
            ({"belts": [belt("a", -1)], "target_n": 30}, "out_of_range", "belts.0.tension.value"),
            (
                {"belts": [belt("a", 20, tension={"value": 2, "unit": "mm"})], "target_n": 3},
                "unknown_unit",
                "belts.0.tension.unit",
            ),
            ({"belts": [], "target_n": 30}, "too_few_rows", "belts"),
            ({"belts": [belt("a", 20)]}, "missing_field", "target_n"),
            ({"belts": [belt("a", 20)], "target_n": float("nan")}, "not_finite", "target_n"),
        ):
            with self.assertRaises(BadInput) as e:
                run("belt-set", context)
            self.assertEqual((e.exception.code, e.exception.field), (code, field))


class Loop(unittest.TestCase):
    """Measure, turn as advised, measure again: following the advice reduces the error until it holds."""

    def machine(self, seed, a, b):
        kind = Tensioner(thread_pitch_mm=0.7)
        common = dict(
            linear_density_g_per_m=8.24, span_mm=285, axial_stiffness_n=15000, loop_length_mm=1760, tensioner=kind
        )
        belts = {
            "a": SimBelt(tension_n=a, gain=0.94, partner="b", **common),
            "b": SimBelt(tension_n=b, gain=1.05, partner="a", **common),
        }
        return SimMachine(belts=belts, coupling=0.12, seed=seed)

    def test_it_converges_in_a_few_rounds(self):
        for seed, a, b in ((1, 12.0, 27.0), (2, 44.0, 30.0), (3, 18.0, 17.0)):
            machine = self.machine(seed, a, b)
            history = []
            last = None
            for _ in range(7):
                rows = []
                for place in ("a", "b"):
                    machine, sound = pluck(machine, place)
                    q = run(
                        "belt-pluck",
                        {"span_mm": 285, "linear_density_g_per_m": 8.24, "linear_density_u95_percent": 2},
                        wav(sound),
                    ).tension
                    truth = machine.belts[place].tension_n
                    self.assertLess(abs(q.value - truth), q.u95 + 0.01 * truth)
                    rows.append(belt(place, q.value, loop_length_mm=1760, tension=q.model_dump()))
                if last:
                    for row, (before, made) in zip(rows, last, strict=True):
                        history.append(
                            {
                                "id": row["id"],
                                "turns": made,
                                "before_n": before,
                                "after_n": row["tension"]["value"],
                                "u95_n": 0.2,
                            }
                        )
                advice = run("belt-set", {"belts": rows, "target_n": 30, "history": history})
                if advice.holds:
                    break
                last = []
                for row, step in zip(rows, advice.belts, strict=True):
                    made = 0.0
                    if step.turns:
                        made = step.turns.value * (1 if step.tighten else -1)
                        machine = turn(machine, row["id"], made)
                    last.append((row["tension"]["value"], made))
            self.assertTrue(advice.holds, seed)
            for b_ in machine.belts.values():
                self.assertLess(abs(b_.tension_n - 30), 3.0)

    def test_true_pitch_is_that_of_a_string(self):
        self.assertAlmostEqual(true_pitch(self.machine(1, 26.64, 1).belts["a"]), 99.8, delta=0.1)


class Tracking(unittest.TestCase):
    def test_wander_and_contact(self):
        rows = [(0, 0.5, 0.7), (100, 0.6, 0.6), (200, 0.7, 0.5)]
        positions = [dict(zip(("travel_mm", "clearance_top_mm", "clearance_bottom_mm"), r, strict=True)) for r in rows]
        result = run("belt-tracking", {"positions": positions, "limit_mm": 0.3})
        self.assertAlmostEqual(result.wander.value, 0.2)
        self.assertEqual((result.touches, result.verdict), ("none", "in_tolerance"))
        positions[2]["clearance_top_mm"] = 0.0
        result = run("belt-tracking", {"positions": positions, "axis": "x"})
        self.assertEqual((result.touches, result.verdict), ("top", "out_of_tolerance"))
        self.assertEqual(result.advice[0].action, "tip_tensioner")
        self.assertEqual((result.findings[0].finding, result.findings[0].axis), ("belt_touches_flange", "x"))
