"""The procedures of the bench through the API: typed, by table, by file, by instrument; what is kept, handed out, refused."""

import io
import json
import socketserver
import threading
import uuid

from cases.models import Case
from kestov_core.simulator.instruments import wall_picture
from kestov_core.simulator.machine import SimMachine
from kestov_core.simulator.shaking import Sensor, Shake, SimAxis, SimMode, shake
from measuring.models import Capture, StoredValue, WallPicture
from people.clock import now
from workshop.models import Instrument, Printer

from .world import ApiCase

BELT = {"kind": "belt", "pitch_mm": 2.0, "teeth": 20}


def record(hz=45.0, kind="sweep", seed=1, along="x", **axis):
    level = {"sweep": 800.0, "impulse": 15000.0, "ambient": 1500.0}[kind]
    got = shake(
        SimAxis(modes=[SimMode(hz=hz)], **axis),
        along,
        Shake(kind=kind, seconds=12.0, level_mm_s2=level),
        Sensor(),
        seed,
    )
    file = io.BytesIO(got.csv())
    file.name = "sweep.csv"
    return file


class Bench(ApiCase):
    def typed(self, procedure, place, context, printer=None, **more):
        body = {"id": str(uuid.uuid4()), "place": place, "context": context, **more}
        return self.call("technician", "POST", f"/printers/{(printer or self.slinger).pk}/{procedure}", body)

    def shaken(self, file, printer=None, who="technician", **meta):
        context = {k: meta.pop(k) for k in ("unit", "smoothing_limit_mm") if k in meta}
        meta = {"id": str(uuid.uuid4()), "place": "x", "context": {"excitation": "sweep", **context}, **meta}
        path = f"/printers/{(printer or self.slinger).pk}/resonance/file"
        return self.call(who, "POST", path, meta=json.dumps(meta), file=file)


class Resonance(Bench):
    def test_a_file_becomes_modes_and_shapers_and_is_kept_as_it_came(self):
        file = record()
        raw = file.getvalue()
        status, capture = self.shaken(file)
        self.assertEqual(status, 200, capture)
        self.assertAlmostEqual(capture["found"]["frequency"]["value"], 45, delta=0.7)
        self.assertIn(capture["found"]["recommended"], {s["name"] for s in capture["found"]["shapers"]})
        answer = self.clients["technician"].get(f"/api/captures/{capture['id']}/raw")
        self.assertEqual((answer.content, answer.headers["Content-Type"]), (raw, "text/csv"))
        table = self.good("technician", "GET", f"/captures/{capture['id']}/result.csv").decode()
        self.assertIn("modes.0.frequency,4", table)
        self.assertIn("shapers.0.residual_percent", table)
        self.assertEqual(self.good("technician", "GET", f"/captures/{capture['id']}")["found"], capture["found"])

    def test_it_is_drawn_in_time_and_frequency_and_thinned(self):
        capture = self.shaken(record())[1]
        view = self.good("technician", "GET", f"/captures/{capture['id']}/view")
        self.assertEqual(len(view["low"]), len(view["high"]))
        self.assertLessEqual(len(view["low"]), 900)
        self.assertEqual(len(view["level_db"]), len(view["time_s"]))
        self.assertTrue(all(len(row) == len(view["frequency_hz"]) for row in view["level_db"]))
        # The loudest time is when the sweep passes the mode: 45 of 5 to 140 Hz in 12 s.
        loudest = max(range(len(view["time_s"])), key=lambda i: sum(10 ** (v / 10) for v in view["level_db"][i]))
        self.assertAlmostEqual(view["time_s"][loudest], 12 * 40 / 135, delta=0.6)

    def test_against_its_own_earlier_records(self):
        first = self.shaken(record(52.0))[1]
        self.shaken(record(52.2, seed=2))
        now = self.shaken(record(45.0, seed=3))[1]
        overlay = self.good("technician", "GET", f"/captures/{now['id']}/overlay")
        self.assertEqual((len(overlay["earlier"]), overlay["baseline"]), (2, first["id"]))
        compared = overlay["earlier"][-1]["compared"]
        self.assertAlmostEqual(compared["stiffness_ratio"]["value"], (45 / 52) ** 2, delta=0.02)
        self.assertIn("Softer", compared["words"])
        self.assertEqual({f["finding"]: f["state"] for f in now["found"]["findings"]}["resonance_fell"], "present")
        self.assertIsNone(overlay["other"])

    def test_the_two_diagonals_of_a_crossed_pair(self):
        self.shaken(record(50.0, along="a"), self.crossed, place="a")
        b = self.shaken(record(44.0, along="b", seed=2), self.crossed, place="b")[1]
        other = self.good("technician", "GET", f"/captures/{b['id']}/overlay")["other"]
        self.assertEqual((other["place"], other["compared"]["softer"]), ("a", "b"))
        self.assertEqual(self.shaken(record(), place="a")[1]["field"], "place")

    def test_a_loose_axis_is_refused_a_shaper_and_the_case_hears_of_it(self):
        case = self.report()
        capture = self.shaken(record(play_mm=0.03), self.crossed, case_id=case)[1]
        self.assertEqual((capture["verdict"], capture["found"]["recommended"]), ("cannot_tell", None))
        self.assertEqual(capture["found"]["advice"][0]["action"], "check_play")
        self.assertEqual(Case.objects.get(pk=case).captures.count(), 1)
        self.assertEqual(self.call("technician", "GET", f"/cases/{case}/weighing")[0] in (200, 404), True)

    def test_bad_files_are_refused_with_row_and_column_and_not_kept(self):
        for text, code, field in (
            ("", "empty_file", "file"),
            ("time_s,ax,ay\n0,1,2\n", "missing_column", "az"),
            ("time_s;ax;ay;az\n0,1;1;2;drei\n", "bad_row", "az"),
            ("time_s,ax,ay,az\n" + "".join(f"{i / 100},0,0,0\n" for i in range(30)), "too_few_rows", "data"),
        ):
            file = io.BytesIO(text.encode())
            file.name = "bad.csv"
            status, answer = self.shaken(file)
            self.assertEqual((status, answer["code"]), (422, code), answer)
            if text:
                self.assertEqual(answer["field"], field)
        self.assertEqual(Capture.objects.count(), 0)
        self.assertEqual(self.shaken(record(), unit="furlong")[1]["field"], "context.unit")
        self.assertEqual(self.shaken(record(), who="member")[0], 403)

    def test_the_stand_in_of_a_simulated_machine_and_none_of_a_real_one(self):
        body = {"id": str(uuid.uuid4()), "place": "a", "context": {"excitation": "sweep"}, "seconds": 8}
        capture = self.good("technician", "POST", f"/printers/{self.crossed.pk}/resonance/stand-in", body)
        truth = SimMachine.model_validate(Printer.objects.get(pk=self.crossed.pk).simulated).axis("a").modes[0].hz
        self.assertAlmostEqual(capture["found"]["frequency"]["value"], truth, delta=0.015 * truth)
        body = {**body, "place": "x", "id": str(uuid.uuid4())}
        self.refused(
            409, "not_simulated", None, "technician", "POST", f"/printers/{self.slinger.pk}/resonance/stand-in", body
        )

    def test_modes_reach_the_ripple_ladder(self):
        self.shaken(record(45.0))
        wall = {"observations": [{"speed_mm_s": 80, "spacing_mm": 2}]}
        machine = self.typed("ripple-source", "x", wall)[1]["context"]["machine"]
        self.assertAlmostEqual(machine["modes_hz"]["x"][0], 45, delta=0.7)


class Line(socketserver.StreamRequestHandler):
    """A scripted accelerometer: says what the test gave it."""

    def handle(self):
        self.server.heard = self.rfile.readline()
        self.wfile.write(self.server.says)


class OnTheNetwork(Bench):
    def ask(self, says, case=None, before=lambda: None):
        with socketserver.TCPServer(("127.0.0.1", 0), Line) as server:
            server.says = says
            threading.Thread(target=server.handle_request, daemon=True).start()
            instrument, _ = Instrument.objects.update_or_create(
                name="Shaker",
                kind="accelerometer",
                unit="g",
                defaults={"address": f"127.0.0.1:{server.server_address[1]}"},
            )
            body = {
                "id": str(uuid.uuid4()), "place": "x", "context": {"excitation": "sweep"}, "seconds": 12, "instrument_id": instrument.pk,
                "case_id": case,
            }  # fmt: skip
            with self.settings(INSTRUMENTS=[instrument.address]):
                work = self.good("technician", "POST", f"/printers/{self.slinger.pk}/resonance/instrument", body)
                before()
                self.do_work(work["id"])
            return self.good("technician", "GET", f"/works/{work['id']}"), getattr(server, "heard", b"")

    def test_a_record_over_the_line(self):
        table = record().getvalue()
        says = b"# unit=m/s2 rate=1600\n" + table + f"END rows={table.count(10) - 1}\n".encode()
        work, heard = self.ask(says)
        self.assertEqual((work["state"], work["said"]), ("done", "Recorded."))
        self.assertEqual(heard, b"RECORD axis=x kind=sweep seconds=12\n")
        capture = self.good("technician", "GET", f"/captures/{work['capture']}")
        self.assertEqual((capture["source"], capture["instrument"]), ("network", "Shaker"))
        self.assertEqual(self.good("technician", "GET", f"/captures/{capture['id']}/raw"), table)

    def test_what_can_go_wrong_on_the_line_is_said(self):
        table = record().getvalue()
        for says, words in (
            (b"ERROR the sensor is not plugged in\n", "The accelerometer says: the sensor is not plugged in"),
            (b"# unit=m/s2\n" + table[:5000], "broke off before the end"),
            (b"# unit=m/s2\n" + table + b"END rows=3\n", "Rows of the record were lost"),
            (b"# unit=furlong\n" + table + f"END rows={table.count(10) - 1}\n".encode(), "must be one of"),
        ):
            work, _ = self.ask(says)
            self.assertEqual(work["state"], "failed")
            self.assertIn(words, work["said"])
        Instrument.objects.filter(name="Shaker").update(address="127.0.0.1:1")
        body = {
            "id": str(uuid.uuid4()), "place": "x", "context": {"excitation": "sweep"},
            "instrument_id": Instrument.objects.get(name="Shaker").pk,
        }  # fmt: skip
        path = f"/printers/{self.slinger.pk}/resonance/instrument"
        for named, words in ((["127.0.0.1:1"], "does not answer"), ([], "not in the workshop's own network")):
            with self.settings(INSTRUMENTS=named):
                work = self.good("technician", "POST", path, {**body, "id": str(uuid.uuid4())})
                self.do_work(work["id"])
            self.assertIn(words, self.good("technician", "GET", f"/works/{work['id']}")["said"])
        Instrument.objects.filter(name="Shaker").update(address="")
        self.refused(422, "out_of_range", "instrument_id", "technician", "POST", path, body)
        self.assertEqual(Capture.objects.count(), 0)

    def test_a_case_that_was_closed_while_it_shook_loses_no_record(self):
        case = self.report(axis="y")
        Case.objects.filter(pk=case).update(printer=self.slinger)
        table = record().getvalue()
        says = b"# unit=m/s2 rate=1600\n" + table + f"END rows={table.count(10) - 1}\n".encode()
        closing = Case.objects.filter(pk=case)
        work, _ = self.ask(
            says, case, before=lambda: closing.update(state="closed", closing="harmless", closed_at=now())
        )
        self.assertEqual(work["said"], "Recorded; the case was closed meanwhile, so without it.")
        self.assertIsNone(Capture.objects.get(pk=work["capture"]).case_id)

    def test_asked_twice_it_shakes_once(self):
        body = {"id": str(uuid.uuid4()), "place": "x", "context": {}, "seconds": 12}
        body["instrument_id"] = Instrument.objects.create(
            name="Shaker", kind="accelerometer", unit="g", address="127.0.0.1:1"
        ).pk
        path = f"/printers/{self.slinger.pk}/resonance/instrument"
        first, second = (self.good("technician", "POST", path, body)["id"] for _ in range(2))
        self.assertEqual(first, second)


class Typed(Bench):
    def test_each_typed_procedure_is_taken_and_its_figure_shows_on_the_bench(self):
        good = {
            "ripple-source": ("x", {"direction": "x", "observations": [{"speed_mm_s": 80, "spacing_mm": 2}], "machine": {"kinematics": "bed_slinger", "transmissions": {"x": BELT}}}),
            "layer-shift": ("all", {"shift_x_mm": 2, "shift_y_mm": 0, "kinematics": "bed_slinger", "transmissions": {"x": BELT, "y": BELT}}),
            "steps": ("x", {"axis": "x", "steps_per_mm": 80, "commanded_mm": 100, "measured_mm": [99.1, 99.12], "transmission": BELT}),
            "motor-current": ("x", {"reference_v": 0.8, "sense_ohm": 0.1, "gain": 8, "rated_a": 1}),
            "ringing-print": ("x", {"speed_mm_s": 80, "ripples": [{"count": 4, "distance_mm": 8}]}),
        }  # fmt: skip
        for procedure, (place, context) in good.items():
            status, capture = self.typed(procedure, place, context)
            self.assertEqual(status, 200, capture)
            self.assertEqual((capture["procedure"], capture["source"]), (procedure, "typed"))
        last = {
            row["procedure"]: row
            for row in self.good("technician", "GET", f"/printers/{self.slinger.pk}/bench")["last"]
        }
        self.assertEqual(set(last), set(good))
        self.assertAlmostEqual(last["motor-current"]["quantity"]["value"], 70.7, delta=0.1)
        self.assertAlmostEqual(last["layer-shift"]["quantity"]["value"], 2.0)

    def test_what_is_wrong_is_named_at_its_field(self):
        status, answer = self.typed(
            "motor-current", "x", {"reference_v": -1, "sense_ohm": 0.1, "gain": 8, "rated_a": 1}
        )
        self.assertEqual((status, answer["field"]), (422, "context.reference_v"), answer)
        status, answer = self.typed(
            "motor-current", "t1", {"reference_v": 1, "sense_ohm": 0.1, "gain": 8, "rated_a": 1}
        )
        self.assertEqual((status, answer["field"]), (422, "place"), answer)

    def test_a_shaper_by_itself(self):
        got = self.good("technician", "POST", "/shaper", {"name": "ei", "frequency_hz": 40, "damping_ratio": 0.0})
        self.assertAlmostEqual(got["insensitivity_5_percent"], 0.4, delta=0.005)


class Reversal(Bench):
    def rows(self, backlash=0.08):
        return [
            {"target_mm": t, "approach": s, "reading_mm": t - (1 if s == "+" else -1) * backlash / 2}
            for t in (20.0, 25.0, 30.0)
            for s in "+-"
            for _ in range(5)
        ]

    def test_typed_and_by_file_give_the_same(self):
        body = {"id": str(uuid.uuid4()), "place": "x", "rows": self.rows(), "context": {"axis": "x"}}
        typed = self.good("technician", "POST", f"/printers/{self.slinger.pk}/backlash", body)
        self.assertAlmostEqual(typed["found"]["reversal_value"]["value"], 0.08)
        self.assertEqual(typed["verdict"], "out_of_tolerance")
        file = io.BytesIO(self.good("technician", "GET", f"/captures/{typed['id']}/raw"))
        file.name = "dial.csv"
        meta = json.dumps({"id": str(uuid.uuid4()), "place": "x", "context": {"axis": "x"}})
        again = self.good("technician", "POST", f"/printers/{self.slinger.pk}/backlash/file", meta=meta, file=file)
        self.assertEqual(again["found"], typed["found"])

    def test_the_floor_hears_of_it(self):
        body = {"id": str(uuid.uuid4()), "place": "x", "rows": self.rows(), "context": {"axis": "x"}}
        self.good("technician", "POST", f"/printers/{self.slinger.pk}/backlash", body)
        condition = self.good("technician", "GET", f"/printers/{self.slinger.pk}")["condition"]
        self.assertEqual({a["axis"]: a["condition"] for a in condition["axes"]}["x"], "worn")
        self.assertEqual(
            (condition["fitness"], condition["reason"]), ("rough_only", "X does not come back to the same place")
        )

    def test_in_a_case_it_is_no_belt_round(self):
        body = {
            "printer_id": self.slinger.pk,
            "finding": "echoes_after_corners",
            "axis": "x",
            "since": "now",
            "words": "On all.",
        }
        case = self.good("technician", "POST", "/cases", body)["id"]
        self.good("technician", "POST", f"/cases/{case}/take")
        body = {"id": str(uuid.uuid4()), "place": "x", "rows": self.rows(), "context": {"axis": "x"}, "case_id": case}
        self.good("technician", "POST", f"/printers/{self.slinger.pk}/backlash", body)
        seen = self.good("technician", "GET", f"/cases/{case}")
        self.assertNotIn(seen["step"]["kind"], ("pluck", "set", "verify"))
        self.assertIn("Tested the reversal of X: 0.08", " ".join(line["words"] for line in seen["log"]))

    def test_out_before_and_right_after_the_repair_is_a_proof(self):
        case = self.report("technician", "circle_not_round")
        path, context = f"/printers/{self.crossed.pk}/backlash", {"axis": "x"}

        def measure(backlash):
            rows = self.rows(backlash)
            body = {"id": str(uuid.uuid4()), "place": "x", "rows": rows, "context": context, "case_id": case}
            return self.good("technician", "POST", path, body)["verdict"]

        def close():
            body = {"closing": "verified", "cause": "Grub screw.", "fault": "grub_screw_loose", "axis": "a"}
            return self.call("technician", "POST", f"/cases/{case}/close", body)[0]

        self.good("technician", "POST", f"/cases/{case}/take")
        self.assertEqual(measure(0.09), "out_of_tolerance")
        repair = {"fault": "grub_screw_loose", "axis": "a", "helped": None, "note": ""}
        self.good("technician", "POST", f"/cases/{case}/repairs", repair)
        self.assertEqual(close(), 409)
        self.assertEqual(measure(0.01), "in_tolerance")
        self.assertEqual(close(), 200)

    def test_too_few_rows_and_wrong_sides(self):
        body = {"id": str(uuid.uuid4()), "place": "x", "rows": self.rows()[:6], "context": {}}
        self.refused(
            422, "too_few_rows", "approach", "technician", "POST", f"/printers/{self.slinger.pk}/backlash", body
        )

    def test_programs_to_download(self):
        query = "axis=x&start_mm=100&low_mm=0&high_mm=220"
        program = self.good("technician", "GET", f"/programs/backlash.gcode?{query}").decode()
        self.assertIn("M0 Read 100 mm, from +, cycle 1", program)
        travel = self.good("technician", "GET", f"/programs/steps.gcode?{query}&travel_mm=50&pause_s=5").decode()
        self.assertIn("G4 P5000", travel)
        self.refused(
            422,
            "out_of_range",
            "start_mm",
            "technician",
            "GET",
            f"/programs/backlash.gcode?{query.replace('100', '2')}",
        )

    def test_practice_readings_of_a_simulated_machine(self):
        path = f"/printers/{self.crossed.pk}/practice-readings"
        for procedure, least in (
            ("backlash", 50),
            ("steps", 5),
            ("ringing-print", 3),
            ("ripple-source", 4),
        ):
            rows = self.good("technician", "GET", f"{path}?procedure={procedure}&place=x")["rows"]
            self.assertGreaterEqual(len(rows), least)
        shift = self.good("technician", "GET", f"{path}?procedure=layer-shift&place=all")
        self.assertEqual((shift["rows"], set(shift["settings"])), ([], {"shift_x_mm", "shift_y_mm"}))
        self.refused(422, "out_of_range", "procedure", "technician", "GET", f"{path}?procedure=belt-pluck&place=a")
        self.refused(
            409,
            "not_simulated",
            None,
            "technician",
            "GET",
            f"/printers/{self.slinger.pk}/practice-readings?procedure=steps&place=x",
        )


class Ledger(Bench):
    def set(self, value, **more):
        body = {"name": "steps_x", "value": value, "unit": "steps/mm", **more}
        return self.good("technician", "POST", f"/printers/{self.slinger.pk}/ledger", body)

    def test_old_values_stay_and_there_is_a_way_back(self):
        self.set(80.4, was=80.0, reason="by travel")
        rows = self.set(80.2, was=999)
        # What it was before is the ledger's own row, whatever is typed.
        self.assertEqual(
            [(r["value"], r["was"], r["present"]) for r in rows], [(80.2, 80.4, True), (80.4, 80.0, False)]
        )
        self.assertEqual(rows[0]["script"], "M92 X80.4000\nM500\nM503\n")
        rows = self.good("technician", "POST", f"/ledger/{rows[0]['id']}/back")
        self.assertEqual((rows[0]["value"], rows[0]["was"], len(rows)), (80.4, 80.2, 3))

    def test_sent_twice_with_one_key_it_is_one_row(self):
        body = {"name": "steps_x", "value": 80.2, "was": 80.0, "unit": "steps/mm"}
        path = f"/printers/{self.slinger.pk}/ledger"
        one, two = (self.good("technician", "POST", path, body, key="k-1") for _ in range(2))
        self.assertEqual((one, StoredValue.objects.count()), (two, 1))

    def test_where_nothing_was_before_there_is_no_way_back(self):
        row = self.set(80.0)[0]
        self.refused(409, "nothing_before", None, "technician", "POST", f"/ledger/{row['id']}/back")
        self.assertEqual(self.call("member", "GET", f"/printers/{self.slinger.pk}/ledger")[0], 403)

    def test_it_is_bound_to_the_capture_it_came_from(self):
        context = {
            "axis": "x",
            "steps_per_mm": 80,
            "commanded_mm": 100,
            "measured_mm": [99.1, 99.12],
            "transmission": BELT,
        }
        capture = self.typed("steps", "x", context)[1]
        self.set(capture["found"]["steps_per_mm_new"]["value"], was=80, capture_id=capture["id"])
        self.assertEqual(str(StoredValue.objects.get().capture_id), capture["id"])
        script = self.good("technician", "GET", f"/captures/{capture['id']}/steps.gcode").decode()
        self.assertTrue(script.startswith("M92 X80.7"))
        self.assertEqual(self.typed("steps", "x", context, self.crossed)[0], 200)


class Walls(Bench):
    def add(self, lean=0.0):
        from PIL import Image

        grey, points = wall_picture(1.8, lean_deg=lean)
        file = io.BytesIO()
        Image.fromarray(grey).save(file, "PNG")
        file.seek(0)
        file.name = "wall.png"
        return self.good("technician", "POST", f"/printers/{self.slinger.pk}/walls", file=file), points

    def px(self, points):
        return [{"x": x, "y": y} for x, y in points]

    def test_a_photograph_gives_the_spacing(self):
        wall, points = self.add()
        self.assertEqual((wall["width"], wall["height"]), (1200, 700))
        marks = {"line": self.px(points["line"]), "ruler": {"ends": self.px(points["rule"]), "distance_mm": 40}}
        found = self.good("technician", "POST", f"/walls/{wall['id']}/measure", marks)["found"]
        self.assertAlmostEqual(found["spacing"]["value"], 1.8, delta=found["spacing"]["u95"])
        image = self.clients["technician"].get(f"/api/walls/{wall['id']}/image")
        self.assertEqual(image.headers["Content-Type"], "image/jpeg")
        self.assertEqual(WallPicture.objects.get().marks["ruler"]["distance_mm"], 40)

    def test_the_made_picture_brings_its_marks(self):
        wall = self.good("technician", "POST", f"/printers/{self.crossed.pk}/walls/made?place=a")
        marks = {k: v for k, v in wall["marks"].items() if k != "ruler"}
        found = self.good("technician", "POST", f"/walls/{wall['id']}/measure", marks)["found"]
        truth = 80 / SimMachine.model_validate(Printer.objects.get(pk=self.crossed.pk).simulated).axis("a").modes[0].hz
        self.assertAlmostEqual(found["spacing"]["value"], truth, delta=0.02 * truth)
        self.refused(409, "not_simulated", None, "technician", "POST", f"/printers/{self.slinger.pk}/walls/made")

    def test_no_pattern_and_no_picture_are_said(self):
        wall, points = self.add()
        up = [points["line"][0], (points["line"][0][0], points["line"][0][1] + 10)]
        marks = {"line": self.px(up), "ruler": {"ends": self.px(points["rule"]), "distance_mm": 40}}
        self.refused(422, "out_of_range", "line", "technician", "POST", f"/walls/{wall['id']}/measure", marks)
        file = io.BytesIO(b"no picture")
        file.name = "wall.png"
        self.refused(
            422, "not_a_picture", "file", "technician", "POST", f"/printers/{self.slinger.pk}/walls", file=file
        )
