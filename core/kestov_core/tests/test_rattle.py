"""rattle: rungs found by their mark, levels in dB, parts that answer against made recordings, and before against after."""

import math
import unittest

import numpy as np

from kestov_core import gcode, procedures
from kestov_core.errors import BadInput
from kestov_core.procedures.rattle import a_weight
from kestov_core.simulator.machine import SimMachine
from kestov_core.simulator.moving import SimPart, ladder_sound
from kestov_core.simulator.sound import Recording, wav

LADDER = [float(v) for v in range(20, 121, 10)]
STEPS = 5.0


def sound(parts=(), ladder=LADDER, **how):
    return wav(ladder_sound(list(ladder), STEPS, list(parts), **how))


GOOD = {
    "rattle": (
        {"axis": "x", "ladder_mm_s": [20.0, 40.0, 60.0, 80.0], "steps_per_mm": STEPS},
        sound([SimPart(hz=300.0)], (20.0, 40.0, 60.0, 80.0)),
    )
}


def run(data, ladder=LADDER, **context):
    return procedures.run("rattle", {"axis": "x", "ladder_mm_s": list(ladder), "steps_per_mm": STEPS, **context}, data)


class Rattle(unittest.TestCase):
    def test_the_weighting_is_the_standards(self):
        # IEC 61672-1, table 3.
        for hz, db in ((31.5, -39.4), (100, -19.1), (200, -10.9), (500, -3.2), (1000, 0.0), (2000, 1.2), (8000, -1.1)):
            self.assertAlmostEqual(10 * math.log10(float(a_weight(np.array([hz]))[0])), db, delta=0.15)

    def test_rungs_are_found_by_the_mark_wherever_the_recording_begins(self):
        for before in (0.3, 1.2, 4.0):
            result = run(sound(before_s=before))
            self.assertAlmostEqual(result.mark_at_s, before, delta=0.05)
            self.assertEqual([r.speed_mm_s for r in result.rungs], LADDER)

    def test_levels_are_those_of_the_sound(self):
        # A tone of known power over a floor of known power, at 1 kHz, where the weighting is one.
        rate, rng = 16000, np.random.default_rng(2)
        ladder = [20.0, 30.0, 40.0]
        made = ladder_sound(ladder, STEPS, [], rate_hz=rate, tone=0.0, rush=0.0, hiss=0.0)
        t = np.arange(len(made.samples)) / rate
        x = 1e-3 * math.sqrt(2) * np.sin(2 * np.pi * 1000 * t)
        for a, b in [(1.2 + 0.6 * i, 1.5 + 0.6 * i) for i in range(3)] + [(3.7 + 2 * i, 5.2 + 2 * i) for i in range(3)]:
            x[int(a * rate) : int(b * rate)] *= 20.0
        result = run(wav(Recording(x + rng.normal(0, 1e-6, len(x)), rate), "FLOAT"), ladder)
        for rung in result.rungs:
            self.assertAlmostEqual(rung.level.value, 20 * math.log10(20), delta=0.3)

    def test_a_part_that_answers_is_found_at_its_pitch_and_speed(self):
        for order, hz in ((1.0, 352.0), (2.0, 811.0), (0.5, 148.0), (1.0, 197.0)):
            result = run(sound([SimPart(hz=hz, orders=(order,), level=0.06)], seed=4))
            self.assertTrue(result.answers, (order, hz))
            first = result.answers[0]
            self.assertAlmostEqual(first.frequency_hz.value, hz, delta=max(2.0, first.frequency_hz.u95))
            self.assertAlmostEqual(first.speed_mm_s, hz / order / STEPS, delta=7.0)
            self.assertEqual(result.advice[0].action, "hold_parts")

    def test_the_motors_own_tone_is_no_answer(self):
        found = [len(run(sound(seed=s)).answers) for s in range(25)]
        self.assertLessEqual(sum(f > 0 for f in found), 1)
        self.assertEqual(run(sound(seed=3)).advice[0].action, "leave")

    def test_two_parts_are_told_loudest_first(self):
        result = run(sound([SimPart(hz=252.0, level=0.03), SimPart(hz=505.0, level=0.12)], seed=2))
        self.assertEqual([round(a.frequency_hz.value / 10) for a in result.answers[:2]], [50, 25])
        self.assertGreater(result.answers[0].rise_db, result.answers[1].rise_db)

    def test_feet_that_help_are_told_and_so_is_what_changes_nothing(self):
        part = SimPart(hz=352.0, level=0.1)
        first = run(sound([part], seed=1)).model_dump()
        quieter = run(sound([SimPart(hz=352.0, level=0.01)], seed=2), before=first)
        self.assertEqual((quieter.verdict_words, quieter.advice[0].action), ("quieter", "compare"))
        at = next(c for c in quieter.change if c.speed_mm_s == 70.0)
        self.assertLess(at.db.value, -8)
        self.assertEqual(run(sound([part], seed=3), before=first).verdict_words, "cannot_tell")
        louder = run(sound([SimPart(hz=352.0, level=0.4)], seed=2), before=first)
        self.assertEqual(louder.verdict_words, "louder")
        other = run(sound(ladder=(25.0, 45.0, 65.0)), (25.0, 45.0, 65.0), before=first)
        self.assertIn("other_ladder", [w.code for w in other.warnings])

    def test_a_level_is_known_as_well_as_it_says(self):
        runs = [run(sound(ladder=(20.0, 60.0, 100.0), seed=s), (20.0, 60.0, 100.0)).rungs[1].level for s in range(60)]
        middle = float(np.mean([q.value for q in runs]))
        inside = np.mean([abs(q.value - middle) <= q.u95 for q in runs])
        self.assertGreaterEqual(inside, 0.85)

    def test_without_a_mark_it_is_refused(self):
        rng = np.random.default_rng(1)
        noise = wav(Recording(rng.normal(0, 0.01, 16000 * 40), 16000))
        short = wav(Recording(rng.normal(0, 0.01, 16000 * 5), 16000))
        cut = sound()[: len(sound()) // 2]
        for data in (noise, short):
            with self.assertRaises(BadInput) as e:
                run(data)
            self.assertEqual(e.exception.code, "no_mark")
        with self.assertRaises(BadInput):
            run(cut)

    def test_the_ladder_is_told_or_made_from_its_ends(self):
        made = procedures.run(
            "rattle", {"steps_per_mm": STEPS, "slowest_mm_s": 20.0, "fastest_mm_s": 120.0, "rungs": 11}, sound()
        )
        self.assertEqual([r.speed_mm_s for r in made.rungs], LADDER)
        for context, field in (
            ({}, "ladder_mm_s"),
            ({"ladder_mm_s": [20.0, 30.0]}, "ladder_mm_s"),
            ({"slowest_mm_s": 50.0, "fastest_mm_s": 20.0, "rungs": 5}, "fastest_mm_s"),
        ):
            with self.assertRaises(BadInput) as e:
                procedures.run("rattle", {"steps_per_mm": STEPS, **context}, sound())
            self.assertEqual(e.exception.field, field)

    def test_the_program_runs_each_speed_for_its_time_within_the_axis(self):
        text = gcode.speed_ladder("x", [20.0, 100.0, 300.0], 1.5, 0.5, 0.0, 200.0)
        at, feed, per = 0.0, 0.0, {}
        for line in text.splitlines():
            if line.startswith("G1"):
                for word in sorted(line.split()[1:]):  # F before X
                    if word[0] == "F":
                        feed = float(word[1:]) / 60
                    else:
                        to = float(word[1:])
                        self.assertTrue(5.0 <= to <= 195.0, line)
                        per[feed] = per.get(feed, 0.0) + abs(to - at)
                        at = to
        for speed in (20.0, 300.0):
            self.assertAlmostEqual(per[speed] / speed, 1.5, delta=0.01)
        self.assertEqual(text.count("G4 P300"), 2)
        with self.assertRaises(BadInput):
            gcode.speed_ladder("x", [20.0, 100.0], 1.5, 0.5, 0.0, 15.0)

    def test_the_stand_in_runs_the_same_ladder(self):
        machine = SimMachine(belts={}, parts={"x": [SimPart(hz=310.0)]})
        context = {"steps_per_mm": STEPS, "slowest_mm_s": 20.0, "fastest_mm_s": 100.0, "rungs": 9}
        read = procedures.get("rattle").stand_in(machine, "x", 1, context)
        result = procedures.run("rattle", context, read.data)
        self.assertAlmostEqual(result.answers[0].frequency_hz.value, 310.0, delta=3.0)
        self.assertEqual(read.machine.touched, 1)


if __name__ == "__main__":
    unittest.main()
