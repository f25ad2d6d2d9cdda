"""How a reverb stands in a bed: which channels feed which of its rooms, and which hear them.

A layer (below, at, above the level of the ears) has corners: its foremost and its rearmost pair of loudspeakers. The
room in front answers through the front pairs, the one behind through the rear pairs and those beside. Both hear all
there is: what comes in is turned by a fixed angle between them, so that its power stays. What stands in the middle
feeds both sides. Angles and shares are our own choice.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from gemischt.core.space.layout import Channel

HALF_POWER = 0.5**0.5
_BEHIND_RAD = math.asin(0.6)
_BOTH = np.array([HALF_POWER, HALF_POWER])
"""By so much what comes from the front also sounds behind."""


@dataclass(frozen=True)
class Room:
    """One of a reverb's rooms: the first channels of the pairs that it answers through, in the order of its outputs."""

    pairs: tuple[int, ...]

    @property
    def n_outputs(self) -> int:
        """Two of each pair."""
        return 2 * len(self.pairs)


@dataclass(frozen=True)
class Wiring:
    """The rooms, and the channels that hear none of them.

    Attributes:
        by_layer: what left and right of front and rear of each layer get of the channels, (n_layers, 4, n_channels).
        each: whether each layer has rooms of its own.
    """

    rooms: tuple[Room, ...]
    dry: tuple[int, ...]
    by_layer: NDArray[np.float64]
    each: bool

    def entering(self, exchange: float) -> NDArray[np.float64]:
        """What left and right of each room get of each channel, (n_rooms, 2, n_channels).

        Args:
            exchange: how far layers hear each other, 0 to 1: not at all, to alike.
        """
        turn, n_channels = _turn(_BEHIND_RAD), self.by_layer.shape[-1]
        layers = self.by_layer if self.each else self.by_layer.sum(axis=0, keepdims=True)
        if len(layers) == 2:
            layers = np.tensordot(_turn(0.25 * math.pi * exchange), layers, axes=1)
        has_rear = len(self.rooms) > len(layers)
        if not has_rear:
            return np.ascontiguousarray(layers[:, :2])
        ends = layers.reshape(len(layers), 2, 2, n_channels)
        turned = np.einsum("fe,lesc->lfsc", turn, ends)
        return np.ascontiguousarray(turned.reshape(len(self.rooms), 2, n_channels))


def wiring_of(channels: Sequence[Channel], *, each: bool) -> Wiring:
    """How a reverb stands among more than two channels; layers have rooms of their own, or share them."""
    pairs = [
        index
        for index, (left, right) in enumerate(pairwise(channels))
        if left.azimuth_deg > 0.0
        and right.azimuth_deg == -left.azimuth_deg
        and right.elevation_deg == left.elevation_deg
        and not left.is_lfe
    ]
    heights = sorted({float(np.sign(channels[index].elevation_deg)) for index in pairs})
    each = each and len(heights) == 2
    layers = [_layer(channels, pairs, height) for height in heights]
    if each:
        rooms = [Room(tuple(end)) for layer in layers for end in layer if end]
    else:
        ends = [[pair for layer in layers for pair in layer[end]] for end in (0, 1)]
        rooms = [Room(tuple(end)) for end in ends if end]
    if each and len(rooms) != 2 * len(layers):
        # A layer of one pair has no rear: both share their rooms.
        return wiring_of(channels, each=False)
    heard = {index for room in rooms for pair in room.pairs for index in (pair, pair + 1)}
    by_layer = np.stack([_feeding(channels, layer, height) for layer, height in zip(layers, heights, strict=True)])
    return Wiring(tuple(rooms), tuple(set(range(len(channels))) - heard), by_layer, each)


def _turn(angle: float) -> NDArray[np.float64]:
    return np.array([[math.cos(angle), math.sin(angle)], [-math.sin(angle), math.cos(angle)]])


def _layer(channels: Sequence[Channel], pairs: Sequence[int], height: float) -> tuple[list[int], list[int]]:
    """The front pair of a layer, and its rear pair followed by those beside."""
    own = sorted(
        (index for index in pairs if np.sign(channels[index].elevation_deg) == height),
        key=lambda index: channels[index].azimuth_deg,
    )
    return own[:1], [*own[-1:], *own[1:-1]] if len(own) > 1 else []


def _feeding(channels: Sequence[Channel], layer: tuple[list[int], list[int]], height: float) -> NDArray[np.float64]:
    """What left and right of front and rear get of each channel, (4, n_channels)."""
    found = np.zeros((4, len(channels)))
    (front,), rear = layer
    for index, channel in enumerate(channels):
        if channel.is_lfe or np.sign(channel.elevation_deg) != height:
            continue
        if index in (front, front + 1):
            found[index - front, index] = 1.0
        elif rear and index in (rear[0], rear[0] + 1):
            found[2 + index - rear[0], index] = 1.0
        elif channel.azimuth_deg == 0.0:
            found[:2, index] = HALF_POWER
        else:
            side = 0 if channel.azimuth_deg > 0.0 else 1
            found[[side, 2 + side], index] = _turn(-_BEHIND_RAD) @ _BOTH if rear else (1.0, 0.0)
    return found
