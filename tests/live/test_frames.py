"""The binary message, byte by byte: the page's reader depends on this layout."""

import struct
import unittest

import numpy as np

from gemischt.live.frames import HEADER_BYTES, Frame, pack_frame


def frame(*other: float) -> Frame:
    def values(*numbers: float) -> np.ndarray:
        return np.array(numbers, np.float32)

    return Frame(
        epoch=3,
        serial=7,
        revision=11,
        first_sample=4096,
        position_samples=48000.5,
        n_samples=2,
        mix=values(-20, -21, -22, -1),
        meters=np.arange(9, dtype=np.float32),
        reductions=values(4.5),
        probe=values(1, 2, 3),
        spectrum=values(-90, -80),
        led=values(-6.5),
        curves=values(0.5, -0.25),
        scope=values(1.0, 0.75),
        sound=values(0.1, 0.2, 0.3, 0.4),
        other=values(*other),
    )


class FramesTest(unittest.TestCase):
    def test_header(self) -> None:
        data = pack_frame(frame(), with_sound=True)
        self.assertEqual(HEADER_BYTES, 60)
        self.assertEqual(data[:4], b"GMX1")
        self.assertEqual(struct.unpack_from("<IIII", data, 4), (3, 7, 11, 4096))
        self.assertEqual(struct.unpack_from("<d", data, 20), (48000.5,))
        self.assertEqual(struct.unpack_from("<IIIIIIII", data, 28), (2, 1, 3, 2, 1, 2, 2, 1))

    def test_values_follow_in_order(self) -> None:
        data = pack_frame(frame(), with_sound=True)
        values = np.frombuffer(data[HEADER_BYTES:], "<f4")
        expected = [
            -20,
            -21,
            -22,
            -1,
            *range(9),
            4.5,
            1,
            2,
            3,
            -90,
            -80,
            -6.5,
            0.5,
            -0.25,
            1.0,
            0.75,
            0.1,
            0.2,
            0.3,
            0.4,
        ]
        np.testing.assert_allclose(values, np.array(expected, np.float32))

    def test_without_sound_it_ends_before_it(self) -> None:
        watching = pack_frame(frame(), with_sound=False)
        self.assertEqual(struct.unpack_from("<I", watching, 56), (0,))
        self.assertEqual(len(watching), len(pack_frame(frame(), with_sound=True)) - 16)

    def test_a_compared_session_follows_the_sound(self) -> None:
        both = pack_frame(frame(0.5, 0.6, 0.7, 0.8), with_sound=True)
        self.assertEqual(struct.unpack_from("<I", both, 56), (2,))
        np.testing.assert_allclose(np.frombuffer(both[-16:], "<f4"), np.array([0.5, 0.6, 0.7, 0.8], np.float32))
