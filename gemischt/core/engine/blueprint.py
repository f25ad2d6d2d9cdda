"""From session to blueprint: order, buffers, gains, and delays wherever paths meet."""

from collections.abc import Collection, Iterator, Mapping
from dataclasses import dataclass, field, replace

import numpy as np

from gemischt.core.audio import MediaSamples
from gemischt.core.engine import specs
from gemischt.core.engine.buffer_names import (
    POST_FADER,
    PRE_FADER,
    SOURCE,
    Point,
    lane_buffer,
    point_buffer,
    pre_chain_buffer,
    signal_name,
    strip_buffer,
)
from gemischt.core.engine.clip_placing import place_clips, song_length_samples
from gemischt.core.engine.clocks import click_wave, clicks_of
from gemischt.core.engine.courses import courses_of, moves_by_strip
from gemischt.core.engine.followings import followings_of
from gemischt.core.engine.listening import Listening
from gemischt.core.engine.placement import Matrix, file_matrix, source_layout
from gemischt.core.engine.resolving import told_over_time
from gemischt.core.engine.settings import Ducking, FollowingStep, Settings, Turning, band_of, lane_gains, level_of
from gemischt.core.engine.sheet import ClipFeed, Feed, Sheet
from gemischt.core.engine.specs import OperationId, Role
from gemischt.core.parameters import FrozenModel
from gemischt.core.routing.graph import edges_of, keyed_processors, processing_order
from gemischt.core.session.addresses import placed
from gemischt.core.session.document import Keyed, Lane, Parallel, Processor, Send, Session, Simple, Strip, StripTap
from gemischt.core.session.ducking import notes_of, with_steps_in_chains
from gemischt.core.session.ducks import Steps, WrittenNotes
from gemischt.core.session.edits import find_processor
from gemischt.core.session.kinds import traits_of
from gemischt.core.session.steps import DuckStep, FollowerStep, followers_in, split_at_fader
from gemischt.core.space.layout import FILE_LAYOUTS, MONO, Layout
from gemischt.core.terms import Tap
from gemischt.core.units import db_to_gain, ms_to_samples, s_to_samples

TICKS_ON_S = 120.0
"""So long clocks go on ticking after the last clip."""


def draw_blueprint(
    session: Session,
    media: Mapping[str, MediaSamples],
    *,
    taps: Collection[StripTap] | None = None,
    points: Collection[Point] = (),
) -> specs.Blueprint:
    """Lay out the operations of a valid session.

    Args:
        media: decoded files by media id, shape (n_samples, n_channels), at the session's rate.
        taps: all that will be read; without, every strip has its meters. With taps there are none, and of strips that
            nobody reads the steps that change nothing now are left out: later settings may need another structure.
        points: buffers that are kept for whoever reads them, beside those that every strip has.

    Raises:
        KeyError: a clip's media is not in ``media``.
    """
    session = with_steps_in_chains(session)
    blueprint = _Drawing(session, media, taps, points).draw()
    return with_leaders(session, blueprint)


def with_leaders(
    session: Session, blueprint: specs.Blueprint, before: specs.Blueprint | None = None
) -> specs.Blueprint:
    """The blueprint with what moves and followers do to its operations.

    Args:
        before: a blueprint of the same structure; what leads as it did there stays.
    """
    settings, known = Settings(session), before or blueprint
    courses = courses_of(session, blueprint, settings, known.courses)
    return replace(blueprint, courses=courses, followings=followings_of(session, blueprint, settings, known.followings))


@dataclass
class _Drawing:
    session: Session
    media: Mapping[str, MediaSamples]
    taps: Collection[StripTap] | None
    points: Collection[Point] = ()
    feeds: dict[str, list[Feed | ClipFeed]] = field(default_factory=dict)
    # What joins a strip after its chain.
    late_feeds: dict[str, list[Feed | ClipFeed]] = field(default_factory=dict)
    # The buffer each strip's chain works in, where it is drawn.
    work: dict[str, str] = field(default_factory=dict)

    def draw(self) -> specs.Blueprint:
        session = self.session
        self.settings = Settings(session)
        self.sheet = Sheet(session.sample_rate_hz)
        self.listening = Listening(self.sheet, self._tap, self._key_moves)
        self.length_samples = song_length_samples(session, self.media)
        self.until_samples = self.length_samples + s_to_samples(TICKS_ON_S, session.sample_rate_hz)
        heard = [key for strip in session.strips for key in self._keys_of(strip)]
        self.tapped: set[StripTap] = {(edge.source, edge.tap) for edge in edges_of(session)} | set(heard)
        self.tapped |= set(self.taps or ()) | {(point.strip, point.tap) for point in self.points}
        self.kept = {(point.strip, point.after): point for point in self.points if point.after is not None}
        self.triggers = {source for source, _ in heard}
        self.moves = moves_by_strip(session)
        self.index = {strip.id: index for index, strip in enumerate(session.strips)}
        self.feeds = {strip.id: [] for strip in session.strips}
        self.late_feeds = {strip.id: [] for strip in session.strips}
        for strip_id in processing_order(session):
            self._draw_strip(session.strip(strip_id))
        output = strip_buffer(session.mix.id, "post-fader")
        return specs.Blueprint(
            sample_rate_hz=session.sample_rate_hz,
            buffers=tuple(self.sheet.buffers.items()),
            signals=tuple(self.sheet.signals.items()),
            specs=tuple(self.sheet.operations),
            strips=tuple(strip.id for strip in session.strips),
            output=output,
            latency_samples=self.sheet.lags[output],
            length_samples=self.length_samples,
            lags=self.sheet.lags,
            lags_at=self.sheet.lags_at,
        )

    def _key_moves(self, strip_id: str, processor_id: str) -> bool:
        """Whether a move or a follower leads what a processor listens to."""
        field = f"chain/{processor_id}/key/"
        led = [move.target.removeprefix(f"strips/{strip_id}/") for move in self.moves.get(strip_id, ())]
        for step in followers_in(self.session.strip(strip_id).chain):
            led += [pull.field for pull in step.params.pulls] if isinstance(step, FollowerStep) else []
        return any(one.startswith(field) for one in led)

    def _keys_of(self, strip: Strip) -> Iterator[StripTap]:
        for processor in keyed_processors(strip):
            if processor.key.source is not None:
                yield processor.key.source, processor.key.tap

    def _draw_strip(self, strip: Strip) -> None:
        if self._goes_straight(strip):
            self._feed_clips(strip)
            return
        if self._stays_silent(strip):
            for point in ("source", "post-fader"):
                self.sheet.buffer(strip_buffer(strip.id, point), source_layout(strip, ()), lag=0)
            return
        source = strip_buffer(strip.id, "source")
        for step in followers_in(strip.chain):
            # They may lead all that comes, but those that hear the strip itself come behind its input.
            if isinstance(step, FollowerStep) and step.key.source not in (None, strip.id):
                self.listening.draw_follower(FollowingStep(strip.id, step, source))
        if traits_of(strip).plays_clips:
            self._draw_clips(strip, source)
        else:
            self._draw_sum(strip, source)
        shares = [signal_name(strip.id, step.id, "share") for step in followers_in(strip.chain)]
        latest = max((self.sheet.lags[share] for share in shares if share in self.sheet.lags), default=0)
        self.sheet.wait(OperationId(strip.id, Role.FOLLOW_WAIT), source, latest - self.sheet.lags[source])
        work = self.work[strip.id] = self._draw_input(strip, source)
        chain, behind_fader = split_at_fader(strip.chain)
        self._draw_chain(strip, chain, work)
        self._draw_late(strip, work)
        self._draw_output(strip, self._behind_fader(strip, behind_fader, work) if behind_fader else work)

    def _behind_fader(self, strip: Strip, steps: tuple[Processor, ...], work: str) -> str:
        """What steps make of it that work behind the fader, in a buffer of its own: taps before the fader pass them by.
        Fader and pan turn all channels as they are, so that they may as well follow."""
        layout = self.sheet.buffers[work]
        behind = self.sheet.buffer(strip_buffer(strip.id, "behind fader"), layout, lag=self.sheet.lags[work])
        meter, same = self._meter(strip, PRE_FADER), np.eye(layout.n_channels)
        operation = OperationId(strip.id, Role.BEHIND_FADER)
        self.sheet.add(specs.ApplyMatrix(operation, work, behind, meter, None, same))
        self._draw_chain(strip, steps, behind)
        return behind

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
        leaving = self.settings.leaving_layout(strip, _worked_on(layout, matrix))
        matrix = self.settings.output_matrix(strip, len(matrix)) @ matrix
        if strip.output is not None:
            feed = ClipFeed(clips, tuple(matrix @ played for played in matrices), leaving)
            (self.late_feeds if strip.late else self.feeds)[strip.output].append(feed)
        for send in strip.sends:
            gain = db_to_gain(send.level_db) if send.on else 0.0
            self.feeds[send.to].append(ClipFeed(clips, tuple(gain * matrix @ played for played in matrices), leaving))

    def _draw_clips(self, strip: Strip, source: str) -> None:
        clips, matrices, layout = self._placed_clips(strip)
        self.sheet.buffer(source, layout, lag=0)
        self.sheet.add(specs.PlayClips(OperationId(strip.id, Role.CLIPS), source, clips, False, matrices))
        if strip.pattern is not None:
            self._draw_clicks(strip, strip.pattern, source)

    def _draw_clicks(self, strip: Strip, pattern: Steps | WrittenNotes, source: str) -> None:
        session, rate = self.session, self.session.sample_rate_hz
        when = pattern if isinstance(pattern, Steps) else notes_of(pattern, session.note_tracks)
        starts, velocities = clicks_of(when, session.tempo, rate, self.until_samples)
        wave = click_wave(strip.click, rate)
        operation = OperationId(strip.id, Role.GHOST_CLICKS)
        self.sheet.add(
            specs.Clicks(operation, source, tuple(starts.tolist()), tuple(velocities.tolist()), tuple(wave.tolist()))
        )

    def _placed_clips(self, strip: Strip) -> tuple[tuple[specs.ClipPlacement, ...], tuple[Matrix, ...], Layout]:
        """A strip's clips, what each of their channels is to the strip, and the strip's channels."""
        clips = place_clips(strip.clips, self.media, sample_rate_hz=self.session.sample_rate_hz)
        files = [FILE_LAYOUTS[self.media[clip.media].shape[1]] for clip in clips]
        layout = source_layout(strip, files)
        return clips, tuple(file_matrix(file, layout) for file in files), layout

    def _draw_sum(self, strip: Strip, source: str) -> None:
        feeds = self.feeds[strip.id]
        latest = max((self.sheet.lag_of(feed) for feed in feeds), default=0)
        self.sheet.buffer(source, source_layout(strip, ()), lag=latest)
        if not any(isinstance(feed, ClipFeed) for feed in feeds):
            self.sheet.add(specs.Clear(OperationId(strip.id, Role.CLEAR), source))
        self.sheet.mix_all(OperationId(strip.id, Role.CLIPS), feeds, source, latest, adds=False)

    def _draw_input(self, strip: Strip, source: str) -> str:
        matrix = self.settings.pick_up(strip, self.sheet.buffers[source].n_channels)
        layout = _worked_on(self.sheet.buffers[source], matrix)
        if self._is_heard_only(strip) and np.array_equal(matrix, np.eye(self.sheet.buffers[source].n_channels)):
            work = source
        else:
            work = self.sheet.buffer(strip_buffer(strip.id, "work"), layout, lag=self.sheet.lags[source])
            meter = self._meter(strip, SOURCE)
            self.sheet.add(specs.ApplyMatrix(OperationId(strip.id, Role.INPUT), source, work, meter, None, matrix))
        if (strip.id, "pre-chain") in self.tapped:
            tap = self.sheet.buffer(pre_chain_buffer(strip.id), layout, lag=self.sheet.lags[work])
            self.sheet.add(specs.Copy(OperationId(strip.id, Role.PRE_CHAIN), work, tap))
        return work

    def _draw_chain(self, strip: Strip, chain: tuple[Processor, ...], buffer: str) -> None:
        for processor in chain:
            if processor.type == "parallel":
                self._draw_parallel(strip, processor, buffer)
            else:
                self._draw_processor(strip, processor, buffer)
            self._keep(strip, processor.id, buffer)

    def _keep(self, strip: Strip, part: str, buffer: str) -> None:
        """Keep what a buffer holds now, behind a processor or a lane, if somebody reads it there."""
        point = self.kept.get((strip.id, part))
        if point is not None:
            kept = self.sheet.buffer(point_buffer(point), self.sheet.buffers[buffer], lag=self.sheet.lags[buffer])
            self.sheet.add(specs.Copy(OperationId(strip.id, Role.KEPT, (part,)), buffer, kept))

    def _draw_processor(self, strip: Strip, processor: Simple, buffer: str) -> None:
        if isinstance(processor, FollowerStep):
            if processor.key.source in (None, strip.id):
                self.listening.draw_follower(FollowingStep(strip.id, processor, buffer))
            return
        if isinstance(processor, DuckStep):
            ducking = Ducking(strip.id, processor, buffer, self.session.sample_rate_hz)
            self.listening.draw_duck(ducking, self.until_samples)
            return
        if isinstance(processor, Keyed):
            self.listening.draw(Turning(strip.id, processor, buffer, self.session.sample_rate_hz))
            return
        operation = OperationId(strip.id, Role.PROCESSOR, (processor.id,))
        lag, rate = self.sheet.lags[buffer], self.session.sample_rate_hz
        over_time = told_over_time(processor, self.session)
        told = tuple((s_to_samples(at_s, rate) + lag if at_s else 0, params) for at_s, params in over_time)
        self.sheet.process(
            operation, processor.type, buffer, told, on=processor.on, reaches=self._reached(strip, processor)
        )

    def _reached(self, strip: Strip, processor: Simple) -> Iterator[FrozenModel]:
        """Parameters that moves lead a processor to."""
        address = f"strips/{strip.id}/chain/{processor.id}/"
        for move in self.moves.get(strip.id, ()):
            if move.target.startswith(address):
                for value in {point.value for point in move.points}:
                    led = find_processor(placed(self.session, move.target, value).strip(strip.id), processor.id)
                    if led.type != "parallel":
                        yield from (params for _, params in told_over_time(led, self.session))

    def _draw_late(self, strip: Strip, work: str) -> None:
        feeds = self.late_feeds[strip.id]
        if not feeds:
            return
        latest = max(self.sheet.lags[work], *(self.sheet.lag_of(feed) for feed in feeds))
        self.sheet.wait(OperationId(strip.id, Role.LATE_WAIT), work, latest - self.sheet.lags[work])
        self.sheet.mix_all(OperationId(strip.id, Role.LATE_CLIPS), feeds, work, latest, adds=True)

    def _draw_parallel(self, strip: Strip, block: Parallel, buffer: str) -> None:
        if block.on and block.lanes:
            self._draw_lanes(strip, block, buffer)
        operation = OperationId(strip.id, Role.PROCESSOR, (block.id,))
        self.sheet.process(operation, "gain", buffer, ((0, level_of(block)),), on=True)

    def _draw_lanes(self, strip: Strip, block: Parallel, buffer: str) -> None:
        gains = lane_gains(block)
        feeds: list[Feed] = []
        for lane in block.lanes:
            part = (block.id, lane.id)
            name = lane_buffer(strip.id, *part)
            self.sheet.buffer(name, self.sheet.buffers[buffer], lag=self.sheet.lags[buffer])
            self.sheet.add(specs.Copy(OperationId(strip.id, Role.LANE_SPLIT, part), buffer, name))
            band = band_of(block, lane.id)
            if band is not None:
                self.sheet.process(OperationId(strip.id, Role.LANE_BAND, part), "band", name, ((0, band),), on=True)
            self._draw_chain(strip, lane.chain, name)
            self._shift(OperationId(strip.id, Role.LANE_SHIFT, part), lane, name)
            self._keep(strip, lane.id, name)
            feeds.append(Feed(OperationId(strip.id, Role.LANE, part), name, gains[lane.id]))
        latest = max(self.sheet.lags[feed.source] for feed in feeds)
        self.sheet.add(specs.Clear(OperationId(strip.id, Role.LANE_CLEAR, (block.id,)), buffer))
        for feed in feeds:
            self.sheet.mix(feed, buffer, latest)
        self.sheet.lags[buffer] = latest

    def _shift(self, operation: OperationId, lane: Lane, buffer: str) -> None:
        shift = ms_to_samples(lane.shift_ms, self.session.sample_rate_hz)
        if shift > 0:
            self.sheet.add(specs.Delay(operation, buffer, shift))
        else:
            # A lane that is to come earlier counts as late: the others wait for it.
            self.sheet.lags[buffer] -= shift

    def _draw_output(self, strip: Strip, work: str) -> None:
        matrix = self.settings.output_matrix(strip, self.sheet.buffers[work].n_channels)
        leaving = self.settings.leaving_layout(strip, self.sheet.buffers[work])
        post = self.sheet.buffer(strip_buffer(strip.id, "post-fader"), leaving, lag=self.sheet.lags[work])
        before = self._meter(strip, PRE_FADER) if work == self.work[strip.id] else None
        after = self._meter(strip, POST_FADER)
        self.sheet.add(specs.ApplyMatrix(OperationId(strip.id, Role.OUTPUT), work, post, before, after, matrix))
        if strip.output is not None:
            feed = Feed(
                OperationId(strip.id, Role.OUTPUT_FEED, (strip.output,)), post, self.settings.output_gain(strip)
            )
            (self.late_feeds if strip.late else self.feeds)[strip.output].append(feed)
        for send in strip.sends:
            self.feeds[send.to].append(self._send_feed(strip, send))

    def _send_feed(self, strip: Strip, send: Send) -> Feed:
        source = self._tap(strip.id, send.tap)
        gain = self.settings.send_gain(strip, send, self.sheet.buffers[source].n_channels)
        return Feed(OperationId(strip.id, Role.SEND, (send.id,)), source, gain)

    def _meter(self, strip: Strip, stage: int) -> tuple[int, int] | None:
        return (self.index[strip.id], stage) if self.taps is None else None

    def _is_heard_only(self, strip: Strip) -> bool:
        """Whether nobody reads it, and nothing leads it: it is only heard where it plays to."""
        read = self.taps is None or any(strip_id == strip.id for strip_id, _ in self.taps)
        return not read and strip.id not in self.moves and not followers_in(strip.chain)

    def _tap(self, strip_id: str, tap: Tap) -> str:
        # The chain works in place, so the work buffer is the pre-fader tap once the chain has run.
        return self.work[strip_id] if tap == "pre-fader" else strip_buffer(strip_id, tap)


def _worked_on(source: Layout, pick_up: Matrix) -> Layout:
    """What a strip's chain works on: its source, or one channel taken from it."""
    return source if len(pick_up) == source.n_channels else MONO
