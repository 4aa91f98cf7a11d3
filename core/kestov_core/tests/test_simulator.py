"""The stand-in behaves as a machine does: it answers to its screw, not to the model's figures."""

import unittest

import numpy as np

from kestov_core.errors import BadInput
from kestov_core.machine import Tensioner, newtons_per_turn
from kestov_core.readers import read_wav
from kestov_core.simulator.machine import SimBelt, SimMachine, pluck, true_pitch, turn
from kestov_core.simulator.sound import Belt, Pluck, Room, record, wav


def machine(**more):
    common = dict(
        linear_density_g_per_m=8.24,
        span_mm=285,
        axial_stiffness_n=15000,
        loop_length_mm=1760,
        tensioner=Tensioner(thread_pitch_mm=0.7),
    )
    belts = {
        "a": SimBelt(tension_n=20, partner="b", **{**common, **more}),
        "b": SimBelt(tension_n=25, partner="a", **common),
    }
    return SimMachine(belts=belts, coupling=0.1, seed=3)


class Screw(unittest.TestCase):
    def test_tightening_gains_and_takes_from_the_partner(self):
        before, after = machine(), turn(machine(), "a", 0.5)
        gained = after.belts["a"].tension_n - before.belts["a"].tension_n
        nominal = newtons_per_turn(Tensioner(thread_pitch_mm=0.7), 15000, 1760) * 0.5
        self.assertAlmostEqual(gained / nominal, 0.95, delta=0.08)
        lost = before.belts["b"].tension_n - after.belts["b"].tension_n
        self.assertAlmostEqual(lost / gained, 0.1, delta=0.02)

    def test_a_thread_that_differs_shows(self):
        self.assertLess(
            turn(machine(gain=0.8), "a", 0.5).belts["a"].tension_n, turn(machine(), "a", 0.5).belts["a"].tension_n
        )

    def test_a_belt_never_pushes(self):
        self.assertGreater(turn(machine(), "a", -20).belts["a"].tension_n, 0)

    def test_what_it_is_asked_for_it_has(self):
        with self.assertRaises(BadInput):
            turn(machine(), "t1", 1)

    def test_the_machine_that_was_is_left_as_it_was(self):
        before = machine()
        turn(before, "a", 1)
        self.assertEqual(before, machine())


class Microphone(unittest.TestCase):
    def test_the_same_seed_sounds_the_same_and_the_next_take_does_not(self):
        (after, first), (_, again) = pluck(machine(), "a"), pluck(machine(), "a")
        np.testing.assert_array_equal(first.samples, again.samples)
        self.assertFalse(np.array_equal(first.samples, pluck(after, "a")[1].samples))

    def test_pitch_goes_with_the_root_of_the_tension(self):
        belt = machine().belts["a"]
        tighter = belt.model_copy(update={"tension_n": 80})
        self.assertAlmostEqual(true_pitch(tighter) / true_pitch(belt), 2.0)

    def test_the_wav_holds_what_was_recorded(self):
        sound = record(Belt(f0_hz=80), [Pluck(0.2)], 1.0, 22050, Room(hiss=0.001), seed=1)
        for subtype, step in (("PCM_16", 4e-5), ("PCM_24", 2e-7), ("FLOAT", 1e-6)):
            read = read_wav(wav(sound, subtype, channels=2))
            self.assertEqual(read.samples.shape, (22050, 2))
            np.testing.assert_allclose(read.samples[:, 1], sound.samples, atol=step)

    def test_a_microphone_that_cuts_lows_takes_thirty_decibels_off_the_fundamental(self):
        def level(room):
            x = record(Belt(f0_hz=60), [Pluck(0.1)], 1.0, 16000, room, seed=1).samples
            spectrum = np.abs(np.fft.rfft(x * np.hanning(len(x))))
            return 20 * np.log10(spectrum[58:63].max())

        cut = level(Room(hiss=0)) - level(Room(hiss=0, low_cut_hz=190, low_cut_order=3))
        self.assertGreater(cut, 27)
