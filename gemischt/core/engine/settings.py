"""What a strip's settings are to the operations that stand for it: matrices, gains, and what processors are told."""

from dataclasses import dataclass, field

from gemischt.core.engine import placement, specs
from gemischt.core.engine.placement import Matrix
from gemischt.core.engine.specs import OperationId
from gemischt.core.parameters import FrozenModel
from gemischt.core.processors.registry import kind_of
from gemischt.core.routing.groups import group_gains
from gemischt.core.routing.solo import closed_by_solo
from gemischt.core.session.document import Send, Session, Strip
from gemischt.core.session.kinds import traits_of
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

    def pick_up(self, strip: Strip, n_source: int) -> Matrix:
        """Input, trim and polarity."""
        matrix = placement.pick_up_matrix(strip.input, n_source) * db_to_gain(strip.trim_db)
        return -matrix if strip.polarity_inverted else matrix

    def output_matrix(self, strip: Strip, n_channels: int) -> Matrix:
        """Fader, width and pan of a strip with one or two channels."""
        pan = placement.pan_matrix(strip.pan, n_channels, self.session.pan_law_db)
        pan = pan / self._mono_attenuation(strip, n_channels)
        if n_channels == 2:
            pan = pan @ placement.width_matrix(strip.width)
        return pan * self._fader_gain(strip)

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

    def process_spec(
        self,
        operation: OperationId,
        kind: str,
        buffer: str,
        detector: str,
        told: tuple[tuple[int, FrozenModel], ...],
        *,
        on: bool,
    ) -> specs.Process:
        """A processor at work on a buffer."""
        processor, rate = kind_of(kind).processor, self.session.sample_rate_hz
        latency = processor.latency_of(told[0][1], rate)
        room = max(processor.room_of(params, rate) for _, params in told)
        return specs.Process(operation, kind, buffer, detector, latency, room, told, on)

    def _mono_attenuation(self, strip: Strip, n_channels: int) -> float:
        """A mono bus sums what has been panned already: the pan law does not turn its centre down again."""
        if traits_of(strip).plays_clips or n_channels == 2:
            return 1.0
        return placement.centre_gain(self.session.pan_law_db)

    def _fader_gain(self, strip: Strip) -> float:
        if strip.mute:
            return 0.0
        return db_to_gain(strip.fader_db) * self._group_gains.get(strip.id, 1.0)
