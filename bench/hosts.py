"""Several hosts, one workshop: two webs behind a proxy and two workers against one database, one of each killed in the middle.

Run, as root: ./kestov bench hosts [--captures 240]. Each host is a network namespace of its own with a state folder of its own,
started by `./kestov start --role …`. People write through the proxy, a recording's pieces reach both webs, news of one web reaches
pages of the other, wrong passwords are counted together; then all is computed again, and the worker that is at it is killed, and a
web while people write. 1 where anything was lost or doubled, or is not the same by both.
"""

from __future__ import annotations

import argparse
import http.client
import json
import os
import shutil
import signal
import subprocess
import sys
import tempfile
import threading
import time
import uuid
from pathlib import Path
from typing import Any

from _network import BRIDGE, NAME, Host, Proxy, Shared, bridge, unbridge
from _running import ROOT, Person, form_of
from load import PASSWORD, _recording

#: How people are told of the site by its proxy.
_HEADERS = {"Host": NAME, "Referer": f"https://{NAME}/", "X-Forwarded-Proto": "https"}
#: Captures are asked for until they are kept; a worker that was killed is missed after half a minute.
_PATIENCE_S = 120.0


def main() -> int:
    """Start, try, kill, look."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--captures", type=int, default=240)
    args = parser.parse_args()
    if os.geteuid() != 0 or shutil.which("ip") is None:
        print("Network namespaces are made by root, with `ip`. Run it as root on a machine that has it.")
        return 2
    folder = Path(tempfile.mkdtemp(prefix="kestov-hosts-"))
    cluster = Shared("postgres-hosts", throwaway=True, sure=True)
    hosts: list[Host] = []
    try:
        bridge()
        url = cluster.start()
        for sql in ("drop database if exists kestov with (force)", "create database kestov"):
            cluster._psql(url, "postgres", sql)
        there = url.replace("127.0.0.1", BRIDGE)
        hosts = [Host(f"kweb{i}", f"10.87.0.1{i}", "web", there, folder) for i in (1, 2)]
        hosts += [Host(f"kwork{i}", f"10.87.0.2{i}", "worker", there, folder) for i in (1, 2)]
        # All at once, on an empty database: one brings it up to date, the others wait.
        for host in hosts:
            host.start()
        for host in hosts:
            host.wait()
        env = {
            **os.environ, "DATABASE_URL": url, "KESTOV_STATE": str(folder),
            "PYTHONPATH": os.pathsep.join((str(ROOT / "core"), str(ROOT / "server"))),
        }  # fmt: skip
        subprocess.run([sys.executable, str(Path(__file__).with_name("_workshop.py"))], env=env, check=True)
        proxy = Proxy([h.address for h in hosts if h.role == "web"])
        return _try(hosts, proxy, url, args.captures)
    finally:
        for host in hosts:
            host.stop()
        unbridge()
        cluster.stop()
        shutil.rmtree(folder, ignore_errors=True)


def _person(name: str, proxy: Proxy) -> Person:
    return Person(proxy.port, name, more=_HEADERS).sign_in(PASSWORD)


def _direct(person: Person, host: Host) -> Person:
    """The same browser, past the proxy."""
    return Person(8700, person.username, host.address, person.more, person.cookies)


def _try(hosts: list[Host], proxy: Proxy, url: str, captures: int) -> int:
    webs, workers = hosts[:2], hosts[2:]
    lead, tech = _person("lead", proxy), _person("technician", proxy)
    wrong: list[str] = []

    def check(what: str, good: object) -> None:
        print(f"{'well ' if good else 'WRONG'} {what}", flush=True)
        if not good:
            wrong.append(what)

    check(
        "who signed in by one web is signed in by both",
        all(_direct(tech, w).ask("GET", "/api/me/sessions")[0] == 200 for w in webs),
    )
    check("a recording whose pieces reach both webs is one", _recorded(tech, webs))
    check("news of one web reaches the pages of the other", _told(tech, webs))
    check("wrong passwords are counted together", _slowed(webs))

    kept: list[str] = []
    writers = [
        threading.Thread(target=_write, args=(_person(f"person{i}", proxy), captures // 8, kept)) for i in range(8)
    ]
    for w in writers:
        w.start()
    while len(kept) < captures // 3:
        time.sleep(0.1)
    webs[0].kill()
    print(f"      a web was killed with {len(kept)} of {captures // 8 * 8} captures kept")
    for w in writers:
        w.join(600)
    check(
        f"{len(kept)} captures acknowledged, each there once", len(kept) == captures // 8 * 8 and not _lost(url, kept)
    )

    status, work = lead.ask("POST", "/api/works/recompute", {"every": True})
    check("computing again is asked for", status == 200)
    busy = _busy(workers)
    before = lead.ask("GET", f"/api/works/{work['id']}")[1]
    busy.kill()
    print(f"      the worker at it was killed with {before['done']} of {before['total']} done")
    begun = time.monotonic()
    while (now := lead.ask("GET", f"/api/works/{work['id']}")[1])["state"] in ("waiting", "running"):
        time.sleep(0.5)
        if time.monotonic() - begun > _PATIENCE_S:
            break
    check(
        f"the other worker took it up and ended it, after {time.monotonic() - begun:.0f} s: {now['said']}",
        now["state"] == "done",
    )
    found = lead.ask("GET", f"/api/works/{work['id']}/changes")[1]
    check(
        f"each of {found['captures']} captures was computed once, none changes",
        found["captures"] == _count(url) and not found["changed"],
    )
    return 1 if wrong else 0


def _recorded(tech: Person, webs: list[Host]) -> bool:
    """Pieces of one second, by turns to either web; then they become a capture."""
    import numpy as np

    samples = np.frombuffer(_recording()[44:], dtype="<i2")
    rate, id_ = 44100, str(uuid.uuid4())
    pieces = [samples[k : k + rate].tobytes() for k in range(0, len(samples), rate)]
    for k, piece in enumerate(pieces):
        at = f"/api/recordings/{id_}/chunks/{k}?rate_hz={rate}"
        status, heard = _direct(tech, webs[k % 2]).ask("POST", at, form=piece, kind="application/octet-stream")
        if status != 200 or heard["chunks"] != k + 1:
            return False
    about = {"id": str(uuid.uuid4()), "place": "a"}
    path = f"/api/printers/1/belt-pluck/recordings/{id_}/finish?chunks={len(pieces)}"
    return _direct(tech, webs[1]).ask("POST", path, about)[0] == 200


def _told(tech: Person, webs: list[Host]) -> bool:
    """A page listens at the second web; something happens by the first."""
    line = http.client.HTTPConnection(webs[1].address, 8700, timeout=15)
    cookies = "; ".join(f"{k}={v}" for k, v in tech.cookies.items())
    line.request("GET", "/api/events", headers={"Cookie": cookies, **_HEADERS})
    answer = line.getresponse()
    threading.Timer(
        1.0, lambda: _direct(tech, webs[0]).ask("POST", "/api/cases/1/comments", {"words": "Heard?"})
    ).start()
    try:
        return any(answer.readline().startswith(b"data: case 1") for _ in range(20))
    except OSError:
        return False
    finally:
        line.close()


def _slowed(webs: list[Host]) -> bool:
    """Ten wrong tries of a name, by turns; then either web makes the next wait."""
    somebody = Person(8700, "person99", webs[0].address, _HEADERS)
    somebody.ask("GET", "/")
    statuses = []
    for k in range(12):
        body = {"username": "person99", "password": f"wrong-{k}-wrong"}
        statuses.append(_direct(somebody, webs[k % 2]).ask("POST", "/api/session", body)[0])
    return statuses[:9] == [401] * 9 and statuses[10:] == [429, 429]


def _write(person: Person, count: int, kept: list[str]) -> None:
    """Plucks and typed readings, each sent until it is acknowledged."""
    sound = _recording()
    for k in range(count):
        id_ = str(uuid.uuid4())
        rows = [{"position_mm": at, "force_n": 1 + k % 7 / 50} for at in range(0, 200, 20)]
        while True:
            if k % 3:
                body: dict[str, Any] = {"id": id_, "place": "x", "rows": rows}
                status, answer = person.ask("POST", "/api/printers/2/drag", body, key=id_)
            else:
                form, kind = form_of({"meta": json.dumps({"id": id_, "place": "a"})}, "belt.wav", sound)
                status, answer = person.ask("POST", "/api/printers/1/belt-pluck/file", form=form, kind=kind, key=id_)
            if status == 200:
                kept.append(id_)
                break
            if 400 <= status < 500 and status not in (408, 409, 429):
                raise SystemExit(f"refused: {status} {answer}")
            time.sleep(0.2)


def _lost(url: str, kept: list[str]) -> list[str]:
    import psycopg

    with psycopg.connect(url) as line:
        rows = line.execute("SELECT capture_id, count(*) FROM measuring_result GROUP BY capture_id").fetchall()
    once = {str(id_) for id_, n in rows if n == 1}
    return [id_ for id_ in kept if id_ not in once]


def _count(url: str) -> int:
    import psycopg

    with psycopg.connect(url) as line:
        row = line.execute("SELECT count(*) FROM measuring_capture").fetchone()
    return int(row[0]) if row else 0


def _busy(workers: list[Host]) -> Host:
    """The host whose worker computes: the one that takes the processor."""
    time.sleep(1.0)
    first = [w.ticks() for w in workers]
    time.sleep(2.0)
    return max(zip(workers, first, strict=True), key=lambda pair: pair[0].ticks() - pair[1])[0]


if __name__ == "__main__":
    signal.signal(signal.SIGTERM, lambda *_: sys.exit(1))
    sys.exit(main())
