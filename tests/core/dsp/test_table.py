"""Kernels called by a table: the same as calling them, what does not fit is refused, and no index goes astray."""

import os
import subprocess
import sys
import unittest

import numpy as np

from gemischt.core.dsp import biquad, mixing
from gemischt.core.dsp.table import Call, run_table, table_of
from tests.support.signals import noise


class CallTest(unittest.TestCase):
    def test_a_table_does_what_its_calls_do_in_order(self) -> None:
        signal = noise(0.01)
        n = signal.shape[1]
        section = np.array([biquad.bell(1000.0, 6.0, 1.0, 48000)])
        resting = np.zeros((1, 3), np.int64)

        def arrays() -> tuple[np.ndarray, ...]:
            return signal.copy(), np.zeros((2, 7)), np.zeros(1, np.int64), np.zeros((1, 2, 2))

        audio, ring, position, state = arrays()
        biquad.run_sections(audio, n, resting, section, state, *biquad.new_scratch(1))
        mixing.delay_in_place(audio, n, ring, position)
        expected = audio
        audio, ring, position, state = arrays()
        calls = [
            Call(biquad.run_sections, audio, resting, section, state, *biquad.new_scratch(1)),
            Call(mixing.delay_in_place, audio, ring, position),
        ]
        self.assertEqual(run_table(table_of(calls), 0, 2, n, 0), -1)
        np.testing.assert_array_equal(audio, expected)

    def test_a_part_of_a_table(self) -> None:
        audio = [np.ones((1, 4)) for _ in range(3)]
        table = table_of(calls := [Call(mixing.clear, one) for one in audio])
        run_table(table, 1, 2, 4, 0)
        self.assertEqual([float(one.sum()) for one in audio], [4.0, 0.0, 4.0])
        self.assertEqual(len(calls), 3)

    def test_what_does_not_fit_is_refused_by_name(self) -> None:
        audio = np.zeros((2, 8))
        wrong: list[tuple[tuple[object, ...], str]] = [
            ((audio,), "takes .*'source', 'out'.*, got 1"),
            ((audio.astype(np.float32), audio), "copy takes .* as source, got ndarray of float32"),
            ((audio, audio[0]), "copy takes .* as out, got ndarray of float64"),
            ((audio, np.zeros((2, 16))[:, ::2]), "as out"),
            ((audio, None), "as out, got NoneType None"),
        ]
        for arguments, reason in wrong:
            with self.subTest(reason), self.assertRaisesRegex(TypeError, reason):
                Call(mixing.copy, *arguments)


class AstrayTest(unittest.TestCase):
    def test_kernels_that_check_their_indices_find_none_astray(self) -> None:
        checked = {
            "NUMBA_BOUNDSCHECK": "1",
            "NUMBA_CACHE_DIR": os.environ["NUMBA_CACHE_DIR"] + "-checked",
            # To compile them takes most of the time.
            "NUMBA_OPT": "1",
        }
        done = subprocess.run(
            [sys.executable, "-m", "tests.support.checked_kernels"],
            env={**os.environ, **checked},
            capture_output=True,
            text=True,
            check=False,
        )
        self.assertEqual(done.returncode, 0, done.stderr[-4000:])
        self.assertIn("OK", done.stderr)


if __name__ == "__main__":
    unittest.main()
