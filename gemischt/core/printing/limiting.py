"""What the limiters of a printed strip do while it is printed."""

from dataclasses import dataclass

import numpy as np

from gemischt.core.engine.plan import Plan
from gemischt.core.printing.files import PrintFile, variant_session
from gemischt.core.routing.graph import walk_chain
from gemischt.core.session.document import Session

WORKS_DB = 0.1
"""A limiter that takes less does not count as working; common practice, no source."""


@dataclass(frozen=True)
class Limiting:
    """What limiters take of a file, all of its strip together.

    Attributes:
        deepest_db: at most.
        typical_db: the median of where they work, block by block.
        share: of the file's blocks, where they work.
    """

    deepest_db: float
    typical_db: float
    share: float


class LimitingMeter:
    """State: the deepest reduction of each block, in dB."""

    def __init__(self, plan: Plan, limiters: list[tuple[str, str]]) -> None:
        self._reducers = [plan.reducers[place] for place in limiters]
        self._reductions_db: list[float] = []

    def read(self, n_samples: int) -> None:
        """Take in the block that has just been rendered."""
        self._reductions_db.append(sum(one.deepest_reduction_db(n_samples) for one in self._reducers))

    def finish(self) -> Limiting:
        """Of all blocks."""
        reductions_db = np.array(self._reductions_db)
        working = reductions_db[reductions_db >= WORKS_DB]
        return Limiting(
            deepest_db=float(reductions_db.max(initial=0.0)),
            typical_db=float(np.median(working)) if working.size else 0.0,
            share=working.size / max(1, reductions_db.size),
        )


def limiters_of(session: Session, file: PrintFile) -> list[tuple[str, str]]:
    """Strip and processor of every limiter that a file has passed on its own strip; none of a sum of several."""
    if len(file.sources) != 1:
        return []
    variant, point, _ = file.sources[0]
    if point.tap == "pre-chain" or point.after is not None:
        return []
    chain = variant_session(session, variant).strip(point.strip).chain
    return [(point.strip, one.id) for one in walk_chain(chain) if one.type == "limiter" and one.on]
