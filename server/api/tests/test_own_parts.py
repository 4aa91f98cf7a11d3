"""Parts of the workshop's own: entered once with picture or model, taken along as a sheet, and measured place by place."""

import io
import json
import uuid

import numpy as np
import trimesh
from measuring.models import OwnPart
from PIL import Image

from .world import ApiCase

PLACES = [
    {"words": "bore", "axis": "x", "kind": "inner", "nominal_mm": 8, "tolerance_mm": 0.1, "line": [{"x": 0.2, "y": 0.5}, {"x": 0.4, "y": 0.5}]},
    {"words": "length", "axis": "x", "kind": "outer", "nominal_mm": 60},
    {"words": "height", "axis": "z", "kind": "outer", "nominal_mm": 24, "tolerance_mm": 0.2},
]  # fmt: skip


def picture():
    out = io.BytesIO()
    Image.new("RGB", (900, 600), (140, 150, 145)).save(out, "PNG")
    out.seek(0)
    out.name = "clip.png"
    return out


def model(data=None):
    out = io.BytesIO(trimesh.creation.box((60, 30, 24)).export(file_type="stl") if data is None else data)
    out.name = "clip.stl"
    return out


class OwnParts(ApiCase):
    def meta(self, **more):
        return json.dumps({"name": "Hose clip", "words": "Holds the river hose.", "places": PLACES, **more})

    def add(self, file=None, **more):
        return self.good("technician", "POST", "/own-parts", meta=self.meta(**more), file=file or picture())

    def refuse(self, code, field, status=422, file=None, **more):
        answer = self.refused(
            status, code, field, "technician", "POST", "/own-parts", meta=self.meta(**more), file=file or picture()
        )
        self.assertEqual(OwnPart.objects.count(), 0)
        return answer

    def test_its_places_are_asked_for_one_after_the_other_and_each_is_judged(self):
        part = self.add()[0]
        page = self.good("technician", "GET", f"/printers/{self.slinger.pk}/bench/dimensions/all?part={part['id']}")
        self.assertEqual([p["words"] for p in page["planned"]], ["bore, 8 ± 0.1", "length, 60", "height, 24 ± 0.2"])
        rows = [p["row"] | {"measured_mm": m} for p, m in zip(page["planned"], (7.71, 60.1, 24.02), strict=True)]
        body = {"id": str(uuid.uuid4()), "place": "all", "rows": rows}
        found = self.good("technician", "POST", f"/printers/{self.slinger.pk}/dimensions", body)["found"]
        judged = {j["words"]: j["verdict"] for j in found["judged"]}
        self.assertEqual(judged["X, bore: measured less drawn (8 mm)"], "out_of_tolerance")
        self.assertEqual(judged["Z, height: measured less drawn (24 mm)"], "in_tolerance")

    def test_a_sheet_has_its_picture_its_places_and_the_way_back(self):
        part = self.add()[0]
        path = f"/printers/{self.slinger.pk}/own-parts/{part['id']}/sheet"
        svg = self.good("technician", "GET", f"{path}.svg").decode()
        for words in ("Halyard: Hose clip", "X: bore", "8 ± 0.1", "Z: height", "data:image/jpeg;base64,"):
            self.assertIn(words, svg)
        self.assertIn(f"/bench/{self.slinger.pk}/dimensions/all?part={part['id']}", svg)
        self.assertTrue(self.good("technician", "GET", f"{path}.pdf").startswith(b"%PDF"))

    def test_a_model_is_drawn_as_it_is_seen_and_handed_out_as_it_came(self):
        data = model().getvalue()
        part = self.add(model(), view="front")[0]
        self.assertTrue(part["has_model"])
        # From the front: 60 wide, 24 high.
        self.assertAlmostEqual((part["width"] - 80) / (part["height"] - 80), 60 / 24, 1)
        self.assertEqual(self.good("technician", "GET", f"/own-parts/{part['id']}/model.stl"), data)
        seen = Image.open(io.BytesIO(self.good("technician", "GET", f"/own-parts/{part['id']}/picture")))
        tones = np.asarray(seen.convert("L"))
        self.assertLess(tones[tones.shape[0] // 2, tones.shape[1] // 2], 240)
        self.assertGreater(tones[5, 5], 240)
        looked = self.good("technician", "POST", "/own-parts/look", file=model(), view="corner")
        self.assertTrue(looked["src"].startswith("data:image/jpeg;base64,"))
        self.assertGreater(looked["width"], looked["height"])

    def test_what_is_no_model_is_refused(self):
        for data, status, code in (
            (b"", 422, "empty_file"),
            (b"solid nothing\nendsolid nothing\n", 422, "not_a_model"),
            (b"\0" * 400, 422, "not_a_model"),
            (bytes(range(256)) * 20, 422, "not_a_model"),
        ):
            with self.subTest(data=data[:12]):
                self.refuse(code, "file", status, model(data))
        flat = trimesh.Trimesh([[0, 0, 0]] * 3, [[0, 1, 2]], process=False).export(file_type="stl")
        self.refuse("not_a_model", "file", file=model(flat))

    def test_what_is_wrong_is_said_at_its_field(self):
        self.refuse("missing_field", "places", places=[])
        self.refuse("missing_field", "name", name=" ")
        self.refuse("out_of_range", "places.1.words", places=[PLACES[0], {**PLACES[1], "words": "Bore"}])
        self.refuse("out_of_range", "places.0.nominal_mm", places=[{**PLACES[0], "nominal_mm": -4}])
        self.refuse(
            "out_of_range", "places.0.line.0.x", places=[{**PLACES[0], "line": [{"x": 3, "y": 0}, {"x": 0, "y": 0}]}]
        )
        self.refuse("not_a_picture", "file", file=io.BytesIO(b"no picture"))

    def test_it_is_changed_and_retired_and_its_name_is_used_once(self):
        part = self.add()[0]
        self.refused(
            422,
            "out_of_range",
            "name",
            "technician",
            "POST",
            "/own-parts",
            meta=self.meta(name="hose CLIP"),
            file=picture(),
        )
        body = {"name": "Hose clip 2", "words": "", "places": PLACES[:1]}
        changed = self.good("technician", "POST", f"/own-parts/{part['id']}", body)[0]
        self.assertEqual((changed["name"], len(changed["places"])), ("Hose clip 2", 1))
        self.assertEqual(self.good("technician", "POST", f"/own-parts/{part['id']}/retire"), [])
        self.refused(404, "not_found", None, "technician", "POST", f"/own-parts/{part['id']}", body)
        # Readings on paper may still be typed.
        page = self.good("technician", "GET", f"/printers/{self.slinger.pk}/bench/dimensions/all?part={part['id']}")
        self.assertEqual(len(page["planned"]), 1)

    def test_the_same_sent_twice_is_one(self):
        key = str(uuid.uuid4())
        for _ in range(2):
            form = {"meta": self.meta(), "file": picture()}
            self.assertEqual(len(self.good("technician", "POST", "/own-parts", key=key, **form)), 1)
