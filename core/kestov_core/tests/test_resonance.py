"""resonance on simulated captures: right figures where they can be had, and a refusal with its reason where not."""

import unittest

import numpy as np

from kestov_core import comparing
from kestov_core.errors import BadInput
from kestov_core.procedures import run
from kestov_core.procedures._shaped import least_smoothing, shapers_for
from kestov_core.procedures.resonance import ResonanceContext, analyse_rows
from kestov_core.signals import shapers
from kestov_core.signals.sampling import spread_stamps
from kestov_core.simulator.shaking import Sensor, Shake, SimAxis, SimMode, shake


def listen(axis, kind="sweep", along="x", seed=1, sensor=None, excited=None, **how):
    seconds = {"sweep": 20.0, "impulse": 8.0, "ambient": 30.0}[kind]
    level = {"sweep": 800.0, "impulse": 15000.0, "ambient": 1500.0}[kind]
    shake_ = Shake(kind=kind, **{"seconds": seconds, "level_mm_s2": level, **how})
    got = shake(axis, along, shake_, sensor or Sensor(), seed)
    context = ResonanceContext(unit=got.unit, excited_axis=excited or along, excitation=kind)
    return analyse_rows(context, got.time_s, got.acceleration)


def one(hz=45.0, damping=0.06, **more):
    return SimAxis(modes=[SimMode(hz=hz, damping=damping)], **more)


class RightFigures(unittest.TestCase):
    def near(self, result, modes):
        self.assertEqual(len(result.modes), len(modes), result.modes)
        for found, (hz, damping) in zip(result.modes, modes, strict=True):
            self.assertLess(abs(found.frequency.value / hz - 1), 0.015)
            self.assertLess(abs(found.damping_ratio.value / damping - 1), 0.25)
            self.assertLess(found.frequency.u95, 0.04 * hz)

    def test_one_mode_by_every_excitation(self):
        for kind in ("sweep", "impulse", "ambient"):
            for hz, damping in ((28.0, 0.12), (45.0, 0.03), (92.0, 0.07)):
                with self.subTest(kind=kind, hz=hz):
                    result = listen(one(hz, damping), kind)
                    self.near(result, [(hz, damping)])
                    self.assertIsNotNone(result.recommended)

    def test_two_and_three_modes(self):
        two = SimAxis(modes=[SimMode(hz=34, damping=0.05, share=0.6), SimMode(hz=61, damping=0.08, share=0.5)])
        three = SimAxis(
            modes=[SimMode(hz=28, damping=0.04), SimMode(hz=52, damping=0.05), SimMode(hz=95, damping=0.06)]
        )
        for kind in ("sweep", "impulse", "ambient"):
            with self.subTest(kind=kind):
                self.near(listen(two, kind), [(34, 0.05), (61, 0.08)])
                self.near(listen(three, kind, seconds=40.0), [(28, 0.04), (52, 0.05), (95, 0.06)])

    def test_units_jitter_and_gaps_change_nothing_but_what_is_said_of_them(self):
        for unit in ("m/s2", "g", "mm/s2"):
            sensor = Sensor(rate_hz=3200, jitter=0.15, unit=unit, gaps=[(3.0, 0.1), (11.0, 0.05)])
            result = listen(one(), sensor=sensor)
            self.near(result, [(45, 0.06)])
            self.assertEqual((result.quality.gaps, result.quality.resampled), (2, True))
            self.assertAlmostEqual(result.quality.jitter_percent, 15 * 2**0.5, delta=4)
            self.assertIn("resampled", [w.code for w in result.warnings])

    def test_uncertainties_cover_the_truth(self):
        for kind in ("sweep", "impulse", "ambient"):
            inside = 0
            for seed in range(12):
                rng = np.random.default_rng(seed)
                hz, damping = float(rng.uniform(25, 100)), float(rng.uniform(0.02, 0.15))
                result = listen(one(hz, damping), kind, seed=seed, seconds=15.0)
                f = result.modes[0].frequency
                inside += abs(f.value - hz) <= f.u95
            self.assertGreaterEqual(inside, 10, kind)

    def test_diagonals_are_turned_onto_their_own_axis(self):
        for along in ("a", "b"):
            result = listen(one(), along=along)
            self.near(result, [(45, 0.06)])
            self.assertNotIn("axis_cross_talk", [w.code for w in result.warnings])
            self.assertIn("b" if along == "a" else "a", result.spectrum.others)

    def test_the_same_file_by_the_command_line_reader(self):
        got = shake(one(), "x", Shake(seconds=10.0), Sensor(unit="g"), 3)
        context = {"unit": "g", "excited_axis": "x", "excitation": "sweep"}
        by_file = run("resonance", context, got.csv())
        # Columns in another order, decimal commas, semicolons, a mark and a comment: the same figures.
        table = [line.split(",") for line in got.csv().decode().splitlines()]
        turned = "\ufeff# from the bench\n" + "\n".join(
            ";".join([r[3], r[1], r[0], r[2]]).replace(".", ",") for r in table
        )
        again = run("resonance", context, turned.encode())
        self.assertAlmostEqual(by_file.frequency.value, again.frequency.value, places=6)


class Refusals(unittest.TestCase):
    def refused(self, result, code):
        self.assertIn(code, [w.code for w in result.warnings])
        self.assertIsNone(result.recommended)
        self.assertEqual(result.verdict, "cannot_tell")
        self.assertTrue(result.why_not)
        self.assertTrue(result.advice)

    def test_play_comes_first(self):
        for kind, level in (("sweep", 800), ("impulse", 12000), ("ambient", 800)):
            with self.subTest(kind=kind):
                result = listen(one(play_mm=0.03), kind, level_mm_s2=float(level))
                self.refused(result, "play_suspected")
                self.assertEqual(
                    [(a.action, a.measure) for a in result.advice[:2]], [("check_play", "play"), ("check_drag", "drag")]
                )
                found = {f.finding: f.state for f in result.findings}
                self.assertEqual(found["resonance_not_linear"], "present")

    def test_a_sound_axis_is_found_linear(self):
        for kind in ("sweep", "impulse", "ambient"):
            result = listen(one(), kind)
            self.assertEqual({f.finding: f.state for f in result.findings}["resonance_not_linear"], "absent")

    def test_the_other_axis_answers_as_much(self):
        self.refused(listen(one(cross=1.0)), "axis_cross_talk")
        result = listen(one(cross=1.0))
        self.assertIn("Y", next(w.message for w in result.warnings if w.code == "axis_cross_talk"))

    def test_too_little_signal(self):
        for kind, level in (("sweep", 20), ("impulse", 150), ("ambient", 10)):
            with self.subTest(kind=kind):
                result = listen(one(), kind, level_mm_s2=float(level), sensor=Sensor(noise_mm_s2=600))
                self.refused(result, "low_snr")

    def test_the_wrong_kind_of_file(self):
        # A sweep's record said to be knocks, and a quiet record said to be a sweep.
        got = shake(one(), "x", Shake(kind="ambient", level_mm_s2=1.0), Sensor(), 1)
        context = ResonanceContext(unit=got.unit, excited_axis="x", excitation="impulse")
        self.refused(analyse_rows(context, got.time_s, got.acceleration), "low_snr")

    def test_a_split_peak(self):
        close = SimAxis(modes=[SimMode(hz=43, damping=0.05), SimMode(hz=46, damping=0.05, share=0.8)])
        for kind in ("sweep", "impulse"):
            with self.subTest(kind=kind):
                self.refused(listen(close, kind), "broad_or_split_peak")

    def test_modes_far_apart_have_no_shaper_and_it_is_said_why(self):
        far = SimAxis(modes=[SimMode(hz=f, damping=0.02) for f in (35, 65, 104)])
        result = listen(far)
        self.assertIsNone(result.recommended)
        self.assertEqual(result.verdict, "not_judged")
        self.assertIn("too far apart", result.why_not)

    def test_too_slow_a_sensor(self):
        self.refused(listen(one(), sensor=Sensor(rate_hz=320)), "aliasing_possible")

    def test_odd_records_are_refused_or_answered_and_never_tuned_to(self):
        rng = np.random.default_rng(0)
        for rows, rate in ((64, 100.0), (100, 3200.0), (400, 100.0), (3000, 25.0), (3200, 800.0)):
            t = np.arange(rows) / rate - 3.0
            for signal in (
                np.zeros(rows), np.full(rows, 9.8), (np.arange(rows) == rows // 2) * 50.0, rng.normal(size=rows),
                rng.normal(size=rows) * 1e-12, rng.normal(size=rows) * 1e9, np.where(np.arange(rows) > rows / 2, 5.0, 0.0), t,
            ):  # fmt: skip
                for kind in ("sweep", "impulse", "ambient"):
                    context = ResonanceContext(unit="m/s2", excited_axis="a", excitation=kind)
                    try:
                        result = analyse_rows(context, t, np.stack([signal] * 3))
                    except BadInput as e:
                        self.assertEqual((e.code, rows / rate <= 1), ("too_few_rows", True))
                    else:
                        self.assertIsNone(result.recommended)
                        result.model_dump_json()

    def test_bad_files(self):
        context = {"unit": "g", "excited_axis": "x", "excitation": "sweep"}
        good = shake(one(), "x", Shake(seconds=2.0), Sensor(), 1).csv().decode().splitlines()
        swapped = [*good[:40], good[41], good[40], *good[42:]]
        for lines, code, row, field in (
            (good[:30], "too_few_rows", None, "data"),
            (swapped, "time_not_increasing", 42, "time_s"),
            ([*good[:99], "0.3,1,zwei,3", *good[99:]], "bad_row", 100, "ay"),
            ([*good[:99], "0.3,1,2", *good[99:]], "bad_row", 100, "data"),
            ([*good[:99], "0.3,1,inf,3", *good[99:]], "not_finite", 100, "ay"),
            (["time_s,ax,az", *good[1:]], "missing_column", 1, "ay"),
        ):
            with self.assertRaises(BadInput) as e:
                run("resonance", context, "\n".join(lines).encode())
            self.assertEqual((e.exception.code, e.exception.row, e.exception.field), (code, row, field))


#: How machines shake: waves of constant acceleration, gliding, in octaves, by rungs, up and down, with uneven motors.
AS_MACHINES_DO = [
    {"wave": wave, "path": path, "seconds": 24.0, "ripple": 0.04, **more}
    for wave, path, more in (
        ("square", "glide", {}),
        ("trapezoid", "glide", {"ramp": 0.4}),
        ("square", "octaves", {}),
        ("trapezoid", "octaves", {"ramp": 0.5}),
        ("square", "steps", {"rung_hz": 1.0}),
        ("trapezoid", "steps", {"rung_hz": 2.0, "seconds": 40.0}),
        ("square", "up_and_down", {}),
        ("trapezoid", "up_and_down", {"ramp": 0.6, "seconds": 32.0}),
    )
]


class AsMachinesShake(unittest.TestCase):
    def test_the_commands_own_overtones_are_no_play(self):
        two = SimAxis(modes=[SimMode(hz=34, damping=0.05), SimMode(hz=63, damping=0.08, share=0.5)])
        for how in AS_MACHINES_DO:
            for axis in (one(52.0, 0.04), two):
                with self.subTest(**how, modes=len(axis.modes)):
                    result = listen(axis, **how)
                    self.assertEqual([w.code for w in result.warnings if w.code != "resampled"], [])
                    self.assertEqual(len(result.modes), len(axis.modes))
                    for found, true in zip(result.modes, axis.modes, strict=True):
                        self.assertLess(abs(found.frequency.value / true.hz - 1), 0.01)
                        self.assertLess(abs(found.damping_ratio.value / true.damping - 1), 0.2)

    def test_play_of_a_fifth_of_the_swing_is_found_under_the_same_shaking(self):
        hz, damping, level = 52.0, 0.05, 800.0
        swing = level * 4 / np.pi / ((2 * np.pi * hz) ** 2 * 2 * damping)
        for how in AS_MACHINES_DO:
            with self.subTest(**how):
                result = listen(one(hz, damping, play_mm=0.1 * swing), level_mm_s2=level, **how)
                self.assertIn("play_suspected", [w.code for w in result.warnings])
                self.assertIsNone(result.recommended)

    def test_the_other_thresholds_hold_under_the_same_shaking(self):
        close = SimAxis(modes=[SimMode(hz=43, damping=0.05), SimMode(hz=46, damping=0.05, share=0.8)])
        apart = SimAxis(modes=[SimMode(hz=40, damping=0.04), SimMode(hz=52, damping=0.04, share=0.8)])
        rough = Sensor(noise_mm_s2=600.0)
        for how in AS_MACHINES_DO[::2]:
            for axis, sensor, level, code in (
                (close, None, 800.0, "broad_or_split_peak"),
                (apart, None, 800.0, None),
                (one(cross=1.0), None, 800.0, "axis_cross_talk"),
                (one(cross=0.5), None, 800.0, None),
                (one(), rough, 40.0, "low_snr"),
                (one(), rough, 400.0, None),
            ):
                with self.subTest(**how, code=code, level=level):
                    result = listen(axis, sensor=sensor, level_mm_s2=level, **how)
                    codes = [w.code for w in result.warnings if w.code != "resampled"]
                    if code is None:
                        self.assertEqual(codes, [])
                    else:
                        self.assertIn(code, codes)
                        self.assertIsNone(result.recommended)

    def test_times_rounded_to_milliseconds_are_spread_and_said(self):
        exact = listen(one(), sensor=Sensor(rate_hz=3200))
        rounded = listen(one(), sensor=Sensor(rate_hz=3200, stamp_step_s=0.001))
        self.assertIn("stamps_rounded", [w.code for w in rounded.warnings])
        self.assertNotIn("stamps_rounded", [w.code for w in exact.warnings])
        self.assertAlmostEqual(rounded.modes[0].frequency.value, exact.modes[0].frequency.value, delta=0.1)
        self.assertIsNotNone(rounded.recommended)

    def test_a_sensor_at_the_end_of_its_range_is_named(self):
        result = listen(one(), sensor=Sensor(range_mm_s2=2500.0))
        self.assertIn("saturated", [w.code for w in result.warnings])
        self.assertIsNone(result.recommended)
        self.assertNotIn("saturated", [w.code for w in listen(one()).warnings])

    def test_gravity_shows_a_wrong_unit(self):
        got = shake(one(), "x", Shake(seconds=15.0), Sensor(unit="g"), 1)
        for unit, said in (("g", False), ("mm/s2", True)):
            context = ResonanceContext(unit=unit, excited_axis="x", excitation="sweep")
            codes = {w.code: w.message for w in analyse_rows(context, got.time_s, got.acceleration).warnings}
            self.assertEqual("unit_doubtful" in codes, said)
        self.assertIn("in g", codes["unit_doubtful"])

    def test_stale_and_lost_samples_and_a_leaning_sensor_do_no_harm(self):
        for sensor in (Sensor(stale=0.03), Sensor(lost=0.03), Sensor(tilt_deg=12.0), Sensor(jitter=0.2)):
            result = listen(one(48.0, 0.05), sensor=sensor, wave="trapezoid", ripple=0.04)
            self.assertIsNotNone(result.recommended, result.why_not)
            self.assertLess(abs(result.modes[0].frequency.value / 48.0 - 1), 0.01)


class Stamps(unittest.TestCase):
    def test_rounded_stamps_become_the_clocks_own(self):
        true = np.arange(4000) / 3200.0
        for step in (0.001, 0.0005, 0.01):
            spread, rounded = spread_stamps(np.floor(true / step) * step)
            self.assertTrue(rounded)
            self.assertGreater(np.diff(spread).min(), 0)
            self.assertLess(np.ptp(spread - true), 0.1 * step)

    def test_even_and_plainly_jittered_stamps_are_left_alone(self):
        rng = np.random.default_rng(1)
        for true in (
            np.arange(2000) / 1000.0,
            np.arange(2000) / 3200.0,
            np.arange(2000) / 800 + rng.uniform(0, 5e-4, 2000),
        ):
            spread, rounded = spread_stamps(true)
            self.assertFalse(rounded)
            np.testing.assert_array_equal(spread, true)


class WhatItMeans(unittest.TestCase):
    def test_the_recommended_shaper_leaves_five_percent_at_most_over_the_uncertainty(self):
        result = listen(one())
        chosen = next(s for s in result.shapers if s.name == result.recommended)
        amplitudes = np.array([i.amplitude for i in chosen.impulses])
        times = np.array([i.time_s for i in chosen.impulses])
        f = result.modes[0].frequency
        for hz in (f.value - f.u95, f.value, f.value + f.u95):
            left = float(shapers.residual(amplitudes, times, hz, result.modes[0].damping_ratio.value))
            self.assertLessEqual(100 * left, chosen.residual_percent + 1e-6)
        self.assertLessEqual(chosen.residual_percent, 5)
        for other in result.shapers:
            if other.residual_percent <= 5:
                self.assertGreaterEqual(other.smoothing_mm_per_1000, chosen.smoothing_mm_per_1000)

    def test_acceleration_and_smoothing_go_together(self):
        for s in listen(one()).shapers:
            self.assertAlmostEqual(s.max_acceleration_mm_s2 * s.smoothing_mm_per_1000 / 1000, 0.12, places=9)

    def test_following_the_advice_reduces_the_ringing_in_the_simulator(self):
        """The shaper's impulses instead of one move: the swing after it is what the table says, and far less."""
        truth = SimMode(hz=45.0, damping=0.06)
        result = listen(SimAxis(modes=[truth]))
        chosen = next(s for s in result.shapers if s.name == result.recommended)
        amplitudes = np.array([i.amplitude for i in chosen.impulses])
        times = np.array([i.time_s for i in chosen.impulses])
        self.assertLess(float(shapers.residual(amplitudes, times, truth.hz, truth.damping)), 0.05)

    def test_against_its_own_good_frequency(self):
        for was, state in ((45.0, "absent"), (60.0, "present")):
            got = shake(one(), "x", Shake(seconds=15.0), Sensor(), 4)
            context = ResonanceContext(
                unit=got.unit, excited_axis="x", excitation="sweep", baseline={"value": was, "u95": 0.2, "unit": "Hz"}
            )
            result = analyse_rows(context, got.time_s, got.acceleration)
            self.assertAlmostEqual(result.stiffness_ratio.value, (45 / was) ** 2, delta=0.02)
            self.assertEqual({f.finding: f.state for f in result.findings}["resonance_fell"], state)

    def test_a_softer_belt_is_named(self):
        stiff, soft = listen(one(50.0), along="a").modes, listen(one(44.0), along="b").modes
        compared = comparing.diagonals(stiff, soft)
        self.assertEqual((compared.differ, compared.softer), (True, "b"))
        self.assertAlmostEqual(compared.stiffness_ratio.value, (50 / 44) ** 2, delta=0.03)
        alike = comparing.diagonals(stiff, listen(one(50.0), along="b", seed=9).modes)
        self.assertFalse(alike.differ)
        earlier = comparing.with_earlier(soft, stiff, "in spring")
        self.assertIn("Softer than in spring: 77%", earlier.words)
        self.assertIsNone(comparing.diagonals([], soft))

    def test_no_modes_no_shapers(self):
        self.assertEqual(shapers_for([], 0.12), [])
        self.assertIsNone(least_smoothing([]))
