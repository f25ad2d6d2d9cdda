"""Plays a session: keeps the position, loops, follows edits without a click."""

from collections.abc import Collection, Mapping
from typing import Protocol

import numpy as np

from gemischt.core.audio import Audio, MediaSamples
from gemischt.core.engine.blueprint import draw_blueprint, with_leaders
from gemischt.core.engine.buffer_names import Point
from gemischt.core.engine.placement import mixing_matrix
from gemischt.core.engine.plan import Plan, Watcher
from gemischt.core.engine.resettling import resettle
from gemischt.core.engine.specs import Blueprint, OperationId, Role, waits_samples
from gemischt.core.session.document import Session
from gemischt.core.session.ducking import with_steps_in_chains
from gemischt.core.units import ms_to_samples

DEFAULT_BLOCK = 1024
CROSSFADE_MS = 20.0
STRUCTURE_EVERY_MS = 50.0
"""What is dragged about changes the structure with every frame of the page; so often it is drawn anew."""


class Probe(Protocol):
    """Reads a plan closely while it runs."""

    def watchers(self, plan: Plan) -> Mapping[OperationId, Watcher]:
        """Where in a plan to look."""


class Renderer:
    """Renders a session from a position on, block after block.

    The same plan and kernels serve playback, printing and measuring; the samples do not depend on how many are asked
    for at a time. What comes out lags ``latency_samples`` behind ``position_samples``.
    """

    def __init__(
        self,
        session: Session,
        media: Mapping[str, MediaSamples],
        *,
        max_block: int = DEFAULT_BLOCK,
        points: Collection[Point] = (),
    ) -> None:
        session = self._session = with_steps_in_chains(session)
        self._media = media
        self.max_block = max_block
        self._sample_rate_hz = session.sample_rate_hz
        self.plan = Plan(draw_blueprint(session, media, points=points), media, max_block=max_block)
        self.position_samples = 0
        self._probe: Probe | None = None
        self.unwanted: Collection[OperationId] = ()
        """Steps that a probe leaves nobody to wait for."""
        self._watchers: Mapping[OperationId, Watcher] = {}
        self._watched_plan: Plan | None = None
        self._loop: tuple[int, int] | None = None
        self._leaving: Plan | None = None
        self._waiting: tuple[Session, Mapping[str, MediaSamples]] | None = None
        self._unheard = 0
        self._fade_done = 0
        self._rest_length = ms_to_samples(STRUCTURE_EVERY_MS - CROSSFADE_MS, session.sample_rate_hz)
        self._rest = 0
        self._fade_length = ms_to_samples(CROSSFADE_MS, session.sample_rate_hz)

    @property
    def probe(self) -> Probe | None:
        """Reads the plan closely, if set."""
        return self._probe

    @probe.setter
    def probe(self, probe: Probe | None) -> None:
        self._probe = probe
        self._watched_plan = None

    @property
    def latency_samples(self) -> int:
        """How far the output lags behind the position."""
        heard = self._leaving if self._leaving is not None and self._unheard else self.plan
        return heard.blueprint.latency_samples

    @property
    def length_samples(self) -> int:
        """End of the last clip."""
        return self.plan.blueprint.length_samples

    def set_loop(self, loop: tuple[int, int] | None) -> None:
        """Repeat [start, end) from the moment the position reaches its end; None plays on."""
        if loop is not None and loop[1] <= loop[0]:
            raise ValueError(f"a loop must end after it starts, got {loop}")
        self._loop = loop

    def seek(self, position_samples: int) -> None:
        """Jump; filters and detectors start from rest."""
        self.settle()
        self.plan = Plan(self.plan.blueprint, self._media, max_block=self.max_block)
        self.position_samples = position_samples

    def edit(self, session: Session, media: Mapping[str, MediaSamples]) -> None:
        """Go on with a changed session: settings glide, a changed structure is crossfaded in.

        What is being crossfaded in is not replaced half-way: a change that comes meanwhile or a moment after it waits,
        the newest for all that waited. The sample rate must stay as it is.
        """
        if self._leaving is not None:
            self._waiting = session, media
            return
        session = with_steps_in_chains(session)
        settled = resettle(self.plan.blueprint, self._session, session) if media is self._media else None
        if settled is not None and (session.moves or settled.followings):
            settled = with_leaders(session, settled, self.plan.blueprint)
        blueprint = draw_blueprint(session, media) if settled is None else settled
        if settled is not None or blueprint == self.plan.blueprint:
            self._session, self._media, self._waiting = session, media, None
            self.plan.set(blueprint)
            return
        if self._rest:
            self._waiting = session, media
            return
        self._session, self._media, self._waiting = session, media, None
        plan = Plan(blueprint, media, max_block=self.max_block)
        plan.take_over(self.plan)
        self._leaving = self.plan
        self._unheard = warm_up_samples(blueprint)
        self._fade_done = 0
        self.plan = plan

    @property
    def is_settled(self) -> bool:
        """Whether what sounds is the session that was set last."""
        return self._leaving is None and self._waiting is None

    def settle(self) -> None:
        """End all crossfades now: nobody hears them."""
        while not self.is_settled:
            self._leaving, self._unheard, self._rest = None, 0, 0
            self._take_what_waits()

    def render(self, n_samples: int) -> Audio:
        """The next samples of the mix, a new array (n_channels, n_samples)."""
        out = np.empty((self.plan.blueprint.layout.n_channels, n_samples))
        done = 0
        while done < n_samples:
            step = self.render_block(min(self.max_block, n_samples - done))
            out[:, done : done + step.shape[1]] = step
            done += step.shape[1]
        return out

    def render_block(self, n_samples: int) -> Audio:
        """At most ``n_samples`` of the mix, fewer at a loop's end; a view that the next call overwrites."""
        position = self.position_samples
        loop = self._loop
        if loop is not None and position < loop[1]:
            n_samples = min(n_samples, loop[1] - position)
        if self._leaving is not None:
            n_samples = min(n_samples, self._unheard or self._fade_length - self._fade_done)
        elif self._rest:
            n_samples = min(n_samples, self._rest)
        if self.probe is None:
            self.plan.run(position, n_samples)
        else:
            if self._watched_plan is not self.plan:
                self._watched_plan = self.plan
                self._watchers = self.probe.watchers(self.plan)
            self.plan.run_watched(position, n_samples, self._watchers, leave_out=self.unwanted)
        out = self.plan.output[:, :n_samples]
        if self._leaving is not None:
            self._crossfade(self._leaving, position, n_samples, out)
        elif self._rest:
            self._rest -= n_samples
            if not self._rest:
                self._take_what_waits()
        self.position_samples = position + n_samples
        if loop is not None and self.position_samples == loop[1]:
            self.position_samples = loop[0]
        return out

    def _crossfade(self, leaving: Plan, position: int, n_samples: int, out: Audio) -> None:
        leaving.run(position, n_samples)
        before = leaving.output[:, :n_samples]
        joining = mixing_matrix(leaving.blueprint.layout, self.plan.blueprint.layout)
        if joining is not None:
            before = joining @ before
        if self._unheard:
            out[:] = before
            self._unheard -= n_samples
            return
        fade = (self._fade_done + np.arange(1, n_samples + 1)) / self._fade_length
        out *= fade
        out += before * (1.0 - fade)
        self._fade_done += n_samples
        if self._fade_done == self._fade_length:
            self._leaving = None
            self._rest = self._rest_length

    def _take_what_waits(self) -> None:
        if self._waiting is not None:
            self.edit(*self._waiting)


def warm_up_samples(blueprint: Blueprint) -> int:
    """How long a new structure runs unheard, until all that waits in it has filled with what sounds."""
    waits = [spec for spec in blueprint.specs if waits_samples(spec)]
    shifts = sum(waits_samples(spec) for spec in waits if spec.id.role is Role.LANE_SHIFT)
    return max(blueprint.lags.values()) + shifts
