"""Random sessions measured strip by strip, against the same sessions rendered in one piece and metered as they play."""

import unittest
from concurrent.futures import ThreadPoolExecutor
from typing import cast

import numpy as np

from gemischt.core.analysis.cache.renders import MemoryRenders
from gemischt.core.analysis.measurement.results import SongMeasurement, StageName
from gemischt.core.analysis.measurement.song import measure_song
from gemischt.core.analysis.reports.lane_alignment import report_block
from gemischt.core.analysis.sub_sessions.strip import strip_in_song
from gemischt.core.engine.renderer import Renderer
from gemischt.core.engine.tap_reader import Stretch, read_levels
from gemischt.core.errors import InvalidSession
from gemischt.core.parameters import Parameter
from gemischt.core.session.actions import SetStrips, StripSettings, apply_action
from gemischt.core.session.addresses import parameters_of
from gemischt.core.session.document import ControlGroup, Move, MovePoint, Session
from gemischt.core.session.moves import is_movable
from gemischt.core.session.validation import check_session, parse_session
from gemischt.core.terms import Tap
from gemischt.core.units import gain_to_db
from gemischt.operations.side_by_side import SideBySide
from tests.core.engine.test_random_graphs import random_document
from tests.support.plain_mix import plain_mix
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


def noise_for(length_s: float) -> Bench:
    """A track of noise with silence around it: lanes that come early or late reach beyond the song."""
    bench = Bench()
    around = silence(RATE_HZ // 10)
    bench.track("noise", np.concatenate([around, noise(length_s, level=0.1, seed=6), around], axis=1))
    return bench


def led(session: Session, rng: np.random.Generator) -> Session:
    """The session with some of its parameters moving, control groups' levels among them."""
    members = tuple(strip.id for strip in session.strips if rng.random() < 0.5)
    group = ControlGroup(id="g", name="G", members=members, level_db=-3.0)
    session = session.model_copy(update={"control_groups": (group,)})
    found = [item for item in parameters_of(session) if is_movable(item.address, item.parameter)]
    levels = [item for item in found if item.address.rpartition("/")[2] in ("fader_db", "level_db", "trim_db", "mute")]
    moves = []
    for _ in range(6):
        some = levels if rng.random() < 0.6 else found
        item = some[int(rng.integers(len(some)))]
        times = sorted(float(at_s) for at_s in rng.uniform(0.0, LENGTH_S, 3))
        values = [value_of(item.parameter, rng) for _ in times]
        points = tuple(MovePoint(at_s=at_s, value=value) for at_s, value in zip(times, values, strict=True))
        moves.append(Move(target=item.address, points=points))
    by_target = {move.target: move for move in moves}
    session = session.model_copy(update={"moves": tuple(by_target.values())})
    check_session(session)
    return session


def value_of(parameter: Parameter, rng: np.random.Generator) -> bool | float | None:
    if parameter.kind == "switch":
        return bool(rng.random() < 0.5)
    if parameter.unit == "dB" and parameter.none is not None and rng.random() < 0.1:
        return None
    low, high = parameter.minimum or 0.0, parameter.maximum or 1.0
    return float(rng.uniform(max(low, -40.0), min(high, 12.0)) if parameter.unit == "dB" else rng.uniform(low, high))


class RandomMeasuringTest(unittest.TestCase):
    """Routes, sends at all taps, keys, trims, pans, widths, mutes and solos as chance has them."""

    def setUp(self) -> None:
        self.rng = np.random.default_rng(1770)
        self.bench = noise_for(LENGTH_S)

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
        played = read_levels(session, self.bench.media, Stretch(0, round((LENGTH_S + 0.3) * RATE_HZ)))
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
                    together = measure_song(session, self.bench.media, HASHES, MemoryRenders(), team=SideBySide(pool))
                kept = measure_song(session, self.bench.media, HASHES, store)
                self.assertEqual(peaks_of(together), peaks_of(kept))
        self.assertGreater(audible, 60)

    def test_strips_that_move_over_the_song_are_measured_as_they_play(self) -> None:
        audible = moving = 0
        for number, session in enumerate(self.sessions(40)):
            session = led(session, self.rng)
            moving += len(session.moves)
            store = MemoryRenders()
            with self.subTest(number=number):
                audible += self.assert_measured_as_played(session, store)
                strip = session.strips[int(self.rng.integers(len(session.strips)))]
                change = StripSettings(strip=strip.id, fader_db=float(self.rng.uniform(-30, 12)))
                self.assert_measured_as_played(apply_action(session, SetStrips(changes=(change,))), store)
        self.assertGreater(moving, 100)
        self.assertGreater(audible, 60)

    def test_strips_without_processors_measure_what_plain_sums_have(self) -> None:
        n_samples = round((LENGTH_S + 0.2) * RATE_HZ)
        signals = {"noise": self.bench.media["noise"].T.astype(np.float64)}
        audible = 0
        for number, session in enumerate(self.sessions(60)):
            bare = tuple(strip.model_copy(update={"chain": (), "solo": False}) for strip in session.strips)
            # Ducks and followers are checked on samples of their own.
            session = session.model_copy(update={"strips": bare, "ducks": (), "followers": ()})
            plain = plain_mix(session, signals, n_samples)
            measured = measure_song(session, self.bench.media, HASHES, MemoryRenders())
            rendered = Renderer(session, self.bench.media).render(n_samples)
            mix = plain[session.mix.id, "post-fader"]
            loudest = max(1.0, *(float(np.abs(signal).max()) for signal in plain.values()))
            with self.subTest(number=number):
                np.testing.assert_allclose(rendered, mix, atol=1e-12 * loudest)
                for (strip_id, stage), signal in plain.items():
                    levels = measured.strips[strip_id].stage(cast(StageName, stage))
                    peak_db = gain_to_db(float(np.abs(signal).max()))
                    rms_db = gain_to_db(float(np.sqrt(np.mean(signal**2, axis=1).max())))
                    if peak_db > AUDIBLE_DB:
                        self.assertAlmostEqual(levels.sample_peak_dbfs, peak_db, delta=0.001, msg=f"{strip_id} {stage}")
                        self.assertAlmostEqual(levels.rms_dbfs, rms_db, delta=0.001, msg=f"{strip_id} {stage}")
                        audible += stage == "post-fader"
        self.assertGreater(audible, 100)

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

    def test_lanes_read_the_same_on_a_strip_alone(self) -> None:
        # Long enough that loudness hardly depends on how late a signal is.
        self.bench = noise_for(4.0)
        compared = 0
        for number, session in enumerate(self.sessions(16)):
            store = MemoryRenders()
            measured = measure_song(session, self.bench.media, HASHES, store)
            for strip in session.strips:
                for block in (processor for processor in strip.chain if processor.type == "parallel"):
                    small, media = strip_in_song(session, self.bench.media, measured.prints, store, strip.id)
                    stretch_s = (0.0, measured.duration_s)
                    whole = report_block(session, self.bench.media, strip.id, block.id, stretch_s=stretch_s)
                    alone = report_block(small, media, strip.id, block.id, stretch_s=stretch_s)
                    with self.subTest(number=number, strip=strip.id):
                        if max(whole.input_lufs, alone.input_lufs) > AUDIBLE_DB:
                            compared += 1
                            self.assertAlmostEqual(alone.input_lufs, whole.input_lufs, delta=0.05)
                            self.assertAlmostEqual(alone.output_lufs, whole.output_lufs, delta=0.05)
                            for a, b in zip(alone.lanes, whole.lanes, strict=True):
                                self.assertEqual((a.lane, a.inverted), (b.lane, b.inverted))
                                self.assertAlmostEqual(a.delay_ms, b.delay_ms, delta=0.05)
                                self.assertAlmostEqual(a.coherence, b.coherence, delta=0.02)
        self.assertGreater(compared, 5)
