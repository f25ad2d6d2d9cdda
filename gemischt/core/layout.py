"""Named layouts of loudspeakers, and matrices from one to another.

Azimuths are degrees, positive to the left, 0 in front; elevations are degrees, positive upwards. Labels, order and
angles of 5.1, 7.1, 5.1.4 and 7.1.4 are those of ITU-R BS.2051-3 (0+5+0, 0+7+0, 4+5+0 and 4+7+0); from memory. Four
corners, and four under four, are ours.
"""

from dataclasses import dataclass
from typing import Literal, cast, get_args

import numpy as np
from numpy.typing import NDArray

LayoutName = Literal["mono", "stereo", "quad", "5.1", "7.1", "5.1.4", "7.1.4", "4+4"]
CORNER_ELEVATION_DEG = 35.26438968
"""Of the corners of a cube seen from its middle: atan(1 / sqrt 2)."""
HALF_POWER = 0.5**0.5
_SURROUND_FROM_DEG = 60.0


@dataclass(frozen=True)
class Channel:
    """A loudspeaker; one for low-frequency effects has no direction that matters."""

    label: str
    azimuth_deg: float
    elevation_deg: float = 0.0
    is_lfe: bool = False

    @property
    def loudness_weight(self) -> float:
        """ITU-R BS.1770-4 and later, Table 4 (from memory): 1.41 beside the listener, 1 elsewhere, LFE not counted."""
        if self.is_lfe:
            return 0.0
        beside = abs(self.elevation_deg) < 30.0 and 60.0 <= abs(self.azimuth_deg) <= 120.0
        return 1.41 if beside else 1.0


@dataclass(frozen=True)
class Layout:
    """Channels in their order."""

    name: LayoutName
    channels: tuple[Channel, ...]

    @property
    def n_channels(self) -> int:
        """How many there are."""
        return len(self.channels)

    @property
    def loudness_weights(self) -> NDArray[np.float64]:
        """By which each channel's mean square counts, (n_channels,)."""
        return np.array([channel.loudness_weight for channel in self.channels])


def _middle(azimuth_deg: float) -> Channel:
    return Channel(f"M{azimuth_deg:+04.0f}", azimuth_deg)


def _upper(azimuth_deg: float, elevation_deg: float = 30.0) -> Channel:
    return Channel(f"U{azimuth_deg:+04.0f}", azimuth_deg, elevation_deg)


def _lower(azimuth_deg: float, elevation_deg: float) -> Channel:
    return Channel(f"B{azimuth_deg:+04.0f}", azimuth_deg, elevation_deg)


_FRONT = (_middle(30), _middle(-30))
_BED = (*_FRONT, _middle(0), Channel("LFE1", 45.0, -30.0, is_lfe=True))
_FIVE = (*_BED, _middle(110), _middle(-110))
_SEVEN = (*_BED, _middle(90), _middle(-90), _middle(135), _middle(-135))
_CORNERS_DEG = (45, -45, 135, -135)

LAYOUTS: dict[LayoutName, Layout] = {
    layout.name: layout
    for layout in (
        Layout("mono", (_middle(0),)),
        Layout("stereo", _FRONT),
        Layout("quad", tuple(_middle(azimuth) for azimuth in _CORNERS_DEG)),
        Layout("5.1", _FIVE),
        Layout("7.1", _SEVEN),
        Layout("5.1.4", (*_FIVE, *(_upper(azimuth) for azimuth in (30, -30, 110, -110)))),
        Layout("7.1.4", (*_SEVEN, *(_upper(azimuth) for azimuth in _CORNERS_DEG))),
        Layout(
            "4+4",
            (
                *(_lower(azimuth, -CORNER_ELEVATION_DEG) for azimuth in _CORNERS_DEG),
                *(_upper(azimuth, CORNER_ELEVATION_DEG) for azimuth in _CORNERS_DEG),
            ),
        ),
    )
}


MONO, STEREO = LAYOUTS["mono"], LAYOUTS["stereo"]
FILE_LAYOUTS = {layout.n_channels: layout for layout in reversed(LAYOUTS.values())}
"""What a file of so many channels holds if nobody says; of two layouts that have as many, the first."""


def layout_named(name: str) -> Layout:
    """The layout of this name; KeyError for anything else.

    >>> [channel.label for channel in layout_named("5.1").channels]
    ['M+030', 'M-030', 'M+000', 'LFE1', 'M+110', 'M-110']
    """
    if name not in get_args(LayoutName):
        raise KeyError(name)
    return LAYOUTS[cast(LayoutName, name)]


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
