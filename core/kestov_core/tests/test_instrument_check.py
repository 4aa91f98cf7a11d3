"""An instrument against something known, and a square against itself turned over."""

import unittest

import numpy as np

from kestov_core import procedures
from kestov_core.errors import BadInput

GOOD = {
    "instrument-check": (
        {
            "how": "known",
            "unit": "mm",
            "reference": 25.0,
            "reference_u95": 0.001,
            "readings": [25.01, 25.02, 25.01],
            "resolution": 0.01,
            "limit": 0.03,
        },
        None,
    )
}


def check(**context):
    return procedures.run("instrument-check", {"unit": "mm", **context})


class Check(unittest.TestCase):
    def test_the_error_is_what_it_reads_too_much(self):
        result = check(reference=25.0, readings=[25.04, 25.04, 25.04], resolution=0.01, limit=0.02)
        self.assertAlmostEqual(result.error.value, 0.04)
        self.assertEqual(result.verdict, "out_of_tolerance")
        self.assertIn("more than is there", result.advice[0].reason)

    def test_a_square_turned_over_needs_no_reference(self):
        # Machine 0.3 over the span, square 0.1: direct 0.4, turned over 0.2.
        result = check(how="turned_over", readings=[0.4, 0.4], reversed=[0.2, 0.2], resolution=0.01, limit=0.05)
        self.assertAlmostEqual(result.error.value, 0.1)
        self.assertEqual(result.verdict, "out_of_tolerance")

    def test_too_coarse_a_reference_decides_nothing(self):
        result = check(reference=25.0, reference_u95=0.05, readings=[25.01, 25.02, 25.01], resolution=0.01, limit=0.03)
        self.assertEqual(result.verdict, "cannot_tell")
        self.assertIn("reference_too_coarse", [w.code for w in result.warnings])

    def test_the_interval_covers_the_true_error(self):
        rng = np.random.default_rng(2)
        covered = 0
        for _ in range(400):
            known = float(rng.normal(0, 0.002 / 1.96))
            readings = [round(25.03 + known + float(e), 3) for e in rng.normal(0, 0.01, 4)]
            error = check(reference=25.0, reference_u95=0.002, readings=readings, resolution=0.001).error
            covered += abs(error.value - 0.03) <= error.u95
        self.assertTrue(0.92 <= covered / 400 <= 0.99, covered / 400)

    def test_a_slip_and_a_single_reading_are_said(self):
        self.assertEqual(
            [w.code for w in check(reference=1.0, readings=[1.0], resolution=0.01).warnings], ["single_reading"]
        )
        slipped = check(reference=25.0, readings=[25.01, 25.02, 25.01, 2.51], resolution=0.01)
        self.assertIn("odd_reading", [w.code for w in slipped.warnings])

    def test_what_is_missing_is_asked_for(self):
        for context, field in (
            ({"reference": 1.0}, "readings"),
            ({"readings": [1.0]}, "reference"),
            ({"how": "turned_over", "readings": [1.0]}, "reversed"),
        ):
            with self.subTest(field=field), self.assertRaises(BadInput) as e:
                check(**context)
            self.assertEqual((e.exception.code, e.exception.field), ("missing_field", field))
        with self.assertRaises(BadInput) as e:
            check(unit="furlong", reference=1.0, readings=[1.0])
        self.assertEqual(e.exception.field, "unit")
