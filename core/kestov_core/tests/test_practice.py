"""Practice machines: one truth for eye, ear, hand, instrument and print; what repairs do to it; the advice's way; the account."""

import unittest

import numpy as np
from hypothesis import given as for_all
from hypothesis import settings
from hypothesis import strategies as st

from kestov_core.diagnosis.places import machine_described, place_checks
from kestov_core.errors import BadInput
from kestov_core.knowledge import checks, events, faults, findings
from kestov_core.practice import account, acts, advice, lessons, prints, senses, truth
from kestov_core.practice.account import Answered, Done
from kestov_core.simulator.ailing import CAUSES, can_have, sound_machine

LIMITS = lessons.limits()
KINEMATICS = ("bed_slinger", "fixed_bed", "corexy", "delta", "belt_bed")


def machine(kinematics):
    return lessons.machines()[kinematics].description


def measure(t, procedure, place, seed=3):
    sim = truth.simulated(t, machine(t.kinematics), LIMITS)
    return acts.measured(sim, procedure, place, machine(t.kinematics), LIMITS, seed)[1]


def says(result, finding, place=None):
    return any(f.finding == finding and f.state == "present" and place in (None, f.axis) for f in result.findings)


class Lessons(unittest.TestCase):
    def test_each_shows_what_its_member_tells_whatever_its_seed(self):
        for lesson in lessons.lessons().values():
            for seed in (1, 2, 77, 50_000, lessons.MOST_SEED):
                begun = lessons.begin(lesson.id, seed)
                shown = begun.truth.signs()
                for t in [*begun.told, *lesson.shows]:
                    self.assertTrue(shown.there(t.finding, t.axis), (lesson.id, seed, t))

    def test_they_stand_in_an_order_and_do_not_name_their_fault(self):
        steps = [row.step for row in lessons.lessons().values()]
        self.assertEqual(steps, list(range(1, len(steps) + 1)))
        for lesson in lessons.lessons().values():
            self.assertIn(lesson.began, {"", *events()})
            for fault in lesson.faults:
                self.assertIn(fault, CAUSES)
                self.assertNotIn(faults()[fault].label.lower(), f"{lesson.title} {lesson.why} {lesson.words}".lower())

    def test_the_same_seed_is_the_same_machine(self):
        self.assertEqual(lessons.begin("slack_belt", 9), lessons.begin("slack_belt", 9))
        self.assertNotEqual(lessons.begin("slack_belt", 9).truth.values, lessons.begin("slack_belt", 10).truth.values)
        one = lessons.by_chance("corexy", 5)
        self.assertEqual(one, lessons.by_chance("corexy", 5))
        self.assertEqual(len(lessons.by_chance("corexy", 5, "two").truth.faults), 2)

    def test_what_is_not_a_lesson_is_refused(self):
        with self.assertRaises(BadInput):
            lessons.begin("nothing", 1)

    def test_a_description_has_the_belts_and_screws_that_its_quantities_have(self):
        for kinematics in KINEMATICS:
            of = sound_machine(kinematics, np.random.default_rng(1))
            d = machine(kinematics)
            self.assertEqual(set(d.belts()), set(of.belts))
            self.assertEqual(set(d.places("screw")), set(of.screws))


class Senses(unittest.TestCase):
    def test_everything_that_is_not_measured_can_be_met(self):
        known = findings()
        for f, kind in known.items():
            if kind.group != "measured":
                self.assertTrue(f in senses.senses() or any(c in senses.senses() for c in kind.either), f)
        self.assertLessEqual(set(senses.senses()), set(known))

    def test_they_do_not_name_what_it_is(self):
        for f, sense in senses.senses().items():
            self.assertNotEqual(sense.there, sense.absent)
            self.assertNotIn(findings()[f].label.lower(), sense.there.lower())

    def test_what_is_met_is_the_truth_of_each_place(self):
        t = lessons.begin("grub_screw", 4).truth
        met = {
            m.place: m for m in senses.met(t, [("grub_mark_moved", "x"), ("grub_mark_moved", "y"), ("belt_slack", "x")])
        }
        self.assertEqual({p: m.there for p, m in met.items()}, {"x": False, "y": True})
        self.assertIn("broken", met["y"].words)

    def test_a_buzz_is_heard_where_a_panel_is_loose(self):
        def loud(t):
            s = senses.heard(t, "x").samples
            power = np.abs(np.fft.rfft(s)) ** 2
            hz = np.fft.rfftfreq(len(s), 1 / senses.heard(t, "x").rate_hz)
            return power[(hz > 225) & (hz < 255)].sum() / power.sum()

        t = next(
            t
            for s in range(30)
            if (t := truth.given("fixed_bed", s, {"panel_loose": ""})).signs().there("panel_rattles")
        )
        self.assertGreater(loud(t), 5 * loud(truth.sound(t)))


class OneTruth(unittest.TestCase):
    """What an instrument finds is what eye and hand find, of one machine."""

    CASES = (
        ("bed_slinger", "belt_slack", "x", "belt-pluck", "x", "belt_slack"),
        ("bed_slinger", "belt_slack", "x", "belt-deflection", "x", "belt_slack"),
        ("bed_slinger", "belt_overtight", "y", "belt-pluck", "y", "belt_overtight"),
        ("corexy", "carriage_play", "x", "play", "x", "play_found"),
        ("fixed_bed", "guide_binding", "y", "drag", "y", "binding_found"),
        ("bed_slinger", "screw_bent", "z1", "screw-runout", "z1", "runout_at_lead"),
        ("fixed_bed", "steps_wrong", "y", "steps", "y", "steps_off"),
        ("fixed_bed", "shrinkage", "", "dimensions", "all", "scale_off"),
        ("fixed_bed", "frame_out_of_square", "", "square-reversal", "frame", "frame_leans"),
        ("fixed_bed", "skew_stale", "", "squareness", "frame", "squareness_off"),
        ("bed_slinger", "motor_current_low", "x", "motor-current", "x", "current_low"),
        ("bed_slinger", "belt_off_track", "x", "belt-tracking", "x", "belt_touches_flange"),
        ("bed_slinger", "beam_tilted", "", "gantry", "head", "beam_tilt"),
        ("bed_slinger", "bed_tilted", "", "bed", "bed", "bed_tilt"),
    )

    def test_the_fault_is_measured_and_gone_when_it_is_mended(self):
        for kinematics, fault, at, procedure, place, finding in self.CASES:
            with self.subTest(fault=fault, procedure=procedure):
                t = truth.given(kinematics, 6, {fault: at})
                places = [place] if measure(t, procedure, place) else list(_places(procedure, kinematics))
                self.assertTrue(any(says(measure(t, procedure, p), finding) for p in places))
                right = truth.mend(t, fault, at)
                self.assertTrue(truth.gone(right))
                self.assertFalse(any(says(measure(right, procedure, p), finding) for p in places))

    def test_a_skew_is_in_the_print_and_not_in_the_frame(self):
        t = truth.given("fixed_bed", 6, {"skew_stale": ""})
        self.assertFalse(says(measure(t, "square-reversal", "frame"), "frame_leans"))

    def test_a_wall_shows_what_its_axis_leaves_a_length_or_nothing(self):
        sims = {
            f: truth.simulated(truth.given("bed_slinger", 6, {f: at}), machine("bed_slinger"), LIMITS)
            for f, at in (("pulley_eccentric", "x"), ("moves_too_hard", ""), ("damp_filament", ""))
        }
        self.assertEqual([sims["pulley_eccentric"].pattern_mm("x", v) for v in (60, 120)], [40.0, 40.0])
        slow, quick = (sims["moves_too_hard"].pattern_mm("x", v) for v in (60, 120))
        self.assertAlmostEqual(quick, 2 * slow)
        self.assertAlmostEqual(slow, 60 / sims["moves_too_hard"].axis("y").modes[0].hz)
        self.assertIsNone(sims["damp_filament"].pattern_mm("x", 60))

    def test_a_wall_without_ripples_has_nothing_to_count(self):
        sound = truth.sound(truth.given("bed_slinger", 6, {"belt_slack": "x"}))
        self.assertIsNone(measure(sound, "ringing-print", "x"))

    @settings(max_examples=25)
    @for_all(st.integers(1, 5000), st.sampled_from(KINEMATICS))
    def test_every_machine_can_be_simulated_printed_heard_and_looked_at(self, seed, kinematics):
        t = truth.drawn(kinematics, seed, 1 + seed % 2)
        again = truth.Truth.model_validate_json(t.model_dump_json())
        self.assertEqual(again, t)
        truth.simulated(t, machine(kinematics), LIMITS)
        self.assertEqual(len(prints.printed(t).walls), 2)
        nodes = [n for pc in place_checks(machine_described(machine(kinematics))) for n in pc.nodes]
        met = senses.met(t, nodes)
        self.assertTrue(all(m.words.endswith((".", "”")) and "{" not in m.words for m in met))


def _places(procedure, kinematics):
    from kestov_core import procedures

    return procedures.get(procedure).places(machine(kinematics))


class Repairs(unittest.TestCase):
    @settings(max_examples=60)
    @for_all(st.sampled_from(sorted(CAUSES)), st.integers(1, 500), st.sampled_from(KINEMATICS))
    def test_a_right_repair_leaves_nothing_and_changes_nothing_else(self, fault, seed, kinematics):
        if not can_have(sound_machine(kinematics, np.random.default_rng(0)), fault) and not CAUSES[fault].homing:
            return
        try:
            t = truth.given(kinematics, seed, {fault: None})
        except ValueError:
            return
        right = truth.mend(t, fault, t.faults[0].place)
        self.assertTrue(truth.gone(right))
        touched = {f"{q}@{t.faults[0].place}" for q in CAUSES[fault].sets}
        self.assertEqual({k for k in t.values if t.values[k] != right.values[k]}, touched & set(t.values))

    def test_a_belt_that_was_right_is_too_tight_after_it_was_tightened(self):
        t = truth.given("bed_slinger", 6, {"damp_filament": ""})
        worse = truth.mend(t, "belt_slack", "x")
        self.assertTrue(worse.signs().there("belt_feels_hard", "x"))
        self.assertTrue(says(measure(worse, "belt-pluck", "x"), "belt_overtight"))
        back = truth.mend(worse, "belt_overtight", "x")
        self.assertFalse(back.signs().there("belt_feels_hard", "x"))
        self.assertEqual((len(worse.made), back.made), (1, []))

    def test_a_cracked_mount_stays_cracked_whatever_else_is_mended(self):
        t = truth.given("fixed_bed", 6, {"printed_part_fails": ""})
        for fault in ("belt_slack", "frame_joint_loose", "head_mount_loose", "carriage_play"):
            t = truth.mend(t, fault, "x" if CAUSES[fault].where != "whole" else "")
        self.assertTrue(t.signs().there("printed_part_cracked"))
        self.assertFalse(truth.gone(t))

    def test_one_place_mended_leaves_the_signs_of_the_others(self):
        t = truth.given("corexy", 8, {"belt_worn": "a", "screw_bent": "z1"})
        before, after = t.signs(), truth.mend(t, "belt_worn", "a").signs()
        self.assertTrue(before.there("runout_at_lead", "z1") and after.there("runout_at_lead", "z1"))
        elsewhere = {f: at for f, at in before.at.items() if f.startswith(("runout", "screw", "guide", "coupler"))}
        self.assertEqual(elsewhere, {f: after.at.get(f) for f in elsewhere})

    def test_turning_a_screw_at_the_bench_is_the_same_machine(self):
        from kestov_core.simulator.machine import turn

        t = truth.given("bed_slinger", 6, {"belt_slack": "x"})
        d = machine("bed_slinger")
        sim = truth.simulated(t, d, LIMITS)
        for _ in range(60):
            if sim.belts["x"].tension_n > 26:
                break
            sim = turn(sim, "x", 0.25)
        now = truth.caught_up(t, sim, d, LIMITS)
        self.assertEqual(now.left, [])
        self.assertFalse(now.signs().there("belt_feels_slack", "x"))
        for _ in range(120):
            if sim.belts["x"].tension_n > 60:
                break
            sim = turn(sim, "x", 0.25)
        self.assertEqual([f.fault for f in truth.caught_up(now, sim, d, LIMITS).made], ["belt_overtight"])


class Advice(unittest.TestCase):
    def test_it_solves_the_lessons(self):
        for lesson in lessons.lessons().values():
            with self.subTest(lesson=lesson.id):
                way = advice.follow(lessons.begin(lesson.id, 5), machine(lesson.kinematics), LIMITS)
                self.assertTrue(way.solved)
                self.assertLess(way.minutes, 150)

    def test_a_danger_is_stopped_and_nothing_is_measured(self):
        way = advice.follow(lessons.begin("danger", 2), machine("fixed_bed"), LIMITS)
        self.assertTrue(way.stopped)
        self.assertEqual(len(way.steps), 1)


class Accounts(unittest.TestCase):
    def told(self, lesson, done, now=None, fault=""):
        begun = lessons.begin(lesson, 5)
        return account.account(begun, now or begun.truth, done, [], fault, machine(begun.truth.kinematics), LIMITS)

    def test_what_was_met_and_not_said_is_told(self):
        met = [Answered(finding="grub_mark_moved", place="y", state="present")]
        missed = Done(kind="looked", what="grub_marks", place="y", words="Marks", minutes=4, met=met)
        got = self.told("grub_screw", [missed])
        self.assertIn("nobody said so", got.unread[0])
        read = missed.model_copy(update={"answered": met})
        self.assertEqual(self.told("grub_screw", [read]).unread, [])
        self.assertFalse(got.right or got.found)
        self.assertEqual(got.minutes, 4)
        self.assertTrue(got.advised.solved)

    def test_a_resonance_of_a_loose_carriage_came_too_soon(self):
        shaken = Done(kind="measured", what="resonance", place="x", words="Shook X", minutes=15)
        got = self.told("loose_carriage", [shaken])
        self.assertIn("Resonance before play", got.too_soon[0])
        looked = Done(kind="measured", what="play", place="x", words="Play of X", minutes=8)
        self.assertEqual([w for w in self.told("loose_carriage", [looked, shaken]).too_soon if "play" in w], [])

    def test_the_right_cause_and_a_machine_put_right(self):
        begun = lessons.begin("grub_screw", 5)
        right = truth.mend(begun.truth, "grub_screw_loose", "y")
        got = self.told("grub_screw", [], right, "grub_screw_loose")
        self.assertTrue(got.right and got.found)

    def test_a_figure_is_held_against_the_truth(self):
        t = lessons.begin("slack_belt", 5).truth
        sim = truth.simulated(t, machine("bed_slinger"), LIMITS)
        _, result = acts.measured(sim, "belt-deflection", "x", machine("bed_slinger"), LIMITS, 4)
        true = account.true_figure(sim, "belt-deflection", "x")
        held = account.held("belt-deflection", "x", result.model_dump(), true)
        self.assertAlmostEqual(held.true, sim.belts["x"].tension_n)
        self.assertTrue(held.within)
        self.assertFalse(account.held("belt-deflection", "x", result.model_dump(), 40.0).within)
        self.assertIsNone(account.true_figure(sim, "resonance", "x"))


class Acts(unittest.TestCase):
    def test_every_part_of_a_repair_has_a_cost(self):
        for fault in faults().values():
            for part in fault.parts:
                self.assertIn(part, acts.costs(), fault.id)

    def test_what_is_done_unplugged_and_what_moves(self):
        self.assertEqual(acts.asks(checks()["rock"]), "unplugged")
        self.assertEqual(acts.asks(checks()["resonance"]), "powered")
        self.assertEqual(acts.asks(checks()["motor_current"]), "live")
        self.assertEqual(acts.asks(checks()["gentler"]), "powered")
        self.assertEqual(acts.asks_of_repair(faults()["belt_slack"]), "any")
        self.assertEqual(acts.asks_of_repair(faults()["electrics_unsafe"]), "unplugged")
        self.assertEqual(acts.asks_of_repair(faults()["damp_filament"]), "any")
        for check in checks().values():
            self.assertIn(acts.asks(check), ("unplugged", "powered", "live", "any"))
