"""A kernel is made for what it was declared for, whoever calls it first and with whatever."""

import unittest
from concurrent.futures import ThreadPoolExecutor
from typing import Any

import numpy as np

from gemischt.core.dsp.jit import AUDIO, FLOAT, INT, MEDIA, inline_kernel, kernel


def _declare() -> Any:
    @kernel(AUDIO, FLOAT, returns=FLOAT)
    def scaled_sum(audio: Any, gain: float) -> float:
        total = 0.0
        for channel in range(audio.shape[0]):
            for i in range(audio.shape[1]):
                total += gain * audio[channel, i]
        return total

    return scaled_sum


class DeclaredKernelTest(unittest.TestCase):
    def test_the_first_call_makes_the_declared_kernel_and_no_other(self) -> None:
        scaled_sum = _declare()
        self.assertEqual(scaled_sum.signatures, [])
        self.assertEqual(scaled_sum(np.ones((2, 3)), 2), 12.0)
        self.assertEqual(scaled_sum.signatures, [(AUDIO, FLOAT)])
        self.assertEqual(scaled_sum(np.ones((2, 3)), 0.5), 3.0)

    def test_a_first_call_it_does_not_take_is_an_error_and_spoils_nothing(self) -> None:
        scaled_sum = _declare()
        for audio in (np.ones((2, 6))[:, ::2], np.ones((2, 3), np.float32), np.ones(3)):
            with self.assertRaisesRegex(TypeError, "scaled_sum takes"):
                scaled_sum(audio, 1.0)
        self.assertEqual(scaled_sum(np.ones((2, 3)), 1.0), 6.0)
        with self.assertRaisesRegex(TypeError, "No matching definition"):
            scaled_sum(np.ones((2, 6))[:, ::2], 1.0)

    def test_audio_that_may_be_written_does_for_a_kernel_that_only_reads(self) -> None:
        @kernel(MEDIA, INT, returns=FLOAT)
        def sample(media: Any, place: int) -> float:
            return float(media[0, place])

        self.assertEqual(sample(np.full((1, 4), 0.25, np.float32), 3), 0.25)
        self.assertEqual(sample.signatures, [(MEDIA, INT)])

    def test_a_kernel_called_by_another_is_the_declared_one(self) -> None:
        scaled_sum = _declare()

        @kernel(AUDIO, returns=FLOAT)
        def doubled_sum(audio: Any) -> float:
            total: float = scaled_sum(audio, 2)
            return total

        self.assertEqual(doubled_sum(np.ones((1, 5))), 10.0)
        self.assertEqual(scaled_sum.signatures, [(AUDIO, FLOAT)])

    def test_first_calls_from_several_threads_agree(self) -> None:
        scaled_sum = _declare()
        with ThreadPoolExecutor(4) as pool:
            sums = list(pool.map(lambda gain: scaled_sum(np.ones((1, 4)), gain), range(8)))
        self.assertEqual(sums, [4.0 * gain for gain in range(8)])
        self.assertEqual(len(scaled_sum.signatures), 1)


class HelperTest(unittest.TestCase):
    def test_it_serves_kernels_in_one_version_and_the_interpreter_never(self) -> None:
        @inline_kernel
        def shifted(number: int, by: int) -> int:
            return number + by

        @kernel(INT, returns=INT)
        def far(number: int) -> int:
            return shifted(number, 1) + shifted(2, number)

        for _ in range(2):
            with self.assertRaisesRegex(TypeError, "shifted can only be called by kernels"):
                shifted(1, 2)
            self.assertEqual(far(5), 13)
        self.assertEqual(len(shifted.overloads), 1)  # type: ignore[attr-defined]
