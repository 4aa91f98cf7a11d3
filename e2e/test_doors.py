"""Getting in and staying in: a forgotten password, one's devices, and a server that nobody holds up."""

from __future__ import annotations

import socket
from urllib.parse import urlsplit

from playwright.sync_api import expect

from .app import AppCase, address


class Accounts(AppCase):
    def test_a_forgotten_password_is_set_anew_by_the_leads_code_and_changed_again(self) -> None:
        lead = self.sign_in("lead")
        lead.goto("/workshop")
        lead.get_by_role("tab", name="People").click()
        lead.get_by_role("button", name="Forgotten password of Suna Marrow").click()
        code = lead.get_by_role("status").locator("b").inner_text()

        context = self.browser.new_context(base_url=address(), service_workers="block")
        self.contexts.append(context)
        page = context.new_page()
        page.goto("/")
        page.get_by_label("Name to sign in with", exact=True).fill("member2")
        page.get_by_text("Password forgotten?").click()
        self.assert_accessible(page, "a forgotten password")
        page.get_by_label("Code").fill("wrong-wrong")
        page.get_by_label("A new password").fill("rope and tide and tar")
        page.get_by_role("button", name="Set it and sign in").click()
        expect(page.get_by_role("alert")).to_contain_text("The code is not right")
        page.get_by_label("Code").fill(code.upper())
        page.get_by_role("button", name="Set it and sign in").click()
        page.get_by_role("navigation", name="Main").wait_for()

        page.get_by_role("button", name="Suna Marrow, member").click()
        page.get_by_role("menuitem", name="Password and devices").click()
        expect(page.get_by_role("heading", name="Where you are signed in")).to_be_visible()
        expect(page.get_by_text("here", exact=True)).to_be_visible()
        self.assert_accessible(page, "one's own account")
        page.get_by_label("The present one").fill("rope and tide and tar")
        page.get_by_label("A new one").fill("short")
        page.get_by_role("button", name="Change it").click()
        expect(page.get_by_role("alert")).to_contain_text("too short")
        page.get_by_label("A new one").fill("tide-table-member2")
        page.get_by_role("button", name="Change it").click()
        expect(page.get_by_text("Changed. Everywhere else you are signed out.")).to_be_visible()
        self.sign_in("member2")

    def test_one_signs_out_where_one_has_left_it_open(self) -> None:
        here, there = self.sign_in("tech2"), self.sign_in("tech2")
        here.goto("/me")
        rows = here.get_by_role("listitem").filter(has=here.get_by_role("button"))
        expect(rows).not_to_have_count(0)
        while rows.count():
            left = rows.count()
            rows.first.get_by_role("button").click()
            expect(rows).to_have_count(left - 1)
        there.goto("/cases")
        expect(there.get_by_role("heading", name="Sign in")).to_be_visible()
        here.reload()
        expect(here.get_by_role("heading", name="Your account")).to_be_visible()


class HalfSent(AppCase):
    def test_who_sends_halves_holds_nobody_up(self) -> None:
        """More of them than there are threads, for as long as they like; others come in meanwhile."""
        at = urlsplit(address())
        head = "POST /api/session HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Type: application/json\r\nContent-Length: 60\r\n\r\n"
        halves = []
        for _ in range(50):
            line = socket.create_connection((at.hostname or "", at.port or 0), timeout=60)
            line.sendall(f'{head}{{"username'.encode())
            halves.append(line)
        try:
            page = self.sign_in("tech")
            page.goto("/bench")
            expect(page.get_by_role("heading", level=1).first).to_be_visible()
        finally:
            # Told so, in the end, and let go.
            self.assertIn(b" 408 ", halves[0].recv(4000))
            for line in halves:
                line.close()
