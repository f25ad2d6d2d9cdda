"""Print lists: names, results, what is stopped and gone on with, what fails alone, what comes back."""

import errno
from typing import Any
from unittest import mock

import numpy as np
import soundfile

from gemischt.core.errors import Cancelled, InvalidAction
from gemischt.core.session.actions import parse_action
from gemischt.core.session.document import Session
from gemischt.core.session.prints import FromTo, Print
from gemischt.core.units import db_to_gain
from gemischt.operations.print_lists import begin_run, bring_back, foreseen, remove_printed, run_list
from gemischt.operations.workspace import Workspace
from gemischt.storage.audio_files import no_progress
from gemischt.storage.print_runs import FileEntry
from gemischt.storage.sessions import StoredSession
from tests.support.prints import print_all
from tests.support.signals import RATE_HZ, noise, sine
from tests.support.workspaces import WorkspaceCase

REVERSED_HALL = {"strips": ["hall"], "reversed": True, "back": "track"}


class ListCase(WorkspaceCase):
    def setUp(self) -> None:
        super().setUp()
        self.stored = self.new_session(drum=noise(1.0, seed=1), bass=sine(110, -12, 1.0))

    def edit(self, **action: Any) -> StoredSession:
        self.stored = self.workspace.edit(self.stored.id, self.stored.revision, parse_action(action))
        return self.stored

    def add(self, print_id: str, **fields: Any) -> None:
        self.edit(type="set-print", print={"id": print_id, "format": "wav-32f"} | fields)

    def begin(self) -> str:
        return begin_run(self.workspace, self.stored, self.stored.session.prints)

    def run_all(self) -> list[FileEntry]:
        return run_list(self.workspace, self.begin(), no_progress)

    @property
    def session(self) -> Session:
        return self.stored.session


class NamesTest(ListCase):
    def test_each_file_gets_a_name_of_its_own(self) -> None:
        self.add("mix", strips=["mix"])
        self.add("tracks", every="track", taps=["pre-chain", "post-fader"])
        self.add("again", strips=["mix"])
        self.edit(type="set-printing", print_names="{number} {session}/{what}")
        names = [printed.path.name for printed in self._printed()]
        self.assertEqual(
            names,
            ["1 Song_Mix.wav", "2 Song_drum before its chain.wav", "3 Song_bass before its chain.wav",
             "4 Song_drum.wav", "5 Song_bass.wav", "6 Song_Mix.wav"],
        )  # fmt: skip

    def _printed(self) -> list[Any]:
        folder = self.folder / "out"
        folder.mkdir()
        return print_all(self.session, self.workspace.open_media(self.session), self.session.prints, folder)

    def test_names_that_collide_once_they_are_safe_are_numbered(self) -> None:
        self.edit(type="set-strips", changes=[{"strip": "drum", "name": "A/B"}, {"strip": "bass", "name": "a:b"}])
        self.add("tracks", every="track")
        self.assertEqual([printed.path.stem for printed in self._printed()], ["Song - A_B", "Song - a_b 2"])

    def test_nothing_is_overwritten(self) -> None:
        self.add("mix", strips=["mix"])
        first, second = self.run_all(), self.run_all()
        self.assertEqual([first[0].file_name, second[0].file_name], ["Song - Mix.wav", "Song - Mix 2.wav"])

    def test_a_pattern_that_names_what_is_not_there_is_refused(self) -> None:
        for pattern in ("{artist}", "{session", "{session!r}", "{session.name}"):
            with self.subTest(pattern), self.assertRaises(InvalidAction):
                self.edit(type="set-printing", print_names=pattern)

    def test_what_the_list_would_make_is_foreseen(self) -> None:
        self.add("mix", strips=["mix"], format="mp3", channels="mono")
        self.add("gone", strips=["drum"], after="eq")
        (_, names, problem), (_, none, gone) = foreseen(self.session)
        self.assertEqual((names, problem, none), (["Song - Mix, mono.mp3"], None, []))
        self.assertIn('"eq"', gone.what if gone else "")


class RunTest(ListCase):
    def test_the_result_is_what_is_in_the_file(self) -> None:
        self.add("bass", strips=["bass"], taps=["pre-fader"], format="vorbis")
        (entry,) = self.run_all()
        assert entry.result is not None and entry.file_name is not None
        self.assertEqual(entry.state, "done")
        self.assertAlmostEqual(entry.result["summary"]["sample_peak_dbfs"], -12.0, delta=0.3)
        self.assertEqual(entry.result["size_bytes"], (self.workspace.prints / entry.file_name).stat().st_size)

    def test_stopped_and_gone_on_with_it_prints_what_was_left(self) -> None:
        self.edit(type="add-section", name="End", start_s=0.9, end_s=1.0)
        # Two renders: without moves is another variant.
        self.add("mix", strips=["mix"], ends="cut")
        self.add("still", strips=["mix"], moves=False, ends="cut")
        run = self.begin()

        def stop(share: float) -> None:
            if share > 0.6:
                raise Cancelled("stopped")

        with self.assertRaises(Cancelled):
            run_list(self.workspace, run, stop)
        self.assertEqual(sorted(entry.state for entry in self.workspace.printed.files(run)), ["done", "stopped"])
        self.assertEqual(len(list(self.workspace.prints.iterdir())), 1)
        whole = run_list(self.workspace, run, no_progress)
        self.assertEqual([entry.state for entry in whole], ["done", "done"])
        self.assertEqual(len(list(self.workspace.prints.iterdir())), 2)

    def test_a_run_prints_the_song_as_it_stood_when_it_began(self) -> None:
        self.add("mix", strips=["mix"])
        run = self.begin()
        self.edit(type="set-strips", changes=[{"strip": "mix", "fader_db": -20.0}])
        (entry,) = run_list(self.workspace, run, no_progress)
        read, _ = soundfile.read(self.workspace.prints / (entry.file_name or ""), always_2d=True)
        media = self.workspace.open_media(self.session).samples
        np.testing.assert_allclose(read[:, 0], media["drum"][:, 0] + media["bass"][:, 0], atol=1e-6)

    def test_what_a_killed_program_left_is_gone_on_with(self) -> None:
        self.add("mix", strips=["mix"])
        run = self.begin()
        self.workspace.printed.set_states(run, "running")
        self.workspace.close()
        again = Workspace(self.data)
        self.addCleanup(again.close)
        self.assertEqual([entry.state for entry in run_list(again, run, no_progress)], ["done"])

    def test_a_disk_that_fills_up_fails_some_and_leaves_the_rest_whole(self) -> None:
        self.add("drum", strips=["drum"])
        self.add("bass", strips=["bass"], format="wav-24")
        full = OSError(errno.ENOSPC, "No space left on device")
        original = soundfile.SoundFile.write

        def write(file: soundfile.SoundFile, frames: Any) -> None:
            if file.subtype == "FLOAT":
                raise full
            original(file, frames)

        run = self.begin()
        with mock.patch("soundfile.SoundFile.write", write):
            entries = run_list(self.workspace, run, no_progress)
        self.assertEqual([entry.state for entry in entries], ["failed", "done"])
        self.assertIn("disk is full", (entries[0].error or {})["what"])
        self.assertEqual([path.name for path in self.workspace.prints.iterdir()], ["Song - bass.wav"])
        self.assertEqual([entry.state for entry in run_list(self.workspace, run, no_progress)], ["done", "done"])

    def test_audio_that_is_gone_fails_the_run_in_words(self) -> None:
        self.add("mix", strips=["mix"])
        run = self.begin()
        for path in (self.data / "audio").rglob("*.f32"):
            path.unlink()
        for path in (self.data / "audio").rglob("*.wav"):
            path.unlink()
        (entry,) = run_list(self.workspace, run, no_progress)
        self.assertEqual(entry.state, "failed")
        self.assertIn("missing", (entry.error or {})["what"])

    def test_a_strip_that_goes_takes_its_prints_along_and_undo_brings_them_back(self) -> None:
        self.add("both", strips=["drum", "bass"])
        self.add("drum", strips=["drum"])
        self.edit(type="remove-strips", strips=["drum"])
        self.assertEqual([item.strips for item in self.session.prints], [("bass",)])
        undone = self.workspace.sessions.undo(self.stored.id, self.stored.revision)
        self.assertEqual([item.strips for item in undone.session.prints], [("drum", "bass"), ("drum",)])

    def test_a_printed_file_can_be_deleted(self) -> None:
        self.add("mix", strips=["mix"])
        (entry,) = self.run_all()
        remove_printed(self.workspace, self.stored.id, entry.id)
        self.assertEqual(list(self.workspace.prints.iterdir()), [])
        self.assertEqual(self.workspace.printed.runs(self.stored.id), [])


class ComingBackTest(ListCase):
    def printed(self, **fields: Any) -> FileEntry:
        self.add("back", **fields)
        (entry,) = self.run_all()
        return entry

    def mix_of(self, stored: StoredSession) -> np.ndarray[Any, Any]:
        order = Print.model_validate({"id": "mix", "strips": ["mix"], "format": "wav-32f", "ends": "cut"})
        folder = self.folder / f"mix-{stored.revision}"
        folder.mkdir()
        (printed,) = print_all(stored.session, self.workspace.open_media(stored.session), [order], folder)
        read, _ = soundfile.read(printed.path, always_2d=True)
        return np.asarray(read.T)

    def test_a_track_that_comes_back_nulls_against_what_it_was(self) -> None:
        entry = self.printed(strips=["drum"], back="track")
        back = bring_back(self.workspace, self.stored.id, entry, in_place=False)
        track = back.session.strips[1]
        self.assertEqual((track.name, track.output, track.print_of), ("drum", "mix", "drum"))
        turned = {"type": "set-strips", "changes": [{"strip": track.id, "polarity_inverted": True}]}
        nulled = self.workspace.edit(self.stored.id, back.revision, parse_action(turned))
        bass = self.workspace.open_media(nulled.session).samples["bass"]
        self.assertLess(float(np.abs(self.mix_of(nulled) - bass.T).max()), db_to_gain(-120.0))

    def test_in_place_the_mix_stays_and_what_was_is_kept_beside(self) -> None:
        self.edit(
            type="add-processor", strip="drum", processor="compressor", params={"threshold_db": -40.0, "ratio": 8.0}
        )
        self.edit(
            type="set-strips", changes=[{"strip": "drum", "trim_db": 3.0, "fader_db": -5.0, "pan": {"position": 0.3}}]
        )
        before = self.mix_of(self.stored)
        entry = self.printed(strips=["drum"], taps=["pre-fader"], back="in-place")
        back = bring_back(self.workspace, self.stored.id, entry, in_place=True)
        drum, kept = back.session.strips[:2]
        self.assertEqual((drum.chain, drum.trim_db, drum.fader_db, drum.pan.position), ((), 0.0, -5.0, 0.3))
        self.assertEqual((kept.name, kept.mute, kept.output, len(kept.chain)), ("drum, as it was", True, None, 1))
        self.assertLess(float(np.abs(self.mix_of(back) - before).max()), db_to_gain(-120.0))

    def test_backwards_it_swells_into_the_section(self) -> None:
        self.edit(type="add-section", name="Refrain", start_s=3.0, end_s=4.0)
        entry = self.printed(strips=["drum"], reversed=True, back="track", lands="Refrain")
        back = bring_back(self.workspace, self.stored.id, entry, in_place=False)
        track = back.session.strips[1]
        self.assertEqual((track.name, track.clips[0].start_s), ("drum, reversed", 2.0))

    def test_a_mix_that_comes_back_plays_nowhere(self) -> None:
        entry = self.printed(strips=["mix"], back="track")
        back = bring_back(self.workspace, self.stored.id, entry, in_place=False)
        track = next(strip for strip in back.session.strips if strip.print_of == "mix")
        self.assertIsNone(track.output)

    def test_printed_again_the_same_track_plays_it(self) -> None:
        entry = self.printed(strips=["drum"], back="track")
        self.stored = bring_back(self.workspace, self.stored.id, entry, in_place=False)
        self.edit(type="set-strips", changes=[{"strip": "drum", "trim_db": -6.0}])
        (again,) = self.run_all()
        back = bring_back(self.workspace, self.stored.id, again, in_place=False)
        self.assertEqual(len(back.session.strips), 4)
        clip = back.session.strips[1].clips[0]
        peak = np.abs(self.workspace.open_media(back.session).samples[clip.media]).max()
        self.assertAlmostEqual(float(peak), db_to_gain(-6.0) * float(np.abs(noise(1.0, seed=1)).max()), places=5)

    def test_the_edit_is_named_and_undone(self) -> None:
        entry = self.printed(strips=["drum"], back="track")
        back = bring_back(self.workspace, self.stored.id, entry, in_place=False)
        self.assertEqual(back.undo, "drum: back as a track")
        undone = self.workspace.sessions.undo(self.stored.id, back.revision)
        self.assertEqual(len(undone.session.strips), 3)

    def test_it_lies_where_it_was_to_the_sample(self) -> None:
        order = {"stretch": {"kind": "from-to", "from_s": 0.3, "to_s": 0.7}, "ends": "cut"}
        entry = self.printed(strips=["drum"], back="track", **order)
        back = bring_back(self.workspace, self.stored.id, entry, in_place=False)
        clip = back.session.strips[1].clips[0]
        media = self.workspace.open_media(back.session).samples
        start = round(clip.start_s * RATE_HZ)
        np.testing.assert_array_equal(media[clip.media], media["drum"][start : start + round(0.4 * RATE_HZ)])


class ChangesTest(ListCase):
    def test_changes_of_one_print_leave_each_other_alone(self) -> None:
        self.add("mix", strips=["mix"])
        for change in ({"ends": "cut"}, {"format": "mp3"}, {"stretch": {"kind": "from-to", "to_s": 0.5}}):
            self.edit(type="set-print", print={"id": "mix"} | change)
        (item,) = self.session.prints
        self.assertEqual((item.ends, item.format, item.strips), ("cut", "mp3", ("mix",)))
        self.assertEqual(item.stretch, FromTo(to_s=0.5))
