"""What moves an operation's coefficients: what it is told, from which sample of the song on, and glides between."""

from bisect import bisect_right
from collections.abc import Sequence
from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray

Row: TypeAlias = NDArray[np.float64]
"""Coefficients at one moment, (n_coefs,)."""
Told: TypeAlias = Sequence[tuple[int, Row]]
"""Coefficients and the sample of the song from which they count, in order of time, the first from 0 on."""

_CLOSEST_CHANGES_SAMPLES = 64


class Control:
    """Lays out the coefficients of one operation over each block: ``pieces`` and ``coefs``, see core.dsp.pieces.

    A change of what is told is a glide: straight from where the coefficients are to where they are to be. Columns from
    ``first_stepped`` on are counts that change at once; whoever reads them crossfades.

    State: the glide began at ``_from``, and ``_left`` samples of it remain; ``_now`` is which of what is told counts,
    None until the place in the song is known.
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

    @property
    def moves(self) -> bool:
        """Whether the next block has to be laid out."""
        return self._left > 0 or len(self._told) > 1 or self.pieces[0, 0] > 0

    def aim(self, told: Told, *, glide: bool) -> None:
        """Go to what is told now: at once, or in a glide from where the coefficients are."""
        if self._now is not None:
            self._now = min(self._now, len(told) - 1)
        self._told = told
        self._starts = [start for start, _ in told]
        self._go_to(told[self._now or 0][1], glide=glide)
        if not self.moves:
            self.coefs[0] = self._target

    def fill(self, position_samples: int, n_samples: int) -> None:
        """Lay out the next block, which begins at a place in the song."""
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

    def _value(self) -> Row:
        value = self._target.copy()
        if self._left > 0:
            steps = self._first_stepped
            share = self._left / self._glide_samples
            value[:steps] += share * (self._from[:steps] - value[:steps])
        return value
