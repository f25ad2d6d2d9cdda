"""Lanes against the same done number by number in NumPy."""

import unittest

import numpy as np

from gemischt.core.audio import Audio, Counts, Single
from gemischt.core.dsp.fma import fma
from gemischt.core.dsp.jit import AUDIO, COUNTS, FLOAT, INT, SINGLE_VECTOR, VECTOR, kernel, prepare_kernels
from gemischt.core.dsp.simd import (
    aligned,
    greater,
    greatest,
    held_within,
    lane,
    load,
    magnitudes,
    spread,
    store,
    swap_halves,
    swap_neighbours,
    swap_pairs,
    transpose,
    transpose_from,
    transpose_to,
    without_traces,
)


@kernel(VECTOR, VECTOR, VECTOR, AUDIO, returns=FLOAT)
def _all_of_eight(a: Audio, b: Audio, c: Audio, out: Audio) -> float:
    x, y, z = load(a, 0), load(b, 0), load(c, 0)
    store(out[0], 0, x + y)
    store(out[1], 0, x - y)
    store(out[2], 0, x * y)
    store(out[3], 0, fma(x, y, z))
    store(out[4], 0, magnitudes(x))
    store(out[5], 0, without_traces(x, spread(0.5)))
    store(out[6], 0, swap_halves(x))
    store(out[7], 0, swap_pairs(x))
    store(out[8], 0, swap_neighbours(x))
    store(out[9], 0, x / y)
    store(out[10], 0, held_within(x, spread(-0.5), magnitudes(y)))
    return float(lane(x, 6))


@kernel(SINGLE_VECTOR, SINGLE_VECTOR, SINGLE_VECTOR, returns=FLOAT)
def _sixteen(a: Single, b: Single, out: Single) -> float:
    x, y = load(a, 3), load(b, 0)
    store(out, 0, fma(x, y, spread(out[0])) + x * y - y)
    store(out, 16, greater(magnitudes(x), y))
    return float(greatest(x))


@kernel(VECTOR, INT, INT, VECTOR)
def _turn(source: Audio, at: int, stride: int, out: Audio) -> None:
    transpose(source, at, stride, out, 0, 8)


@kernel(SINGLE_VECTOR, INT, INT, VECTOR)
def _turn_single(source: Single, at: int, stride: int, out: Audio) -> None:
    transpose(source, at, stride, out, 0, 8)


@kernel(VECTOR, COUNTS, INT, INT, VECTOR)
def _gather(source: Audio, starts: Counts, first: int, shift: int, out: Audio) -> None:
    transpose_from(source, starts, first, shift, out, 3, 10)


@kernel(VECTOR, VECTOR, COUNTS, INT, INT)
def _scatter(source: Audio, out: Audio, starts: Counts, first: int, shift: int) -> None:
    transpose_to(source, 3, 10, out, starts, first, shift)


@kernel(VECTOR)
def _place_of_aligned(out: Audio) -> None:
    for k in range(out.size):
        scratch = aligned(8 * k + 3)
        out[k] = scratch.ctypes.data % 64 + abs(scratch.size - (8 * k + 3))


prepare_kernels()


class LanesTest(unittest.TestCase):
    def setUp(self) -> None:
        self.random = np.random.default_rng(5)

    def test_eight_numbers(self) -> None:
        a, b, c = self.random.standard_normal((3, 8))
        out = np.zeros((11, 8))
        seventh = _all_of_eight(a, b, c, out)
        places = np.arange(8)
        expected = [a + b, a - b, a * b, a * b + c, np.abs(a), np.where(np.abs(a) > 0.5, a, 0.0)]
        expected += [a[places ^ 4], a[places ^ 2], a[places ^ 1], a / b, np.maximum(-0.5, np.minimum(a, np.abs(b)))]
        np.testing.assert_allclose(out, expected, rtol=1e-15, atol=1e-15)
        self.assertEqual(seventh, a[6])

    def test_sixteen_of_single_precision(self) -> None:
        a, b = (self.random.standard_normal(size).astype(np.float32) for size in (19, 16))
        out = np.full(32, 0.25, np.float32)
        highest = _sixteen(a, b, out)
        np.testing.assert_allclose(out[:16], 2 * a[3:] * b + 0.25 - b, rtol=1e-5, atol=1e-6)
        np.testing.assert_array_equal(out[16:], np.maximum(np.abs(a[3:]), b))
        self.assertEqual(highest, a[3:].max())

    def test_rows_become_columns(self) -> None:
        source = self.random.standard_normal(200)
        rows = [source[5 + 13 * k : 13 + 13 * k] for k in range(8)]
        out = np.zeros(64)
        _turn(source, 5, 13, out)
        np.testing.assert_array_equal(out.reshape(8, 8), np.array(rows).T)
        single = source.astype(np.float32)
        _turn_single(single, 5, 13, out)
        np.testing.assert_array_equal(out.reshape(8, 8), np.array(rows).T.astype(np.float32).astype(np.float64))

    def test_rows_that_begin_anywhere_become_columns_and_go_back(self) -> None:
        source = self.random.standard_normal(300)
        starts = self.random.permutation(np.arange(0, 250, 10))[:12]
        columns, back = np.zeros(100), np.zeros(300)
        _gather(source, starts, 2, 1, columns)
        _scatter(columns, back, starts, 2, 1)
        expected = np.zeros(300)
        for k in range(8):
            here = slice(starts[2 + k] + 1, starts[2 + k] + 9)
            np.testing.assert_array_equal(columns[3 + k : 83 + k : 10], source[here])
            expected[here] = source[here]
        np.testing.assert_array_equal(back, expected)

    def test_scratch_begins_with_a_line_of_the_cache(self) -> None:
        places = np.ones(50)
        _place_of_aligned(places)
        np.testing.assert_array_equal(places, 0.0)


if __name__ == "__main__":
    unittest.main()
