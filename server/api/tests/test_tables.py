"""An instrument's own table: looked at, mapped once, remembered for it, and kept as it came."""

import io
import json
import uuid

from django.db import DatabaseError, transaction
from kestov_core.simulator.shaking import Sensor, Shake, SimAxis, SimMode, shake
from measuring.models import Capture, TableMapping
from workshop.models import Instrument

from .world import ApiCase

G = 9.80665


def record(seconds=8.0):
    """A shaken axis as some box writes it: milliseconds, g, other names, other order, a header behind a mark."""
    rows = (
        shake(SimAxis(modes=[SimMode(hz=45.0)]), "x", Shake(seconds=seconds), Sensor(), 1).csv().decode().splitlines()
    )
    out = ["# made by a box", "# Zeit;vorn;quer;hoch"]
    for line in rows[1:]:
        t, x, y, z = (float(c) for c in line.split(","))
        out.append(f"{1000 * t:.4f};{x / G:.6f};{y / G:.6f};{z / G:.6f}".replace(".", ","))
    return "\n".join(out).encode()


TOLD = {
    "columns": [
        {"name": "time_s", "column": "Zeit", "number": 1, "unit": "ms"},
        {"name": "ax", "column": "vorn", "number": 2, "unit": "g"},
        {"name": "ay", "column": "quer", "number": 3, "unit": "g"},
        {"name": "az", "column": "hoch", "number": 4, "unit": "g"},
    ]
}


class Tables(ApiCase):
    @classmethod
    def setUpTestData(cls):
        super().setUpTestData()
        cls.data = record()
        cls.box = Instrument.objects.create(name="Box 12", kind="accelerometer", unit="m/s2")

    def file(self, data=None, name="box.csv"):
        file = io.BytesIO(self.data if data is None else data)
        file.name = name
        return file

    def look(self, data=None, **asked):
        meta = json.dumps({"procedure": "resonance", "instrument_id": self.box.pk, **asked})
        return self.good("technician", "POST", "/tables", meta=meta, file=self.file(data))

    def take(self, **more):
        meta = {
            "id": str(uuid.uuid4()),
            "place": "x",
            "instrument_id": self.box.pk,
            "columns": TOLD,
            "context": {"excitation": "sweep"},
            **more,
        }
        form = {"meta": json.dumps(meta), "file": self.file()}
        return self.good("technician", "POST", f"/printers/{self.crossed.pk}/resonance/file", **form)

    def test_what_stands_in_it_is_shown_and_what_is_not_told_is_asked(self):
        seen = self.look()
        self.assertEqual(
            (seen["names"], seen["as_is"], seen["remembered"]), (["Zeit", "vorn", "quer", "hoch"], False, False)
        )
        # Four columns for four that are wanted: in order, in the units that gravity and the rate tell.
        self.assertEqual([c["unit"] for c in seen["columns"]["columns"]], ["ms", "g", "g", "g"])
        self.assertIsNone(seen["wrong"])
        self.assertEqual(seen["first"][0][0], "0,0040")
        more = self.look(b"a;b;c;d;e\n0;0;0;1;5\n1;0;0;1;5\n2;0;0;1;5\n")
        self.assertEqual((more["wrong"]["code"], more["wrong"]["field"]), ("missing_column", "time_s"))
        self.assertEqual([w["name"] for w in seen["wanted"]], ["time_s", "ax", "ay", "az"])

    def test_a_mapping_is_tried_before_it_is_taken(self):
        seen = self.look(columns=TOLD)
        self.assertIsNone(seen["wrong"])
        self.assertEqual([s["unit"] for s in seen["series"]], ["s", "m/s2", "m/s2", "m/s2"])
        self.assertLessEqual(len(seen["series"][0]["low"]), 240)
        self.assertFalse([n for n in seen["notes"] if n["grave"]], seen["notes"])
        wrong = {"columns": [{**c, "unit": "m/s2" if c["unit"] == "g" else c["unit"]} for c in TOLD["columns"]]}
        self.assertIn("look like g", self.look(columns=wrong)["notes"][0]["message"])

    def test_gravity_tells_what_one_count_is(self):
        rows = b"X,Y,Z\n" + b"3,-5,4096\n" * 50
        columns = [
            {"name": a, "column": a[1].upper(), "number": i + 1, "unit": "counts"}
            for i, a in enumerate(("ax", "ay", "az"))
        ]
        seen = self.look(rows, columns={"columns": columns, "rate_hz": 800})
        self.assertEqual(seen["wrong"]["field"], "ax.scale")
        self.assertAlmostEqual(seen["notes"][0]["scale"], G / 4096, 6)
        scaled = {"columns": [{**c, "scale": seen["notes"][0]["scale"]} for c in columns], "rate_hz": 800}
        self.assertIsNone(self.look(rows, columns=scaled)["wrong"])

    def test_the_file_is_kept_as_it_came_and_read_as_told_then_and_later(self):
        taken = self.take()
        self.assertAlmostEqual(taken["found"]["modes"][0]["frequency"]["value"], 45.0, 0)
        self.assertEqual(taken["context"]["unit"], "m/s2")
        kept = Capture.objects.get(pk=taken["id"])
        self.assertEqual(kept.raw(), self.data)
        self.assertEqual(self.good("technician", "GET", f"/captures/{kept.pk}/raw"), self.data)
        self.assertEqual(kept.find()["modes"][0]["frequency"], taken["found"]["modes"][0]["frequency"])
        self.assertEqual(self.call("technician", "GET", f"/captures/{kept.pk}/view")[0], 200)
        with self.assertRaises(DatabaseError), transaction.atomic():
            Capture.objects.filter(pk=kept.pk).update(columns=None)

    def test_it_is_remembered_for_the_instrument_and_proposed_for_the_next(self):
        self.take()
        seen = self.look()
        self.assertTrue(seen["remembered"])
        self.assertEqual([c["column"] for c in seen["columns"]["columns"]], ["Zeit", "vorn", "quer", "hoch"])
        self.assertIsNone(seen["wrong"])
        other = self.look(b"time_s,ax,ay,az\n0,0,0,9.8\n0.01,0,0,9.8\n0.02,0,0,9.8\n")
        self.assertEqual((other["remembered"], other["as_is"]), (False, True))
        self.take(instrument_id=None)
        self.assertEqual(TableMapping.objects.count(), 1)

    def test_what_cannot_be_read_so_is_refused_whole_and_remembers_nothing(self):
        form = {
            "meta": json.dumps(
                {
                    "id": str(uuid.uuid4()),
                    "place": "x",
                    "instrument_id": self.box.pk,
                    "columns": {"columns": TOLD["columns"][1:]},
                    "context": {"excitation": "sweep"},
                }
            ),
            "file": self.file(),
        }
        path = f"/printers/{self.crossed.pk}/resonance/file"
        self.refused(422, "missing_column", "time_s", "technician", "POST", path, **form)
        self.assertEqual((Capture.objects.count(), TableMapping.objects.count()), (0, 0))

    def test_only_tables_are_looked_at(self):
        for procedure, code in (("belt-pluck", "out_of_range"), ("nothing", "unknown_procedure")):
            meta = json.dumps({"procedure": procedure})
            status, answer = self.call("technician", "POST", "/tables", meta=meta, file=self.file())
            self.assertEqual((status, answer["code"]), (422, code))
        meta = json.dumps({"procedure": "drag"})
        self.refused(
            422, "no_figures", "data", "technician", "POST", "/tables", meta=meta, file=self.file(b"no\nfigures\n")
        )
