"""Files to take along: their names, their cells, and scripts that hold nothing but figures."""

import csv
import io
import unittest

from api.downloads import download, table

from .world import ApiCase


class Names(unittest.TestCase):
    def name(self, name):
        return download("x", "text/plain", name).headers["Content-Disposition"]

    def test_a_plain_one_is_told_plainly(self):
        self.assertEqual(self.name("Bowline-a.wav"), 'attachment; filename="Bowline-a.wav"')

    def test_no_line_ends_no_path_no_quotes(self):
        for bad in ("a\r\nX: y.csv", '"; x="y.csv', "../../etc/passwd", "..", ""):
            told = self.name(bad)
            self.assertNotRegex(told, r"[\r\n]")
            self.assertNotIn("/", told)
            self.assertTrue(told.startswith("attachment; filename="), told)

    def test_letters_of_any_language_as_rfc_6266_has_them(self):
        self.assertIn("filename*=utf-8''", self.name("Schüttler ä.csv"))
        self.assertLess(len(self.name("x" * 5000)), 200)


class Tables(unittest.TestCase):
    def test_what_a_spreadsheet_would_run_is_shown(self):
        made = table([("=1+1", "+x", "-x", "@x", "\tx", "x=1", -2.5, None)], "t.csv").content.decode()
        self.assertEqual(next(csv.reader(io.StringIO(made))), ["'=1+1", "'+x", "'-x", "'@x", "'\tx", "x=1", "-2.5", ""])


class Scripts(ApiCase):
    def test_a_value_of_the_ledger_is_a_word_and_a_figure(self):
        path = f"/printers/{self.slinger.pk}/ledger"
        for name in ("steps_x1\nM112", "X", "", "steps-x", "x" * 41):
            self.refused(
                422, "out_of_range", "name", "technician", "POST", path, {"name": name, "value": 80, "unit": "steps/mm"}
            )
        body = {"name": "steps_x1", "value": 80, "was": 79, "unit": "steps/mm"}
        self.assertEqual(self.good("technician", "POST", path, body)[0]["script"], "")

    def test_a_program_takes_figures_in_range(self):
        for query in ("low_mm=-inf", "high_mm=nan", "start_mm=1e9", "axis=x%0AM112", "pause_s=1%0AM112"):
            status, answer = self.call("technician", "GET", f"/programs/backlash.gcode?axis=x&{query}")
            self.assertEqual(status, 422, (query, answer))
