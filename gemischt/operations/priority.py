"""Playback comes first."""

import contextlib
import os
import threading


def step_back() -> None:
    """Lower this thread's priority, where the system lets it."""
    with contextlib.suppress(OSError, AttributeError):
        os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), 10)
