"""What a machine stores: read from printed lines, written back, compared, and told by what prints will show of it."""

import unittest

from hypothesis import given, settings
from hypothesis import strategies as st

from kestov_core.condition import stored
from kestov_core.condition.stored import all_stored, check, compare, meaning, read_settings, script
from kestov_core.errors import BadInput
from kestov_core.knowledge.ledger import PLACES, stored_kinds

PRINTED = """echo:; Steps per unit:
echo: M92 X80.00 Y80.00 Z384.00 E93.00
Recv: echo:  M203 X500.00 Y500.00 Z5.00 E25.00
M906 X800 Y750
M851 X-40.00 Y0.00 Z-1.85
M852 I0.003200 J0.0 K0.0
M593 X F45.20 D0.100
M420 S1 Z10.00
ok
"""


def values(text):
    return {v.name: v.value for v in read_settings(text).values}


class Reading(unittest.TestCase):
    def test_lines_as_machines_print_them(self):
        read = values(PRINTED)
        self.assertEqual((read["steps_x"], read["steps_z"], read["steps_e"]), (80.0, 384.0, 93.0))
        # Milliamperes on the wire, amperes in the ledger.
        self.assertEqual((read["current_x"], read["current_y"]), (0.8, 0.75))
        self.assertEqual((read["nozzle_height"], read["probe_offset_x"]), (-1.85, -40.0))
        self.assertEqual((read["skew_xy"], read["skew_yz"]), (0.0032, 0.0))
        self.assertEqual(read["shaper_frequency_x"], 45.2)
        self.assertNotIn("shaper_frequency_y", read)

    def test_what_is_not_understood_is_kept_with_its_row(self):
        kept = {k.row: k.line for k in read_settings(PRINTED).kept}
        self.assertEqual(kept, {1: "echo:; Steps per unit:", 8: "M420 S1 Z10.00", 9: "ok"})

    def test_without_an_axis_it_is_all_of_theirs(self):
        self.assertEqual(values("M593 F40 D0.1")["shaper_frequency_y"], 40.0)

    def test_the_last_word_counts(self):
        self.assertEqual(values("M92 X80\nM92 X81"), {"steps_x": 81.0})

    def test_another_tool_s_and_what_cannot_be_are_kept_and_say_why(self):
        found = read_settings("M92 T1 E99\nM92 X0\nM92 X80 Q3\nM92")
        self.assertEqual([(v.name, v.value) for v in found.values], [("steps_x", 80.0)])
        self.assertEqual(
            [k.why for k in found.kept],
            ["it is another tool's", "steps per mm 0 steps/mm cannot be", "Q of it is not understood", ""],
        )

    def test_small_letters_comments_and_exponents(self):
        self.assertEqual(values("m92 x80"), {}, "a word in small letters is a remark")
        self.assertEqual(values("M92 X8.0e1 ; X99"), {"steps_x": 80.0})

    def test_refused(self):
        for text, code in (("", "empty_file"), (" \n ", "empty_file"), ("M92 X80\n" * 5001, "too_large")):
            with self.assertRaises(BadInput) as e:
                read_settings(text)
            self.assertEqual((e.exception.code, e.exception.field), (code, "text"))

    @settings(max_examples=120, deadline=None)
    @given(st.text(max_size=300))
    def test_any_text_is_read_or_kept(self, text):
        try:
            found = read_settings(text)
        except BadInput:
            return
        for v in found.values:
            check(v.name, v.value)


class Writing(unittest.TestCase):
    @settings(max_examples=100, deadline=None)
    @given(st.data())
    def test_what_is_written_is_read_back_the_same(self, data):
        named = {
            n: data.draw(st.floats(max(s.kind.low, -400), min(s.kind.high, 4000)), label=n)
            for n, s in all_stored().items()
            if s.kind.word and data.draw(st.booleans())
        }
        text = script(named)
        read = read_settings(text) if text else None
        got = {v.name: v for v in (read.values if read else [])}
        rounded_out = {k.line.split()[0] for k in (read.kept if read else [])}
        for name, value in named.items():
            if all_stored()[name].kind.word in rounded_out - {"M500", "M503"}:
                continue
            self.assertTrue(stored.alike(all_stored()[name], value, got[name]), name)

    def test_ends_by_storing_and_printing(self):
        self.assertTrue(script({"steps_x": 80}).endswith("M500\nM503\n"))
        self.assertEqual(script({"travel_low_x": 0.0}), "", "no word for it")

    def test_a_figure_that_cannot_be_is_never_written(self):
        with self.assertRaises(BadInput):
            script({"steps_x": 0.0})


class Comparing(unittest.TestCase):
    def test_what_was_lost_and_what_it_means(self):
        before = {"steps_z": 400.0, "steps_x": 80.0, "current_x": 0.8, "skew_xy": 0.0032, "travel_high_x": 250.0}
        rows = {c.name: c for c in compare(before, read_settings(PRINTED).values)}
        self.assertEqual(
            (rows["steps_z"].state, rows["steps_z"].means), ("changed", "parts come out 4 % short along Z")
        )
        self.assertEqual({rows[n].state for n in ("steps_x", "current_x", "skew_xy")}, {"same"})
        self.assertEqual(rows["steps_y"].state, "new")
        self.assertNotIn("travel_high_x", rows, "no machine prints it")
        self.assertEqual(compare({"homing_sensitivity_x": 60.0}, [])[0].state, "lost")

    def test_what_differs_stands_first(self):
        rows = compare({"steps_x": 80.0, "steps_z": 400.0}, read_settings(PRINTED).values)
        self.assertEqual(rows[0].name, "steps_z")
        self.assertEqual(rows[-1].state, "same")

    def test_a_skew_that_was_lost_is_not_rounded_away(self):
        rows = compare({"skew_xy": 0.0032}, read_settings("M852 I0.0 J0.0 K0.0").values)
        self.assertEqual(rows[0].state, "changed")
        self.assertIn("0.32 mm in 100", rows[0].means)

    def test_compensation_that_is_off_is_said(self):
        rows = compare({"shaper_frequency_x": 45.0}, read_settings("M593 X F0.00 D0.150").values)
        self.assertEqual(rows[0].means, "vibration compensation of X is off: echoes come back")

    def test_what_is_printed_rounded_is_the_same(self):
        self.assertEqual(compare({"steps_x": 80.0123}, read_settings("M92 X80.01").values)[0].state, "same")
        self.assertEqual(compare({"steps_x": 80.0123}, read_settings("M92 X80.0200").values)[0].state, "changed")
        self.assertEqual(compare({"steps_x": 80.1}, read_settings("M92 X80").values)[0].state, "changed")

    def test_every_kind_says_what_more_and_less_of_it_mean(self):
        for name, s in all_stored().items():
            if s.kind.kind == "figure":
                for now in (1.1, 0.9):
                    said = meaning(name, 1.0, now)
                    self.assertTrue(said and "{" not in said, name)

    def test_parts_come_out_by_as_much_as_the_steps(self):
        # A machine that counts 384 steps for what takes 400 goes 0.96 of the way.
        self.assertEqual(meaning("steps_z", 400.0, 384.0), "parts come out 4 % short along Z")
        self.assertEqual(meaning("steps_x", 80.0, 160.0), "parts come out 100 % too long along X")
        self.assertEqual(meaning("steps_e", 93.0, 100.0), "7.5 % too much filament is fed")


class Kinds(unittest.TestCase):
    def test_a_word_and_its_letter_say_one_value(self):
        said = set()
        for s in all_stored().values():
            if s.kind.word:
                letter = s.kind.letter or PLACES[s.kind.at][s.place]
                key = (s.kind.word, letter, s.place if s.kind.flag else "")
                self.assertNotIn(key, said)
                said.add(key)

    def test_names_are_words(self):
        for name in all_stored():
            self.assertRegex(name, r"^[a-z][a-z_]*$")
        self.assertEqual(stored.words("steps_x"), "Steps per mm, X")
        self.assertEqual(stored.words("own_figure"), "own figure")
        self.assertGreater(len(stored_kinds()), 15)


if __name__ == "__main__":
    unittest.main()
