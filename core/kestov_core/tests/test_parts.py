"""Test parts: every one watertight, right way up, within its bed, with lengths that are what its sheet says."""

import unittest
from collections import Counter

import numpy as np

from kestov_core import procedures
from kestov_core.errors import BadInput
from kestov_core.parts.designs import CALIPER_MM, DESIGNS, Fitted, extent, frame_side, made
from kestov_core.parts.marks import text
from kestov_core.parts.solids import boxes, joined, turned

BEDS = (Fitted(machine="Halyard", day="2026-11-27"), Fitted(350, 350, 0.8), Fitted(120, 120, 0.25))


def edges(mesh):
    return Counter((int(f[i]), int(f[(i + 1) % 3])) for f in mesh.faces for i in range(3))


class Solids(unittest.TestCase):
    def closed(self, mesh, what=""):
        used = edges(mesh)
        self.assertEqual(max(used.values()), 1, what)
        self.assertTrue(all(used[(b, a)] == 1 for a, b in used), what)
        self.assertGreater(mesh.volume, 0, what)

    def test_boxes_are_joined_and_cut_whole(self):
        block = boxes([(0, 10, 0, 10, 0, 10), (5, 20, 0, 10, 0, 5)], [(2, 4, 2, 4, 0, 10)])
        self.closed(block)
        self.assertAlmostEqual(block.volume, 1000 + 500 - 40, places=6)
        self.assertAlmostEqual(joined([block, block.moved(50, 0)]).volume, 2 * block.volume, places=6)

    def test_turned_bodies_close_on_themselves(self):
        rod = turned(lambda t, z: 5 + np.cos(3 * t), [0, 1, 4], around=60)
        self.closed(rod)
        tube = turned(lambda t, z: 6 + 0 * t, [0, 3], lambda t, z: 4 + 0.3 * np.cos(t), around=60)
        self.closed(tube)

    def test_letters_stand_on_what_they_stand_on(self):
        for words in ("ABCDEFGHIJKLM", "NOPQRSTUVWXYZ", "0123456789-."):
            self.closed(boxes([(-2, 60, -2, 8, 0, 2), *text(words, 0, 0, 2)]), words)


class Parts(unittest.TestCase):
    def test_each_is_watertight_right_way_up_and_on_its_bed(self):
        for name in DESIGNS:
            for bed in BEDS:
                with self.subTest(name=name, bed=bed.width_mm):
                    part = made(name, bed)
                    used = edges(part.mesh)
                    self.assertEqual(max(used.values()), 1)
                    self.assertTrue(all(used[(b, a)] == 1 for a, b in used))
                    self.assertGreater(part.mesh.volume, 0)
                    low, high = part.mesh.vertices.min(axis=0), part.mesh.vertices.max(axis=0)
                    self.assertAlmostEqual(low[2], 0.0, places=6)
                    self.assertLessEqual(high[0] - low[0], bed.width_mm)
                    self.assertLessEqual(high[1] - low[1], bed.depth_mm)

    def test_places_are_numbered_and_their_lines_are_as_long_as_they_say(self):
        for name in DESIGNS:
            places = made(name, BEDS[0]).places
            self.assertEqual([p.number for p in places], list(range(1, len(places) + 1)))
            for p in places:
                x0, y0, x1, y1 = p.line
                length = np.hypot(x1 - x0, y1 - y0)
                if length > 0:
                    self.assertAlmostEqual(length, p.nominal_mm, places=2, msg=f"{name}: {p.words}")

    def test_the_bar_is_what_its_lines_say(self):
        part = made("bar", BEDS[0])
        vertices = np.round(part.mesh.vertices, 6)
        # Along X the treads end where their lengths say, from one common face.
        ends = set(vertices[(vertices[:, 1] < 20) & (vertices[:, 2] == 0), 0].tolist())
        self.assertLessEqual({0.0, 60.0, 80.0, 10.0, 35.0}, ends)
        self.assertLessEqual(
            {10.0, 20.0, 30.0, 40.0}, set(vertices[(vertices[:, 0] <= 40) & (vertices[:, 1] >= 60), 2].tolist())
        )

    def test_a_finer_limit_wants_a_larger_frame_as_far_as_bed_and_caliper_go(self):
        sides = [frame_side(Fitted(400, 400, lean_limit=limit)) for limit in (0.3, 0.06, 0.01)]
        self.assertEqual(sides, sorted(sides))
        self.assertLessEqual(sides[-1] * 2**0.5, CALIPER_MM)
        self.assertLessEqual(frame_side(Fitted(90, 200)), 70)

    def test_no_part_is_made_for_too_small_a_bed_or_by_another_name(self):
        for name, bed in (("bar", Fitted(60, 60)), ("frame", Fitted(50, 50)), ("spanner", Fitted())):
            with self.assertRaises(BadInput) as e:
                made(name, bed)
            self.assertEqual(e.exception.code, "out_of_range")

    def test_each_part_that_a_procedure_reads_is_there_and_read_by_one(self):
        read = [p for n in procedures.names() if (p := procedures.get(n).part) is not None]
        self.assertEqual(len(read), len(set(read)))
        self.assertLessEqual(set(read), set(DESIGNS))
        self.assertEqual(set(DESIGNS) - set(read), {"column", "health", "thread"})

    def test_outlines_lie_where_the_solid_does(self):
        for name in DESIGNS:
            part = made(name, BEDS[0])
            x0, x1, y0, y1 = extent(part.outlines)
            low, high = part.mesh.vertices.min(axis=0), part.mesh.vertices.max(axis=0)
            for a, b in ((x0, low[0]), (x1, high[0]), (y0, low[1]), (y1, high[1])):
                self.assertAlmostEqual(a, b, delta=4.0, msg=name)


if __name__ == "__main__":
    unittest.main()
