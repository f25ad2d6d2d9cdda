"""Each kind of finding: a session that has it, and one that nearly has it."""

import unittest
from collections.abc import Callable
from unittest import mock

import numpy as np

from gemischt.core.analysis.cache.renders import MemoryRenders, RenderStore
from gemischt.core.analysis.findings import EXAMINATIONS, Finding, Situation, examine
from gemischt.core.analysis.measurement.song import measure_song
from gemischt.core.session.actions import SetStrips, StripSettings, apply_action
from gemischt.core.session.document import Session
from tests.support.sessions import Bench, compressor, eq, silence
from tests.support.signals import RATE_HZ, Signal, noise, sine, steps


def found_in(session: Session, bench: Bench, store: RenderStore | None = None) -> list[Finding]:
    hashes = {item.id: item.id for item in session.media}
    store = store or MemoryRenders()
    measurement = measure_song(session, bench.media, hashes, store)
    return examine(Situation(session, bench.media, measurement, store))


def hits(seed: int, *, level: float = 0.12) -> Signal:
    """Bursts of noise that die away, one channel, so that a source is known by its envelope and its waveform."""
    times = np.arange(2 * RATE_HZ) / RATE_HZ
    envelope = sum(np.exp(-12.0 * (times - at)) * (times >= at) for at in (0.2, 0.55, 1.1, 1.35))
    return level * envelope * np.random.default_rng(seed).standard_normal((1, 2 * RATE_HZ))


def delayed(signal: Signal, by_samples: int) -> Signal:
    return np.concatenate([np.zeros((len(signal), by_samples)), signal[:, : signal.shape[1] - by_samples]], axis=1)


def one(signal: Signal, **fields: object) -> Bench:
    bench = Bench()
    bench.track("bass", signal, **fields)
    return bench


def clipping_inside(boost_db: float) -> Bench:
    boost = eq({"shape": "bell", "frequency_hz": 1000.0, "gain_db": boost_db, "q": 1.0})
    return one(sine(1000.0, -12.0, 1.0), chain=[boost], fader_db=-20.0)


def mix_at(level_dbfs: float) -> Bench:
    return one(sine(997.0, -18.0, 1.0), fader_db=level_dbfs + 18.0, pan={"position": 0.0})


def between_samples(level_dbfs: float) -> Bench:
    """A quarter of the sampling rate, sampled 45 degrees beside its peaks: a true peak 3 dB above them (Tech 3341)."""
    return one(sine(RATE_HZ / 4, -18.0, 1.0, phase_deg=45.0), fader_db=level_dbfs + 18.0)


def reference_off(by_db: float) -> Bench:
    return one(sine(440.0, -18.0 + by_db, 1.0))


def twice(second_db: float) -> Bench:
    return one(sine(440.0, -18.0, 1.0), sends=[{"id": "s", "to": "mix", "level_db": second_db}])


def bus_down(tap: str, fader_db: float | None) -> Bench:
    bench = one(noise(1.0, channels=1), output="band", sends=[{"id": "s", "to": "hall", "tap": tap}])
    bench.bus("band", fader_db=fader_db)
    bench.bus("hall", kind="return", chain=[{"id": "r", "type": "reverb", "params": {"decay_s": 0.5}}])
    return bench


def nowhere(output: str | None) -> Bench:
    return one(sine(440.0, -18.0, 1.0), output=output)


def silent(level_dbfs: float) -> Bench:
    return one(silence(RATE_HZ) if level_dbfs < -200.0 else sine(440.0, level_dbfs, 1.0))


def muted_key(tap: str) -> Bench:
    bench = one(sine(440.0, -18.0, 1.0), chain=[compressor(key={"from": "drum", "tap": tap}, threshold_db=-40.0)])
    bench.track("drum", sine(100.0, -18.0, 1.0), mute=True)
    return bench


def keyed(threshold_db: float) -> Bench:
    key = {"from": "drum", "tap": "pre-fader"}
    bench = one(sine(440.0, -18.0, 1.0), chain=[compressor(key=key, threshold_db=threshold_db, ratio=4.0)])
    bench.track("drum", sine(100.0, -24.0, 1.0))
    return bench


def compressed(signal: Signal, threshold_db: float) -> Bench:
    return one(signal, chain=[compressor(threshold_db=threshold_db, ratio=4.0, knee_db=0.0, release_ms=20.0)])


def combing(delay_ms: float) -> Bench:
    lanes = [{"id": "a", "name": "Clean"}, {"id": "b", "name": "Late", "shift_ms": delay_ms}]
    return one(noise(2.0, channels=1), chain=[{"id": "p", "type": "parallel", "lanes": lanes}])


def two_microphones(second: Signal) -> Bench:
    bench = one(hits(1))
    bench.track("far", second)
    return bench


def sides(relation: float) -> Bench:
    """Left, and right with a share of the same and the rest of another noise."""
    left, other = noise(1.0, seed=3)
    right = relation * left + np.sqrt(1.0 - relation**2) * other
    return one(np.stack([left, right]))


def lows(side_db: float) -> Bench:
    """A low tone in the middle, another on the sides."""
    middle, side = sine(60.0, -18.0, 1.0, channels=1)[0], sine(80.0, -18.0 + side_db, 1.0, channels=1)[0]
    return one(np.stack([middle + side, middle - side]))


def opposed_range(relation: float) -> Bench:
    """A middle, and a softer range below it that is opposed, or unrelated."""
    middle, range_ = sine(400.0, -12.0, 1.0, channels=1)[0], bell(90.0, 240.0)
    other = relation * range_ if relation else bell(90.0, 240.0, seed=8)
    return one(np.stack([middle + range_, middle + other]))


def bell(low_hz: float, high_hz: float, seed: int = 7) -> Signal:
    """Noise within a range."""
    spectrum = np.fft.rfft(noise(1.0, level=0.1, seed=seed, channels=1)[0])
    lines = np.fft.rfftfreq(RATE_HZ, 1.0 / RATE_HZ)
    found: Signal = 5.0 * np.fft.irfft(spectrum * ((lines > low_hz) & (lines < high_hz)), RATE_HZ)
    return found


def offset(dc: float) -> Bench:
    return one(sine(440.0, -18.0, 1.0) + dc)


def pulses(ratio: float) -> Bench:
    """A pulse train without an offset, whose pulses a compressor takes down as they come."""
    wave = np.tile(np.where(np.arange(480) < 48, 0.45, -0.05), 100)
    clip = compressor(threshold_db=-20.0, ratio=ratio, knee_db=0.0, attack_ms=0.0, release_ms=0.0)
    return one(np.stack([wave, wave]), chain=[clip])


def hum(level_dbfs: float) -> Bench:
    return one(steps((level_dbfs, 1.0), (-18.0, 1.0), frequency_hz=150.0))


def fader_move(*points: tuple[float, float]) -> Bench:
    bench = Bench(
        moves=[{"target": "strips/bass/fader_db", "points": [{"at_s": at_s, "value": value} for at_s, value in points]}]
    )
    bench.track("bass", sine(440.0, -18.0, 2.0))
    return bench


def drummed(*chain: dict[str, object], **fields: object) -> Bench:
    """A steady bass, and a drum of a tone that sounds for 40 ms in each quarter of a second."""
    bench = Bench(**fields)
    bench.track("bass", sine(440.0, -18.0, 2.0), chain=list(chain))
    sounds = np.arange(2 * RATE_HZ) % (RATE_HZ // 4) < RATE_HZ // 25
    bench.track("drum", sine(200.0, -12.0, 2.0) * sounds)
    return bench


def by_drum(processor_id: str, *, release_ms: float, threshold_db: float = -30.0) -> dict[str, object]:
    key = {"from": "drum", "tap": "pre-fader"}
    return compressor(processor_id, key, threshold_db=threshold_db, ratio=8.0, attack_ms=1.0, release_ms=release_ms)


def drawn_duck(clock: dict[str, object], down_until: float = 0.3) -> Bench:
    """A curve that is down from the tick on, and comes back at a share of an eighth."""
    curve = [{"at": 0.0, "open": 0.0}, {"at": down_until, "open": 0.0}, {"at": min(1.0, down_until + 0.1), "open": 1.0}]
    if down_until == 1.0:
        curve = curve[:2]
    targets = [{"id": "x", "strip": "bass", "depth_db": -9.0}]
    duck = {"id": "d", "name": "Tide", "clock": clock, "length": "1/8", "curve": curve, "targets": targets}
    return drummed(ducks=[duck])


def each_eighth(offset_s: float) -> dict[str, object]:
    return {"kind": "repeat", "note": "1/8", "offset_s": offset_s}


def hits_from(threshold_db: float) -> dict[str, object]:
    return {"kind": "hits", "from": "drum", "threshold_db": threshold_db}


def moved_by_drum(full_level_db: float) -> Bench:
    """A band that the drum moves, from 12 dB below to all the way."""
    motion = {"to_db": -6.0, "from_level_db": full_level_db - 12.0, "full_level_db": full_level_db, "hears": "all"}
    return drummed(eq({"id": "b", "frequency_hz": 440.0, "motion": motion | {"key": {"from": "drum"}}}))


def ringing(threshold_db: float) -> Bench:
    """A duck by hits of a drum that falls by 9 dB from one to the next."""
    curve = [{"at": 0.0, "open": 0.0}, {"at": 1.0, "open": 1.0}]
    duck = {"id": "d", "name": "Tide", "clock": hits_from(threshold_db), "length": "1/16", "curve": curve}
    bench = Bench(ducks=[duck | {"targets": [{"id": "x", "strip": "bass", "depth_db": -9.0}]}])
    bench.track("bass", sine(440.0, -18.0, 3.0))
    ring_s = np.arange(3 * RATE_HZ) % (RATE_HZ // 4) / RATE_HZ
    bench.track("drum", sine(200.0, -12.0, 3.0) * np.exp(-4.0 * ring_s))
    return bench


def covering(range_db: float) -> Bench:
    """A bass in the range of a voice that sounds for half of the time, and makes room for it."""
    key = {"from": "voice", "tap": "pre-fader"}
    room = compressor("room", key, threshold_db=-40.0, ratio=None, attack_ms=1.0, release_ms=50.0, range_db=range_db)
    bench = Bench()
    bench.track("bass", sine(400.0, -13.0, 4.0), chain=[room])
    bench.track("voice", steps((-12.0, 1.5), (-90.0, 1.0), (-12.0, 1.5), frequency_hz=410.0))
    return bench


def stands(*tracks: tuple[str, float, float], width: float = 0.0, level: float = 0.1) -> Bench:
    """Tracks of a tone each, by name, frequency and position."""
    bench = Bench()
    for seed, (name, frequency_hz, position) in enumerate(tracks):
        pair = sine(frequency_hz, -24.0, 1.0)
        pair = pair + width * np.stack([noise(1.0, channels=1, level=level, seed=2 * seed + k)[0] for k in (0, 1)])
        bench.track(name.replace(" ", "-"), pair, pan={"mode": "fold", "position": position})
        bench.strips[-1]["name"] = name
    return bench


def row(*positions: float, frequency_hz: float = 440.0, width: float = 0.0) -> Bench:
    names = [f"t{k}" for k in range(len(positions))]
    return stands(*((name, frequency_hz, at) for name, at in zip(names, positions, strict=True)), width=width)


def one_sided(side_db: float) -> Bench:
    """A file that is on its left mostly, panned to the right by balance."""
    left = sine(440.0, -12.0, 1.0, channels=1)
    return one(np.concatenate([left, 10 ** (side_db / 20) * left]), pan={"position": 0.8})


CASES: dict[str, tuple[Callable[[], Bench], Callable[[], Bench]]] = {
    "clips-inside": (lambda: clipping_inside(14.0), lambda: clipping_inside(11.0)),
    "clips-at-mix": (lambda: mix_at(0.4), lambda: mix_at(-0.2)),
    "true-peak": (lambda: between_samples(-0.8), lambda: between_samples(-1.3)),
    "far-from-reference": (lambda: reference_off(-8.0), lambda: reference_off(-6.0)),
    "heard-twice": (lambda: twice(-20.0), lambda: twice(-30.0)),
    "outlives-bus": (lambda: bus_down("pre-fader", None), lambda: bus_down("pre-fader", -12.0)),
    "plays-nowhere": (lambda: nowhere(None), lambda: nowhere("mix")),
    "silent": (lambda: silent(-999.0), lambda: silent(-80.0)),
    "muted-trigger": (lambda: muted_key("pre-fader"), lambda: muted_key("post-fader")),
    "idle-key": (lambda: keyed(-20.0), lambda: keyed(-30.0)),
    "idle-compressor": (
        lambda: compressed(sine(440.0, -18.0, 1.0), -15.0),
        lambda: compressed(sine(440.0, -18.0, 1.0), -21.0),
    ),
    "busy-compressor": (
        lambda: compressed(sine(440.0, -18.0, 2.0), -40.0),
        lambda: compressed(steps((-18.0, 1.5), (-60.0, 0.5)), -40.0),
    ),
    "lanes-comb": (lambda: combing(1.0), lambda: combing(0.0)),
    "late-copy": (lambda: two_microphones(0.7 * delayed(hits(1), 96)), lambda: two_microphones(hits(2))),
    "opposed-polarity": (lambda: two_microphones(-hits(1)), lambda: two_microphones(hits(1))),
    "lost-in-mono": (lambda: sides(-0.3), lambda: sides(0.0)),
    "range-lost-in-mono": (lambda: opposed_range(-1.0), lambda: opposed_range(0.0)),
    "wide-lows": (lambda: lows(-3.0), lambda: lows(-9.0)),
    "dc": (lambda: offset(0.01), lambda: offset(0.002)),
    "jumping-move": (
        lambda: fader_move((0.0, -6.5), (1.0, -6.5), (1.0, 0.0)),
        lambda: fader_move((0.0, -5.5), (1.0, -5.5), (1.0, 0.0)),
    ),
    "idle-move": (
        lambda: fader_move((0.0, -3.0), (2.5, -3.0), (3.0, 0.0)),
        lambda: fader_move((0.0, -3.0), (1.9, 0.0)),
    ),
    "idle-duck": (lambda: drawn_duck(hits_from(-9.0)), lambda: drawn_duck(hits_from(-15.0))),
    "idle-band": (lambda: moved_by_drum(0.0), lambda: moved_by_drum(-16.0)),
    "late-duck": (lambda: ringing(-30.0), lambda: ringing(-16.0)),
    "masking-remains": (lambda: covering(1.0), lambda: covering(6.0)),
    "duck-never-back": (
        lambda: drummed(by_drum("duck", release_ms=600.0)),
        lambda: drummed(by_drum("duck", release_ms=30.0)),
    ),
    "duck-always-down": (lambda: drawn_duck(each_eighth(0.0), 1.0), lambda: drawn_duck(each_eighth(0.0), 0.7)),
    "ducked-twice": (
        lambda: drummed(by_drum("duck", release_ms=30.0), by_drum("other", release_ms=30.0)),
        lambda: drummed(by_drum("duck", release_ms=30.0), by_drum("other", release_ms=30.0, threshold_db=0.0)),
    ),
    "duck-beside-the-beat": (lambda: drawn_duck(each_eighth(0.02)), lambda: drawn_duck(each_eighth(0.005))),
    "everything-wide": (lambda: row(0, 0, 0, 0, width=1.0), lambda: row(0, 0, 0, 0)),
    "crowded-middle": (lambda: row(0, 0.02, -0.02, 0), lambda: row(0, 0.3, -0.3, 0)),
    "lopsided": (lambda: row(0.5, 0.0), lambda: row(0.5, -0.5)),
    "not-mirrored": (
        lambda: stands(("Guitar left", 440.0, -0.7), ("Guitar right", 500.0, 0.2)),
        lambda: stands(("Guitar left", 440.0, -0.7), ("Guitar right", 500.0, 0.65)),
    ),
    "lost-by-pan": (lambda: one_sided(-30.0), lambda: one_sided(0.0)),
    "noise-before": (lambda: hum(-60.0), lambda: hum(-75.0)),
}


class KindsTest(unittest.TestCase):
    def test_what_is_there_is_found_and_what_nearly_is_is_not(self) -> None:
        for kind, (has_it, nearly) in CASES.items():
            with self.subTest(kind):
                bench, near = has_it(), nearly()
                found = [finding.kind for finding in found_in(bench.session(), bench)]
                self.assertIn(kind, found)
                self.assertNotIn(kind, [finding.kind for finding in found_in(near.session(), near)])

    def test_an_offset_is_found_at_the_processor_that_leaves_it(self) -> None:
        found = [finding for finding in found_in(pulses(8.0).session(), pulses(8.0)) if finding.kind == "dc"]
        self.assertEqual([(finding.strip, finding.subject) for finding in found], [("bass", "comp")])
        self.assertNotIn("dc", [finding.kind for finding in found_in(pulses(1.02).session(), pulses(1.02))])

    def test_wide_tones_above_the_lows_are_not_wide_lows(self) -> None:
        left, right = sine(220.0, -10.0, 1.0, channels=1)[0], sine(277.0, -10.0, 1.0, channels=1)[0]
        bench = one(np.stack([left, right]))
        self.assertNotIn("wide-lows", [finding.kind for finding in found_in(bench.session(), bench)])

    def test_bands_do_not_comb(self) -> None:
        bands = {"id": "b", "type": "parallel", "splits": [{"id": "x", "frequency_hz": 120.0}]}
        bench = one(noise(1.0), chain=[bands | {"lanes": [{"id": k, "name": k} for k in ("lows", "highs")]}])
        self.assertNotIn("lanes-comb", [finding.kind for finding in found_in(bench.session(), bench)])

    def test_every_cure_cures(self) -> None:
        cured = 0
        for kind, (has_it, _) in CASES.items():
            with self.subTest(kind):
                bench = has_it()
                session = bench.session()
                finding = next(finding for finding in found_in(session, bench) if finding.kind == kind)
                self.assertTrue(finding.evidence and finding.why)
                if finding.cure is not None:
                    cured += 1
                    self.assertTrue(finding.cure_text)
                    after = found_in(apply_action(session, finding.cure), bench)
                    self.assertNotIn(finding.id, [other.id for other in after])
        self.assertGreater(cured, len(CASES) // 2)

    def test_there_is_a_case_for_every_examination(self) -> None:
        kinds = {finding.kind for has_it, _ in CASES.values() for finding in found_in(has_it().session(), has_it())}
        self.assertLessEqual(set(CASES), kinds)
        self.assertGreaterEqual(len(CASES), len(EXAMINATIONS))


class EvidenceTest(unittest.TestCase):
    def test_offsets_and_moments_are_said(self) -> None:
        bench = two_microphones(0.7 * delayed(hits(1), 96))
        late = next(finding for finding in found_in(bench.session(), bench) if finding.kind == "late-copy")
        self.assertEqual((late.strip, late.figures["late_ms"]), ("far", 2.0))
        self.assertIn("first notch at 250 Hz", late.evidence)
        bench = clipping_inside(14.0)
        clips = next(finding for finding in found_in(bench.session(), bench) if finding.kind == "clips-inside")
        self.assertIn("clips in EQ; its fader hides it", clips.title)
        self.assertIsNotNone(clips.at_s)

    def test_the_key_of_the_evidence_follows_the_figures(self) -> None:
        def key(by_db: float) -> tuple[str, str]:
            bench = reference_off(by_db)
            found = next(item for item in found_in(bench.session(), bench) if item.kind == "far-from-reference")
            return found.id, found.evidence_key

        self.assertEqual(key(9.0), key(9.1))
        self.assertEqual(key(9.0)[0], key(12.0)[0])
        self.assertNotEqual(key(9.0)[1], key(12.0)[1])


class OnceTest(unittest.TestCase):
    """What examinations render themselves they render once for the same signals."""

    def test_a_fader_does_not_make_lanes_and_copies_be_compared_again(self) -> None:
        for bench, kind in ((combing(3.0), "lanes-comb"), (two_microphones(0.7 * delayed(hits(1), 96)), "late-copy")):
            with self.subTest(kind):
                store, session = MemoryRenders(), bench.session()
                before = [finding for finding in found_in(session, bench, store) if finding.kind == kind]
                change = StripSettings(strip=before[0].strip, fader_db=-3.0)
                edited = apply_action(session, SetStrips(changes=(change,)))
                with mock.patch("gemischt.core.analysis.findings.copies.compare_lane", side_effect=AssertionError):
                    with mock.patch("gemischt.core.analysis.findings.copies.report_block", side_effect=AssertionError):
                        after = [finding for finding in found_in(edited, bench, store) if finding.kind == kind]
                self.assertEqual(after, before)

    def test_bands_that_hear_one_key_do_not_do_it_twice(self) -> None:
        def split(*before: dict[str, object]) -> Bench:
            lanes = [{"id": k, "name": k, "chain": [by_drum(f"in-{k}", release_ms=30.0)]} for k in ("low", "high")]
            block = {"id": "b", "type": "parallel", "lanes": lanes, "splits": [{"id": "x", "frequency_hz": 400.0}]}
            return drummed(*before, block)

        for before, wanted in (((), False), ((by_drum("duck", release_ms=30.0),), True)):
            bench = split(*before)
            found = [finding.kind for finding in found_in(bench.session(), bench)]
            self.assertEqual("ducked-twice" in found, wanted)

    def test_a_fader_does_not_make_ducks_be_heard_again(self) -> None:
        bench = drummed(by_drum("duck", release_ms=600.0))
        store, session = MemoryRenders(), bench.session()
        before = [finding for finding in found_in(session, bench, store) if finding.look == "Duck"]
        edited = apply_action(session, SetStrips(changes=(StripSettings(strip="bass", fader_db=-3.0),)))
        with mock.patch("gemischt.core.analysis.findings.ducks.report_duck", side_effect=AssertionError):
            after = [finding for finding in found_in(edited, bench, store) if finding.look == "Duck"]
        self.assertEqual(after, before)
        self.assertIn("duck-never-back", [finding.kind for finding in before])

    def test_a_lane_that_was_changed_is_compared_again(self) -> None:
        store = MemoryRenders()
        for delay_ms in (3.0, 4.0):
            bench = combing(delay_ms)
            found = [item for item in found_in(bench.session(), bench, store) if item.kind == "lanes-comb"]
            self.assertIn(f"{delay_ms:.2f} ms", found[0].evidence)
