"""Work side by side: in order, at the heels of what it hears, and never standing still."""

import threading
import unittest
from concurrent.futures import ThreadPoolExecutor
from functools import partial
from queue import SimpleQueue

import numpy as np

from gemischt.operations.side_by_side import BackgroundStep, Events, GrowingRender, SourceFailed, follow

PATIENCE_S = 20.0


class ArrivingTest(unittest.TestCase):
    def setUp(self) -> None:
        self.arriving = GrowingRender(np.zeros((100, 1), np.float32))

    def test_waits_until_enough_is_there(self) -> None:
        passed = threading.Event()
        waiter = threading.Thread(target=lambda: (self.arriving.wait_for(60), passed.set()))
        waiter.start()
        self.arriving.advance(50)
        self.assertFalse(passed.wait(0.05))
        self.arriving.advance(10)
        self.assertTrue(passed.wait(PATIENCE_S))
        waiter.join()

    def test_more_than_there_will_be_is_all_of_it(self) -> None:
        self.arriving.advance(100)
        self.arriving.wait_for(5000)

    def test_what_failed_keeps_nobody_waiting(self) -> None:
        self.arriving.advance(10)
        self.arriving.fail()
        self.arriving.wait_for(10)
        with self.assertRaises(SourceFailed):
            self.arriving.wait_for(11)


class BehindTest(unittest.TestCase):
    def test_steps_run_in_order_with_any_number_of_threads(self) -> None:
        for n_threads in (1, 3):
            done: list[int] = []
            with self.subTest(n_threads=n_threads), ThreadPoolExecutor(n_threads) as pool:
                with BackgroundStep(pool) as do_behind:
                    for number in range(200):
                        do_behind(partial(done.append, number))
                self.assertEqual(done, list(range(200)))

    def test_a_pool_that_is_busy_does_not_stand_still(self) -> None:
        # The only thread runs the caller itself: it must do its own steps.
        done: list[int] = []

        def caller() -> None:
            with BackgroundStep(pool) as do_behind:
                for number in range(5):
                    do_behind(partial(done.append, number))

        with ThreadPoolExecutor(1) as pool:
            pool.submit(caller).result(PATIENCE_S)
        self.assertEqual(done, [0, 1, 2, 3, 4])

    def test_what_a_step_raises_comes_out(self) -> None:
        def fails() -> None:
            raise ValueError("no")

        with ThreadPoolExecutor(2) as pool, self.assertRaisesRegex(ValueError, "no"), BackgroundStep(pool) as behind:
            behind(fails)


class FollowTest(unittest.TestCase):
    def setUp(self) -> None:
        self.events: Events = SimpleQueue()

    def test_who_follows_begins_before_the_other_is_done(self) -> None:
        signal = GrowingRender(np.zeros((2, 1), np.float32))
        order: list[str] = []

        def work(strip: str) -> str:
            if strip == "first":
                self.events.put((strip, None))
                signal.advance(1)
                followed.wait(PATIENCE_S)
                signal.advance(1)
            else:
                signal.wait_for(1)
                followed.set()
                signal.wait_for(2)
            order.append(strip)
            return strip.upper()

        followed = threading.Event()
        with ThreadPoolExecutor(2) as pool:
            found = follow({"second": {"first"}, "first": set()}, work, pool, self.events)
        self.assertEqual(found, {"first": "FIRST", "second": "SECOND"})
        self.assertTrue(followed.is_set())

    def test_one_thread_is_enough(self) -> None:
        order: list[str] = []
        with ThreadPoolExecutor(1) as pool:
            follow({"c": {"a", "b"}, "b": {"a"}, "a": set()}, order.append, pool, self.events)
        self.assertEqual(order, ["a", "b", "c"])

    def test_the_reason_is_that_of_the_source(self) -> None:
        signal = GrowingRender(np.zeros((2, 1), np.float32))

        def work(strip: str) -> None:
            if strip == "source":
                self.events.put((strip, None))
                follower_waits.wait(PATIENCE_S)
                signal.fail()
                raise OSError("disk full")
            follower_waits.set()
            signal.wait_for(1)

        follower_waits = threading.Event()
        with ThreadPoolExecutor(2) as pool, self.assertRaisesRegex(OSError, "disk full"):
            follow({"source": set(), "follower": {"source"}, "later": {"follower"}}, work, pool, self.events)
