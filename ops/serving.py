"""How the web server is run: the same for ``start``, the browser's tests and the benches."""

from __future__ import annotations

import sys
from pathlib import Path


def command(
    host: str, port: int, workers: int = 2, certificate: tuple[Path, Path] | None = None, python: Path | None = None
) -> list[str]:
    """The command that serves the application, to be run in ``server/``. ``python``: whose environment it is in."""
    granian = Path(python or sys.executable).parent / "granian"
    words = [
        str(granian), "--interface", "asgi", "--host", host, "--port", str(port), "--workers", str(max(1, workers)),
        "--http1-header-read-timeout", "10000", "--log-level", "warning", "--respawn-failed-workers",
    ]  # fmt: skip
    if certificate:
        words += ["--ssl-certificate", str(certificate[0]), "--ssl-keyfile", str(certificate[1])]
    return [*words, "kestov.asgi:application"]
