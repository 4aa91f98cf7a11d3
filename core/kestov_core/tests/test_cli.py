"""The command line: one JSON object, exit codes, and no slow imports."""

import contextlib
import io
import json
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

from pydantic import ValidationError

from kestov_core import cli, procedures
from kestov_core.condition import Evidence, condition_of, fitness_of
from kestov_core.knowledge import Card, cards, findings
from kestov_core.simulator.sound import Belt, Pluck, record, wav


def call(*arguments, stdin=""):
    out = io.StringIO()
    saved, sys.stdin = sys.stdin, io.StringIO(stdin)
    try:
        with contextlib.redirect_stdout(out):
            code = cli.main(list(arguments))
    finally:
        sys.stdin = saved
    return code, json.loads(out.getvalue())


class Cli(unittest.TestCase):
    def test_list_and_schema(self):
        code, listed = call("--list")
        self.assertEqual(code, 0)
        for name in ("belt-pluck", "belt-deflection", "belt-set", "belt-tracking", "ringing-print"):
            self.assertIn(name, listed["procedures"])
            self.assertIn("properties", call(name, "--schema")[1]["context"])

    def test_a_recording(self):
        sound = record(Belt(f0_hz=80.0), [Pluck(0.4), Pluck(1.4), Pluck(2.4)], 3.5, 22050, seed=1)
        with tempfile.TemporaryDirectory() as folder:
            file = Path(folder) / "belt.wav"
            file.write_bytes(wav(sound))
            code, result = call(
                "belt-pluck", "--context", "-", str(file), stdin='{"span_mm": 200, "linear_density_g_per_m": 8}'
            )
        self.assertEqual(code, 0)
        self.assertAlmostEqual(result["frequency"]["value"], 80, delta=0.3)

    def test_an_instruments_own_table_with_its_map(self):
        with tempfile.TemporaryDirectory() as folder:
            file, columns = Path(folder, "box.csv"), Path(folder, "map.json")
            file.write_text("pos (in);pull (gf)\n" + "".join(f"{i};{100 + i}\n" for i in range(12)))
            told = [
                {"name": "position_mm", "column": "pos", "number": 1, "unit": "in"},
                {"name": "force_n", "column": "pull", "number": 2, "unit": "gf"},
            ]
            columns.write_text(json.dumps({"columns": told}))
            code, answer = call("drag", "--context", "-", "--columns", str(columns), str(file), stdin="{}")
            self.assertEqual(code, 0, answer)
            self.assertAlmostEqual(answer["mean_force"]["value"], 105.5 * 0.00980665, 2)
            columns.write_text("{")
            code, answer = call("drag", "--context", "-", "--columns", str(columns), str(file), stdin="{}")
            self.assertEqual((code, answer["error"]["field"]), (2, "columns"))

    def test_bad_input_exits_2_with_the_error_object(self):
        for arguments, stdin, code, field in (
            (["no-such"], "", "unknown_procedure", None),
            (["belt-set"], "", "missing_field", "context"),
            (["belt-set", "--context", "-"], "{", "wrong_type", "context"),
            (["belt-set", "--context", "-"], "[]", "wrong_type", "context"),
            (["belt-pluck", "--context", "-"], '{"span_mm": 1}', "missing_field", "data"),
            (
                ["ringing-print", "--context", "-"],
                '{"speed_mm_s": Infinity, "ripples": []}',
                "not_finite",
                "speed_mm_s",
            ),
            (["ringing-print", "--context", "-"], '{"speed_mm_s": "fast", "ripples": []}', "wrong_type", "speed_mm_s"),
            (["ringing-print", "--context", "-"], '{"speed_mm_s": -3, "ripples": []}', "out_of_range", "speed_mm_s"),
        ):
            exit_code, answer = call(*arguments, stdin=stdin)
            self.assertEqual((exit_code, answer["error"]["code"], answer["error"]["field"]), (2, code, field))

    def test_figures_alone_need_no_signal_library(self):
        # What makes the command line slow is importing scipy.signal; nothing here may.
        code = "import sys; from kestov_core import procedures\nfor n in procedures.names(): procedures.get(n)\nassert 'scipy.signal' not in sys.modules"
        subprocess.run([sys.executable, "-c", code], check=True, env={"PYTHONPATH": str(Path(cli.__file__).parents[1])})


class Knowledge(unittest.TestCase):
    def test_procedures_name_only_findings_that_are_listed(self):
        known = findings()
        source = "".join(p.read_text() for p in Path(procedures.__file__).parent.glob("*.py"))
        for name in ("belt_slack", "belt_overtight", "belts_unequal", "belt_touches_flange", "ringing_frequency"):
            self.assertIn(f'"{name}"', source)
            self.assertEqual(known[name].kind, "measured")


class Cards(unittest.TestCase):
    def test_every_procedure_that_measures_a_machine_has_a_card(self):
        computes_only = {
            "gauge-study",
            "instrument-check",
            "belt-set",
            "diagnose",
            "shaper",
            "wear-trend",
            "life",
            "service-due",
        }
        self.assertEqual(set(cards()), set(procedures.names()) - computes_only)

    def test_a_card_says_its_record_with_at_most_the_place(self):
        self.assertEqual(cards()["belt-pluck"].record.format(place="A"), "Plucked belt A")
        for wrong in ("Shook {}", "Shook {axis}", "Shook {place} and {place}", ""):
            with self.subTest(wrong), self.assertRaises(ValidationError):
                Card(record=wrong)


class Conditions(unittest.TestCase):
    def test_the_table(self):
        for evidence, condition in (
            (None, "not_known"),
            (Evidence("belt-pluck", "in_tolerance", 3), "sound"),
            (Evidence("belt-pluck", "in_tolerance", 61), "not_known"),
            (Evidence("belt-pluck", "watch", 3), "watch"),
            (Evidence("belt-pluck", "in_tolerance", 3, reaches_in_days=12), "watch"),
            (Evidence("belt-pluck", "in_tolerance", 3, reaches_in_days=300), "sound"),
            (Evidence("belt-pluck", "in_tolerance", 3, changed="it was turned", reaches_in_days=12), "not_known"),
            (Evidence("belt-pluck", "out_of_tolerance", 3), "out_of_adjustment"),
            (Evidence("belt-pluck", "out_of_tolerance", 3, adjustments_not_held=3), "worn"),
            (Evidence("play", "out_of_tolerance", 3), "worn"),
            (Evidence("backlash", "out_of_tolerance", 3), "worn"),
            (Evidence("backlash", "in_tolerance", 61), "sound"),
            (Evidence("steps", "out_of_tolerance", 61), "out_of_adjustment"),
            (Evidence("steps", "in_tolerance", 181), "not_known"),
            (Evidence("belt-pluck", "cannot_tell", 3), "not_known"),
        ):
            self.assertEqual(condition_of(evidence)[0], condition, evidence)

    def test_fitness(self):
        self.assertEqual(fitness_of("smoke", False, [])[0], "tagged_out")
        self.assertEqual(fitness_of(None, True, [])[0], "in_service")
        self.assertEqual(fitness_of(None, False, [("belt A", "worn")]), ("rough_only", "belt A"))
        self.assertEqual(fitness_of(None, False, [("belt A", "watch")])[0], "fit")
