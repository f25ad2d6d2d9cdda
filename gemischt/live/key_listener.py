"""What a step of a chain listens to, heard in place of the mix. Nothing of it is printed or measured."""

import numpy as np

from gemischt.core.audio import Audio
from gemischt.core.engine.hearing import heard_by
from gemischt.core.engine.plan import Plan
from gemischt.core.errors import InvalidAction
from gemischt.live.monitor import GLIDE_SAMPLES


class KeyListener:
    """From the mix to a key, and back, it takes a hundredth of a second; from one key to another twice that.

    State: the step that is wanted, the one that is heard, and the share of it in what is heard.
    """

    def __init__(self) -> None:
        self._wanted: tuple[str, str] | None = None
        self._heard: tuple[str, str] | None = None
        self._share = 0.0
        self._buffer: Audio | None = None
        self._plan: Plan | None = None

    def choose(self, step: tuple[str, str] | None) -> None:
        """Hear what this step of a strip listens to; None is the mix."""
        self._wanted = step

    def process(self, plan: Plan, sound: Audio, n_samples: int) -> Audio:
        """What is heard of a block of the mix (n_channels, n_samples)."""
        if self._share == 0.0 and self._heard != self._wanted:
            self._heard, self._plan = self._wanted, None
        wanted = float(self._heard is not None and self._heard == self._wanted)
        if wanted == self._share == 0.0:
            return sound
        end = float(np.clip(wanted, self._share - n_samples / GLIDE_SAMPLES, self._share + n_samples / GLIDE_SAMPLES))
        shares = np.linspace(self._share, end, n_samples)
        self._share = end
        mixed: Audio = sound + shares * (self._key(plan, sound, n_samples) - sound)
        return mixed

    def _key(self, plan: Plan, sound: Audio, n_samples: int) -> Audio:
        """The key as two channels of the mix; silence for a step that is not there or hears nobody."""
        if plan is not self._plan:
            self._plan, self._buffer = plan, _heard_in(plan, self._heard)
        key = np.zeros_like(sound)
        if self._buffer is not None:
            pair = key[:2]
            pair[...] = self._buffer[: len(pair), :n_samples]
        return key


def _heard_in(plan: Plan, step: tuple[str, str] | None) -> Audio | None:
    try:
        found = None if step is None else heard_by(plan, *step)
    except InvalidAction:
        return None
    return None if found is None else plan.buffers[found[0]]
