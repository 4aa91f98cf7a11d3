"""Hosts of a bench: network namespaces on one bridge, each with its own Kestov; a proxy before them, and a way to the database."""

from __future__ import annotations

import contextlib
import http.client
import os
import signal
import subprocess
import threading
import time
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path

from _running import ROOT
from cluster import Cluster

#: The bridge's own address, on which proxy and database are; the name by which people reach the site.
BRIDGE, NAME = "10.87.0.1", "kestov.test"
_LINK = "kestov0"


def _ip(*words: str, check: bool = True) -> None:
    subprocess.run(["ip", *words], check=check, capture_output=True)


def bridge() -> None:
    """Make the bridge; one that was left behind is taken away."""
    unbridge()
    _ip("link", "add", _LINK, "type", "bridge")
    _ip("addr", "add", f"{BRIDGE}/24", "dev", _LINK)
    _ip("link", "set", _LINK, "up")


def unbridge() -> None:
    """Take the bridge away."""
    _ip("link", "del", _LINK, check=False)


class Host:
    """A machine of its own on the bridge, as far as the network and its state folder go, that runs one role."""

    def __init__(self, name: str, address: str, role: str, database: str, folder: Path) -> None:
        self.name, self.address, self.role = name, address, role
        self.database, self.state = database, folder / name
        self.process: subprocess.Popen[str] | None = None

    def start(self) -> None:
        """Make it, and start its role there."""
        self.state.mkdir(parents=True)
        _ip("netns", "del", self.name, check=False)
        _ip("netns", "add", self.name)
        _ip("link", "add", f"{self.name}o", "type", "veth", "peer", "name", f"{self.name}i")
        _ip("link", "set", f"{self.name}i", "netns", self.name)
        _ip("link", "set", f"{self.name}o", "master", _LINK)
        _ip("link", "set", f"{self.name}o", "up")
        for words in (["addr", "add", f"{self.address}/24", "dev", f"{self.name}i"], ["link", "set", f"{self.name}i", "up"], ["link", "set", "lo", "up"]):  # fmt: skip
            _ip("-n", self.name, *words)
        command = ["ip", "netns", "exec", self.name, str(ROOT / "kestov"), "start", "--empty", "--role", self.role]
        if self.role == "web":
            command += ["--bind", self.address, "--workers", "1", "--behind-proxy", "--proxy", BRIDGE, "--host", NAME]
        env = {**os.environ, "DATABASE_URL": self.database, "KESTOV_STATE": str(self.state)}
        self.process = subprocess.Popen(
            command, env=env, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True, start_new_session=True
        )

    def wait(self) -> None:
        """Until it says that it is ready."""
        assert self.process is not None and self.process.stdout is not None
        said = ""
        for line in self.process.stdout:
            said += line
            if line.startswith("Ctrl-C"):
                # Whatever it says later is not wanted; a full pipe would hold it.
                threading.Thread(target=self.process.stdout.read, daemon=True).start()
                return
        raise SystemExit(f"{self.name} did not start: {said}")

    def pids(self) -> list[int]:
        """Its processes."""
        done = subprocess.run(["ip", "netns", "pids", self.name], capture_output=True, text=True)
        return [int(p) for p in done.stdout.split()]

    def ticks(self) -> int:
        """How much of the processor its processes have had."""
        total = 0
        for pid in self.pids():
            with contextlib.suppress(OSError, IndexError):
                told = Path(f"/proc/{pid}/stat").read_text().rsplit(")", 1)[1].split()
                total += int(told[11]) + int(told[12])
        return total

    def kill(self) -> None:
        """As when its plug is pulled: every process of it ends at once, and its line is dead."""
        _ip("link", "del", f"{self.name}o", check=False)
        for pid in self.pids():
            with contextlib.suppress(ProcessLookupError):
                os.kill(pid, signal.SIGKILL)

    def stop(self) -> None:
        """End it, and take it away."""
        if self.process is not None and self.process.poll() is None:
            self.process.send_signal(signal.SIGINT)
            with contextlib.suppress(subprocess.TimeoutExpired):
                self.process.wait(20)
        self.kill()
        _ip("netns", "del", self.name, check=False)


class Shared(Cluster):
    """A throwaway cluster that the hosts reach, too."""

    def _make(self) -> None:
        super()._make()
        with (self.data / "pg_hba.conf").open("a") as file:
            file.write(f"host all all {BRIDGE}/24 scram-sha-256\n")

    def _options(self, port: int) -> str:
        return super()._options(port).replace("=127.0.0.1", f"=127.0.0.1,{BRIDGE}")


class Proxy:
    """A proxy as stands before a site: each request to the next web; one that does not answer is passed over for a while."""

    def __init__(self, webs: list[str]) -> None:
        self.webs, self._next, self._away = webs, 0, dict[str, float]()
        proxy = self

        class Handler(BaseHTTPRequestHandler):
            protocol_version = "HTTP/1.1"

            def log_message(self, format: str, *args: object) -> None:
                pass

            def _pass(self) -> None:
                proxy.forward(self)

            do_GET = do_POST = do_PATCH = do_DELETE = _pass

        self._server = ThreadingHTTPServer(("127.0.0.1", 0), Handler)
        self.port = self._server.server_address[1]
        threading.Thread(target=self._server.serve_forever, daemon=True).start()

    def forward(self, asked: BaseHTTPRequestHandler) -> None:
        """Hand one request on."""
        body = asked.rfile.read(int(asked.headers.get("Content-Length") or 0))
        headers = {k: v for k, v in asked.headers.items() if k.lower() not in ("connection", "x-forwarded-for")}
        headers |= {"X-Forwarded-Proto": "https", "X-Forwarded-For": asked.client_address[0]}
        for web in self._order():
            try:
                line = http.client.HTTPConnection(web, 8700, timeout=10)
                line.request(asked.command, asked.path, body, headers)
                answer = line.getresponse()
                text = answer.read()
            except (OSError, http.client.HTTPException):
                self._away[web] = time.monotonic() + 5
                continue
            asked.send_response(answer.status)
            for k, v in answer.getheaders():
                if k.lower() not in ("connection", "transfer-encoding", "content-length", "date", "server"):
                    asked.send_header(k, v)
            asked.send_header("Content-Length", str(len(text)))
            asked.end_headers()
            asked.wfile.write(text)
            return
        asked.send_error(502)

    def _order(self) -> list[str]:
        self._next += 1
        turned = [self.webs[(self._next + k) % len(self.webs)] for k in range(len(self.webs))]
        return sorted(turned, key=lambda web: self._away.get(web, 0.0) > time.monotonic())
