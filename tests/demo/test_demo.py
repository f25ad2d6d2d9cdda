"""The demo song: always the same, with its planted flaws."""

import unittest
from functools import cache
from unittest import mock

import numpy as np

from gemischt.core.session.document import Media
from gemischt.demo import score, sessions, song
from gemischt.demo.in_the_round import in_the_round
from gemischt.demo.instruments import RATE_HZ
from gemischt.operations.demo_sessions import make_demo
from gemischt.operations.session_measuring import examine_session, measure_session
from tests.support.workspaces import WorkspaceCase


@cache
def played() -> list[tuple[str, str, np.ndarray]]:
    """The song's tracks. To play them takes a while."""
    return list(song.tracks())


def tearDownModule() -> None:
    played.cache_clear()


class SongTest(unittest.TestCase):
    tracks: dict[str, np.ndarray]

    @classmethod
    def setUpClass(cls) -> None:
        cls.tracks = {track_id: wave for track_id, _, wave in played()}

    @classmethod
    def tearDownClass(cls) -> None:
        cls.tracks.clear()

    def test_eighteen_finite_tracks_of_eighty_seconds(self) -> None:
        self.assertEqual(len(self.tracks), 18)
        for track_id, wave in self.tracks.items():
            with self.subTest(track_id):
                self.assertEqual(wave.shape[1], 80 * RATE_HZ)
                self.assertTrue(np.isfinite(wave).all())
                self.assertGreater(np.abs(wave).max(), 0.01)

    def test_it_is_the_same_every_time(self) -> None:
        part = song.PARTS[3]
        first, second = (song.play(part, np.random.default_rng([song.SEED, 3])) for _ in range(2))
        np.testing.assert_array_equal(first, second)

    def test_levels_are_all_over_the_place(self) -> None:
        peaks_db = [20 * np.log10(np.abs(wave).max()) for wave in self.tracks.values()]
        self.assertGreater(max(peaks_db) - min(peaks_db), 20.0)

    def test_the_bass_is_hollow_in_mono(self) -> None:
        left, right = self.tracks["upright-bass"]
        self.assertLess(np.corrcoef(left, right)[0, 1], 0.3)

    def test_the_far_microphone_is_late(self) -> None:
        near, far = self.tracks["frame-drum"][0, : RATE_HZ * 8], self.tracks["frame-drum-far"][0, : RATE_HZ * 8]
        spectrum = np.fft.rfft(far) * np.conj(np.fft.rfft(near))
        late = int(np.argmax(np.fft.irfft(spectrum)[: RATE_HZ // 10]))
        self.assertAlmostEqual(1000 * late / RATE_HZ, song.LATE_MICROPHONE_MS, delta=0.1)


class SessionsTest(unittest.TestCase):
    def test_both_sessions_are_valid_and_play_every_track(self) -> None:
        names = [*(part.id for part in song.PARTS), "frame-drum-far", "sea-ambience"]
        media = {name: Media(id=name, path=f"audio/{name}.wav") for name in names}
        for made in (sessions.as_recorded(media), sessions.mixed(media), in_the_round(media)):
            with self.subTest(made.name):
                played = {clip.media for strip in made.strips for clip in strip.clips}
                self.assertEqual(played, set(names))
                self.assertEqual(made.sections[-1].end_s, song.LENGTH_S)

    def test_the_song_is_in_six_eight_with_a_dotted_quarter_at_96(self) -> None:
        self.assertAlmostEqual(score.BAR_S, 1.25)
        self.assertAlmostEqual(song.LENGTH_S, 80.0)


class FindingsTest(WorkspaceCase):
    def kinds(self, name: str) -> set[tuple[str, str]]:
        session = self.workspace.sessions.find(name).session
        measurement = measure_session(self.workspace, session)
        return {(finding.kind, finding.strip) for finding in examine_session(self.workspace, session, measurement)}

    def test_the_mix_is_without_findings_and_the_recording_shows_its_flaws(self) -> None:
        with mock.patch.object(song, "tracks", return_value=played()):
            make_demo(self.workspace, progress=lambda _: None)
        self.assertEqual(self.kinds("Low Tide (mixed)"), set())
        planted = {
            ("clips-at-mix", "mix"),
            ("clips-inside", "low-tom"),
            ("late-copy", "frame-drum-far"),
            ("lost-in-mono", "upright-bass"),
            ("wide-lows", "upright-bass"),
            ("far-from-reference", "floor-drum"),
            ("not-mirrored", "mandolin-left"),
        }
        self.assertLessEqual(planted, self.kinds("Low Tide (as recorded)"))
