"""The pitch of plucked belts: against the simulator, a string of another kind, and what is no pluck at all."""

import io
import unittest

import numpy as np
import soundfile

from kestov_core import procedures
from kestov_core.errors import BadInput
from kestov_core.simulator.sound import Along, Belt, Pluck, Recording, Room, record, wav

BELT = {"span_mm": 285, "linear_density_g_per_m": 8.2}


def five(kind="good", every=1.2, **first):
    return [Pluck(at_s=0.5 + every * i, kind=kind if i == 2 else "good", **first) for i in range(5)]


def hear(recording, subtype="PCM_16", channels=1, **context):
    return procedures.run("belt-pluck", {**BELT, **context}, wav(recording, subtype, channels))


def refused(samples, rate=22050, **context):
    out = io.BytesIO()
    soundfile.write(out, samples, rate, subtype="PCM_16", format="WAV")
    try:
        result = procedures.run("belt-pluck", {**BELT, **context}, out.getvalue())
    except BadInput as e:
        return e
    raise AssertionError(f"taken for a belt: {result.frequency}")


class Pitch(unittest.TestCase):
    def assert_pitch(self, result, f0, percent=0.3):
        self.assertLess(abs(result.frequency.value / f0 - 1), percent / 100, result.frequency)
        self.assertLess(abs(result.frequency.value - f0), 1.5 * result.frequency.u95)

    def test_over_the_range_in_every_format(self):
        formats = [(8000, "PCM_16", 1), (22050, "PCM_24", 2), (44100, "FLOAT", 1), (96000, "PCM_32", 1)]
        for i, f0 in enumerate((31.0, 47.3, 71.0, 118.6, 203.0, 297.7, 396.0)):
            rate, subtype, channels = formats[i % 4]
            sound = record(Belt(f0_hz=f0), five(), 6.5, rate, Room(hiss=0.002), seed=i)
            with self.subTest(f0=f0, rate=rate):
                self.assert_pitch(hear(sound, subtype, channels), f0)

    def test_tension_is_that_of_the_string(self):
        result = hear(record(Belt(f0_hz=100.0, b=0), five(), 6.5, 22050, seed=2))
        # T = 4 mu L^2 f^2 = 4 * 0.0082 * 0.285^2 * 100^2 = 26.64 N
        self.assertAlmostEqual(result.tension.value, 26.64, delta=0.1)
        shared = 26.64 * ((2 / 285) ** 2 + 0.03**2) ** 0.5
        self.assertAlmostEqual(result.tension.shared, shared, delta=0.02)
        self.assertAlmostEqual(result.tension.u95, np.hypot(result.tension.own, result.tension.shared), places=6)

    def test_a_microphone_without_lows_hides_the_fundamental_and_no_octave_is_lost(self):
        for f0 in (42.0, 66.0, 95.0):
            cut = Room(hiss=0.0005, low_cut_hz=4 * f0, low_cut_order=3)
            result = hear(record(Belt(f0_hz=f0), five(), 6.5, 44100, cut, seed=7))
            with self.subTest(f0=f0):
                self.assert_pitch(result, f0)

    def test_stiffness_is_taken_out(self):
        stiff = Belt(f0_hz=110.0, b=1.2e-3)
        result = hear(record(stiff, five(), 6.5, 44100, Room(hiss=0.0005), seed=3))
        self.assert_pitch(result, 110.0)
        self.assertAlmostEqual(result.inharmonicity, 1.2e-3, delta=3e-4)
        heard = {p.n: p.frequency_hz for p in result.partials}
        self.assertAlmostEqual(heard[4], 440 * (1 + 16 * 1.2e-3) ** 0.5, delta=1.0)

    def test_a_bad_pluck_among_good_ones_is_left_out_and_named(self):
        for kind in ("rubbed", "knock"):
            result = hear(record(Belt(f0_hz=71.0), five(kind), 6.5, 44100, Room(hiss=0.001), seed=5))
            self.assert_pitch(result, 71.0)
            bad = min(result.plucks, key=lambda p: abs(p.at_s - 2.9))
            self.assertFalse(bad.used)
            self.assertTrue(bad.why_not)
            self.assertEqual(sum(p.used for p in result.plucks), 4)

    def test_hum_and_fan_are_not_the_belt(self):
        noisy = Room(hiss=0.004, hum=0.03, hum_hz=50, fan=0.006, fan_tone_hz=133)
        result = hear(record(Belt(f0_hz=88.0), five(), 6.5, 44100, noisy, seed=11))
        self.assert_pitch(result, 88.0)
        self.assertIn("mains_hum", [w.code for w in result.warnings])

    def test_a_belt_that_rings_on_between_plucks_is_not_taken_for_hum(self):
        long = Belt(f0_hz=194.6, b=8e-5, decay_s=0.8)
        result = hear(record(long, five(every=0.75), 4.6, 44100, Room(hiss=0.0003, hum=0.004), seed=210))
        self.assert_pitch(result, 194.6)

    def test_one_plain_pluck_is_enough_and_says_that_it_is_one(self):
        result = hear(record(Belt(f0_hz=71.0), [Pluck(at_s=0.4)], 2.5, 22050, Room(hiss=0.001, hum=0.02), seed=1))
        self.assert_pitch(result, 71.0)
        self.assertIn("few_plucks", [w.code for w in result.warnings])

    def test_clipping_is_said_and_does_not_move_the_pitch(self):
        result = hear(record(Belt(f0_hz=120.0), five(), 6.5, 44100, Room(gain=6), seed=4))
        self.assert_pitch(result, 120.0)
        self.assertIn("clipped", [w.code for w in result.warnings])

    def test_uncertainty_covers_the_truth(self):
        rng = np.random.default_rng(20)
        inside = 0
        for i in range(30):
            f0 = float(np.exp(rng.uniform(np.log(35), np.log(380))))
            belt = Belt(
                f0_hz=f0, b=float(10 ** rng.uniform(-5, -3)), decay_s=float(rng.uniform(0.15, 0.6)), glide=0.006
            )
            plucks = [
                Pluck(0.4 + 1.1 * k, float(rng.uniform(0.2, 0.6)), float(rng.uniform(0.1, 0.45))) for k in range(4)
            ]
            q = hear(record(belt, plucks, 5, 16000, Room(hiss=0.003, hum=0.005), seed=i)).frequency
            inside += abs(q.value - f0) <= q.u95
        self.assertGreaterEqual(inside, 26)

    def test_a_string_made_another_way(self):
        # A travelling wave in a delay line with a soft reflection (Karplus and Strong 1983; Jaffe and Smith 1983).
        rate, f0 = 44100, 82.41
        rng = np.random.default_rng(3)
        delay = rate / f0 - 0.5
        whole = int(delay)
        part = delay - whole
        out = np.zeros(int(6.2 * rate))
        for start in (0.4, 1.6, 2.8, 4.0):
            n = int(1.15 * rate)
            y = np.zeros(n + whole + 2)
            y[: whole + 2] = rng.uniform(-1, 1, whole + 2)
            begin = whole + 2
            while begin < len(y):
                stop = min(begin + whole - 1, len(y))
                k = np.arange(begin, stop)
                back = (1 - part) * y[k - whole] + part * y[k - whole - 1]
                older = (1 - part) * y[k - whole - 1] + part * y[k - whole - 2] if k[0] >= whole + 2 else back
                y[k] = 0.996 * 0.5 * (back + older)
                begin = stop
            s = int(start * rate)
            out[s : s + n] += 0.3 * y[:n]
        result = hear(Recording(out, rate))
        self.assertLess(abs(result.frequency.value / f0 - 1), 0.004)


def in_a_machine(seed, level_db=(-20.0, -10.0), room=None, **context):
    """A short-ringing belt of 10 to 70 N whose other run rings along at another pitch; its f_0, and what was heard."""
    rng = np.random.default_rng(seed)
    f0 = float(np.exp(rng.uniform(np.log(40), np.log(300))))
    span = 1000 * np.sqrt(rng.uniform(10, 70) / 0.0082) / (2 * f0)
    ratio = float(rng.choice([rng.uniform(0.55, 0.93), rng.uniform(1.07, 1.8)]))
    other = Along(Belt(f0 * ratio, q=float(rng.uniform(20, 50))), float(rng.uniform(*level_db)))
    plucks = [Pluck(0.5 + 1.1 * k, float(rng.uniform(0.2, 0.5)), float(rng.uniform(0.15, 0.42))) for k in range(5)]
    room = room or Room(hiss=0.001, hum=0.003, fan=0.002, low_cut_hz=70)
    sound = record(Belt(f0, q=float(rng.uniform(20, 50)), glide=0.004), plucks, 6, 22050, room, seed, [other])
    return f0, f0 * ratio, hear(sound, span_mm=span, **context)


class InAMachine(unittest.TestCase):
    def test_another_run_that_rings_along_is_not_taken_for_the_belt(self):
        right, silent = 0, 0
        for seed in range(24):
            f0, _, result = in_a_machine(seed)
            near = abs(result.frequency.value / f0 - 1) < 0.015
            right += near
            silent += not near and "octave_doubt" not in [w.code for w in result.warnings]
        self.assertGreaterEqual(right, 22)
        self.assertEqual(silent, 0)

    def test_what_rings_along_is_told(self):
        told = 0
        for seed in range(8):
            f0, other, result = in_a_machine(seed, (-12.0, -10.0))
            if result.second_pitch and abs(result.frequency.value / f0 - 1) < 0.015:
                told += abs(result.second_pitch.value / other - 1) < 0.03
                doubted = "octave_doubt" in [w.code for w in result.warnings]
                self.assertTrue(result.second_level_db < -6 or doubted)
        self.assertGreaterEqual(told, 5)
        alone = hear(record(Belt(f0_hz=71.0), five(), 6.5, 22050, Room(hiss=0.002), seed=5))
        self.assertIsNone(alone.second_pitch)

    def test_two_of_like_strength_are_both_told_with_what_settles_it(self):
        other = Along(Belt(81.0, q=40.0), 0.0)
        result = hear(record(Belt(110.0, q=35.0), five(), 6.5, 22050, Room(hiss=0.001), 3, [other]))
        message = next(w.message for w in result.warnings if w.code == "octave_doubt")
        self.assertIn("finger", message)
        readings = sorted([result.frequency.value, result.or_else.frequency.value])
        self.assertAlmostEqual(readings[0], 81.0, delta=1.5)
        self.assertAlmostEqual(readings[1], 110.0, delta=1.5)
        k = (result.or_else.frequency.value / result.frequency.value) ** 2
        self.assertAlmostEqual(result.or_else.tension.value, result.tension.value * k, places=6)

    def test_a_tension_that_no_belt_has_is_doubted(self):
        sound = record(Belt(f0_hz=71.0), five(), 6.5, 22050, Room(hiss=0.002), seed=5)
        self.assertNotIn("octave_doubt", [w.code for w in hear(sound).warnings])
        far = hear(sound, span_mm=1500)  # 370 N
        self.assertIn("octave_doubt", [w.code for w in far.warnings])

    def test_a_phone_that_limits_a_late_start_and_a_close_pair(self):
        limiting = Room(hiss=0.002, low_cut_hz=150, limiter=0.15)
        late = [Pluck(at_s=-0.08), *five()[:4]]
        close = [*five(), Pluck(at_s=3.18)]
        for plucks, room in ((five(), limiting), (late, None), (close, None)):
            result = hear(record(Belt(88.0, q=35.0), plucks, 6.5, 22050, room, seed=6))
            self.assertLess(abs(result.frequency.value / 88.0 - 1), 0.01)


class Verdicts(unittest.TestCase):
    def test_slack_tight_and_right(self):
        sound = record(Belt(f0_hz=100.0, b=0), five(), 6.5, 22050, seed=2)  # 26.6 N
        for low, high, verdict, action, findings in (
            (20, 33, "in_tolerance", None, ("absent", "absent")),
            (30, 40, "out_of_tolerance", "tighten_belt", ("present", "absent")),
            (10, 20, "out_of_tolerance", "slacken_belt", ("absent", "present")),
            (26, 40, "cannot_tell", "weigh_belt", ("unknown", "absent")),
        ):
            result = hear(sound, target_n={"low": low, "high": high}, axis="a")
            self.assertEqual(result.verdict, verdict, (low, high))
            self.assertEqual([f.state for f in result.findings], list(findings))
            self.assertEqual(result.advice[0].action if result.advice else None, action)

    def test_typical_density_has_its_wide_uncertainty(self):
        sound = wav(record(Belt(f0_hz=100.0), five(), 6.5, 22050, seed=2))
        result = procedures.run("belt-pluck", {"span_mm": 285, "width_mm": 6}, sound)
        self.assertGreater(result.tension.shared / result.tension.value, 0.119)
        with self.assertRaises(BadInput) as e:
            procedures.run("belt-pluck", {"span_mm": 285}, sound)
        self.assertEqual((e.exception.code, e.exception.field), ("missing_field", "linear_density_g_per_m"))


class NoPluck(unittest.TestCase):
    def test_what_is_no_belt_is_refused_with_a_reason(self):
        rng = np.random.default_rng(9)
        rate = 22050
        t = np.arange(6 * rate) / rate
        quiet = 3e-4 * rng.standard_normal(len(t))

        def each(shape):
            x = quiet.copy()
            for k in range(5):
                s = int((0.4 + 1.1 * k) * rate)
                x[s : s + rate] += shape(t[:rate])
            return x

        for name, x in {
            "silence": np.zeros(len(t)),
            "noise": 0.1 * rng.standard_normal(len(t)),
            "hum": sum(0.1 / k * np.sin(2 * np.pi * 50 * k * t) for k in range(1, 6)),
            "a steady tone": 0.3 * np.sin(2 * np.pi * 120 * t),
            "a rising tone": 0.3 * np.sin(2 * np.pi * (20 * t + 30 * t**2)),
            "claps": each(lambda u: 0.5 * np.exp(-u / 0.01) * rng.standard_normal(len(u))),
            "gusts": each(lambda u: 0.2 * np.sin(np.pi * u) ** 2 * rng.standard_normal(len(u))),
        }.items():
            with self.subTest(name):
                e = refused(x)
                self.assertEqual(e.code, "no_pluck")
                self.assertGreater(len(e.message), 20)

    def test_syllables_are_refused(self):
        # A voice: pulses of a pitch that falls, through two resonances, swelling within 80 ms.
        rate = 16000
        rng = np.random.default_rng(4)
        x = 2e-4 * rng.standard_normal(6 * rate)
        for k in range(6):
            u = np.arange(int(0.35 * rate)) / rate
            pitch = rng.uniform(95, 130) * (1 + 0.15 * np.sin(2 * np.pi * 1.3 * u + rng.uniform(0, 6)))
            phase = np.cumsum(pitch) / rate
            voice = sum(np.sin(2 * np.pi * n * phase) / (1 + ((n * 110 - 500) / 200) ** 2) for n in range(1, 20))
            s = int((0.3 + 0.9 * k) * rate)
            x[s : s + len(u)] += 0.2 * voice * np.sin(np.pi * u / 0.35) ** 0.7
        self.assertEqual(refused(x, rate).code, "no_pluck")

    def test_too_short(self):
        self.assertEqual(refused(np.ones(2000) * 0.1).code, "no_pluck")
