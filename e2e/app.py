"""The application under test: the real server on the demo workshop, and a real browser before it."""

from __future__ import annotations

import atexit
import os
import socket
import subprocess
import sys
import tempfile
import time
import unittest
import urllib.request
from functools import cache
from pathlib import Path
from typing import Any

from playwright.sync_api import Browser, BrowserContext, Page, Playwright, expect, sync_playwright

ROOT = Path(__file__).resolve().parent.parent
sys.path.append(str(ROOT / "ops"))

import serving  # noqa: E402

#: Databases are named by which half of the tests this process runs.
_OWN = f"kestov_browser_{os.environ.get('KESTOV_BROWSER_HALF', '')}"
AXE = ROOT / "web" / "node_modules" / "axe-core" / "axe.min.js"
CHROMIUM = "/usr/bin/chromium"
#: What is waited for is waited for long: no test hangs on how quick the machine is (ms).
PATIENCE = 60_000
expect.set_options(timeout=PATIENCE)
FLAGS = ["--no-sandbox", "--disable-gpu", "--disable-background-networking"]


@cache
def address() -> str:
    """Start the server once for all tests, on a database of its own filled with the demo workshop."""
    import psycopg

    base, _, _ = os.environ["DATABASE_URL"].rpartition("/")
    with psycopg.connect(f"{base}/postgres", autocommit=True) as db:
        db.execute(f"drop database if exists {_OWN} with (force)")
        db.execute(f"create database {_OWN}")
    with socket.socket() as s:
        s.bind(("127.0.0.1", 0))
        port = s.getsockname()[1]
    env = {
        **os.environ,
        "DATABASE_URL": f"{base}/{_OWN}",
        "PYTHONPATH": f"{ROOT / 'core'}{os.pathsep}{ROOT / 'server'}",
    }
    for command in (["migrate", "--verbosity", "0"], ["demo"]):
        subprocess.run(
            [sys.executable, "manage.py", *command], cwd=ROOT / "server", env=env, check=True, stdout=subprocess.DEVNULL
        )
    with socket.socket() as s:
        s.bind(("127.0.0.1", 0))
        shaker = f"127.0.0.1:{s.getsockname()[1]}"
    with psycopg.connect(env["DATABASE_URL"], autocommit=True) as db:
        db.execute("update workshop_instrument set address = %s where kind = 'accelerometer'", [shaker])
    beside = _practice(base, port)
    env |= {"KESTOV_POOL": "1", "KESTOV_INSTRUMENTS": shaker, "KESTOV_BESIDE": str(beside)}
    server = subprocess.Popen(serving.command("127.0.0.1", port, workers=1), cwd=ROOT / "server", env=env)
    worker = subprocess.Popen([sys.executable, "manage.py", "worker"], cwd=ROOT / "server", env=env)
    stand_in = subprocess.Popen(
        [sys.executable, ROOT / "ops" / "stand_in.py", *shaker.split(":")], env=env, stdout=subprocess.DEVNULL
    )
    for process in (server, worker, stand_in):
        atexit.register(process.terminate)
    url = f"http://127.0.0.1:{port}"
    for _ in range(200):
        try:
            urllib.request.urlopen(f"{url}/api/session", timeout=5).read()
            return url
        except OSError:
            time.sleep(0.1)
    raise RuntimeError("the server does not answer")


def _practice(base: str, workshop: int) -> int:
    """Practice beside it, on a database of its own, as ``start`` serves it; its port."""
    import psycopg

    with psycopg.connect(f"{base}/postgres", autocommit=True) as db:
        db.execute(f"drop database if exists {_OWN}_practice with (force)")
        db.execute(f"create database {_OWN}_practice")
    with socket.socket() as s:
        s.bind(("127.0.0.1", 0))
        port: int = s.getsockname()[1]
    env = {
        **os.environ,
        "DATABASE_URL": f"{base}/{_OWN}_practice",
        "PYTHONPATH": f"{ROOT / 'core'}{os.pathsep}{ROOT / 'server'}",
        "KESTOV_PRACTICE": "1",
        "KESTOV_BESIDE": str(workshop),
    }
    serve = serving.command("127.0.0.1", port, workers=1)
    server = subprocess.Popen([sys.executable, "manage.py", "practise", "--", *serve], cwd=ROOT / "server", env=env)
    atexit.register(server.terminate)
    return port


@cache
def playwright() -> Playwright:
    """The one driver of this process."""
    started = sync_playwright().start()
    atexit.register(started.stop)
    return started


class AppCase(unittest.TestCase):
    """A browser of its own for each class; ``sign_in`` opens a page as somebody of the demo workshop."""

    flags: list[str] = []
    browser: Browser

    @classmethod
    def setUpClass(cls) -> None:
        address()
        cls.browser = playwright().chromium.launch(executable_path=CHROMIUM, args=[*FLAGS, *cls.flags])

    @classmethod
    def tearDownClass(cls) -> None:
        cls.browser.close()

    def setUp(self) -> None:
        self.contexts: list[BrowserContext] = []
        self.complaints: list[str] = []

    def tearDown(self) -> None:
        for context in self.contexts:
            context.close()
        self.assertEqual(self.complaints, [], "errors in the browser's console")

    def sign_in(self, who: str, width: int = 1280, height: int = 800, **options: Any) -> Page:
        # The worker that keeps answers on the device is tried in a test of its own; it hides requests from the others.
        options.setdefault("service_workers", "block")
        context = self.browser.new_context(viewport={"width": width, "height": height}, base_url=address(), **options)
        return self.sign_in_with(context, who)

    def fresh(self, width: int = 1280, height: int = 800) -> Page:
        """A page of somebody who has no account."""
        context = self.browser.new_context(
            viewport={"width": width, "height": height}, base_url=address(), service_workers="block"
        )
        context.set_default_timeout(PATIENCE)
        self.contexts.append(context)
        page = context.new_page()
        page.on("pageerror", lambda e: self.complaints.append(str(e)))
        return page

    def sign_in_with(self, context: BrowserContext, who: str) -> Page:
        """A page of this context as somebody of the demo workshop; it may be that they still are signed in there."""
        context.set_default_timeout(PATIENCE)
        self.contexts.append(context)
        page = context.new_page()
        page.on("pageerror", lambda e: self.complaints.append(str(e)))
        page.goto("/")
        inside = page.get_by_role("navigation", name="Main")
        name = page.get_by_label("Name to sign in with")
        inside.or_(name).wait_for()
        if name.count():
            name.fill(who)
            page.get_by_label("Password").fill(f"tide-table-{who}")
            page.keyboard.press("Enter")
        inside.wait_for()
        return page

    def assert_accessible(self, page: Page, what: str) -> None:
        """Axe finds nothing, by the rules of WCAG 2.2 AA."""
        page.wait_for_load_state("networkidle")
        page.evaluate(AXE.read_text())
        found = page.evaluate(
            "axe.run({runOnly: ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa', 'best-practice']})"
            ".then(r => r.violations.map(v => v.id + ': ' + v.nodes.map(n => n.html).slice(0, 2).join(' | ')))"
        )
        self.assertEqual(found, [], what)


def wav_file(name: str, data: bytes) -> Path:
    """A file on disk for a browser to load or to play as its microphone."""
    path = Path(tempfile.mkdtemp(prefix="kestov-e2e-")) / name
    path.write_bytes(data)
    return path
