"""The song for somebody else: consolidated files, the session that plays them, tempo and sections, the sheet."""

import zipfile
from html.parser import HTMLParser
from typing import Any

import numpy as np
import soundfile

from gemischt.core.engine.renderer import Renderer
from gemischt.core.errors import InvalidAction
from gemischt.core.session.actions import parse_action
from gemischt.core.session.document import Media
from gemischt.core.session.midi import read_midi
from gemischt.core.session.midi_writing import write_midi
from gemischt.core.units import db_to_gain
from gemischt.demo.sessions import mixed
from gemischt.operations.handing_over import hand_over, take_in_archive
from gemischt.operations.importing import import_file
from gemischt.operations.mix_sheet import mix_sheet
from gemischt.storage.audio_files import no_progress
from gemischt.storage.audio_writing import FORMATS
from gemischt.storage.sessions import StoredSession
from tests.support.prints import mix_order, print_all
from tests.support.signals import RATE_HZ, noise, sine
from tests.support.workspaces import WorkspaceCase


class _AnyMedia(dict[str, Media]):
    """Files that nobody reads."""

    def __missing__(self, media_id: str) -> Media:
        return Media(id=media_id, path=f"audio/{media_id}.wav", duration_s=80.0)


class _Page(HTMLParser):
    """Text and pictures of a page; fails on tags that do not close."""

    _VOID = frozenset(("meta", "br", "circle", "rect", "path", "polyline"))

    def __init__(self, html: str) -> None:
        super().__init__()
        self.words: list[str] = []
        self.pictures: list[str] = []
        self._open: list[str] = []
        self.feed(html)
        assert not self._open, self._open

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        if tag == "svg":
            self.pictures.append(dict(attrs)["aria-label"] or "")
        if tag not in self._VOID:
            self._open.append(tag)

    def handle_endtag(self, tag: str) -> None:
        if tag not in self._VOID:
            assert self._open.pop() == tag, tag

    def handle_data(self, data: str) -> None:
        self.words.append(data)


class ConsolidatedTest(WorkspaceCase):
    def song(self) -> StoredSession:
        stored = self.new_session(drum=noise(1.0, seed=1), voice=noise(1.0, seed=2, channels=1))
        edits: tuple[dict[str, Any], ...] = (
            {"type": "set-clips", "changes": [{"strip": "drum", "clip": 0, "start_s": 0.25, "fade_in_s": 0.1}]},
            {"type": "set-strips", "changes": [{"strip": "voice", "trim_db": -4.0, "fader_db": -3.0,
             "polarity_inverted": True, "pan": {"position": 0.4}}]},
            {"type": "add-processor", "strip": "voice", "processor": "compressor",
             "params": {"threshold_db": -40.0, "ratio": 4.0}},
            {"type": "set-moves", "moves": [{"target": "strips/voice/trim_db", "points": [
                {"at_s": 0.0, "value": 0.0}, {"at_s": 1.0, "value": -12.0}]}]},
        )  # fmt: skip
        for edit in edits:
            stored = self.workspace.edit(stored.id, stored.revision, parse_action(edit))
        return stored

    def test_what_is_taken_in_sounds_as_what_was_handed_over(self) -> None:
        stored = self.song()
        path = hand_over(self.workspace, stored.session, "consolidated", no_progress)
        with zipfile.ZipFile(path) as archive:
            names = archive.namelist()
            archive.extractall(self.folder / "out")
        self.assertEqual(
            names,
            ["Song - mix sheet.html", "Song.gemischt.json", "Song.mid", "audio/01 drum.wav", "audio/02 voice.wav"],
        )
        lengths = {len(soundfile.SoundFile(str(self.folder / "out" / name))) for name in names if "audio" in name}
        self.assertEqual(lengths, {round(1.25 * RATE_HZ)})
        taken = take_in_archive(self.workspace, path)
        sounds = []
        for session in (stored.session, taken.session):
            renderer = Renderer(session, self.workspace.open_media(session).samples)
            sounds.append(renderer.render(RATE_HZ + 12000))
        self.assertGreater(float(np.abs(sounds[0]).max()), 0.1)
        self.assertLess(float(np.abs(sounds[0] - sounds[1]).max()), db_to_gain(-120.0))
        self.assertEqual(taken.session.strip("voice").trim_db, 0.0)
        self.assertEqual(len(taken.session.strip("voice").chain), 1)
        self.assertEqual(taken.session.moves, ())

    def test_a_song_without_tracks_is_refused(self) -> None:
        with self.assertRaises(InvalidAction):
            hand_over(self.workspace, self.new_session().session, "consolidated", no_progress)

    def test_the_session_comes_back_as_it_was(self) -> None:
        stored = self.song()
        path = hand_over(self.workspace, stored.session, "session", no_progress)
        self.assertEqual(take_in_archive(self.workspace, path).session, stored.session)


class MidiTest(WorkspaceCase):
    def test_tempo_and_sections_come_back_to_the_tick(self) -> None:
        """A tick is 1/960 of a quarter; a tempo is whole microseconds a quarter (RP-001)."""
        tempo = [
            {"at_s": 1.7, "bpm": 96.0, "beat": "1/4.", "metre": "6/8"},
            {"at_s": 11.7, "bpm": 143.0, "beat": "1/4.", "metre": "6/8"},
            {"at_s": 20.0, "bpm": 120.0, "beat": "1/4", "metre": "4/4"},
        ]
        stored = self.new_session()
        stored = self.workspace.edit(stored.id, stored.revision, parse_action({"type": "set-tempo", "tempo": tempo}))
        for name, start_s in (("Ebbe", 1.7), ("Flut ♪", 12.5)):
            section = {"type": "add-section", "name": name, "start_s": start_s, "end_s": start_s + 5.0}
            stored = self.workspace.edit(stored.id, stored.revision, parse_action(section))
        song = read_midi(write_midi(stored.session), name="song.mid")
        self.assertEqual([one.metre for one in song.tempo[-3:]], ["6/8", "6/8", "4/4"])
        for one, written in zip(song.tempo[-3:], tempo, strict=True):
            self.assertAlmostEqual(one.at_s, float(str(written["at_s"])), delta=0.002)
        # Dotted quarters are counted as quarters there.
        self.assertAlmostEqual(song.tempo[-3].bpm, 144.0, delta=0.001)
        self.assertEqual([section.name for section in song.sections], ["Ebbe", "Flut ?"])
        self.assertAlmostEqual(song.sections[1].start_s, 12.5, delta=0.002)


class SheetTest(WorkspaceCase):
    def test_the_demo_song_is_told_whole(self) -> None:
        session = mixed(_AnyMedia())
        page = _Page(mix_sheet(session, {}, {"loudness": "-18.9 LUFS"}))
        text = " ".join(page.words)
        for strip in session.strips:
            self.assertIn(strip.name, text)
        for word in ("-18.9 LUFS", "makes room", "Compressor", "Squash", "Refrain 1", "96 bpm"):
            self.assertIn(word, text)
        self.assertIn("The flow", page.pictures)
        self.assertEqual(len(page.pictures), 1 + sum(move.on for move in session.moves))

    def test_what_people_write_is_text_and_no_markup(self) -> None:
        stored = self.new_session(tone=noise(0.1))
        change = {"type": "set-strips", "changes": [{"strip": "tone", "name": "<script>alert(1)</script>"}]}
        session = self.workspace.edit(stored.id, stored.revision, parse_action(change)).session
        sheet = mix_sheet(session, {}, {})
        self.assertNotIn("<script", sheet)
        self.assertIn("&lt;script", sheet)


class TakingInTest(WorkspaceCase):
    def test_files_of_a_song_lose_their_numbers_and_lie_where_they_say(self) -> None:
        tracks = [
            {"name": f"Song_{k:02d} {name}", "media": {"id": name.lower(), "path": f"audio/{name}.wav"},
             "stamp_s": 3600.0 + k}
            for k, name in enumerate(("Kick", "Snare"), 1)
        ]  # fmt: skip
        session = parse_action({"type": "add-tracks", "tracks": tracks, "tidy": True}).apply(self.new_session().session)
        found = [(strip.name, strip.clips[0].start_s) for strip in session.strips if strip.clips]
        self.assertEqual(found, [("Kick", 1.0), ("Snare", 2.0)])

    def test_a_print_comes_in_where_it_began(self) -> None:
        stored = self.new_session(tone=noise(1.0))
        stretch = {"kind": "from-to", "from_s": 0.25, "to_s": 0.75}
        order = mix_order(stored.session, stretch=stretch, ends="cut")
        (printed,) = print_all(stored.session, self.workspace.open_media(stored.session), [order], self.folder)
        track = import_file(self.workspace, printed.path, printed.path.name, sample_rate_hz=RATE_HZ)
        self.assertEqual(track.stamp_s, 0.25)

    def test_every_format_that_is_printed_can_be_taken_in(self) -> None:
        stored = self.new_session(tone=sine(440, -12, 0.5))
        orders = [mix_order(stored.session, id=name, format=name) for name in FORMATS]
        for printed in print_all(stored.session, self.workspace.open_media(stored.session), orders, self.folder):
            with self.subTest(printed.path.name):
                track = import_file(self.workspace, printed.path, printed.path.name, sample_rate_hz=RATE_HZ)
                self.assertAlmostEqual(track.media.duration_s or 0.0, 0.5, delta=0.001)
