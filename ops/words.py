"""How the command speaks: what it is doing, and what went wrong in words instead of a trace."""

from __future__ import annotations

import os
import subprocess
import sys
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
STATE = Path(os.environ.get("KESTOV_STATE") or ROOT / ".state")


class Trouble(Exception):
    """Something the person can mend; shown as it stands, without a trace."""


def say(words: str) -> None:
    """One line of what is being done. On standard error, so that output stays clean for programs."""
    print(words, file=sys.stderr, flush=True)


_SIGNS = (
    ("No space left on device", "The disk is full. Free some space and start again; nothing is lost."),
    ("ENOSPC", "The disk is full. Free some space and start again; nothing is lost."),
    (
        "Temporary failure in name resolution",
        "The network cannot be reached. The first set-up needs it once; later starts do not.",
    ),
    ("Could not resolve", "The network cannot be reached. The first set-up needs it once; later starts do not."),
    (
        "Temporary failure resolving",
        "The network cannot be reached. The first set-up needs it once; later starts do not.",
    ),
    ("NewConnectionError", "The network cannot be reached. The first set-up needs it once; later starts do not."),
    ("EAI_AGAIN", "The network cannot be reached. The first set-up needs it once; later starts do not."),
    ("ENOTFOUND", "The network cannot be reached. The first set-up needs it once; later starts do not."),
    ("ECONNREFUSED", "The network cannot be reached. The first set-up needs it once; later starts do not."),
    ("Failed to fetch", "The network cannot be reached. The first set-up needs it once; later starts do not."),
)


def run(command: list[str], what: str, **kwargs: object) -> str:
    """Run a command quietly; if it fails, raise `Trouble` with plain words and the end of what it said."""
    done = subprocess.run(
        command, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True, errors="replace", **kwargs
    )  # type: ignore[call-overload]
    if done.returncode != 0:
        raise Trouble(explain(done.stdout, what))
    return str(done.stdout)


def explain(output: str, what: str) -> str:
    """Plain words for a failed command: the known reason, else the last lines it said."""
    for sign, words in _SIGNS:
        if sign in output:
            return f"{what} failed. {words}"
    tail = "\n".join(output.strip().splitlines()[-12:])
    return f"{what} failed. It said:\n{tail}"
