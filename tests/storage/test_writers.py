"""Many writers at once, from threads and processes: every edit that was acknowledged is there, every other refused."""

import subprocess
import sys
import threading
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from functools import partial

from gemischt.core.errors import InvalidAction, RevisionConflict
from gemischt.operations.print_lists import begin_run, run_list
from gemischt.storage.audio_files import no_progress
from gemischt.storage.sessions import SessionStore, StoredSession
from tests.storage.test_sessions import fader
from tests.support.files import write_wav
from tests.support.prints import mix_order
from tests.support.signals import RATE_HZ, noise
from tests.support.workspaces import WorkspaceCase

ROUNDS = 10
WRITER = """
import sys
from contextlib import closing
from pathlib import Path
from gemischt.core.errors import RevisionConflict
from gemischt.operations.workspace import Workspace
from tests.storage.test_sessions import fader
with closing(Workspace(Path(sys.argv[1]))) as workspace:
    for line in sys.stdin:
        revision = int(line)
        try:
            workspace.sessions.edit(sys.argv[2], revision, fader(-float(sys.argv[3]) - revision / 1000))
            print("kept", flush=True)
        except RevisionConflict:
            print("refused", flush=True)
"""


class WritersTest(WorkspaceCase):
    def race(self, *writers: Callable[[], StoredSession]) -> int:
        """Let all go at once; how many were kept."""
        start = threading.Barrier(len(writers))

        def go(write: Callable[[], StoredSession]) -> bool:
            start.wait()
            try:
                write()
            except RevisionConflict:
                return False
            return True

        with ThreadPoolExecutor(len(writers)) as pool:
            return sum(pool.map(go, writers))

    def test_of_many_edits_on_one_revision_one_is_kept(self) -> None:
        store = self.workspace.sessions
        for n_writers in (2, 8, 20):
            with self.subTest(n_writers=n_writers):
                stored = self.new_session()
                for round_ in range(ROUNDS):
                    revision = store.get(stored.id).revision
                    levels = [-1.0 - round_ / 10 - number / 1000 for number in range(n_writers)]
                    edits = [partial(store.edit, stored.id, revision, fader(level)) for level in levels]
                    kept = self.race(*edits)
                    after = store.get(stored.id)
                    self.assertEqual((kept, after.revision), (1, revision + 1))
                    self.assertIn(after.session.mix.fader_db, levels)
                self.assertEqual(len(store.history(stored.id)), ROUNDS)
                self.assert_all_can_be_undone(store, stored)

    def test_undo_and_redo_race_with_edits_like_any_other(self) -> None:
        store = self.workspace.sessions
        for step in (store.undo, store.redo):
            with self.subTest(step.__name__):
                stored = self.new_session()
                for round_ in range(ROUNDS):
                    before = store.edit(stored.id, store.get(stored.id).revision, fader(-1.0 - round_))
                    before = store.edit(stored.id, before.revision, fader(-30.0 - round_))
                    if step == store.redo:
                        before = store.undo(stored.id, before.revision)
                    revision = before.revision
                    edit = partial(store.edit, stored.id, revision, fader(-60.0 - round_))
                    kept = self.race(partial(step, stored.id, revision), edit)
                    self.assertEqual((kept, store.get(stored.id).revision), (1, revision + 1))
                self.assert_all_can_be_undone(store, stored)

    def test_two_processes_race_like_two_threads(self) -> None:
        stored = self.new_session()
        command = [sys.executable, "-c", WRITER, str(self.data), stored.id]
        pipes = {"stdin": subprocess.PIPE, "stdout": subprocess.PIPE, "text": True}
        writers = [subprocess.Popen([*command, level], **pipes) for level in "12"]  # type: ignore[call-overload]
        self.addCleanup(lambda: [writer.communicate() for writer in writers])
        revision = stored.revision
        for _ in range(ROUNDS):
            for writer in writers:
                writer.stdin.write(f"{revision}\n")
                writer.stdin.flush()
            answers = sorted(writer.stdout.readline().strip() for writer in writers)
            self.assertEqual(answers, ["kept", "refused"])
            revision += 1
            self.assertEqual(self.workspace.sessions.get(stored.id).revision, revision)
        self.assert_all_can_be_undone(self.workspace.sessions, stored)

    def test_many_bring_the_same_file_in(self) -> None:
        path = write_wav(self.folder / "same.wav", noise(0.1))
        start = threading.Barrier(8)

        def bring(_: int) -> str:
            start.wait()
            return self.workspace.audio.add(path, "same.wav", sample_rate_hz=RATE_HZ).sha256

        with ThreadPoolExecutor(8) as pool:
            self.assertEqual(len(set(pool.map(bring, range(8)))), 1)

    def assert_all_can_be_undone(self, store: SessionStore, first: StoredSession) -> None:
        current = store.get(first.id)
        while current.undo is not None:
            current = store.undo(first.id, current.revision)
        self.assertEqual(current.session, first.session)
        with self.assertRaises(InvalidAction):
            store.undo(first.id, current.revision)


class PrintNamesTest(WorkspaceCase):
    def test_prints_ordered_at_once_keep_both(self) -> None:
        stored = self.new_session(tone=noise(0.2))
        start = threading.Barrier(6)

        def order(_: int) -> str | None:
            run = begin_run(self.workspace, stored, [mix_order(stored.session)])
            start.wait()
            return run_list(self.workspace, run, no_progress)[0].file_name

        with ThreadPoolExecutor(6) as pool:
            names = set(pool.map(order, range(6)))
        self.assertEqual(names, {"Song - Mix.wav", *(f"Song - Mix {number}.wav" for number in range(2, 7))})
        self.assertEqual({path.name for path in self.workspace.prints.iterdir()}, names)
