"""Changing a duck's curve: smoothed, reversed, a stretch copied, and taken from a sound."""

from collections.abc import Sequence
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from gemischt.core.session.ducks import CurveNode
from gemischt.core.session.moves import bent

Curve = tuple[CurveNode, ...]
_STILL = 0.02
"""A curve taken from a sound strays from it by no more."""
_SMOOTH = 0.05
"""Smoothing takes the mean of as much of a curve to either side."""


def open_at(curve: Sequence[CurveNode], at: float) -> float:
    """How open a curve is at a share of its length.

    >>> open_at((CurveNode(at=0.0, open=0.0), CurveNode(at=0.5, open=1.0)), 0.25)
    0.5
    """
    if at <= curve[0].at:
        return curve[0].open
    for begin, end in pairwise(curve):
        if begin.at <= at < end.at:
            share = bent((at - begin.at) / (end.at - begin.at), begin.bend)
            return begin.open + share * (end.open - begin.open)
    return curve[-1].open


def reversed_curve(curve: Curve) -> Curve:
    """The curve from its end to its beginning."""
    bends = [node.bend for node in curve[:-1]]
    # A segment that hurries at its end does so at its beginning when it is reversed.
    turned = [-bend for bend in reversed(bends)] + [0.0]
    return tuple(
        CurveNode(at=1.0 - node.at, open=node.open, bend=bend)
        for node, bend in zip(reversed(curve), turned, strict=True)
    )


def smoothed(curve: Curve) -> Curve:
    """The curve without its corners: the mean of a twentieth of its length to either side, thinned."""
    grid = np.linspace(0.0, 1.0, 201)
    values = np.array([open_at(curve, float(at)) for at in grid])
    reach = round(_SMOOTH * 200)
    padded = np.pad(values, reach, mode="edge")
    window = np.hanning(2 * reach + 3)[1:-1]
    means = np.convolve(padded, window / window.sum(), mode="valid")
    return thinned(grid, means, within=0.01)


def copied(curve: Curve, from_at: float, to_at: float, at: float) -> Curve:
    """The curve with a stretch of it laid over what is at another place, as far as there is room."""
    shift = at - from_at
    end = min(1.0, to_at + shift)
    stretch = [node for node in curve if from_at <= node.at <= to_at]
    laid = [node.model_copy(update={"at": node.at + shift}) for node in stretch if node.at + shift <= 1.0]
    if not laid or laid[0].at > at:
        laid.insert(0, CurveNode(at=at, open=open_at(curve, from_at)))
    if laid[-1].at < end:
        laid.append(CurveNode(at=end, open=open_at(curve, end - shift)))
    before = [node for node in curve if node.at < at]
    behind = [node for node in curve if node.at > end]
    return (*before, *laid, *behind)


def like_sound(levels: NDArray[np.float64]) -> Curve:
    """A curve that makes room for a sound: as far down as that is loud, (n,) amplitudes over the curve's length."""
    top = float(levels.max(initial=0.0))
    if top <= 0.0:
        return (CurveNode(at=0.0, open=1.0),)
    # Loudness goes with the logarithm: 40 dB below the top is open again.
    level_db = 20.0 * np.log10(np.maximum(levels / top, 1e-6))
    openness = np.clip(-level_db / 40.0, 0.0, 1.0)
    return thinned(np.linspace(0.0, 1.0, len(levels)), openness, within=_STILL)


def thinned(at: NDArray[np.float64], openness: NDArray[np.float64], *, within: float) -> Curve:
    """The fewest nodes whose straight lines stray no further; at most 64, coarser if need be.

    Reference: Douglas and Peucker, Cartographica 10(2), 1973.
    """
    kept = _kept(at, openness, within)
    while len(kept) > 64:
        within *= 1.5
        kept = _kept(at, openness, within)
    return tuple(CurveNode(at=round(float(at[k]), 4), open=round(float(openness[k]), 4)) for k in kept)


def _kept(at: NDArray[np.float64], openness: NDArray[np.float64], within: float) -> list[int]:
    kept, waiting = {0, len(at) - 1}, [(0, len(at) - 1)]
    while waiting:
        first, last = waiting.pop()
        if last - first < 2:
            continue
        inside = slice(first + 1, last)
        line = np.interp(at[inside], at[[first, last]], openness[[first, last]])
        strays = np.abs(openness[inside] - line)
        worst = int(np.argmax(strays))
        if strays[worst] > within:
            middle = first + 1 + worst
            kept.add(middle)
            waiting += [(first, middle), (middle, last)]
    return sorted(kept)
