"""A data folder of its own for each test case."""

import tempfile
import unittest
from pathlib import Path

from gemischt.core.session.actions import AddTracks
from gemischt.core.session.document import empty_session
from gemischt.operations.importing import import_file
from gemischt.operations.workspace import Workspace
from gemischt.storage.sessions import StoredSession
from tests.support.files import write_wav
from tests.support.signals import RATE_HZ, Signal


class WorkspaceCase(unittest.TestCase):
    """Gives every test a fresh data folder and a folder for files."""

    def setUp(self) -> None:
        holder = tempfile.TemporaryDirectory(prefix="gemischt-test-")
        self.addCleanup(holder.cleanup)
        self.folder = Path(holder.name)
        self.data = self.folder / "data"
        self.workspace = Workspace(self.data)
        self.addCleanup(self.workspace.close)

    def new_session(self, **signals: Signal) -> StoredSession:
        """A session with one track per signal, through files and the importer."""
        stored = self.workspace.sessions.create(empty_session("Song"))
        if not signals:
            return stored
        tracks = []
        for name, signal in signals.items():
            path = write_wav(self.folder / f"{name}.wav", signal)
            tracks.append(import_file(self.workspace, path, path.name, sample_rate_hz=RATE_HZ))
        return self.workspace.sessions.edit(stored.id, stored.revision, AddTracks(tracks=tuple(tracks)))
