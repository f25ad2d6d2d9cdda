"""Measuring a whole session: the same as rendering it in one piece, and only what an edit has changed is done again."""

import unittest
from concurrent.futures import ThreadPoolExecutor
from typing import Any

import numpy as np

from gemischt.core.analysis.cache.fingerprints import fingerprints
from gemischt.core.analysis.cache.renders import MemoryRenders
from gemischt.core.analysis.measurement.results import SongMeasurement
from gemischt.core.analysis.measurement.song import measure_song
from gemischt.core.analysis.reports.gain_ladder import ladder_ends
from gemischt.core.analysis.reports.reference_level import bring_to_reference
from gemischt.core.engine.renderer import Renderer
from gemischt.core.engine.tap_reader import Stretch, read_mix
from gemischt.core.errors import Cancelled
from gemischt.core.metering.stereo import StereoMeter
from gemischt.core.metering.summary import summarize
from gemischt.core.session.actions import apply_action, parse_action
from gemischt.core.session.document import Session
from gemischt.core.space.layout import STEREO
from gemischt.operations.side_by_side import SideBySide
from tests.support.meters import StageMeter
from tests.support.sessions import Bench, compressor, eq
from tests.support.signals import RATE_HZ, noise, sine


def band(**fields: Any) -> Bench:
    """Everything that can lie on a way: keys, sends at all taps, lanes, late strips, mono buses, groups, effects."""
    bench = Bench(control_groups=[{"id": "g", "name": "G", "members": ["voice"], "level_db": -2.0}], **fields)
    squash = {"id": "l2", "name": "Squash", "level_db": -6.0, "chain": [compressor("sq", threshold_db=-40.0)]}
    lanes = {"id": "lanes", "type": "parallel", "lanes": [{"id": "l1", "name": "Clean"}, squash]}
    bench.track("drum", noise(2.0, seed=1, channels=1), output="bus", chain=[lanes], pan={"position": -0.3})
    duck = compressor("duck", key={"from": "drum"}, threshold_db=-40.0, lookahead_ms=3.0)
    raw = [{"id": "raw", "to": "hall", "level_db": -8.0, "tap": "pre-chain"}]
    bench.track("bass", noise(2.0, seed=2), output="bus", chain=[eq({"gain_db": 3.0}), duck], sends=raw, trim_db=-3.0)
    early = [{"id": "e", "to": "hall", "level_db": -12.0, "tap": "pre-fader"}, {"id": "p", "to": "hall"}]
    bench.track("voice", noise(2.0, seed=3, channels=1), sends=early, fader_db=-4.0)
    bench.track("sea", noise(2.0, seed=4), late=True, fader_db=-9.0)
    bench.bus("bus", input="mono-sum", chain=[compressor("glue", key={"from": "voice", "tap": "pre-chain"})])
    bench.bus("hall", kind="return", chain=[{"id": "r", "type": "reverb", "params": {"decay_s": 0.5}}])
    bench.mix["chain"] = [{"id": "lim", "type": "limiter", "params": {}}]
    return bench


class MeasuringCase(unittest.TestCase):
    def setUp(self) -> None:
        self.bench = band()
        self.session = self.bench.session()
        self.store = MemoryRenders()
        self.hashes = {item.id: item.id for item in self.session.media}

    def measure(self, session: Session | None = None, **options: Any) -> SongMeasurement:
        return measure_song(session or self.session, self.bench.media, self.hashes, self.store, **options)

    def edited(self, **action: Any) -> Session:
        return apply_action(self.session, parse_action(action))


class AgreementTest(MeasuringCase):
    def whole(self, session: Session) -> np.ndarray:
        blocks = read_mix(session, self.bench.media, Stretch(0, 2 * RATE_HZ))
        return np.concatenate([block.copy() for block in blocks], axis=1)

    def test_the_mix_measures_what_one_render_measures(self) -> None:
        sessions = {
            "as it is": self.session,
            "soloed": self.edited(type="set-strips", changes=[{"strip": "voice", "solo": True}]),
            "muted": self.edited(type="set-strips", changes=[{"strip": "drum", "mute": True}]),
            "linear law": self.session.model_copy(update={"pan_law_db": -6.0}),
        }
        for name, session in sessions.items():
            with self.subTest(name):
                mix = self.measure(session).strips["mix"].stage("post-fader")
                summary = summarize([self.whole(session)], sample_rate_hz=RATE_HZ, layout=STEREO)
                self.assertAlmostEqual(mix.sample_peak_dbfs, summary.sample_peak_dbfs, delta=0.01)
                self.assertAlmostEqual(mix.integrated_lufs, summary.integrated_lufs, delta=0.02)
                self.assertAlmostEqual(mix.rms_dbfs, summary.rms_dbfs, delta=0.02)

    def test_a_stretch_measures_what_is_heard_in_it(self) -> None:
        session = self.edited(type="set-strips", changes=[{"strip": "mix", "fader_db": -5.0}])
        whole = self.whole(session)
        curve = self.measure(session).curve
        for start, end in ((0, RATE_HZ), (24_000, 69_600)):
            with self.subTest(start=start):
                found = curve.integrated_lufs(start / RATE_HZ, end / RATE_HZ)
                summary = summarize([whole[:, start:end]], sample_rate_hz=RATE_HZ, layout=STEREO)
                self.assertAlmostEqual(found, summary.integrated_lufs, delta=0.01)

    def test_the_mix_behind_its_fader_whatever_it_does(self) -> None:
        placed = {
            "as it is": {},
            "turned down": {"fader_db": -5.0},
            "over full scale": {"fader_db": 12.0},
            "closed": {"mute": True},
            "panned": {"pan": {"position": 0.4}},
            "narrow": {"width": 0.3, "fader_db": 12.0},
            "mono": {"input": "mono-sum", "fader_db": 12.0},
        }
        for name, settings in placed.items():
            with self.subTest(name):
                change = {"strip": "mix", "fader_db": 0.0, **settings}
                session = self.edited(type="set-strips", changes=[change])
                # First with the chain known from before, then measured from nothing.
                for kept in (self.store, MemoryRenders()):
                    self.store = kept
                    measured = self.measure(session)
                    mix = measured.strips["mix"].stage("post-fader")
                    meter = StageMeter(RATE_HZ, STEREO)
                    whole = self.whole(session)
                    meter.process(whole, whole.shape[1])
                    levels = meter.levels()
                    if name == "closed":
                        self.assertEqual(levels.sample_peak_dbfs, mix.sample_peak_dbfs)
                        self.assertEqual(max(measured.curve.peaks), 0.0)
                        continue
                    self.assertAlmostEqual(mix.sample_peak_dbfs, levels.sample_peak_dbfs, delta=0.01)
                    self.assertAlmostEqual(mix.integrated_lufs, levels.integrated_lufs, delta=0.02)
                    self.assertAlmostEqual(mix.overs, levels.overs, delta=2 + levels.overs // 100)
                    self.assertEqual(mix.first_over_s is None, levels.first_over_s is None)
                    self.assertAlmostEqual(max(measured.curve.peaks), np.abs(whole).max(), delta=0.001)
                    summary = summarize([whole], sample_rate_hz=RATE_HZ, layout=STEREO)
                    self.assertAlmostEqual(
                        measured.curve.integrated_lufs(0.0, None), summary.integrated_lufs, delta=0.02
                    )

    def test_a_mix_without_a_chain_follows_its_trim(self) -> None:
        for trim in (
            {"trim_db": -8.0},
            {"trim_db": 9.0, "polarity_inverted": True},
            {"trim_db": 3.0, "fader_db": -3.0},
        ):
            with self.subTest(trim):
                self.bench = Bench()
                self.bench.track("voice", noise(2.0, seed=3), fader_db=-2.0)
                self.bench.mix |= trim
                self.session, self.store = self.bench.session(), MemoryRenders()
                self.hashes = {"voice": "voice"}
                whole, measured = self.whole(self.session), self.measure()
                summary = summarize([whole], sample_rate_hz=RATE_HZ, layout=STEREO)
                mix = measured.strips["mix"]
                self.assertAlmostEqual(mix.stage("post-fader").sample_peak_dbfs, summary.sample_peak_dbfs, delta=0.01)
                self.assertAlmostEqual(max(measured.curve.peaks), np.abs(whole).max(), delta=0.001)
                integrated_lufs = measured.curve.integrated_lufs(0.0, None)
                self.assertAlmostEqual(integrated_lufs, summary.integrated_lufs, delta=0.02)
                assert mix.stereo is not None
                self.assertAlmostEqual(mix.stereo.lows_rms_dbfs, self.lows_of(whole), delta=0.01)

    def lows_of(self, signal: np.ndarray) -> float:
        meter = StereoMeter(RATE_HZ)
        meter.process(signal.astype(np.float32), signal.shape[1])
        return meter.levels().lows_rms_dbfs

    def test_side_by_side_is_the_same_as_one_after_the_other(self) -> None:
        alone = self.measure()
        self.store = MemoryRenders()
        with ThreadPoolExecutor(3) as pool:
            together = self.measure(team=SideBySide(pool))
        self.assertEqual(alone, together)

    def test_a_bus_without_a_chain_can_be_heard_before_it(self) -> None:
        self.bench.bus("plain", sends=[{"id": "s", "to": "hall", "level_db": -6.0, "tap": "pre-chain"}])
        self.bench.strips[0]["output"] = "plain"
        self.session = self.bench.session()
        mix = self.measure().strips["mix"].stage("post-fader")
        summary = summarize([self.whole(self.session)], sample_rate_hz=RATE_HZ, layout=STEREO)
        self.assertAlmostEqual(mix.integrated_lufs, summary.integrated_lufs, delta=0.02)

    def test_the_curve_follows_the_mix(self) -> None:
        curve = self.measure().curve
        peak = float(np.abs(self.whole(self.session)).max())
        self.assertAlmostEqual(max(curve.peaks), peak, delta=0.001)
        self.assertEqual(len(curve.short_term_lufs), len(curve.peaks))

    def test_stages_stand_in_the_order_of_the_signal(self) -> None:
        stages = self.measure().strips["bass"].stages
        named = [stage.processor or stage.name for stage in stages]
        self.assertEqual(named, ["source", "trim", "eq", "duck", "pre-fader", "post-fader"])
        source, trim = stages[0].levels, stages[1].levels
        self.assertAlmostEqual(trim.sample_peak_dbfs, source.sample_peak_dbfs - 3.0, places=9)

    def test_lanes_are_stages_after_their_level(self) -> None:
        boost = {"id": "boost", "type": "gain", "params": {"level_db": 9.0}}
        down = {"id": "down", "type": "gain", "params": {"level_db": -20.0}}
        lanes = [
            {"id": "clean", "name": "Clean", "level_db": -4.0},
            {"id": "hot", "name": "Hot", "level_db": 5.0, "polarity_inverted": True, "chain": [boost]},
            {"id": "off", "name": "Off", "mute": True, "chain": [boost | {"id": "boost-2"}]},
        ]
        bench = Bench()
        block = {"id": "block", "type": "parallel", "lanes": lanes}
        bench.track("tone", sine(997, -12, 1.0, channels=1), chain=[block, down])
        session = bench.session()
        measured = measure_song(session, bench.media, {"tone": "t"}, MemoryRenders()).strips["tone"]
        found = [(stage.lane or stage.processor or stage.name, stage.levels) for stage in measured.stages]
        expected = {
            "source": -12.0,
            "trim": -12.0,
            "clean": -16.0,
            "boost": -3.0,
            "hot": 2.0,
            "boost-2": -3.0,
            "off": -np.inf,
            # What meets with opposed polarity is subtracted.
            "block": 20 * np.log10(10 ** (2 / 20) - 10 ** (-16 / 20)),
            "down": 20 * np.log10(10 ** (2 / 20) - 10 ** (-16 / 20)) - 20.0,
        }
        self.assertEqual([name for name, _ in found][:-2], list(expected))
        for name, levels in found[:-2]:
            with self.subTest(name):
                if np.isinf(expected[name]):
                    self.assertTrue(levels.silent)
                else:
                    self.assertAlmostEqual(levels.sample_peak_dbfs, expected[name], delta=0.02)
        # Clipping begins in the lane, not in the sum that follows; overs are counted after its level.
        self.assertEqual(measured.clips_at, list(expected).index("hot"))
        self.assertGreater(dict(found)["hot"].overs, 0)

    def test_a_lane_whose_level_moves_is_measured_as_it_moves(self) -> None:
        lanes = [{"id": "clean", "name": "Clean"}, {"id": "wet", "name": "Wet", "level_db": -40.0}]
        bench = Bench()
        bench.track("tone", sine(997, -12, 2.0), chain=[{"id": "block", "type": "parallel", "lanes": lanes}])
        points = [{"at_s": 0.0, "value": -30.0}, {"at_s": 1.0, "value": -6.0}, {"at_s": 2.0, "value": -30.0}]
        bench.fields["moves"] = [{"target": "strips/tone/chain/block/lanes/wet/level_db", "points": points}]
        measured = measure_song(bench.session(), bench.media, {"tone": "t"}, MemoryRenders()).strips["tone"]
        levels = next(stage.levels for stage in measured.stages if stage.lane == "wet")
        self.assertAlmostEqual(levels.sample_peak_dbfs, -18.0, delta=0.03)
        self.assertAlmostEqual(levels.sample_peak_at_s, 1.0, delta=0.01)
        # The mean power of a gain that goes straight in dB from g to G: (G^2 - g^2) / ln (G^2 / g^2).
        low, high = 10 ** (-30.0 / 10), 10 ** (-6.0 / 10)
        mean_db = 10 * np.log10((high - low) / np.log(high / low))
        self.assertAlmostEqual(levels.rms_dbfs, -12.0 - 3.01 + mean_db, delta=0.02)

    def test_a_block_that_is_off_has_no_lanes(self) -> None:
        lane = {"id": "l", "name": "L", "chain": [eq({"gain_db": 24.0})]}
        bench = Bench()
        bench.track("tone", sine(997, -12, 1.0), chain=[{"id": "b", "type": "parallel", "on": False, "lanes": [lane]}])
        measured = measure_song(bench.session(), bench.media, {"tone": "t"}, MemoryRenders()).strips["tone"]
        self.assertEqual(
            [stage.processor or stage.name for stage in measured.stages],
            ["source", "trim", "b", "pre-fader", "post-fader"],
        )
        self.assertIsNone(measured.clips_at)

    def test_every_figure_of_a_tone(self) -> None:
        bench = Bench()
        bench.track("tone", sine(997, -18, 4.0, channels=1), trim_db=6.0)
        session = bench.session()
        measured = measure_song(session, bench.media, {"tone": "t"}, MemoryRenders())
        source = measured.strips["tone"].stage("source")
        # A sine: RMS 3.01 dB under its peak; the VU needle overshoots by its 1.25 %; one channel of BS.1770.
        self.assertAlmostEqual(source.sample_peak_dbfs, -18.0, delta=0.01)
        self.assertAlmostEqual(source.rms_dbfs, -21.01, delta=0.01)
        self.assertAlmostEqual(source.crest_db, 3.01, delta=0.01)
        self.assertAlmostEqual(source.vu_dbfs, -18.0 + 20 * np.log10(1.0125), delta=0.06)
        self.assertAlmostEqual(source.integrated_lufs, -21.01, delta=0.01)
        self.assertLess(abs(source.dc), 1e-6)
        trimmed = measured.strips["tone"].stage("trim")
        self.assertAlmostEqual(trimmed.integrated_lufs, -15.01, delta=0.01)


class IncrementalTest(MeasuringCase):
    def test_nothing_is_rendered_twice(self) -> None:
        first = self.measure()
        self.assertGreater(first.rendered, 0)
        again = self.measure()
        self.assertEqual((again.rendered, again.strips), (0, first.strips))

    def test_a_fader_renders_what_follows_and_no_more(self) -> None:
        first = self.measure()
        moved = self.edited(type="set-strips", changes=[{"strip": "sea", "fader_db": -20.0}])
        again = self.measure(moved)
        # The sea is only turned down, which is arithmetic; the mix must be rendered.
        self.assertEqual(again.rendered, 1)
        for figure in ("sample_peak_dbfs", "rms_dbfs", "integrated_lufs", "true_peak_dbtp"):
            before, after = (getattr(item.strips["sea"].stage("post-fader"), figure) for item in (first, again))
            self.assertAlmostEqual(after - before, -11.0, places=6)

    def test_a_pan_of_two_channels_is_measured_from_the_fader(self) -> None:
        self.measure()
        moved = self.edited(type="set-strips", changes=[{"strip": "sea", "pan": {"position": 0.4}}])
        self.assertEqual(self.measure(moved).rendered, 2)

    def test_turned_figures_are_those_of_a_measured_signal(self) -> None:
        # One channel panned by the law, against the same strip measured from its rendered output.
        for position in (-1.0, -0.3, 0.0, 0.8):
            panned = self.edited(type="set-strips", changes=[{"strip": "drum", "pan": {"position": position}}])
            panned = apply_action(panned, parse_action({"type": "set-output", "strips": ["drum"], "output": "mix"}))
            said = self.measure(panned).strips["drum"].stage("post-fader")
            bare = panned.model_copy(
                update={"strips": (panned.strip("drum"), panned.mix.model_copy(update={"chain": ()}))}
            )
            blocks = read_mix(bare, self.bench.media, Stretch(0, 2 * RATE_HZ))
            summary = summarize((block.copy() for block in blocks), sample_rate_hz=RATE_HZ, layout=STEREO)
            with self.subTest(position=position):
                self.assertAlmostEqual(said.sample_peak_dbfs, summary.sample_peak_dbfs, delta=0.001)
                self.assertAlmostEqual(said.integrated_lufs, summary.integrated_lufs, delta=0.01)
                self.assertAlmostEqual(said.rms_dbfs, summary.rms_dbfs, delta=0.001)

    def test_a_processor_renders_what_hears_it_too(self) -> None:
        self.measure()
        turned = self.edited(type="set-processor", strip="bass", processor="eq", params={"bands": []})
        # Bass, the bus it plays to, the mix; the hall takes it before its chain.
        self.assertEqual(self.measure(turned).rendered, 3)

    def test_going_back_finds_what_was_measured(self) -> None:
        self.measure()
        self.measure(self.edited(type="set-strips", changes=[{"strip": "sea", "fader_db": -20.0}]))
        self.assertEqual(self.measure().rendered, 0)

    def test_names_and_folders_change_nothing(self) -> None:
        self.measure()
        renamed = self.edited(type="rename-strips", strips=["sea"], names=["Ocean"])
        self.assertEqual(self.measure(renamed).rendered, 0)

    def test_audio_that_was_thrown_away_is_rendered_again(self) -> None:
        first = self.measure()
        self.store._audio.clear()
        moved = self.edited(type="set-strips", changes=[{"strip": "mix", "trim_db": -3.0}])
        again = self.measure(moved)
        self.assertGreater(again.rendered, 1)
        self.assertEqual(again.strips["bus"], first.strips["bus"])

    def test_fingerprints_follow_what_feeds_a_point(self) -> None:
        before = fingerprints(self.session, self.hashes, 96000)
        moved = self.edited(type="set-strips", changes=[{"strip": "drum", "fader_db": -20.0}])
        after = fingerprints(moved, self.hashes, 96000)
        self.assertEqual(before["drum"].pre_fader, after["drum"].pre_fader)
        self.assertNotEqual(before["bus"].source, after["bus"].source)
        # The bass is keyed before the drum's fader.
        self.assertEqual(before["bass"], after["bass"])

    def test_it_stops_when_told(self) -> None:
        def stop(share: float) -> None:
            if share > 0.2:
                raise Cancelled("stopped on request")

        for pool in (None, ThreadPoolExecutor(2)):
            with self.subTest(pool=pool is not None), self.assertRaises(Cancelled):
                self.measure(report=stop, team=SideBySide(pool) if pool else None)
            if pool is not None:
                pool.shutdown()


class LadderTest(unittest.TestCase):
    def test_levels_at_the_bus_and_at_the_mix(self) -> None:
        bench = Bench()
        bench.track("tone", sine(200, -12, 1.0), output="bus")
        bench.track("nowhere", sine(200, -12, 1.0), output=None)
        bench.bus("bus", fader_db=-5.0)
        bench.mix["fader_db"] = -1.0
        session = bench.session()
        ends = ladder_ends(session, measure_song(session, bench.media, {"tone": "a", "nowhere": "b"}, MemoryRenders()))
        self.assertAlmostEqual(ends["tone"].to_bus_db or 0.0, -5.0, places=4)
        self.assertAlmostEqual(ends["tone"].to_mix_db or 0.0, -6.0, places=4)
        self.assertIsNone(ends["nowhere"].to_mix_db)


class ReferenceTest(unittest.TestCase):
    def setUp(self) -> None:
        self.bench = Bench()
        for name, level in (("loud", -4.0), ("soft", -30.0), ("right", -18.0)):
            self.bench.track(name, sine(300, level, 1.0))
        self.bench.track("none", np.zeros((2, RATE_HZ)))
        self.session = self.bench.session()
        self.hashes = {item.id: item.id for item in self.session.media}

    def measure(self, session: Session) -> SongMeasurement:
        return measure_song(session, self.bench.media, self.hashes, MemoryRenders())

    def test_each_alone_with_reasons_for_those_that_stay(self) -> None:
        names = ["loud", "soft", "right", "none"]
        for figure, target in (("peak", -18.0), ("rms", -21.0), ("vu", 0.0), ("loudness", -20.0)):
            with self.subTest(figure):
                plan = bring_to_reference(self.session, self.measure(self.session), names, figure=figure, target=target)  # type: ignore[arg-type]
                assert plan.edit is not None
                after = self.measure(apply_action(self.session, plan.edit))
                if figure == "peak":
                    for name in names[:3]:
                        self.assertAlmostEqual(after.strips[name].stage("trim").sample_peak_dbfs, -18.0, delta=0.02)
                    self.assertEqual([item.remark for item in plan.proposals], ["", "", "is there already", "silent"])
                again = bring_to_reference(self.session, after, names, figure=figure, target=target)  # type: ignore[arg-type]
                self.assertIsNone(again.edit)

    def test_vu_reads_from_where_the_session_puts_its_zero(self) -> None:
        moved = apply_action(self.session, parse_action({"type": "set-song", "vu_reference_dbfs": -14.0}))
        measured = self.measure(moved)
        at_default = bring_to_reference(self.session, measured, ["right"], figure="vu", target=0.0)
        plan = bring_to_reference(moved, measured, ["right"], figure="vu", target=0.0)
        # A tone at -18 dBFS reads 0 VU with the usual reference, and 4 VU less with this one.
        self.assertAlmostEqual(at_default.proposals[0].now, 0.0, delta=0.15)
        self.assertAlmostEqual(plan.proposals[0].now, at_default.proposals[0].now - 4.0, places=6)
        self.assertAlmostEqual(plan.proposals[0].change_db, 4.0, delta=0.15)

    def test_together_keeps_the_balance(self) -> None:
        plan = bring_to_reference(
            self.session, self.measure(self.session), ["loud", "soft"], figure="peak", target=-18.0, together=True
        )
        self.assertEqual([round(item.change_db, 1) for item in plan.proposals], [-14.0, -14.0])

    def test_compensated_faders_null_against_before(self) -> None:
        before = self.bench.render(RATE_HZ // 2)
        for place in ("trim", "clip gain"):
            with self.subTest(place):
                plan = bring_to_reference(
                    self.session,
                    self.measure(self.session),
                    ["loud", "soft"],
                    figure="peak",
                    target=-18.0,
                    place=place,  # type: ignore[arg-type]
                    compensate=True,
                )
                assert plan.edit is not None
                after = apply_action(self.session, plan.edit)
                out = Renderer(after, self.bench.media).render(RATE_HZ // 2)
                self.assertLess(20 * np.log10(np.abs(out - before).max()), -100.0)
