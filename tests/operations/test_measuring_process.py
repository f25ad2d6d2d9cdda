"""Measuring in a process of its own: the same figures, progress, stopping, and what happens when it dies."""

import os
import signal

from gemischt.core.errors import Cancelled, GemischtError, NotFound
from gemischt.operations.measuring_process import MeasuringProcess
from gemischt.operations.session_measuring import measure_session, measurement_to_json
from tests.support.signals import noise, sine
from tests.support.workspaces import WorkspaceCase


class MeasuringProcessTest(WorkspaceCase):
    process: MeasuringProcess

    @classmethod
    def setUpClass(cls) -> None:
        cls.process = MeasuringProcess()

    @classmethod
    def tearDownClass(cls) -> None:
        cls.process.close()

    def pid(self) -> int:
        running = self.process._process
        assert running is not None
        return running.pid

    def test_gives_what_measuring_here_gives_and_keeps_it_for_us(self) -> None:
        session = self.new_session(loud=sine(300, -1, 1.0), soft=noise(1.0)).session
        shares: list[float] = []
        aside = self.process.measure(self.data, session, shares.append)
        self.assertIn("far-from-reference", [finding["kind"] for finding in aside["findings"]])
        self.assertEqual(shares, sorted(shares))
        here = measure_session(self.workspace, session)
        # It was all rendered over there.
        self.assertEqual(here.rendered, 0)
        written = measurement_to_json(session, here)
        self.assertEqual(written["strips"], aside["strips"])
        self.assertEqual(written["peaks"], aside["peaks"])

    def test_stops_when_progress_says_so_and_goes_on_with_the_next(self) -> None:
        session = self.new_session(long=noise(30.0)).session

        def stop(_share: float) -> None:
            raise Cancelled("enough")

        with self.assertRaisesRegex(Cancelled, "enough"):
            self.process.measure(self.data, session, stop)
        other = self.new_session(short=noise(0.5)).session
        self.assertEqual(self.process.measure(self.data, other)["duration_s"], 0.5)

    def test_errors_come_over_with_what_and_where(self) -> None:
        session = self.new_session(tone=noise(0.5)).session
        missing = session.media[0].model_copy(update={"sha256": "0" * 64})
        with self.assertRaises(NotFound) as caught:
            self.process.measure(self.data, session.model_copy(update={"media": (missing,)}))
        self.assertEqual(caught.exception.where, missing.path)
        self.assertIn("Import it again", caught.exception.remedy)

    def test_a_process_that_died_is_started_again(self) -> None:
        session = self.new_session(tone=noise(0.5)).session
        self.process.measure(self.data, session)
        first = self.pid()

        def kill(_share: float) -> None:
            os.kill(self.pid(), signal.SIGKILL)

        louder = self.new_session(tone=noise(20.0, level=0.2)).session
        with self.assertRaisesRegex(GemischtError, "stopped unexpectedly"):
            self.process.measure(self.data, louder, kill)
        self.assertEqual(self.process.measure(self.data, louder)["duration_s"], 20.0)
        self.assertNotEqual(self.pid(), first)

    def test_it_stands_back_behind_playback(self) -> None:
        self.process.start()
        self.process.measure(self.data, self.new_session(tone=noise(0.5)).session)
        self.assertEqual(os.sched_getscheduler(self.pid()), os.SCHED_IDLE)
