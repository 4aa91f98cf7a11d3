"""Typed readings: every form from the first figure to its result on the strip, with wrong figures on the way."""

from __future__ import annotations

import trimesh
from playwright.sync_api import Page, expect

from .app import AppCase, wav_file
from .test_paths import say


class Typing(AppCase):
    def open(self, path: str) -> Page:
        page = self.sign_in("tech2")
        page.goto(path)
        expect(page.get_by_label(say("reading 1"))).to_be_focused()
        return page

    def type(self, page: Page, *figures: str) -> None:
        for figure in figures:
            page.keyboard.type(figure)
            page.keyboard.press("Enter")

    def work_out(self, page: Page) -> None:
        page.get_by_role("button", name="Work it out").click()

    def test_belt_tracking_finds_a_belt_on_its_flange(self) -> None:
        page = self.open("/bench/6/belt-tracking/x")
        self.type(page, "0", "0,4", "0,6", "150", "0.3", "0.7", "300", "0", "1.0")
        self.work_out(page)
        expect(page.get_by_role("heading", name=say("[Oo]ut|touches|flange"))).to_be_visible()
        expect(page.get_by_text(say("climbs to the top flange"))).to_be_visible()
        expect(page.get_by_role("img", name=say("limits"))).to_be_visible()

    def test_ripples_on_a_wall_give_a_frequency(self) -> None:
        page = self.open("/bench/6/ringing-print/y")
        page.get_by_label(say("[Ss]peed")).fill("100")
        page.get_by_label(say("reading 1")).click()
        self.type(page, "5", "10", "10", "20")
        self.work_out(page)
        expect(page.get_by_text(say(r"50\.")).first).to_be_visible()

    def test_a_part_of_our_own_is_entered_and_measured_place_by_place(self) -> None:
        page = self.sign_in("tech2")
        page.goto("/bench/6/parts")
        expect(page.get_by_role("heading", name="Oar rest")).to_be_visible()
        page.get_by_role("button", name="Enter a part").click()
        block = trimesh.creation.box((60, 30, 24)).export(file_type="stl")
        page.get_by_label("Its picture, or its model (STL)").set_input_files(wav_file("clip.stl", block))
        page.get_by_label("Its name").fill("Hose clip")
        page.get_by_label("1. Where").fill("long side, at the foot")
        page.get_by_label("mm", exact=True).fill("60")
        page.get_by_label("± mm").fill("0,2")
        picture = page.get_by_role("img", name="The part")
        expect(picture).to_be_visible()
        picture.click(position={"x": 40, "y": 60})
        picture.click(position={"x": 200, "y": 60})
        expect(page.get_by_text("Pointed at.")).to_be_visible()
        page.get_by_role("button", name="Another place").click()
        page.get_by_label("2. Where").fill("height")
        page.get_by_label("mm", exact=True).last.fill("24")
        page.get_by_label("It runs along, as printed").last.select_option("z")
        self.assert_accessible(page, "entering a part")
        page.get_by_role("button", name="Enter it").click()
        page.get_by_role("link", name=say("Measure it ?: Hose clip")).click()
        expect(page.get_by_text(say("Now long side, at the foot, 60 ± 0.2"))).to_be_visible()
        expect(page.get_by_label(say("reading 1"))).to_be_focused()
        self.type(page, "60,61", "24.05")
        self.work_out(page)
        expect(page.get_by_text(say("long side, at the foot: measured less drawn"))).to_be_visible()
        expect(page.get_by_role("heading", name="Outside its limits")).to_be_visible()
        self.assert_accessible(page, "a part of our own, measured")

    def test_which_wall_is_asked_and_the_axis_is_said(self) -> None:
        page = self.open("/bench/3/ringing-print/y")
        expect(page.get_by_text(say("it is Y that rings .the bed."))).to_be_visible()
        page.get_by_role("button", name="It runs front to back (Y)").click()
        expect(page.get_by_text(say("it is X that rings"))).to_be_visible()
        page.get_by_label(say("[Ss]peed")).fill("100")
        page.get_by_label(say("reading 1")).click()
        self.type(page, "5", "10", "10", "20")
        self.work_out(page)
        expect(page.get_by_text(say("it is X that rings"))).to_have_count(2)
        kept = page.evaluate(
            "fetch('/api/printers/3/bench').then(r => r.json()).then(b => b.last.filter(l => l.procedure === 'ringing-print'))"
        )
        self.assertEqual([row["place"] for row in kept], ["x"])

    def test_a_reading_in_inches_is_asked_about_and_taken_when_it_is_meant(self) -> None:
        page = self.open("/bench/4/steps/x")
        self.type(page, "3.937")
        expect(page.get_by_role("alert")).to_contain_text("1/25.4 of what is expected")
        expect(page.get_by_label(say("reading 1"))).to_be_visible()
        page.keyboard.press("Control+A")
        self.type(page, "100.02", "1000")
        expect(page.get_by_role("alert")).to_contain_text("ten times")
        page.keyboard.press("Enter")
        expect(page.get_by_label(say("reading 3"))).to_be_visible()

    def test_a_missing_setting_is_asked_for_and_nothing_is_lost(self) -> None:
        page = self.open("/bench/6/belt-deflection/x")
        self.type(page, "2.4", "6", "2.5", "6.1")
        page.get_by_label("Free span, mm").fill("")
        self.work_out(page)
        expect(page.get_by_role("alert")).to_contain_text("Free span")
        page.get_by_label("Free span, mm").fill("330")
        self.work_out(page)
        expect(page.get_by_role("img", name=say("Tension"))).to_be_visible()

    def test_readings_outlive_a_page_that_is_loaded_again(self) -> None:
        page = self.open("/bench/6/belt-deflection/y1")
        self.type(page, "2.4", "6", "2.5", "6.1")
        page.reload()
        expect(page.get_by_label(say("reading 3"))).to_be_visible()
        page.get_by_role("button", name="Take out reading 1").click()
        expect(page.get_by_label(say("reading 2"))).to_be_visible()

    def test_what_cannot_be_is_refused_at_once(self) -> None:
        page = self.open("/bench/6/belt-deflection/y2")
        self.type(page, "0")
        expect(page.get_by_role("alert")).to_contain_text("must lie between")
        page.keyboard.press("Control+A")
        self.type(page, "1..5")
        expect(page.get_by_role("alert")).to_contain_text("is not a figure")

    def test_inches_and_pounds_are_only_how_it_is_shown(self) -> None:
        page = self.open("/bench/6/belt-deflection/x")
        page.get_by_role("button", name=say("Oda Fenwright")).click()
        page.get_by_role("menuitemradio", name="pounds force").click()
        page.keyboard.press("Escape")
        page.get_by_label(say("reading 1")).click()
        self.type(page, "2.4", "6", "2.5", "6.1", "2.4", "6")
        self.work_out(page)
        expect(page.get_by_role("img", name=say("Tension: .* lbf"))).to_be_visible()
        stored = page.evaluate(
            "fetch('/api/printers/6/bench').then(r => r.json()).then(b => b.belts[0].last.found.tension.unit)"
        )
        self.assertEqual(stored, "N")
