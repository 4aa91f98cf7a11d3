"""Service in the browser: what runs out is ordered, comes, and is fitted; the week is planned and moved in by hand; labels lead on."""

from __future__ import annotations

from playwright.sync_api import expect

from .app import AppCase
from .test_paths import say


class OfTheWorkshop(AppCase):
    def test_what_runs_out_is_ordered_comes_and_leaves_the_drawer_where_it_is_fitted(self) -> None:
        page = self.sign_in("lead")
        page.goto("/stores")
        expect(page.get_by_role("heading", name="To order", level=1)).to_be_visible()
        self.assert_accessible(page, "the stores")
        page.get_by_role("button", name="Ordered: Spring-steel plate, textured").click()
        page.get_by_label("How many").fill("3")
        page.get_by_role("region", name="To order").get_by_role("button", name="Write it down").click()
        drawer = page.get_by_role("region", name="In the drawers").get_by_role("listitem").filter(has_text="C1")
        expect(drawer).to_contain_text("3 on the way")
        drawer.get_by_role("button").first.click()
        self.assert_accessible(page, "a drawer")
        drawer.get_by_role("button", name="Into the drawer").click()
        expect(drawer.get_by_role("button").first).to_have_text(say("4$"))

        page.goto("/machines/7/parts")
        page.get_by_role("button", name=say("^Plate: ")).click()
        page.get_by_role("button", name="Replaced").click()
        page.get_by_label("The new one is").select_option(label="Spring-steel plate, textured")
        expect(page.get_by_text("It did not come from the drawer (4 there)")).to_be_visible()
        page.get_by_label("What was wrong with the old one?").fill("Its coat has gone.")
        page.get_by_role("region", name="Parts").get_by_role("button", name="Write it down").click()
        expect(page.get_by_role("region", name="Parts").get_by_role("button", name=say("^Plate"))).to_contain_text(
            "0 of 2000 h"
        )
        page.goto("/stores")
        expect(drawer.get_by_role("button").first).to_have_text(say("3$"))

    def test_the_week_is_planned_and_moved_in_by_hand(self) -> None:
        page = self.sign_in("tech")
        page.goto("/rounds")
        page.get_by_role("link", name="The week").click()
        page.get_by_role("button", name="Week after").click()
        tuesday = page.get_by_role("region", name=say("^Tuesday"))
        expect(tuesday).to_contain_text("Wen Askel")
        self.assert_accessible(page, "the week")
        first = page.get_by_role("button", name=say("^Put it by hand")).first
        machine = (first.get_attribute("aria-label") or "").removeprefix("Put it by hand: ")
        first.click()
        page.get_by_label("To whom").select_option(label="Oda Fenwright")
        when = page.get_by_label("When", exact=True)
        # Saturday of that week at ten.
        monday = page.evaluate("d => { const t = new Date(d); t.setDate(t.getDate() - (t.getDay() + 6) % 7 + 5); return t.toISOString().slice(0, 10) }", when.input_value())  # fmt: skip
        when.fill(f"{monday}T10:30")
        page.get_by_role("button", name="Put it there").click()
        saturday = page.get_by_role("region", name=say("^Saturday"))
        expect(saturday.get_by_role("listitem").filter(has_text=machine)).to_contain_text("put there by hand")
        # It stays where it was put when the week is planned again.
        page.keyboard.press("1")
        expect(saturday.get_by_role("listitem").filter(has_text=machine)).to_contain_text("10:30")
        saturday.get_by_role("button", name=f"Let it be planned: {machine}").click()
        expect(page.get_by_text("put there by hand")).to_have_count(0)

    def test_a_machines_label_leads_each_to_their_page(self) -> None:
        page = self.sign_in("tech")
        self.assertTrue(page.request.get("/api/labels.pdf?what=machines").body().startswith(b"%PDF"))
        page.goto("/m/2")
        expect(page.get_by_role("heading", level=1)).to_have_text("Marline")
        member = self.sign_in("member")
        member.goto("/m/2")
        expect(member).to_have_url(say("/report/2$"))
