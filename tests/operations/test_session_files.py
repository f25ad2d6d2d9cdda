"""Sessions as files: reading, checking, exporting, archives that mean harm."""

import contextlib
import json
import random
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
                with self.assertRaises(InvalidSession):
                    session_files.locate_session(self.workspace, str(written))
                self.assertEqual(len(session_files.check_session_file(written)), 1)

    def test_a_link_may_not_lead_out(self) -> None:
        path = self.write(media=[{"id": "a", "path": "audio/link.wav"}])
        (path.parent / "audio" / "link.wav").symlink_to(write_wav(self.folder / "secret.wav", noise(0.1)))
        with self.assertRaises(BadAudio):
            session_files.locate_session(self.workspace, str(path))

    def test_paths_that_no_file_system_takes_are_refused_in_words(self) -> None:
        for path, reason in (("audio/a\0.wav", "control characters"), ("audio/" + "x" * 300, "longer than 255 bytes")):
            with self.subTest(reason):
                faults = session_files.check_session_file(self.write(media=[{"id": "a", "path": path}]))
                self.assertIn(reason, faults[0].reason)

    def test_audio_with_another_hash_or_that_cannot_be_read_is_no_sound_session(self) -> None:
        path = self.write(media=[{"id": "a", "path": "audio/a.wav", "sha256": "0" * 64}])
        self.assertIn("hash differs", session_files.check_session_file(path)[0].reason)
        path = self.write()
        (path.parent / "audio" / "a.wav").write_bytes(b"no audio at all")
        self.assertIn("not readable", session_files.check_session_file(path)[0].reason)

    def test_audio_of_the_data_folder_is_checked_as_closely(self) -> None:
        session = self.new_session(tone=noise(0.1)).session
        self.assertEqual(session_files.check_stored_session(self.workspace, session), [])
        original = self.workspace.audio.get(session.media[0].sha256).path
        data = bytearray(original.read_bytes())
        data[-100] ^= 1
        original.write_bytes(data)
        self.assertIn("hash differs", session_files.check_stored_session(self.workspace, session)[0].reason)
        original.unlink()
        self.assertIn("no such file", session_files.check_stored_session(self.workspace, session)[0].reason)

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

    def test_what_unpacks_to_far_more_than_it_is(self) -> None:
        path = self.folder / "bomb.zip"
        with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as archive:
            archive.writestr("a.gemischt.json", "{}")
            archive.writestr("audio/silence.wav", b"\0" * (65 << 20))
        self.assertIn("times its size", self.refused(path))

    def test_encrypted_damaged_and_unknown_archives(self) -> None:
        path = self.archive(**{"a.gemischt.json": '{"name": "' + "x" * 3000 + '"}'})
        plain = bytearray(path.read_bytes())
        directory = plain.index(b"PK\x01\x02")
        encrypted = plain.copy()
        encrypted[6] |= 1
        encrypted[directory + 8] |= 1
        unknown = plain.copy()
        unknown[8], unknown[directory + 10] = 99, 99
        damaged = plain.copy()
        damaged[100] ^= 0xFF
        for name, data, reason in (
            ("encrypted", encrypted, "encrypted"),
            ("unknown", unknown, "not a readable zip"),
            ("damaged", damaged, "not a readable zip"),
            ("cut", plain[: len(plain) // 2], "not a readable zip"),
        ):
            with self.subTest(name):
                path.write_bytes(data)
                self.assertIn(reason, self.refused(path))

    def test_random_damage_is_refused_in_words_or_harmless(self) -> None:
        with zipfile.ZipFile(self.folder / "a.zip", "w", zipfile.ZIP_DEFLATED) as archive:
            archive.writestr("a.gemischt.json", json.dumps({"name": "x" * 500, "strips": list(range(200))}))
        plain = (self.folder / "a.zip").read_bytes()
        rng = random.Random(4)
        for number in range(300):
            data = bytearray(plain)
            for _ in range(rng.randint(1, 4)):
                data[rng.randrange(len(data))] = rng.randrange(256)
            (self.folder / "a.zip").write_bytes(data)
            with self.subTest(number=number), contextlib.suppress(InvalidSession):
                with session_files.unpacked(self.folder / "a.zip") as document:
                    session_files.read_session_file(document)

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
            "caf\udce9.wav": "caf?.wav",
            "": "untitled",
            "folder/": "untitled",
        }
        for name, cleaned in cases.items():
            with self.subTest(name):
                self.assertEqual(clean_name(name), cleaned)
