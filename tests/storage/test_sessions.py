"""Sessions and their history: revisions, undo across restarts, the bin, and a killed process."""

import os
import signal
import subprocess
import sys
import time

from gemischt.core.errors import InvalidAction, InvalidSession, NotFound, RevisionConflict
from gemischt.core.session.actions import Action, AddStrip, SetStrips, parse_action
from gemischt.operations.workspace import Workspace
from tests.support.workspaces import WorkspaceCase


def fader(level_db: float) -> Action:
    return SetStrips.model_validate({"changes": [{"strip": "mix", "fader_db": level_db}]})


class HistoryTest(WorkspaceCase):
    def setUp(self) -> None:
        super().setUp()
        self.store = self.workspace.sessions
        self.id = self.new_session().id

    def faders(self, *levels_db: float) -> None:
        for level_db in levels_db:
            self.store.edit(self.id, self.store.get(self.id).revision, fader(level_db))

    def fader_db(self) -> float | None:
        return self.store.get(self.id).session.mix.fader_db

    def test_undo_and_redo_walk_the_edits(self) -> None:
        self.faders(-1.0, -2.0, -3.0)
        seen = []
        for _ in range(3):
            seen.append(self.store.undo(self.id, self.store.get(self.id).revision).session.mix.fader_db)
        self.assertEqual(seen, [-2.0, -1.0, 0.0])
        stored = self.store.get(self.id)
        self.assertEqual((stored.undo, stored.redo), (None, "Mix: fader -1.0 dB"))
        self.assertEqual(self.store.redo(self.id, stored.revision).session.mix.fader_db, -1.0)

    def test_a_new_edit_drops_what_was_undone(self) -> None:
        self.faders(-1.0, -2.0)
        self.store.undo(self.id, self.store.get(self.id).revision)
        self.faders(-9.0)
        self.assertEqual(
            [entry.name for entry in self.store.history(self.id)], ["Mix: fader -9.0 dB", "Mix: fader -1.0 dB"]
        )
        with self.assertRaises(InvalidAction):
            self.store.redo(self.id, self.store.get(self.id).revision)

    def test_nothing_to_undo_is_said(self) -> None:
        with self.assertRaises(InvalidAction):
            self.store.undo(self.id, self.store.get(self.id).revision)

    def test_history_survives_a_restart(self) -> None:
        self.faders(-1.0, -2.0)
        self.workspace.close()
        again = Workspace(self.data)
        self.addCleanup(again.close)
        stored = again.sessions.get(self.id)
        self.assertEqual(stored.undo, "Mix: fader -2.0 dB")
        self.assertEqual(again.sessions.undo(self.id, stored.revision).session.mix.fader_db, -1.0)

    def test_an_edit_of_an_old_revision_is_refused_and_changes_nothing(self) -> None:
        old = self.store.get(self.id).revision
        self.faders(-1.0)
        with self.assertRaises(RevisionConflict):
            self.store.edit(self.id, old, fader(-5.0))
        self.assertEqual(self.fader_db(), -1.0)

    def test_an_edit_that_changes_nothing_is_no_entry(self) -> None:
        self.faders(-1.0, -1.0)
        self.assertEqual(len(self.store.history(self.id)), 1)

    def test_a_refused_edit_leaves_everything(self) -> None:
        self.faders(-1.0)
        before = self.store.get(self.id)
        loop = parse_action({"type": "set-output", "strips": ["mix"], "output": "mix"})
        with self.assertRaises(InvalidSession):
            self.store.edit(self.id, before.revision, loop)
        self.assertEqual(self.store.get(self.id), before)

    def test_structural_edits_undo_exactly(self) -> None:
        before = self.store.get(self.id)
        added = self.store.edit(self.id, before.revision, AddStrip(name="Bus"))
        undone = self.store.undo(self.id, added.revision)
        self.assertEqual(undone.session, before.session)


class BinTest(WorkspaceCase):
    def test_delete_and_restore(self) -> None:
        stored = self.new_session()
        self.workspace.sessions.delete(stored.id)
        self.assertEqual(self.workspace.sessions.entries(), [])
        self.assertEqual([entry.id for entry in self.workspace.sessions.entries(deleted=True)], [stored.id])
        with self.assertRaises(NotFound):
            self.workspace.sessions.get(stored.id)
        self.assertEqual(self.workspace.sessions.restore(stored.id), stored)

    def test_duplicate_is_independent(self) -> None:
        stored = self.new_session()
        copy = self.workspace.sessions.duplicate(stored)
        self.workspace.sessions.edit(copy.id, copy.revision, fader(-7.0))
        self.assertEqual(self.workspace.sessions.get(stored.id).session.mix.fader_db, 0.0)
        self.assertEqual(copy.session.name, "Song copy")

    def test_sessions_are_found_by_name_or_id(self) -> None:
        stored = self.new_session()
        self.assertEqual(self.workspace.sessions.find("Song").id, stored.id)
        self.assertEqual(self.workspace.sessions.find(stored.id).id, stored.id)
        with self.assertRaises(NotFound):
            self.workspace.sessions.find("Nobody")


EDITOR = """
import sys
from pathlib import Path
from gemischt.operations.workspace import Workspace
from tests.storage.test_sessions import fader
store = Workspace(Path(sys.argv[1])).sessions
session_id, revision = sys.argv[2], int(sys.argv[3])
for number in range(100000):
    revision = store.edit(session_id, revision, fader(-(number % 100) / 10 - 0.1)).revision
    print(number, flush=True)
"""


class KilledProcessTest(WorkspaceCase):
    def test_kill_9_loses_no_acknowledged_edit(self) -> None:
        stored = self.new_session()
        for _ in range(2):
            revision = self.workspace.sessions.get(stored.id).revision
            command = [sys.executable, "-c", EDITOR, str(self.data), stored.id, str(revision)]
            with subprocess.Popen(command, stdout=subprocess.PIPE, text=True) as editor:
                assert editor.stdout is not None
                acknowledged = [int(editor.stdout.readline()) for _ in range(10)]
                time.sleep(0.05)
                os.kill(editor.pid, signal.SIGKILL)
                acknowledged += [int(line) for line in editor.stdout.read().split("\n")[:-1]]
            after = self.workspace.sessions.get(stored.id)
            self.assertGreaterEqual(after.revision, revision + len(acknowledged))
            self.assertLessEqual(after.revision, revision + len(acknowledged) + 1)
            self.assertEqual(len(self.workspace.sessions.history(stored.id)), after.revision - stored.revision)
