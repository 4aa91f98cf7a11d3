"""Figures told in their own unit: a spacing is a length of this machine or none, a pitch is a tension by the string's formula."""

import unittest

from hypothesis import given, settings
from hypothesis import strategies as st

from kestov_core.diagnosis.figures import read_figures
from kestov_core.diagnosis.shapes import Observed, PrinterIn
from kestov_core.procedures import run

SPAN = {"name": "front", "at": {"x": 0, "y": 0}, "span_mm": 285}
PRINTER = {
    "kinematics": "bed_slinger",
    "transmissions": {
        "x": {"kind": "belt", "pitch_mm": 2, "teeth": 20, "spans": [SPAN]},
        "y": {"kind": "belt"},
        "z1": {"kind": "screw", "lead_mm": 8, "thread_pitch_mm": 2},
        "z2": {"kind": "screw", "lead_mm": 8, "thread_pitch_mm": 2},
    },
}


def read(finding, value, axis=None, printer=PRINTER):
    out, unread = read_figures([Observed(finding=finding, axis=axis, value=value)], PrinterIn.model_validate(printer))
    return {o.finding: o for o in out if o.finding != finding}, unread


def states(finding, value, axis=None):
    return {k: o.state for k, o in read(finding, value, axis)[0].items()}


class Spacing(unittest.TestCase):
    def test_the_lead_of_the_screw_and_not_its_steps(self):
        self.assertEqual(states("bands_regular", 8.0), {"pattern_at_lead": "present", "pattern_at_step": "absent"})
        self.assertEqual(states("bands_regular", 0.16)["pattern_at_step"], "present", "8 mm x 4 / 200")

    def test_tooth_and_turn_of_the_belt_along_the_wall(self):
        self.assertEqual(states("upright_lines", 2.0, "x")["pattern_at_tooth"], "present")
        self.assertEqual(states("upright_lines", 40.5, "x")["pattern_at_turn"], "present")

    def test_between_two_lengths_it_is_none_of_them(self):
        self.assertNotIn("present", states("bands_regular", 5.0).values())
        # The thread's own ripple is harmless: it stands for no fault.
        self.assertNotIn("present", states("bands_regular", 2.0).values())

    def test_a_rough_figure_claims_nothing(self):
        rough = {"value": 7.0, "u95": 6.0, "unit": "mm"}
        self.assertNotIn("present", states("bands_regular", rough).values())

    def test_it_moves_the_bars(self):
        def bent(**told):
            result = run("diagnose", {"printer": PRINTER, "findings": [{"finding": "bands_regular", **told}]})
            return sum(h.probability for h in result.hypotheses if h.fault == "screw_bent")

        self.assertGreater(bent(value=8), 1.4 * bent())
        self.assertLess(bent(value=5), 0.4 * bent())


class Pitch(unittest.TestCase):
    def test_the_string_s_formula(self):
        rows, _ = read("belt_pitch", 70.0, "x")
        tension = rows["belt_slack"].value
        self.assertAlmostEqual(tension.value, 4 * 0.008 * 0.285**2 * 70**2, places=6)
        # A typical belt is known to 12 %, the ear to 3 %.
        self.assertAlmostEqual(tension.u95 / tension.value, (0.12**2 + (2 / 285) ** 2 + 0.06**2) ** 0.5, places=6)
        self.assertEqual((rows["belt_slack"].state, rows["belt_slack"].limit), ("present", 20.0))
        self.assertEqual((rows["belt_overtight"].state, rows["belt_overtight"].limit), ("absent", 50.0))

    def test_a_weighed_belt_is_surer(self):
        weighed = {**PRINTER["transmissions"]["x"], "linear_density_g_per_m": 8, "linear_density_u95_percent": 2}
        printer = {**PRINTER, "transmissions": {"x": weighed}}
        self.assertLess(
            read("belt_pitch", 70.0, "x", printer)[0]["belt_slack"].value.u95,
            0.6 * read("belt_pitch", 70.0, "x")[0]["belt_slack"].value.u95,
        )

    def test_a_slack_belt_leads(self):
        told = [{"finding": "echoes_after_corners", "axis": "x"}, {"finding": "belt_pitch", "axis": "x", "value": 50}]
        best = run("diagnose", {"printer": PRINTER, "findings": told}).hypotheses[0]
        self.assertEqual((best.fault, best.axis), ("belt_slack", "x"))
        told[1]["value"] = 105
        best = run("diagnose", {"printer": PRINTER, "findings": told}).hypotheses[0]
        self.assertNotEqual(best.fault, "belt_slack")


class Unread(unittest.TestCase):
    def test_says_why(self):
        self.assertIn("is not in the machine's description", read("belt_pitch", 60.0, "y")[1][0])
        self.assertIn("say where it is", read("upright_lines", 2.0)[1][0])
        bare = {"kinematics": "bed_slinger"}
        self.assertIn("is not in the machine's description", read("bands_regular", 8.0, printer=bare)[1][0])
        result = run("diagnose", {"printer": bare, "findings": [{"finding": "bands_regular", "value": 8}]})
        self.assertIn("figure_not_read", [w.code for w in result.warnings])

    def test_what_is_not_there_has_no_figure(self):
        told = [Observed(finding="bands_regular", state="absent", value=8.0)]
        self.assertEqual(read_figures(told, PrinterIn.model_validate(PRINTER)), (told, []))

    @settings(max_examples=60, deadline=None)
    @given(st.floats(1e-6, 1e6), st.sampled_from(["bands_regular", "upright_lines", "belt_pitch"]))
    def test_no_figure_breaks_it(self, value, finding):
        rows, _ = read(finding, value, {"bands_regular": None}.get(finding, "x"))
        self.assertLessEqual(sum(o.state == "present" for o in rows.values()), 1)


if __name__ == "__main__":
    unittest.main()
