"""The reverb's parameter table."""

from typing import Literal

from gemischt.core.parameters import FrozenModel, cut, parameter


class ReverbParams(FrozenModel):
    """A room. ``decay_s`` is the time to fall by 60 dB; ``damping`` shortens it for the highs. ``early`` is the level
    of its first reflections, which keep the side of what they answer.

    The cuts lie in front of the room; null leaves that side open. ``modulation`` is how fast its echoes drift: not at
    all to twice as fast as at first.

    In a bed with layers one above the other these share one room, or *each* has rooms of its own that hear each other
    by ``exchange``: not at all to alike.
    """

    pre_delay_ms: float = parameter(20.0, 0.0, 500.0, label="Pre-delay", unit="ms")
    decay_s: float = parameter(1.8, 0.1, 20.0, label="Decay", unit="s", scale="logarithmic")
    size: float = parameter(0.6, 0.0, 1.0, label="Size")
    damping: float = parameter(0.3, 0.0, 1.0, label="Damping")
    diffusion: float = parameter(0.8, 0.0, 1.0, label="Diffusion")
    modulation: float = parameter(0.5, 0.0, 1.0, label="Modulation")
    low_cut_hz: float | None = cut("Low cut", 20.0, 2000.0)
    high_cut_hz: float | None = cut("High cut", 500.0, 20000.0)
    early: float = parameter(0.0, 0.0, 1.0, label="Early")
    layers: Literal["one", "each"] = "one"
    exchange: float = parameter(0.3, 0.0, 1.0, label="Exchange")
    width: float = parameter(1.0, 0.0, 2.0, label="Width")
    wet: float = parameter(1.0, 0.0, 1.0, label="Wet")
