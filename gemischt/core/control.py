"""What moves an operation's coefficients: what it is told, from which sample of the song on, and glides between."""

from abc import ABC, abstractmethod
from bisect import bisect_right
from collections.abc import Sequence
from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray

from gemischt.core.dsp.pieces import lay_out_line

Row: TypeAlias = NDArray[np.float64]
"""Coefficients at one moment, (n_coefs,)."""
Told: TypeAlias = Sequence[tuple[int, Row]]
"""Coefficients and the sample of the song from which they count, in order of time, the first from 0 on."""

Stretch: TypeAlias = tuple[NDArray[np.int64], NDArray[np.float64]]
"""Samples, (n,), and the coefficients at each, (n, n_coefs); straight in between."""

_CLOSEST_CHANGES_SAMPLES = 64


class Line(ABC):
    """Where coefficients are led over the song."""

    @abstractmethod
    def stretch(self, at: int) -> Stretch:
        """Around a sample: the first of the stretch is no later than it, the last is later."""


class Control:
    """Lays out the coefficients of one operation over each block: ``pieces`` and ``coefs``, see core.dsp.pieces.

    A change of what is told is a glide: straight from where the coefficients are to where they are to be. Columns from
    ``first_stepped`` on are counts that change at once; whoever reads them crossfades. A control may be led along a
    line instead: then it goes there in a glide, and where the song jumps.

    State: the glide began at ``_from``, and ``_left`` samples of it remain; ``_now`` is which of what is told counts,
    None until the place in the song is known. ``_next`` is the sample that the next block begins with if the song goes
    on; None at first.
    """

    def __init__(self, n_coefs: int, max_block: int, glide_samples: int, *, first_stepped: int | None = None) -> None:
        self._most_pieces = max_block // _CLOSEST_CHANGES_SAMPLES + 2
        self.pieces = np.zeros((1 + self._most_pieces, 3), np.int64)
        self.coefs = np.zeros((2 * self._most_pieces, n_coefs))
        self._glide_samples = glide_samples
        self._first_stepped = n_coefs if first_stepped is None else first_stepped
        self._told: Told = ()
        self._starts: list[int] = []
        self._target: Row = np.zeros(n_coefs)
        self._from: Row = np.zeros(n_coefs)
        self._left = 0
        self._now: int | None = None
        self._line: Line | None = None
        self._next: int | None = None

    @property
    def moves(self) -> bool:
        """Whether the next block has to be laid out."""
        return self._line is not None or self._left > 0 or len(self._told) > 1 or self.pieces[0, 0] > 0

    @property
    def at_end(self) -> Row:
        """The coefficients at the last block's end."""
        count = int(self.pieces[0, 0])
        row: Row = self.coefs[2 * count - 1] if count else self.coefs[0]
        return row

    @property
    def first_stepped(self) -> int:
        """The first column of counts that change at once."""
        return self._first_stepped

    @property
    def is_led(self) -> bool:
        """Whether it is on its line, and no glide goes there any more."""
        return self._line is not None and self._left == 0 and self._next is not None

    def stretch(self, at: int) -> Stretch:
        """Of the line that it is on."""
        assert self._line is not None
        return self._line.stretch(at)

    def follow_until(self, position_samples: int) -> None:
        """Others have laid out its line up to a place in the song."""
        self._next = position_samples

    def aim(self, told: Told, *, glide: bool) -> None:
        """Go to what is told now: at once, or in a glide from where the coefficients are."""
        if self._now is not None:
            self._now = min(self._now, len(told) - 1)
        self._told = told
        self._starts = [start for start, _ in told]
        self._go_to(told[self._now or 0][1], glide=glide)
        if not self.moves:
            self.coefs[0] = self._target

    def lead(self, line: Line | None, *, glide: bool) -> None:
        """Go along a line from now on, or no more; there in a glide, if anything has sounded."""
        if glide and self._next is not None:
            self._from, self._left = self._value(), self._glide_samples
        self._line = line

    def fill(self, position_samples: int, n_samples: int) -> None:
        """Lay out the next block, which begins at a place in the song."""
        if self._line is not None:
            if self._next not in (None, position_samples):
                self._from, self._left = self._value(), self._glide_samples
            self._follow_line(self._line, position_samples, n_samples)
            self._next = position_samples + n_samples
            return
        self._next = position_samples + n_samples
        done = count = 0
        while done < n_samples:
            at = position_samples + done
            n_piece = min(n_samples - done, self._follow(at) - at)
            begin, end = done, done + n_piece
            self.coefs[2 * count : 2 * count + 2] = self._target
            if count == self._most_pieces - 1:
                n_piece, self._left = n_samples - done, 0
            if self._left > 0:
                n_piece = min(n_piece, self._left)
                begin, end = done + self._left - self._glide_samples, done + self._left
                steps = self._first_stepped
                self.coefs[2 * count, :steps] = self._from[:steps]
                self._left -= n_piece
            elif count == 0 and n_piece == n_samples:
                self.pieces[0, 0] = 0
                return
            done += n_piece
            count += 1
            self.pieces[count] = begin, end, done
        self.pieces[0, 0] = count

    def take_over(self, other: "Control") -> None:
        """Go on where another control of the same operation is."""
        if self._target.shape == other._target.shape:
            self._told, self._starts, self._now = other._told, other._starts, other._now
            self._target, self._from = other._target.copy(), other._from.copy()
            self._left = other._left
            self._line, self._next = other._line, other._next
            self.coefs[0] = other.coefs[0]

    def _go_to(self, target: Row, *, glide: bool) -> None:
        steps = self._first_stepped
        if not glide:
            self._left = 0
        elif not np.array_equal(target[:steps], self._target[:steps]):
            self._from = self._value()
            self._left = self._glide_samples
        self._target = target

    def _follow(self, at: int) -> int:
        """See what counts at a place in the song, and until where."""
        if len(self._told) == 1:
            self._now = 0
            return at + (1 << 40)
        now = max(0, bisect_right(self._starts, at) - 1)
        if now != self._now:
            self._go_to(self._told[now][1], glide=self._now is not None)
            self._now = now
        return self._starts[now + 1] if now + 1 < len(self._starts) else at + (1 << 40)

    def _follow_line(self, line: Line, position: int, n_samples: int) -> None:
        """Lay out pieces of the line; a glide goes straight to where the line is at its end."""
        starts, rows = line.stretch(position)
        if self._left == 0 and int(starts[-1]) >= position + n_samples:
            lay_out_line(self.pieces, self.coefs, starts, rows, self._first_stepped, position, n_samples)
            return
        done = count = 0
        while done < n_samples:
            at = position + done
            starts, rows = line.stretch(at)
            k = int(np.searchsorted(starts, at, side="right")) - 1
            n_piece = min(n_samples - done, int(starts[k + 1]) - at)
            begin, end = int(starts[k]) - position, int(starts[k + 1]) - position
            first, last = rows[k], rows[k + 1]
            if self._left > 0:
                n_piece = min(n_samples - done, self._left)
                begin, end = done + self._left - self._glide_samples, done + self._left
                first, last = self._from, _on_line(line, at + self._left)
                self._left -= n_piece
            elif count == 0 and n_piece == n_samples and np.array_equal(first, last):
                self.pieces[0, 0], self.coefs[0] = 0, first
                return
            if count == self._most_pieces - 1:
                n_piece = n_samples - done
            self.coefs[2 * count], self.coefs[2 * count + 1] = first, last
            self.coefs[2 * count : 2 * count + 2, self._first_stepped :] = rows[k, self._first_stepped :]
            done += n_piece
            count += 1
            self.pieces[count] = begin, end, done
        self.pieces[0, 0] = count

    def _value(self) -> Row:
        """Where the coefficients are now."""
        if self._line is not None and self._next is not None:
            value = _on_line(self._line, self._next)
            if self._left > 0:
                ahead = _on_line(self._line, self._next + self._left)
                value = ahead + self._left / self._glide_samples * (self._from - ahead)
            return value
        value = self._target.copy()
        if self._left > 0:
            steps = self._first_stepped
            share = self._left / self._glide_samples
            value[:steps] += share * (self._from[:steps] - value[:steps])
        return value


def _on_line(line: Line, at: int) -> Row:
    """The coefficients at a sample."""
    starts, rows = line.stretch(at)
    k = int(np.searchsorted(starts, at, side="right")) - 1
    share = (at - int(starts[k])) / (int(starts[k + 1]) - int(starts[k]))
    row: Row = rows[k] + share * (rows[k + 1] - rows[k])
    return row
