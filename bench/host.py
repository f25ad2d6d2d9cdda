"""What a shared machine gives to others while something is timed."""

import threading
import time


class Host:
    """How much of the machine's time the host gives to others, since this was made."""

    def __init__(self) -> None:
        self._began = self._read()

    def taken_share(self) -> float:
        passed = [now - before for now, before in zip(self._read(), self._began, strict=True)]
        return passed[7] / max(1, sum(passed))

    def _read(self) -> list[int]:
        with open("/proc/stat") as file:
            return [int(value) for value in file.readline().split()[1:]]


class HostLog:
    """How much the host gives to others from moment to moment, while this is entered."""

    EVERY_S = 0.1

    def __init__(self) -> None:
        self._shares: list[tuple[float, float]] = []
        self._left = threading.Event()
        self._thread = threading.Thread(target=self._watch, daemon=True)

    def __enter__(self) -> "HostLog":
        self._thread.start()
        return self

    def __exit__(self, *_: object) -> None:
        self._left.set()
        self._thread.join()

    def taken_before(self, at_s: float, within_s: float) -> float:
        """Mean share in the time before a moment (seconds since the epoch); 1 if not even this thread was let run."""
        shares = [share for noted_s, share in self._shares if at_s - within_s <= noted_s <= at_s + self.EVERY_S]
        return sum(shares) / len(shares) if shares else 1.0

    def _watch(self) -> None:
        while not self._left.is_set():
            host = Host()
            time.sleep(self.EVERY_S)
            self._shares.append((time.time(), host.taken_share()))
