"""What a strip's settings are to the operations that stand for it: matrices, gains, and what processors are told."""

import copy
from collections.abc import Iterable
from dataclasses import dataclass, field
from typing import TypeAlias

from gemischt.core.engine import placement, specs
from gemischt.core.engine.buffer_names import signal_name
from gemischt.core.engine.placement import Matrix
from gemischt.core.engine.specs import OperationId, Role
from gemischt.core.parameters import FrozenModel
from gemischt.core.processors.band_params import BandParams
from gemischt.core.processors.base import Application, BlockProcessor, Detection, GainShaper
from gemischt.core.processors.gain_params import GainParams
from gemischt.core.processors.registry import kind_of
from gemischt.core.routing.groups import group_gains
from gemischt.core.routing.solo import closed_by_solo
from gemischt.core.session.beds import bed_of, is_around
from gemischt.core.session.document import Keyed, Parallel, Send, Session, Strip
from gemischt.core.session.kinds import traits_of
from gemischt.core.session.steps import DuckStep, FollowerStep
from gemischt.core.space.around import around_gains
from gemischt.core.space.layout import STEREO, Layout
from gemischt.core.units import db_to_gain


@dataclass
class Settings:
    """Settings of a session's strips, with what groups and solos do to them."""

    session: Session
    closed: frozenset[tuple[str, str | None]] = field(init=False)
    _group_gains: dict[str, float] = field(init=False)

    def __post_init__(self) -> None:
        self.closed = closed_by_solo(self.session)
        self._group_gains = group_gains(self.session)

    def with_groups(self, session: Session) -> "Settings":
        """The same with control groups as another session has them."""
        other = copy.copy(self)
        other._group_gains = group_gains(session)
        return other

    def group_gain(self, strip_id: str) -> float:
        """What its control groups do to a strip."""
        return self._group_gains.get(strip_id, 1.0)

    def pick_up(self, strip: Strip, n_source: int) -> Matrix:
        """Input, trim and polarity."""
        matrix = placement.pick_up_matrix(strip.input, n_source) * db_to_gain(strip.trim_db)
        return -matrix if strip.polarity_inverted else matrix

    def output_matrix(self, strip: Strip, n_channels: int) -> Matrix:
        """Fader, and of one or two channels width and pan."""
        return self.place_matrix(strip, n_channels) * self._fader_gain(strip)

    def leaving_layout(self, strip: Strip, layout: Layout) -> Layout:
        """What leaves a strip's fader: one or two channels are placed between two sides, or in a bed."""
        if layout.n_channels > 2:
            return layout
        return bed_of(self.session, strip) if is_around(strip) else STEREO

    def place_matrix(self, strip: Strip, n_channels: int) -> Matrix:
        """Width and pan of one or two channels."""
        if is_around(strip) and n_channels <= 2:
            pan = self._around(strip, n_channels)
        else:
            pan = placement.pan_matrix(strip.pan, n_channels, self.session.pan_law_db)
            pan = pan / self._mono_attenuation(strip, n_channels)
        if n_channels != 2:
            return pan
        return pan @ placement.width_matrix(strip.width) * db_to_gain(strip.width_level_db)

    def _around(self, strip: Strip, n_channels: int) -> Matrix:
        pan = strip.pan
        bed = bed_of(self.session, strip).name
        return around_gains(bed, n_channels, pan.azimuth_deg, pan.elevation_deg, pan.spread_deg)

    def output_gain(self, strip: Strip) -> float:
        """Whether the output is open."""
        return 0.0 if (strip.id, None) in self.closed else 1.0

    def send_gain(self, strip: Strip, send: Send, n_channels: int) -> float:
        """Of a send that taps so many channels; one arrives as if panned to the centre."""
        is_open = send.on and (strip.id, send.id) not in self.closed
        gain = db_to_gain(send.level_db) if is_open else 0.0
        if n_channels == 1:
            gain *= placement.centre_gain(self.session.pan_law_db) / self._mono_attenuation(strip, 1)
        return gain

    def _mono_attenuation(self, strip: Strip, n_channels: int) -> float:
        """A mono bus sums what has been panned already: the pan law does not turn its centre down again."""
        if traits_of(strip).plays_clips or n_channels > 1:
            return 1.0
        return placement.centre_gain(self.session.pan_law_db)

    def _fader_gain(self, strip: Strip) -> float:
        if strip.mute:
            return 0.0
        return db_to_gain(strip.fader_db) * self.group_gain(strip.id)


def process_spec(
    operation: OperationId,
    kind: str,
    buffer: str,
    told: tuple[tuple[int, FrozenModel], ...],
    *,
    on: bool,
    sample_rate_hz: int,
    reaches: Iterable[FrozenModel] = (),
) -> specs.Process:
    """A processor at work on a buffer; there is room for whatever parameters it ``reaches``."""
    processor = kind_of(kind).worker
    assert issubclass(processor, BlockProcessor)
    latency = processor.latency_of(told[0][1], sample_rate_hz)
    room = max(processor.room_of(params, sample_rate_hz) for params in (*(params for _, params in told), *reaches))
    return specs.Process(operation, kind, buffer, latency, room, told, on)


def level_of(block: Parallel) -> GainParams:
    """A block of lanes as the gain behind it."""
    return GainParams.model_construct(level_db=block.level_db if block.on else 0.0)


def band_of(block: Parallel, lane_id: str) -> BandParams | None:
    """Which band of its block a lane is, None if it takes the whole signal."""
    index = next(index for index, lane in enumerate(block.lanes) if lane.id == lane_id)
    if not block.splits or index > len(block.splits):
        return None
    return BandParams.model_construct(index=index, crossovers_hz=tuple(split.frequency_hz for split in block.splits))


def lane_gains(block: Parallel) -> dict[str, float]:
    """What mutes, solos, levels and polarity of its lanes come to."""
    any_solo = any(lane.solo for lane in block.lanes)
    gains: dict[str, float] = {}
    for lane in block.lanes:
        closed = lane.mute or (any_solo and not lane.solo)
        gain = 0.0 if closed else db_to_gain(lane.level_db)
        gains[lane.id] = -gain if lane.polarity_inverted else gain
    return gains


@dataclass(frozen=True)
class Turning:
    """A processor that turns a strip's buffer down by the levels of what it hears."""

    strip: str
    processor: Keyed
    buffer: str
    sample_rate_hz: int

    @property
    def shaper(self) -> type[GainShaper]:
        """What decides."""
        worker = kind_of(self.processor.type).worker
        assert issubclass(worker, GainShaper)
        return worker

    def id_of(self, role: Role) -> OperationId:
        """Of one of its operations."""
        return OperationId(self.strip, role, (self.processor.id,))

    @property
    def detection(self) -> Detection:
        """How it listens."""
        return self.shaper.detection_of(self.processor.params)

    @property
    def application(self) -> Application:
        """How what it decides is applied."""
        return self.shaper.application_of(self.processor.params, on=self.processor.on)

    def shape(self, levels: str) -> specs.Shape:
        """How it decides from levels."""
        params = self.processor.params
        lookahead_samples = self.shaper.latency_of(params, self.sample_rate_hz)
        reduction = signal_name(self.strip, self.processor.id, "reduction")
        return specs.Shape(self.id_of(Role.SHAPE), self.processor.type, levels, reduction, lookahead_samples, params)

    def apply(self, reduction: str) -> specs.Apply:
        """How what it decides is applied."""
        return specs.Apply(self.id_of(Role.PROCESSOR), reduction, self.buffer, self.application)


@dataclass(frozen=True)
class Ducking:
    """A duck's step in a chain."""

    strip: str
    processor: DuckStep
    buffer: str
    sample_rate_hz: int

    def id_of(self, role: Role) -> OperationId:
        """Of one of its operations."""
        return OperationId(self.strip, role, (self.processor.id,))

    @property
    def detection(self) -> Detection:
        """How it listens for hits: to the peaks of the loudest channel."""
        return Detection(rms_share=0.0, link=1.0)

    @property
    def depth(self) -> specs.Depth:
        """How its target is turned."""
        params = self.processor.params
        return specs.Depth(params.depth_db, params.crossover_hz, self.processor.on)

    def apply(self, openness: str) -> specs.Duck:
        """How its target is turned by how open the duck is."""
        return specs.Duck(self.id_of(Role.DUCK), openness, self.buffer, self.processor.params.band, self.depth)


@dataclass(frozen=True)
class FollowingStep:
    """A follower's step in a chain: it hears, and leaves the buffer as it is."""

    strip: str
    processor: FollowerStep
    buffer: str

    def id_of(self, role: Role) -> OperationId:
        """Of one of its operations."""
        return OperationId(self.strip, role, (self.processor.id,))

    @property
    def detection(self) -> Detection:
        """How it listens: to the loudest channel."""
        return Detection(float(self.processor.params.detector == "rms"), link=1.0)

    def follow(self, levels: str) -> specs.Follow:
        """How its levels become a share."""
        share = signal_name(self.strip, self.processor.id, "share")
        led = tuple(pull.field for pull in self.processor.params.pulls)
        return specs.Follow(self.id_of(Role.FOLLOW), levels, share, led, self.processor.params, self.processor.on)


Listener: TypeAlias = Turning | Ducking | FollowingStep
"""What hears a key."""
