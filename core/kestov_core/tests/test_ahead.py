"""What to do next: never at a loss, the natural thing among equals, where it is, and answers that do not fit together."""

import unittest

from kestov_core import knowledge
from kestov_core.diagnosis.ahead import look_ahead
from kestov_core.diagnosis.evidence import latest
from kestov_core.diagnosis.laid_out import lay_out
from kestov_core.diagnosis.places import machine_of, near_of, place_checks, place_faults, places_of, spots_of
from kestov_core.diagnosis.shapes import DiagnoseContext
from kestov_core.errors import BadInput
from kestov_core.tests.test_diagnose import KINEMATICS, all_checks, chance, diagnose

COMPLAINTS = (
    [("echoes_after_corners", "x")],
    [("square_is_diamond",)],
    [("strings",)],
    [("layers_stepped", "y"), ("only_fast",)],
    [("first_layer_uneven",)],
    [("bands",)],
    [("squeak",)],
)


class Advice(unittest.TestCase):
    def test_nothing_is_advised_that_costs_more_than_it_saves(self):
        for told in COMPLAINTS:
            result = diagnose(*told)
            self.assertTrue(result.next, told)
            self.assertTrue(all(n.saves_minutes > 0 for n in result.next), told)
            self.assertTrue(all(n.saves_minutes <= 0 for n in result.others), told)
            every = [(n.check, n.axis) for n in all_checks(result)]
            self.assertEqual(len(every), len(set(every)))

    def test_every_check_can_be_chosen_and_says_what_it_looks_at(self):
        result = diagnose(("squeak",))
        here = {(c.check.id, c.axis) for c in place_checks(machine_of("bed_slinger"))}
        self.assertEqual({(n.check, n.axis) for n in all_checks(result)}, here)
        for n in all_checks(result):
            self.assertTrue(n.asks, n.check)
            self.assertLessEqual({a.finding for a in n.asks}, set(knowledge.checks()[n.check].answers))

    def test_the_first_check_bears_on_the_leaders(self):
        """A diamond does not begin at the spool, nor strings at a rock test."""
        for told in COMPLAINTS:
            result = diagnose(*told)
            leaders = [h.fault for h in result.hypotheses if h.fault != "other"][:5]
            shown = {a.finding for a in result.next[0].asks}
            bears = [f for f in leaders if any(knowledge.faults()[f].shows.get(s, 0) > 0.4 for s in shown)]
            self.assertTrue(bears, (told, result.next[0].check, leaders))

    def test_each_says_why_it_comes_now(self):
        for told in COMPLAINTS:
            for n in diagnose(*told).next[:5]:
                self.assertRegex(n.why_now, r"^[A-Z].*\.$")

    def test_a_swap_that_cured_nothing_is_not_called_fine(self):
        for n in all_checks(diagnose(("strings",))):
            if n.outcomes:
                nothing = n.outcomes[-1]
                swap = knowledge.checks()[n.check].swap
                self.assertEqual((nothing.finding, nothing.label), (None, "It stays as it was" if swap else "All fine"))

    def test_prints_are_looked_at_along_their_own_axes(self):
        at = {c.axis for c in place_checks(machine_of("delta")) if c.check.id == "ringing_print"}
        self.assertEqual(at, {"x", "y"})
        self.assertEqual(
            {c.axis for c in place_checks(machine_of("delta")) if c.check.id == "drag"}, {"t1", "t2", "t3"}
        )

    def test_one_walk_round_takes_less_than_its_parts(self):
        checks = knowledge.checks()
        parts = [checks[c] for c in ("spool_and_tube", "rock", "look_frame", "grub_marks")]
        self.assertLess(checks["walk"].minutes, sum(c.minutes for c in parts))
        walk = next(c for c in place_checks(machine_of("corexy")) if c.check.id == "walk")
        self.assertIn(("belt_feels_slack", "a"), walk.nodes)
        self.assertIn(("belt_feels_slack", "b"), walk.nodes)
        self.assertIn(("something_rocks", "bed"), walk.nodes)
        self.assertEqual(len(walk.nodes), len(set(walk.nodes)))

    def test_the_second_step_never_makes_a_check_worth_less_than_its_own_answer(self):
        context = DiagnoseContext.model_validate(
            {"printer": {"kinematics": "corexy"}, "findings": [{"finding": "echoes_after_corners", "axis": "x"}]}
        )
        from kestov_core.diagnosis import engine

        case = lay_out(context)
        seen, _ = latest(context.findings)
        w = engine.prior(case.rates)
        for o in seen.values():
            w = case.observe(w, o)
        ahead = look_ahead(case, context, seen, w)
        deeper = [p for p in ahead.plans if abs(p.worth - (p.gain - p.minutes)) > 1e-9]
        self.assertGreaterEqual(len(deeper), 4)
        for plan in deeper:
            # Both look at the likeliest faults alone: a few minutes of the rest are beyond the second step.
            self.assertGreater(plan.worth, plan.gain - plan.minutes - 4, plan.at.check.id)

    def test_a_repair_that_waits_has_its_way_opened(self):
        """A setting that leads waits for belts, play and drag: these come next, not nothing."""
        told = [("echoes_after_corners", "x"), ("pattern_follows_speed", "x"), ("stored_value_differs", "x")]
        told += [(f, None, "absent") for f in ("something_rocks", "loose_bolt_found", "stand_shakes", "only_fast")]
        waits = ["pluck", "play", "drag"]
        for _ in range(12):
            result = diagnose(*told, events=[{"event": "settings_reset"}])
            if result.repair_now and result.repair_now[0].fault == "compensation_stale":
                break
            self.assertTrue(result.next, told)
            done = result.next[0]
            if done.check in waits:
                waits.remove(done.check)
            told += [(a.finding, a.axis, "absent") for a in done.asks]
        self.assertEqual((result.repair_now[0].fault, waits), ("compensation_stale", []))

    def test_when_no_check_is_worth_it_repairs_are_tried_by_what_a_minute_may_cure(self):
        told = [("strings",)]
        for _ in range(25):
            result = diagnose(*told)
            if not result.next:
                break
            told += [(a.finding, a.axis, "absent") for a in result.next[0].asks]
        self.assertFalse(result.next)
        self.assertTrue(result.repair_now)
        self.assertFalse(result.repair_now[0].beside)

    def test_what_stands_beside_has_its_own_look_at_its_own_place(self):
        """Looking at Y, or printing elsewhere, is not the look that a repair of X would save."""
        for kinematics in KINEMATICS:
            for told in COMPLAINTS:
                result = diagnose(*told, kinematics=kinematics)
                looks = [n for n in result.next if not knowledge.checks()[n.check].swap]
                for r in (r for r in result.repair_now if r.beside):
                    shows = knowledge.faults()[r.fault].shows
                    near = near_of(machine_of(kinematics), knowledge.faults()[r.fault].where, r.axis)
                    own = [
                        n for n in looks for a in n.asks if shows.get(a.finding, 0) >= 0.8 and a.axis in (None, *near)
                    ]
                    self.assertTrue(any(f"to look takes {n.minutes:.0f};" in r.words for n in own), r.words)

    def test_what_takes_hardly_longer_to_mend_than_to_look_is_said_beside(self):
        beside = [r for told in COMPLAINTS for r in diagnose(*told).repair_now if r.beside]
        for r in beside:
            self.assertIn("to look takes", r.words)
        self.assertTrue(beside)


class Learned(unittest.TestCase):
    """What a workshop has learned of its own looks."""

    def test_a_check_takes_the_minutes_that_it_takes_here(self):
        def rock(**more):
            return next(
                n.minutes for n in all_checks(diagnose(("echoes_after_corners", "x"), **more)) if n.check == "rock"
            )

        self.assertAlmostEqual(rock(minutes={"rock": 9.0}) - rock(), 9.0 - knowledge.checks()["rock"].minutes)
        with self.assertRaises(BadInput) as e:
            diagnose(("squeak", "x"), minutes={"prayer": 1.0})
        self.assertEqual(e.exception.field, "minutes.prayer")

    def test_a_look_that_overlooks_much_speaks_less_against(self):
        def loose(**more):
            said = {"finding": "head_moves_on_carriage", "state": "absent", **more}
            return chance(diagnose(("echoes_after_corners", "x"), said), "head_mount_loose")

        self.assertGreater(loose(missed=0.4), 2 * loose())
        self.assertGreater(loose(missed=0.4), loose(missed=0.15))


class Asked(unittest.TestCase):
    def test_a_place_that_was_not_told_is_asked_for(self):
        where = [q for q in diagnose(("layers_stepped",)).ask if q.places]
        self.assertEqual([(q.finding, q.places) for q in where], [("layers_stepped", ["x", "y"])])
        self.assertFalse([q for q in diagnose(("layers_stepped", "x")).ask if q.places])

    def test_how_it_was_printed_is_asked_where_it_would_change_what_is_done(self):
        def asked(*told, **more):
            return [q.finding for q in diagnose(*told, **more).ask]

        circumstances = {k.id for k in knowledge.findings().values() if k.group == "circumstance"}
        self.assertFalse(circumstances & set(asked(("square_is_diamond",))), "the frame leans however it was printed")
        self.assertIn("printed_fast", asked(("only_fast",), ("layers_stepped", "x"), ("gentler_cures",)))

    def test_how_it_was_printed_makes_likelier_and_proves_nothing(self):
        def p(fault, *more):
            return chance(diagnose(("part_came_loose",), *more), fault)

        self.assertGreater(p("cold_room", ("draught_or_cold",)), 3 * p("cold_room"))
        for circumstance in ("warping_plastic", "soft_filament", "closed_warm"):
            alone = diagnose((circumstance,))
            self.assertLess(max(h.probability for h in alone.hypotheses), 0.2, circumstance)
        before = p("poor_adhesion")
        self.assertLess(abs(p("poor_adhesion", ("soft_filament",)) - before), 0.15, "rubber sticks as well as any")

    def test_what_came_out_well_before_speaks_against_file_and_profile(self):
        for fault, told in (("scale_not_100", "all_too_small"), ("wrong_profile", "strings")):
            self.assertLess(
                chance(diagnose((told,), ("came_well_before",)), fault), 0.35 * chance(diagnose((told,)), fault), fault
            )

    def test_echoes_are_asked_by_the_wall(self):
        where = next(q for q in diagnose(("echoes_after_corners",)).ask if q.places)
        self.assertIn("on which wall?", where.label)

    def test_what_only_qualifies_is_not_asked_for_its_place(self):
        for q in diagnose(("squeak", "x"), ("only_fast",), ("at_same_place",)).ask:
            self.assertFalse(q.places, q.finding)

    def test_who_says_which_of_several_has_said_the_general_word(self):
        oval = diagnose(("circle_oval", "x"))
        both = diagnose(("circle_not_round", "x"), ("circle_oval", "x"))
        self.assertEqual(
            [(h.fault, h.probability) for h in oval.hypotheses], [(h.fault, h.probability) for h in both.hypotheses]
        )
        asked = {q.finding for q in diagnose(("bands",)).ask}
        self.assertFalse(asked & {"bands"})


class Doubt(unittest.TestCase):
    def test_answers_that_do_not_fit_are_named_and_nothing_is_certain(self):
        told = [("layers_stepped", "x"), ("stepped_many_times", "x"), ("grub_mark_moved", "x"), ("backlash_found", "x")]
        fits = diagnose(*told)
        self.assertNotIn("do_not_fit", [w.code for w in fits.warnings])
        self.assertGreater(chance(fits, "grub_screw_loose", "x"), 0.9)
        # Steps in whole teeth is what a loose pulley hardly does; a closed-up bottom has nothing to do with it.
        odd = diagnose(*told, ("closed_bottom_lettering",), ("belt_dust", "y"))
        words = next(w.message for w in odd.warnings if w.code == "do_not_fit")
        self.assertRegex(words, "look again at “(Bottom lettering is closed up|Black dust below a belt, Y)”")
        self.assertLess(max(h.probability for h in odd.hypotheses), 0.95)
        self.assertGreaterEqual(chance(odd, "other"), 0.1)

    def test_what_a_check_said_and_does_not_fit_is_looked_for_again_once(self):
        told = [("layers_stepped", "x"), ("stepped_many_times", "x"), ("backlash_found", "x"), ("grub_mark_moved", "x")]
        odd = ("rods_apart", "y")
        again = {(a.finding, a.axis) for n in all_checks(diagnose(*told, odd)) for a in n.asks}
        self.assertIn(odd, again)
        twice = {(a.finding, a.axis) for n in all_checks(diagnose(*told, odd, odd)) for a in n.asks}
        self.assertNotIn(odd, twice)

    def test_looked_for_twice_with_the_same_answer_it_is_surer(self):
        once = chance(diagnose(("squeak", "x"), ("guide_dirty", "x", "absent")), "guide_dirty_or_dry")
        twice = chance(
            diagnose(("squeak", "x"), {"finding": "guide_dirty", "axis": "x", "state": "absent", "times": 2}),
            "guide_dirty_or_dry",
        )
        self.assertLess(twice, once)
        row = ("guide_dirty", "x", "absent")
        self.assertEqual(chance(diagnose(("squeak", "x"), row, row), "guide_dirty_or_dry"), twice)

    def test_two_changes_close_together_are_said_and_neither_is_credited(self):
        events = [{"event": "head_changed", "days_before": 4}, {"event": "firmware_updated", "days_before": 5}]
        one = diagnose(("echoes_after_corners", "x"), events=events[:1])
        both = diagnose(("echoes_after_corners", "x"), events=events)
        self.assertIn("two_changes", [w.code for w in both.warnings])
        self.assertNotIn("two_changes", [w.code for w in one.warnings])
        self.assertLess(chance(both, "head_mount_loose"), chance(one, "head_mount_loose"))

    def test_a_reminder_is_a_service_task(self):
        result = diagnose(("message_reminder",))
        self.assertIn("reminder", [w.code for w in result.warnings])
        plain = {(h.fault, h.axis): h.probability for h in diagnose().hypotheses}
        for h in result.hypotheses:
            self.assertAlmostEqual(h.probability, plain.get((h.fault, h.axis), h.probability), delta=0.02)

    def test_a_heating_message_stops(self):
        self.assertIsNotNone(diagnose(("message_heating",)).stop)


class Structure(unittest.TestCase):
    """What the tables must have, whatever their figures: nothing that nothing can tell apart, nothing in the wrong place."""

    def test_no_two_faults_show_the_same(self):
        faults = list(knowledge.faults().values())
        for k, a in enumerate(faults):
            for b in faults[k + 1 :]:
                apart = max(abs(a.shows.get(f, 0) - b.shows.get(f, 0)) for f in {*a.shows, *b.shows})
                self.assertGreater(apart, 0.45, f"nothing tells {a.id} from {b.id}")

    def test_what_anybody_meets_on_a_print_is_known_to_more_than_one_fault(self):
        for kind in knowledge.findings().values():
            if kind.group == "print" and not kind.either:
                who = [f.id for f in knowledge.faults().values() if f.shows.get(kind.id, 0) >= 0.05]
                self.assertGreater(len(who), 1, kind.id)

    def test_every_finding_is_shown_by_a_fault_and_every_one_to_look_for_answered_by_a_check(self):
        answered = {f for c in knowledge.checks().values() for f in [*c.answers, *c.later]}
        # How it was printed may speak against faults alone.
        shown = {f for fault in knowledge.faults().values() for f in (*fault.shows, *fault.hides)}
        for kind in knowledge.findings().values():
            # What is only read as something else, and what says nothing yet.
            read = kind.reads_as and not kind.met
            if not kind.either and not read and kind.id not in ("message_reminder", "ringing_frequency"):
                self.assertIn(kind.id, shown)
            if kind.group in ("hand", "look", "swap", "measured") and not kind.either:
                self.assertTrue(kind.id in answered or read or kind.id == "ringing_frequency", kind.id)

    def test_each_fault_has_something_that_it_must_show(self):
        for fault in knowledge.faults().values():
            self.assertGreaterEqual(max(fault.shows.values()), 0.6, fault.id)

    def test_findings_are_where_they_can_be(self):
        m = machine_of("bed_slinger")
        height, feeding, lost = (knowledge.findings()[f] for f in ("too_low", "stops_feeding", "layers_stepped"))
        backlash, scale = knowledge.findings()["backlash_found"], knowledge.findings()["scale_off"]
        at = {(p.fault.id, p.axis): p for p in place_faults(m)}
        self.assertFalse(at["steps_wrong", "x"].shows_at(height, None))
        self.assertTrue(at["steps_wrong", "z"].shows_at(height, None))
        self.assertTrue(at["motor_current_low", "e"].shows_at(feeding, None))
        self.assertFalse(at["motor_current_low", "x"].shows_at(feeding, None))
        self.assertFalse(at["motor_current_low", "e"].shows_at(lost, None))
        self.assertFalse(at["head_mount_loose", "head"].shows_at(backlash, "z"))
        self.assertFalse(at["feed_steps_wrong", "e"].shows_at(knowledge.findings()["steps_off"], "x"))
        self.assertTrue(at["shrinkage", "e"].shows_at(scale, "x"), "read on a print")

    def test_where_a_finding_can_be_is_said_by_the_machine(self):
        def spots(kinematics, finding):
            return spots_of(machine_of(kinematics), knowledge.findings()[finding])

        self.assertEqual(spots("corexy", "belt_slack"), ("a", "b"))
        self.assertEqual(spots("corexy", "layers_stepped"), ("x", "y"), "a print steps sideways, whatever moves it")
        self.assertLessEqual({"t1", "t3", "head", "frame"}, set(spots("delta", "squeak")))
        self.assertEqual(spots("delta", "screw_dirty"), ())
        self.assertEqual(spots("bed_slinger", "strings"), ())
        for kinematics in KINEMATICS:
            here = places_of(machine_of(kinematics))
            for kind in knowledge.findings().values():
                self.assertLessEqual(set(spots_of(machine_of(kinematics), kind)), here, (kinematics, kind.id))

    def test_homing_by_friction_or_nozzle_is_weighed_only_where_it_is(self):
        def placed(homing):
            return {p.fault.id for p in place_faults(machine_of("bed_slinger", homing=homing))}

        special = {"sensorless_homing_upset", "nozzle_oozes_at_probe"}
        self.assertFalse(placed(None) & special)
        self.assertEqual(placed({"x": "friction", "z": "nozzle_probe"}) & special, special)
        self.assertEqual(
            {
                p.axis
                for p in place_faults(machine_of("bed_slinger", homing={"x": "friction"}))
                if p.fault.id == "sensorless_homing_upset"
            },
            {"x"},
        )

    def test_the_endless_bed_has_its_own(self):
        own = {"conveyor_slope_off", "conveyor_slips", "part_levered"}
        for kinematics in KINEMATICS:
            have = {p.fault.id for p in place_faults(machine_of(kinematics))}
            self.assertEqual(have & own, own if kinematics == "belt_bed" else set(), kinematics)


if __name__ == "__main__":
    unittest.main()
