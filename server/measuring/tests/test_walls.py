"""Photographs of walls: kept small and without hidden data, made for a simulated machine, measured by what is marked."""

import io

from api.tests.world import ApiCase
from kestov_core.signals.wall import Px, Ruler, WallMarks
from people.refusals import Refused
from PIL import Image
from workshop.pictures import read_picture

from measuring import walls


class Walls(ApiCase):
    def photograph(self, size=(3000, 1500)):
        out = io.BytesIO()
        Image.new("RGB", size, "grey").save(out, "PNG")
        return out.getvalue()

    def test_a_large_one_is_kept_smaller_as_jpeg(self):
        wall = walls.keep(self.slinger, read_picture(self.photograph()), self.people["technician"])
        self.assertEqual((wall.width, wall.height, wall.marks), (2000, 1000, None))
        self.assertEqual(Image.open(io.BytesIO(wall.image)).format, "JPEG")

    def test_a_made_one_is_measured_to_the_spacing_that_the_machine_rings_with(self):
        from measuring.taking import simulated

        for place, across in (("x", "y"), ("y", "x")):
            made = walls.make(self.crossed, place, 12.0, self.people["technician"])
            wall = walls.measure(made.pk, WallMarks.model_validate(made.marks))
            spacing = wall.found["spacing"]
            true = walls.MADE_AT_MM_S / simulated(self.crossed).axis(across).modes[0].hz
            self.assertLess(abs(spacing["value"] - true), max(spacing["u95"], 0.02 * true))

    def test_a_real_machine_has_no_made_walls(self):
        with self.assertRaises(Refused) as caught:
            walls.make(self.slinger, "x", 0.0, self.people["technician"])
        self.assertEqual(caught.exception.code, "not_simulated")

    def test_a_picture_that_is_gone(self):
        marks = WallMarks(
            line=[Px(x=1, y=1), Px(x=90, y=1)], ruler=Ruler(ends=[Px(x=0, y=0), Px(x=9, y=0)], distance_mm=9)
        )
        with self.assertRaises(Refused) as caught:
            walls.measure(0, marks)
        self.assertEqual(caught.exception.status, 404)
