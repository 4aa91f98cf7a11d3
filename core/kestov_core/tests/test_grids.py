"""Bed maps as machines print them: labels or none, any separator, front or rear first; and what is no map."""

import unittest

from hypothesis import given, settings
from hypothesis import strategies as st

from kestov_core.errors import BadInput
from kestov_core.grids import GridAsked, read_grid

WHERE = {"left_mm": 20.0, "right_mm": 200.0, "front_mm": 30.0, "rear_mm": 210.0}
PLAIN = "0.10 0.00 -0.10\n0.20 0.10 0.00\n0.30 0.20 0.10\n"


def read(text, **how):
    return read_grid(GridAsked(text=text, **{**WHERE, **how}))


def at(found, x, y):
    return next(h.z_mm for h in found.heights if h.x_mm == x and h.y_mm == y)


class Grids(unittest.TestCase):
    def test_any_separator_gives_the_same_map(self):
        want = read(PLAIN).heights
        for text in (
            PLAIN.replace(" ", ", "),
            PLAIN.replace(" ", "\t"),
            PLAIN.replace(" ", ";"),
            PLAIN.replace(".", ",").replace(" ", ";"),
            PLAIN.replace(".", ",").replace(" ", "\t"),
            "Bed map in mm:\n" + "".join(f"[ {line} ]\n" for line in PLAIN.splitlines()) + "done\n",
            "# probed\n" + "".join(f"| {line.replace(' ', ' | ')} |\n" for line in PLAIN.splitlines()),
        ):
            self.assertEqual(read(text).heights, want, text)
        self.assertEqual((at(read(PLAIN), 20.0, 30.0), at(read(PLAIN), 200.0, 210.0)), (0.1, 0.1))
        self.assertEqual(at(read(PLAIN), 200.0, 30.0), -0.1)

    def test_the_first_line_may_be_the_rear(self):
        rear = read(PLAIN, first_line="rear")
        self.assertEqual(at(rear, 20.0, 210.0), 0.1)
        self.assertEqual(at(rear, 20.0, 30.0), 0.3)
        self.assertFalse(rear.order_told)

    def test_counts_beside_it_are_labels_and_tell_the_order(self):
        up = "    0     1     2\n0 0.10 0.00 -0.10\n1 0.20 0.10 0.00\n2 0.30 0.20 0.10\n"
        down = "    0     1     2\n2 0.30 0.20 0.10\n1 0.20 0.10 0.00\n0 0.10 0.00 -0.10\n"
        for text in (up, down):
            found = read(text, first_line="rear")
            self.assertEqual((found.columns, found.lines, found.order_told, found.places_told), (3, 3, True, False))
            self.assertEqual((at(found, 20.0, 30.0), at(found, 20.0, 210.0)), (0.1, 0.3))

    def test_places_beside_it_are_taken_as_they_are(self):
        text = "  10 110 210\n15 0.10 0.00 -0.10\n115 0.20 0.10 0.00\n215 0.30 0.20 0.10\n"
        found = read(text)
        self.assertTrue(found.places_told)
        self.assertEqual((at(found, 10.0, 15.0), at(found, 210.0, 215.0)), (0.1, 0.1))

    def test_points_are_read_by_their_header(self):
        for head in ("x,y,z", "X_mm,Y_mm,Z_mm", "n,x mm,y mm,z mm"):
            extra = "1," if head.startswith("n") else ""
            found = read(f"{head}\n{extra}0,0,0.1\n{extra}100,0,0.2\n{extra}0,100,0.3\n")
            self.assertEqual([h.z_mm for h in found.heights], [0.1, 0.2, 0.3])

    def test_what_is_no_map_is_refused_in_words(self):
        for text, code in (
            ("no numbers here", "too_few_rows"),
            ("0.1 0.2 0.3\n", "too_few_rows"),
            ("0.1 0.2\n0.1 0.2 0.3\n0.1 0.2 0.3\n", None),
            ("0.1 0.2 0.3\n0.1 0.2\n0.1 0.2 0.3\n", "bad_row"),
            ("100 0.2\n0.1 0.2\n", "out_of_range"),
            ("x,y,z\n0,0,900\n", "out_of_range"),
            ("0.1 " * 80 + "\n" + "0.1 " * 80, "too_large"),
        ):
            if code is None:
                continue
            with self.assertRaises(BadInput) as e:
                read(text)
            self.assertEqual(e.exception.code, code, text[:40])
        with self.assertRaises(BadInput) as e:
            read(PLAIN, right_mm=0.0)
        self.assertEqual(e.exception.field, "right_mm")

    @settings(max_examples=60, deadline=None)
    @given(
        st.lists(st.lists(st.integers(-900, 900), min_size=3, max_size=3), min_size=2, max_size=9),
        st.sampled_from([" ", ", ", "\t", ";"]),
    )
    def test_every_height_comes_through(self, rows, separator):
        text = "\n".join(separator.join(f"{v / 1000 + 0.0005:+.4f}" for v in row) for row in rows)
        found = read(text)
        self.assertEqual([round(h.z_mm * 10000) for h in found.heights], [10 * v + 5 for row in rows for v in row])

    @settings(max_examples=150, deadline=None)
    @given(st.text(min_size=1, max_size=200))
    def test_nothing_that_is_pasted_ends_otherwise_than_in_words(self, text):
        try:
            read(text)
        except BadInput as e:
            self.assertTrue(e.message)


if __name__ == "__main__":
    unittest.main()
