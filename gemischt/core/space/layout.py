"""Named layouts of loudspeakers.

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
