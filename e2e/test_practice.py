"""Practice: from the workshop into a lesson, by looking, measuring and mending to its account; with the advice and without it."""

from __future__ import annotations

from playwright.sync_api import Page, expect

from .app import AppCase
from .test_paths import say


class Practice(AppCase):
    def into(self, who: str) -> Page:
        page = self.sign_in(who)
        page.goto("/practice")
        expect(page.get_by_role("heading", name="Practice", level=1)).to_be_visible()
        self.assert_accessible(page, "the way to practice")
        page.get_by_role("button", name="Go to practice").click()
        expect(page.get_by_role("heading", name="Lessons", level=1)).to_be_visible()
        return page

    def test_a_lesson_from_the_complaint_to_the_account(self) -> None:
        page = self.into("member2")
        paper = page.evaluate("getComputedStyle(document.body).backgroundColor")
        self.assert_accessible(page, "the lessons")
        page.get_by_role("button", name=say("^Begin: Steps, now and then")).click()
        bar = page.get_by_role("region", name="Lesson")
        expect(bar).to_contain_text("Plugged in")
        # The part as it was brought.
        bar.get_by_role("button", name="Look at the print").click()
        expect(page.get_by_role("img", name=say("Wall along Y. .*line at both ends"))).to_be_visible()
        self.assert_accessible(page, "the print")
        page.get_by_role("button", name="Close", exact=True).last.click()
        # Unplugged, and looked at.
        bar.get_by_role("button", name="Unplug it").click()
        expect(bar).to_contain_text("Unplugged")
        page.get_by_text("Other checks, and what each would save").click()
        marks = page.get_by_role("listitem").filter(has_text=say("Grub-screw marks, Y"))
        longer = page.get_by_text(say("Those that take longer than"))
        if longer.count() and not marks.first.is_visible():
            longer.click()
        marks.get_by_role("button", name="Do this").click()
        page.get_by_role("button", name="Do it on the machine").click()
        expect(page.get_by_text("the pen line is broken")).to_be_visible()
        self.assert_accessible(page, "what is met")
        page.get_by_role("checkbox", name=say("pen mark over shaft and pulley")).check()
        page.get_by_role("button", name="That was found").click()
        # Mended, and printed again.
        expect(page.get_by_role("heading", name=say("^Mend: Grub screw"))).to_be_visible()
        page.get_by_role("button", name="Do it on the machine").first.click()
        expect(page.get_by_text("before you say that it helped")).to_be_visible()
        bar.get_by_role("button", name="Plug it in").click()
        expect(bar).to_contain_text("Plugged in")
        bar.get_by_role("button", name="Look at the print").click()
        page.get_by_role("button", name=say("Print it again")).click()
        expect(page.get_by_role("heading", name="The part, printed again")).to_be_visible()
        expect(page.get_by_role("img", name=say("Wall along Y. .*line at both ends"))).to_be_hidden()
        page.get_by_role("button", name="Close", exact=True).last.click()
        page.get_by_role("button", name="Done, it is gone").click()
        page.get_by_role("button", name="Close it").click()
        page.get_by_label(say("What was it")).first.fill("The grub screw of Y had come loose.")
        page.get_by_role("button", name="Close the case").click()
        bar.get_by_role("button", name="See what was true").click()
        expect(page.get_by_role("heading", level=1, name=say("^Put right"))).to_be_visible()
        expect(page.get_by_text(say("It was: Grub screw of a pulley loose, Y"))).to_be_visible()
        self.assert_accessible(page, "the account")
        page.get_by_role("link", name="To the lessons").click()
        expect(page.get_by_text(say("put right.*: .* min, the advice")).first).to_be_visible()
        # Nothing of it is in the workshop, and its paper is another.
        page.get_by_role("link", name="Back to the workshop").click()
        expect(page.get_by_role("link", name="Floor")).to_be_visible()
        self.assertNotEqual(page.evaluate("getComputedStyle(document.body).backgroundColor"), paper)
        expect(page.get_by_text("Sanderling")).to_be_hidden()

    def test_without_the_advice_what_is_not_safe_ends_it(self) -> None:
        page = self.into("tech2")
        page.get_by_role("checkbox", name=say("Without the advice")).check()
        page.get_by_role("button", name=say("^Begin: Everything is a little short")).click()
        expect(page.get_by_role("heading", name="What next?")).to_be_visible()
        expect(page.get_by_role("heading", name="What it may be")).to_be_hidden()
        self.assert_accessible(page, "a lesson without the advice")
        page.get_by_label("What is mended").select_option("guide_binding")
        page.get_by_role("button", name="Do it on the machine").click()
        expect(page.get_by_role("heading", level=1, name="Stopped: that was not safe")).to_be_visible()
        expect(page.get_by_text("done with the machine plugged in")).to_be_visible()

    def test_the_lead_gives_something_to_do_alone_with_the_record_before_them(self) -> None:
        page = self.into("member")
        page.get_by_role("button", name=say("^Begin: A smell at the back")).click()
        expect(page.get_by_role("heading", name=say("^Stop: unplug"))).to_be_visible()
        page.get_by_role("region", name="Lesson").get_by_role("button", name="End the lesson").click()
        page.get_by_role("button", name="Give it up").click()
        expect(page.get_by_role("heading", level=1, name="Not put right")).to_be_visible()

        lead = self.into("lead")
        people = lead.locator("section").filter(has_text="Who practises")
        people.get_by_role("button", name=say(": 1 lesson")).first.click()
        expect(people.get_by_text("A smell at the back").first).to_be_visible()
        lead.goto(lead.get_by_role("link", name="Back to the workshop").get_attribute("href") or "")
        lead.goto("/alone")
        lead.get_by_label("Technician").select_option(label="Oda Fenwright")
        lead.get_by_label("Give").select_option(label="Mend: Belt slack")
        lead.get_by_label("Why").fill("Done under my eyes, five times.")
        lead.get_by_role("button", name="Oda Fenwright may do it alone").click()
        expect(lead.get_by_text("Done under my eyes, five times.")).to_be_visible()
        self.assert_accessible(lead, "who may do what alone")
        lead.get_by_role("button", name="Take back: Mend: Belt slack").click()
        expect(lead.get_by_text("Nothing yet.")).to_be_visible()
