"""Clips on the time line: cuts null against the uncut file, nothing clicks, overlaps are crossfaded."""

import unittest
from collections.abc import Sequence
from typing import Any

import numpy as np

from gemischt.core.session.actions import SplitClip, apply_action
from gemischt.core.session.document import Session
from gemischt.core.session.validation import dump_session, parse_session
from tests.support.sessions import Bench
from tests.support.signals import RATE_HZ, Signal, noise, sine

CUT_FADE_SAMPLES = 96


def clipped(signals: dict[str, Signal], clips: Sequence[dict[str, Any]], n_samples: int) -> Signal:
    """One track playing clips of some files."""
    bench = Bench()
    for name, signal in signals.items():
        bench.track(name, signal, clips=[])
    bench.strips[0]["clips"] = list(clips)
    return bench.render(n_samples)


class CutsTest(unittest.TestCase):
    def cut(self, bpm: float, *, start_s: float, backwards: bool) -> tuple[Signal, Signal]:
        """A file cut at every beat, and uncut."""
        bench = Bench()
        bench.track("a", noise(8.0, seed=int(bpm)))
        bench.strips[0]["clips"] = [{"media": "a", "start_s": start_s, "reversed": backwards}]
        session = with_durations(bench.session(), 8.0)
        whole = bench.render(9 * RATE_HZ)
        beat_s = 60.0 / bpm
        at_s = start_s
        while (at_s := at_s + beat_s) < start_s + 8.0 - beat_s:
            session = apply_action(session, SplitClip(strip="a", clip=len(session.strips[0].clips) - 1, at_s=at_s))
        self.assertGreater(len(session.strips[0].clips), 5)
        bench.strips[0]["clips"] = dump_session(session)["strips"][0]["clips"]
        return bench.render(9 * RATE_HZ), whole

    def test_a_file_cut_at_its_beats_nulls_against_the_uncut_file(self) -> None:
        for bpm in (*range(60, 201, 7), 97.0, 93.75, 187.5, 128.3):
            for backwards in (False, True):
                with self.subTest(bpm=bpm, backwards=backwards):
                    cut, whole = self.cut(bpm, start_s=60.0 / bpm / 3, backwards=backwards)
                    np.testing.assert_array_equal(cut, whole)

    def test_cuts_written_by_hand_null_too(self) -> None:
        # What other programs write: every length on its own, in decimals.
        signal = noise(8.0, seed=5)
        beat_s = 60.0 / 97.0
        clips = [
            {"media": "a", "start_s": beat_s * k, "offset_s": beat_s * k, "length_s": beat_s if k < 11 else None}
            for k in range(12)
        ]
        out = clipped({"a": signal}, clips, 8 * RATE_HZ)
        np.testing.assert_array_equal(out, signal.astype(np.float32))


def with_durations(session: Session, duration_s: float) -> Session:
    document = dump_session(session)
    for media in document["media"]:
        media["duration_s"] = duration_s
    return parse_session(document)


class FadesTest(unittest.TestCase):
    ONES = np.ones((2, RATE_HZ))

    def test_a_cut_fades_for_two_milliseconds_and_the_files_own_ends_do_not(self) -> None:
        clips = [{"media": "a", "start_s": 0.1, "offset_s": 0.2, "length_s": 0.3}, {"media": "a", "start_s": 0.5}]
        out = clipped({"a": self.ONES}, clips, 2 * RATE_HZ)[0]
        ramp = (np.arange(CUT_FADE_SAMPLES) + 0.5) / CUT_FADE_SAMPLES
        np.testing.assert_allclose(out[4800 : 4800 + CUT_FADE_SAMPLES], ramp, atol=1e-12)
        np.testing.assert_allclose(out[19200 - CUT_FADE_SAMPLES : 19200], ramp[::-1], atol=1e-12)
        np.testing.assert_array_equal(out[24000:72000], 1.0)
        np.testing.assert_array_equal(out[72000:], 0.0)

    def test_no_cut_clicks(self) -> None:
        tone = sine(100, 0, 3.0)
        cases = {
            "a gap": [{"length_s": 1.0033}, {"start_s": 1.5, "offset_s": 1.2033}],
            "other material": [{"length_s": 1.0033}, {"start_s": 1.0033, "offset_s": 0.5}],
            "another gain": [{"length_s": 1.0033}, {"start_s": 1.0033, "offset_s": 1.0033, "gain_db": -12.0}],
            "backwards behind forwards": [{"length_s": 1.0033}, {"start_s": 1.0033, "reversed": True}],
            "an overlap": [{"length_s": 1.2}, {"start_s": 1.0033, "offset_s": 0.2017}],
        }
        # A hard cut of this tone at its top steps by 1; 2 ms long fades bend it by no more than 1/96.
        for name, clips in cases.items():
            with self.subTest(name):
                out = clipped({"a": tone}, [{"media": "a", **clip} for clip in clips], 2 * RATE_HZ)
                self.assertLess(float(np.abs(np.diff(out[0])).max()), 0.03)

    def test_a_fade_of_none_is_a_hard_cut(self) -> None:
        clips = [{"media": "a", "start_s": 0.0, "offset_s": 0.5, "fade_in_s": 0.0, "length_s": 0.25, "fade_out_s": 0.0}]
        out = clipped({"a": self.ONES}, clips, RATE_HZ)[0]
        np.testing.assert_array_equal(out[:12000], 1.0)
        np.testing.assert_array_equal(out[12000:], 0.0)

    def test_fade_shapes(self) -> None:
        share = (np.arange(24000) + 0.5) / 24000
        for shape, gain in (("linear", share), ("equal-power", np.sin(np.pi / 2 * share))):
            with self.subTest(shape):
                clip = {"media": "a", "fade_in_s": 0.5, "fade_out_s": 0.5, "fade_shape": shape}
                out = clipped({"a": self.ONES}, [clip], RATE_HZ)[0]
                np.testing.assert_allclose(out[:24000], gain, atol=1e-9)
                np.testing.assert_allclose(out[24000:], gain[::-1], atol=1e-9)

    def test_an_overlap_of_unrelated_material_keeps_its_power(self) -> None:
        signals = {"a": noise(2.0, seed=1), "b": noise(2.0, seed=2)}
        clips = [{"media": "a"}, {"media": "b", "start_s": 1.0}]
        out = clipped(signals, clips, 3 * RATE_HZ)
        across = out[:, RATE_HZ : 2 * RATE_HZ].reshape(2, 10, -1)
        # 10 log of equal powers that add up to one: 0 dB. 0.1 s of noise is known to some tenths of a decibel.
        levels = 10 * np.log10((across**2).mean(axis=(0, 2)) / 0.01)
        np.testing.assert_allclose(levels, 0.0, atol=0.3)

    def test_an_overlap_of_the_same_material_is_as_if_there_was_none(self) -> None:
        signal = noise(2.0, seed=3)
        clips = [{"media": "a", "length_s": 1.5}, {"media": "a", "start_s": 1.0, "offset_s": 1.0}]
        out = clipped({"a": signal}, clips, 2 * RATE_HZ)
        np.testing.assert_allclose(out, signal.astype(np.float32), atol=1e-7)

    def test_a_clip_inside_another_is_added(self) -> None:
        clips = [{"media": "a"}, {"media": "a", "start_s": 0.25, "length_s": 0.5}]
        out = clipped({"a": self.ONES}, clips, RATE_HZ)[0]
        self.assertEqual((out[0], out[24000], out[47999]), (1.0, 2.0, 1.0))
