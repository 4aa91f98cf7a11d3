"""A Kestov that runs on a database of its own, looked after as ``start`` does, and people who use it over the network."""

from __future__ import annotations

import http.client
import json
import os
import shutil
import subprocess
import sys
import threading
import time
import uuid
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

ROOT = Path(__file__).resolve().parent.parent
sys.path += [str(ROOT / "ops"), str(ROOT / "core"), str(ROOT / "server")]

import serving  # noqa: E402
import start  # noqa: E402
from cluster import Cluster, free_port  # noqa: E402
from parts import Part  # noqa: E402
from words import STATE, Trouble  # noqa: E402


class Running:
    """Kestov with a small workshop in it, as a context; what is killed of it comes back, since `start` looks after it.

    ``disk_mb``: its database on a disk of that size, where this machine lets us make one; ``own_disk`` says whether.
    """

    def __init__(self, workers: int = 2, disk_mb: int = 0) -> None:
        self.workers = workers
        self.cluster = Cluster("postgres-disk" if disk_mb else "postgres-bench", throwaway=True, sure=True)
        self.own_disk = bool(disk_mb) and self._mount(disk_mb)
        self.port = free_port(18700)
        self.env: dict[str, str] = {}
        self.web: Part | None = None
        self.worker: Part | None = None
        self.trouble: str = ""

    def __enter__(self) -> Running:
        url = self.cluster.start()
        self._fresh(url)
        self.env |= {
            **os.environ, "DATABASE_URL": url, "KESTOV_STATE": str(STATE), "KESTOV_POOL": "1", "KESTOV_HOSTS": "127.0.0.1,testserver",
            "PYTHONPATH": os.pathsep.join((str(ROOT / "core"), str(ROOT / "server"))),
        }  # fmt: skip
        subprocess.run([sys.executable, str(Path(__file__).with_name("_workshop.py"))], env=self.env, check=True)
        self.web = Part("The web server", self._serve)
        self.worker = Part("The worker", self._work)
        for part in (self.web, self.worker):
            part.start()
        threading.Thread(target=self._watch, daemon=True).start()
        self.wait()
        return self

    def __exit__(self, *_: object) -> None:
        for part in (self.web, self.worker):
            if part is not None:
                part.stop()
        self.cluster.stop()
        if self.own_disk:
            subprocess.run(["umount", "-l", self.cluster.folder], check=False)

    def _mount(self, size_mb: int) -> bool:
        folder = self.cluster.folder
        shutil.rmtree(folder, ignore_errors=True)
        folder.mkdir(parents=True, exist_ok=True)
        command = ["mount", "-t", "tmpfs", "-o", f"size={size_mb}m", "tmpfs", str(folder)]
        return os.geteuid() == 0 and subprocess.run(command, capture_output=True).returncode == 0

    def _fresh(self, url: str) -> None:
        for sql in ("drop database if exists kestov with (force)", "create database kestov"):
            self.cluster._psql(url, "postgres", sql)

    def _serve(self) -> subprocess.Popen[bytes]:
        return subprocess.Popen(
            serving.command("127.0.0.1", self.port, self.workers), cwd=ROOT / "server", env=self.env,
            start_new_session=True, preexec_fn=start.end_with_parent, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL,
        )  # fmt: skip

    def _work(self) -> subprocess.Popen[bytes]:
        return subprocess.Popen(
            [sys.executable, "manage.py", "worker"], cwd=ROOT / "server", env=self.env, start_new_session=True,
            preexec_fn=start.end_with_parent, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL,
        )  # fmt: skip

    def _watch(self) -> None:
        assert self.web is not None and self.worker is not None
        try:
            start._watch(self.cluster, [self.web, self.worker], self.env)
        except Trouble as e:
            self.trouble = str(e)

    def wait(self) -> None:
        """Until it answers."""
        for _ in range(600):
            try:
                line = http.client.HTTPConnection("127.0.0.1", self.port, timeout=5)
                line.request("GET", "/api/health")
                if line.getresponse().status == 200:
                    return
            except OSError:
                pass
            time.sleep(0.1)
        raise SystemExit(f"It does not answer. {self.trouble}")

    def processes(self) -> list[int]:
        """The web server's main, then its workers."""
        assert self.web is not None and self.web.process is not None
        main = self.web.process.pid
        children = Path(f"/proc/{main}/task/{main}/children").read_text().split()
        return [main, *map(int, children)]

    def memory(self) -> float:
        """What the web server holds, with its workers (MB)."""
        total = 0
        for pid in self.processes():
            try:
                total += int(Path(f"/proc/{pid}/statm").read_text().split()[1]) * os.sysconf("SC_PAGE_SIZE")
            except OSError:
                continue
        return total / 1e6


@dataclass
class Person:
    """Somebody with a browser: signed in, with the forgery token, on a line of their own. ``more``: headers that it sends, too."""

    port: int
    username: str
    host: str = "127.0.0.1"
    more: dict[str, str] = field(default_factory=dict)
    cookies: dict[str, str] = field(default_factory=dict)
    line: http.client.HTTPConnection | None = None

    def sign_in(self, password: str) -> Person:
        """As the page does it."""
        self.ask("GET", "/")
        status, answer = self.ask("POST", "/api/session", {"username": self.username, "password": password})
        if status != 200:
            raise SystemExit(f"{self.username} cannot sign in: {status} {answer}")
        return self

    def ask(
        self, method: str, path: str, body: Any = None, key: str = "", form: bytes | None = None, kind: str = ""
    ) -> tuple[int, Any]:
        """One request; (0, why) where the network or the server was away."""
        headers = {
            "Cookie": "; ".join(f"{k}={v}" for k, v in self.cookies.items()),
            "X-CSRFToken": self.cookies.get("csrftoken", ""),
            **self.more,
        }
        data = form if form is not None else json.dumps(body).encode() if body is not None else None
        if data is not None:
            headers["Content-Type"] = kind or "application/json"
        if method != "GET":
            headers["Idempotency-Key"] = key or str(uuid.uuid4())
        try:
            answer, text = self._sent(method, path, data, headers)
        except (OSError, http.client.HTTPException) as e:
            self.line = None
            return 0, repr(e)
        for name, value in answer.getheaders():
            if name.lower() == "set-cookie":
                cookie, _, told = value.split(";")[0].partition("=")
                self.cookies[cookie] = told
        is_json = "json" in (answer.getheader("Content-Type") or "")
        return answer.status, json.loads(text) if is_json else text

    def _sent(
        self, method: str, path: str, data: bytes | None, headers: dict[str, str]
    ) -> tuple[http.client.HTTPResponse, bytes]:
        """Over the line that is open; a line that the server has let go meanwhile is taken anew, as a browser does."""
        fresh = self.line is None
        self.line = self.line or http.client.HTTPConnection(self.host, self.port, timeout=60)
        try:
            self.line.request(method, path, data, headers)
            answer = self.line.getresponse()
        except (http.client.RemoteDisconnected, ConnectionError):
            if fresh:
                raise
            self.line = None
            return self._sent(method, path, data, headers)
        return answer, answer.read()


def form_of(fields: dict[str, str], name: str, file: bytes) -> tuple[bytes, str]:
    """A form with a file, and its content type."""
    mark = uuid.uuid4().hex
    parts = [
        f'--{mark}\r\nContent-Disposition: form-data; name="{k}"\r\n\r\n{v}\r\n'.encode() for k, v in fields.items()
    ]
    head = f'--{mark}\r\nContent-Disposition: form-data; name="file"; filename="{name}"\r\n\r\n'.encode()
    return b"".join([*parts, head, file, f"\r\n--{mark}--\r\n".encode()]), f"multipart/form-data; boundary={mark}"
