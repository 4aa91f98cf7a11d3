"""Without network: the application opens, shows what was seen, and says how old it is."""

from __future__ import annotations

from playwright.sync_api import expect

from .app import AppCase


class Offline(AppCase):
    def test_it_opens_without_network_and_says_what_it_shows(self) -> None:
        page = self.sign_in("tech", service_workers="allow")
        page.evaluate("navigator.serviceWorker.ready.then(() => true)")
        # What is seen from here on is kept.
        page.reload()
        page.wait_for_function("navigator.serviceWorker.controller !== null")
        page.goto("/machines/1")
        heading = page.get_by_role("heading", level=1)
        name = heading.inner_text()
        page.wait_for_load_state("networkidle")

        page.context.set_offline(True)
        page.reload()
        expect(heading).to_have_text(name)
        line = page.get_by_role("status").filter(has_text="The workshop cannot be reached.")
        expect(line).to_contain_text("kept on this device")
        self.assert_accessible(page, "without network")

        page.context.set_offline(False)
        page.get_by_role("button", name="Look again").click()
        expect(line).to_have_count(0)

    def test_nothing_seen_is_left_on_the_device_once_signed_out(self) -> None:
        page = self.sign_in("tech", service_workers="allow")
        page.evaluate("navigator.serviceWorker.ready.then(() => true)")
        page.reload()
        page.wait_for_function("caches.open('seen').then(c => c.keys()).then(k => k.length > 0)")
        page.get_by_role("navigation", name="Main").wait_for()
        page.locator("header").get_by_role("button").last.click()
        page.get_by_role("menuitem", name="Sign out").click()
        page.get_by_label("Name to sign in with").wait_for()
        page.wait_for_function("caches.open('seen').then(c => c.match('/api/floor')).then(m => m === undefined)")
        page.context.set_offline(True)
        page.reload()
        expect(page.get_by_role("navigation", name="Main")).to_have_count(0)
