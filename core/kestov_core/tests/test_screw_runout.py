"""screw-runout: slope, lead, thread and rest told apart against made screws; play, aliasing, and what is done about each."""

import math
import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from kestov_core import procedures
from kestov_core.errors import BadInput
from kestov_core.simulator.frame import SimScrew
from kestov_core.simulator.machine import SimMachine

LEAD, PITCH = 8.0, 2.0


def along(step=0.7, length=60.0):
    return np.arange(0, length, step)


def table(z, y, way=None):
    head = "z_mm,reading_mm" + (",direction" if way is not None else "")
    rows = [
        f"{a:.5f},{b:.6f}" + (f",{w}" if way is not None else "")
        for a, b, w in zip(z, y, way or [""] * len(z), strict=True)
    ]
    return "\n".join([head, *rows, ""]).encode()


def screw(drift=0.0, bent=0.0, thread=0.0, play=None, noise=0.0, seed=1, step=0.7, length=60.0, free=(0.0, 1.0)):
    rng = np.random.default_rng(seed)
    true = SimScrew(drift=drift, bent_mm=bent, thread_mm=thread, play_mm=play or 0.0)
    zs, ys, ways = [], [], []
    for way in ("up", "down") if play is not None else ("up",):
        for z in along(step, length):
            zs.append(z)
            side = true.side(z, LEAD, PITCH, way == "down") + free[0] * math.cos(2 * math.pi * z / free[1])
            ys.append(side + rng.normal(0, noise))
            ways.append(way)
    return table(zs, ys, ways if play is not None else None)


GOOD = {
    "screw-runout": (
        {"lead_mm": LEAD, "thread_pitch_mm": PITCH, "limit_mm": 0.1},
        screw(0.02, 0.15, 0.01, play=0.02, noise=0.003),
    )
}


def run(data, **context):
    return procedures.run("screw-runout", {"lead_mm": LEAD, "thread_pitch_mm": PITCH, **context}, data)


def codes(result):
    return [w.code for w in result.warnings]


class Runout(unittest.TestCase):
    def finding(self, result, name):
        return next(f.state for f in result.findings if f.finding == name)

    def test_each_part_comes_out_whole(self):
        result = run(screw(0.08, 0.14, 0.03, play=0.05), resolution_mm=0.0, indicator_u95_mm=0.0)
        self.assertAlmostEqual(result.drift.value, 0.08, places=5)
        self.assertAlmostEqual(result.lead_amplitude.value, 0.14, places=5)
        self.assertAlmostEqual(result.thread_amplitude.value, 0.03, places=5)
        self.assertAlmostEqual(result.reversal.value, 0.05, places=5)
        self.assertIsNone(result.free_period)

    def test_each_cause_has_its_name_and_its_remedy(self):
        for made, cause, action in (
            (screw(drift=0.3, noise=0.004), "misaligned", "realign"),
            (screw(bent=0.2, noise=0.004), "bent", "replace_screw"),
            (screw(thread=0.07, noise=0.004), "thread_only", "leave"),
            (screw(play=0.2, noise=0.004), "play", "nut"),
            (screw(noise=0.004), "sound", None),
            (screw(drift=0.3, bent=0.2, noise=0.004), "mixed", "realign"),
        ):
            result = run(made)
            self.assertEqual(result.cause, cause)
            self.assertEqual(result.advice[0].action if result.advice else None, action, cause)

    def test_findings_follow_lead_and_slope_apart(self):
        bent, sloped = run(screw(bent=0.2, noise=0.003)), run(screw(drift=0.3, noise=0.003))
        self.assertEqual(
            (self.finding(bent, "runout_at_lead"), self.finding(bent, "runout_drift")), ("present", "absent")
        )
        self.assertEqual(
            (self.finding(sloped, "runout_at_lead"), self.finding(sloped, "runout_drift")), ("absent", "present")
        )

    def test_a_free_wave_is_kept_only_where_it_earns_its_place(self):
        found = run(screw(0.01, 0.05, free=(0.06, 19.0), noise=0.004))
        self.assertAlmostEqual(found.free_period.value, 19.0, delta=max(0.3, found.free_period.u95))
        self.assertAlmostEqual(found.free_amplitude.value, 0.06, delta=found.free_amplitude.u95 + 0.002)
        kept = [run(screw(0.02, 0.05, 0.005, noise=0.01, seed=s)).free_period is not None for s in range(60)]
        self.assertLessEqual(np.mean(kept), 0.05)

    def test_the_uncertainties_cover_the_truth_as_often_as_they_say(self):
        slopes, leads = [], []
        for seed in range(200):
            r = run(screw(0.05, 0.08, 0.01, noise=0.01, seed=seed))
            slopes.append(abs(r.drift.value - 0.05) <= r.drift.u95)
            leads.append(abs(r.lead_amplitude.value - 0.08) <= r.lead_amplitude.u95)
        for inside in (slopes, leads):
            self.assertGreaterEqual(np.mean(inside), 0.90)
            self.assertLessEqual(np.mean(inside), 0.99)

    def test_near_nothing_an_amplitude_lies_between_zero_and_what_noise_makes(self):
        highs = []
        for seed in range(100):
            r = run(screw(noise=0.01, seed=seed), resolution_mm=0.0)
            self.assertGreaterEqual(r.lead_amplitude.value, 0.0)
            if r.lead_amplitude.low == 0.0:
                highs.append(r.lead_amplitude.high)
        self.assertGreater(len(highs), 80)
        self.assertLess(np.mean(highs), 0.02)

    def test_too_coarse_for_the_lead_it_says_so_and_blames_no_screw(self):
        result = run(screw(bent=0.2, step=2.5))
        self.assertIn("aliased", codes(result))
        self.assertEqual(
            (self.finding(result, "runout_at_lead"), result.advice[0].action), ("unknown", "measure_again")
        )
        self.assertEqual(result.judged[2].verdict, "cannot_tell")

    def test_the_thread_is_sought_only_where_it_can_be_seen(self):
        self.assertIn("thread_not_seen", codes(run(screw(thread=0.05, step=1.3))))
        one_start = procedures.run("screw-runout", {"lead_mm": 8.0, "thread_pitch_mm": 8.0}, screw(bent=0.1))
        self.assertIsNone(one_start.thread_amplitude)

    def test_what_else_may_mislead_is_said(self):
        self.assertIn("one_way", codes(run(screw())))
        self.assertIn("short_travel", codes(run(screw(length=12.0, noise=0.002))))
        z, y = along(), 0.05 * np.cos(2 * np.pi * along() / LEAD)
        y[20] += 0.3
        odd = run(table(z, y))
        self.assertIn("odd_reading", codes(odd))
        self.assertEqual(odd.advice[0].action, "measure_again")

    def test_better_than_before_is_told_in_per_cent(self):
        before = run(screw(drift=0.3, noise=0.003))
        after = run(screw(drift=0.06, noise=0.003, seed=2), before=before.model_dump(mode="json"))
        self.assertAlmostEqual(after.improvement_percent.value, 100 * (1 - 0.06 / 0.3), delta=6)
        self.assertLess(after.improvement_percent.u95, 20)

    def test_following_the_advice_on_the_simulated_screw_straightens_it(self):
        machine = SimMachine(belts={}, seed=3, screws={"z1": SimScrew(drift=0.4, bent_mm=0.01)})
        procedure = procedures.get("screw-runout")
        sizes = []
        for round_ in range(4):
            read = procedure.stand_in(machine, "z1", round_, {"lead_mm": LEAD, "thread_pitch_mm": PITCH})
            result = run(procedures.as_table(procedure, read.rows), axis="z1")
            sizes.append(abs(machine.screw("z1").drift))
            if not result.turnables:
                break
            self.assertEqual(result.advice[0].target, result.turnables[0].target)
            machine = procedure.turned.turn(machine, "z1", "column", 1.0, result.model_dump())
        self.assertEqual((sizes, result.cause), (sorted(sizes, reverse=True), "sound"))
        self.assertLess(sizes[-1], 0.1)

    def test_bad_tables_are_refused_where_they_are(self):
        for data, code in (
            (table([1.0] * 9, [0.0] * 9), "too_few_rows"),
            (table(range(5), [0.0] * 5), "too_few_rows"),
            (b"z_mm,reading_mm,direction\n1,0,sideways\n", "bad_row"),
            (table([*range(8), 9999], [0.0] * 9), "out_of_range"),
            (b"z_mm\n1\n", "missing_column"),
        ):
            with self.assertRaises(BadInput) as e:
                run(data)
            self.assertEqual(e.exception.code, code)

    @settings(max_examples=40, deadline=None)
    @given(st.floats(-0.3, 0.3), st.floats(0, 0.3), st.floats(-300, 300), st.floats(-1, 1))
    def test_where_the_axis_begins_and_the_indicator_was_zeroed_do_not_count(self, drift, bent, begins, zero):
        z = along()
        y = drift * z / 100 + bent * np.cos(2 * np.pi * z / LEAD)
        one = run(table(z, y), resolution_mm=0.001)
        other = run(table(z + begins, y + zero), resolution_mm=0.001)
        self.assertAlmostEqual(one.drift.value, other.drift.value, places=3)
        self.assertAlmostEqual(one.lead_amplitude.value, other.lead_amplitude.value, places=3)
        self.assertAlmostEqual(one.lead_amplitude.value, bent, places=3)


if __name__ == "__main__":
    unittest.main()
