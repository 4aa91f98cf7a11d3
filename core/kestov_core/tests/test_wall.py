"""The photo ruler on made pictures of a wall."""

import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from kestov_core.errors import BadInput
from kestov_core.signals.wall import Px, Rectangle, Ruler, WallMarks, measure_wall
from kestov_core.simulator.instruments import wall_picture


def px(points):
    return [Px(x=x, y=y) for x, y in points]


def marks(points, rectangle=False):
    if rectangle:
        return WallMarks(
            line=px(points["line"]), rectangle=Rectangle(corners=px(points["frame"]), width_mm=60, height_mm=30)
        )
    return WallMarks(line=px(points["line"]), ruler=Ruler(ends=px(points["rule"]), distance_mm=40))


class PhotoRuler(unittest.TestCase):
    @given(st.floats(0.6, 6.0), st.integers(0, 99))
    @settings(max_examples=15, deadline=None)
    def test_the_spacing_seen_straight_on(self, spacing, seed):
        grey, points = wall_picture(spacing, seed=seed, grain=0.06)
        found = measure_wall(grey.astype(float), marks(points))
        self.assertLessEqual(abs(found.spacing.value - spacing), found.spacing.u95)
        self.assertLess(found.spacing.u95, 0.04 * spacing)
        self.assertAlmostEqual(found.ripples * found.spacing.value, found.length_mm, places=6)

    def test_a_known_rectangle_takes_the_tilt_out(self):
        grey, points = wall_picture(1.6, lean_deg=35)
        # Where the scale was pointed nearer to the camera than the line, the plain ruler is off.
        points["rule"] = [
            (points["rule"][0][0], points["rule"][0][1]),
            ((points["rule"][0][0] + points["rule"][1][0]) / 2, points["rule"][0][1]),
        ]
        plain = measure_wall(
            grey.astype(float), WallMarks(line=px(points["line"]), ruler=Ruler(ends=px(points["rule"]), distance_mm=20))
        )
        straight = measure_wall(grey.astype(float), marks(points, rectangle=True))
        self.assertLess(abs(straight.spacing.value - 1.6), 0.01)
        self.assertGreater(abs(plain.spacing.value - 1.6), 3 * abs(straight.spacing.value - 1.6))

    def test_a_plain_wall_has_no_pattern(self):
        grey, points = wall_picture(2.0, depth=0.0, grain=0.05)
        with self.assertRaises(BadInput) as e:
            measure_wall(grey.astype(float), marks(points))
        self.assertEqual(e.exception.code, "no_pattern")

    def test_marks_that_cannot_be_are_refused_where_they_are(self):
        grey, points = wall_picture(2.0)
        grey = grey.astype(float)
        line = px(points["line"])
        rule = Ruler(ends=px(points["rule"]), distance_mm=40)
        crossed = px([points["frame"][i] for i in (0, 2, 2, 3)])
        for wrong, field in (
            (WallMarks(line=line), "ruler"),
            (WallMarks(line=[Px(x=-5, y=2), line[1]], ruler=rule), "line"),
            (WallMarks(line=[line[0], Px(x=line[0].x + 9, y=line[0].y)], ruler=rule), "line"),
            (WallMarks(line=line, ruler=Ruler(ends=[Px(x=1, y=1), Px(x=9, y=1)], distance_mm=40)), "ruler"),
            (WallMarks(line=line, rectangle=Rectangle(corners=crossed, width_mm=60, height_mm=30)), "rectangle"),
        ):
            with self.assertRaises(BadInput) as e:
                measure_wall(grey, wrong)
            self.assertEqual(e.exception.field, field)

    def test_slow_shading_is_no_pattern(self):
        grey, points = wall_picture(2.0)
        lit = grey.astype(float) + np.linspace(-60, 60, grey.shape[1])[None, :]
        found = measure_wall(lit, marks(points))
        self.assertAlmostEqual(found.spacing.value, 2.0, delta=0.02)
