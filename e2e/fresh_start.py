"""From nothing to a first account, as the README says. Run in a copy of the project that was never set up.

Not found by discovery (it takes minutes and sets the copy up); ``./kestov test fresh`` runs it in a new folder.
"""

from __future__ import annotations

import http.cookiejar
import json
import os
import re
import signal
import socket
import subprocess
import sys
import time
import unittest
import urllib.error
import urllib.request
from collections.abc import Callable
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
sys.path.append(str(ROOT / "ops"))

from cluster import Cluster  # noqa: E402


def free_port() -> int:
    with socket.socket() as s:
        s.bind(("127.0.0.1", 0))
        return int(s.getsockname()[1])


class Started:
    """A running ``./kestov start``; ``said`` holds all lines up to the one that says how to stop it."""

    def __init__(self, *options: str) -> None:
        self.port, self.practice_port = free_port(), free_port()
        begin = time.monotonic()
        self.process = subprocess.Popen(
            [
                *("./kestov", "start", "--empty", "--port", str(self.port)),
                *("--practice-port", str(self.practice_port), *options),
            ],
            cwd=ROOT,
            stdout=subprocess.PIPE,
            stderr=subprocess.STDOUT,
            text=True,
            start_new_session=True,
        )
        self.said = ""
        assert self.process.stdout
        for line in self.process.stdout:
            self.said += line
            if line.startswith("Ctrl-C"):
                break
        self.seconds = time.monotonic() - begin
        self.address = f"http://127.0.0.1:{self.port}"

    def session(self, port: int = 0) -> dict[str, object]:
        with urllib.request.urlopen(f"http://127.0.0.1:{port or self.port}/api/session", timeout=10) as answer:
            state: dict[str, object] = json.load(answer)
            return state

    def end(self, how: signal.Signals = signal.SIGINT) -> int:
        self.process.send_signal(how)
        try:
            return self.process.wait(30)
        finally:
            assert self.process.stdout
            self.process.stdout.close()


class FreshStart(unittest.TestCase):
    def test_from_nothing_to_an_account_that_survives_a_kill(self) -> None:
        first = Started()
        try:
            self.assertIn("Kestov is ready", first.said)
            code = re.search(r"/first\?code=([\w-]+)", first.said)
            assert code, first.said
            self.assertTrue(first.session()["first_account"])
            self._make_account(first.address, code.group(1))
            self._practice_is_apart(first)
        finally:
            ended = first.end()
        self.assertEqual(ended, 0)
        self.assertFalse(list((ROOT / ".state").rglob("postmaster.pid")), "the database was left running")

        second = Started()
        killed = False
        try:
            self.assertFalse(second.session()["first_account"])
            self._comes_back(second)
            # Set up already: nothing is installed, made or built a second time.
            self.assertNotIn("Installing", second.said)
            self.assertNotIn("Building", second.said)
            killed = True
        finally:
            if not killed:
                second.end()
            else:
                second.end(signal.SIGKILL)
        third = Started()
        try:
            self.assertIn("Kestov is ready", third.said)
            self.assertFalse(third.session()["first_account"], "the account was lost")
            again = subprocess.run(
                ["./kestov", "start", "--empty"], cwd=ROOT, capture_output=True, text=True, timeout=300
            )
            self.assertEqual(again.returncode, 1)
            self.assertIn("already running", again.stderr)
        finally:
            third.end()

        with socket.socket() as taken:
            taken.bind(("127.0.0.1", 0))
            taken.listen()
            port = str(taken.getsockname()[1])
            refused = subprocess.run(
                ["./kestov", "start", "--empty", "--port", port], cwd=ROOT, capture_output=True, text=True, timeout=300
            )
        self.assertEqual(refused.returncode, 1)
        self.assertIn("taken by another program", refused.stderr)

    def _practice_is_apart(self, started: Started) -> None:
        """Practice comes up beside the workshop, knows nobody of it, and its role reaches no other database."""
        port = started.practice_port
        self._until(started, lambda: started.session(port)["practice"] is True)
        self.assertEqual(started.session(port)["beside"], str(started.port))
        self.assertEqual(started.session()["beside"], str(port))
        cluster = Cluster()
        theirs = cluster.beside(cluster.settings.read_text().strip(), "practice")
        self.assertEqual(cluster._psql(theirs, "practice", "select count(*) from people_user").stdout.strip(), "0")
        self.assertNotEqual(cluster._psql(theirs, "kestov", "select 1").returncode, 0)
        ours = cluster.settings.read_text().strip()
        self.assertNotEqual(cluster._psql(ours, "practice", "select 1").returncode, 0)

    def _comes_back(self, started: Started) -> None:
        """The web server's main is killed, the worker, the database: all are started again, and what was there is there."""
        web = int((ROOT / ".state" / "web.pid").read_text())
        os.kill(web, signal.SIGKILL)
        self._until(started, lambda: not started.session()["first_account"])
        self.assertNotEqual(web, int((ROOT / ".state" / "web.pid").read_text()))
        worker = int((ROOT / ".state" / "worker.pid").read_text())
        os.kill(worker, signal.SIGKILL)
        self._until(started, lambda: int((ROOT / ".state" / "worker.pid").read_text()) != worker)
        worker = int((ROOT / ".state" / "worker.pid").read_text())
        database = (Cluster().data / "postmaster.pid").read_text().split("\n")[0]
        os.kill(int(database), signal.SIGKILL)
        self._until(started, lambda: not started.session()["first_account"])
        self.assertEqual(
            int((ROOT / ".state" / "worker.pid").read_text()),
            worker,
            "the worker ended though only its database was away",
        )

    def _until(self, started: Started, holds: Callable[[], bool]) -> None:
        """Wait, long, until it holds; while it is away it says so, and when to come again."""
        for _ in range(600):
            try:
                if holds():
                    return
            except urllib.error.HTTPError as e:
                self.assertEqual((e.code, e.headers["Retry-After"], json.load(e)["code"]), (503, "5", "away"))
            except OSError:
                pass
            time.sleep(0.1)
        self.fail(f"It did not come back. It said: {started.said}")

    def _make_account(self, address: str, code: str) -> None:
        jar = http.cookiejar.CookieJar()
        opener = urllib.request.build_opener(urllib.request.HTTPCookieProcessor(jar))
        opener.open(f"{address}/", timeout=10).read()
        token = next(c.value for c in jar if c.name == "csrftoken")
        body = {"code": code, "username": "ebb", "name": "Ebba Quill", "password": "a-long-wet-rope"}
        request = urllib.request.Request(
            f"{address}/api/first-account",
            json.dumps(body).encode(),
            {"Content-Type": "application/json", "X-CSRFToken": token or "", "Referer": address},
        )
        with opener.open(request, timeout=10) as answer:
            self.assertEqual(json.load(answer)["me"]["role"], "lead")


if __name__ == "__main__":
    unittest.main()
