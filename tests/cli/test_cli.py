"""The command line, run as a user runs it."""

import contextlib
import io
import json
import os
import socket
import subprocess
import sys
import zipfile
from dataclasses import dataclass
from pathlib import Path
from unittest import mock

import numpy as np
import soundfile

from gemischt.cli.main import main
from gemischt.core.session.validation import dump_session
from gemischt.operations.workspace import Workspace
from tests.core.session.test_midi import slowing
from tests.support.files import bad_files, write_wav
from tests.support.signals import clicks, noise, sine, steps
from tests.support.workspaces import WorkspaceCase

COMMAND = Path(sys.executable).parent / "gemischt"
FIGURES = {
    "path", "sample_rate_hz", "channels", "duration_s", "sample_peak_dbfs", "true_peak_dbtp", "rms_dbfs",
    "integrated_lufs", "max_momentary_lufs", "max_short_term_lufs", "loudness_range_lu", "correlation",
}  # fmt: skip


@dataclass(frozen=True)
class Done:
    stdout: str
    stderr: str


class CommandCase(WorkspaceCase):
    def run_command(self, *arguments: object, code: int = 0) -> Done:
        """Run a command within this process: starting one takes longer than most of what they do."""
        out, err = io.StringIO(), io.StringIO()
        ended: int | str | None = 0
        with (
            mock.patch.dict(os.environ, GEMISCHT_DATA=str(self.data)),
            mock.patch.object(sys, "argv", ["gemischt", *(str(item) for item in arguments)]),
            contextlib.redirect_stdout(out),
            contextlib.redirect_stderr(err),
        ):
            try:
                main()
            except SystemExit as error:
                ended = error.code
        done = Done(out.getvalue(), err.getvalue())
        self.assertEqual(ended or 0, code, done.stdout + done.stderr)
        return done

    def session_file(self) -> Path:
        """A session on disk beside its audio, as another program might write it: short."""
        folder = self.folder / "on disk"
        (folder / "audio").mkdir(parents=True)
        write_wav(folder / "audio" / "tone.wav", sine(200, -12, 1.0))
        document = {
            "name": "Disk",
            "media": [{"id": "m1", "path": "audio/tone.wav"}],
            "strips": [
                {"id": "tone", "name": "Tone", "clips": [{"media": "m1"}], "output": "mix"},
                {"id": "mix", "kind": "mix", "name": "Mix"},
            ],
        }
        path = folder / "disk.gemischt.json"
        path.write_text(json.dumps(document))
        return path


class MeasureTest(CommandCase):
    def test_json_holds_every_figure(self) -> None:
        tone = write_wav(self.folder / "tone.wav", steps((-23, 20)))
        silent = write_wav(self.folder / "silent.wav", np.zeros((1, 48000)))
        first, second = json.loads(self.run_command("measure", tone, silent, "--json").stdout)
        self.assertEqual(set(first), FIGURES)
        self.assertAlmostEqual(first["integrated_lufs"], -23.0, delta=0.1)
        self.assertAlmostEqual(first["sample_peak_dbfs"], -23.0, delta=0.01)
        self.assertAlmostEqual(first["correlation"], 1.0, places=6)
        self.assertEqual((second["channels"], second["duration_s"]), (1, 1.0))
        for name in (
            "sample_peak_dbfs",
            "true_peak_dbtp",
            "rms_dbfs",
            "integrated_lufs",
            "loudness_range_lu",
            "correlation",
        ):
            self.assertIsNone(second[name])

    def test_bad_files_fail_with_their_name(self) -> None:
        for name, (path, reason) in bad_files(self.folder).items():
            if name in ("many.wav", "long.wav"):
                continue
            with self.subTest(name):
                done = self.run_command("measure", path, code=1)
                self.assertIn(str(path), done.stderr)
                self.assertIn(reason, done.stderr)
                self.assertEqual(done.stdout, "")

    def test_a_missing_file_and_wrong_usage(self) -> None:
        self.assertIn("no such file", self.run_command("measure", "nowhere.wav", code=1).stderr)
        self.run_command("measure", code=2)
        self.run_command("measure", "--loud", "x.wav", code=2)

    def test_as_a_process_of_its_own(self) -> None:
        tone = write_wav(self.folder / "tone.wav", steps((-23, 2)))
        done = subprocess.run([COMMAND, "measure", tone, "--json"], capture_output=True, text=True, timeout=120)
        self.assertEqual((done.returncode, done.stderr), (0, ""))
        self.assertAlmostEqual(json.loads(done.stdout)[0]["sample_peak_dbfs"], -23.0, delta=0.01)
        missing = subprocess.run([COMMAND, "measure", "nowhere.wav"], capture_output=True, text=True, timeout=120)
        self.assertEqual((missing.returncode, missing.stdout), (1, ""))
        self.assertIn("no such file", missing.stderr)


class RenderTest(CommandCase):
    def test_a_session_file_renders_without_a_server(self) -> None:
        out = self.folder / "mix.wav"
        done = self.run_command("render", self.session_file(), "-o", out, "--format", "wav-32f", "--to", "1", "--json")
        result = json.loads(done.stdout)
        self.assertAlmostEqual(result["sample_peak_dbfs"], -12.0, places=3)
        read, _ = soundfile.read(out, always_2d=True)
        np.testing.assert_allclose(read.T, sine(200, -12, 1.0), atol=1e-6)

    def test_a_stored_session_renders_by_name_and_id(self) -> None:
        stored = self.new_session(tone=sine(200, -12, 1.0))
        for reference in (stored.id, "Song"):
            with self.subTest(reference):
                out = self.folder / "mix.wav"
                self.run_command("render", reference, "-o", out, "--from", "0.25", "--to", "0.75", "--format", "wav-16")
                info = soundfile.info(str(out))
                self.assertEqual((info.frames, info.subtype), (24000, "PCM_16"))

    def test_errors(self) -> None:
        self.assertIn("no such session", self.run_command("render", "Nobody", "-o", "x.wav", code=1).stderr)
        self.run_command("render", "Nobody", code=2)
        self.run_command("render", "Nobody", "-o", "x.wav", "--format", "wav-8", code=1)
        missing = self.folder / "no" / "x.wav"
        done = self.run_command("render", self.session_file(), "-o", missing, code=1)
        self.assertIn("does not exist", done.stderr)


class ImportExportTest(CommandCase):
    def test_good_files_come_in_and_bad_ones_are_named(self) -> None:
        stored = self.new_session()
        good = [
            write_wav(self.folder / f"{name}.wav", noise(0.1, seed=seed)) for seed, name in enumerate(["a", "b 🎻"])
        ]
        bad = self.folder / "bad.wav"
        bad.write_bytes(b"")
        done = self.run_command("import", stored.id, good[0], bad, good[1], code=1)
        self.assertIn("bad.wav: the file is empty", done.stderr)
        self.assertIn("2 tracks added", done.stdout)
        names = [strip.name for strip in self.workspace.sessions.get(stored.id).session.strips]
        self.assertEqual(names, ["a", "b 🎻", "Mix"])

    def test_channels_come_in_apart_where_that_is_wanted(self) -> None:
        stored = self.new_session()
        path = write_wav(self.folder / "choir.wav", noise(0.1, channels=3))
        self.assertIn("3 channels", self.run_command("import", stored.id, path, code=1).stderr)
        self.run_command("import", stored.id, path, "--apart")
        names = [strip.name for strip in self.workspace.sessions.get(stored.id).session.strips]
        self.assertEqual(names, ["choir 1", "choir 2", "choir 3", "Mix"])

    def test_an_exported_session_renders_the_same(self) -> None:
        stored = self.new_session(tone=noise(0.5), other=sine(300, -20, 0.5))
        first = self.folder / "first.wav"
        self.run_command("render", stored.id, "-o", first, "--format", "wav-32f")
        target = self.folder / "export"
        written = Path(self.run_command("export", stored.id, "-o", target).stdout.strip())
        self.assertEqual(written.name, "Song.gemischt.json")
        self.run_command("validate", written)
        second = self.folder / "second.wav"
        self.run_command("render", written, "-o", second, "--format", "wav-32f", "--data", self.folder / "elsewhere")
        np.testing.assert_array_equal(soundfile.read(first)[0], soundfile.read(second)[0])

    def test_a_zip_holds_document_and_audio(self) -> None:
        stored = self.new_session(tone=noise(0.1))
        target = self.folder / "song.zip"
        self.run_command("export", "Song", "-o", target)
        with zipfile.ZipFile(target) as archive:
            names = archive.namelist()
            document = json.loads(archive.read("Song.gemischt.json"))
        self.assertEqual(document, json.loads(json.dumps(dump_session(stored.session))))
        self.assertEqual(sorted(names), sorted(["Song.gemischt.json", *(item.path for item in stored.session.media)]))
        self.run_command("validate", target)
        self.run_command("render", target, "-o", self.folder / "mix.wav", "--data", self.folder / "elsewhere")

    def test_archives_that_lead_out_or_hold_no_session_are_refused(self) -> None:
        cases = {"../evil.gemischt.json": "leads out", "readme.txt": "must hold one"}
        for inside, reason in cases.items():
            with self.subTest(inside):
                path = self.folder / "bad.zip"
                with zipfile.ZipFile(path, "w") as archive:
                    archive.writestr(inside, "{}")
                self.assertIn(reason, self.run_command("validate", path, code=1).stderr)
        self.assertFalse((self.folder.parent / "evil.gemischt.json").exists())


class ValidateTest(CommandCase):
    def test_a_sound_file(self) -> None:
        self.assertIn("sound", self.run_command("validate", self.session_file()).stdout)

    def test_every_fault_with_its_path(self) -> None:
        path = self.session_file()
        document = json.loads(path.read_text())
        document["strips"][0]["output"] = "gone"
        document["strips"][0]["clips"].append({"media": "m9"})
        path.write_text(json.dumps(document))
        done = self.run_command("validate", path, code=1)
        self.assertIn("strips/tone/output", done.stderr)
        self.assertIn("strips/tone/clips/1/media", done.stderr)
        faults = json.loads(self.run_command("validate", path, "--json", code=1).stdout)
        self.assertEqual(len(faults), 2)

    def test_audio_that_is_missing_or_outside(self) -> None:
        path = self.session_file()
        for audio, reason in (("audio/none.wav", "no such file"), ("../../secret.wav", "stay in the session's folder")):
            with self.subTest(audio):
                document = json.loads(path.read_text())
                document["media"][0]["path"] = audio
                path.write_text(json.dumps(document))
                self.assertIn(reason, self.run_command("validate", path, code=1).stderr)

    def test_nesting_that_no_session_has(self) -> None:
        path = self.folder / "deep.gemischt.json"
        path.write_text("[" * 100_000 + "]" * 100_000)
        self.assertIn("nested too deeply", self.run_command("validate", path, code=1).stderr)

    def test_audio_of_a_stored_session_that_was_damaged(self) -> None:
        session_file = self.session_file()
        audio = next(session_file.parent.rglob("*.wav"))
        self.run_command("validate", session_file)
        audio.write_bytes(audio.read_bytes()[:-400])
        self.assertIn("cut off", self.run_command("validate", session_file, code=1).stderr)

    def test_a_file_name_that_is_no_text(self) -> None:
        path = os.fsdecode(bytes(self.folder) + b"/caf\xe9.wav")
        done = subprocess.run(
            [sys.executable, "-m", "gemischt.cli.main", "measure", path], capture_output=True, text=True, check=False
        )
        self.assertEqual(done.returncode, 1)
        self.assertIn("there is no such file", done.stderr)
        self.assertNotIn("Traceback", done.stderr)

    def test_no_json_and_no_file(self) -> None:
        path = self.folder / "x.json"
        path.write_text("{")
        self.assertIn("is not JSON", self.run_command("validate", path, code=1).stderr)
        self.run_command("validate", self.folder / "none.json", code=1)


class StagesTest(CommandCase):
    def test_every_strip_at_every_stage(self) -> None:
        strips = json.loads(self.run_command("measure", self.session_file(), "--stages", "--json").stdout)["strips"]
        stages = {stage["name"]: stage for stage in strips["tone"]["stages"]}
        self.assertEqual(list(stages), ["source", "trim", "pre-fader", "post-fader"])
        self.assertAlmostEqual(stages["source"]["sample_peak_dbfs"], -12.0, delta=0.01)
        self.assertAlmostEqual(strips["tone"]["to_mix_db"], 0.0, delta=0.01)

    def test_as_rows_for_a_spreadsheet_and_for_reading(self) -> None:
        path = self.session_file()
        lines = self.run_command("measure", path, "--stages", "--csv").stdout.splitlines()
        self.assertTrue(lines[0].startswith("strip,name,processor,"))
        self.assertEqual(len(lines), 1 + 4 + 4)
        self.assertIn("peak  -12.0 dBFS", self.run_command("measure", path, "--stages").stdout)

    def test_stages_take_one_session(self) -> None:
        self.run_command("measure", "a", "b", "--stages", code=2)


class FindingsTest(CommandCase):
    def test_findings_with_evidence_and_cure(self) -> None:
        path = self.session_file()
        document = json.loads(path.read_text())
        document["strips"][0]["trim_db"] = 20.0
        path.write_text(json.dumps(document))
        found = json.loads(self.run_command("findings", path, "--json").stdout)
        kinds = {finding["kind"] for finding in found}
        self.assertEqual(kinds, {"clips-at-mix", "far-from-reference"})
        self.assertTrue(all(finding["evidence"] and finding["cure"] for finding in found))
        self.assertIn("The mix goes above full scale", self.run_command("findings", path).stdout)

    def test_nothing_found_is_said(self) -> None:
        self.assertIn("nothing found", self.run_command("findings", self.session_file()).stdout)


class TempoTest(CommandCase):
    def test_a_tempo_is_estimated_and_only_set_when_told(self) -> None:
        stored = self.new_session(click=clicks(104.0))
        found = json.loads(self.run_command("tempo", stored.id, "--estimate", "click", "--json").stdout)
        self.assertAlmostEqual(found["bpm"], 104.0, delta=0.5)
        self.assertIn("= 120", self.run_command("tempo", stored.id).stdout)
        self.assertIn("1/4 = 104", self.run_command("tempo", stored.id, "--set", 104).stdout)
        self.assertEqual(self.workspace.sessions.get(stored.id).session.tempo[0].bpm, 104.0)

    def test_what_has_no_beat_and_what_is_no_tempo_says_so(self) -> None:
        stored = self.new_session(tone=sine(300, -20, 4.0))
        self.assertIn("no beat was found", self.run_command("tempo", stored.id, "--estimate", "tone", code=1).stderr)
        self.assertIn("no such strip", self.run_command("tempo", stored.id, "--estimate", "gone", code=1).stderr)
        self.run_command("tempo", stored.id, "--set", 0, code=1)
        self.run_command("tempo", stored.id, "--set", 100, "--estimate", "tone", code=2)
        self.assertEqual(self.workspace.sessions.get(stored.id).session.tempo[0].bpm, 120.0)

    def test_a_midi_file_brings_tempo_and_notes(self) -> None:
        stored = self.new_session()
        path = self.folder / "Ebb.mid"
        path.write_bytes(slowing())
        self.assertIn("2 tempos, 0 sections, 8 notes", self.run_command("import", stored.id, "--midi", path).stdout)
        path.write_bytes(slowing()[:-9])
        told = self.run_command("import", stored.id, "--midi", path, code=1).stderr
        self.assertIn("Ebb.mid: it is no MIDI file, or was cut short", told)
        self.run_command("import", stored.id, code=2)


class MovesTest(CommandCase):
    def test_what_moves_is_listed_in_words_and_as_json(self) -> None:
        path = self.session_file()
        self.assertIn("nothing moves", self.run_command("moves", path).stdout)
        document = json.loads(path.read_text())
        points = [{"at_s": 0.5, "value": None}, {"at_s": 2.0, "value": -3.0}]
        document["moves"] = [{"target": "strips/tone/fader_db", "points": points}]
        path.write_text(json.dumps(document))
        said = self.run_command("moves", path).stdout
        self.assertEqual(said.strip(), "Tone fader: silent to -3.0 dB, 2 points, 0.50 to 2.00 s")
        listed = json.loads(self.run_command("moves", path, "--json").stdout)
        self.assertEqual(listed[0]["target"], "strips/tone/fader_db")
        document["moves"][0]["target"] = "strips/gone/fader_db"
        path.write_text(json.dumps(document))
        self.assertIn("moves/strips/gone/fader_db", self.run_command("validate", path, code=1).stderr)


class DucksTest(CommandCase):
    def test_what_makes_room_is_said_and_measured(self) -> None:
        path = self.session_file()
        self.assertIn("nothing makes room", self.run_command("ducks", path).stdout)
        document = json.loads(path.read_text())
        target = {"id": "t", "strip": "tone", "depth_db": -12.0}
        document["ducks"] = [{"id": "d", "name": "Tide", "targets": [target]}]
        path.write_text(json.dumps(document))
        said = self.run_command("ducks", path).stdout
        self.assertIn("Tone follows the curve Tide, again each quarter", said)
        self.assertIn("deepest -12.0 dB", said)
        listed = json.loads(self.run_command("ducks", path, "--json").stdout)
        self.assertAlmostEqual(listed[0]["figures"]["deepest_db"], -12.0, delta=0.1)


class StartTest(CommandCase):
    def test_a_port_in_use_is_said(self) -> None:
        with socket.socket() as other:
            other.bind(("127.0.0.1", 0))
            other.listen()
            done = self.run_command("start", "--port", other.getsockname()[1], code=1)
        self.assertIn("cannot be listened on", done.stderr)
        self.assertIn("--port", done.stderr)


class DataFolderTest(CommandCase):
    def test_an_unusable_data_folder_is_said(self) -> None:
        blocked = self.folder / "file"
        blocked.write_text("")
        done = self.run_command("validate", "Song", "--data", blocked, code=1)
        self.assertIn("data folder", done.stderr)

    def test_a_fresh_one_is_made(self) -> None:
        fresh = self.folder / "fresh" / "deep"
        self.run_command("validate", "Song", "--data", fresh, code=1)
        Workspace(fresh).close()
        self.assertTrue((fresh / "gemischt.sqlite").is_file())


class PathsTest(CommandCase):
    def test_two_ways_and_their_sum(self) -> None:
        path = self.session_file()
        document = json.loads(path.read_text())
        document["strips"][0]["sends"] = [{"id": "s", "to": "mix", "level_db": 0.0}]
        path.write_text(json.dumps(document))
        result = json.loads(self.run_command("paths", path, "Tone", "--json").stdout)
        self.assertEqual(len(result["ways"]), 2)
        self.assertAlmostEqual(result["sum_gain_db"], 6.0206, places=3)
        self.assertAlmostEqual(result["twice_db"], 6.0206, places=3)
        said = self.run_command("paths", path, "tone", "--from", "0.2", "--to", "0.8").stdout
        self.assertIn("Tone reaches the mix 2 ways", said)
        self.assertIn("heard twice: +6.02 dB", said)

    def test_a_strip_that_is_not_there(self) -> None:
        done = self.run_command("paths", self.session_file(), "Nobody", code=1)
        self.assertIn("no such strip", done.stderr)
