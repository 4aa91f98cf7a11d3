"""dimensions: scale and wall apart, each cause from made parts, what a cube cannot tell, schools, and one simulated truth."""

import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from kestov_core import procedures
from kestov_core.errors import BadInput
from kestov_core.parts.stepped import PLACES
from kestov_core.simulator.frame import SimFrame
from kestov_core.simulator.instruments import SimTravel
from kestov_core.simulator.machine import SimMachine

K = {"outer": 1, "inner": -1, "centre": 0}
HEAD = "axis,feature,kind,nominal_mm,measured_mm\n"


def part(scales, wall=0.0, noise=0.0, seed=1, times=2, places=PLACES, place_noise=0.0):
    rng = np.random.default_rng(seed)
    rows = []
    for p in places:
        if p.axis in scales:
            true = p.nominal_mm * scales[p.axis] + K[p.kind] * wall + rng.normal(0, place_noise)
            rows += [
                f"{p.axis},{p.feature},{p.kind},{p.nominal_mm:g},{true + rng.normal(0, noise):.6f}"
                for _ in range(times)
            ]
    return (HEAD + "\n".join(rows) + "\n").encode()


GOOD = {
    "dimensions": (
        {"limit_percent": 0.2, "steps_per_mm": {"x": 80.0}},
        part({"x": 1.006, "y": 1.0, "z": 1.0}, 0.06, 0.01),
    )
}


def run(data, **context):
    return procedures.run("dimensions", context, data)


def codes(result):
    return [w.code for w in result.warnings]


def axis(result, name):
    return next(a for a in result.axes if a.axis == name)


class Dimensions(unittest.TestCase):
    def causes(self, scales, wall=0.0, noise=0.005, **context):
        return {a.axis: a.cause for a in run(part(scales, wall, noise), **context).axes}

    def test_scale_and_wall_come_apart_whole(self):
        result = run(part({"x": 1.004, "y": 0.998}, 0.12), steps_per_mm={"x": 80.0, "y": 80.0})
        for name, scale in (("x", 1.004), ("y", 0.998)):
            found = axis(result, name)
            self.assertAlmostEqual(found.scale.value, scale, places=6)
            self.assertAlmostEqual(found.wall_offset.value, 0.12, places=4)
            self.assertAlmostEqual(found.steps_per_mm_new.value, 80 / scale, places=3)

    def test_each_cause_by_what_the_axes_say_together(self):
        for scales, wall, want in (
            ({"x": 1.0, "y": 1.0, "z": 1.0}, 0.05, {"x": "sound", "y": "sound", "z": "sound"}),
            ({"x": 0.994, "y": 0.994, "z": 0.994}, 0.05, dict.fromkeys("xyz", "shrinkage")),
            ({"x": 1.01, "y": 1.0, "z": 1.0}, 0.0, {"x": "belt_or_pulley", "y": "sound", "z": "sound"}),
            ({"x": 1.0, "y": 1.0, "z": 0.99}, 0.0, {"x": "sound", "y": "sound", "z": "steps"}),
            ({"x": 1.01, "y": 0.99, "z": 1.0}, 0.0, {"x": "steps", "y": "steps", "z": "sound"}),
            ({"x": 1.0, "y": 1.0}, 0.25, dict.fromkeys("xy", "extrusion_width")),
        ):
            self.assertEqual(self.causes(scales, wall), want, (scales, wall))

    def test_one_axis_alone_cannot_tell_motion_from_plastic(self):
        self.assertEqual(self.causes({"x": 0.99}), {"x": "measure_more"})

    def test_one_cube_tells_that_it_is_off_and_never_why(self):
        cube = (HEAD + "".join(f"{a},cube,outer,20,20.1\n" * 3 for a in "xyz")).encode()
        result = run(cube, steps_per_mm=dict.fromkeys("xyz", 80.0))
        self.assertEqual({a.cause for a in result.axes}, {"measure_more"})
        self.assertTrue(all(a.scale is None and a.steps_per_mm_new is None for a in result.axes))
        self.assertEqual((result.verdict, result.advice[0].action), ("cannot_tell", "measure_more"))
        self.assertIn("stepped bar", result.warnings[0].message)

    def test_centre_distances_alone_tell_the_scale_and_nothing_of_the_wall(self):
        centres = [p for p in PLACES if p.kind == "centre"]
        result = run(part({"x": 1.005, "y": 1.0}, 0.3, places=centres))
        self.assertAlmostEqual(axis(result, "x").scale.value, 1.005, places=6)
        self.assertIsNone(axis(result, "x").wall_offset)
        self.assertIn("no_wall", codes(result))

    def test_the_uncertainties_cover_the_truth_as_often_as_they_say(self):
        for place_noise in (0.0, 0.03):
            scales, walls = [], []
            for seed in range(200):
                data = part({"x": 1.003, "y": 1.0}, 0.1, 0.015, seed, times=3, place_noise=place_noise)
                found = axis(run(data, resolution_mm=0.0), "x")
                scales.append(abs(found.scale.value - 1.003) <= found.scale.u95)
                walls.append(abs(found.wall_offset.value - 0.1) <= found.wall_offset.u95)
            for inside in (scales, walls):
                self.assertGreaterEqual(np.mean(inside), 0.90, place_noise)
                self.assertLessEqual(np.mean(inside), 0.99, place_noise)

    def test_each_school_answers_and_the_one_followed_advises(self):
        data = part({"x": 1.01, "y": 0.99, "z": 1.0}, 0.02, 0.005)
        for school, action in (("machine", "test_travel"), ("part", "set_steps"), ("theory", "look_at_drive")):
            result = run(data, school=school, steps_per_mm={"x": 80.0, "y": 80.0, "z": 400.0})
            self.assertEqual(result.advice[0].action, action)
            self.assertEqual([s.school for s in result.schools if s.chosen], [school])
        part_ = next(s for s in result.schools if s.school == "part")
        self.assertIn("79.2", part_.answer)

    def test_shrinkage_is_put_right_in_the_slicer_with_one_figure(self):
        result = run(part({"x": 0.994, "y": 0.9941, "z": 0.994}, 0.02, 0.005))
        advice = result.advice[0]
        self.assertEqual(advice.action, "scale_in_slicer")
        self.assertAlmostEqual(advice.amount.value, 100 / 0.994, delta=0.05)

    def test_nothing_is_set_within_its_uncertainty(self):
        noisy = run(part({"x": 1.002, "y": 1.0, "z": 1.0}, 0.0, 0.06, times=1), school="part")
        self.assertEqual(noisy.verdict, "cannot_tell")
        self.assertEqual({a.action for a in noisy.advice}, {"measure_more"})

    def test_a_slip_is_seen_and_judges_nothing(self):
        data = (
            part({"x": 1.0, "y": 1.0}, 0.0, 0.005).decode().replace("x,tread 80,outer,80,", "x,tread 80,outer,80,1", 1)
        )
        result = run(data.encode())
        self.assertIn("odd_reading", codes(result))
        self.assertEqual([a.action for a in result.advice], ["measure_again"])

    def test_a_place_with_a_tolerance_of_its_own_is_judged_by_it(self):
        head = HEAD.strip() + ",tolerance_mm\n"
        rows = "x,bore,inner,8,7.72,0.1\nx,bore,inner,8,7.74,0.1\ny,slot,inner,12,12.02,0.2\nz,height,outer,30,30.4,\n"
        result = run((head + rows).encode(), resolution_mm=0.01)
        told = {j.words: j for j in result.judged}
        bore, slot = told["X, bore: measured less drawn (8 mm)"], told["Y, slot: measured less drawn (12 mm)"]
        self.assertAlmostEqual(bore.quantity.value, -0.27)
        self.assertEqual((bore.verdict, bore.limits.high, slot.verdict), ("out_of_tolerance", 0.1, "in_tolerance"))
        # What has none is only told, and an axis of which each place is judged says nothing more.
        self.assertEqual([w for w in told if w.startswith("Z")], ["Z: measured less drawn"])
        self.assertNotIn("X: measured less drawn", told)
        with self.assertRaises(BadInput) as e:
            run((head + "x,bore,inner,8,7.7,-1\n").encode())
        self.assertEqual((e.exception.code, e.exception.field), ("out_of_range", "tolerance_mm"))

    def test_bad_tables_are_refused_where_they_are(self):
        row = "x,a,outer,20,20\n"
        for data, code, field in (
            (HEAD + row.replace("x,", "w,"), "bad_row", "axis"),
            (HEAD + row.replace("outer", "around"), "bad_row", "kind"),
            (HEAD + row.replace(",20\n", ",-3\n"), "out_of_range", "measured_mm"),
            (HEAD + row.replace(",20\n", ",some\n"), "bad_row", "measured_mm"),
            ("axis,kind,nominal_mm,measured_mm\n", "missing_column", "feature"),
            (HEAD, "too_few_rows", "data"),
        ):
            with self.assertRaises(BadInput) as e:
                run(data.encode())
            self.assertEqual((e.exception.code, e.exception.field), (code, field))

    def test_the_simulated_print_shows_travel_plastic_and_wall_of_one_machine(self):
        for travel, shrinkage, wall, want in (
            ({"x": SimTravel(scale=1.012)}, 0.0, 0.03, ("belt_or_pulley", "sound", "sound")),
            ({}, 0.7, 0.03, ("shrinkage",) * 3),
            ({}, 0.0, 0.3, ("extrusion_width",) * 3),
        ):
            machine = SimMachine(belts={}, travel=travel, frame=SimFrame(wall_mm=wall, shrinkage_percent=shrinkage))
            procedure = procedures.get("dimensions")
            read = procedure.stand_in(machine, "all", 1, {})
            result = run(procedures.as_table(procedure, read.rows))
            self.assertEqual(tuple(a.cause for a in result.axes), want)

    def test_following_the_parts_school_makes_the_simulated_part_right(self):
        machine = SimMachine(
            belts={}, travel={"x": SimTravel(scale=1.01), "y": SimTravel(scale=0.99)}, frame=SimFrame(wall_mm=0.02)
        )
        procedure = procedures.get("dimensions")
        steps = {"x": 80.0, "y": 80.0, "z": 400.0}
        result = run(
            procedures.as_table(procedure, procedure.stand_in(machine, "all", 1, {}).rows),
            school="part",
            steps_per_mm=steps,
        )
        travel = {
            a.target: SimTravel(scale=machine.truly_travels(a.target).scale * a.amount.value / steps[a.target])
            for a in result.advice
        }
        after = machine.model_copy(update={"travel": travel})
        self.assertEqual(
            {a.cause for a in run(procedures.as_table(procedure, procedure.stand_in(after, "all", 2, {}).rows)).axes},
            {"sound"},
        )

    @settings(max_examples=40, deadline=None)
    @given(st.floats(0.97, 1.03), st.floats(-0.4, 0.4))
    def test_the_order_of_rows_does_not_count(self, scale, wall):
        data = part({"x": scale, "y": 1.0}, wall, 0.01).decode().strip().split("\n")
        turned = "\n".join([data[0], *data[:0:-1], ""]).encode()
        one, other = run(("\n".join(data) + "\n").encode()), run(turned)
        self.assertAlmostEqual(axis(one, "x").scale.value, axis(other, "x").scale.value, places=9)
        self.assertEqual(axis(one, "x").cause, axis(other, "x").cause)


if __name__ == "__main__":
    unittest.main()
