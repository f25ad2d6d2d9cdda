"""Matrices from one layout to another: up, down, folded."""

import numpy as np
from numpy.typing import NDArray

from gemischt.core.space.layout import LAYOUTS, Channel, Layout

HALF_POWER = 0.5**0.5
_SURROUND_FROM_DEG = 60.0


def matrix_between(source: Layout, destination: Layout) -> NDArray[np.float64]:
    """What each channel of the destination gets of each of the source, (n_destination, n_source).

    A channel goes to the one of its label. Where there is none, fold-down follows ITU-R BS.775 (from memory): the
    centre at -3 dB to both sides, surrounds at -3 dB to the front of their side, low-frequency effects left out; and
    common practice, no source: what is above or below to what is nearest at that height, else at -3 dB to the level of
    the ears. One channel counts as equal left and right where there is no centre, and two meet halved in one.
    """
    matrix = np.zeros((len(destination.channels), len(source.channels)))
    if destination.name == "mono" and source.name != "mono":
        both = matrix_between(source, LAYOUTS["stereo"])
        matrix[0] = both.mean(axis=0)
        return matrix
    places = {channel.label: index for index, channel in enumerate(destination.channels)}
    for column, channel in enumerate(source.channels):
        for label, gain in _shares(channel, source, destination):
            matrix[places[label], column] += gain
    return matrix


def _shares(channel: Channel, source: Layout, destination: Layout) -> list[tuple[str, float]]:
    """Labels of the destination that a channel goes to, and its gain there."""
    if any(other.label == channel.label for other in destination.channels):
        return [(channel.label, 1.0)]
    if channel.is_lfe:
        return []
    if channel.elevation_deg != 0.0:
        same_height = _beside(channel, destination, np.sign(channel.elevation_deg))
        if same_height:
            return [(_nearest(channel, same_height).label, 1.0)]
        at_ears = Channel("", channel.azimuth_deg)
        return [(label, gain * HALF_POWER) for label, gain in _at_ears(at_ears, source, destination)]
    return _at_ears(channel, source, destination)


def _at_ears(channel: Channel, source: Layout, destination: Layout) -> list[tuple[str, float]]:
    level = _beside(channel, destination, 0.0)
    if not level:
        # A layout of corners only: equally above and below.
        corners = [corner for height in (-1.0, 1.0) for corner in _beside(channel, destination, height)]
        nearest = abs(abs(_nearest(channel, corners).azimuth_deg) - abs(channel.azimuth_deg))
        shares = [c for c in corners if abs(abs(c.azimuth_deg) - abs(channel.azimuth_deg)) == nearest]
        return [(share.label, len(shares) ** -0.5) for share in shares]
    if channel.azimuth_deg == 0.0:
        front = min(abs(other.azimuth_deg) for other in level)
        gain = 1.0 if source.name == "mono" else HALF_POWER
        return [(other.label, gain) for other in level if abs(other.azimuth_deg) == front]
    is_surround = abs(channel.azimuth_deg) >= _SURROUND_FROM_DEG
    surrounds = [other for other in level if abs(other.azimuth_deg) >= _SURROUND_FROM_DEG]
    if is_surround and surrounds:
        return [(_nearest(channel, surrounds).label, 1.0)]
    return [(_nearest(channel, level).label, HALF_POWER if is_surround else 1.0)]


def _beside(channel: Channel, layout: Layout, height: float) -> list[Channel]:
    """Channels at a height (-1, 0 or 1) on the same side, both sides for the middle."""
    side = np.sign(channel.azimuth_deg)
    return [
        other
        for other in layout.channels
        if not other.is_lfe
        and np.sign(other.elevation_deg) == height
        and (side == 0.0 or np.sign(other.azimuth_deg) == side)
    ]


def _nearest(channel: Channel, others: list[Channel]) -> Channel:
    return min(others, key=lambda other: abs(other.azimuth_deg - channel.azimuth_deg))
