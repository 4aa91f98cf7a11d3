"""squareness and square-reversal: against closed forms and each other, both schools, and a simulated frame set by either."""

import math
import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from kestov_core import procedures
from kestov_core.errors import BadInput
from kestov_core.simulator.frame import SimFrame
from kestov_core.simulator.machine import SimMachine


def diagonals(lean_deg, w=100.0, h=100.0):
    """AC and BD of a parallelogram whose second side leans toward the first by so many degrees."""
    s, c = math.sin(math.radians(lean_deg)), math.cos(math.radians(lean_deg))
    return math.hypot(w + h * s, h * c), math.hypot(w - h * s, h * c)


def plate(lean_deg, w=100.0, h=100.0, n=1, noise=0.0, seed=1, **more):
    rng = np.random.default_rng(seed)
    ac, bd = diagonals(lean_deg, w, h)
    read = lambda d: [float(d + e) for e in rng.normal(0, noise, n)]  # noqa: E731
    context = {"diagonal_ac_mm": read(ac), "diagonal_bd_mm": read(bd), "nominal_w_mm": w, "nominal_h_mm": h}
    return context | more


def square(machine, own, span=200.0, n=1, noise=0.0, seed=1, **more):
    rng = np.random.default_rng(seed)
    read = lambda v: [float(v + e) for e in rng.normal(0, noise, n)]  # noqa: E731
    direct, turned = read((machine + own) * span / 100), read((machine - own) * span / 100)
    return {"span_mm": span, "readings_direct_mm": direct, "readings_reversed_mm": turned} | more


GOOD = {
    "squareness": (plate(0.1, n=3, noise=0.01, frame_span_mm=300.0), None),
    "square-reversal": (square(0.2, 0.05, n=3, noise=0.004), None),
}


def run(context, name="squareness"):
    return procedures.run(name, context)


def codes(result):
    return [w.code for w in result.warnings]


class Squareness(unittest.TestCase):
    def test_the_lean_comes_out_whole_with_its_sign(self):
        for lean in (-1.3, -0.1, 0.0, 0.25, 2.0):
            for w, h in ((100.0, 100.0), (150.0, 80.0)):
                result = run(plate(lean, w, h))
                self.assertAlmostEqual(result.lean_deg.value, lean, places=6)
                self.assertAlmostEqual(result.lean_mm_per_100.value, 100 * math.tan(math.radians(lean)), places=6)
                self.assertAlmostEqual(result.skew_factor.value, math.tan(math.radians(lean)), places=8)

    def test_a_part_that_shrank_evenly_leans_no_more(self):
        ac, bd = diagonals(0.5)
        shrunk = run(
            {"diagonal_ac_mm": [ac * 0.98], "diagonal_bd_mm": [bd * 0.98], "nominal_w_mm": 100, "nominal_h_mm": 100}
        )
        self.assertAlmostEqual(shrunk.lean_deg.value, 0.5, places=6)

    def test_measured_sides_go_before_nominal_ones(self):
        ac, bd = diagonals(0.5, 149.0, 79.0)
        context = {"diagonal_ac_mm": [ac], "diagonal_bd_mm": [bd], "nominal_w_mm": 150, "nominal_h_mm": 80}
        sides = {"side_ab_mm": 149.0, "side_ad_mm": 79.0}
        self.assertAlmostEqual(run(context | sides).lean_deg.value, 0.5, places=6)
        self.assertNotAlmostEqual(run(context).lean_deg.value, 0.5, places=3)

    def test_pairs_as_rows_are_the_same_as_lists(self):
        ac, bd = diagonals(0.3)
        rows = {"diagonals": [{"ac_mm": ac, "bd_mm": bd}] * 2, "nominal_w_mm": 100, "nominal_h_mm": 100}
        lists = {"diagonal_ac_mm": [ac] * 2, "diagonal_bd_mm": [bd] * 2, "nominal_w_mm": 100, "nominal_h_mm": 100}
        self.assertEqual(run(rows).lean_deg, run(lists).lean_deg)

    def test_the_uncertainty_covers_the_truth_as_often_as_it_says(self):
        truth = 100 * math.tan(math.radians(0.1))
        inside = []
        for seed in range(400):
            lean = run(plate(0.1, n=4, noise=0.03, seed=seed, resolution_mm=0.0)).lean_mm_per_100
            inside.append(abs(lean.value - truth) <= lean.u95)
        self.assertGreaterEqual(np.mean(inside), 0.92)
        self.assertLessEqual(np.mean(inside), 0.98)

    def test_a_larger_plate_sees_a_smaller_lean_and_is_named(self):
        small, large = (run(plate(0.02, s, s, n=3, noise=0.02)).smallest_visible.value for s in (40.0, 160.0))
        self.assertAlmostEqual(small / large, 4, delta=0.1)
        blind = run(plate(0.02, 20.0, 20.0))
        self.assertIn("plate_too_small", codes(blind))
        self.assertRegex(blind.warnings[-1].message, r"A plate of \d+ mm would tell half the limit")

    def test_both_schools_answer_and_the_one_that_is_followed_advises(self):
        frame = run(plate(0.3, n=3, noise=0.005, frame_span_mm=400.0))
        by = 400 * math.tan(math.radians(0.3))
        self.assertAlmostEqual(frame.advice[0].amount.value, by, delta=0.1)
        self.assertEqual(frame.advice[0].direction, "toward −X")
        firmware = run(plate(0.3, n=3, noise=0.005, school="firmware"))
        self.assertEqual(firmware.advice[0].action, "set_skew_factor")
        self.assertAlmostEqual(firmware.advice[0].amount.value, math.tan(math.radians(0.3)), delta=3e-4)
        for result in (frame, firmware):
            self.assertEqual([s.school for s in result.schools], ["frame", "firmware"])
            self.assertEqual(sum(s.chosen for s in result.schools), 1)

    def test_within_its_uncertainty_nothing_is_moved(self):
        self.assertEqual(run(plate(0.01, n=4, noise=0.005)).advice, [])
        near = run(plate(0.06, n=3, noise=0.03, seed=2))
        self.assertEqual((near.verdict, near.advice[0].action), ("cannot_tell", "measure_again"))
        self.assertIn("Move nothing", near.advice[0].reason)

    def test_a_slip_is_seen_and_judges_nothing(self):
        context = plate(0.3, n=5, noise=0.01)
        context["diagonal_ac_mm"][2] = 14.157
        result = run(context)
        self.assertIn("odd_reading", codes(result))
        self.assertEqual(result.advice[0].action, "measure_again")

    def test_bad_input_is_refused_at_its_field(self):
        good = plate(0.1)
        for change, code, field in (
            ({"diagonal_bd_mm": []}, "missing_field", "diagonal_bd_mm"),
            ({"diagonal_ac_mm": [400.0]}, "out_of_range", "diagonal_ac_mm"),
            ({"plane": "xw"}, "out_of_range", "plane"),
            ({"nominal_w_mm": 0.0}, "out_of_range", "nominal_w_mm"),
        ):
            with self.assertRaises(BadInput) as e:
                run(good | change)
            self.assertEqual((e.exception.field, e.exception.code in (code, "wrong_type")), (field, True))

    @settings(max_examples=60, deadline=None)
    @given(st.floats(-3, 3), st.floats(20, 400), st.floats(20, 400))
    def test_mirrored_it_leans_the_other_way(self, lean, w, h):
        one, other = run(plate(lean, w, h)), run(plate(-lean, w, h))
        self.assertAlmostEqual(one.skew_factor.value, -other.skew_factor.value, places=9)


class Reversal(unittest.TestCase):
    def test_the_squares_own_error_drops_out(self):
        for own in (-0.3, 0.0, 0.12):
            result = run(square(0.2, own), "square-reversal")
            self.assertAlmostEqual(result.machine_mm_per_100.value, 0.2, places=9)
            self.assertAlmostEqual(result.square_mm_per_100.value, own, places=9)
            self.assertAlmostEqual(result.machine.value, 0.4, places=9)

    def test_the_uncertainty_covers_both_truths_as_often_as_it_says(self):
        inside = []
        for seed in range(400):
            r = run(square(0.1, 0.05, n=3, noise=0.01, seed=seed, resolution_mm=0.0), "square-reversal")
            inside += [abs(r.machine.value - 0.2) <= r.machine.u95, abs(r.square.value - 0.1) <= r.square.u95]
        self.assertGreaterEqual(np.mean(inside), 0.92)
        self.assertLessEqual(np.mean(inside), 0.98)

    def test_a_square_that_is_off_is_told_and_one_way_alone_is_not_enough(self):
        self.assertIn("square_off", codes(run(square(0.0, 0.4, n=3, noise=0.002), "square-reversal")))
        with self.assertRaises(BadInput) as e:
            run({"span_mm": 200.0, "readings_direct_mm": [0.1]}, "square-reversal")
        self.assertEqual((e.exception.code, e.exception.field), ("missing_field", "readings_reversed_mm"))

    def test_near_the_limit_a_longer_span_is_named(self):
        near = run(square(0.1, 0.0, n=2, noise=0.02, span=80.0, seed=3), "square-reversal")
        self.assertEqual(near.verdict, "cannot_tell")
        self.assertRegex(near.advice[0].reason, "longer square|Move nothing")
        self.assertIn("short_span", codes(near))


class OneFrame(unittest.TestCase):
    def test_plate_and_square_read_one_truth_and_the_advice_of_either_squares_it(self):
        for name in ("squareness", "square-reversal"):
            for plane in ("xy", "yz"):
                lean = {f"lean_{plane}": 0.5}
                machine = SimMachine(belts={}, seed=4, frame=SimFrame(square_off=0.08, shrinkage_percent=0.4, **lean))
                procedure = procedures.get(name)
                sizes = []
                for round_ in range(5):
                    read = procedure.stand_in(machine, "frame", round_, {"plane": plane})
                    rows = {"diagonals" if name == "squareness" else "readings": read.rows}
                    result = run({**rows, **read.told, "frame_span_mm": 300.0}, name)
                    sizes.append(abs(machine.true_frame().lean(plane)))
                    if sizes[-1] == 0.5:
                        self.assertAlmostEqual(
                            result.lean_mm_per_100.value, 0.5, delta=2 * result.lean_mm_per_100.u95, msg=name
                        )
                    if result.advice == [] or result.advice[0].action != "move_the_frame":
                        break
                    a = result.advice[0]
                    way = result.turnables[0].ways
                    amount = a.amount.value * (1 if a.direction == way[0] else -1) / 2  # half of it at a time
                    machine = procedure.turned.turn(machine, "frame", a.target, amount, result.model_dump())
                self.assertEqual(sizes, sorted(sizes, reverse=True))
                self.assertLess(sizes[-1], 0.2)


if __name__ == "__main__":
    unittest.main()
