"""What killed programs leave is swept by the next server; what somebody still works on is not."""

import os
import signal
import subprocess
import sys
import time
from contextlib import closing
from pathlib import Path

from gemischt.core.errors import StorageFailed
from gemischt.operations.workspace import Workspace
from gemischt.storage.writing import written_beside
from tests.support.files import write_wav
from tests.support.signals import noise
from tests.support.workspaces import WorkspaceCase

KILLED_WHILE_IMPORTING = """
import os, signal, sys
from pathlib import Path
from gemischt.operations.workspace import Workspace
from gemischt.storage.database import Database
def progress(share):
    if share >= float(sys.argv[3]):
        os.kill(os.getpid(), signal.SIGKILL)
workspace = Workspace(Path(sys.argv[1]))
if sys.argv[3] == "2":
    Database.writing = lambda self: os.kill(os.getpid(), signal.SIGKILL)
workspace.audio.add(Path(sys.argv[2]), "a.wav", sample_rate_hz=44100, progress=progress)
"""


def grow_old(folder: Path) -> None:
    """Let everything be an hour old: what is being made right now is never swept."""
    for path in folder.rglob("*"):
        if path.is_file():
            os.utime(path, (time.time() - 3600, time.time() - 3600))


def served(data: Path) -> int:
    """A server starts and ends; how many bytes it swept."""
    with closing(Workspace(data)) as workspace:
        return workspace.begin_serving()


def files(data: Path) -> list[str]:
    """Every file in a data folder that holds sound or was to."""
    folders = ("audio/originals", "audio/decoded", "uploads", "prints")
    return [path.name for name in folders for path in (data / name).rglob("*") if path.is_file()]


class LeftoversTest(WorkspaceCase):
    def test_an_import_killed_at_any_moment(self) -> None:
        path = write_wav(self.folder / "a.wav", noise(4.0))
        for moment in ("0", "0.5", "1", "2"):
            with self.subTest(moment):
                data = self.folder / f"killed-{moment}"
                command = [sys.executable, "-c", KILLED_WHILE_IMPORTING, str(data), str(path), moment]
                self.assertEqual(subprocess.run(command, check=False).returncode, -signal.SIGKILL)
                self.assertNotEqual(files(data), [])
                grow_old(data)
                self.assertGreater(served(data), 0)
                self.assertEqual(files(data), [])
                with closing(Workspace(data)) as workspace:
                    workspace.audio.add(path, "a.wav", sample_rate_hz=44100)
                grow_old(data)
                self.assertEqual(served(data), 0)
                self.assertEqual(len(files(data)), 2)

    def test_what_somebody_writes_is_left_alone(self) -> None:
        with written_beside(self.workspace.prints / "song.wav") as temporary:
            temporary.write_bytes(b"half")
            grow_old(self.data)
            served(self.data)
            self.assertTrue(temporary.exists())

    def test_uploads_and_a_first_start_that_was_killed(self) -> None:
        (self.workspace.uploads / "upload-1.part").write_bytes(b"x" * 1000)
        folder = self.workspace.uploads / "tmp1"
        folder.mkdir()
        (folder / "kick.wav").write_bytes(b"x" * 500)
        self.assertEqual(served(self.data), 1500)
        self.assertEqual(list(self.workspace.uploads.iterdir()), [])

    def test_a_second_server_on_one_folder_is_refused(self) -> None:
        self.workspace.begin_serving()
        with self.assertRaises(StorageFailed) as caught:
            served(self.data)
        self.assertIn("another Gemischt server", caught.exception.what)
