"""From session to blueprint: order, buffers, gains, and delays wherever paths meet."""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace

import numpy as np

from gemischt.core.audio import MediaSamples
from gemischt.core.engine import specs
from gemischt.core.engine.buffer_names import (
    POST_FADER,
    PRE_FADER,
    SOURCE,
    lane_buffer,
    pre_chain_buffer,
    signal_name,
    strip_buffer,
)
from gemischt.core.engine.clip_placing import place_clips
from gemischt.core.engine.placement import Matrix, file_matrix, leaving_layout, mixing_matrix, source_layout
from gemischt.core.engine.resolving import detector_eq, told_over_time
from gemischt.core.engine.settings import Settings, Turning, process_spec
from gemischt.core.engine.specs import OperationId, Role
from gemischt.core.layout import FILE_LAYOUTS, MONO, Layout
from gemischt.core.parameters import FrozenModel
from gemischt.core.processors.base import Detection
from gemischt.core.processors.gain_params import GainParams
from gemischt.core.routing.graph import edges_of, keyed_processors, processing_order
from gemischt.core.session.document import (
    DetectorFilter,
    Keyed,
    Lane,
    Parallel,
    Processor,
    Send,
    Session,
    Simple,
    Strip,
    Tap,
)
from gemischt.core.session.kinds import traits_of
from gemischt.core.units import db_to_gain, ms_to_samples, s_to_samples


def draw_blueprint(
    session: Session, media: Mapping[str, MediaSamples], *, alone: str | None = None, keeps_pre_chain: bool = False
) -> specs.Blueprint:
    """Lay out the operations of a valid session.

    Args:
        media: decoded files by media id, shape (n_samples, n_channels), at the session's rate.
        alone: the only strip that is looked at, by others than the plan's own meters: there are none, and of the other
            strips' steps those that change nothing now are left out, so that later settings may need another structure.
        keeps_pre_chain: whether what that strip is before its chain has a buffer, though nobody here hears it.

    Raises:
        KeyError: a clip's media is not in ``media``.
    """
    return _Drawing(session, media, alone, keeps_pre_chain).draw()


@dataclass(frozen=True)
class _Feed:
    """A signal on its way into a strip."""

    id: OperationId
    source: str
    gain: float


@dataclass(frozen=True)
class _ClipFeed:
    """Clips on their way straight into a strip: each with what its file's channels become on the way."""

    clips: tuple[specs.ClipPlacement, ...]
    matrices: tuple[Matrix, ...]
    layout: Layout


@dataclass
class _Drawing:
    session: Session
    media: Mapping[str, MediaSamples]
    alone: str | None
    keeps_pre_chain: bool
    buffers: dict[str, Layout] = field(default_factory=dict)
    operations: list[specs.Spec] = field(default_factory=list)
    # How many samples the signal in each buffer lags behind the song.
    latency: dict[str, int] = field(default_factory=dict)
    feeds: dict[str, list[_Feed | _ClipFeed]] = field(default_factory=dict)
    # What joins a strip after its chain.
    late_feeds: dict[str, list[_Feed | _ClipFeed]] = field(default_factory=dict)
    signals: dict[str, int] = field(default_factory=dict)
    # Keys by where, how loud, filtered how and how late, and levels of keys by how they are listened to: who listens
    # alike shares them.
    keys: dict[tuple[str, float, DetectorFilter, int], str] = field(default_factory=dict)
    levels: dict[tuple[str, bool, Detection], str] = field(default_factory=dict)
    # The buffer each strip's chain works in, where it is drawn.
    work: dict[str, str] = field(default_factory=dict)
    length_samples: int = 0

    def draw(self) -> specs.Blueprint:
        session = self.session
        self.settings = Settings(session)
        heard = [key for strip in session.strips for key in self._keys_of(strip)]
        self.tapped: set[tuple[str, Tap]] = {(edge.source, edge.tap) for edge in edges_of(session)} | set(heard)
        self.triggers = {source for source, _ in heard}
        self.index = {strip.id: index for index, strip in enumerate(session.strips)}
        self.feeds = {strip.id: [] for strip in session.strips}
        self.late_feeds = {strip.id: [] for strip in session.strips}
        for strip_id in processing_order(session):
            self._draw_strip(session.strip(strip_id))
        output = strip_buffer(session.mix.id, "post-fader")
        return specs.Blueprint(
            sample_rate_hz=session.sample_rate_hz,
            buffers=tuple(self.buffers.items()),
            signals=tuple(self.signals.items()),
            specs=tuple(self.operations),
            strips=tuple(strip.id for strip in session.strips),
            output=output,
            latency_samples=self.latency[output],
            length_samples=self.length_samples,
            lags=self.latency,
        )

    def _keys_of(self, strip: Strip) -> Iterator[tuple[str, Tap]]:
        for processor in keyed_processors(strip):
            if processor.key.source is not None:
                yield processor.key.source, processor.key.tap

    def _draw_strip(self, strip: Strip) -> None:
        if self._goes_straight(strip):
            self._feed_clips(strip)
            return
        if self._stays_silent(strip):
            for point in ("source", "post-fader"):
                self._buffer(strip_buffer(strip.id, point), source_layout(strip, ()), latency=0)
            return
        source = strip_buffer(strip.id, "source")
        if traits_of(strip).plays_clips:
            self._draw_clips(strip, source)
        else:
            self._draw_sum(strip, source)
        work = self.work[strip.id] = self._draw_input(strip, source)
        self._draw_chain(strip, strip.chain, work)
        self._draw_late(strip, work)
        self._draw_output(strip, work)

    def _goes_straight(self, strip: Strip) -> bool:
        """Whether all that is wanted of a strip is its clips, turned and placed, at the end of its ways."""
        if (
            not self._is_heard_only(strip)
            or not traits_of(strip).plays_clips
            or strip.chain
            or strip.id in self.triggers
        ):
            return False
        return not any((strip.id, tap) in self.tapped for tap in ("pre-chain", "pre-fader"))

    def _stays_silent(self, strip: Strip) -> bool:
        """Whether it is a mix that is there only because every session has one."""
        fed = self.feeds[strip.id] or self.late_feeds[strip.id]
        return self._is_heard_only(strip) and strip.kind == "mix" and not fed

    def _feed_clips(self, strip: Strip) -> None:
        clips, matrices, layout = self._placed_clips(strip)
        matrix = self.settings.pick_up(strip, layout.n_channels)
        leaving = leaving_layout(_worked_on(layout, matrix))
        matrix = self.settings.output_matrix(strip, len(matrix)) @ matrix
        if strip.output is not None:
            feed = _ClipFeed(clips, tuple(matrix @ played for played in matrices), leaving)
            (self.late_feeds if strip.late else self.feeds)[strip.output].append(feed)
        for send in strip.sends:
            gain = db_to_gain(send.level_db) if send.on else 0.0
            self.feeds[send.to].append(_ClipFeed(clips, tuple(gain * matrix @ played for played in matrices), leaving))

    def _draw_clips(self, strip: Strip, source: str) -> None:
        clips, matrices, layout = self._placed_clips(strip)
        self._buffer(source, layout, latency=0)
        self.operations.append(specs.PlayClips(OperationId(strip.id, Role.CLIPS), source, clips, False, matrices))

    def _placed_clips(self, strip: Strip) -> tuple[tuple[specs.ClipPlacement, ...], tuple[Matrix, ...], Layout]:
        """A strip's clips, what each of their channels is to the strip, and the strip's channels."""
        clips = place_clips(strip.clips, self.media, sample_rate_hz=self.session.sample_rate_hz)
        ends = [clip.start_samples + clip.length_samples for clip in clips]
        self.length_samples = max([self.length_samples, *ends])
        files = [FILE_LAYOUTS[self.media[clip.media].shape[1]] for clip in clips]
        layout = source_layout(strip, files)
        return clips, tuple(file_matrix(file, layout) for file in files), layout

    def _draw_sum(self, strip: Strip, source: str) -> None:
        feeds = self.feeds[strip.id]
        latest = max((self._lag(feed) for feed in feeds), default=0)
        self._buffer(source, source_layout(strip, ()), latency=latest)
        if not any(isinstance(feed, _ClipFeed) for feed in feeds):
            self.operations.append(specs.Clear(OperationId(strip.id, Role.CLEAR), source))
        self._mix_all(OperationId(strip.id, Role.CLIPS), feeds, source, latest, adds=False)

    def _lag(self, feed: _Feed | _ClipFeed) -> int:
        return self.latency[feed.source] if isinstance(feed, _Feed) else 0

    def _mix_all(
        self, operation: OperationId, feeds: Sequence[_Feed | _ClipFeed], out: str, latest: int, *, adds: bool
    ) -> None:
        """Sum feeds; those that are clips first, all at once, added or not to what is there."""
        clip_feeds = [feed for feed in feeds if isinstance(feed, _ClipFeed)]
        if clip_feeds:
            clips = [played for feed in clip_feeds for played in self._played_into(feed, self.buffers[out])]
            self.operations.append(
                specs.PlayClips(
                    operation,
                    out,
                    tuple(replace(clip, start_samples=clip.start_samples + latest) for clip, _ in clips),
                    adds,
                    tuple(matrix for _, matrix in clips),
                )
            )
        for feed in feeds:
            if isinstance(feed, _Feed):
                self._mix(feed, out, latest)

    def _played_into(self, feed: _ClipFeed, layout: Layout) -> Iterator[tuple[specs.ClipPlacement, Matrix]]:
        """Clips and what their channels become where they join others; two channels meet halved in one."""
        joining = mixing_matrix(feed.layout, layout)
        for clip, matrix in zip(feed.clips, feed.matrices, strict=True):
            if layout == MONO:
                yield clip, matrix.mean(axis=0, keepdims=True)
            else:
                yield clip, matrix if joining is None else joining @ matrix

    def _mix(self, feed: _Feed, out: str, latest: int) -> None:
        delay = latest - self.latency[feed.source]
        matrix = mixing_matrix(self.buffers[feed.source], self.buffers[out])
        rows = None if matrix is None else tuple(tuple(float(gain) for gain in row) for row in matrix)
        self.operations.append(specs.MixInto(feed.id, feed.source, out, delay, rows, feed.gain))

    def _draw_input(self, strip: Strip, source: str) -> str:
        matrix = self.settings.pick_up(strip, self.buffers[source].n_channels)
        layout = _worked_on(self.buffers[source], matrix)
        if self._is_heard_only(strip) and np.array_equal(matrix, np.eye(self.buffers[source].n_channels)):
            work = source
        else:
            work = self._buffer(strip_buffer(strip.id, "work"), layout, latency=self.latency[source])
            meter = self._meter(strip, SOURCE)
            self.operations.append(
                specs.ApplyMatrix(OperationId(strip.id, Role.INPUT), source, work, meter, None, matrix)
            )
        if (strip.id, "pre-chain") in self.tapped or (self.keeps_pre_chain and strip.id == self.alone):
            tap = self._buffer(pre_chain_buffer(strip.id), layout, latency=self.latency[work])
            self.operations.append(specs.Copy(OperationId(strip.id, Role.PRE_CHAIN), work, tap))
        return work

    def _draw_chain(self, strip: Strip, chain: tuple[Processor, ...], buffer: str) -> None:
        for processor in chain:
            if processor.type == "parallel":
                self._draw_parallel(strip, processor, buffer)
            else:
                self._draw_processor(strip, processor, buffer)

    def _draw_processor(self, strip: Strip, processor: Simple, buffer: str) -> None:
        if isinstance(processor, Keyed):
            self._draw_turning(Turning(strip.id, processor, buffer, self.session.sample_rate_hz))
            return
        operation = OperationId(strip.id, Role.PROCESSOR, (processor.id,))
        lag, rate = self.latency[buffer], self.session.sample_rate_hz
        over_time = told_over_time(processor, self.session)
        told = tuple((s_to_samples(at_s, rate) + lag if at_s else 0, params) for at_s, params in over_time)
        self._process(operation, processor.type, buffer, told, processor.on)

    def _process(
        self,
        operation: OperationId,
        kind: str,
        buffer: str,
        told: tuple[tuple[int, FrozenModel], ...],
        on: bool,
    ) -> None:
        spec = process_spec(operation, kind, buffer, told, on=on, sample_rate_hz=self.session.sample_rate_hz)
        self.operations.append(spec)
        self.latency[buffer] += spec.latency_samples

    def _draw_late(self, strip: Strip, work: str) -> None:
        feeds = self.late_feeds[strip.id]
        if not feeds:
            return
        latest = max(self.latency[work], *(self._lag(feed) for feed in feeds))
        self._wait(OperationId(strip.id, Role.LATE_WAIT), work, latest - self.latency[work])
        self._mix_all(OperationId(strip.id, Role.LATE_CLIPS), feeds, work, latest, adds=True)

    def _draw_turning(self, turning: Turning) -> None:
        shape = turning.shape(self._draw_levels(turning, self._draw_key(turning)))
        self.signals[shape.reduction] = self.buffers[turning.buffer].n_channels
        self.operations.append(shape)
        self._wait(turning.id_of(Role.LOOKAHEAD), turning.buffer, shape.lookahead_samples)
        self.operations.append(turning.apply(shape.reduction))

    def _draw_key(self, turning: Turning) -> str:
        """The buffer that holds what it hears, its own signal or a key; who is earlier waits for the other."""
        key, buffer = turning.processor.key, turning.buffer
        source = buffer if key.source is None else self._tap(key.source, key.tap)
        if source == buffer and key.gain_db == 0.0 and key.filter == DetectorFilter():
            return buffer
        self._wait(turning.id_of(Role.KEY_WAIT), buffer, self.latency[source] - self.latency[buffer])
        heard_so = (source, key.gain_db, key.filter, self.latency[buffer])
        if source != buffer and heard_so in self.keys:
            return self.keys[heard_so]
        name = signal_name(turning.strip, turning.processor.id, "key")
        heard = self._buffer(name, self.buffers[source], latency=self.latency[buffer])
        self.operations.append(specs.Clear(turning.id_of(Role.KEY_CLEAR), heard))
        feed = _Feed(turning.id_of(Role.KEY), source, db_to_gain(key.gain_db))
        self._mix(feed, heard, self.latency[buffer])
        if key.filter != DetectorFilter():
            self._process(turning.id_of(Role.KEY_FILTER), "eq", heard, ((0, detector_eq(key.filter)),), True)
        if source != buffer:
            self.keys[heard_so] = heard
        return heard

    def _draw_levels(self, turning: Turning, heard: str) -> str:
        """The signal that holds the levels of what it hears."""
        pairs = self.buffers[heard] == self.buffers[turning.buffer]
        listening = (heard, pairs, turning.detection)
        is_shared = heard in self.keys.values()
        if is_shared and listening in self.levels:
            return self.levels[listening]
        levels = signal_name(turning.strip, turning.processor.id, "levels")
        self.signals[levels] = self.buffers[heard].n_channels
        self.operations.append(specs.Detect(turning.id_of(Role.DETECT), heard, levels, pairs, turning.detection))
        if is_shared:
            self.levels[listening] = levels
        return levels

    def _wait(self, operation: OperationId, buffer: str, n_samples: int) -> None:
        """Let a buffer come so much later, if that is later."""
        if n_samples > 0:
            self.operations.append(specs.Delay(operation, buffer, n_samples))
            self.latency[buffer] += n_samples

    def _draw_parallel(self, strip: Strip, block: Parallel, buffer: str) -> None:
        if block.on and block.lanes:
            self._draw_lanes(strip, block, buffer)
        level_db = block.level_db if block.on else 0.0
        operation = OperationId(strip.id, Role.PROCESSOR, (block.id,))
        told = ((0, GainParams.model_construct(level_db=level_db)),)
        self._process(operation, "gain", buffer, told, True)

    def _draw_lanes(self, strip: Strip, block: Parallel, buffer: str) -> None:
        any_solo = any(lane.solo for lane in block.lanes)
        feeds: list[_Feed] = []
        for lane in block.lanes:
            part = (block.id, lane.id)
            name = lane_buffer(strip.id, *part)
            self._buffer(name, self.buffers[buffer], latency=self.latency[buffer])
            self.operations.append(specs.Copy(OperationId(strip.id, Role.LANE_SPLIT, part), buffer, name))
            self._draw_chain(strip, lane.chain, name)
            self._shift(OperationId(strip.id, Role.LANE_SHIFT, part), lane, name)
            closed = lane.mute or (any_solo and not lane.solo)
            gain = 0.0 if closed else db_to_gain(lane.level_db)
            feeds.append(_Feed(OperationId(strip.id, Role.LANE, part), name, -gain if lane.polarity_inverted else gain))
        latest = max(self.latency[feed.source] for feed in feeds)
        self.operations.append(specs.Clear(OperationId(strip.id, Role.LANE_CLEAR, (block.id,)), buffer))
        for feed in feeds:
            self._mix(feed, buffer, latest)
        self.latency[buffer] = latest

    def _shift(self, operation: OperationId, lane: Lane, buffer: str) -> None:
        shift = ms_to_samples(lane.shift_ms, self.session.sample_rate_hz)
        if shift > 0:
            self.operations.append(specs.Delay(operation, buffer, shift))
        else:
            # A lane that is to come earlier counts as late: the others wait for it.
            self.latency[buffer] -= shift

    def _draw_output(self, strip: Strip, work: str) -> None:
        matrix = self.settings.output_matrix(strip, self.buffers[work].n_channels)
        leaving = leaving_layout(self.buffers[work])
        post = self._buffer(strip_buffer(strip.id, "post-fader"), leaving, latency=self.latency[work])
        before, after = self._meter(strip, PRE_FADER), self._meter(strip, POST_FADER)
        self.operations.append(specs.ApplyMatrix(OperationId(strip.id, Role.OUTPUT), work, post, before, after, matrix))
        if strip.output is not None:
            feed = _Feed(
                OperationId(strip.id, Role.OUTPUT_FEED, (strip.output,)), post, self.settings.output_gain(strip)
            )
            (self.late_feeds if strip.late else self.feeds)[strip.output].append(feed)
        for send in strip.sends:
            self.feeds[send.to].append(self._send_feed(strip, send))

    def _send_feed(self, strip: Strip, send: Send) -> _Feed:
        source = self._tap(strip.id, send.tap)
        gain = self.settings.send_gain(strip, send, self.buffers[source].n_channels)
        return _Feed(OperationId(strip.id, Role.SEND, (send.id,)), source, gain)

    def _meter(self, strip: Strip, stage: int) -> tuple[int, int] | None:
        return (self.index[strip.id], stage) if self.alone is None else None

    def _is_heard_only(self, strip: Strip) -> bool:
        return self.alone not in (None, strip.id)

    def _tap(self, strip_id: str, tap: Tap) -> str:
        # The chain works in place, so the work buffer is the pre-fader tap once the chain has run.
        return self.work[strip_id] if tap == "pre-fader" else strip_buffer(strip_id, tap)

    def _buffer(self, name: str, layout: Layout, *, latency: int) -> str:
        self.buffers[name] = layout
        self.latency[name] = latency
        return name


def _worked_on(source: Layout, pick_up: Matrix) -> Layout:
    """What a strip's chain works on: its source, or one channel taken from it."""
    return source if len(pick_up) == source.n_channels else MONO
