"""Memory that large work has left is given back."""

import unittest
from pathlib import Path

import numpy as np

from gemischt.operations.memory import give_back

MIB = 1024 * 1024


def anonymous_mib() -> float:
    """Memory of this process that belongs to no file."""
    lines = Path("/proc/self/smaps_rollup").read_text().splitlines()
    return next(int(line.split()[1]) for line in lines if line.startswith("Anonymous:")) / 1024


class _Plan:
    """Holds large buffers and points at itself, as a plan with its watchers does."""

    def __init__(self) -> None:
        # Many small arrays come from the heap, which the allocator does not return by itself.
        self.buffers = [np.ones(MIB // 80) for _ in range(640)]
        self.watch = self.read

    def read(self) -> int:
        return len(self.buffers)


class MemoryTest(unittest.TestCase):
    def test_what_points_only_at_itself_is_given_back(self) -> None:
        give_back()
        before = anonymous_mib()
        plan = _Plan()
        self.assertEqual(plan.watch(), 640)
        self.assertGreater(anonymous_mib(), before + 40)
        del plan
        give_back()
        self.assertLess(anonymous_mib(), before + 20)


if __name__ == "__main__":
    unittest.main()
