"""Ending with the process that made one: a part whose main is gone keeps nobody's port."""

from __future__ import annotations

import ctypes
import os
import signal

_PARENT_DEATH_SIGNAL = 1  # PR_SET_PDEATHSIG of prctl(2), Linux


def end_with_parent() -> None:
    """End at once when the process that made this one ends, killed or not; where the system has no such thing, nothing."""
    parent = os.getppid()
    try:
        ctypes.CDLL(None).prctl(_PARENT_DEATH_SIGNAL, signal.SIGKILL)
    except (OSError, AttributeError):
        return
    # It may have ended while this was asked for.
    if os.getppid() != parent:
        os.kill(os.getpid(), signal.SIGKILL)
