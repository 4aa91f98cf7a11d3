"""Where a figure's uncertainty comes from: against closed forms, and as a whole that is neither more nor less than the figure's own."""

import unittest

from kestov_core import procedures
from kestov_core.budget import budget
from kestov_core.errors import BadInput

from .test_contract import GOOD

#: A row for each procedure whose headline has an uncertainty.
WITH = [n for n, (c, d) in GOOD.items() if (j := procedures.run(n, c, d).judged) and j[0].quantity.u95]


class Budgets(unittest.TestCase):
    def told(self, name, **more):
        context, data = GOOD[name]
        return budget(name, {**context, **more}, data)

    def test_the_lines_and_the_rest_are_the_whole(self):
        self.assertGreater(len(WITH), 20)
        for name in WITH:
            with self.subTest(name):
                found = self.told(name)
                self.assertAlmostEqual(sum(line.share for line in found.lines) + found.rest_share, 1.0, places=9)
                squares = sum(line.u95**2 for line in found.lines) + found.rest_u95**2
                self.assertAlmostEqual(squares, found.quantity.u95**2, delta=1e-9 * found.quantity.u95**2)
                self.assertEqual([x.share for x in found.lines], sorted((x.share for x in found.lines), reverse=True))

    def test_of_a_current_each_percent_is_a_percent(self):
        # I = V / (8 R) and the like: relative doubts add by squares.
        found = self.told("motor-current")
        by = {line.field: line for line in found.lines}
        context = procedures.parse(procedures.get("motor-current").context, GOOD["motor-current"][0])
        for field in ("sense_u95_percent", "meter_u95_percent"):
            expected = found.quantity.value * getattr(context, field) / 100
            self.assertAlmostEqual(by[field].u95, expected, places=6)
            self.assertEqual(by[field].unit, "%")

    def test_of_a_pluck_the_span_goes_in_twice(self):
        # T = 4 m L^2 f^2: a doubt of the span of 1 % is one of 2 % in the tension.
        context = GOOD["belt-pluck"][0]
        found = self.told("belt-pluck", span_u95_mm=0.01 * context["span_mm"])
        span = next(line for line in found.lines if line.field == "span_u95_mm")
        self.assertAlmostEqual(span.u95 / found.quantity.value, 0.02, delta=0.0005)

    def test_what_is_known_without_doubt_has_no_line(self):
        fields = {line.field for line in self.told("play").lines}
        self.assertIn("indicator_u95_mm", fields)
        self.assertNotIn("indicator_u95_mm", {x.field for x in self.told("play", indicator_u95_mm=0.0).lines})

    def test_a_larger_doubt_takes_a_larger_share(self):
        shares = [
            next(x.share for x in self.told("play", indicator_u95_mm=u).lines if x.field == "indicator_u95_mm")
            for u in (0.003, 0.01, 0.03)
        ]
        self.assertEqual(shares, sorted(shares))
        self.assertGreater(shares[-1], 0.8)

    def test_of_no_figure_there_is_none_and_what_is_refused_is_refused(self):
        self.assertIsNone(self.told("diagnose"))
        with self.assertRaises(BadInput):
            self.told("play", indicator_u95_mm=-1.0)
