"""Highest magnitudes and values against NumPy's."""

import unittest

import numpy as np

from gemischt.core.dsp.magnitude import highest_magnitude, highest_single, highest_value
from tests.support.kernels import by_kernel

_of_double, _of_single = by_kernel(highest_magnitude), by_kernel(highest_single)


class MagnitudeTest(unittest.TestCase):
    def test_magnitudes(self) -> None:
        random = np.random.default_rng(3)
        for size in (1, 7, 16, 100):
            row = random.standard_normal(size)
            single = row.astype(np.float32)
            self.assertEqual(_of_double(row), np.abs(row).max())
            self.assertEqual(_of_single(single, 0, size), np.abs(single).max())
        self.assertEqual(_of_double(np.zeros(0)), 0.0)
        self.assertEqual(_of_double(np.array([-0.0, 0.0])), 0.0)

    def test_parts_of_a_row_in_single_precision(self) -> None:
        row = np.random.default_rng(5).standard_normal(300).astype(np.float32)
        for first, end in ((0, 31), (0, 32), (5, 70), (130, 258), (299, 300)):
            with self.subTest(first=first, end=end):
                self.assertEqual(_of_single(row, first, end), np.abs(row[first:end]).max())
        self.assertEqual(_of_single(row, 7, 7), 0.0)

    def test_values_may_be_negative(self) -> None:
        random = np.random.default_rng(4)
        rows = random.standard_normal((2, 37)) - 100.0
        for n_rows, first, end in ((1, 0, 1), (1, 0, 8), (2, 3, 12), (2, 0, 37), (2, 30, 37)):
            self.assertEqual(highest_value(rows, n_rows, first, end), rows[:n_rows, first:end].max())
        self.assertEqual(highest_value(rows, 2, 5, 5), -np.inf)


if __name__ == "__main__":
    unittest.main()
