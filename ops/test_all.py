"""What ``./kestov test`` runs: every check and every test, counted, with a closing line that is true."""

from __future__ import annotations

import os
import pwd
import re
import shutil
import subprocess
import tempfile
import threading
import time
from collections.abc import Callable, Iterable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path

import setup
from cluster import Cluster
from words import ROOT, STATE, say

CHROMIUM = {"/usr/bin/chromium": "chromium"}
_BIN = setup.VENV / "bin"
#: Where the stages find which of their tests are wanted.
_NAMED = "KESTOV_TESTS_NAMED"
#: Which half of the browser's tests a process runs: each has databases of its own.
_HALF = "KESTOV_BROWSER_HALF"
#: What is run side by side, each lane on a core of its own. What drives a browser all the time wants the machine for itself.
_LANES = (("checks", "core", "ops", "web", "fresh"), ("server",))
_ALONE = ("browser",)
_saying = threading.local()
_ONE_SPEAKS = threading.Lock()
#: What the front end's runner says when a worker of its own did not come up, which is no word about any test.
_NEVER_BEGAN = "[vitest-pool]"


@dataclass
class Count:
    """Tests that passed, failed and were skipped."""

    passed: int = 0
    failed: int = 0
    skipped: int = 0

    def __add__(self, other: Count) -> Count:
        return Count(self.passed + other.passed, self.failed + other.failed, self.skipped + other.skipped)


def main(only: list[str], name: str = "") -> int:
    """Run the named stages, or all of them; of their tests those whose name holds ``name``."""
    unknown = set(only) - set(STAGES)
    if unknown:
        say(f"There is no stage {', '.join(sorted(unknown))}. There are: {', '.join(STAGES)}.")
        return 2
    wanted = only or list(STAGES)
    setup.python("test")
    setup.debian(setup.POSTGRES)
    if {"browser", "fresh"} & set(wanted):
        setup.debian(CHROMIUM)
    setup.web()
    total = Count()
    cluster = Cluster("postgres-test", throwaway=True)
    env = {**setup.environment(), "KESTOV_STATE": str(STATE), "KESTOV_POOL": "0"}
    env[_NAMED] = name
    try:
        if {"checks", "server", "browser"} & set(wanted):
            env["DATABASE_URL"] = cluster.start()
        for lanes in side_by_side(wanted):
            total += _all_of(lanes, env)
    finally:
        cluster.stop()
    skipped = f", {total.skipped} skipped" if total.skipped else ""
    print(f"\n{total.passed} passed, {total.failed} failed{skipped}", flush=True)
    return 1 if total.failed or not total.passed else 0


def side_by_side(wanted: list[str]) -> list[list[list[str]]]:
    """The wanted stages as they are run, one after another: each step is one lane of stages, or two that run side by side."""
    alone, lanes = [s for s in wanted if s in _ALONE], [[s for s in wanted if s in lane] for lane in _LANES]
    beside = [lane for lane in lanes if lane]
    return [*([beside] if beside else []), *([[s]] for s in alone)]


def _all_of(lanes: list[list[str]], env: dict[str, str]) -> Count:
    """Run lanes of stages side by side; what a stage says is then held until it ends, so that each is told whole."""
    with ThreadPoolExecutor(len(lanes)) as pool:
        counts = list(pool.map(lambda lane: _lane(lane, env, hold=len(lanes) > 1), lanes))
    return sum(counts, Count())


def _lane(stages: list[str], env: dict[str, str], hold: bool) -> Count:
    total = Count()
    for stage in stages:
        _saying.held = [] if hold else None
        try:
            start = time.monotonic()
            _tell(f"\n== {stage}\n")
            count = STAGES[stage](env)
            took = time.monotonic() - start
            _tell(
                f"-- {stage}: {count.passed} passed, {count.failed} failed, {count.skipped} skipped in {took:.0f} s\n"
            )
            total += count
        finally:
            held, _saying.held = _saying.held, None
            with _ONE_SPEAKS:
                print("".join(held or ()), end="", flush=True)
    return total


def _tell(words: str) -> None:
    """Say something at once, or with the rest of its stage."""
    held = getattr(_saying, "held", None)
    if held is None:
        print(words, end="", flush=True)
    else:
        held.append(words)


def _run(command: list[str | Path], cwd: Path, env: dict[str, str]) -> tuple[int, str]:
    """Run a command, show what it says, and give its exit code and output."""
    process = subprocess.Popen(
        [str(c) for c in command],
        cwd=cwd,
        env=env,
        stdout=subprocess.PIPE,
        stderr=subprocess.STDOUT,
        text=True,
        errors="replace",
    )
    lines = []
    assert process.stdout
    for line in process.stdout:
        lines.append(line)
        _tell(line)
    return process.wait(), "".join(lines)


def _checks(env: dict[str, str]) -> Count:
    web = setup.WEB
    schema = ROOT / "web" / "src" / "api" / "schema.d.ts"
    made = Path(tempfile.mkdtemp()) / "schema.d.ts"
    checks: list[tuple[list[str | Path], Path]] = [
        ([_BIN / "ruff", "check", "."], ROOT),
        ([_BIN / "ruff", "format", "--check", "."], ROOT),
        ([_BIN / "mypy"], ROOT),
        ([_BIN / "mypy", "--config-file", "server/mypy.ini"], ROOT),
        ([setup.PYTHON, "manage.py", "openapi", "--check"], ROOT / "server"),
        ([setup.PYTHON, "manage.py", "makemigrations", "--check", "--dry-run"], ROOT / "server"),
        (["npx", "--no-install", "openapi-typescript", "../server/api/openapi.json", "-o", made], web),
        (["cmp", made, schema], ROOT),
        (["npx", "--no-install", "tsc", "--noEmit"], web),
        (["npx", "--no-install", "biome", "check", "src"], web),
    ]
    count = Count()
    for command, cwd in checks:
        _tell("$ " + " ".join(str(c) for c in command).replace(str(ROOT), ".") + "\n")
        code, _ = _run(command, cwd, env)
        count += Count(passed=int(code == 0), failed=int(code != 0))
    return count


def _named(env: dict[str, str], option: str = "-k") -> list[str]:
    return [option, env[_NAMED]] if env.get(_NAMED) else []


def _unittest(command: list[str | Path], cwd: Path, env: dict[str, str]) -> Count:
    """Run a unittest-like runner and read its own closing lines; a run that did not close counts as one failure."""
    code, said = _run(command, cwd, env)
    ran = re.search(r"^Ran (\d+) tests? in", said, re.MULTILINE)
    if ran is None:
        return Count(failed=1)
    if ran.group(1) == "0" and env.get(_NAMED):
        # None of these bears the name that is asked for; a newer Python ends with a code of its own then.
        return Count()
    closing = said[ran.end() :]
    bad = sum(int(n) for n in re.findall(r"(?:failures|errors|unexpected successes)=(\d+)", closing))
    skipped = sum(int(n) for n in re.findall(r"skipped=(\d+)", closing))
    if code and not bad:
        bad = 1
    return Count(max(0, int(ran.group(1)) - bad - skipped), bad, skipped)


def _core(env: dict[str, str]) -> Count:
    return _unittest(
        [setup.PYTHON, "-m", "unittest", "discover", "-s", "kestov_core/tests", "-t", ".", *_named(env)],
        ROOT / "core",
        env,
    )


def _ops(env: dict[str, str]) -> Count:
    return _unittest(
        [setup.PYTHON, "-m", "unittest", "discover", "-s", "ops/tests", "-t", "ops/tests", *_named(env)], ROOT, env
    )


def _server(env: dict[str, str]) -> Count:
    return _unittest([setup.PYTHON, "manage.py", "test", "--noinput", *_named(env)], ROOT / "server", env)


def _web(env: dict[str, str]) -> Count:
    command: list[str | Path] = ["npx", "--no-install", "vitest", "run", *_named(env, "-t")]
    code, said = _run(command, setup.WEB, {**env, "NO_COLOR": "1"})
    if code and _NEVER_BEGAN in said:
        _tell("A file's tests never began, the machine being busy: all of them once more.\n")
        code, said = _run(command, setup.WEB, {**env, "NO_COLOR": "1"})
    line = next((x for x in said.splitlines() if x.strip().startswith("Tests ")), "")
    found = {word: int(n) for n, word in re.findall(r"(\d+) (passed|failed|skipped)", line)}
    if code and not found.get("failed"):
        return Count(failed=1)
    return Count(found.get("passed", 0), found.get("failed", 0), found.get("skipped", 0))


def _browser(env: dict[str, str]) -> Count:
    """Two browsers, each with a server and a demo workshop of its own: while one waits the other works."""

    def half(number: int, files: list[Path]) -> tuple[Count, list[str]]:
        _saying.held = held = []
        try:
            command = [setup.PYTHON, "-m", "unittest", *_named(env), *(f"e2e.{f.stem}" for f in files)]
            return _unittest(command, ROOT, {**env, _HALF: str(number)}), held
        finally:
            _saying.held = None

    with ThreadPoolExecutor(2) as pool:
        done = list(pool.map(half, (1, 2), halves((ROOT / "e2e").glob("test_*.py"))))
    for _, said in done:
        _tell("".join(said))
    return sum((count for count, _ in done), Count())


def halves(files: Iterable[Path]) -> tuple[list[Path], list[Path]]:
    """Files in two lots of about the same length."""
    lots: tuple[list[Path], list[Path]] = [], []
    sizes = [0, 0]
    for file in sorted(files, key=lambda f: (-f.stat().st_size, f.name)):
        lot = sizes.index(min(sizes))
        lots[lot].append(file)
        sizes[lot] += file.stat().st_size
    return lots


def _fresh(env: dict[str, str]) -> Count:
    """Start from nothing: a new clone, as a user who is not root, with an empty database."""
    folder = Path(tempfile.mkdtemp(prefix="kestov-fresh-"))
    clone = folder / "clone"
    as_user: list[str] = []
    try:
        if not (ROOT / ".git").exists() or shutil.which("git") is None:
            _tell("This folder is no clone: nothing to start from.\n")
            return Count(skipped=1)
        # The working tree as it is: what git would take in, committed or not.
        listed = subprocess.run(
            ["git", "-c", "safe.directory=*", "ls-files", "-zco", "--exclude-standard"],
            cwd=ROOT,
            capture_output=True,
            check=True,
        )
        for name in listed.stdout.decode().split("\0"):
            if name and (ROOT / name).is_file():
                (clone / name).parent.mkdir(parents=True, exist_ok=True)
                shutil.copy2(ROOT / name, clone / name)
        if os.geteuid() == 0:
            setup.debian({"/usr/share/python-wheels": "python3-venv"})
            user = _ordinary_user()
            subprocess.run(["chown", "-R", user, str(folder)], check=True)
            as_user = ["runuser", "-u", user, "--", "env", f"HOME={folder}"]
        clean = {k: v for k, v in env.items() if k not in ("DATABASE_URL", "KESTOV_STATE", "PYTHONPATH", "KESTOV_POOL")}
        # Its own interpreter path, in case the system's python3 is private to root.
        command = [
            *as_user,
            "env",
            f"PATH={_shared_path()}",
            "sh",
            "-c",
            "umask 022; exec python3 -m unittest -v fresh_start",
        ]
        return _unittest(command, clone / "e2e", clean)
    finally:
        if as_user:
            subprocess.run(["pkill", "-u", as_user[2], "-f", str(folder)], capture_output=True)
        shutil.rmtree(folder, ignore_errors=True)


def _ordinary_user() -> str:
    """A user without rights of any kind, made where there is none."""
    name = "kestov-fresh"
    try:
        pwd.getpwnam(name)
    except KeyError:
        subprocess.run(["useradd", "--system", "--no-create-home", "--shell", "/usr/sbin/nologin", name], check=True)
    return name


def _shared_path() -> str:
    """The PATH without folders below /root, which other users cannot reach."""
    return ":".join(p for p in os.environ.get("PATH", "").split(":") if not p.startswith("/root"))


STAGES: dict[str, Callable[[dict[str, str]], Count]] = {
    "checks": _checks,
    "core": _core,
    "ops": _ops,
    "server": _server,
    "web": _web,
    "browser": _browser,
    "fresh": _fresh,
}
