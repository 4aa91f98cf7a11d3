"""bed: plane, warp and screws against closed forms, what a speck does, and beds of the simulator set by its advice."""

import math
import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from kestov_core import procedures
from kestov_core.errors import BadInput
from kestov_core.simulator.frame import SimBeam, SimBed, SimSpeck
from kestov_core.simulator.machine import SimMachine

CORNERS = [
    {"name": "front left", "x_mm": 15.0, "y_mm": 15.0, "thread_pitch_mm": 0.7, "raise": "clockwise"},
    {"name": "front right", "x_mm": 205.0, "y_mm": 15.0, "thread_pitch_mm": 0.7, "raise": "clockwise"},
    {"name": "rear right", "x_mm": 205.0, "y_mm": 205.0, "thread_pitch_mm": 0.7, "raise": "anticlockwise"},
    {"name": "rear left", "x_mm": 15.0, "y_mm": 205.0, "thread_pitch_mm": 0.7, "raise": "clockwise"},
]


def grid(height, n=5, noise=0.0, seed=1, times=1, step=0.0):
    rng = np.random.default_rng(seed)
    rows = []
    for _ in range(times):
        for y in np.linspace(20, 200, n):
            for x in np.linspace(20, 200, n):
                z = height(float(x), float(y)) + rng.normal(0, noise)
                rows.append((float(x), float(y), float(round(z / step) * step if step else z)))
    return rows


def table(rows):
    return ("x_mm,y_mm,z_mm\n" + "".join(f"{x:g},{y:g},{z:.6f}\n" for x, y, z in rows)).encode()


def of_bed(bed, **how):
    return table(grid(lambda x, y: bed.height(x, y), **how))


GOOD = {
    "bed": (
        {"screws": CORNERS, "fixed": "front left", "tilt_limit_mm": 0.1},
        of_bed(SimBed(tilt_x=0.2, tilt_y=-0.1, bow_mm=0.1), noise=0.004, step=0.001),
    )
}


def run(data, **context):
    return procedures.run("bed", {"screws": CORNERS, **context}, data)


def codes(result):
    return [w.code for w in result.warnings]


class Bed(unittest.TestCase):
    def screw(self, result, name):
        return next(s for s in result.screws if s.name == name)

    def test_the_plane_and_the_turns_come_out_whole(self):
        result = run(table(grid(lambda x, y: 0.5 + 0.002 * x - 0.001 * y)), fixed="front left", resolution_mm=0.0)
        self.assertAlmostEqual(result.tilt_x.value, 0.2, places=9)
        self.assertAlmostEqual(result.tilt_y.value, -0.1, places=9)
        self.assertAlmostEqual(result.tilt.value, 0.002 * 180 + 0.001 * 180, places=9)
        self.assertAlmostEqual(result.warp.value, 0.0, places=9)
        right = self.screw(result, "front right")
        self.assertAlmostEqual(right.turns.value, 0.002 * 190 / 0.7, places=9)
        self.assertEqual(right.direction, "anticlockwise")
        self.assertAlmostEqual(self.screw(result, "rear left").turns.value, 0.001 * 190 / 0.7, places=9)
        self.assertEqual(self.screw(result, "rear left").direction, "clockwise")
        # Its thread runs the other way, and it is to sink.
        self.assertEqual(self.screw(result, "rear right").direction, "clockwise")
        self.assertEqual(self.screw(result, "front left").turns.value, 0.0)

    def test_without_a_fixed_screw_the_mean_height_stays(self):
        result = run(table(grid(lambda x, y: 0.002 * x)))
        self.assertAlmostEqual(sum(s.raise_mm.value for s in result.screws), 0.0, places=9)
        three = [CORNERS[0], CORNERS[1], {**CORNERS[2], "x_mm": 110.0, "name": "rear"}]
        result = procedures.run("bed", {"screws": three}, table(grid(lambda x, y: 0.001 * y)))
        self.assertAlmostEqual(sum(s.raise_mm.value for s in result.screws), 0.0, places=9)

    def test_never_more_than_half_a_turn_at_a_time_and_the_least_first(self):
        result = run(table(grid(lambda x, y: 0.01 * x + 0.001 * y)), fixed="front left")
        amounts = [a.amount.value for a in result.advice]
        self.assertEqual(max(amounts), 0.5)
        self.assertEqual(amounts, sorted(amounts))
        self.assertIn("half a turn at a time", result.advice[-1].reason)
        self.assertNotIn("front left", [a.target for a in result.advice])

    def test_warp_is_what_the_plane_leaves_and_no_screw_mends_it(self):
        bow = SimBed(bow_mm=0.8)
        result = run(of_bed(bow, noise=0.003))
        # Peak to valley of the bow over the probed 180 mm of 220: sagitta 0.8 (180/220)^2.
        self.assertAlmostEqual(result.warp.value, 0.8 * (180 / 220) ** 2, delta=0.02)
        self.assertEqual(result.judged[1].verdict, "out_of_tolerance")
        self.assertEqual(result.advice[-1].action, "warped")
        self.assertEqual((result.high_spot.x_mm, result.high_spot.y_mm), (110.0, 110.0))

    def test_the_uncertainties_cover_the_truth_as_often_as_they_say(self):
        bed = SimBed(tilt_x=0.05, tilt_y=0.03, bow_mm=0.15)
        truth_tilt, truth_warp = (0.05 + 0.03) * 1.8, 0.15 * (180 / 220) ** 2
        tilts, warps, slopes = [], [], []
        for seed in range(300):
            r = run(of_bed(bed, noise=0.01, seed=seed), resolution_mm=0.0)
            tilts.append(abs(r.tilt.value - truth_tilt) <= r.tilt.u95)
            slopes.append(abs(r.tilt_x.value - 0.05) <= r.tilt_x.u95)
            # The warp also over a plane that is itself tilted: the closed form of the bow alone.
            warps.append(abs(r.warp.value - truth_warp) <= r.warp.u95)
        for seen in (tilts, slopes):
            self.assertGreaterEqual(np.mean(seen), 0.91)
            self.assertLessEqual(np.mean(seen), 0.985)
        self.assertGreaterEqual(np.mean(warps), 0.90)

    def test_a_flat_bed_read_with_noise_is_not_called_warped(self):
        inside = []
        for seed in range(100):
            r = run(of_bed(SimBed(), noise=0.01, seed=seed), resolution_mm=0.0, warp_limit_mm=0.1)
            inside.append(r.warp.low == 0.0)
            self.assertNotEqual(r.judged[1].verdict, "out_of_tolerance")
        self.assertGreater(np.mean(inside), 0.85)

    def test_places_read_again_tell_the_noise_where_a_rough_bed_would_pass_for_it(self):
        rough = lambda x, y: 0.06 * math.sin(x / 9) * math.cos(y / 7)  # noqa: E731
        once, thrice = (run(table(grid(rough, noise=0.004, times=n)), resolution_mm=0.0) for n in (1, 3))
        self.assertLess(thrice.tilt.u95, 0.2 * once.tilt.u95)

    def test_a_speck_is_found_where_it_is_and_wiped_before_anything_is_turned(self):
        bed = SimBed(tilt_x=0.3, bow_mm=0.1, speck=SimSpeck(x_mm=65, y_mm=155, height_mm=0.3))
        result = run(of_bed(bed, noise=0.004))
        self.assertTrue(result.debris_suspected)
        self.assertEqual((result.debris_at.x_mm, result.debris_at.y_mm), (65.0, 155.0))
        self.assertEqual([a.action for a in result.advice], ["wipe"])
        self.assertEqual(next(f.state for f in result.findings if f.finding == "bed_bump"), "present")
        clean = run(of_bed(bed.model_copy(update={"speck": None}), noise=0.004))
        self.assertFalse(clean.debris_suspected)

    def test_noise_and_warp_are_seldom_taken_for_a_speck(self):
        found = [
            run(of_bed(SimBed(bow_mm=0.3, twist_mm=0.1), noise=0.015, seed=s)).debris_suspected for s in range(150)
        ]
        self.assertLessEqual(np.mean(found), 0.01)

    def test_nor_are_they_on_few_places(self):
        found = [run(of_bed(SimBed(bow_mm=0.1), noise=0.02, seed=s, n=3)).debris_suspected for s in range(200)]
        self.assertLessEqual(np.mean(found), 0.03)

    def test_level_and_unsure_beds_get_no_turns(self):
        level = run(of_bed(SimBed(tilt_x=0.01), noise=0.002))
        self.assertEqual((level.verdict, level.advice), ("in_tolerance", []))
        near = run(of_bed(SimBed(tilt_x=0.05), noise=0.02, seed=3))
        self.assertEqual((near.verdict, near.advice[0].action), ("cannot_tell", "measure_again"))

    def test_it_asks_for_the_beam_and_says_when_that_comes_first(self):
        data = of_bed(SimBed(tilt_x=0.3), noise=0.003)
        alone, with_it = run(data), run(data, beam_tilt={"value": 0.2, "u95": 0.02, "unit": "mm/100mm"})
        self.assertIn("beam_not_known", codes(alone))
        self.assertEqual([c for c in codes(with_it) if "beam" in c], ["beam_tilted"])
        self.assertEqual(alone.verdict, with_it.verdict)
        level = run(data, beam_tilt={"value": 0.1, "u95": 0.2, "unit": "mm/m"})
        self.assertEqual([c for c in codes(level) if "beam" in c], [])

    def test_an_endless_bed_wants_shims_at_its_end_roller(self):
        data = table(grid(lambda x, y: -0.002 * y))
        result = procedures.run("bed", {"kinematics": "belt_bed"}, data)
        self.assertEqual([s.name for s in result.screws], ["roller left", "roller right"])
        for s in result.screws:
            self.assertAlmostEqual(s.raise_mm.value, 0.002 * 180, places=9)
        self.assertEqual((result.advice[0].amount.unit, result.advice[0].direction), ("mm", "added"))
        self.assertNotIn("beam_not_known", codes(result))

    def test_bad_input_is_refused_at_its_place(self):
        flat = table(grid(lambda x, y: 0.0))
        for data, context, field in (
            (flat, {"screws": CORNERS[:2]}, "screws"),
            (flat, {"screws": [CORNERS[0]] * 3}, "screws"),
            (flat, {"fixed": "nowhere"}, "fixed"),
            (flat, {"screws": [{**c, "y_mm": 3.0} for c in CORNERS]}, "screws"),
            (b"x_mm,y_mm,z_mm\n0,0,0\n1,1,0\n", {}, "data"),
            (b"x_mm,y_mm,z_mm\n0,0,0\n10,10,0\n20,20,0\n30,30,0.1\n", {}, "data"),
            (b"x_mm,y_mm,z_mm\n0,0,0\n10,0,0\n20,20,900\n", {}, "z_mm"),
            (b"x_mm,y_mm\n0,0\n", {}, "z_mm"),
        ):
            with self.assertRaises(BadInput) as e:
                run(data, **context)
            self.assertEqual(e.exception.field, field, (data[:40], context))

    def test_following_the_advice_on_the_simulated_bed_levels_it(self):
        for kinematics, screws in (("fixed_bed", CORNERS), ("belt_bed", [])):
            machine = SimMachine(
                belts={}, beam=SimBeam(), bed=SimBed(tilt_x=0.25, tilt_y=-0.4, bow_mm=0.1, answers=0.85)
            )
            procedure = procedures.get("bed")
            sizes = []
            for round_ in range(8):
                read = procedure.stand_in(machine, "bed", round_, {})
                result = procedures.run(
                    "bed",
                    {"screws": screws, "kinematics": kinematics, **({"fixed": "front left"} if screws else {})},
                    procedures.as_table(procedure, read.rows),
                )
                bed = machine.true_bed()
                sizes.append(abs(bed.tilt_x) + abs(bed.tilt_y))
                if not any(a.action in ("turn", "shim") for a in result.advice):
                    break
                for a in result.advice:
                    first = next(t for t in result.turnables if t.target == a.target).ways[0]
                    amount = a.amount.value * (1 if a.direction == first else -1)
                    machine = procedure.turned.turn(machine, "bed", a.target, amount, result.model_dump())
            self.assertEqual(sizes, sorted(sizes, reverse=True), kinematics)
            self.assertLess(sizes[-1] * 1.8, 0.13, kinematics)

    @settings(max_examples=50, deadline=None)
    @given(st.floats(-1, 1), st.floats(-1, 1), st.floats(-3, 3), st.floats(-300, 300))
    def test_where_zero_is_does_not_count(self, tx, ty, zero, begins):
        def at(z0, x0):
            rows = [(x + x0, y, z + z0) for x, y, z in grid(lambda x, y: (tx * x + ty * y) / 100)]
            screws = [{**c, "x_mm": c["x_mm"] + x0} for c in CORNERS]
            return procedures.run("bed", {"screws": screws, "resolution_mm": 0.0}, table(rows))

        one, other = at(0.0, 0.0), at(zero, begins)
        self.assertAlmostEqual(one.tilt_x.value, other.tilt_x.value, places=4)
        for a, b in zip(one.screws, other.screws, strict=True):
            self.assertAlmostEqual(a.raise_mm.value, b.raise_mm.value, places=4)


if __name__ == "__main__":
    unittest.main()
