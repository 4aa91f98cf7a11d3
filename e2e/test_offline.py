"""Without network: the application opens, shows what was seen, and says how old it is."""

from __future__ import annotations

import os
import re
import signal
import tempfile
from io import BytesIO
from pathlib import Path

from PIL import Image
from playwright.sync_api import BrowserContext, Page, expect

from .app import CHROMIUM, FLAGS, AppCase, address, playwright, wav_file
from .test_paths import SOUND


def device(folder: str) -> BrowserContext:
    """A browser with a disk of its own, as a tablet has."""
    return playwright().chromium.launch_persistent_context(
        folder, executable_path=CHROMIUM, args=FLAGS, base_url=address(), viewport={"width": 1280, "height": 800}
    )


def kill(folder: str) -> None:
    """The battery is flat: every process of that browser ends at once."""
    for process in Path("/proc").glob("[0-9]*"):
        try:
            if folder.encode() in (process / "cmdline").read_bytes():
                os.kill(int(process.name), signal.SIGKILL)
        except (FileNotFoundError, ProcessLookupError):
            continue


def measured(page: Page) -> set[str]:
    """What was measured on the fifth machine lately."""
    lines = page.request.get("/api/printers/5/record").json()["lines"]
    return {line["capture_id"] for line in lines if line["capture_id"]}


def picture() -> bytes:
    made = BytesIO()
    Image.new("RGB", (320, 240), "#8a9aa0").save(made, "PNG")
    return made.getvalue()


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

        page.get_by_role("button", name="Look again").click()
        expect(line).to_contain_text("kept on this device")

        # Once the network is back it is looked for by itself; whether the button is still there then is a matter of moments.
        page.context.set_offline(False)
        expect(line).to_have_count(0, timeout=120000)

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

    def test_what_is_entered_without_network_outlives_a_flat_battery_and_arrives_once(self) -> None:
        folder = tempfile.mkdtemp(prefix="kestov-e2e-")
        page = self.sign_in_with(device(folder), "tech2")
        page.goto("/bench/5/steps/y")
        before = measured(page)
        page.get_by_label("Steps per mm now").fill("79")
        page.get_by_label(re.compile("reading 1")).click()
        for figure in ("98.81", "98.80", "98.82"):
            page.keyboard.type(figure)
            page.keyboard.press("Enter")
        page.context.set_offline(True)
        page.get_by_role("button", name="Work it out").click()
        expect(page.get_by_text("the figure comes when the network is back")).to_be_visible(timeout=120000)
        page.context.set_offline(False)
        # It goes out by itself, and the figure comes.
        waiting = page.get_by_role("region", name="Kept on this device")
        expect(waiting).to_have_count(0, timeout=120000)
        expect(page.get_by_text(re.compile("M92 Y")).first).to_be_visible()
        expect(page.get_by_text("Kept on this device")).to_have_count(0)
        self.assertEqual(len(measured(page) - before), 1)

        page.goto("/report/4")
        page.get_by_role("button", name="Wall leans", exact=True).click()
        page.get_by_label("Anything else?").fill("Seen while the wireless was away.")
        page.get_by_label("A picture of the print").set_input_files(
            files=[{"name": "print.png", "mimeType": "image/png", "buffer": picture()}]
        )
        page.context.set_offline(True)
        page.get_by_role("button", name=re.compile("Send")).click()
        expect(page.get_by_role("heading", name="Kept on this device")).to_be_visible(timeout=120000)
        expect(waiting).to_contain_text("One entry is kept here")
        self.assert_accessible(page, "a report that waits")
        self.contexts.clear()
        kill(folder)

        again = self.sign_in_with(device(folder), "tech2")
        expect(again.get_by_role("region", name="Kept on this device")).to_have_count(0, timeout=120000)
        again.goto("/cases")
        again.get_by_label("Search").fill("wireless was away")
        case = again.get_by_role("main").get_by_role("listitem")
        expect(case).to_have_count(1)
        case.get_by_role("link").first.click()
        expect(again.get_by_text("Seen while the wireless was away.").first).to_be_visible()
        expect(again.locator("figure img")).to_have_count(1)

    def test_a_round_of_two_machines_goes_on_without_network_and_arrives(self) -> None:
        page = self.sign_in("tech2", service_workers="allow")
        page.evaluate("navigator.serviceWorker.ready.then(() => true)")
        page.reload()
        page.wait_for_function("navigator.serviceWorker.controller !== null")
        page.goto("/rounds")
        page.get_by_role("button", name="Several in one go").click()
        for machine in ("Halyard", "Windlass"):
            page.get_by_label(f"{machine} in this go").check()
        page.get_by_role("link", name="Begin with Halyard").click()
        first = page.get_by_role("heading", level=1)
        page.get_by_role("button", name=re.compile("It is|It has")).click()
        expect(page.get_by_text("; then Windlass")).to_be_visible()
        page.wait_for_load_state("networkidle")
        task = first.inner_text()

        page.context.set_offline(True)
        page.keyboard.press("1")
        kept = page.get_by_role("region", name="Entered here and not sent yet")
        expect(kept).to_contain_text(f"Halyard: {task}: all fine", timeout=120000)
        expect(first).not_to_have_text(task)
        # The device was laid aside, and opens where it was.
        page.reload()
        page.get_by_role("button", name=re.compile("It is|It has")).click()
        expect(first).not_to_have_text(task)
        page.goto(page.url.replace("/rounds/4?then=6", "/rounds/6"))
        expect(page.get_by_role("link", name="Windlass")).to_be_visible()

        page.context.set_offline(False)
        expect(page.get_by_role("region", name="Kept on this device")).to_have_count(0, timeout=120000)
        lines = page.request.get("/api/printers/4/record").json()["lines"]
        self.assertEqual(sum(line["words"] == f"Round: {task}: all fine" for line in lines), 1)

    def test_a_whole_sitting_without_network_comes_in_order_with_its_times(self) -> None:
        folder = tempfile.mkdtemp(prefix="kestov-e2e-")
        page = self.sign_in_with(device(folder), "tech2")
        page.goto("/report/3")
        page.get_by_role("button", name="Squeak or creak", exact=True).click()
        page.get_by_role("button", name=re.compile("Send")).click()
        page.get_by_role("button", name=re.compile("Take it")).click()
        page.get_by_text("Other checks, and what each would save").wait_for()
        case = page.url
        bench = f"/bench/3/belts/x?case={case.rsplit('/', 1)[1]}"
        page.goto(bench)
        load = page.get_by_label("Recording of the plucked belt")
        load.set_input_files(wav_file("belt.wav", SOUND))
        turned = page.get_by_role("button", name=re.compile("Done, measure again"))
        turned.wait_for(timeout=120000)

        page.context.set_offline(True)
        turned.click()
        waits = page.get_by_role("status").filter(has_text="what it changed is learned then")
        expect(waits).to_be_visible(timeout=120000)
        load.set_input_files(wav_file("belt.wav", SOUND))
        expect(page.get_by_text("the figure comes when the network is back")).to_be_visible(timeout=120000)
        kept = page.get_by_role("region", name="Kept on this device")
        expect(kept).to_contain_text("2 entries are kept here")
        self.contexts.clear()
        kill(folder)

        again = self.sign_in_with(device(folder), "tech2")
        again.goto(case)
        log = again.get_by_role("listitem")
        expect(log.filter(has_text=re.compile("^Turned the tensioner"))).to_have_count(1, timeout=60000)
        expect(log.filter(has_text=re.compile("^Plucked belt X"))).to_have_count(2, timeout=60000)
        expect(again.get_by_role("region", name="Kept on this device")).to_have_count(0, timeout=60000)
        told = again.request.get(f"/api/printers/3/rounds?place=x&case_id={case.rsplit('/', 1)[1]}").json()
        self.assertEqual(
            [(r["number"], len(r["actions"]), len(r["readings"])) for r in told["rounds"]], [(1, 1, 1), (2, 0, 1)]
        )
        lines = again.request.get("/api/printers/3/record").json()["lines"]
        times = [x["at"] for x in lines if x["kind"] in ("measured", "turned")][:3]
        self.assertEqual(times, sorted(times, reverse=True))
