"""Many songs: printed on processes and on a cluster, failures alone, interrupted runs gone on with."""

import contextlib
import csv
import io
import json
import os
import signal
import subprocess
import sys
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from unittest import mock

import numpy as np
import soundfile
from distributed import LocalCluster

from gemischt.cli import print_commands
from gemischt.core.errors import StorageFailed
from gemischt.core.session.actions import parse_action
from gemischt.operations import catalogue
from gemischt.operations.catalogue import RESULTS, TABLE, SongJob, SongResult, cluster, run_catalogue
from gemischt.operations.session_files import export_session
from tests.support.signals import noise
from tests.support.workspaces import WorkspaceCase


def silent(_result: SongResult, _done: int, _of: int) -> None:
    pass


class CatalogueCase(WorkspaceCase):
    def songs(self, count: int) -> list[Path]:
        """Session files, each of a song of its own with a mix on its print list."""
        written = []
        for number in range(count):
            stored = self.new_session(tone=noise(0.5, seed=number))
            action = {"type": "set-print", "print": {"id": "p1", "strips": ["mix"], "format": "wav-32f"}}
            session = self.workspace.edit(stored.id, stored.revision, parse_action(action)).session
            folder = self.folder / f"song {number}"
            written.append(export_session(self.workspace, session, folder))
        return written

    def jobs(self, count: int, **fields: str) -> list[SongJob]:
        return [
            SongJob(str(path), "list", str(self.folder / "out" / path.parent.name), **fields)  # type: ignore[arg-type]
            for path in self.songs(count)
        ]

    def assert_printed(self, number: int, folder: Path | None = None) -> None:
        folder = folder or self.folder / "out" / f"song {number}"
        read, _ = soundfile.read(folder / "Song - Mix.wav", always_2d=True)
        np.testing.assert_allclose(read.T, noise(0.5, seed=number).astype(np.float32), atol=1e-7)


class RunTest(CatalogueCase):
    def test_a_cluster_of_two_workers_does_so_too(self) -> None:
        with (
            LocalCluster(n_workers=2, threads_per_worker=1, processes=True, dashboard_address=None) as local,
            cluster(local.scheduler_address) as workers,
        ):
            results = run_catalogue(self.jobs(4), workers, self.folder / "out", told=silent)
        self.assertEqual([result.state for result in results], ["done"] * 4, results)
        for number in range(4):
            self.assert_printed(number)

    def test_nobody_at_the_address_is_said(self) -> None:
        with mock.patch.object(catalogue, "ANSWERS_WITHIN_S", 0.5):
            with self.assertRaises(StorageFailed), cluster("tcp://127.0.0.1:9"):
                pass

    def test_one_that_fails_fails_alone_and_all_stand_in_one_table(self) -> None:
        jobs = self.jobs(3)
        Path(jobs[1].session).write_text("{}")
        with ThreadPoolExecutor(1) as workers:
            results = run_catalogue(jobs, workers, self.folder / "out", told=silent)
        self.assertEqual([result.state for result in results], ["done", "failed", "done"])
        with (self.folder / "out" / TABLE).open(encoding="utf-8") as file:
            rows = list(csv.DictReader(file))
        self.assertEqual([row["state"] for row in rows], ["done", "failed", "done"])
        self.assertIn("strips", rows[1]["error"])
        self.assertAlmostEqual(float(rows[0]["duration_s"]), 0.5)

    def test_what_is_done_is_not_done_again_but_what_changed_is(self) -> None:
        jobs = self.jobs(3)
        done: list[str] = []
        original = catalogue.run_job

        def counting(job: SongJob) -> SongResult:
            done.append(job.session)
            return original(job)

        changed = Path(jobs[2].session)
        for expected in ([job.session for job in jobs], [], [jobs[2].session]):
            done.clear()
            if expected == [jobs[2].session]:
                changed.write_text(changed.read_text().replace('"name": "Song"', '"name": "Other"'))
            with mock.patch.object(catalogue, "run_job", counting), ThreadPoolExecutor(1) as workers:
                run_catalogue(jobs, workers, self.folder / "out", told=silent)
            self.assertEqual(done, expected)

    def test_measured_it_says_loudness_peak_and_findings(self) -> None:
        (path,) = self.songs(1)
        with ThreadPoolExecutor(1) as workers:
            (result,) = run_catalogue([SongJob(str(path), "measure")], workers, self.folder / "out", told=silent)
        (row,) = result.rows
        self.assertAlmostEqual(row["duration_s"], 0.5)
        self.assertLess(row["integrated_lufs"], -10.0)
        self.assertIn("findings", row)

    def test_a_target_is_held_against_and_stems_are_made(self) -> None:
        jobs = [SongJob(job.session, "stems", job.to, target="r128") for job in self.jobs(1)]
        with ThreadPoolExecutor(1) as workers:
            (result,) = run_catalogue(jobs, workers, self.folder / "out", told=silent)
        self.assertEqual([row["file"] for row in result.rows], ["Song - tone.wav"])
        self.assertIn("loudness", result.rows[0]["verdict"])

    def test_sessions_and_folders_may_lie_at_an_address(self) -> None:
        (path,) = self.songs(1)
        job = SongJob(f"file://{path}", "list", f"file://{self.folder}/out/song 0")
        with ThreadPoolExecutor(1) as workers:
            (result,) = run_catalogue([job], workers, self.folder / "out", told=silent)
        self.assertEqual(result.state, "done", result)
        self.assert_printed(0)


class CommandTest(CatalogueCase):
    def command(self, *arguments: object) -> list[str]:
        return [str(Path(sys.executable).parent / "gemischt"), *map(str, arguments)]

    def test_a_killed_run_goes_on(self) -> None:
        many = self.folder / "many"
        many.mkdir()
        for path in self.songs(3):
            path.parent.rename(many / path.parent.name)
        out = self.folder / "out"
        running = subprocess.Popen(
            self.command("print", many, "--to", out), stdout=subprocess.PIPE, start_new_session=True
        )
        assert running.stdout is not None
        self.assertIn(b"1/3", running.stdout.readline())
        os.killpg(running.pid, signal.SIGKILL)
        running.wait()
        running.stdout.close()
        kept = json.loads((out / RESULTS).read_text())
        self.assertIn(len([one for one in kept if one["state"] == "done"]), range(1, 3))
        again = subprocess.run(self.command("print", many, "--to", out), capture_output=True, text=True, check=True)
        self.assertIn("3 done, 0 failed", again.stdout)
        self.assertNotIn("1/3", again.stdout)
        for number in range(3):
            self.assert_printed(number, out / f"Song{' ' + str(number + 1) if number else ''}")

    def test_the_catalogue_lists_what_lies_below_a_folder(self) -> None:
        self.songs(1)
        said = io.StringIO()
        aside = contextlib.contextmanager(lambda _count: iter([ThreadPoolExecutor(1)]))
        with mock.patch.object(print_commands, "processes", aside), contextlib.redirect_stdout(said):
            print_commands.catalogue(self.folder, workers=1, address=None, data=self.data, as_json=True)
        (row,) = json.loads(said.getvalue())
        self.assertEqual((row["error"], row["duration_s"]), ("", 0.5))
