"""Set up what is missing: Debian packages, the Python environment, the front end. Each is done once, by its stamp."""

from __future__ import annotations

import fcntl
import hashlib
import os
import shutil
import subprocess
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from words import ROOT, STATE, Trouble, run, say

VENV = ROOT / ".venv"
PYTHON = VENV / "bin" / "python"
WEB = ROOT / "web"


@contextmanager
def locked(name: str, words: str | None = None) -> Iterator[None]:
    """Hold a lock in the state folder. With ``words``, refuse at once where another holds it; else wait."""
    STATE.mkdir(exist_ok=True)
    with open(STATE / f"{name}.lock", "w") as file:
        try:
            fcntl.flock(file, fcntl.LOCK_EX | (fcntl.LOCK_NB if words else 0))
        except BlockingIOError as e:
            raise Trouble(words or "") from e
        yield


def environment() -> dict[str, str]:
    """The environment for our own Python: its byte code is kept, since start-up time counts."""
    env = dict(os.environ)
    env.pop("PYTHONDONTWRITEBYTECODE", None)
    env["PYTHONPATH"] = f"{ROOT / 'core'}{os.pathsep}{ROOT / 'server'}"
    return env


def _digest(*files: Path) -> str:
    digest = hashlib.sha256(sys.version.encode())
    for file in sorted(files):
        digest.update(str(file.relative_to(ROOT)).encode())
        digest.update(file.read_bytes())
    return digest.hexdigest()


def _stamp(folder: Path, name: str) -> str:
    file = folder / f".kestov-{name}"
    return file.read_text() if file.exists() else ""


def python(level: str = "server") -> None:
    """The virtual environment with the packages of a level: ``core``, ``server`` or ``test`` (each holds the one before)."""
    # The command may be run by any Python that a machine has.
    if sys.version_info < (3, 11):  # noqa: UP036
        raise Trouble(f"Kestov needs Python 3.11 or newer; this is {sys.version.split()[0]}.")
    levels = ["core", "server", "test"]
    with locked("setup"):
        for higher in levels[levels.index(level) :]:
            if PYTHON.exists() and _stamp(VENV, higher) == _digest(ROOT / "requirements" / f"{higher}.txt"):
                return
        if not PYTHON.exists() or subprocess.run([PYTHON, "-m", "pip", "--version"], capture_output=True).returncode:
            say("Making the Python environment …")
            try:
                import ensurepip  # noqa: F401
            except ImportError:
                debian({"/usr/share/python-wheels": "python3-venv"})
            shutil.rmtree(VENV, ignore_errors=True)
            run([sys.executable, "-m", "venv", str(VENV)], "Making the Python environment")
        say(f"Installing Python packages ({level}) …")
        requirements = ROOT / "requirements" / f"{level}.txt"
        run(
            [str(PYTHON), "-m", "pip", "install", "--quiet", "--require-hashes", "-r", str(requirements)],
            "Installing Python packages",
        )
        run([str(PYTHON), "-m", "compileall", "-q", str(ROOT / "core"), str(ROOT / "server")], "Compiling")
        (VENV / f".kestov-{level}").write_text(_digest(requirements))


def debian(packages: dict[str, str]) -> None:
    """Install Debian packages, given as {a file that shows it is there: package}, where the file is missing."""
    missing = sorted({p for file, p in packages.items() if not _present(file)})
    if not missing:
        return
    if shutil.which("apt-get") is None:
        raise Trouble(f"These are missing, and there is no apt-get here to install them: {', '.join(missing)}.")
    say(f"Installing Debian packages: {', '.join(missing)} …")
    command = ["apt-get", "install", "-y", "--no-install-recommends", *missing]
    prefix: list[str] = []
    if os.geteuid() != 0:
        if shutil.which("sudo") is None or (
            subprocess.run(["sudo", "-n", "true"], capture_output=True).returncode
            and (not sys.stdin.isatty() or subprocess.run(["sudo", "true"]).returncode)
        ):
            raise Trouble(
                f"Some Debian packages are missing and you may not install them. Ask whoever may to run:\n  apt-get install {' '.join(missing)}"
            )
        prefix = ["sudo"]
    env = {**os.environ, "DEBIAN_FRONTEND": "noninteractive"}
    run([*prefix, "apt-get", "update", "-q"], "Fetching the list of packages", env=env)
    run([*prefix, *command], "Installing Debian packages", env=env)


def _present(file: str) -> bool:
    path = Path(file)
    return (
        any(path.parent.glob(path.name))
        if "*" in path.name
        else path.exists()
        if "*" not in file
        else bool(list(Path("/").glob(file.lstrip("/"))))
    )


POSTGRES = {"/usr/lib/postgresql/*/bin/initdb": "postgresql"}
CHROMIUM = {"/usr/bin/chromium": "chromium"}


def web() -> None:
    """The front end: its packages and its build."""
    with locked("setup"):
        node = shutil.which("node")
        version = run([node, "--version"], "Asking Node for its version").strip() if node else ""
        if not node or tuple(int(v) for v in version.lstrip("v").split(".")[:2]) < (20, 19):
            raise Trouble(
                f"The front end needs Node 20.19 or newer{f'; this is {version}' if version else ', which is not installed'}."
            )
        modules = WEB / "node_modules"
        lock = _digest(WEB / "package-lock.json")
        if not modules.exists() or _stamp(modules, "packages") != lock:
            say("Installing front-end packages …")
            # Not `npm ci`: it refuses a lock file that was made where a package's builds for other systems were not
            # to be had. This installs what the lock file pins, by its hashes, and writes nothing.
            run(
                ["npm", "install", "--no-save", "--no-audit", "--no-fund", "--loglevel=error"],
                "Installing front-end packages",
                cwd=WEB,
            )
            (modules / ".kestov-packages").write_text(lock)
        sources = [p for folder in ("src", "public") for p in (WEB / folder).rglob("*") if p.is_file()]
        sources += [
            WEB / name for name in ("index.html", "vite.config.ts", "offline.mjs", "compress.mjs", "package-lock.json")
        ]
        built = _digest(*sources)
        dist = WEB / "dist"
        if not (dist / "index.html").exists() or _stamp(dist, "build") != built:
            say("Building the front end …")
            run(["npm", "run", "--silent", "build"], "Building the front end", cwd=WEB)
            (dist / ".kestov-build").write_text(built)
