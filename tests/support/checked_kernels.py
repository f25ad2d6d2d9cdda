"""Run by a test in a process whose kernels check their indices, which NUMBA_BOUNDSCHECK=1 asks for."""

import unittest

import numpy as np

from gemischt.core.dsp import mixing
from gemischt.core.dsp.table import Call, run_table, table_of

TESTS = (
    "tests.support.checked_kernels",
    "tests.core.processors.test_contract",
    "tests.core.engine.test_random_graphs",
    "tests.core.engine.test_edits_in_succession",
)


class CheckedKernelsTest(unittest.TestCase):
    def test_an_index_beyond_its_array_is_found(self) -> None:
        fine = Call(mixing.clear, np.zeros((1, 8)))
        astray = Call(mixing.delay_in_place, np.zeros((1, 8)), np.zeros((1, 4)), np.full(1, 1000))
        self.assertEqual(run_table(table_of([fine, astray]), 0, 2, 8, 0), 1)


if __name__ == "__main__":
    unittest.main(module=None, argv=["checked_kernels", *TESTS])
