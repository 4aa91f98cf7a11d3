"""The main paths, as people walk them, in a real browser on the demo workshop."""

from __future__ import annotations

import io
import re

from kestov_core.simulator.sound import Belt, Pluck, Room, record, wav
from PIL import Image
from playwright.sync_api import Page, expect

from .app import AppCase, wav_file

#: What the microphone hears: five plucks of a belt at 81.5 Hz, which on Bowline's belt A is some 17.8 N.
HEARD_HZ = 81.5
SOUND = wav(record(Belt(f0_hz=HEARD_HZ), [Pluck(0.5 + 1.2 * i) for i in range(5)], 7, 48000, Room(hiss=0.001), seed=8))


def say(words: str) -> re.Pattern[str]:
    return re.compile(words)


class ComplaintToProof(AppCase):
    """One machine from complaint to a proven fix, microphone included."""

    @classmethod
    def setUpClass(cls) -> None:
        cls.sound = wav_file("microphone.wav", SOUND)
        cls.flags = [
            "--use-fake-device-for-media-stream",
            "--use-fake-ui-for-media-stream",
            f"--use-file-for-fake-audio-capture={cls.sound}",
        ]
        super().setUpClass()

    def test_the_second_picture_is_taken_over_a_faint_copy_of_the_first(self) -> None:
        page = self.sign_in("tech")
        page.goto("/cases/6")
        seat = io.BytesIO()
        Image.radial_gradient("L").resize((640, 480)).save(seat, "JPEG")
        page.get_by_label("Add a picture").set_input_files(wav_file("seat.jpg", seat.getvalue()))
        page.get_by_role("button", name="Take the picture again, from the same place").click()
        expect(page.get_by_role("img", name="The picture of before, faint")).to_be_visible()
        page.get_by_role("button", name="Take it", exact=True).click()
        laid = page.get_by_role("application", name=say("move it with the arrow keys"))
        expect(laid.get_by_role("img", name="The new picture, half seen")).to_be_visible()
        self.assert_accessible(page, "one picture over another")
        laid.press("ArrowRight")
        laid.press("ArrowDown")
        page.get_by_label("Size").fill("110")
        page.get_by_role("button", name="It fits: keep it").click()
        wipe = page.get_by_role("slider", name=say("Wipe between before and after"))
        expect(wipe).to_have_value("50")
        wipe.press("ArrowLeft")
        expect(wipe).to_have_value("49")
        self.assert_accessible(page, "before and after")
        style = page.get_by_role("img", name="After").get_attribute("style") or ""
        self.assertIn("left: 0.5%", style)
        self.assertIn("scale(1.1)", style)

    def test_from_the_floor_to_a_closed_case(self) -> None:
        page = self.sign_in("tech")
        expect(page.get_by_text(say("Bowline: Echoes"))).to_be_visible()
        page.keyboard.press("1")
        expect(page.get_by_role("heading", name="Take this case")).to_be_visible()
        page.keyboard.press("Enter")
        # The weighing asks for what is quick first; nothing is found, and the belts come up.
        for _ in range(6):
            page.get_by_role("heading", name=say("What did it show|Pluck both belts|Mend")).first.wait_for()
            if page.get_by_role("heading", name="Pluck both belts").is_visible():
                break
            name = page.locator("#next").inner_text()
            page.keyboard.press("0")
            expect(page.locator("#next")).not_to_have_text(name)
        expect(page.get_by_role("heading", name="Pluck both belts")).to_be_visible()
        page.keyboard.press("Enter")
        expect(page.get_by_text("Now pluck belt A.")).to_be_visible()

        self._by_microphone(page)
        page.keyboard.press("3")
        expect(page.get_by_text("Do now, motors off")).to_be_visible(timeout=120000)
        # Turn as advised and measure again until it holds.
        for _ in range(6):
            page.keyboard.press("Enter")
            for belt in ("A", "B"):
                expect(page.get_by_text(f"Now pluck belt {belt}.")).to_be_visible(timeout=120000)
                page.keyboard.press("3")
            page.get_by_text(say("It holds|Do now, motors off|cannot tell yet")).first.wait_for(timeout=120000)
            if page.get_by_text("It holds").is_visible():
                break
        expect(page.get_by_text("It holds. Nothing more to turn.")).to_be_visible()
        page.keyboard.press("Enter")

        expect(page.get_by_role("heading", name="Close the case")).to_be_visible()
        page.keyboard.press("Enter")
        page.get_by_label("What was it?").fill("Belt A slack")
        page.get_by_label("As the list calls it").select_option("belt_slack")
        page.get_by_role("button", name="Close the case").click()
        expect(page.get_by_role("heading", name="Closed")).to_be_visible()
        expect(page.get_by_text("Mended and verified. Belt A slack").first).to_be_visible()
        # Before and after stand side by side.
        expect(page.get_by_role("columnheader", name="2", exact=True)).to_be_visible()
        page.get_by_role("link", name="Bowline").click()
        expect(page.get_by_text("Closed: Mended and verified. Belt A slack.")).to_be_visible()
        expect(page.get_by_text("Fit for use")).to_be_visible()

    def _by_microphone(self, page: Page) -> None:
        page.keyboard.press("1")
        expect(page.get_by_text("Pluck now, five times.")).to_be_visible()
        expect(page.get_by_role("meter")).to_be_visible()
        # Plucks appear while they are played, found by the core.
        expect(page.get_by_text(say("[3-9] good plucks so far"))).to_be_visible(timeout=120000)
        page.keyboard.press("1")
        expect(page.get_by_text("Now pluck belt B.")).to_be_visible(timeout=120000)
        figure = page.evaluate(
            "fetch('/api/printers/1/rounds?place=a&case_id=' + new URLSearchParams(location.search).get('case'))"
            ".then(r => r.json()).then(r => r.rounds.at(-1).readings[0].capture)"
        )
        self.assertEqual(figure["source"], "microphone")
        self.assertLess(abs(figure["found"]["frequency"]["value"] / HEARD_HZ - 1), 0.003)


class AtTheBench(AppCase):
    def test_a_file_from_a_phone_and_one_that_is_none(self) -> None:
        page = self.sign_in("tech2")
        page.goto("/bench/2/belts/a")
        load = page.get_by_label("Recording of the plucked belt")
        load.set_input_files(files=[{"name": "notes.wav", "mimeType": "audio/wav", "buffer": b"tension was fine"}])
        expect(page.get_by_role("alert")).to_contain_text("cannot read this recording")
        load.set_input_files(wav_file("belt.wav", SOUND))
        expect(page.get_by_text("Now pluck belt B.")).to_be_visible(timeout=120000)
        page.get_by_role("button", name=say("^Belt A")).click()
        expect(page.get_by_text(say("Pitch"))).to_contain_text("81.")

    def test_the_recording_outlives_a_dropped_network(self) -> None:
        page = self.sign_in("tech2")
        page.goto("/bench/3/belts/y")
        expect(page.get_by_text("Now pluck belt Y.")).to_be_visible()
        page.context.set_offline(True)
        page.get_by_label("Recording of the plucked belt").set_input_files(wav_file("belt.wav", SOUND))
        expect(page.get_by_text("Kept on this device.")).to_be_visible(timeout=120000)
        kept = page.get_by_role("status").filter(has_text="One entry is kept here and not in the workshop yet")
        expect(kept).to_be_visible()
        # Back in reach it goes by itself, and only once.
        page.context.set_offline(False)
        expect(kept).to_have_count(0, timeout=120000)
        page.goto("/machines/3")
        expect(page.get_by_text(say("Plucked belt Y")).first).to_be_visible()

    def test_a_part_that_does_not_come_is_waited_for_and_ends_nothing(self) -> None:
        page = self.sign_in("tech2")
        page.goto("/")
        page.context.set_offline(True)
        page.get_by_role("button", name=say(", technician")).click()
        expect(page.get_by_role("heading", name="Bowline")).to_be_visible()
        page.context.set_offline(False)
        expect(page.get_by_role("menuitem", name="Sign out")).to_be_visible(timeout=120000)

    def test_figures_are_typed_with_enter_alone(self) -> None:
        page = self.sign_in("tech2")
        page.goto("/bench/4/belt-deflection/x")
        expect(page.get_by_label(say("reading 1"))).to_be_focused()
        for figure in ("2,5", "6", "2.6", "6,1", "oops"):
            page.keyboard.type(figure)
            page.keyboard.press("Enter")
        expect(page.get_by_role("alert")).to_contain_text("“oops” is not a figure")
        self.assertEqual(page.get_by_role("row").count(), 4)
        for _ in range(4):
            page.keyboard.press("Backspace")
        page.keyboard.press("Backspace")
        self.assertEqual(page.get_by_role("row").count(), 3)
        page.get_by_role("button", name=say("Compute|Work it out|Reckon|Judge|Save|Keep")).first.click()
        expect(page.get_by_role("img", name=say("Tension"))).to_be_visible()

    def test_units_as_preferred(self) -> None:
        page = self.sign_in("tech2")
        page.goto("/machines/2")
        page.get_by_role("button", name=say("Oda Fenwright")).click()
        page.get_by_role("menuitemradio", name="pounds force").click()
        page.keyboard.press("Escape")
        expect(page.get_by_text(say(r"± .* lbf")).first).to_be_visible()


class TheWeighing(AppCase):
    def test_from_few_words_to_a_cause(self) -> None:
        member = self.sign_in("member2")
        member.goto("/report/7")
        member.get_by_role("button", name="Thin or missing lines", exact=True).click()
        member.get_by_role("button", name=say("Send|Report")).click()
        expect(member.get_by_role("heading", name="Thin or missing lines")).to_be_visible()
        expect(member.get_by_text("What it may be")).to_have_count(0)

        page = self.sign_in("tech2")
        page.goto(member.url)
        page.get_by_role("button", name=say("Take it")).click()
        bars = page.get_by_role("region", name="What it may be")
        first = bars.get_by_role("listitem").first
        expect(first).to_contain_text("(process)")

        # A few letters, Enter, and the word.
        page.get_by_label("What else?").fill("gear dust")
        page.get_by_role("list", name="Findings that match").wait_for()
        page.keyboard.press("Enter")
        page.get_by_role("button", name="Seen", exact=True).click()
        expect(first).to_contain_text("Drive gears dirty")
        first.click()
        expect(first).to_contain_text("The drive gears are full of dust: seen (strongly for it)")

        # What-if: an outcome under the pointer moves the bars, and leaving it puts them back.
        page.get_by_text("Other checks, and what each would save").click()
        page.get_by_role("button", name="Do this").first.click()
        page.get_by_role("button", name=say("^(All fine|It stays as it was)")).hover()
        expect(bars).to_contain_text("If “")
        page.get_by_role("heading", name="Log").hover()
        expect(bars).not_to_contain_text("If “")
        page.get_by_role("button", name="Back to the advice").click()

        # Taken back, said again, mended, gone, closed.
        page.get_by_role("button", name="Take back my last").click()
        expect(first).not_to_contain_text("Drive gears dirty")
        page.get_by_label("What else?").fill("full of dust")
        page.get_by_role("list", name="Findings that match").wait_for()
        page.keyboard.press("Enter")
        page.get_by_role("button", name="Seen", exact=True).click()
        expect(page.get_by_role("heading", name="Mend: Drive gears dirty")).to_be_visible()
        expect(page.get_by_text("Unplug: gears pinch.")).to_be_visible()
        page.get_by_role("button", name="Done, it is gone").click()
        expect(page.get_by_role("heading", name="Close the case")).to_be_visible()
        page.get_by_role("button", name=say("^Close it")).click()
        page.get_by_label("What was it?").fill("Gears full of dust")
        page.get_by_label("As the list calls it").select_option("drive_gears_dirty")
        page.get_by_role("button", name="Close the case").click()
        expect(page.get_by_role("heading", name="Closed")).to_be_visible()

    def test_a_walk_is_answered_by_place_and_a_fault_can_be_read(self) -> None:
        page = self.sign_in("tech2")
        page.goto("/report/6")
        # By the keyboard: a card is a button that stays pressed.
        card = page.get_by_role("button", name="The print steps sideways at a layer", exact=True)
        card.focus()
        page.keyboard.press("Space")
        expect(card).to_have_attribute("aria-pressed", "true")
        page.get_by_text("Is any of this true, too?").click()
        page.get_by_label("It steps sideways again and again").check()
        page.get_by_role("button", name="Send the report").click()
        page.get_by_role("button", name=say("Take it")).click()
        expect(page.get_by_text("It steps sideways again and again").first).to_be_visible()

        page.get_by_text("Other checks, and what each would save").click()
        page.get_by_text(say("^Those that take longer")).click()
        walk = page.get_by_role("listitem").filter(has_text="Walk round the machine")
        walk.get_by_role("button", name="Do this").click()
        expect(page.get_by_role("heading", name="Walk round the machine")).to_be_visible()
        page.get_by_label("The pen mark over shaft and pulley has moved").check()
        where = page.get_by_role("group", name="The pen mark over shaft and pulley has moved: where")
        where.get_by_role("button", name="Y1").click()
        page.get_by_role("button", name="That was found").click()
        bars = page.get_by_role("region", name="What it may be")
        first = bars.get_by_role("listitem").first
        expect(first).to_contain_text("Grub screw of a pulley loose, Y1")
        first.click()
        first.get_by_role("link", name="Read what is known of it").click()
        sheet = page.get_by_role("article", name="Grub screw of a pulley loose")
        expect(sheet).to_contain_text("Thread lock for metal")
        page.get_by_label("Find").fill("pops at the nozzle")
        page.get_by_role("navigation", name="Faults").get_by_role("link").first.click()
        expect(page.get_by_role("article", name="Damp filament")).to_be_visible()

    def test_the_lead_changes_what_is_known_and_goes_back(self) -> None:
        page = self.sign_in("lead")
        page.goto("/knowledge/check/walk")
        page.get_by_role("button", name="Change it for this workshop").click()
        page.get_by_label("What we know here besides").fill("Mind the low beam by the window.")
        page.get_by_text("It cannot be left out").wait_for()
        self.assert_accessible(page, "changing what is known")
        page.reload()
        page.get_by_role("button", name="Change it for this workshop").click()
        # What was typed outlives the page.
        expect(page.get_by_label("What we know here besides")).to_have_value("Mind the low beam by the window.")
        page.get_by_role("button", name="Keep it so here").click()
        sheet = page.get_by_role("article", name="Walk round the machine")
        expect(sheet.get_by_text("Here: Mind the low beam by the window.")).to_be_visible()
        page.get_by_role("link", name=say("Changed in this workshop")).click()
        page.get_by_role("button", name=say("^Back to how it came: Walk round")).click()
        expect(page.get_by_text("all that is known here is as it came")).to_be_visible()

    def test_danger_stops_the_case(self) -> None:
        page = self.sign_in("tech2")
        page.goto("/cases/7")
        expect(page.get_by_role("heading", name="Stop: unplug and tag out")).to_be_visible()
        expect(page.get_by_text("Look at all machines of its model.")).to_be_visible()
        expect(page.get_by_text("Other checks, and what each would save")).to_have_count(0)


class FromAPhone(AppCase):
    def test_a_member_reports_in_a_minute_with_a_picture(self) -> None:
        page = self.sign_in("member", 375, 740, has_touch=True, is_mobile=True)
        page.get_by_role("link", name=say("Halyard")).first.click()
        page.get_by_role("button", name="Report a fault").click()
        page.get_by_role("button", name="Squeak or creak", exact=True).click()
        page.get_by_label("Since when?").fill("yesterday")
        picture = io.BytesIO()
        Image.new("RGB", (1200, 900), (120, 130, 125)).save(picture, "JPEG")
        page.get_by_label("A picture of the print").set_input_files(
            files=[{"name": "wall.jpg", "mimeType": "image/jpeg", "buffer": picture.getvalue()}]
        )
        # What was entered survives a page that is loaded again.
        page.reload()
        expect(page.get_by_label("Since when?")).to_have_value("yesterday")
        page.get_by_label("A picture of the print").set_input_files(
            files=[{"name": "wall.jpg", "mimeType": "image/jpeg", "buffer": picture.getvalue()}]
        )
        page.get_by_role("button", name=say("Send|Report")).click()
        expect(page.get_by_role("heading", name="Squeak or creak")).to_be_visible()
        expect(page.locator("figure img")).to_be_visible()
        self.assertLessEqual(page.evaluate("document.documentElement.scrollWidth"), 375)


class Views(AppCase):
    """Each main view in daylight and in the dim room: axe finds nothing, and nothing runs off the side."""

    PATHS = {
        "floor": "/",
        "machine": "/machines/5",
        "cases": "/cases",
        "case": "/cases/6",
        "bench": "/bench",
        "bench of a machine": "/bench/6",
        "belts": "/bench/6/belts/y1",
        "readings": "/bench/6/belt-tracking/x",
        "report": "/report/6",
        "knowledge": "/knowledge",
        "a fault to read": "/knowledge/belt_slack",
        "a check to read": "/knowledge/check/rock",
        "what a machine has stored": "/machines/7/stored",
        "the way back": "/machines/7/baseline",
        "parts": "/machines/1/parts",
        "the next quarter": "/quarter",
        "near misses": "/near-misses",
        "workshop": "/workshop",
        "scripting": "/scripting",
    }

    def test_axe_on_each_view_in_both_lights(self) -> None:
        page = self.sign_in("lead")
        for light in ("day", "dim"):
            page.evaluate(
                "light => fetch('/api/me', {method: 'PATCH', body: JSON.stringify({light}), headers: {'Content-Type':"
                " 'application/json', 'X-CSRFToken': document.cookie.match(/csrftoken=([^;]*)/)[1]}})",
                light,
            )
            for name, path in self.PATHS.items():
                with self.subTest(view=name, light=light):
                    page.goto(path)
                    page.get_by_role("heading").first.wait_for()
                    self.assert_accessible(page, f"{name}, {light}")
                    self.assertLessEqual(page.evaluate("document.documentElement.scrollWidth"), 1280)

    def test_the_door(self) -> None:
        page = self.sign_in("member")
        page.get_by_role("button", name=say("Jory Pell")).click()
        page.get_by_role("menuitem", name="Sign out").click()
        expect(page.get_by_role("heading", name="Sign in")).to_be_visible()
        self.assert_accessible(page, "sign in")
        page.get_by_label("Name to sign in with").fill("member")
        page.get_by_label("Password").fill("wrong")
        page.keyboard.press("Enter")
        expect(page.get_by_text("The name or the password is not right.")).to_be_visible()
