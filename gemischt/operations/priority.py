"""Playback comes first."""

import contextlib
import os
import threading
import time

_BEHIND = 10
"""How far what is worked out on the side stands behind playback. A process may step back on its own, but comes forward
again only with a right that few have: it gets a share of a busy machine from the beginning."""


def step_back(thread: int | None = None) -> None:
    """Lower the priority of one thread of this process, the caller's if none is named, where the system lets it."""
    with contextlib.suppress(OSError, AttributeError):
        os.setpriority(os.PRIO_PROCESS, thread or threading.get_native_id(), _BEHIND)


def step_back_whole() -> None:
    """Lower the priority of every thread that this process has by now; those that they start are like them."""
    with contextlib.suppress(OSError):
        for thread in os.listdir("/proc/self/task"):
            step_back(int(thread))


class Share:
    """How much of the machine this process gets."""

    LEAST = 0.15
    """Of one processor, over the time that is looked at: less is too little to get on with."""
    PATIENCE = 3
    """So many looks in a row."""

    def __init__(self) -> None:
        self._short_looks = 0
        self._looked_s = time.monotonic()
        self._worked_s = time.process_time()

    @property
    def is_starved(self) -> bool:
        """Whether others have left it too little lately."""
        return self._short_looks >= self.PATIENCE

    def look(self, *, working: bool) -> None:
        """Called now and then: see how much it was since."""
        looked_s, worked_s = time.monotonic(), time.process_time()
        share = (worked_s - self._worked_s) / max(looked_s - self._looked_s, 1e-3)
        self._looked_s, self._worked_s = looked_s, worked_s
        self._short_looks = self._short_looks + 1 if working and share < self.LEAST else 0
