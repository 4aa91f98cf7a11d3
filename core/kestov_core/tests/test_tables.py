"""Tables as instruments write them: what is seen in them, how they are mapped, and what is doubted."""

import math
import unittest

import numpy as np
from hypothesis import example, given, settings
from hypothesis import strategies as st

from kestov_core import procedures
from kestov_core.errors import BadInput
from kestov_core.simulator.shaking import Sensor, Shake, SimAxis, SimMode, shake
from kestov_core.tables.mapping import MappedColumn, TableMap, guess, mapped, wanted
from kestov_core.tables.seen import see
from kestov_core.tables.sense import likely, sense

SHAKEN = wanted(procedures.get("resonance"))
G = 9.80665


def read(data, told=None, columns=SHAKEN):
    seen = see(data)
    return mapped(seen, columns, told or guess(seen, columns))


def accelerometer(header, line, n=40):
    """A table of ``n`` rows; ``line(i)`` writes one."""
    return (header + "".join(line(i) + "\n" for i in range(n))).encode()


def told(time="s", acc="m/s2", scale=None, rate=None, first=1):
    columns = [] if rate else [MappedColumn(name="time_s", number=first, unit=time)]
    start = first + (0 if rate else 1)
    columns += [MappedColumn(name=a, number=start + i, unit=acc, scale=scale) for i, a in enumerate(("ax", "ay", "az"))]
    return TableMap(columns=columns, rate_hz=rate)


class Seeing(unittest.TestCase):
    def test_many_ways_of_writing_the_same_table(self):
        for name, data in {
            "comma": b"t,x,y,z\n0,1.5,2,3\n1,1.5,2,3\n2,1.5,2,3\n",
            "semicolon, decimal comma": b"t;x;y;z\n0;1,5;2;3\n1;1,5;2;3\n2;1,5;2;3\n",
            "tab, decimal comma": b"t\tx\ty\tz\n0\t1,5\t2\t3\n1\t1,5\t2\t3\n2\t1,5\t2\t3\n",
            "blanks": b"  t   x  y z\n 0  1.5  2 3\n 1 1.5 2   3\n2 1.5 2 3\n",
            "comma and blank": b"t, x, y, z\n0, 1.5, 2, 3\n1, 1.5, 2, 3\n2, 1.5, 2, 3\n",
            "header behind a mark": b"# some box 3.1\n# t,x,y,z\n0,1.5,2,3\n1,1.5,2,3\n2,1.5,2,3\n",
            "header of other separators": b"#t x y z\n0,1.5,2,3\n1,1.5,2,3\n2,1.5,2,3\n",
            "preamble": b"Serial 14\nRange 16 g\n\nt,x,y,z\n0,1.5,2,3\n1,1.5,2,3\n2,1.5,2,3\n",
            "separator at the end": b"t,x,y,z,\n0,1.5,2,3,\n1,1.5,2,3,\n2,1.5,2,3,\n",
            "old line ends": b"t,x,y,z\r0,1.5,2,3\r1,1.5,2,3\r2,1.5,2,3\r",
            "UTF-16": "t,x,y,z\n0,1.5,2,3\n1,1.5,2,3\n2,1.5,2,3\n".encode("utf-16"),
            "byte-order mark": b"\xef\xbb\xbft,x,y,z\n0,1.5,2,3\n1,1.5,2,3\n2,1.5,2,3\n",
            "quotes": b'"t","x","y","z"\n"0","1.5","2","3"\n"1","1.5","2","3"\n"2","1.5","2","3"\n',
        }.items():
            with self.subTest(name):
                seen = see(data)
                self.assertEqual((seen.names, seen.rows), (["t", "x", "y", "z"], 3))
                table = read(data)
                self.assertEqual(
                    [table.figures[n].tolist() for n in table.order], [[0, 1, 2], [1.5] * 3, [2] * 3, [3] * 3]
                )

    def test_units_are_taken_from_the_header_or_from_a_line_of_their_own(self):
        for header in ("time [ms],x (g),y (g),z (g)\n", "time_ms,x_g,y_g,z_g\n", "time,x,y,z\nms,g,g,g\n"):
            with self.subTest(header):
                seen = see((header + "0,0,0,1\n1,0,0,1\n2,0,0,1\n").encode())
                self.assertEqual(seen.units, ["ms", "g", "g", "g"])
                table = read((header + "0,0,0,1\n1,0,0,1\n2,0,0,1\n").encode())
                np.testing.assert_allclose(table.figures["time_s"], [0, 0.001, 0.002])
                np.testing.assert_allclose(table.figures["az"], [G] * 3)

    def test_micro_in_one_byte_is_read(self):
        data = "t [µs];x;y;z\n0;0;0;1\n500;0;0;1\n1000;0;0;1\n".encode("latin-1")
        self.assertEqual(see(data).units[0], "us")
        np.testing.assert_allclose(read(data).figures["time_s"], [0, 5e-4, 1e-3])

    def test_columns_without_names_are_numbered_and_taken_in_order(self):
        seen = see(b"0,0,0,1\n1,0,0,1\n2,0,0,1\n")
        self.assertEqual((seen.names[0], seen.header, seen.rows), ("Column 1", 0, 3))
        self.assertEqual([c.number for c in guess(seen, SHAKEN).columns], [1, 2, 3, 4])

    def test_two_columns_of_one_name_are_told_apart(self):
        self.assertEqual(see(b"x,x,X\n1,2,3\n4,5,6\n7,8,9\n").names, ["x", "x (2)", "X (3)"])

    def test_what_is_no_table_is_refused(self):
        for data, code in (
            (b"", "empty_file"),
            (b"only words here\nand more words\n", "no_figures"),
            (bytes(range(256)) * 4, "not_text"),
        ):
            with self.subTest(data=data[:20]), self.assertRaises(BadInput) as e:
                see(data)
            self.assertEqual((e.exception.code, e.exception.field), (code, "data"))

    @settings(max_examples=200, deadline=None)
    @given(st.binary(max_size=200) | st.text(max_size=200).map(str.encode))
    @example(b"1,2\n")
    @example(b"0:00:00\n0:00:00\n0:00:00\n")
    def test_no_bytes_end_otherwise_than_in_a_table_or_a_refusal(self, data):
        try:
            seen = see(data)
            table = mapped(seen, SHAKEN, guess(seen, SHAKEN))
            sense(table, SHAKEN)
        except BadInput:
            pass


class Mapping(unittest.TestCase):
    def test_a_record_in_another_shape_gives_the_same_result(self):
        record = shake(SimAxis(modes=[SimMode(hz=45.0)]), "x", Shake(seconds=8.0), Sensor(), 1).csv()
        context = {"unit": "m/s2", "excited_axis": "x", "excitation": "sweep"}
        plain = procedures.run("resonance", context, record)
        rows = [[float(c) for c in line.split(",")] for line in record.decode().splitlines()[1:]]
        shuffled = accelerometer(
            "# box 12, axes as printed on it\n# Z (mg); Y (mg); t (us); X (mg)\n",
            lambda i: ";".join(
                f"{v:.6f}".replace(".", ",")
                for v in (rows[i][3] / G * 1e3, rows[i][2] / G * 1e3, rows[i][0] * 1e6, rows[i][1] / G * 1e3)
            ),
            len(rows),
        )
        other = procedures.run("resonance", context, read(shuffled).csv())
        self.assertEqual(len(plain.modes), len(other.modes))
        self.assertAlmostEqual(plain.modes[0].frequency.value, other.modes[0].frequency.value, 2)

    def test_units_scales_and_a_bare_rate(self):
        counts = accelerometer("", lambda i: f"{i},16,-32,16384")
        table = read(counts, told(time="ms", acc="counts", scale=G / 16384))
        self.assertAlmostEqual(table.figures["az"][3], G)
        self.assertAlmostEqual(table.figures["time_s"][3], 0.003)
        bare = accelerometer("x y z\n", lambda i: "0 0 1")
        table = read(bare, told(acc="g", rate=1600.0))
        self.assertAlmostEqual(table.figures["time_s"][16], 0.01)

    def test_a_time_of_day_counts_from_the_first_and_goes_on_past_midnight(self):
        clock = b"when,x,y,z\n23:59:59.500,0,0,1\n00:00:00.000,0,0,1\n00:00:00.500,0,0,1\n"
        self.assertEqual(guess(see(clock), [*SHAKEN][:1]).columns, [])
        table = read(clock, told(time="clock"))
        np.testing.assert_allclose(table.figures["time_s"], [0, 0.5, 1.0])
        dated = (
            b"time,x,y,z\n2026-03-01T10:00:00.25,0,0,1\n2026-03-01T10:00:01.25,0,0,1\n2026-03-02T10:00:01.25,0,0,1\n"
        )
        np.testing.assert_allclose(read(dated).figures["time_s"], [0, 1, 86401])

    def test_a_remembered_mapping_finds_its_columns_by_name(self):
        map_ = guess(see(b"t,x,y,z\n0,1,2,3\n1,1,2,3\n2,1,2,3\n"), SHAKEN)
        table = read(b"z,note,t,y,x\n3,9,0,2,1\n3,9,1,2,1\n3,9,2,2,1\n", map_)
        self.assertEqual([table.figures[n][0] for n in ("time_s", "ax", "ay", "az")], [0, 1, 2, 3])
        with self.assertRaises(BadInput) as e:
            read(b"t,x,y,w\n0,1,2,3\n1,1,2,3\n2,1,2,3\n", map_)
        self.assertEqual((e.exception.code, e.exception.field), ("missing_column", "az"))

    def test_other_procedures_tables_are_mapped_with_their_words(self):
        drag = wanted(procedures.get("drag"))
        self.assertEqual(
            [(c.name, c.unit, c.optional) for c in drag][:2], [("position_mm", "mm", False), ("force_n", "N", False)]
        )
        table = read(b"pos (in);force (gf)\n0;100\n1;102\n2;101\n3;99\n4;100\n", columns=drag, told=TableMap(columns=[
            MappedColumn(name="position_mm", column="pos", number=1, unit="in"),
            MappedColumn(name="force_n", column="force", number=2, unit="gf"),
        ]))  # fmt: skip
        np.testing.assert_allclose(table.figures["position_mm"], [0, 25.4, 50.8, 76.2, 101.6])
        self.assertAlmostEqual(table.figures["force_n"][0], 0.980665)
        self.assertEqual(procedures.run("drag", {}, table.csv()).procedure, "drag")
        reversal = wanted(procedures.get("backlash"))
        self.assertEqual(next(c.words for c in reversal if c.name == "approach"), ["+", "-"])

    def test_every_procedure_with_a_table_has_wanted_columns_that_it_reads(self):
        for name in procedures.names():
            procedure = procedures.get(name)
            if procedure.data == "csv" and procedure.measures is not None:
                with self.subTest(name):
                    columns = wanted(procedure)
                    self.assertTrue(columns)
                    for c in columns:
                        self.assertTrue(c.title, c.name)
                        self.assertTrue(c.words or c.units or not c.unit, c.name)

    def test_what_is_wrong_is_named_by_row_and_column(self):
        good = ["0,0,0,1", "1,0,0,1", "2,0,0,1", "3,0,0,1"]
        for bad, code, field in (
            ("4,0,here,1", "bad_row", "ay"),
            ("4,0,1", "bad_row", "data"),
            ("4,0,0,1e300", "not_finite", "az"),
        ):
            with self.subTest(bad), self.assertRaises(BadInput) as e:
                read("\n".join(["t,x,y,z", *good, bad]).encode(), told())
            self.assertEqual((e.exception.code, e.exception.field, e.exception.row), (code, field, 6))

    def test_what_is_not_told_is_asked_for(self):
        table = b"t,x,y,z\n0,1,2,3\n1,1,2,3\n2,1,2,3\n"
        for map_, code, field in (
            (TableMap(columns=told().columns[1:]), "missing_column", "time_s"),
            (told(acc="counts"), "missing_field", "ax.scale"),
            (told(acc="mm"), "unknown_unit", "ax"),
            (told(first=2), "missing_column", "az"),
        ):
            with self.subTest(code=code, field=field), self.assertRaises(BadInput) as e:
                read(table, map_)
            self.assertEqual((e.exception.code, e.exception.field), (code, field))


class Sense(unittest.TestCase):
    def notes(self, line, how=None, n=400, counted=False):
        how = how or told()
        table = read(accelerometer("", line, n), how)
        return {x.code: x for x in sense(table, SHAKEN, counted)}

    def test_gravity_and_rate_are_found(self):
        found = self.notes(lambda i: f"{i / 1600},{0.1 * math.sin(i)},0.3,9.79")
        self.assertIn("mostly along Z", found["gravity"].message)
        self.assertIn("1600 a second", found["rate"].message)
        self.assertFalse(any(n.grave for n in found.values()))

    def test_a_wrong_unit_is_named(self):
        for size, unit in ((1.0, "g"), (9806.65, "mm/s2"), (1000.0, "mg")):
            with self.subTest(unit):
                note = self.notes(lambda i, size=size: f"{i / 1600},0,0,{size}")["gravity_odd"]
                self.assertTrue(note.grave)
                self.assertTrue(note.message.endswith(f"look like {unit}."), note.message)

    def test_counts_tell_their_own_scale_by_gravity(self):
        note = self.notes(lambda i: f"{i / 1600},0,0,16384", told(acc="counts", scale=1.0), counted=True)["gravity_odd"]
        self.assertAlmostEqual(note.scale, G / 16384)

    def test_time_in_the_wrong_unit_or_another_column_is_doubted(self):
        self.assertTrue(self.notes(lambda i: f"{i},0,0,9.8")["rate_odd"].grave)
        self.assertTrue(self.notes(lambda i: f"{i % 7},0,0,9.8")["time_goes_back"].grave)
        self.assertTrue(self.notes(lambda i: "3,0,0,9.8")["time_stands"].grave)

    def test_a_sensor_that_takes_gravity_off_is_believed(self):
        self.assertFalse(self.notes(lambda i: f"{i / 1600},{math.sin(i)},0,0.05")["no_gravity"].grave)

    def test_units_that_no_header_names_are_told_by_gravity_and_the_rate(self):
        for time, acc, unit in ((1e3, 1.0, ["ms", "g"]), (1e6, 1000.0, ["us", "mg"]), (1.0, 9806.65, ["s", "mm/s2"])):
            data = accelerometer("t,x,y,z\n", lambda i, t=time, a=acc: f"{i * t / 1600},0,0,{a}")
            found = likely(see(data), SHAKEN, guess(see(data), SHAKEN))
            self.assertEqual([c.unit for c in found.columns][:2], unit)
        named = accelerometer("t [s],x [g],y [g],z [g]\n", lambda i: f"{i},0,0,9.8")
        self.assertEqual(
            [c.unit for c in likely(see(named), SHAKEN, guess(see(named), SHAKEN)).columns][:2], ["s", "g"]
        )

    def test_figures_that_nothing_reads_are_doubted(self):
        drag = wanted(procedures.get("drag"))
        table = read(b"p;f\n0;5000\n1;5000\n2;4000\n", columns=drag, told=TableMap(columns=[
            MappedColumn(name="position_mm", number=1, unit="mm"), MappedColumn(name="force_n", number=2, unit="N"),
        ]))  # fmt: skip
        self.assertIn("out_of_bounds", [n.code for n in sense(table, drag)])
