"""Sessions as files: reading, checking, exporting, archives that mean harm."""

import json
import zipfile
from pathlib import Path
from typing import Any
from unittest import mock

from gemischt.core.errors import BadAudio, InvalidSession, NotFound
from gemischt.core.session.actions import SetSong
from gemischt.operations import session_files
from gemischt.operations.importing import clean_name
from tests.support.files import write_wav
from tests.support.signals import noise
from tests.support.workspaces import WorkspaceCase


class ReadingTest(WorkspaceCase):
    def write(self, **changes: Any) -> Path:
        folder = self.folder / "file"
        (folder / "audio").mkdir(parents=True, exist_ok=True)
        write_wav(folder / "audio" / "a.wav", noise(0.1))
        document = {
            "name": "File",
            "media": [{"id": "a", "path": "audio/a.wav"}],
            "strips": [
                {"id": "a", "name": "A", "clips": [{"media": "a"}], "output": "mix"},
                {"id": "mix", "kind": "mix", "name": "Mix"},
            ],
        }
        path = folder / "file.gemischt.json"
        path.write_text(json.dumps(document | changes))
        return path

    def test_audio_is_taken_in_and_named_by_its_hash(self) -> None:
        located = session_files.locate_session(self.workspace, str(self.write()))
        self.assertIsNone(located.session_id)
        self.assertEqual(len(located.session.media[0].sha256), 64)
        self.assertEqual(self.workspace.open_media(located.session).samples["a"].shape, (4800, 2))

    def test_audio_that_is_not_what_the_session_was_made_with_is_refused(self) -> None:
        path = self.write(media=[{"id": "a", "path": "audio/a.wav", "sha256": "0" * 64}])
        with self.assertRaises(BadAudio) as caught:
            session_files.locate_session(self.workspace, str(path))
        self.assertIn("hash differs", caught.exception.what)

    def test_paths_may_not_lead_out(self) -> None:
        for path in ("../secret.wav", "/etc/passwd", "audio/../../secret.wav"):
            with self.subTest(path):
                written = self.write(media=[{"id": "a", "path": path}])
                with self.assertRaises(BadAudio):
                    session_files.locate_session(self.workspace, str(written))
                self.assertEqual(len(session_files.check_session_file(written)), 1)

    def test_a_sound_file_has_no_faults(self) -> None:
        self.assertEqual(session_files.check_session_file(self.write()), [])

    def test_missing_media_in_the_store_is_named(self) -> None:
        located = session_files.locate_session(self.workspace, str(self.write()))
        self.workspace.audio.get(located.session.media[0].sha256)
        gone = located.session.media[0].model_copy(update={"sha256": "f" * 64})
        with self.assertRaises(NotFound) as caught:
            self.workspace.open_media(located.session.model_copy(update={"media": (gone,)}))
        self.assertEqual(caught.exception.where, "audio/a.wav")


class ExportTest(WorkspaceCase):
    def test_a_name_with_slashes_and_emoji_makes_a_safe_file(self) -> None:
        stored = self.new_session(tone=noise(0.05))
        renamed = self.workspace.sessions.edit(stored.id, stored.revision, SetSong(name="A/B: Ebb 🌊 …"))
        written = session_files.export_session(self.workspace, renamed.session, self.folder / "out")
        self.assertEqual(written.parent, self.folder / "out")
        self.assertTrue(written.name.endswith(".gemischt.json"))
        self.assertEqual(session_files.read_session_file(written).name, "A/B: Ebb 🌊 …")

    def test_exporting_over_an_older_export_replaces_it(self) -> None:
        stored = self.new_session(tone=noise(0.05))
        for _ in range(2):
            written = session_files.export_session(self.workspace, stored.session, self.folder / "out")
        self.assertEqual(session_files.read_session_file(written), stored.session)
        self.assertEqual(len(list((self.folder / "out" / "audio").iterdir())), 1)


class ArchiveTest(WorkspaceCase):
    def archive(self, **members: str) -> Path:
        path = self.folder / "a.zip"
        with zipfile.ZipFile(path, "w") as archive:
            for name, text in members.items():
                archive.writestr(name, text)
        return path

    def refused(self, path: Path) -> str:
        with self.assertRaises(InvalidSession) as caught, session_files.unpacked(path):
            self.fail("it must not be unpacked")
        return str(caught.exception)

    def test_no_archive_no_session_or_two(self) -> None:
        broken = self.folder / "broken.zip"
        broken.write_bytes(b"PK no zip")
        self.assertIn("not a readable zip", self.refused(broken))
        self.assertIn("holds 0", self.refused(self.archive(readme="x")))
        two = {"a.gemischt.json": "{}", "b.gemischt.json": "{}"}
        self.assertIn("holds 2", self.refused(self.archive(**two)))

    def test_limits_of_count_and_size(self) -> None:
        path = self.archive(**{"a.gemischt.json": "{}", "b.txt": "x" * 1000})
        with mock.patch.object(session_files, "MAX_ARCHIVE_ENTRIES", 1):
            self.assertIn("the limit is 1", self.refused(path))
        with mock.patch.object(session_files, "MAX_ARCHIVE_BYTES", 100):
            self.assertIn("unpacks to more than", self.refused(path))

    def test_what_was_unpacked_is_gone_afterwards(self) -> None:
        with session_files.unpacked(self.archive(**{"a.gemischt.json": "{}"})) as document:
            self.assertTrue(document.is_file())
        self.assertFalse(document.exists())


class NamesTest(WorkspaceCase):
    def test_names_lose_folders_and_control_characters_only(self) -> None:
        cases = {
            "kick.wav": "kick.wav",
            "/etc/passwd": "passwd",
            "..\\..\\boot.ini": "boot.ini",
            "Größe 🥁.wav": "Größe 🥁.wav",
            "a\x00\x1b[31mb.wav": "a[31mb.wav",
            "": "untitled",
            "folder/": "untitled",
        }
        for name, cleaned in cases.items():
            with self.subTest(name):
                self.assertEqual(clean_name(name), cleaned)
