"""Long work: one after the other, with progress, cancel, and errors that are kept."""

import threading
import time
import unittest

from gemischt.core.errors import BadAudio, NotFound
from gemischt.operations.jobs import KEPT_JOBS, UNFINISHED, WORKERS, Job, Jobs
from gemischt.storage.audio_files import Progress


class JobsTest(unittest.TestCase):
    def setUp(self) -> None:
        self.jobs = Jobs()
        self.addCleanup(self.jobs.close)

    def finished(self, job: Job) -> Job:
        self.assertIs(self.jobs.get(job.id, wait_s=10.0), job)
        self.assertNotIn(job.state, UNFINISHED)
        return job

    def test_a_result_waits_to_be_fetched(self) -> None:
        job = self.jobs.start("Sum", lambda report: {"sum": 3})
        self.assertEqual(self.finished(job).result, {"sum": 3})
        self.assertIs(self.jobs.get(job.id), job)
        self.assertEqual((job.state, job.progress), ("done", 1.0))

    def test_who_waits_is_answered_at_the_end_however_it_comes_or_when_the_time_is_over(self) -> None:
        go_on = threading.Event()

        def work(report: Progress) -> None:
            while not go_on.wait(0.002):
                report(0.1)

        running = [self.jobs.start("Wait", work) for _ in range(WORKERS)]
        waiting = self.jobs.start("Behind", work)
        began_s = time.monotonic()
        self.assertIn(self.jobs.get(waiting.id, wait_s=0.05).state, UNFINISHED)
        self.assertGreaterEqual(time.monotonic() - began_s, 0.05)
        self.jobs.cancel(waiting.id)
        self.jobs.cancel(running[0].id)
        failing = self.jobs.start("Fail", lambda report: self.fail("it must"))
        with self.assertLogs("gemischt.operations.jobs", "ERROR"):
            states = [self.finished(job).state for job in (waiting, running[0], failing)]
        self.assertEqual(states, ["cancelled", "cancelled", "failed"])
        go_on.set()
        self.assertEqual([self.finished(job).state for job in running[1:]], ["done"] * (WORKERS - 1))
        self.assertLess(time.monotonic() - began_s, 10.0)

    def test_progress_is_seen_while_it_runs(self) -> None:
        halfway, go_on = threading.Event(), threading.Event()

        def work(report: Progress) -> None:
            report(0.5)
            halfway.set()
            go_on.wait(10)

        job = self.jobs.start("Half", work)
        self.assertTrue(halfway.wait(10))
        self.assertEqual((job.state, job.progress), ("running", 0.5))
        go_on.set()
        self.finished(job)

    def test_cancelling_a_running_and_a_waiting_job(self) -> None:
        started = threading.Barrier(WORKERS + 1)

        def forever(report: Progress) -> None:
            started.wait(10)
            while True:
                report(0.1)
                time.sleep(0.002)

        running = [self.jobs.start("Forever", forever) for _ in range(WORKERS)]
        waiting = self.jobs.start("Never", lambda report: self.fail("it must not run"))
        started.wait(10)
        for job in (waiting, *running):
            self.jobs.cancel(job.id)
            self.assertEqual(self.finished(job).state, "cancelled")

    def test_what_only_the_pages_of_a_session_wanted_is_given_up_with_them(self) -> None:
        go_on = threading.Event()

        def work(report: Progress) -> None:
            while not go_on.wait(0.002):
                report(0.1)

        wanted = self.jobs.start_instead("Measure a", work, session="a")
        printed = self.jobs.start("Print a", work)
        waiting = [self.jobs.start_instead(f"Measure {name}", work, session=name) for name in ("b", "a")]
        self.jobs.give_up_for("a")
        self.assertEqual([self.finished(job).state for job in (wanted, waiting[1])], ["cancelled", "cancelled"])
        go_on.set()
        self.assertEqual([self.finished(job).state for job in (printed, waiting[0])], ["done", "done"])

    def test_what_steps_aside_is_given_up_for_what_does_not(self) -> None:
        def forever(report: Progress) -> None:
            while True:
                report(0.1)
                time.sleep(0.002)

        listed = self.jobs.start_instead("Measure a", forever, session="a", steps_aside=True)
        beside = self.jobs.start_instead("Measure b", forever, session="b", steps_aside=True)
        self.assertEqual([job.state in UNFINISHED for job in (listed, beside)], [True, True])
        opened = self.jobs.start_instead("Measure c", lambda report: None, session="c")
        self.assertEqual([self.finished(job).state for job in (listed, beside)], ["cancelled", "cancelled"])
        self.assertEqual(self.finished(opened).state, "done")

    def test_errors_are_kept_expected_or_not(self) -> None:
        def refuse(report: Progress) -> None:
            raise BadAudio("it is broken", where="a.wav", remedy="Mend it.")

        def fall_over(report: Progress) -> None:
            raise ZeroDivisionError

        refused = self.finished(self.jobs.start("Refuse", refuse))
        assert refused.error is not None
        self.assertEqual((refused.state, refused.error.where), ("failed", "a.wav"))
        fallen = self.finished(self.jobs.start("Fall", fall_over))
        assert fallen.error is not None
        self.assertIn("ZeroDivisionError", fallen.error.what)

    def test_an_unknown_job_is_said(self) -> None:
        with self.assertRaises(NotFound):
            self.jobs.get("none")

    def test_old_jobs_are_forgotten(self) -> None:
        # One after the other: of jobs that wait only so many are taken.
        jobs = [self.finished(self.jobs.start(str(number), lambda report: None)) for number in range(KEPT_JOBS + 5)]
        self.assertEqual(len(self.jobs.all()), KEPT_JOBS)
        with self.assertRaises(NotFound):
            self.jobs.get(jobs[0].id)
