"""The numerical pieces that hear a belt, each by itself."""

import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from kestov_core.readers import Sound
from kestov_core.signals.conditioning import band_limit, clipped_share, remove_steady_tones
from kestov_core.signals.modes import _decay_normal, _decay_slope
from kestov_core.signals.onsets import find_onsets
from kestov_core.signals.partials import (
    candidates,
    find_peaks,
    fit_string,
    follow,
    harmonicity,
    spectrum_of,
    unlike_a_pluck,
)
from kestov_core.signals.plucks import hear
from kestov_core.signals.views import sound_view
from kestov_core.simulator.sound import Belt, Pluck, Room, partial_hz, record

RATE = 6000


def string(f0, seconds=0.8, b=0.0, decay=0.4, partials=8, rate=RATE, skip=(), glide=0.0):
    t = np.arange(int(seconds * rate)) / rate
    x = np.zeros(len(t))
    for n in range(1, partials + 1):
        if n not in skip:
            f = n * f0 * np.sqrt(1 + b * n * n)
            phase = 2 * np.pi * f * (t + glide * decay / 2 * (1 - np.exp(-2 * t / decay)))
            x += np.exp(-t / decay) * np.sin(phase + n) / n
    return x


class Conditioning(unittest.TestCase):
    def test_resampling_keeps_a_tone_and_its_time(self):
        for rate in (8000, 44100, 96000):
            t = np.arange(2 * rate) / rate
            x, out_rate = band_limit(np.sin(2 * np.pi * 217 * t), rate)
            self.assertLess(out_rate, 9000)
            self.assertAlmostEqual(len(x) / out_rate, 2.0, delta=0.01)
            inner = x[int(0.3 * out_rate) : int(1.7 * out_rate)]
            self.assertAlmostEqual(float(np.sqrt(np.mean(inner**2))), 1 / np.sqrt(2), delta=0.02)

    def test_rumble_and_hiss_outside_the_band_are_gone(self):
        rate = 44100
        t = np.arange(2 * rate) / rate
        for f in (4.0, 9000.0):
            x = band_limit(np.sin(2 * np.pi * f * t), rate)[0]
            middle = x[len(x) // 4 : -len(x) // 4]
            self.assertLess(float(np.abs(middle).max()), 0.02, f)

    def test_flat_tops_are_counted_and_round_ones_are_not(self):
        t = np.arange(8000) / 8000
        clean = (0.5 * np.sin(2 * np.pi * 100 * t)).astype(np.float32)[:, None]
        self.assertLess(clipped_share(clean), 0.02)
        self.assertGreater(clipped_share(np.clip(3 * clean, -0.9, 0.9)), 0.2)

    def test_hum_is_taken_out_and_a_string_is_left(self):
        rng = np.random.default_rng(1)
        t = np.arange(6 * RATE) / RATE
        hum = 0.02 * np.sin(2 * np.pi * 50.02 * t) + 0.01 * np.sin(2 * np.pi * 150.06 * t + 1)
        x = hum + 0.001 * rng.standard_normal(len(t))
        x[RATE : RATE + len(string(88))] += 0.3 * string(88)
        clean, tones = remove_steady_tones(x, RATE, np.ones(len(x), dtype=bool))
        self.assertEqual(sorted(round(tone.frequency_hz) for tone in tones), [50, 150])
        self.assertLess(float(np.sqrt(np.mean(clean[: RATE // 2] ** 2))), 0.0025)

    def test_a_string_plucked_in_step_with_itself_is_no_hum(self):
        # Plucks a second apart at a whole number of hertz: the line is narrow, but it fades between them.
        x = 0.001 * np.random.default_rng(2).standard_normal(6 * RATE)
        for k in range(1, 5):
            x[k * RATE : k * RATE + int(0.8 * RATE)] += 0.3 * string(100)
        _, tones = remove_steady_tones(x, RATE, np.ones(len(x), dtype=bool))
        self.assertEqual(tones, [])


class Onsets(unittest.TestCase):
    def test_every_pluck_is_found_where_it_is(self):
        times = [0.3, 1.1, 1.75, 2.9]
        x = 0.002 * np.random.default_rng(3).standard_normal(4 * RATE)
        for i, at in enumerate(times):
            s = int(at * RATE)
            x[s : s + int(0.8 * RATE)] += (0.1 + 0.1 * i) * string(120)[: len(x) - s]
        found = [o.at_s for o in find_onsets(x, RATE)]
        self.assertEqual(len(found), len(times))
        np.testing.assert_allclose(found, times, atol=0.03)

    def test_noise_begins_nothing(self):
        x = 0.1 * np.random.default_rng(4).standard_normal(4 * RATE)
        self.assertLessEqual(len([o for o in find_onsets(x, RATE) if o.at_s > 0.1]), 1)

    def test_a_pluck_is_sudden_and_a_swell_is_not(self):
        x = 0.0005 * np.random.default_rng(5).standard_normal(3 * RATE)
        x[RATE : RATE + int(0.8 * RATE)] += 0.3 * string(90)
        self.assertLess(max(o.attack_s for o in find_onsets(x, RATE) if o.rise_db > 10), 0.05)
        y = 0.0005 * np.random.default_rng(5).standard_normal(3 * RATE)
        u = np.arange(RATE) / RATE
        y[RATE : 2 * RATE] += 0.3 * np.sin(2 * np.pi * 90 * u) * np.minimum(u / 0.3, 1)
        self.assertGreater(find_onsets(y, RATE)[0].attack_s, 0.05)


class Partials(unittest.TestCase):
    @settings(max_examples=25, deadline=None)
    @given(st.floats(30, 400), st.floats(0, 1.2e-3), st.integers(0, 99))
    def test_a_string_is_fitted_with_its_stiffness(self, f0, b, seed):
        x = string(f0, b=b) + 0.001 * np.random.default_rng(seed).standard_normal(int(0.8 * RATE))
        fit = fit_string(spectrum_of(x, None, RATE), f0 * 1.002)
        self.assertIsNotNone(fit)
        self.assertLess(abs(fit.f0_hz / f0 - 1), 0.003)
        self.assertLess(abs(fit.f0_hz - f0), max(6 * fit.sigma_hz, 5e-4 * f0))

    def test_numbers_of_the_partials_are_theirs(self):
        fit = fit_string(spectrum_of(string(100, skip=(1, 4)), None, RATE), 100.0)
        self.assertEqual([p.n for p in fit.partials][:5], [2, 3, 5, 6, 7])
        self.assertAlmostEqual(max(p.level_db for p in fit.partials), 0.0)

    @settings(max_examples=25, deadline=None)
    @given(st.floats(35, 300), st.sampled_from([(), (1,), (1, 2), (3,), (2, 4, 6, 8)]))
    def test_no_octave_is_better_than_the_truth(self, f0, skip):
        x = string(f0, skip=skip, partials=9)
        peaks = find_peaks(spectrum_of(x + 1e-4 * np.random.default_rng(1).standard_normal(len(x)), None, RATE))
        scores = harmonicity(peaks, np.array([f0, f0 / 2, 2 * f0, f0 / 3, 1.5 * f0]), 0.8)
        if skip != (2, 4, 6, 8):
            self.assertEqual(int(np.argmax(scores)), 0, scores)
        self.assertTrue(np.any(np.abs(candidates(peaks) / f0 - 1) < 0.004))

    def test_silence_has_no_partials(self):
        s = spectrum_of(1e-3 * np.random.default_rng(6).standard_normal(4000), None, RATE)
        self.assertLessEqual(len(find_peaks(s).hz), 2)
        self.assertEqual(harmonicity(find_peaks(s, least_excess=1e9), np.array([100.0]), 0.6)[0], -1.0)

    @given(f0=st.floats(15, 500), b=st.floats(0, 1e-3))
    @settings(max_examples=40, deadline=None)
    def test_partials_are_looked_for_up_to_where_the_spectrum_ends_and_no_further(self, f0, b):
        noise = spectrum_of(np.random.default_rng(2).standard_normal(2000), None, RATE)
        self.assertTrue(np.isfinite(unlike_a_pluck(noise, f0, b, RATE)))

    def test_a_hard_pluck_settles_and_is_read_at_rest(self):
        x = string(110, glide=0.02, seconds=0.9)
        fit = fit_string(spectrum_of(x, None, RATE), 110.3)
        course = follow(x, RATE, fit)
        self.assertLess(abs(fit.f0_hz * (1 + course.shift) / 110 - 1), abs(fit.f0_hz / 110 - 1) + 1e-4)
        self.assertLess(course.kept, 0.5)

    def test_a_wandering_pitch_is_seen_to_wander(self):
        t = np.arange(int(0.9 * RATE)) / RATE
        phase = 2 * np.pi * np.cumsum(110 * (1 + 0.05 * np.sin(2 * np.pi * 6 * t))) / RATE
        x = sum(np.sin(n * phase) / n for n in range(1, 6))
        fit = fit_string(spectrum_of(x, None, RATE), 110)
        self.assertGreater(follow(x, RATE, fit).wander, 0.012)


class Hearing(unittest.TestCase):
    def test_the_channel_with_the_plucks_is_used(self):
        sound = record(Belt(f0_hz=90), [Pluck(0.4 + i) for i in range(4)], 4.6, 16000, Room(hiss=0.001), seed=2)
        noise = 0.01 * np.random.default_rng(7).standard_normal(len(sound.samples))
        heard = hear(np.stack([noise, sound.samples], axis=1).astype(np.float32), 16000)
        self.assertAlmostEqual(heard.f0_hz, 90, delta=0.2)

    def test_two_belts_in_turn_do_not_make_one_figure(self):
        a = record(Belt(f0_hz=90), [Pluck(0.4), Pluck(1.4), Pluck(2.4), Pluck(3.4)], 5, 16000, Room(hiss=0.001), seed=2)
        b = record(Belt(f0_hz=117), [Pluck(0.9)], 5, 16000, Room(), seed=3)
        heard = hear((a.samples + b.samples).astype(np.float32)[:, None], 16000)
        self.assertAlmostEqual(heard.f0_hz, 90, delta=0.3)
        other = min(heard.plucks, key=lambda p: abs(p.at_s - 0.9))
        self.assertFalse(other.used)

    def test_partials_follow_the_formula_for_a_stiff_string(self):
        f = partial_hz(Belt(f0_hz=100, b=1e-3), np.array([1, 2, 3]))
        np.testing.assert_allclose(f, [100 * n * np.sqrt(1 + 1e-3 * n * n) for n in (1, 2, 3)])


class Views(unittest.TestCase):
    def test_the_envelope_keeps_the_extremes_and_the_spectrum_its_peak(self):
        rate = 22050
        x = np.zeros(3 * rate, dtype=np.float32)
        x[rate : rate + int(0.8 * rate)] = 0.4 * string(120, rate=rate)
        x[2 * rate] = -0.9
        view = sound_view(Sound(x[:, None], rate), [1.0], 900.0)
        self.assertAlmostEqual(min(view.low), -0.9, places=3)
        self.assertLessEqual(len(view.low), 900)
        loudest = view.frequency_hz[int(np.argmax(view.level_db))]
        self.assertAlmostEqual(loudest, 120, delta=3)
        self.assertLessEqual(max(view.frequency_hz), 900)


class Decays(unittest.TestCase):
    @settings(deadline=None, max_examples=30)
    @given(
        st.floats(0.85, 1.15), st.floats(0.02, 0.2), st.floats(0.85, 1.15), st.floats(0.02, 0.2), st.integers(0, 1000)
    )
    def test_the_normal_matrix_is_that_of_the_slopes(self, f1, z1, f2, z2, seed):
        rng = np.random.default_rng(seed)
        t = np.arange(600) / 1600
        phases = rng.uniform(0, 6, 7)
        y = np.stack([np.exp(-10 * t) * np.cos(240 * t + p) + np.exp(-20 * t) * np.cos(450 * t - p) for p in phases], 1)
        y += rng.normal(0, 0.05, y.shape)
        u = np.log([38 * f1, z1, 72 * f2, z2])
        slope, left = _decay_slope(t, y, u)
        normal, right = _decay_normal(t, y, u)
        scale = np.abs(slope.T @ slope).max()
        np.testing.assert_allclose(normal, slope.T @ slope, atol=1e-6 * scale)
        np.testing.assert_allclose(right, -slope.T @ left.ravel(), atol=1e-6 * scale)
