"""Without an account: the wall, a report from a label, and joining by a link; off again when the lead says so."""

from __future__ import annotations

from playwright.sync_api import expect

from .app import AppCase
from .test_paths import say


class Openly(AppCase):
    def test_what_the_lead_opens_is_seen_and_told_without_an_account(self) -> None:
        lead = self.sign_in("lead")
        lead.goto("/workshop")
        lead.get_by_text("People", exact=True).click()
        wall, reports = (
            lead.get_by_role("checkbox", name=say(n)) for n in ("for a screen on the wall", "from a machine's label")
        )
        guest = self.fresh()
        guest.goto("/wall")
        expect(guest.get_by_text("has not switched this on")).to_be_visible()
        for box in (wall, reports):
            box.check()
            expect(box).to_be_checked()
        self.assert_accessible(lead, "the people")
        guest.goto("/wall")
        expect(guest.get_by_role("heading", name="For a fine part")).to_be_visible()
        expect(guest.get_by_text("Marline")).to_be_visible()
        self.assert_accessible(guest, "the wall")

        guest.goto("/m/8")
        expect(guest.get_by_role("heading", name="What is wrong with Longsplice?")).to_be_visible()
        self.assert_accessible(guest, "a report without an account")
        guest.get_by_role("button", name="Strings or hair", exact=False).first.click()
        guest.get_by_label("Your name").fill("Somebody at the gate")
        guest.get_by_role("button", name="Tell it").click()
        expect(guest.get_by_role("heading", name="Thank you")).to_be_visible()

        tech = self.sign_in("tech")
        tech.goto("/cases")
        told = tech.get_by_role("region", name=say("Told without an account"))
        expect(told).to_contain_text("Somebody at the gate")
        self.assert_accessible(tech, "what was told")
        told.get_by_role("button", name=say("^It does not count: Longsplice")).click()
        told.get_by_label("Why not").fill("It was damp filament, dried since.")
        told.get_by_role("button", name="It does not count", exact=True).click()
        expect(told).to_be_hidden()

        for box in (wall, reports):
            box.uncheck()
            expect(box).not_to_be_checked()
        guest.goto("/m/8")
        expect(guest.get_by_role("heading", name="Sign in")).to_be_visible()

    def test_by_a_link_somebody_makes_an_account_of_their_own(self) -> None:
        lead = self.sign_in("lead")
        lead.goto("/workshop")
        lead.get_by_text("People", exact=True).click()
        lead.get_by_role("button", name="Make a link").click()
        link = lead.get_by_role("status").locator("span").first.inner_text()
        guest = self.fresh()
        guest.goto(link)
        expect(guest.get_by_role("heading", name="Join the workshop")).to_be_visible()
        self.assert_accessible(guest, "joining")
        guest.get_by_label("Your name").fill("Nell Ferrier")
        guest.get_by_label("Name to sign in with").fill("nell")
        guest.get_by_label("A password").fill("four wet ropes")
        guest.get_by_role("button", name="Make my account").click()
        expect(guest.get_by_role("navigation", name="Main")).to_be_visible()
        again = self.fresh()
        again.goto(link)
        expect(again.get_by_text("no longer, good")).to_be_visible()

    def test_the_lead_decides_what_becomes_of_a_machine(self) -> None:
        lead = self.sign_in("lead")
        lead.goto("/rounds")
        lead.get_by_role("link", name="Minutes and money").click()
        expect(lead.get_by_role("heading", name="To decide", level=1)).to_be_visible()
        self.assert_accessible(lead, "minutes and money")
        lead.get_by_role("button", name="Decide of Carrick").click()
        lead.get_by_label("Why").fill("The board is under way already.")
        lead.get_by_role("button", name="Keep it", exact=True).last.click()
        # Of others something may speak still.
        expect(lead.get_by_role("button", name="Decide of Carrick")).to_be_hidden()
        lead.get_by_role("button", name="More of Carrick").click()
        expect(lead.get_by_text("The board is under way already.")).to_be_visible()
