"""A stand-in of a mail server, for trying: it takes every letter, and keeps it as a file (.eml) in a folder; nothing leaves this machine."""

from __future__ import annotations

import signal
import sys
import threading
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from aiosmtpd.controller import Controller

#: So many of the newest letters stay, each no larger (bytes).
KEPT, MOST = 100, 20 * 1024 * 1024


class Keeper:
    """Keeps each letter as a file, named by when it came."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        folder.mkdir(parents=True, exist_ok=True)

    async def handle_DATA(self, server: Any, session: Any, envelope: Any) -> str:
        """Take a letter."""
        name = f"{datetime.now(UTC):%Y%m%d-%H%M%S-%f}.eml"
        (self.folder / name).write_bytes(envelope.original_content)
        for old in sorted(self.folder.glob("*.eml"))[:-KEPT]:
            old.unlink(missing_ok=True)
        return "250 Taken"


def serve(bind: str, port: int, folder: Path) -> Controller:
    """Begin to listen."""
    controller = Controller(Keeper(folder), hostname=bind, port=port, data_size_limit=MOST)
    controller.start()
    return controller


def main(bind: str, port: int, folder: str) -> int:
    """Listen until asked to stop."""
    over = threading.Event()
    for number in (signal.SIGINT, signal.SIGTERM):
        signal.signal(number, lambda *_: over.set())
    controller = serve(bind, port, Path(folder))
    print(f"A mail server stands in on {bind}:{port}; letters are kept in {folder}.", flush=True)
    over.wait()
    controller.stop()
    return 0


if __name__ == "__main__":
    raise SystemExit(main(sys.argv[1], int(sys.argv[2]), sys.argv[3]))
