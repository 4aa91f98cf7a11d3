"""Setting a workshop up, working side by side, and what a page does where it may not do everything."""

from __future__ import annotations

from playwright.sync_api import Page, expect

from .app import AppCase
from .test_paths import say


class SettingUp(AppCase):
    def tab(self, page: Page, name: str) -> None:
        page.get_by_role("tab", name=name).click()

    def test_a_lead_adds_a_room_a_person_and_a_machine_that_can_be_measured(self) -> None:
        page = self.sign_in("lead")
        page.goto("/workshop")
        self.tab(page, "Room")
        page.get_by_label(say("[Pp]lace|[Nn]ame|part of the room")).first.fill("Sail loft")
        page.keyboard.press("Enter")
        expect(page.get_by_text("Sail loft")).to_be_visible()

        self.tab(page, "People")
        expect(page.get_by_text("Oda Fenwright").first).to_be_visible()

        self.tab(page, "Machines")
        page.get_by_label("Name of another machine").fill("Fender")
        page.get_by_role("combobox", name="Model").select_option(label="Dunlin 220")
        page.get_by_role("combobox", name=say("Place|Where|stands")).first.select_option(label="Sail loft")
        page.get_by_role("button", name=say("Put it on the floor|Add")).click()
        expect(page.get_by_text("Fender").first).to_be_visible()

        page.get_by_role("link", name="Floor").click()
        page.get_by_role("article").get_by_role("link", name="Fender", exact=True).click()
        expect(page.get_by_text("Nothing has been measured here yet.").first).to_be_visible()
        page.get_by_role("link", name="Pluck it: six minutes").first.click()
        # A real machine has no stand-in: it is recorded, or a file is loaded.
        expect(page.get_by_role("button", name=say("Load a recording"))).to_be_visible()
        expect(page.get_by_role("button", name=say("stand-in"))).to_have_count(0)

    def test_a_model_of_ones_own_is_described_and_a_belt_can_be_measured(self) -> None:
        page = self.sign_in("lead")
        page.goto("/workshop")
        self.tab(page, "Models and limits")
        page.get_by_role("button", name="Describe a model").click()
        page.get_by_label("Name of the model").fill("Turnstone 180")
        spans = page.get_by_label("Free span, mm")
        expect(spans).to_have_count(2)
        self.assert_accessible(page, "describing a model")
        spans.first.fill("210")
        page.get_by_label("Whole loop, mm").first.fill("300")
        expect(page.get_by_role("alert")).to_contain_text("shorter than twice its free span")
        page.get_by_role("button", name="Keep the model").click()
        expect(page.get_by_role("heading", name="The workshop")).to_be_visible()
        expect(page.get_by_label("Name of the model")).to_be_visible()
        page.get_by_label("Whole loop, mm").first.fill("700")
        spans.last.fill("2o0")
        expect(page.get_by_text("“2o0” is not a figure.")).to_be_visible()
        spans.last.fill("200")
        page.get_by_label("A belt may wander, at most, mm").fill("0,3")
        page.get_by_role("button", name="Keep the model").click()
        expect(page.get_by_text("Turnstone 180")).to_be_visible()

        self.tab(page, "Machines")
        page.get_by_label("Name of another machine").fill("Bitter")
        page.get_by_role("combobox", name="Model").select_option(label="Turnstone 180")
        page.get_by_role("button", name=say("Put it on the floor|Add")).click()
        expect(page.get_by_text("Bitter").first).to_be_visible()
        page.get_by_role("link", name="Floor").click()
        page.get_by_role("article").get_by_role("link", name="Bitter", exact=True).click()
        address = page.url.split("/machines/")[1]
        page.goto(f"/bench/{address}/belt-tracking/x")
        expect(page.get_by_label("May wander, mm")).to_have_value("0.3")
        expect(page.get_by_text(say("The workshop's limit."))).to_be_visible()

    def test_an_instrument_is_checked_and_what_it_reads_in_ones_hands_is_reckoned_with(self) -> None:
        page = self.sign_in("tech")
        page.goto("/workshop")
        self.tab(page, "Instruments")
        page.get_by_role("link", name="Caliper 1").click()
        expect(page.get_by_role("heading", level=1, name="Caliper 1")).to_be_visible()
        expect(page.get_by_text(say("Its check was due"))).to_be_visible()
        self.assert_accessible(page, "an instrument")
        expect(page.get_by_label("It is truly, mm")).to_have_value("25")
        for figure in ("25,0", "25.01", "25.01"):
            page.get_by_label(say("^It reads in mm, reading")).fill(figure)
            page.keyboard.press("Enter")
        page.get_by_role("button", name="Keep the check").click()
        expect(page.get_by_text(say("Its check was due"))).to_have_count(0)
        expect(page.get_by_label("Earlier checks").get_by_role("listitem")).to_have_count(1)

        page.get_by_role("link", name="Printed blocks, across the flats").click()
        # The page left behind says that it counts, too.
        expect(page.get_by_role("heading", level=1, name=say("Printed blocks, across the flats"))).to_be_visible()
        expect(page.get_by_text("It counts.")).to_be_visible()
        self.assert_accessible(page, "a comparison that was read")
        mine = page.get_by_role("row", name=say("^Wen Askel")).inner_text().split()[-2]
        page.goto("/bench/6/dimensions/all")
        page.get_by_label("Taken with").select_option(label="Caliper 1")
        page.get_by_text("What else counts, and where it is from").click()
        good = page.get_by_label("A reading is good to ±, mm")
        expect(good).to_be_visible()
        # What it reads in one's hands comes with the instrument, a moment after it was chosen.
        page.wait_for_function(
            "([field, mine]) => Number(Number(field.value).toPrecision(2)) === Number(Number(mine).toPrecision(2))",
            arg=[good.element_handle(), mine],
        )

    def test_a_comparison_is_begun_run_and_read(self) -> None:
        page = self.sign_in("tech")
        page.goto("/workshop")
        self.tab(page, "Instruments")
        page.get_by_role("link", name="Spring scale 10 N").click()
        page.get_by_label("What is measured").fill("Bottles")
        page.get_by_label(say("^The pieces")).fill("small, large")
        page.get_by_label("Ilse Tarn").check()
        page.get_by_label("How often each measures each").select_option("2")
        page.get_by_role("button", name="Begin").click()
        truth, bias = {"small": 2.0, "large": 6.0}, {"Wen Askel": 0.0, "Ilse Tarn": 0.3}
        expect(page.get_by_text(say("measures piece"))).to_be_visible()
        self.assert_accessible(page, "a comparison")
        for person in bias:
            for n in range(4):
                asked = page.get_by_text(say(f"^{person} measures piece"))
                piece = asked.locator("b").inner_text()
                page.get_by_label(say(f"Reading in N, reading {n + 1}")).fill(
                    f"{truth[piece] + bias[person] + 0.1 * (n % 2):.1f}"
                )
                page.keyboard.press("Enter")
            page.get_by_role("button", name=f"Keep {person}'s readings").click()
        expect(page.get_by_text(say("Ilse Tarn reads 0.15 N more"))).to_be_visible()
        page.get_by_role("button", name="Let it count").click()
        expect(page.get_by_text("It counts.")).to_be_visible()

    def test_a_machine_that_differs_from_its_model_is_reckoned_with(self) -> None:
        page = self.sign_in("tech")
        page.goto("/machines/5")
        page.get_by_text("As its model says").click()
        page.get_by_role("button", name="A value differs here").click()
        page.get_by_label("Which part").select_option(label="Belt X")
        page.get_by_label("Which value").select_option(label="Teeth of the pulley: 20")
        page.get_by_label("Teeth of the pulley").fill("16")
        page.get_by_label("Why").fill("The old one had lost its screw.")
        self.assert_accessible(page, "a value differs")
        page.get_by_role("button", name="Write it down").click()
        expect(page.get_by_text("Differs from its model (1)")).to_be_visible()
        page.goto("/bench/5/steps/x")
        expect(page.get_by_label("Steps per mm now")).to_have_value("100")

    def test_a_name_that_is_taken_is_said_at_its_field(self) -> None:
        page = self.sign_in("lead")
        page.goto("/workshop")
        self.tab(page, "Room")
        page.get_by_label(say("[Pp]lace|[Nn]ame|part of the room")).first.fill("Long walk")
        page.keyboard.press("Enter")
        expect(page.get_by_text(say("already"))).to_be_visible()

    def test_a_technician_sees_the_workshop_and_cannot_change_it(self) -> None:
        page = self.sign_in("tech2")
        page.goto("/workshop")
        self.tab(page, "Models and limits")
        expect(page.get_by_text("Heron 300")).to_be_visible()
        expect(page.get_by_role("button", name="Change")).to_have_count(0)


class SideBySide(AppCase):
    def test_two_people_on_one_case_see_each_others_entries(self) -> None:
        here, there = self.sign_in("tech"), self.sign_in("lead")
        for page in (here, there):
            page.goto("/cases/6")
        here.get_by_label("Write into the log").fill("I have the feeler gauge.")
        here.get_by_role("button", name="Write it down").click()
        expect(there.get_by_text("I have the feeler gauge.")).to_be_visible()

    def test_a_tag_is_set_with_its_reason_and_lifted(self) -> None:
        page = self.sign_in("tech")
        page.goto("/machines/8")
        page.get_by_role("button", name="Tag out").click()
        page.get_by_label("Why may nobody use it?").fill("Conveyor seam is open")
        page.get_by_role("button", name="Tag out").click()
        expect(page.get_by_text("Tagged out by Wen Askel")).to_be_visible()
        member = self.sign_in("member")
        expect(member.get_by_text("Conveyor seam is open")).to_be_visible()
        page.get_by_role("button", name="Lift the tag").click()
        expect(page.get_by_role("button", name="Tag out")).to_be_visible()


class Limits(AppCase):
    def test_a_member_finds_neither_bench_nor_workshop(self) -> None:
        page = self.sign_in("member")
        expect(page.get_by_role("link", name="Bench")).to_have_count(0)
        page.goto("/bench/1")
        expect(page.get_by_role("alert")).to_contain_text("This needs the role technician")
        page.goto("/cases/6")
        expect(page.get_by_role("alert")).to_contain_text("Only technicians and who reported a case can open it")

    def test_an_address_that_leads_nowhere_says_so(self) -> None:
        page = self.sign_in("tech")
        for path in ("/no/such/page", "/machines/999"):
            page.goto(path)
            expect(page.get_by_text(say("There is nothing"))).to_be_visible()

    def test_where_the_microphone_is_refused_the_file_way_stays(self) -> None:
        page = self.sign_in("tech2")
        page.goto("/bench/2/belts/a")
        # This browser has no microphone to give: it says so and loses nothing.
        page.get_by_role("button", name=say("^Record( 1)?$")).click()
        expect(page.get_by_role("alert")).to_be_visible()
        expect(page.get_by_role("button", name=say("Load a recording"))).to_be_enabled()

    def test_everything_is_reached_by_the_keyboard(self) -> None:
        page = self.sign_in("tech2")
        page.goto("/cases")
        page.get_by_role("link", name=say("Circles")).wait_for()
        page.keyboard.press("Tab")
        expect(page.get_by_role("link", name="To the content")).to_be_focused()
        seen = set()
        for _ in range(40):
            page.keyboard.press("Tab")
            seen.add(page.evaluate("document.activeElement.textContent.trim() || document.activeElement.tagName"))
        for name in ("Floor", "Cases", "Bench", "Workshop"):
            self.assertIn(name, seen)
        self.assertTrue(any("Sheepshank" in s or "Circles" in s for s in seen), seen)

    def test_a_danger_holds_its_model_until_somebody_has_looked(self) -> None:
        page = self.sign_in("tech")
        page.goto("/machines/4")
        expect(page.get_by_role("heading", name="Look first")).to_be_visible()
        release = page.get_by_role("button", name="Looked at, release it")
        expect(release).to_be_disabled()
        page.get_by_label("It is unplugged").check()
        page.get_by_role("button", name="No, sound here").click()
        page.get_by_label("What was looked at, and found").fill("Plug and terminals, pulled one by one: sound.")
        release.click()
        expect(page.get_by_role("heading", name="Look first")).to_have_count(0)
        expect(page.get_by_text(say("In doubt: ")).first).to_be_visible()
        expect(page.get_by_text("Look first")).to_have_count(0)
