"""What a machine is made of and has stored: after its firmware was changed, and when a part is in trouble."""

from __future__ import annotations

from pathlib import Path

from playwright.sync_api import expect

from .app import AppCase
from .test_paths import say

PRINTED = """echo:; Steps per unit:
echo: M92 X80.00 Y80.00 Z76.80 E415.00
M906 X850 Y850 Z850 E500
M851 X0.00 Y0.00 Z-0.62
M593 X F41.50 D0.080
M593 Y F43.20 D0.090
M204 P3500
M914 X62 Y60 Z61
M420 S0
"""


class OfAMachine(AppCase):
    def test_why_does_nothing_fit_since_the_update(self) -> None:
        page = self.sign_in("tech")
        page.goto("/machines/7")
        page.get_by_role("link", name="The way back, in order").click()
        expect(page.get_by_text("Press each end switch and the probe by hand")).to_be_visible()
        page.get_by_role("link", name="Begin, and go on from step to step").click()
        page.get_by_label("Paste what it prints of its settings").fill(PRINTED)
        page.get_by_role("button", name="Hold it against the ledger").click()
        differs = page.get_by_role("region", name="Differs")
        expect(differs).to_contain_text("Parts come out 4 % short along Z.")
        expect(page.get_by_role("region", name="Put it back")).to_contain_text("M92 Z80.0000")
        expect(page.get_by_text("M420 S0")).to_have_count(2)
        self.assert_accessible(page, "held against the ledger")
        with page.expect_download() as saved:
            page.get_by_role("link", name="Save all as a script").click()
        self.assertIn("M92 X80.0000", Path(saved.value.path()).read_text())

        # What was pasted outlives a reload. It is put back at the machine, and read once more.
        page.reload()
        expect(page.get_by_label("Paste what it prints of its settings")).to_have_value(PRINTED)
        page.get_by_label("Paste what it prints of its settings").fill(PRINTED.replace("Z76.80", "Z80.00"))
        page.get_by_role("button", name="Hold it against the ledger").click()
        expect(page.get_by_text("Nothing was lost.")).to_be_visible()
        page.get_by_role("button", name="Keep it", exact=True).click()
        expect(page.get_by_text(say("^Kept. What agrees is valid"))).to_be_visible()
        page.get_by_text("Write a value down").click()
        page.get_by_label("Which").select_option("Firmware build")
        page.get_by_label("In words").fill("Build 13")
        page.get_by_role("button", name="Write it down").click()
        expect(page.get_by_text("Build 13")).to_be_visible()
        expect(page.get_by_text("in doubt", exact=True)).to_have_count(0)
        # The sitting has come to its end.
        way = page.get_by_role("complementary", name="The way back")
        expect(way).to_contain_text("All of it is done")
        way.get_by_role("link", name="To the machine").click()
        page.goto("/machines/7/baseline")
        expect(page.get_by_role("heading", name="Nothing is in doubt")).to_be_visible()

    def test_a_part_in_trouble_is_replaced_and_the_rest_follows_by_itself(self) -> None:
        page = self.sign_in("tech")
        page.goto("/machines/2/parts")
        sketch = page.get_by_role("group", name="The machine with its parts")
        belt = sketch.get_by_role("button", name=say("^Belt, A: "))
        belt.click()
        page.get_by_role("button", name="Found trouble").click()
        page.get_by_label("What is wrong with it?").fill("Frayed at the clamp")
        page.get_by_role("region", name="Parts").get_by_role("button", name="Write it down").click()
        expect(page.get_by_text("A look found: Frayed at the clamp")).to_be_visible()
        self.assert_accessible(page, "a part in trouble")
        member = self.sign_in("member")
        member.goto("/machines/2")
        expect(member.get_by_text(say("frayed at the clamp"))).to_be_visible()

        page.get_by_role("button", name="Replaced").click()
        page.get_by_label("The new one is").select_option("Belt with steel cords")
        page.get_by_label("What was wrong with the old one?").fill("Frayed")
        page.get_by_role("region", name="Parts").get_by_role("button", name="Write it down").click()
        expect(page.get_by_text("A look found: Frayed at the clamp")).to_have_count(0)
        # What was measured on the old belt says nothing of the new one: nobody had to say so.
        page.goto("/machines/2/baseline")
        expect(page.get_by_text(say("A belt was changed")).first).to_be_visible()
        page.goto("/machines/2")
        expect(page.get_by_text("Took out: Belt, A. Frayed")).to_be_visible()

    def test_the_meter_refuses_what_cannot_be(self) -> None:
        page = self.sign_in("tech")
        page.goto("/machines/5/parts")
        meter = page.get_by_role("region", name="Hours of use")
        meter.get_by_label("The meter shows").fill("10")
        meter.get_by_role("button", name="Write it down").click()
        expect(meter.get_by_text(say("The meter has gone back")).first).to_be_visible()
        meter.get_by_label("It began anew: the board was replaced").check()
        meter.get_by_role("button", name="Write it down").click()
        expect(meter.get_by_text(say("last time 10"))).to_be_visible()

    def test_a_job_log_is_taken_whole_or_not_at_all(self) -> None:
        page = self.sign_in("tech")
        page.goto("/machines/4/use")
        jobs = "".join(f"2026-{m:02d}-03 09:00,{m % 5 + 1}:30:00,cleat {m},120\n" for m in range(1, 10))
        bad = f"Begun,Time,What,Weight [g]\n{jobs}2026-10-03 09:00,later,cleat,120\n"
        chosen = page.get_by_label("Choose the log")
        chosen.set_input_files({"name": "jobs.csv", "mimeType": "text/csv", "buffer": bad.encode()})
        sheet = page.get_by_role("region", name="Its job log")
        expect(sheet.get_by_text(say("Row 11, column Time: “later” is no length"))).to_be_visible()
        expect(sheet.get_by_text(say("Could be read: 9 jobs"))).to_be_visible()
        expect(sheet.get_by_role("button", name="Take it so")).to_be_disabled()
        self.assert_accessible(page, "a job log that cannot be read")
        sheet.get_by_role("button", name="Leave this file").click()
        good = {"name": "jobs.csv", "mimeType": "text/csv", "buffer": bad.replace("later", "1:00:00").encode()}
        chosen.set_input_files(good)
        sheet.get_by_role("button", name="Take it so").click()
        expect(sheet.get_by_text("10 jobs, 10 of them new.")).to_be_visible(timeout=120000)
        expect(page.get_by_role("img", name=say("Hours of print in each of 10 weeks"))).to_be_visible()
        chosen.set_input_files(good)
        expect(sheet.get_by_text(say("read as the last time"))).to_be_visible()
        sheet.get_by_role("button", name="Take it so").click()
        expect(sheet.get_by_text("Nothing changes: all 10 jobs were known.")).to_be_visible(timeout=120000)

    def test_one_figure_across_the_machines(self) -> None:
        page = self.sign_in("tech")
        page.goto("/fleet")
        expect(page.get_by_role("img", name=say("^Tension, Sheepshank"))).to_be_visible()
        self.assert_accessible(page, "across the machines")

    def test_a_round_is_ticked_off_task_by_task(self) -> None:
        page = self.sign_in("tech")
        page.goto("/rounds")
        self.assert_accessible(page, "what is due")
        page.get_by_role("link", name="The round of Bowline").click()
        first = page.get_by_role("heading", level=1)
        expect(first).to_have_text("Unplug the machine")
        page.keyboard.press("1")
        expect(first).to_have_text(say("^Fans and vents"))
        expect(page.get_by_text("Unplugged", exact=True)).to_be_visible()
        self.assert_accessible(page, "a round")
        page.keyboard.press("1")
        expect(first).not_to_have_text(say("^Fans and vents"))
        # It goes on where it was left, for another person too, who sees to the plug anew.
        was = first.inner_text()
        other = self.sign_in("tech2")
        other.goto("/rounds/1")
        other.get_by_role("button", name="It is unplugged").click()
        expect(other.get_by_role("heading", level=1)).to_have_text(was)
        other.get_by_role("button", name="Later").click()
        expect(other.get_by_role("heading", level=1)).not_to_have_text(was)
        other.get_by_text("It shows a reminder").click()
        other.get_by_label("In its words").fill("LUBRICATE Z SCREWS")
        other.get_by_label("It means").select_option(label="Lead screws: cleaned, greased, run in, ends wiped")
        other.get_by_role("region", name="What the machine asks for").get_by_role(
            "button", name="Write it down"
        ).click()
        expect(other.get_by_text("LUBRICATE Z SCREWS")).to_have_count(2)
        page.goto("/machines/1")
        expect(page.get_by_text("Round: Fans and vents blown out, chamber vacuumed: all fine").first).to_be_visible()

    def test_trouble_in_a_round_becomes_a_case_with_what_was_found(self) -> None:
        page = self.sign_in("tech")
        # A machine that is out of use already: what others look for on theirs stays as it is.
        page.goto("/rounds/5")
        page.get_by_role("button", name="It is unplugged").click()
        page.get_by_role("button", name="Later").click()
        expect(page.get_by_role("heading", level=1)).to_have_text(say("^Wiring"))
        page.keyboard.press("3")
        page.get_by_label("In which?").select_option(index=1)
        page.get_by_label("What is wrong?").fill("A plug hangs half out.")
        page.get_by_role("button", name="A case").click()
        page.get_by_label("It is", exact=True).select_option(label="A connector sits loose")
        page.get_by_role("button", name="Write it down").first.click()
        page.get_by_role("link", name="Look at it").click()
        expect(page.get_by_text("A plug hangs half out.").first).to_be_visible()

    def test_the_lead_says_how_often_and_the_maker_goes_first(self) -> None:
        page = self.sign_in("lead")
        page.goto("/rounds/tasks")
        self.assert_accessible(page, "the tasks of service")
        page.get_by_role("button", name="Change it: Idlers spun, a drop on the shaft").click()
        page.get_by_label("days", exact=True).fill("60")
        page.get_by_label("Why?").fill("They squeak by then.")
        page.get_by_role("button", name="Keep it so for this workshop").click()
        row = page.get_by_role("listitem").filter(has_text="Idlers spun")
        expect(row).to_contain_text("the workshop's own")
        expect(row).to_contain_text("They squeak by then.")
        page.get_by_label("As it is for").select_option(index=1)
        page.get_by_role("button", name="Change it: Idlers spun, a drop on the shaft").click()
        page.get_by_label("days", exact=True).fill("45")
        page.get_by_role("button", name="Keep it as the maker's").click()
        expect(row).to_contain_text("the maker's")
        page.get_by_label("As it is for").select_option(index=0)
        expect(row).to_contain_text("60 days")
