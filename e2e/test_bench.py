"""The bench's procedures in the browser, each from its start to its result; files, photographs, programs; bad input."""

from __future__ import annotations

import csv
import io
from pathlib import Path

from kestov_core.simulator.guides import pushed
from kestov_core.simulator.shaking import Sensor, Shake, SimAxis, SimMode, shake
from playwright.sync_api import Page, expect

from .app import AppCase, wav_file
from .test_paths import say


def record(hz: float, along: str = "x", seconds: float = 12.0, rate: float = 1600.0) -> Path:
    got = shake(SimAxis(modes=[SimMode(hz=hz)]), along, Shake(seconds=seconds), Sensor(rate_hz=rate, unit="g"), 2)
    return wav_file("sweep.csv", got.csv())


#: A phone's motion sensor: lying still the first two times it is begun, then on something that rings at HZ and is knocked every two
#: seconds, along its long side; it reads in steps, as often as it is asked to (or ever at 60 a second).
SENSOR = """
let begun = 0;
window.Accelerometer = class extends EventTarget {
  constructor({ frequency }) { super(); this.rate = ONE_RATE ? 60 : frequency; this.still = begun++ < 2; }
  start() {
    const from = performance.now(), w = 2 * Math.PI * HZ, z = 0.05, step = (v) => Math.round(v / 0.1) * 0.1;
    let k = 0;
    this.timer = setInterval(() => {
      for (; from + (k * 1000) / this.rate <= performance.now(); k++) {
        const t = k / this.rate, since = (t - 0.7) % 2.0013;
        const swings = this.still || t < 0.7 ? 0 : 5 * Math.exp(-z * w * since) * Math.sin(w * Math.sqrt(1 - z * z) * since);
        const noise = () => 0.16 * (Math.random() - 0.5);
        [this.x, this.y, this.z] = [step(0.05 * swings + noise()), step(swings + noise()), step(9.8 + noise())];
        this.timestamp = from + (k * 1000) / this.rate;
        this.dispatchEvent(new Event("reading"));
      }
    }, 10);
  }
  stop() { clearInterval(this.timer); }
};
"""


class Bench(AppCase):
    def by_phone(
        self,
        path: str,
        hz: float,
        one_rate: bool = False,
        lies: str = "Flat, long side along X",
        weighs: str = "650",
    ) -> Page:
        """A page on a phone that is fixed to what swings at ``hz``, once all its seconds have gone by."""
        page = self.sign_in("tech2", 390, 844, has_touch=True, is_mobile=True)
        page.add_init_script(SENSOR.replace("HZ", str(hz)).replace("ONE_RATE", "true" if one_rate else "false"))
        page.goto(path)
        page.clock.install()
        self.press(page, "With this phone")
        page.get_by_role("button", name=lies).click()
        self.press(page, "Begin")
        expect(page.get_by_text(say("Weigh or guess it"))).to_be_visible()
        page.get_by_label("What moves with it weighs, g").fill(weighs)
        self.assert_accessible(page, "with a phone")
        self.press(page, "Begin")
        if lies.startswith("Flat"):
            for _ in range(8):
                page.clock.run_for(1000)
            # Measured first, and said, before there is anything to believe.
            expect(page.get_by_text(say(r"It reads 60 times a second, in steps of 0\.10"))).to_be_visible()
        for _ in range(62):
            page.clock.run_for(1000)
        page.clock.resume()
        return page

    def open(self, path: str, who: str = "tech2") -> Page:
        page = self.sign_in(who)
        page.goto(path)
        return page

    def press(self, page: Page, name: str) -> None:
        page.get_by_role("button", name=say(name)).first.click()

    def test_the_start_asks_what_one_wants_to_know_and_what_is_at_hand(self) -> None:
        page = self.open("/bench/1")
        expect(page.get_by_role("heading", name="What rings, what repeats?")).to_be_visible()
        expect(page.get_by_role("link", name=say("At what does A ring"))).to_contain_text("Hz")
        self.assert_accessible(page, "bench start")
        expect(page.get_by_role("heading", name="First, on this machine")).to_be_visible()
        self.press(page, "meter")
        expect(page.get_by_role("heading", name="Are the belts right?")).to_have_count(0)
        self.press(page, "dial indicator")
        page.get_by_role("link", name=say("Does Z come back")).click()
        expect(page.get_by_role("heading", name=say("does Z come back"))).to_be_visible()

    def test_a_record_from_a_file_gives_modes_a_shaper_and_plots_to_take_along(self) -> None:
        page = self.open("/bench/5/resonance/x")
        page.get_by_label("The file's unit").select_option("g")
        page.get_by_label("Load a file").set_input_files(record(47.0))
        expect(page.get_by_text(say("Rings at"))).to_be_visible(timeout=120000)
        expect(page.get_by_text(say(r"^4[67]\.\d"))).not_to_have_count(0)
        expect(page.get_by_text("advised").first).to_be_visible()
        page.get_by_label(say("Acceleration of a print")).fill("6000")
        expect(page.get_by_role("row", name=say("ZVD "))).to_contain_text(say(r"0\.1\d mm"))
        self.assert_accessible(page, "resonance")
        for button, ending, start in (("Save as SVG", ".svg", b"<svg"), ("Save as PNG", ".png", b"\x89PNG")):
            with page.expect_download() as download:
                page.get_by_role("button", name=button).first.click()
            self.assertTrue(download.value.suggested_filename.endswith(ending))
            self.assertTrue(Path(download.value.path()).read_bytes().startswith(start))
        page.get_by_role("tab", name="Time and frequency").click()
        expect(page.get_by_role("img", name=say("darker is louder"))).to_be_visible()
        self.assert_accessible(page, "time and frequency")
        with page.expect_download() as download:
            page.get_by_role("link", name="The file as it came").click()
        rows = list(csv.reader(io.StringIO(Path(download.value.path()).read_text())))
        self.assertEqual(rows[0], ["time_s", "ax", "ay", "az"])

    def test_a_bad_file_is_refused_with_its_row_and_the_next_try_works(self) -> None:
        page = self.open("/bench/5/resonance/y")
        page.get_by_label("The file's unit").select_option("g")
        lines = record(47.0).read_text().splitlines()
        lines[99] = "0.06;zwei;0;0".replace(";", ",")
        page.get_by_label("Load a file").set_input_files(wav_file("bad.csv", "\n".join(lines).encode()))
        expect(page.get_by_role("alert")).to_contain_text("Row 100, column ax")
        page.get_by_label("Load a file").set_input_files(record(39.0, "y"))
        expect(page.get_by_text(say("Rings at"))).to_be_visible(timeout=120000)

    def test_an_instruments_own_table_is_told_once_and_then_read_straight(self) -> None:
        rows = [[float(c) for c in line.split(",")] for line in record(47.0).read_text().splitlines()[1:]]
        own = ["# a box", "millis;one;two;three;celsius"]
        own += [f"{1000 * t:.3f};{z:.5f};{x:.5f};{y:.5f};21,5".replace(".", ",") for t, x, y, z in rows]
        file = wav_file("box.csv", "\n".join(own).encode())
        page = self.open("/bench/8/resonance/x")
        page.get_by_label("Taken with").select_option(label="Accelerometer on the bench")
        page.get_by_label("Load a file").set_input_files(file)
        expect(page.get_by_role("heading", name="Which column is which?")).to_be_visible()
        for axis, column in (("X", "two"), ("Y", "three"), ("Z", "one")):
            page.get_by_label(f"Acceleration {axis}", exact=True).select_option(label=column)
        page.get_by_label("Time is in").select_option(label="ms")
        expect(page.get_by_text(say("the figures look like g"))).to_be_visible()
        self.assert_accessible(page, "an instrument's own table")
        page.get_by_label("Acceleration X is in").select_option(label="g")
        expect(page.get_by_text(say("mostly along Z: that is gravity"))).to_be_visible()
        page.get_by_role("button", name="Take it so").click()
        expect(page.get_by_text(say("Rings at"))).to_be_visible(timeout=120000)
        expect(page.get_by_text(say("Read .*one as az in g"))).to_be_visible()
        page.goto("/bench/8/resonance/y")
        page.get_by_label("Taken with").select_option(label="Accelerometer on the bench")
        page.get_by_label("Load a file").set_input_files(file)
        expect(page.get_by_text(say("Read .*one as az in g"))).to_be_visible(timeout=120000)

    def test_a_phone_takes_a_first_look_and_its_weight_is_taken_out(self) -> None:
        page = self.by_phone("/bench/3/resonance/x", 38.0, weighs="5")
        # What swings weighs more than that: it is refused, and what was recorded is kept.
        expect(page.get_by_role("button", name="Work it out again")).to_be_visible(timeout=120000)
        page.get_by_label("What moves with it weighs, g").fill("650")
        self.press(page, "Work it out again")
        expect(page.get_by_role("heading", name="A first look.")).to_be_visible(timeout=120000)
        # 38 Hz with 250 g on 650: sqrt(1 + 250/650) times as much without.
        expect(page.get_by_text(say(r"^44\.\d")).first).to_be_visible()
        expect(page.get_by_text(say(r"at 60, 50,? and 42 samples a second"))).to_be_visible()
        self.assertLessEqual(page.evaluate("document.documentElement.scrollWidth"), 390)

    def test_a_phone_of_one_rate_names_all_that_it_may_be(self) -> None:
        page = self.by_phone("/bench/4/resonance/x", 38.0, one_rate=True)
        expect(page.get_by_text("No shaper is advised.")).to_be_visible(timeout=120000)
        expect(page.get_by_text(say("samples a second .* Hz looks like"))).not_to_have_count(0)

    def test_a_phone_that_lies_otherwise_than_was_said_is_asked_about(self) -> None:
        page = self.by_phone("/bench/7/resonance/x", 38.0, lies="Upright, screen to the front")
        expect(page.get_by_role("alert")).to_contain_text("does not lie as was said")
        expect(page.get_by_role("button", name="Begin")).to_be_visible()

    def test_a_loose_axis_gets_no_shaper_but_the_checks(self) -> None:
        page = self.open("/bench/6/resonance/x")
        self.press(page, "Shake the simulated machine")
        expect(page.get_by_text("No shaper is advised.")).to_be_visible(timeout=120000)
        expect(page.get_by_text(say("play and drag first"))).to_be_visible()

    def test_records_are_held_against_earlier_ones_and_belt_against_belt(self) -> None:
        page = self.open("/bench/1/resonance/a")
        page.get_by_role("tab", name=say("Against earlier")).click()
        expect(page.get_by_text(say("Softer than on .* of its stiffness"))).to_be_visible()
        page.get_by_role("tab", name="Belt against belt").click()
        expect(page.get_by_role("img", name=say("two diagonals"))).to_be_visible()
        expect(page.get_by_text(say("diagonal is the softer|ring alike"))).to_be_visible()

    def test_a_pattern_counted_at_two_speeds_stands_on_the_ladder(self) -> None:
        page = self.open("/bench/4/ripple-source/x")
        expect(page.get_by_label(say("Speed in mm/s, reading 1"))).to_be_focused()
        for figure in ("50", "10", "20", "100", "12", "24,0"):
            page.keyboard.type(figure)
            page.keyboard.press("Enter")
        self.press(page, "Work it out")
        expect(page.get_by_role("heading", name=say("It is a length"))).to_be_visible()
        expect(page.get_by_role("img", name=say("Measured spacing 2.00 .*tooth of the belt"))).to_be_visible()
        self.assert_accessible(page, "ripple source")

    def test_a_photograph_is_measured_and_its_marks_move_by_key(self) -> None:
        page = self.open("/bench/2/ripple-source/x")
        self.press(page, "By photograph")
        self.press(page, "Photograph the simulated print")
        handle = page.get_by_role("button", name=say("Line across the pattern, start"))
        before = handle.get_attribute("aria-label")
        handle.focus()
        page.keyboard.press("ArrowRight")
        expect(handle).not_to_have_attribute("aria-label", before or "")
        self.assert_accessible(page, "photo ruler")
        self.press(page, "Measure along the line")
        # A wall along X shows Y: 80 mm/s at 44 Hz.
        expect(page.get_by_text(say(r"1\.8\d"))).not_to_have_count(0)
        self.press(page, "Use this spacing")
        self.press(page, "Work it out")
        expect(page.get_by_role("heading", name="Both families stay open")).to_be_visible()
        expect(page.get_by_text(say("same wall at another speed"))).to_be_visible()

    def test_a_layer_that_stepped_aside(self) -> None:
        page = self.open("/bench/1/layer-shift/all")
        page.get_by_label(say("To the right")).fill("-1")
        page.get_by_label(say("Away from you")).fill("1,0")
        self.press(page, "Work it out")
        expect(page.get_by_role("heading", name=say("belt jumped a tooth"))).to_be_visible()
        expect(page.get_by_role("img", name=say("Motor B moved -2.00 millimetres"))).to_be_visible()
        self.assert_accessible(page, "layer shift")

    def test_steps_are_tested_set_written_down_and_taken_back(self) -> None:
        page = self.open("/bench/5/steps/y")
        page.get_by_text("The moves as G-code").click()
        with page.expect_download() as moves:
            page.get_by_role("link", name="Take the moves along").click()
        self.assertIn("G1 Y120", Path(moves.value.path()).read_text())
        page.get_by_label("Steps per mm now").fill("79")
        page.get_by_label(say("reading 1")).click()
        for figure in ("98,76", "98.75", "98.77"):
            page.keyboard.type(figure)
            page.keyboard.press("Enter")
        self.press(page, "Work it out")
        expect(page.get_by_text(say("M92 Y80.0000")).first).to_be_visible()
        with page.expect_download() as download:
            page.get_by_role("link", name="The lines as a file").click()
        self.assertIn("M500", Path(download.value.path()).read_text())
        self.press(page, "It is set: write it down")
        expect(page.get_by_text("valid", exact=True)).to_be_visible()
        self.assert_accessible(page, "steps")
        page.goto("/machines/5")
        expect(page.get_by_text(say("was 79"))).to_be_visible()
        page.get_by_text("Way back", exact=True).click()
        self.press(page, "It is set back")
        expect(page.get_by_text(say("79 steps/mm"))).to_be_visible()
        self.assert_accessible(page, "machine with its ledger")

    def test_filament_is_measured_by_its_mark(self) -> None:
        page = self.open("/bench/4/steps/e")
        page.get_by_label("Steps per mm now").fill("400")
        page.get_by_label(say("reading 1")).click()
        for figure in ("25", "25,2", "24.9"):
            page.keyboard.type(figure)
            page.keyboard.press("Enter")
        expect(page.get_by_role("img", name=say("3 readings from 24.9 to 25.2"))).to_be_visible()
        self.press(page, "Work it out")
        expect(page.get_by_text(say("M92 E42")).first).to_be_visible()

    def test_reversal_asks_for_each_reading_in_the_programs_order(self) -> None:
        page = self.open("/bench/5/backlash/x")
        page.get_by_label("Targets").fill("2")
        page.get_by_label("Cycles").fill("2")
        expect(page.get_by_text(say("Now 100 mm, from below"))).to_be_visible()
        self.assert_accessible(page, "reversal")
        with page.expect_download() as download:
            page.get_by_role("link", name="The moves as G-code").click()
        program = Path(download.value.path()).read_text()
        self.assertEqual(program.count("M0 Read"), 8)
        page.get_by_label(say("reading 1")).click()
        for figure in ("99,96", "101.96", "102.04", "100.04", "99.96"):
            page.keyboard.type(figure)
            page.keyboard.press("Enter")
        expect(page.get_by_text(say("Now 102 mm, from below"))).to_be_visible()
        page.reload()
        expect(page.get_by_text(say("reading 6 of 8|reading 6 of 50"))).to_be_visible()

    def test_reversal_of_the_simulated_machine_and_by_table(self) -> None:
        page = self.open("/bench/6/backlash/x")
        self.press(page, "Read the simulated machine")
        self.press(page, "Work it out")
        expect(page.get_by_role("heading", name="Outside its limits")).to_be_visible()
        expect(page.get_by_role("img", name=say("Deviation at 5 targets"))).to_be_visible()
        self.press(page, "Measure again")
        bad = "target_mm;approach;reading_mm\n10;+;10,01\n10;hin;10,02\n"
        page.get_by_label("Load a table").set_input_files(wav_file("bad.csv", bad.encode()))
        expect(page.get_by_role("alert")).to_contain_text("Row 3, column approach")
        rows = [
            f"{t};{s};{t + d:.2f}".replace(".", ",")
            for _ in range(3)
            for t in (10, 20, 30)
            for s, d in (("+", 0.01), ("-", 0))
        ]
        good = "\n".join(["# dial", "target_mm;approach;reading_mm", *rows])
        page.get_by_label("Load a table").set_input_files(wav_file("good.csv", good.encode()))
        expect(page.get_by_role("heading", name=say("Within its limits"))).to_be_visible()

    def test_motor_current_shows_its_cautions(self) -> None:
        page = self.open("/bench/4/motor-current/x")
        expect(page.get_by_role("note")).to_contain_text("The board is live")
        for label, figure in (
            ("Reference, V", "1.6"),
            ("Sense resistor", "0.11"),
            ("Driver's factor", "8"),
            ("Motor's rating", "1.0"),
        ):
            page.get_by_label(say(label)).fill(figure)
        self.press(page, "Work it out")
        expect(page.get_by_role("heading", name="Outside its limits")).to_be_visible()
        expect(page.get_by_text(say("set the reference to"))).to_be_visible()
        expect(page.get_by_text(say("Adjust unpowered"))).to_be_visible()
        self.assert_accessible(page, "motor current")

    def test_ripples_after_a_corner_bring_the_shaper_table(self) -> None:
        page = self.open("/bench/2/ringing-print/y")
        self.press(page, "Read the simulated machine")
        self.press(page, "Work it out")
        expect(page.get_by_role("row", name=say("ZVDD"))).to_be_visible()
        expect(page.get_by_text(say("typical\\) is assumed"))).to_be_visible()

    def test_a_carriage_that_binds_is_pushed_along(self) -> None:
        page = self.open("/bench/4/drag/y")
        expect(page.get_by_label(say("Place in mm, reading 1"))).to_be_focused()
        for at, force in enumerate((1.5, 1.4, 1.6, 1.5, 3.9, 4.2, 1.5, 1.4, 1.5, 1.6)):
            for figure in (str(10 * at), str(force)):
                page.keyboard.type(figure)
                page.keyboard.press("Enter")
        self.press(page, "Work it out")
        expect(page.get_by_role("heading", name="Outside its limits")).to_be_visible()
        expect(page.get_by_role("img", name=say("tight from 40 to 50 millimetres"))).to_be_visible()
        expect(page.get_by_text(say("loosen one end of one guide"))).to_be_visible()
        self.assert_accessible(page, "drag")

    def test_play_is_told_apart_from_friction_and_its_loop_shows_what_gives(self) -> None:
        page = self.open("/bench/6/play/x")
        forces = [0.0, 5, 10, 15, 20, 15, 10, 5, 0, -5, -10, -15, -20, -15, -10, -5, 0]
        rows = zip(forces, pushed(forces, 0.12, 40.0, 40.0, 1.5), strict=True)
        loop = "force_n,displacement_mm\n" + "".join(f"{f:g},{x:.2f}\n" for f, x in rows)
        load = page.locator('input[type="file"]').first
        load.set_input_files(files=[{"name": "loop.csv", "mimeType": "text/csv", "buffer": loop.encode()}])
        expect(page.get_by_role("heading", name="Outside its limits")).to_be_visible()
        expect(page.get_by_role("img", name=say("between the branches it gives 0.1[12]"))).to_be_visible()
        expect(page.get_by_text(say("Find where it gives"))).to_be_visible()
        expect(page.get_by_text("Friction in it")).to_be_visible()
        self.assert_accessible(page, "play")

    def test_the_bed_is_mapped_turned_and_mapped_again_and_the_rounds_stand_side_by_side(self) -> None:
        page = self.sign_in("tech")
        page.goto("/bench/3/bed/bed")
        page.get_by_role("button", name="Read the simulated machine").click()
        page.get_by_text("Ready to be worked out").wait_for(timeout=120000)
        page.get_by_role("button", name="Work it out").click()
        expect(page.get_by_text(say("Turn screw .* (clockwise|anticlockwise)")).first).to_be_visible(timeout=120000)
        expect(page.get_by_role("img", name=say("The bed rises by"))).to_be_visible()
        self.assert_accessible(page, "the map of a bed")
        page.get_by_text("Relief", exact=True).click()
        expect(page.get_by_text(say("heights drawn .* times"))).to_be_visible()
        page.get_by_role("button", name="Done as said, measure again").click()
        rounds = page.get_by_role("region", name="Rounds")
        expect(rounds).to_contain_text("Turned. Measure again", timeout=120000)
        expect(rounds).to_contain_text(say(r"then (front|rear) (left|right) 0\.\d+ turns"))
        page.get_by_role("button", name="Read the simulated machine").click()
        page.get_by_text("Ready to be worked out").wait_for(timeout=120000)
        page.get_by_role("button", name="Work it out").click()
        expect(rounds).to_contain_text(say("of the first error is gone"), timeout=120000)
        self.assert_accessible(page, "the rounds of a bed")

    def test_a_printed_bar_is_measured_place_by_place_and_says_what_made_it_so(self) -> None:
        page = self.sign_in("tech")
        page.goto("/bench/4/dimensions/all")
        expect(page.get_by_text("Now X: over the length of 80")).to_be_visible()
        reading = page.get_by_label(say("reading 1"))
        reading.fill("79,56")
        reading.press("Enter")
        expect(page.get_by_text("Now X: over the length of 60")).to_be_visible()
        page.get_by_role("button", name="Read the simulated machine").click()
        page.get_by_text("All 50 readings are in").or_(page.get_by_text("Ready to be worked out")).first.wait_for(
            timeout=30000
        )
        page.get_by_role("button", name="Work it out").click()
        expect(page.get_by_role("heading", name="X: belt or pulley")).to_be_visible(timeout=120000)
        expect(page.get_by_role("region", name="Schools")).to_contain_text("By commanded travel, followed here")
        self.assert_accessible(page, "the sizes of a part")

    def test_a_frame_is_moved_and_a_ladder_of_speeds_is_heard(self) -> None:
        page = self.sign_in("tech")
        page.goto("/bench/4/squareness/frame")
        page.get_by_role("button", name="Read the simulated machine").click()
        page.get_by_text("Ready to be worked out").wait_for(timeout=120000)
        page.get_by_label("Frame is long").fill("300")
        page.get_by_role("button", name="Work it out").click()
        expect(page.get_by_role("img", name=say("leans toward .X by"))).to_be_visible(timeout=120000)
        self.assert_accessible(page, "squareness")
        page.get_by_role("button", name="Done as said, measure again").click()
        expect(page.get_by_role("region", name="Rounds")).to_contain_text("then frame XY", timeout=120000)
        page.goto("/bench/3/rattle/x")
        page.get_by_label("Speeds").fill("7")
        page.get_by_role("button", name="Measure the simulated machine").click()
        expect(page.get_by_role("img", name=say("7 speeds, loudest at"))).to_be_visible(timeout=60000)
        self.assert_accessible(page, "a ladder of speeds")

    def test_a_figure_says_where_it_is_from_and_is_refused_at_its_field(self) -> None:
        page = self.open("/bench/4/belt-deflection/x")
        expect(page.get_by_text(say("Pulley to clamp. From the model."))).to_be_visible()
        page.get_by_label("Taken with").select_option(label="Spring scale 10 N")
        expect(page.get_by_text(say("Spring scale 10 N's."))).not_to_have_count(0)
        page.get_by_text("What else counts").click()
        page.get_by_label("Scale good to ±").fill("90")
        page.get_by_label(say("reading 1")).click()
        for figure in ("2.4", "6"):
            page.keyboard.type(figure)
            page.keyboard.press("Enter")
        self.press(page, "Work it out")
        refused = page.get_by_role("alert")
        expect(refused).to_have_text("Scale good to ± must be at least 0 and at most 20 N.")
        expect(page.get_by_label("Scale good to ±")).to_have_attribute("aria-invalid", "true")
        page.get_by_label("Scale good to ±").fill("0,1")
        self.press(page, "Work it out")
        expect(page.get_by_role("img", name=say("Tension"))).to_be_visible()
        expect(page.get_by_text("The limit is the workshop's.")).to_be_visible()
