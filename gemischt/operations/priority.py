"""Playback comes first."""

import contextlib
import os
import threading
import time

_NICENESS = 5
"""Behind playback, but beside two busy programs a processor still a sixth of it."""


def step_back() -> None:
    """Lower this thread's priority, where the system lets it."""
    with contextlib.suppress(OSError, AttributeError):
        os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), _NICENESS)


class Share:
    """How much of the machine this process takes: what others leave, or, once that is too little, a small share that it
    always gets. Playback comes first either way."""

    LEAST = 0.15
    """Of one processor, over the time that is looked at."""
    PATIENCE = 3
    """So many looks in a row."""

    def __init__(self) -> None:
        self.is_starved = False
        self._short_looks = 0
        self._looked_s = time.monotonic()
        self._worked_s = time.process_time()
        self.take_what_is_left()

    def take_what_is_left(self) -> None:
        """Whoever wakes up takes over, where the system can do that."""
        self.is_starved = False
        _schedule("SCHED_IDLE")

    def look(self, *, working: bool) -> None:
        """Called now and then: see whether what others leave is enough."""
        looked_s, worked_s = time.monotonic(), time.process_time()
        share = (worked_s - self._worked_s) / max(looked_s - self._looked_s, 1e-3)
        self._looked_s, self._worked_s = looked_s, worked_s
        self._short_looks = self._short_looks + 1 if working and share < self.LEAST else 0
        if self._short_looks >= self.PATIENCE and not self.is_starved:
            self.is_starved = True
            _schedule("SCHED_OTHER")
        elif not working and self.is_starved:
            self.take_what_is_left()


def _schedule(policy: str) -> None:
    """Let every thread of this process but the one that calls be scheduled so, behind everybody else's."""
    own = threading.get_native_id()
    with contextlib.suppress(OSError, AttributeError):
        for task in os.listdir("/proc/self/task"):
            with contextlib.suppress(OSError):
                if int(task) != own:
                    os.sched_setscheduler(int(task), getattr(os, policy), os.sched_param(0))
                    os.setpriority(os.PRIO_PROCESS, int(task), _NICENESS)
