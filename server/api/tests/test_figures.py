"""All figures as a table: read back by others' tools, whole, with units; the documented example runs as it stands."""

import contextlib
import csv
import io
import os
import re
import tempfile
from datetime import timedelta
from pathlib import Path

import pandas as pd
import pyarrow.parquet
from measuring import figures
from measuring.models import Capture
from people.clock import at, now

from .world import ApiCase

DOC = Path(__file__).resolve().parents[3] / "docs" / "figures.md"


class Figures(ApiCase):
    def setUp(self):
        super().setUp()
        for days in (40, 1):
            with at(now() - timedelta(days=days)):
                self.stand_in("a")
                self.stand_in("b")

    def csv(self, query=""):
        return self.good("technician", "GET", f"/figures.csv{query}").decode()

    def test_every_figure_has_its_row_with_its_unit_and_doubt(self):
        rows = list(csv.DictReader(io.StringIO(self.csv())))
        heads = [r for r in rows if r["nth"] == "0"]
        self.assertEqual({r["capture"] for r in heads}, {str(c) for c in Capture.objects.values_list("pk", flat=True)})
        first = heads[0]
        found = Capture.objects.get(pk=first["capture"]).latest().found["judged"][0]
        self.assertEqual((float(first["value"]), float(first["u95"]), first["unit"]), (found["quantity"]["value"], found["quantity"]["u95"], "N"))  # fmt: skip
        self.assertEqual((first["machine"], first["model"], first["procedure"]), ("Bowline", "Heron 300", "belt-pluck"))
        self.assertEqual([r["taken_at"] for r in rows], sorted(r["taken_at"] for r in rows))

    def test_what_an_earlier_core_found_is_in_it_by_its_headline(self):
        row = Capture.objects.first().latest()
        row.found = {k: v for k, v in row.found.items() if k != "judged"}
        row.save()
        told = [r for r in csv.DictReader(io.StringIO(self.csv())) if r["capture"] == str(row.capture_id)]
        self.assertEqual([(r["what"], float(r["value"]), r["unit"]) for r in told], [("Measured", row.value, "N")])

    def test_parquet_holds_the_same(self):
        body = self.good("technician", "GET", "/figures.parquet")
        told = pyarrow.parquet.read_table(io.BytesIO(body)).to_pylist()
        rows = list(csv.DictReader(io.StringIO(self.csv())))
        self.assertEqual(len(told), len(rows))
        for a, b in zip(told, rows, strict=True):
            self.assertEqual((a["capture"], str(a["value"]), a["what"]), (b["capture"], b["value"], b["what"]))
            self.assertEqual(a["taken_at"].isoformat(), b["taken_at"])

    def test_a_part_of_it_by_days_and_by_machine(self):
        late = (now() - timedelta(days=5)).date()
        self.assertEqual(len({r["capture"] for r in csv.DictReader(io.StringIO(self.csv(f"?since={late}")))}), 2)
        self.assertEqual(len(self.csv(f"?printer_id={self.slinger.pk}").splitlines()), 1)
        empty = self.good("technician", "GET", f"/figures.parquet?printer_id={self.slinger.pk}")
        self.assertEqual(pyarrow.parquet.read_table(io.BytesIO(empty)).num_rows, 0)
        self.refused(
            422, "out_of_range", "until", "technician", "GET", "/figures.csv?since=2026-03-02&until=2026-03-01"
        )
        self.assertEqual(self.call("technician", "GET", "/figures.xls")[0], 422)
        self.assertEqual(self.call("member", "GET", "/figures.csv")[0], 403)

    def test_too_many_are_asked_for_in_parts(self):
        most, figures.MOST = figures.MOST, 3
        self.addCleanup(setattr, figures, "MOST", most)
        self.refused(422, "too_many", "since", "technician", "GET", "/figures.csv")

    def test_the_example_runs_as_it_stands(self):
        code = re.search(r"```python\n(.*?)```", DOC.read_text("utf-8"), re.S)[1]
        with tempfile.TemporaryDirectory() as folder:
            before = os.getcwd()
            self.addCleanup(os.chdir, before)
            os.chdir(folder)
            Path("figures.csv").write_text(self.csv())
            Path("figures.parquet").write_bytes(self.good("technician", "GET", "/figures.parquet"))
            with contextlib.redirect_stdout(io.StringIO()) as said:
                exec(compile(code, "docs/figures.md", "exec"), {})
            self.assertRegex(said.getvalue(), r"Bowline +a +\d")
            self.assertEqual(len(pd.read_parquet("figures.parquet")), len(pd.read_csv("figures.csv")))
            os.chdir(before)
