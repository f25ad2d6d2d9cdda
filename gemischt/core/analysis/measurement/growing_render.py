"""A signal that others play already while the rest of it is still being rendered."""

import threading

from gemischt.core.audio import MediaSamples


class SourceFailed(Exception):
    """What a strip hears could not be rendered; the reason was raised where that was tried."""


class GrowingRender:
    """Samples that fill from the front, and how far they have got. Any thread may call."""

    def __init__(self, samples: MediaSamples) -> None:
        self.samples = samples
        self._reached = 0
        self._failed = False
        self._changed = threading.Condition()

    def advance(self, n_samples: int) -> None:
        """So many more samples are there."""
        with self._changed:
            self._reached += n_samples
            self._changed.notify_all()

    def fail(self) -> None:
        """No more will come."""
        with self._changed:
            self._failed = True
            self._changed.notify_all()

    def wait_for(self, n_samples: int) -> None:
        """Wait until the first ``n_samples`` are there, or all there are.

        Raises:
            SourceFailed: they will not come.
        """
        wanted = min(n_samples, len(self.samples))
        with self._changed:
            self._changed.wait_for(lambda: self._failed or self._reached >= wanted)
            if self._reached < wanted:
                raise SourceFailed
