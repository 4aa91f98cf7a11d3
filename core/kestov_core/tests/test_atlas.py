"""The symptom atlas: what anybody can meet has a drawing of its own, inside its frame."""

import re
import unittest

from pydantic import ValidationError

from kestov_core.knowledge import Drawing, atlas, findings


class Atlas(unittest.TestCase):
    def test_what_one_meets_without_a_tool_can_be_pointed_at(self):
        for kind in findings().values():
            if kind.group in ("print", "sound", "machine", "danger") and not kind.qualifies:
                self.assertIn(kind.id, atlas(), f"{kind.label} has no drawing")

    def test_each_shows_what_is_wrong_and_is_unlike_the_others(self):
        for finding, lines in atlas().items():
            self.assertTrue(any(line.of == "trouble" for line in lines) or finding.startswith("machine_"), finding)
        drawn = [tuple((line.of, line.d) for line in lines) for lines in atlas().values()]
        self.assertEqual(len(set(drawn)), len(drawn))

    def test_lines_keep_within_the_frame(self):
        for finding, lines in atlas().items():
            for line in lines:
                # Absolute points of the straight parts; curves bulge by little.
                for x, y in re.findall(r"[ML](-?[\d.]+) (-?[\d.]+)", line.d):
                    self.assertTrue(0 <= float(x) <= 96 and 0 <= float(y) <= 72, (finding, line.d))

    def test_nothing_but_a_path_is_taken(self):
        for d in ("", "10 10", 'M0 0"/><script>', "M0 0 url(x)"):
            with self.assertRaises(ValidationError):
                Drawing.model_validate({"finding": "squeak", "lines": [{"of": "part", "d": d}]})


if __name__ == "__main__":
    unittest.main()
