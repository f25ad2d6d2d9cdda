"""Where a signal goes: input pick-up, pan and width as small gain matrices, shape (n_out, n_in)."""

import math
from collections.abc import Iterable

import numpy as np
from numpy.typing import NDArray

from gemischt.core.session.document import InputPickUp, Pan, Strip
from gemischt.core.session.kinds import traits_of
from gemischt.core.space.fold_down import matrix_between
from gemischt.core.space.layout import LAYOUTS, MONO, STEREO, Layout

Matrix = NDArray[np.float64]

_PICK_UPS: dict[InputPickUp, list[list[float]]] = {
    "as-is": [[1.0, 0.0], [0.0, 1.0]],
    "swap": [[0.0, 1.0], [1.0, 0.0]],
    "mono-sum": [[0.5, 0.5]],
    "left": [[1.0, 0.0]],
    "right": [[0.0, 1.0]],
    "mid": [[0.5, 0.5]],
    "side": [[0.5, -0.5]],
}


def source_layout(strip: Strip, files: Iterable[Layout]) -> Layout:
    """What a strip's source has: what the strip says, else its files' channels up to two, or two."""
    if strip.layout is not None:
        return LAYOUTS[strip.layout]
    if not traits_of(strip).plays_clips:
        return STEREO
    return MONO if {file.n_channels for file in files} == {1} else STEREO


def file_matrix(file: Layout, layout: Layout) -> Matrix:
    """What each channel of a strip gets of each of a file's; as many are taken as they are."""
    return np.eye(layout.n_channels) if file.n_channels == layout.n_channels else matrix_between(file, layout)


def mixing_matrix(source: Layout, out: Layout) -> Matrix | None:
    """How a signal joins another layout's; None for one or two channels, and where all stays as it is.

    One channel joins more than two as both sides of two, as if it had been placed in their middle.
    """
    if source == out or max(source.n_channels, out.n_channels) <= 2:
        return None
    if source == MONO:
        both: Matrix = matrix_between(STEREO, out).sum(axis=1, keepdims=True)
        return both
    return matrix_between(source, out)


def pick_up_matrix(pick_up: InputPickUp, n_source: int) -> Matrix:
    """What a strip takes from its source. One channel counts as equal left and right; more than two have no sides."""
    if n_source > 2:
        return np.eye(n_source)
    matrix = np.array(_PICK_UPS[pick_up])
    if n_source == 2:
        return matrix
    summed: Matrix = matrix[:1].sum(axis=1, keepdims=True)
    return summed


def law_gains(position: float, pan_law_db: float) -> tuple[float, float]:
    """Gains of left and right for one channel at ``position`` (-1 left, 1 right).

    0: balance; -3: sine and cosine, constant power; -6: linear; -4.5: the geometric mean of the last two.
    """
    p = 0.5 * (position + 1.0)
    linear = (1.0 - p, p)
    round_ = (math.cos(0.5 * math.pi * p), math.sin(0.5 * math.pi * p)) if p not in (0.0, 1.0) else linear
    if pan_law_db == 0.0:
        return min(1.0, 2.0 * linear[0]), min(1.0, 2.0 * linear[1])
    if pan_law_db == -3.0:
        return round_
    if pan_law_db == -6.0:
        return linear
    return math.sqrt(linear[0] * round_[0]), math.sqrt(linear[1] * round_[1])


def pan_matrix(pan: Pan, n_source: int, pan_law_db: float) -> Matrix:
    """Pan of one or two channels to two; more stay where they are.

    One channel follows the session's pan law. Two channels: *balance* turns one side down, *fold* carries it over to
    the other, *two-handed* places each by constant power.
    """
    if n_source > 2:
        return np.eye(n_source)
    if n_source == 1:
        return np.array([[gain] for gain in law_gains(pan.position, pan_law_db)])
    toward_right, toward_left = max(pan.position, 0.0), max(-pan.position, 0.0)
    if pan.mode == "balance":
        return np.diag([1.0 - toward_right, 1.0 - toward_left])
    if pan.mode == "fold":
        return np.array([[1.0 - toward_right, toward_left], [toward_right, 1.0 - toward_left]])
    left, right = law_gains(pan.left, -3.0), law_gains(pan.right, -3.0)
    return np.array([[left[0], right[0]], [left[1], right[1]]])


def width_matrix(width: float) -> Matrix:
    """Scale the side signal (L-R)/2 by ``width`` and leave the mid as it is."""
    near, far = 0.5 * (1.0 + width), 0.5 * (1.0 - width)
    return np.array([[near, far], [far, near]])


def centre_gain(pan_law_db: float) -> float:
    """What one channel gets on each side when it is in the middle."""
    return law_gains(0.0, pan_law_db)[0]
