"""Tasks in a process of their own: the same results, progress, stopping, and what happens when it dies."""

import os
import signal
import subprocess
import sys
import threading
import time
from typing import Any
from unittest import mock

from gemischt.core.errors import Cancelled, GemischtError, NotFound
from gemischt.core.session.document import Session
from gemischt.operations import priority
from gemischt.operations.print_lists import begin_run
from gemischt.operations.session_measuring import measure_session, measurement_to_json
from gemischt.operations.task_process import TaskProcess
from gemischt.operations.tasks import MeasureLedger, MeasureSong, PrintRun
from gemischt.storage.audio_files import Progress, no_progress
from tests.support.prints import mix_order
from tests.support.signals import noise, sine
from tests.support.workspaces import WorkspaceCase


class TaskProcessTest(WorkspaceCase):
    process: TaskProcess

    @classmethod
    def setUpClass(cls) -> None:
        cls.process = TaskProcess()

    @classmethod
    def tearDownClass(cls) -> None:
        cls.process.close()

    def pid(self) -> int:
        running = self.process._running
        assert running is not None
        return running.process.pid

    def measure(self, session: Session, progress: Progress = no_progress) -> dict[str, Any]:
        return self.process.run(MeasureSong(session=session), self.workspace, progress)

    def test_gives_what_measuring_here_gives_and_keeps_it_for_us(self) -> None:
        session = self.new_session(loud=sine(300, -1, 1.0), soft=noise(1.0)).session
        shares: list[float] = []
        aside = self.measure(session, shares.append)
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
            self.measure(session, stop)
        other = self.new_session(short=noise(0.5)).session
        self.assertEqual(self.measure(other)["duration_s"], 0.5)

    def test_errors_come_over_with_what_and_where(self) -> None:
        session = self.new_session(tone=noise(0.5)).session
        missing = session.media[0].model_copy(update={"sha256": "0" * 64})
        with self.assertRaises(NotFound) as caught:
            self.measure(session.model_copy(update={"media": (missing,)}))
        self.assertEqual(caught.exception.where, missing.path)
        self.assertIn("Import it again", caught.exception.remedy)

    def test_a_process_that_died_is_started_again(self) -> None:
        session = self.new_session(tone=noise(0.5)).session
        self.measure(session)
        first = self.pid()

        def kill(_share: float) -> None:
            os.kill(self.pid(), signal.SIGKILL)

        louder = self.new_session(tone=noise(20.0, level=0.2)).session
        with self.assertRaisesRegex(GemischtError, "stopped unexpectedly"):
            self.measure(louder, kill)
        self.assertEqual(self.measure(louder)["duration_s"], 20.0)
        self.assertNotEqual(self.pid(), first)

    def test_a_question_is_answered_while_a_song_is_measured(self) -> None:
        long = self.new_session(long=noise(60.0)).session
        short = self.new_session(short=noise(0.5)).session
        asked = threading.Event()
        answered: list[dict[str, Any]] = []

        def ask() -> None:
            asked.wait(20.0)
            ledger = MeasureLedger(session=short, strip="short", stretch_s=None)
            answered.append(self.process.run(ledger, self.workspace))

        def stop_once_answered(_share: float) -> None:
            asked.set()
            if answered:
                raise Cancelled("enough")

        asking = threading.Thread(target=ask)
        asking.start()
        with self.assertRaisesRegex(Cancelled, "enough"):
            self.measure(long, stop_once_answered)
        asking.join(20.0)
        self.assertEqual(len(answered[0]["ways"]), 1)

    def test_prints_lie_where_they_are_fetched_from(self) -> None:
        stored = self.new_session(tone=sine(300, -6, 0.5))
        run = begin_run(self.workspace, stored, [mix_order(stored.session)])
        done = self.process.run(PrintRun(run_id=run), self.workspace)
        (printed,) = self.workspace.printed.files(run)
        self.assertEqual(done["files"], {printed.id: "done"})
        self.assertTrue((self.workspace.prints / (printed.file_name or "")).is_file())
        self.assertAlmostEqual((printed.result or {})["summary"]["sample_peak_dbfs"], -6.0, delta=0.05)

    def test_it_gets_ready_and_on_beside_programs_that_take_every_processor(self) -> None:
        session = self.new_session(tone=noise(30.0, seed=77)).session
        busy = [subprocess.Popen([sys.executable, "-c", "while True: pass"]) for _ in range(2 * (os.cpu_count() or 1))]
        self.addCleanup(lambda: [program.wait() for program in busy])
        self.addCleanup(lambda: [program.kill() for program in busy])
        began_s = time.monotonic()
        measured = self.measure(session)
        self.assertEqual(measured["duration_s"], 30.0)
        self.assertLess(time.monotonic() - began_s, 120.0)

    def test_too_little_of_the_machine_is_noticed_while_there_is_work_and_forgotten_with_it(self) -> None:
        share = priority.Share()
        with mock.patch("time.process_time", return_value=0.0):
            for working in (True, True, False, True, True, True):
                self.assertFalse(share.is_starved)
                share.look(working=working)
        self.assertTrue(share.is_starved)
        share.look(working=False)
        self.assertFalse(share.is_starved)

    def test_it_stands_back_behind_playback_by_what_every_user_may_do(self) -> None:
        self.process.start()
        self.measure(self.new_session(tone=noise(0.5)).session)
        for thread in os.listdir(f"/proc/{self.pid()}/task"):
            self.assertGreater(os.getpriority(os.PRIO_PROCESS, int(thread)), os.getpriority(os.PRIO_PROCESS, 0))
            # Who leaves the common queue comes back to it only with a right that few have.
            self.assertEqual(os.sched_getscheduler(int(thread)), os.SCHED_OTHER)
