"""A mix worked out the long way, whole signals at a time, from what the document means: no plan, no kernels, no blocks.

It knows strips without processors: layouts, inputs, trims, polarity, faders, pans, widths, mutes, sends at every tap.
Gains are written out from their closed forms.
"""

import math
from collections.abc import Mapping

import numpy as np

from gemischt.core.session.document import Session, Strip
from gemischt.core.space.fold_down import matrix_between
from gemischt.core.space.layout import LAYOUTS, Layout
from tests.support.signals import Signal


def plain_mix(session: Session, signals: Mapping[str, Signal], n_samples: int) -> dict[tuple[str, str], Signal]:
    """Every strip at source, pre-fader and post-fader; none of it is soloed."""
    return _Mix(session, signals, n_samples).all_points()


def gain_of(level_db: float | None) -> float:
    return 0.0 if level_db is None else 10.0 ** (level_db / 20.0)


def pan_gains(position: float) -> tuple[float, float]:
    """Sine and cosine: -3 dB in the middle."""
    angle = 0.25 * math.pi * (position + 1.0)
    return math.cos(angle), math.sin(angle)


def layout_of(strip: Strip) -> Layout:
    return LAYOUTS[strip.layout or "stereo"]


def into(layout: Layout, source: Layout, signal: Signal) -> Signal:
    """A signal in the channels of another layout."""
    joined: Signal = signal if layout == source else matrix_between(source, layout) @ signal
    return joined


class _Mix:
    def __init__(self, session: Session, signals: Mapping[str, Signal], n_samples: int) -> None:
        self.session = session
        self.signals = signals
        self.n_samples = n_samples
        self.found: dict[tuple[str, str], Signal] = {}

    def all_points(self) -> dict[tuple[str, str], Signal]:
        for strip in self.session.strips:
            self.at(strip, "post-fader")
        return self.found

    def at(self, strip: Strip, point: str) -> Signal:
        key = (strip.id, point)
        if key not in self.found:
            made = {"source": self.source, "pre-fader": self.pre_fader, "post-fader": self.post_fader}[point]
            self.found[key] = made(strip)
        return self.found[key]

    def source(self, strip: Strip) -> Signal:
        layout = layout_of(strip)
        total = np.zeros((layout.n_channels, self.n_samples))
        for clip in strip.clips:
            signal = self.signals[clip.media][:, : self.n_samples]
            total[:, : signal.shape[1]] += into(layout, LAYOUTS["stereo"], signal)
        if strip.kind == "track":
            return total
        for other in self.session.strips:
            if other.output == strip.id:
                total += into(layout, layout_of(other), self.at(other, "post-fader"))
            for send in other.sends:
                if send.to == strip.id and send.on:
                    sent = into(layout, layout_of(other), self.sent(other, send.tap))
                    total += gain_of(send.level_db) * sent
        return total

    def sent(self, other: Strip, tap: str) -> Signal:
        """A mono track's own signal is placed in the middle; a mono bus holds what has been placed already."""
        signal = self.at(other, "pre-fader" if tap == "pre-chain" else tap)
        if len(signal) == 1:
            return np.tile(signal * (pan_gains(0.0)[0] if other.kind == "track" else 1.0), (2, 1))
        return signal

    def pre_fader(self, strip: Strip) -> Signal:
        source = self.at(strip, "source")
        sign = -1.0 if strip.polarity_inverted else 1.0
        if len(source) > 2:
            return sign * gain_of(strip.trim_db) * source
        left, right = source
        rows = {
            "as-is": (left, right),
            "swap": (right, left),
            "mono-sum": (0.5 * (left + right),),
            "mid": (0.5 * (left + right),),
            "side": (0.5 * (left - right),),
            "left": (left,),
            "right": (right,),
        }[strip.input]
        return sign * gain_of(strip.trim_db) * np.stack(rows)

    def post_fader(self, strip: Strip) -> Signal:
        signal = self.at(strip, "pre-fader") * (0.0 if strip.mute else gain_of(strip.fader_db))
        if len(signal) == 1:
            near, far = pan_gains(strip.pan.position)
            scale = 1.0 if strip.kind == "track" else math.sqrt(2.0)
            return np.stack([scale * near * signal[0], scale * far * signal[0]])
        if len(signal) > 2:
            return signal
        middle, side = 0.5 * (signal[0] + signal[1]), 0.5 * (signal[0] - signal[1]) * strip.width
        left, right = middle + side, middle - side
        position = strip.pan.position
        if strip.pan.mode == "balance":
            return np.stack([left * (1.0 - max(position, 0.0)), right * (1.0 + min(position, 0.0))])
        if strip.pan.mode == "fold":
            over, back = max(position, 0.0), max(-position, 0.0)
            return np.stack([(1.0 - over) * left + back * right, over * left + (1.0 - back) * right])
        a, b = pan_gains(strip.pan.left), pan_gains(strip.pan.right)
        return np.stack([a[0] * left + b[0] * right, a[1] * left + b[1] * right])
