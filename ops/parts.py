"""Programs that run beside the start command: they end with it, whatever ends it, and come back when they end by themselves."""

from __future__ import annotations

import os
import signal
import subprocess
import time
from collections.abc import Callable
from pathlib import Path

from words import Trouble, say

#: A part that ends so often within so long (s) is not started again: something is wrong that starting does not mend.
MOST_AGAIN, WITHIN_S = 5, 60.0
#: How long a part may take to end when it is asked to (s).
_TO_END_S = 10.0


class Part:
    """A program that is to run. ``note``: a file that says which process it is, for a start that finds it left behind."""

    def __init__(
        self, name: str, begin: Callable[[], subprocess.Popen[bytes] | None], note: Path | None = None
    ) -> None:
        self.name, self.begin, self.note = name, begin, note
        self.process: subprocess.Popen[bytes] | None = None
        self._again: list[float] = []

    def start(self) -> None:
        """Start it."""
        self.process = self.begin()
        if self.note is not None and self.process is not None:
            # Whoever reads it meanwhile finds the one before or this one, never half of it.
            half = self.note.with_suffix(".half")
            half.write_text(str(self.process.pid))
            half.replace(self.note)

    def keep(self) -> None:
        """Start it again where it has ended; raises `Trouble` where that does not help."""
        if self.process is None or self.process.poll() is None:
            return
        enough(self._again, self.name)
        say(f"{self.name} ended by itself (code {self.process.returncode}); starting it again …")
        self.start()

    def stop(self) -> None:
        """Ask it to end; after a while, end it."""
        if self.process is not None and self.process.poll() is None:
            self.process.terminate()
            try:
                self.process.wait(_TO_END_S)
            except subprocess.TimeoutExpired:
                self.process.kill()
                self.process.wait()
        # What was stopped is not missed.
        self.process = None
        if self.note is not None:
            self.note.unlink(missing_ok=True)


def enough(times: list[float], name: str) -> None:
    """Note that a part has to be started again; `Trouble` where it was too often of late."""
    moment = time.monotonic()
    times[:] = [t for t in times if moment - t < WITHIN_S] + [moment]
    if len(times) > MOST_AGAIN:
        raise Trouble(f"{name} ended {len(times)} times within a minute; what it said stands above.")


def clear(note: Path, mark: str) -> bool:
    """End what a killed start has left behind: the process that the note names, if ``mark`` stands in its command; whether it did."""
    try:
        pid = int(note.read_text())
        told = Path(f"/proc/{pid}/cmdline").read_bytes().decode(errors="replace")
    except (OSError, ValueError):
        return False
    if mark not in told:
        return False
    say("Ending what an earlier start has left behind …")
    try:
        os.killpg(pid, signal.SIGKILL)
    except OSError:
        return False
    for _ in range(100):
        if not Path(f"/proc/{pid}").exists() or "Z" in _state(pid):
            return True
        time.sleep(0.05)
    return True


def _state(pid: int) -> str:
    try:
        return Path(f"/proc/{pid}/stat").read_text().rsplit(")", 1)[1].split()[0]
    except (OSError, IndexError):
        return "Z"
