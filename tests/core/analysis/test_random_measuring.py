"""Random sessions measured strip by strip, against the same sessions rendered in one piece and metered as they play."""

import unittest
from concurrent.futures import ThreadPoolExecutor

import numpy as np

from gemischt.core.analysis.listening import Stretch, listen
from gemischt.core.analysis.measurement import SongMeasurement, StageName
from gemischt.core.analysis.measuring import measure_song
from gemischt.core.analysis.renders import MemoryRenders
from gemischt.core.errors import InvalidSession
from gemischt.core.session.actions import SetStrips, StripSettings, apply_action
from gemischt.core.session.document import Session, Tap
from gemischt.core.session.validation import parse_session
from tests.core.engine.test_random_graphs import random_document
from tests.support.sessions import Bench, silence
from tests.support.signals import RATE_HZ, noise

LENGTH_S = 0.4
AUDIBLE_DB = -100.0
HASHES = {"noise": "noise"}


def peaks_of(measured: SongMeasurement) -> dict[str, list[float]]:
    return {
        strip_id: [stage.levels.sample_peak_dbfs for stage in strip.stages]
        for strip_id, strip in measured.strips.items()
    }


class RandomMeasuringTest(unittest.TestCase):
    """Routes, sends at all taps, keys, trims, pans, widths, mutes and solos as chance has them."""

    def setUp(self) -> None:
        self.rng = np.random.default_rng(1770)
        self.bench = Bench()
        # Silence around it: lanes that come early or late reach beyond the song.
        around = silence(RATE_HZ // 10)
        self.bench.track("noise", np.concatenate([around, noise(LENGTH_S, level=0.1, seed=6), around], axis=1))

    def sessions(self, number: int) -> list[Session]:
        found: list[Session] = []
        while len(found) < number:
            try:
                found.append(parse_session(random_document(self.rng, self.bench)))
            except InvalidSession:
                continue
        return found

    def assert_measured_as_played(self, session: Session, store: MemoryRenders) -> int:
        """How many of its strips were audible."""
        measured = measure_song(session, self.bench.media, HASHES, store)
        played = listen(session, self.bench.media, Stretch(0, round((LENGTH_S + 0.3) * RATE_HZ)))
        audible = 0
        stages: tuple[tuple[StageName, Tap | None], ...] = (
            ("source", None),
            ("pre-fader", "pre-fader"),
            ("post-fader", "post-fader"),
        )
        for strip in session.strips:
            for stage, tap in stages:
                peak_db = played.peak_db(strip.id, tap)
                found_db = measured.strips[strip.id].stage(stage).sample_peak_dbfs
                if max(peak_db, found_db) > AUDIBLE_DB:
                    self.assertAlmostEqual(found_db, peak_db, delta=0.05, msg=f"{strip.id} {stage}")
                    audible += stage == "post-fader"
        return audible

    def test_each_strip_is_measured_as_it_plays(self) -> None:
        audible = 0
        for number, session in enumerate(self.sessions(40)):
            with self.subTest(number=number):
                store = MemoryRenders()
                audible += self.assert_measured_as_played(session, store)
                with ThreadPoolExecutor(3) as pool:
                    together = measure_song(session, self.bench.media, HASHES, MemoryRenders(), pool=pool)
                kept = measure_song(session, self.bench.media, HASHES, store)
                self.assertEqual(peaks_of(together), peaks_of(kept))
        self.assertGreater(audible, 60)

    def test_what_was_kept_from_before_an_edit_is_still_right(self) -> None:
        for number, session in enumerate(self.sessions(12)):
            store = MemoryRenders()
            measure_song(session, self.bench.media, HASHES, store)
            for strip in session.strips[:3]:
                changes = [
                    StripSettings(strip=strip.id, fader_db=float(self.rng.uniform(-30, 12)), mute=False),
                    StripSettings(strip=strip.id, trim_db=float(self.rng.uniform(-30, 30))),
                    StripSettings(strip=strip.id, polarity_inverted=True),
                ]
                edited = apply_action(session, SetStrips(changes=(changes[number % 3],)))
                with self.subTest(number=number, strip=strip.id):
                    self.assert_measured_as_played(edited, store)
