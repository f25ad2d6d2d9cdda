"""A processor on its own, outside a plan."""

from gemischt.core.processors.base import Place
from tests.support.signals import RATE_HZ


def place(*, rate_hz: int = RATE_HZ, n_channels: int = 2, max_block: int = 96000, latency_samples: int = 0) -> Place:
    """A place to work, settings gliding over 20 ms."""
    return Place(
        sample_rate_hz=rate_hz,
        glide_samples=960,
        n_channels=n_channels,
        max_block=max_block,
        latency_samples=latency_samples,
    )
