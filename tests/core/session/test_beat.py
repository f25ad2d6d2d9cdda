"""The song's beat: where a time lies, and what becomes of a song when its tempo, metre or sections are edited."""

import random
import unittest
from typing import Any

from gemischt.core.errors import InvalidAction, InvalidSession
from gemischt.core.session.actions import apply_action, parse_action
from gemischt.core.session.beat_grid import BeatGrid
from gemischt.core.session.document import Session, Tempo
from tests.core.session.test_addresses import band

FADER = "strips/bass/fader_db"


def edited(session: Session, **action: Any) -> Session:
    return apply_action(session, parse_action(action))


def named(session: Session, **action: Any) -> str:
    return parse_action(action).describe(session)


class BeatGridTest(unittest.TestCase):
    def test_a_song_that_changes_tempo_and_metre(self) -> None:
        # Two bars of 4/4 at 120 (2 s each), two of 4/4 at 60 (4 s each), then 3/4 at 60 (3 s each).
        grid = BeatGrid((Tempo(bpm=120), Tempo(at_s=4.0, bpm=60), Tempo(at_s=12.0, bpm=60, metre="3/4")))
        places = {0.0: "1|1", 3.5: "2|4", 4.0: "3|1", 5.0: "3|2", 11.0: "4|4", 12.0: "5|1", 15.0: "6|1", 17.0: "6|3"}
        for at_s, place in places.items():
            with self.subTest(at_s):
                self.assertEqual(grid.place(at_s), place)
        self.assertEqual([grid.snapped_s(at_s, "bar") for at_s in (2.9, 5.9, 6.1, 13.6)], [2.0, 4.0, 8.0, 15.0])
        self.assertEqual([grid.snapped_s(at_s, "beat") for at_s in (2.9, 5.6, 13.6)], [3.0, 6.0, 14.0])

    def test_a_tempo_inside_a_bar_goes_on_in_it_and_a_metre_cuts_it_short(self) -> None:
        inside = BeatGrid((Tempo(bpm=120), Tempo(at_s=3.0, bpm=60)))
        self.assertEqual([inside.place(at_s) for at_s in (2.5, 3.0, 4.0, 5.0)], ["2|2", "2|3", "2|4", "3|1"])
        short = BeatGrid((Tempo(bpm=120), Tempo(at_s=3.0, bpm=120, metre="3/4")))
        self.assertEqual([short.place(at_s) for at_s in (2.5, 3.0, 4.5)], ["2|2", "3|1", "4|1"])
        self.assertEqual(short.time_of_bars(1.9), 3.0)

    def test_the_song_begins_where_its_first_tempo_does(self) -> None:
        grid = BeatGrid((Tempo(at_s=1.5, bpm=120),))
        self.assertEqual([grid.place(at_s) for at_s in (0.0, 1.5, 3.5)], ["0|2", "1|1", "2|1"])
        self.assertEqual(grid.snapped_s(0.4, "bar"), 0.0)

    def test_quarters_there_and_back_through_any_tempo(self) -> None:
        rng = random.Random(4)
        for _ in range(50):
            times = sorted(rng.uniform(0.0, 100.0) for _ in range(6))
            beats = ("1/4", "1/8", "1/4.")
            grid = BeatGrid(tuple(Tempo(at_s=at_s, bpm=rng.uniform(30, 240), beat=rng.choice(beats)) for at_s in times))
            at_s = rng.uniform(0.0, 150.0)
            self.assertAlmostEqual(grid.time_of_quarters(grid.quarters_at(at_s)), at_s, places=8)
            bars = grid.bars_at(at_s)
            self.assertAlmostEqual(grid.time_of_bars(bars), at_s, places=8)


class TempoTest(unittest.TestCase):
    def song(self) -> Session:
        points = [{"at_s": 2.0, "value": -6.0}, {"at_s": 4.0, "value": 0.0}]
        session = edited(band(), type="set-moves", moves=[{"target": FADER, "points": points}])
        return edited(session, type="add-section", name="A", start_s=2.0, end_s=4.0)

    def times(self, session: Session) -> list[float]:
        section = session.sections[0]
        return [*(point.at_s for point in session.moves[0].points), section.start_s, section.end_s]

    def test_moves_and_sections_keep_their_bars_and_clips_their_seconds(self) -> None:
        song = self.song()
        half = edited(song, type="set-tempo", tempo=[{"bpm": 60.0}])
        self.assertEqual(self.times(half), [4.0, 8.0, 4.0, 8.0])
        kept = edited(song, type="set-tempo", tempo=[{"bpm": 60.0}], follows="nothing")
        self.assertEqual(self.times(kept), self.times(song))
        for session in (half, kept):
            self.assertEqual(session.strips, song.strips)

    def test_clips_follow_when_asked(self) -> None:
        song = band()
        track = next(strip for strip in song.strips if strip.clips)
        moved = edited(song, type="set-clips", changes=[{"strip": track.id, "clip": 0, "start_s": 3.0}])
        after = edited(moved, type="set-tempo", tempo=[{"bpm": 240.0}], follows="clips")
        self.assertEqual(after.strip(track.id).clips[0].start_s, 1.5)

    def test_what_lies_before_the_first_bar_stays_before_it(self) -> None:
        song = edited(self.song(), type="set-tempo", tempo=[{"at_s": 3.0, "bpm": 120.0}], follows="nothing")
        after = edited(song, type="set-tempo", tempo=[{"at_s": 1.5, "bpm": 60.0}])
        self.assertEqual([point.at_s for point in after.moves[0].points], [1.0, 3.5])
        begun = edited(song, type="set-tempo", tempo=[{"at_s": 0.0, "bpm": 60.0}])
        self.assertEqual([point.at_s for point in begun.moves[0].points], [0.0, 2.0])

    def test_edits_are_named(self) -> None:
        song = self.song()
        later = [{"bpm": 120.0}, {"at_s": 4.0, "bpm": 90.0}]
        cases: tuple[tuple[list[dict[str, Any]], str], ...] = (
            ([{"bpm": 96.0}], "Tempo 96"),
            ([{"metre": "3/4"}], "Metre 3/4"),
            ([{"at_s": 1.25}], "The song begins at 1.250 s"),
            (later, "Tempo 90 from bar 3|1 on"),
        )
        for tempo, name in cases:
            with self.subTest(name):
                self.assertEqual(named(song, type="set-tempo", tempo=tempo), name)
        two = edited(song, type="set-tempo", tempo=later)
        self.assertEqual(named(two, type="set-tempo", tempo=later[:1]), "No other tempo from bar 3|1 on")

    def test_bad_tempo_is_refused(self) -> None:
        bad: tuple[list[dict[str, Any]], ...] = (
            [{"bpm": 0.0}],
            [{"metre": "0/4"}],
            [{"metre": "4/0"}],
            [{"beat": "1/3"}],
            [{"at_s": -1.0}],
            [{"at_s": 2.0}, {"at_s": 1.0}],
            [{"at_s": 1.0}, {"at_s": 1.0}],
            [],
        )
        for tempo in bad:
            with self.subTest(tempo), self.assertRaises(InvalidSession):
                edited(band(), type="set-tempo", tempo=tempo)


class SectionsTest(unittest.TestCase):
    def song(self, *stretches: tuple[str, float, float]) -> Session:
        session = band()
        for name, start_s, end_s in stretches:
            session = edited(session, type="add-section", name=name, start_s=start_s, end_s=end_s)
        return session

    def sections(self, session: Session) -> list[tuple[str, float, float]]:
        return [(section.name, section.start_s, section.end_s) for section in session.sections]

    def test_what_lies_in_the_way_gives_way(self) -> None:
        song = self.song(("A", 0, 8), ("B", 8, 16))
        cases: dict[tuple[float, float], list[tuple[str, float, float]]] = {
            (16, 20): [("A", 0, 8), ("B", 8, 16), ("C", 16, 20)],
            (6, 10): [("A", 0, 6), ("C", 6, 10), ("B", 10, 16)],
            (0, 12): [("C", 0, 12), ("B", 12, 16)],
            (2, 4): [("A", 0, 2), ("C", 2, 4), ("B", 8, 16)],
            (0, 16): [("C", 0, 16)],
        }
        for (start_s, end_s), expected in cases.items():
            with self.subTest(start_s=start_s, end_s=end_s):
                after = edited(song, type="add-section", name="C", start_s=start_s, end_s=end_s)
                self.assertEqual(self.sections(after), expected)

    def test_renamed_dragged_and_deleted(self) -> None:
        song = self.song(("A", 0, 8), ("B", 8, 16))
        self.assertEqual(
            self.sections(edited(song, type="set-section", index=0, end_s=12.0)), [("A", 0, 12), ("B", 12, 16)]
        )
        self.assertEqual(edited(song, type="set-section", index=1, name="Refrain").sections[1].name, "Refrain")
        self.assertEqual(self.sections(edited(song, type="remove-section", index=0)), [("B", 8, 16)])
        self.assertEqual(named(song, type="set-section", index=0, end_s=12.0), "A: ends at bar 7|1")
        self.assertEqual(named(song, type="remove-section", index=1), "No section B")

    def test_no_section_ends_before_it_begins_and_none_is_made_up(self) -> None:
        song = self.song(("A", 4, 8))
        with self.assertRaises(InvalidSession):
            edited(song, type="set-section", index=0, end_s=2.0)
        with self.assertRaises(InvalidAction):
            edited(song, type="remove-section", index=1)


if __name__ == "__main__":
    unittest.main()
