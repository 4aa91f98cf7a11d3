"""How good are we: certified analyses of variance, closed forms, and people whose hands are known."""

import math
import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from kestov_core import procedures
from kestov_core.errors import BadInput
from kestov_core.variance import MeanSquare, crossed, one_way, variance_between, variance_of_sum

NAMES = ("Anna", "Boris", "Caro", "Dirk")

#: Resistivity of silicon by five instruments, SiRstv of the NIST Statistical Reference Datasets.
SILICON = [
    [196.3052, 196.1240, 196.1890, 196.2569, 196.3403],
    [196.3042, 196.3825, 196.1669, 196.3257, 196.0422],
    [196.1303, 196.2005, 196.2889, 196.0343, 196.1811],
    [196.2795, 196.1748, 196.1494, 196.1485, 195.9885],
    [196.2119, 196.1051, 196.1850, 196.0052, 196.2090],
]


def table(cells):
    """``cells[person][piece]`` as the CSV that it makes."""
    lines = [
        f"{NAMES[i]},piece {j + 1},{reading!r}"
        for i, row in enumerate(cells)
        for j, cell in enumerate(row)
        for reading in cell
    ]
    return "\n".join(["person,piece,reading", *lines]).encode()


def hands(seed, bias, pieces=5, times=3, spread=0.01, step=0.0001):
    """Readings of pieces about 20 mm by people with such biases."""
    rng = np.random.default_rng(seed)
    size = rng.normal(20, 0.3, pieces)
    return [[[round(float(s + b + e) / step) * step for e in rng.normal(0, spread, times)] for s in size] for b in bias]


def study(cells, **context):
    return procedures.run("gauge-study", {"unit": "mm", **context}, table(cells))


GOOD = {
    "gauge-study": (
        {"unit": "mm", "resolution": 0.01, "tolerance": 0.5},
        table(hands(5, (0.0, 0.02, -0.01), step=0.01)),
    )
}


class Analysis(unittest.TestCase):
    def test_certified_one_way(self):
        found = one_way(SILICON)
        self.assertAlmostEqual(found.between.ss, 5.11462616000000e-02, delta=1e-11)
        self.assertAlmostEqual(found.within.ss, 2.16636560000000e-01, delta=1e-11)
        self.assertAlmostEqual(found.between.ms / found.within.ms, 1.18046237440255, delta=1e-8)
        self.assertEqual((found.between.df, found.within.df, found.size), (4, 20, 5.0))

    def test_what_all_readings_share_eats_no_digits(self):
        # As the stiff certified sets: nine groups that differ by tenths, on a million.
        tenths = [
            [0.4, *([0.3, 0.5] * 10)],
            *([[0.3 + k / 10, *([0.2 + k / 10, 0.4 + k / 10] * 10)] for k in range(8)]),
        ]
        plain, shifted = one_way(tenths), one_way([[1e6 + x for x in g] for g in tenths])
        self.assertTrue(math.isclose(plain.between.ss, shifted.between.ss, rel_tol=1e-8))
        self.assertTrue(math.isclose(plain.within.ss, shifted.within.ss, rel_tol=1e-8))

    def test_unlike_counts_by_the_formula_of_iso_5725(self):
        found = one_way([[1.0, 2.0, 3.0], [2.0, 4.0]])
        self.assertAlmostEqual(found.size, (5 - (9 + 4) / 5) / 1)
        self.assertAlmostEqual(found.within.ss, 4.0)
        self.assertAlmostEqual(found.between.ss, 3 * (2 - 2.4) ** 2 + 2 * (3 - 2.4) ** 2)

    def test_a_crossed_table_adds_up_to_its_whole(self):
        y = np.random.default_rng(8).normal(0, 1, (3, 4, 2))
        found = crossed(y)
        parts = found.groups.ss + found.things.ss + found.together.ss + found.within.ss
        self.assertAlmostEqual(parts, float(((y - y.mean()) ** 2).sum()))
        self.assertEqual((found.groups.df, found.things.df, found.together.df, found.within.df), (2, 3, 6, 12))

    def test_one_mean_square_has_the_interval_of_chi_square(self):
        _, low, high = variance_of_sum([(1.0, MeanSquare(10.0, 10))])
        self.assertAlmostEqual(low, 10 / 20.483, 4)
        self.assertAlmostEqual(high, 10 / 3.247, 3)

    def test_intervals_cover_as_often_as_they_say(self):
        rng = np.random.default_rng(21)
        for p, n, apart in ((3, 5, 0.0), (3, 5, 1.0), (6, 3, 2.0)):
            whole = people = 0
            for _ in range(600):
                found = one_way((rng.normal(0, apart, (p, 1)) + rng.normal(0, 1, (p, n))).tolist())
                _, low, high = variance_of_sum([(1 / n, found.between), (1 - 1 / n, found.within)])
                whole += low <= 1 + apart**2 <= high
                _, low, high = variance_between(found.between, found.within, n)
                people += low <= apart**2 <= high
            for covered in (whole, people):
                self.assertTrue(0.92 <= covered / 600 <= 0.98, (p, n, apart, covered / 600))


class Study(unittest.TestCase):
    def test_one_thing_by_iso_5725(self):
        result = study([[[10.0, 10.2]], [[10.5, 10.7]], [[10.1, 10.3]]])
        # By hand: pooled variance 0.02; means 10.1, 10.6, 10.2 have the variance 0.07; so 0.07 - 0.01 lies between people.
        self.assertEqual(result.design, "one_way")
        self.assertAlmostEqual(result.repeatability.value, math.sqrt(0.02))
        self.assertAlmostEqual(result.people_differ.value, math.sqrt(0.06))
        self.assertAlmostEqual(result.reproducibility.value, math.sqrt(0.08))
        self.assertAlmostEqual(result.repeatability_limit, 1.96 * math.sqrt(0.04))
        self.assertAlmostEqual(result.mean, 10.3)

    def test_several_things_come_apart_into_people_pieces_and_both(self):
        cells = [[[10.0, 10.2], [20.0, 20.2]], [[10.4, 10.6], [20.8, 21.0]]]
        result = study(cells)
        # By hand: cell means 10.1, 20.1 and 10.5, 20.9; people 0.36, both together 0.04, within 0.02.
        lines = {s.source: s for s in result.sources_of_spread}
        self.assertAlmostEqual(lines["people"].ms, 4 * 2 * 0.3**2)
        self.assertAlmostEqual(lines["people_and_pieces"].ms, 2 * 4 * 0.1**2)
        self.assertAlmostEqual(lines["repeats"].ms, 0.02)
        self.assertAlmostEqual(result.people_differ.value, math.sqrt((0.72 - 0.08) / 4))
        self.assertAlmostEqual(result.people_and_pieces.value, math.sqrt((0.08 - 0.02) / 2))

    def test_readings_keep_to_what_is_said_of_these_hands(self):
        for bias in ((0.0, 0.0, 0.0), (0.0, 0.03, -0.02)):
            kept = of = 0
            for seed in range(150):
                result = study(hands(seed, bias), resolution=0.0001)
                noise = np.random.default_rng(900 + seed).normal(0, 0.01, 40)
                for person, b in zip(result.people, bias, strict=True):
                    kept += int((np.abs(b - np.mean(bias) + noise) <= person.reading_u95).sum())
                    of += 40
            self.assertTrue(0.93 <= kept / of <= 0.985, (bias, kept / of))

    def test_who_reads_more_is_named(self):
        result = study(hands(3, (0.0, 0.06, 0.0)))
        self.assertIn("Boris reads 0.0", next(w.message for w in result.warnings if w.code == "people_differ"))
        self.assertEqual(result.advice[0].target, "Boris")
        self.assertNotIn("people_differ", [w.code for w in study(hands(3, (0.0, 0.0, 0.0))).warnings])

    def test_who_scatters_is_named_and_does_not_spoil_the_others(self):
        cells = hands(4, (0.0, 0.0, 0.0))
        cells[2] = hands(4, (0.0, 0.0, 0.0), spread=0.08)[2]
        result = study(cells)
        self.assertIn("Caro", next(w.message for w in result.warnings if w.code == "one_scatters"))
        self.assertGreater(result.people[2].reading_u95, 2 * result.people[0].reading_u95)

    def test_a_slip_is_named(self):
        cells = hands(6, (0.0, 0.0, 0.0))
        cells[1][2][1] += 1.0
        said = [w.message for w in study(cells).warnings if w.code == "odd_reading"]
        self.assertEqual(len(said), 1)
        self.assertIn("Boris's reading 2 of piece 3", said[0])

    def test_the_band_decides(self):
        cells = hands(7, (0.0, 0.01, 0.0))
        self.assertEqual(study(cells, tolerance=2.0).verdict, "in_tolerance")
        self.assertEqual(study(cells, tolerance=0.05).verdict, "out_of_tolerance")
        self.assertEqual(study(cells).verdict, "not_judged")
        advice = study(hands(7, (0.0, 0.0, 0.0)), tolerance=0.14).advice
        self.assertTrue(advice[0].action.startswith("Read "), advice)

    def test_what_the_check_leaves_counts_with_every_reading(self):
        cells = hands(9, (0.0, 0.0))
        alone, checked = study(cells), study(cells, check_u95=0.05)
        self.assertAlmostEqual(checked.reading_u95.value, math.hypot(alone.reading_u95.value, 0.05))
        self.assertIn("own_error_not_seen", [w.code for w in alone.warnings])
        self.assertNotIn("own_error_not_seen", [w.code for w in checked.warnings])

    def test_a_step_coarser_than_the_hands_speaks_for_them(self):
        result = study([[[20.0] * 3] * 2] * 3, resolution=0.05)
        self.assertAlmostEqual(result.repeatability.value, 0.05 / math.sqrt(12))
        self.assertIn("coarse_step", [w.code for w in result.warnings])

    def test_readings_beyond_what_all_have_are_left_out_and_said(self):
        cells = hands(11, (0.0, 0.01))
        cells[0][0].append(20.0)
        self.assertIn("left_out", [w.code for w in study(cells).warnings])

    def test_what_cannot_be_compared_is_refused_by_name(self):
        for cells, code, field in (
            ([[[1.0, 2.0]]], "too_few_rows", "person"),
            ([[[1.0]], [[2.0]]], "too_few_rows", "data"),
            ([[[1.0, 2.0], [1.0, 2.0]], [[1.0, 2.0], [1.0]]], "missing_cell", "data"),
            ([[[1.0, 1.0]], [[1.0, 1.0]]], "out_of_range", "resolution"),
        ):
            with self.subTest(cells=cells), self.assertRaises(BadInput) as e:
                study(cells)
            self.assertEqual((e.exception.code, e.exception.field), (code, field))

    @settings(max_examples=40, deadline=None)
    @given(
        st.lists(
            st.lists(st.lists(st.floats(-1e6, 1e6), min_size=2, max_size=3), min_size=2, max_size=2),
            min_size=2,
            max_size=4,
        ),
        st.floats(-1e5, 1e5),
    )
    def test_a_zero_moved_moves_no_spread(self, cells, by):
        def moved(reading):
            return reading + by

        try:
            result = study(cells, resolution=1.0)
        except BadInput:
            return
        other = study([[[moved(r) for r in cell] for cell in row] for row in cells], resolution=1.0)
        scale = max(1.0, result.repeatability.value, result.between_pieces.value, result.people_differ.value)
        self.assertAlmostEqual(result.repeatability.value / scale, other.repeatability.value / scale, 3)
        self.assertAlmostEqual(result.reproducibility.value / scale, other.reproducibility.value / scale, 3)
        self.assertLessEqual(result.reading_u95.low, result.reading_u95.value)
