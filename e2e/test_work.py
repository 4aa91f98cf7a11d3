"""Long work in the pages: a record by an instrument on the network, and what a new core would change."""

from __future__ import annotations

import re

from playwright.sync_api import expect

from .app import AppCase


class LongWork(AppCase):
    def test_an_instrument_records_while_the_page_follows(self) -> None:
        page = self.sign_in("tech")
        page.goto("/bench/2/resonance/y")
        again, taken_with = page.get_by_role("button", name="Record again"), page.get_by_label("Taken with")
        again.or_(taken_with).first.wait_for()
        if again.count():
            again.click()
        taken_with.select_option(label="Accelerometer on the bench")
        page.get_by_role("button", name="Record 20 seconds").click()
        expect(page.get_by_role("button", name="Stop", exact=True)).to_be_visible()
        page.get_by_role("img", name=re.compile("spectrum|Spectrum")).first.wait_for(timeout=60000)
        newest = page.request.get("/api/printers/2/record").json()["lines"][0]
        capture = page.request.get(f"/api/captures/{newest['capture_id']}").json()
        self.assertEqual((capture["source"], capture["place"]), ("network", "y"))

    def test_what_a_new_core_changes_is_shown_and_decided(self) -> None:
        page = self.sign_in("lead")
        page.goto("/workshop")
        page.get_by_role("tab", name="Long work").click()
        page.get_by_label("Which machine").select_option(label="Marline")
        page.get_by_label("Also what this version has computed").check()
        page.get_by_role("button", name="Compute, and show what changes").click()
        stand = page.get_by_role("button", name="Let it stand")
        stand.wait_for(timeout=60000)
        expect(page.get_by_text(re.compile("No verdict of [0-9]+ changes"))).to_be_visible()
        self.assert_accessible(page, "long work")
        stand.click()
        expect(page.get_by_text(re.compile("[0-9]+ results taken over."))).to_be_visible(timeout=60000)
        expect(stand).to_have_count(0)
