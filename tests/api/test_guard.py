"""The guard over event loops, that it guards."""

import asyncio
import unittest
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor

from blockbuster import BlockingError

from gemischt.core.errors import StorageFailed
from tests.support.serving import guarded_loop
from tests.support.workspaces import WorkspaceCase


class GuardTest(WorkspaceCase):
    def do_on_a_loop(self, work: Callable[[], object]) -> None:
        async def do() -> None:
            work()

        # In a thread of its own: the browser's tests leave a running loop in this one.
        with guarded_loop(), ThreadPoolExecutor(1) as pool:
            pool.submit(lambda: asyncio.run(do())).result()

    def test_what_waits_for_the_database_or_the_disk_fails_on_a_loop(self) -> None:
        stored = self.new_session()
        cases: dict[str, Callable[[], object]] = {
            "reading": self.workspace.sessions.entries,
            "writing": lambda: self.workspace.sessions.duplicate(stored),
            "files": lambda: self.workspace.audio.add(self.folder / "a.wav", "a.wav", sample_rate_hz=48000),
        }
        for name, work in cases.items():
            with self.subTest(name), self.assertRaisesRegex((BlockingError, StorageFailed), "Blocking call"):
                self.do_on_a_loop(work)

    def test_what_does_not_wait_passes(self) -> None:
        self.do_on_a_loop(lambda: sum(range(1000)))


if __name__ == "__main__":
    unittest.main()
