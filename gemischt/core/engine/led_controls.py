"""Controls that have arrived on their lines: all of them are laid out for a block in one call."""

from collections.abc import Sequence

from gemischt.core.audio import Counts
from gemischt.core.control import Control
from gemischt.core.dsp.pieces import lay_out_line
from gemischt.core.dsp.table import Call, run_table, table_of


class LedControls:
    """State: the controls, the call that lays each of them out along the stretch its line is in, and up to which sample
    that stretch reaches; the sample that the next block begins with if the song goes on."""

    def __init__(self) -> None:
        self._clear()

    def _clear(self) -> None:
        self._controls: list[Control] = []
        self._calls: list[Call] = []
        self._ends: list[int] = []
        self._soonest_end = 0
        self._table: Counts = table_of(())
        self._next = 0

    def add(self, controls: Sequence[Control], position_samples: int) -> None:
        """Take over controls that are on their lines, where the song is."""
        if not controls:
            return
        for control in controls:
            starts, rows = control.stretch(position_samples)
            stepped = control.first_stepped
            self._calls.append(Call(lay_out_line, control.pieces, control.coefs, starts, rows, stepped))
            self._ends.append(int(starts[-1]))
        self._controls += controls
        self._table = table_of(self._calls)
        self._soonest_end = min(self._ends)
        self._next = position_samples

    def release(self) -> list[Control]:
        """Give all of them back, each where the song is."""
        released = self._controls
        for control in released:
            control.follow_until(self._next)
        self._clear()
        return released

    def lay_out(self, position_samples: int, n_samples: int) -> bool:
        """Lay out the next block of all; False if the song has jumped, or a line is too short: give them back."""
        if not self._controls:
            return True
        end = position_samples + n_samples
        if position_samples != self._next or (end > self._soonest_end and not self._go_on(position_samples, end)):
            return False
        if run_table(self._table, 0, len(self._table), n_samples, position_samples) >= 0:
            raise RuntimeError(f"lines could not be laid out for a block of {n_samples} samples")
        self._next = end
        return True

    def _go_on(self, position: int, end: int) -> bool:
        """Take the next stretch of the lines whose last one is over."""
        for index, control in enumerate(self._controls):
            if self._ends[index] < end:
                starts, rows = control.stretch(position)
                self._calls[index].put("starts", starts)
                self._calls[index].put("rows", rows)
                self._ends[index] = int(starts[-1])
        self._soonest_end = min(self._ends)
        return end <= self._soonest_end
