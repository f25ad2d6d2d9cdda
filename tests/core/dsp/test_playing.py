"""Clips played into a sum, against a plain twin: the slow way that is easy to read."""

import unittest
from dataclasses import dataclass

import numpy as np

from gemischt.core.audio import MediaSamples, as_media
from gemischt.core.dsp import playing

RNG = np.random.default_rng(11)
WIDEST = 6


@dataclass
class PlayedClip:
    media: MediaSamples
    start: int
    length: int
    offset: int
    fade_in: int
    fade_out: int
    backwards: bool
    equal_power: tuple[bool, bool]
    gains: np.ndarray

    def row(self) -> np.ndarray:
        in_power, out_power = self.equal_power
        fades = ((self.fade_in, in_power), (self.fade_out, out_power))
        return playing.clip_row(self.media, self.start, self.length, self.offset, *fades, self.backwards)

    def plainly(self, n: int, position: int) -> np.ndarray:
        out = np.zeros((len(self.gains), n))
        for i in range(n):
            played = position + i - self.start
            if not 0 <= played < self.length:
                continue
            left = self.length - 1 - played
            level = 1.0
            if played < self.fade_in:
                level *= fade_gain((played + 0.5) / self.fade_in, equal_power=self.equal_power[0])
            if left < self.fade_out:
                level *= fade_gain((left + 0.5) / self.fade_out, equal_power=self.equal_power[1])
            sample = self.media[self.offset + (left if self.backwards else played)].astype(np.float64)
            out[:, i] += level * self.gains[:, : len(sample)] @ sample
        return out


def fade_gain(share: float, *, equal_power: bool) -> float:
    return float(np.sin(np.pi / 2 * share)) if equal_power else share


def any_clip(number: int, n_out: int) -> PlayedClip:
    media = as_media(RNG.standard_normal((1 + number % WIDEST, 500)))
    offset = int(RNG.integers(0, 300))
    length = int(RNG.integers(1, 500 - offset))
    fade_in, fade_out = (0, 0) if number % 4 == 0 else (int(fade) for fade in RNG.integers(0, length + 1, 2))
    gains = RNG.uniform(-1, 1, (n_out, WIDEST))
    powers = (number % 2 == 0, number % 3 == 0)
    start = int(RNG.integers(0, 600))
    return PlayedClip(media, start, length, offset, fade_in, fade_out, number % 5 == 0, powers, gains)


def play(clips: list[PlayedClip], out: np.ndarray, position: int, *, adds: bool) -> None:
    rows, gains = np.array([clip.row() for clip in clips]), np.array([clip.gains for clip in clips])
    playing.play_clips(out, out.shape[1], position, adds, rows, gains)


class PlayClipsTest(unittest.TestCase):
    def test_any_clip_at_any_position(self) -> None:
        for number in range(60):
            with self.subTest(number=number):
                n_out, position = 1 + number // 4 % 4, int(RNG.integers(0, 600))
                clip = any_clip(number, n_out)
                out = np.full((n_out, 256), np.nan)
                play([clip], out, position, adds=False)
                np.testing.assert_allclose(out, clip.plainly(256, position), atol=1e-12)

    def test_clips_are_summed_over_what_is_there_or_not(self) -> None:
        clips = [any_clip(number, 2) for number in range(7)]
        expected = sum(clip.plainly(900, 50) for clip in clips)
        before = RNG.standard_normal((2, 900))
        for adds in (False, True):
            with self.subTest(adds=adds):
                out = before.copy()
                play(clips, out, 50, adds=adds)
                np.testing.assert_allclose(out, expected + before if adds else expected, atol=1e-12)

    def test_samples_do_not_depend_on_how_blocks_are_cut(self) -> None:
        media = as_media(RNG.standard_normal((2, 20_000)))
        gains = RNG.uniform(-1, 1, (2, 2))
        clips = [PlayedClip(media, 300 * k, 15_000, 100 * k, 700, 900, False, (True, False), gains) for k in range(3)]
        whole = np.zeros((2, 16_000))
        play(clips, whole, 0, adds=False)
        for size in (160, 1000, 5333):
            with self.subTest(size=size):
                parts = []
                for position in range(0, 16_000, size):
                    part = np.zeros((2, min(size, 16_000 - position)))
                    play(clips, part, position, adds=False)
                    parts.append(part)
                np.testing.assert_array_equal(np.concatenate(parts, axis=1), whole)

    def test_no_clips_are_silence(self) -> None:
        out = np.ones((2, 100))
        playing.play_clips(out, 100, 0, False, np.zeros((0, 11), np.int64), np.zeros((0, 2, 2)))
        self.assertFalse(out.any())

    def test_a_clip_may_not_reach_beyond_its_file(self) -> None:
        media = as_media(np.zeros((1, 100)))
        for length, offset in ((101, 0), (60, 50), (10, -1)):
            with self.subTest(length=length), self.assertRaises(ValueError):
                playing.clip_row(media, 0, length, offset)

    def test_samples_that_lie_apart_are_refused(self) -> None:
        with self.assertRaises(ValueError):
            playing.clip_row(np.zeros((100, 4), np.float32)[:, ::2], 0, 10, 0)
