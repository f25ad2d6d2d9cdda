"""Playback comes first."""

import contextlib
import os
import threading


def step_back() -> None:
    """Lower this thread's priority, where the system lets it."""
    with contextlib.suppress(OSError, AttributeError):
        os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), 10)


def run_when_idle() -> None:
    """Give this whole process only what others leave, where the system can: whoever wakes up takes over."""
    with contextlib.suppress(OSError, AttributeError):
        os.nice(15)
    with contextlib.suppress(OSError, AttributeError):
        os.sched_setscheduler(0, os.SCHED_IDLE, os.sched_param(0))
