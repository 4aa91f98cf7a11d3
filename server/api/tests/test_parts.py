"""Test parts and their sheets as they are taken along: files that others read, fitted to the machine, with the way back."""

import io
import zipfile

import trimesh
from kestov_core.parts.designs import DESIGNS
from workshop.models import Limit

from .world import ApiCase


class Parts(ApiCase):
    def path(self, more=""):
        return f"/printers/{self.slinger.pk}/parts{more}"

    def test_each_part_is_a_watertight_file_within_the_machines_bed(self):
        listed = self.good("technician", "GET", self.path())
        self.assertEqual([p["name"] for p in listed], list(DESIGNS))
        for part in listed:
            self.assertEqual(part["why_not"], "")
            stl = self.good("technician", "GET", self.path(f"/{part['name']}.stl"))
            mesh = trimesh.load(io.BytesIO(stl), file_type="stl")
            self.assertTrue(mesh.is_watertight and mesh.is_winding_consistent, part["name"])
            self.assertGreater(mesh.volume, 0)
            self.assertLessEqual(max(mesh.extents[:2]), 220.0)
            self.assertAlmostEqual(mesh.bounds[0][2], 0.0, places=4)

    def test_a_3mf_holds_the_same_in_millimetres(self):
        stl = trimesh.load(io.BytesIO(self.good("technician", "GET", self.path("/bar.stl"))), file_type="stl")
        data = self.good("technician", "GET", self.path("/bar.3mf"))
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            model = archive.read("3D/3dmodel.model").decode()
        self.assertIn('unit="millimeter"', model)
        loaded = trimesh.load(io.BytesIO(data), file_type="3mf")
        self.assertAlmostEqual(abs(loaded.to_geometry().volume), stl.volume, delta=1.0)

    def test_a_finer_limit_makes_a_larger_frame(self):
        def side():
            return next(p["width_mm"] for p in self.good("technician", "GET", self.path()) if p["name"] == "frame")

        before = side()
        Limit.objects.create(model=self.slinger.model, what="squareness", place="all", high=0.03, unit="mm/100mm")
        self.assertGreater(side(), before)

    def test_a_sheet_has_every_place_with_its_nominal_and_the_way_back(self):
        svg = self.good("technician", "GET", self.path("/bar/sheet.svg")).decode()
        self.assertIn(f"http://testserver/bench/{self.slinger.pk}/dimensions/all", svg)
        for words in ("Halyard: Stepped bar", "X: over the length of 80", "Z: tread to tread, 30 deep", ">25<"):
            self.assertIn(words, svg)
        pdf = self.good("technician", "GET", self.path("/bar/sheet.pdf"))
        self.assertTrue(pdf.startswith(b"%PDF"))
        self.assertIn(f"/bench/{self.slinger.pk}/dimensions/all".encode(), pdf)
        for name in DESIGNS:
            self.assertTrue(self.good("technician", "GET", self.path(f"/{name}/sheet.pdf")).startswith(b"%PDF"))

    def test_a_bed_too_small_and_a_part_of_no_such_name_are_said(self):
        model = self.slinger.model
        model.description["bed"] |= {"width_mm": 60.0, "depth_mm": 60.0}
        model.save()
        listed = {p["name"]: p for p in self.good("technician", "GET", self.path())}
        self.assertIn("too small", listed["bar"]["why_not"])
        self.assertEqual(self.call("technician", "GET", self.path("/bar.stl"))[0], 422)
        self.assertEqual(self.call("technician", "GET", self.path("/spanner.stl"))[0], 422)
        self.assertEqual(self.call("member", "GET", self.path("/bar.stl"))[0], 403)
