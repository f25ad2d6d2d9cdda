"""Measuring a whole session: every strip at every stage, rendering only what an edit has changed.

Strips are rendered one by one in the order of the signal. What a strip is before its fader is kept; a strip further on
plays it again instead of rendering it. What was measured is kept under the fingerprint of all that feeds it.
"""

import dataclasses
from collections.abc import Callable, Iterator, Mapping
from concurrent.futures import FIRST_COMPLETED, Executor, Future, wait
from dataclasses import dataclass
from typing import Any, Literal

import numpy as np

from gemischt.core.analysis.alone import Alone, StripTap, pre_chain_taps, strip_alone, strip_from_its_fader
from gemischt.core.analysis.fingerprints import SILENCE, StripPrints, fingerprints
from gemischt.core.analysis.listening import Media, Report, no_report
from gemischt.core.analysis.renders import RenderStore
from gemischt.core.analysis.turning import Turn, turn_of, turned
from gemischt.core.audio import Audio, MediaSamples
from gemischt.core.engine.blueprint import draw_blueprint, work_buffer
from gemischt.core.engine.operations import ProcessOperation
from gemischt.core.engine.plan import Plan
from gemischt.core.metering.stage_meter import StageLevels, StageMeter
from gemischt.core.metering.stereo import StereoLevels, StereoMeter
from gemischt.core.processors.compressor import DynamicsProcessor
from gemischt.core.routing.graph import edges_of, walk_chain
from gemischt.core.session.document import Session, Strip

BLOCK_SAMPLES = 16384
N_BINS = 1200
ENVELOPE_STEPS = 5
FLOOR_LUFS = -150.0
_HEARING_DBFS = -60.0
_WORKING_DB = 0.5
StageName = Literal["source", "trim", "processor", "pre-fader", "post-fader"]


@dataclass(frozen=True)
class Stage:
    """A strip's signal at one stage; ``processor`` names it where the stage is what a processor leaves."""

    name: StageName
    processor: str | None
    levels: StageLevels


@dataclass(frozen=True)
class Reduction:
    """How a compressor or limiter worked: deepest reduction, loudest level it heard, and how much of the time that it
    heard something it turned down by more than half a decibel."""

    processor: str
    deepest_db: float
    detected_dbfs: float
    working_share: float


@dataclass(frozen=True)
class StripMeasurement:
    """Everything measured of a strip; ``noise_dbfs`` is the RMS before its first note, None if it begins at once;
    ``envelope_db`` the source's RMS in each twentieth of a second."""

    strip: str
    stages: tuple[Stage, ...]
    reductions: tuple[Reduction, ...]
    stereo: StereoLevels | None
    onset_s: float | None
    noise_dbfs: float | None
    envelope_db: tuple[float, ...]

    def stage(self, name: StageName, processor: str | None = None) -> StageLevels:
        """The levels at a stage; KeyError if there is no such stage."""
        for stage in self.stages:
            if stage.name == name and stage.processor == processor:
                return stage.levels
        raise KeyError((name, processor))


@dataclass(frozen=True)
class MixCurve:
    """The mix over the song in equal bins: highest magnitude, and short-term loudness at each bin's end."""

    peaks: tuple[float, ...]
    short_term_lufs: tuple[float, ...]


@dataclass(frozen=True)
class SongMeasurement:
    """A measured session. ``rendered`` counts strips that had to be rendered this time, with or without their chain."""

    duration_s: float
    strips: dict[str, StripMeasurement]
    curve: MixCurve
    rendered: int


def measure_song(
    session: Session,
    media: Media,
    media_hashes: Mapping[str, str],
    store: RenderStore,
    *,
    report: Report = no_report,
    pool: Executor | None = None,
) -> SongMeasurement:
    """Measure every strip at every stage, from the beginning to the end of the last clip.

    Args:
        media_hashes: hash of the content of each media id.
        store: where rendered audio and figures are found and kept.
        report: called often with the share that is done; what it raises stops the work.
        pool: where strips that do not wait for each other are rendered side by side.
    """
    length = draw_blueprint(session, media).length_samples
    prints = fingerprints(session, media_hashes, length)
    work = _Measuring(session, media, prints, store, length, report)
    strips = work.run(pool)
    return SongMeasurement(
        duration_s=length / session.sample_rate_hz,
        strips=strips,
        curve=_curve_from(store.figures(_curve_key(prints[session.mix.id])) or {}),
        rendered=work.rendered,
    )


@dataclass
class _Measuring:
    session: Session
    media: Media
    prints: Mapping[str, StripPrints]
    store: RenderStore
    length: int
    report: Report
    rendered: int = 0
    _done: int = 0

    def run(self, pool: Executor | None) -> dict[str, StripMeasurement]:
        """Every strip, in document order; with a pool, those that are ready at the same time."""
        waiting = self._dependencies()
        found: dict[str, StripMeasurement] = {}
        running: dict[Future[StripMeasurement], str] = {}
        try:
            while waiting or running:
                ready = [strip_id for strip_id, sources in waiting.items() if sources <= found.keys()]
                for strip_id in ready:
                    del waiting[strip_id]
                    if pool is None:
                        found[strip_id] = self._measure(strip_id)
                        self._advance()
                    else:
                        running[pool.submit(self._measure, strip_id)] = strip_id
                if running:
                    finished, _ = wait(running, return_when=FIRST_COMPLETED)
                    for future in finished:
                        found[running.pop(future)] = future.result()
                        self._advance()
        finally:
            for future in running:
                future.cancel()
        return {strip.id: found[strip.id] for strip in self.session.strips}

    def _dependencies(self) -> dict[str, set[str]]:
        sources: dict[str, set[str]] = {strip.id: set() for strip in self.session.strips}
        for edge in edges_of(self.session):
            if edge.source != edge.destination:
                sources[edge.destination].add(edge.source)
        return sources

    def _advance(self) -> None:
        self._done += 1
        self._tell()

    def _tell(self) -> None:
        self.report(self._done / len(self.session.strips))

    def _measure(self, strip_id: str) -> StripMeasurement:
        strip = self.session.strip(strip_id)
        prints = self.prints[strip_id]
        if any(self.store.figures(key) is None for key in self._figure_keys(strip, prints)):
            self._render_with_chain(strip)
        turn = self._turn(strip, prints)
        if turn is None and self.store.figures(_post_key(prints)) is None:
            self._render_from_fader(strip)
        return self._gather(strip, prints, turn)

    def _figure_keys(self, strip: Strip, prints: StripPrints) -> list[str]:
        """Where the strip's figures up to its fader are kept."""
        keys = [prints.source, *prints.chain, _pre_key(prints)]
        return [*keys, prints.pre_chain] if _measures_trim(strip) else keys

    def _turn(self, strip: Strip, prints: StripPrints) -> Turn | None:
        """What fader and pan do to the figures, where that is arithmetic."""
        if strip.kind == "mix":
            # Its curve over the song is wanted.
            return None
        found = self.store.figures(_pre_key(prints)) or {}
        turn = turn_of(self.session, strip, int(found["channels"]), prints.heard_gain)
        if turn is not None and turned(levels_from_json(found), turn).sample_peak_dbfs > 0.0:
            # How many samples are over can only be counted.
            return None
        return turn

    def _has_late_feeds(self, prints: StripPrints) -> bool:
        return prints.pre_fader != (prints.chain[-1] if prints.chain else prints.pre_chain)

    def _render_with_chain(self, strip: Strip) -> None:
        self._render(strip, strip_alone(self.session, strip, self.prints), with_chain=True)

    def _render_from_fader(self, strip: Strip) -> None:
        self._render(strip, strip_from_its_fader(self.session, strip, self.prints), with_chain=False)

    def _audio(self, tap: StripTap) -> MediaSamples:
        strip_id, point = tap
        prints = self.prints[strip_id]
        fingerprint = prints.at(point)
        samples = self.store.audio(fingerprint)
        if samples is None:
            self._render_with_chain(self.session.strip(strip_id))
            samples = self.store.audio(fingerprint)
        if samples is None:
            raise LookupError(f"the render of {strip_id} was not kept")
        return samples

    def _render(self, strip: Strip, alone: Alone, *, with_chain: bool) -> None:
        self.rendered += 1
        media = {**self.media, **{media_id: self._audio(tap) for media_id, tap in alone.taps.items()}}
        plan = Plan(draw_blueprint(alone.session, media), media, max_block=BLOCK_SAMPLES)
        rate = self.session.sample_rate_hz
        prints = self.prints[strip.id]
        watching = _Watching(plan, strip, rate)
        keepers: list[_Keeper] = []
        if with_chain:
            watching.chain(strip, measures_trim=_measures_trim(strip), late=self._has_late_feeds(prints))
            if not plays_itself(strip):
                keepers.append(_Keeper(self.store, prints.pre_fader, plan, work_buffer(strip.id)))
            if strip.id in pre_chain_taps(self.session) and strip.kind not in ("track", "ghost"):
                keepers.append(_Keeper(self.store, prints.pre_chain, plan, f"{strip.id}/pre-chain"))
        if not with_chain or strip.kind == "mix":
            watching.output(curve=strip.kind == "mix", length=self.length)
        try:
            self._run(plan, watching, keepers)
        except BaseException:
            for keeper in keepers:
                keeper.writer.discard()
            raise
        for keeper in keepers:
            keeper.writer.finish()
        self._keep(strip, prints, watching, with_chain=with_chain)

    def _run(self, plan: Plan, watching: "_Watching", keepers: list["_Keeper"]) -> None:
        total = self.length + max(plan.blueprint.lags.values(), default=0)
        position = 0
        while position < total:
            n_samples = min(BLOCK_SAMPLES, total - position)
            plan.run_watched(position, n_samples, watching.watchers)
            for keeper in keepers:
                keeper.take(n_samples)
            position += n_samples
            self._tell()

    def _keep(self, strip: Strip, prints: StripPrints, watching: "_Watching", *, with_chain: bool) -> None:
        keep = self.store.keep_figures
        if with_chain:
            meters = watching.meters
            onset_s, noise_dbfs = _onset_of(meters["source"])
            first_note = {"onset_s": onset_s, "noise_dbfs": _finite(noise_dbfs)}
            at_end = levels_to_json(meters["source"].levels())
            keep(prints.source, at_end | first_note | {"envelope_db": _envelope_of(meters["source"])})
            if "trim" in meters:
                at_end = levels_to_json(meters["trim"].levels())
                keep(prints.pre_chain, at_end)
            else:
                turn = Turn.by_db(strip.trim_db)
                at_end = levels_to_json(turned(meters["source"].levels(), turn))
            for processor, fingerprint in zip(strip.chain, prints.chain, strict=True):
                at_end = levels_to_json(meters[processor.id].levels())
                reductions = [
                    [inner.id, *watching.reductions[inner.id].figures()]
                    for inner in walk_chain((processor,))
                    if inner.id in watching.reductions
                ]
                keep(fingerprint, at_end | {"reductions": reductions})
            if "late" in meters:
                at_end = levels_to_json(meters["late"].levels())
            keep(_pre_key(prints), at_end | {"channels": watching.n_channels, "stereo": watching.stereo_figures()})
        if "post-fader" in watching.meters:
            post = levels_to_json(watching.meters["post-fader"].levels())
            keep(_post_key(prints), post | {"stereo": watching.post_stereo_figures()})
        if watching.curve is not None:
            keep(_curve_key(prints), watching.curve.figures(watching.meters["post-fader"]))

    def _gather(self, strip: Strip, prints: StripPrints, turn: Turn | None) -> StripMeasurement:
        def figures(key: str) -> dict[str, Any]:
            found = self.store.figures(key)
            if found is None:
                raise LookupError(f"the figures of {strip.id} were not kept")
            return found

        source = figures(prints.source)
        levels = levels_from_json(source)
        stages = [Stage("source", None, levels)]
        trimmed = (
            levels_from_json(figures(prints.pre_chain))
            if _measures_trim(strip)
            else turned(levels, Turn.by_db(strip.trim_db))
        )
        stages.append(Stage("trim", None, trimmed))
        reductions: list[Reduction] = []
        for processor, fingerprint in zip(strip.chain, prints.chain, strict=True):
            found = figures(fingerprint)
            stages.append(Stage("processor", processor.id, levels_from_json(found)))
            reductions.extend(Reduction(*values) for values in found["reductions"])
        pre = figures(_pre_key(prints))
        stages.append(Stage("pre-fader", None, levels_from_json(pre)))
        post = figures(_post_key(prints)) if turn is None else None
        after = levels_from_json(pre) if turn is None else turned(levels_from_json(pre), turn)
        stages.append(Stage("post-fader", None, after if post is None else levels_from_json(post)))
        return StripMeasurement(
            strip=strip.id,
            stages=tuple(stages),
            reductions=tuple(reductions),
            stereo=_stereo_from((post or pre)["stereo"], turn),
            onset_s=source["onset_s"],
            noise_dbfs=source["noise_dbfs"],
            envelope_db=tuple(source["envelope_db"]),
        )


def plays_itself(strip: Strip) -> bool:
    """Whether a strip's audio before the fader is cheaper played from its clips than kept."""
    return strip.kind in ("track", "ghost") and not strip.chain


class _Keeper:
    """Writes one buffer of a plan to the store, its lag taken off."""

    def __init__(self, store: RenderStore, fingerprint: str, plan: Plan, buffer: str) -> None:
        self._buffer = plan.buffers[buffer]
        self._skip = plan.blueprint.lags[buffer]
        self.writer = store.writer(fingerprint, self._buffer.shape[0])

    def take(self, n_samples: int) -> None:
        skipped = min(self._skip, n_samples)
        self._skip -= skipped
        if skipped < n_samples:
            self.writer.write(self._buffer[:, skipped:n_samples].T.astype(np.float32))


class _ReductionMeter:
    """What a compressor or limiter did, block by block."""

    def __init__(self) -> None:
        self._deepest_db = 0.0
        self._detected_dbfs = -200.0
        self._hearing = 0
        self._working = 0

    def take(self, operation: ProcessOperation, n_samples: int) -> None:
        assert operation.dynamics is not None
        reduction_db = operation.dynamics.deepest_reduction_db(n_samples)
        processor = operation.processor
        detected = processor.loudest_detected_db(n_samples) if isinstance(processor, DynamicsProcessor) else 0.0
        self._deepest_db = max(self._deepest_db, reduction_db)
        self._detected_dbfs = max(self._detected_dbfs, detected)
        if detected > _HEARING_DBFS:
            self._hearing += 1
            self._working += reduction_db > _WORKING_DB

    def figures(self) -> tuple[float, float, float]:
        return self._deepest_db, self._detected_dbfs, self._working / self._hearing if self._hearing else 0.0


class _CurveMeter:
    """Highest magnitude in each of the bins of a song."""

    def __init__(self, length: int) -> None:
        self._length = max(1, length)
        self._peaks = np.zeros(N_BINS)
        self._done = 0

    def take(self, audio: Audio, n_samples: int) -> None:
        bins = np.minimum(((self._done + np.arange(n_samples)) * N_BINS) // self._length, N_BINS - 1)
        np.maximum.at(self._peaks, bins, np.abs(audio[:, :n_samples]).max(axis=0))
        self._done += n_samples

    def figures(self, meter: StageMeter) -> dict[str, Any]:
        loudness = meter.short_term_lufs()
        ends = (np.arange(1, N_BINS + 1) * len(loudness)) // N_BINS - 1
        shown = np.maximum(loudness[np.maximum(ends, 0)], FLOOR_LUFS) if len(loudness) else np.full(N_BINS, FLOOR_LUFS)
        return {
            "peaks": [round(float(peak), 4) for peak in self._peaks],
            "short_term_lufs": [round(float(level), 1) for level in shown],
        }


class _Watching:
    """Meters at the steps of a plan that measure one strip."""

    def __init__(self, plan: Plan, strip: Strip, sample_rate_hz: int) -> None:
        self._plan = plan
        self._strip = strip.id
        self._rate = sample_rate_hz
        self._work = plan.buffers[work_buffer(strip.id)]
        self._post = plan.buffers[f"{strip.id}/post-fader"]
        self.watchers: dict[tuple[str, ...], Callable[[Any, int], None]] = {(strip.id, "output"): self._at_output}
        self.meters: dict[str, StageMeter] = {}
        self.reductions: dict[str, _ReductionMeter] = {}
        self.curve: _CurveMeter | None = None
        self._stereo: StereoMeter | None = None
        self._post_stereo: StereoMeter | None = None

    @property
    def n_channels(self) -> int:
        """Channels the strip's chain works on."""
        return int(self._work.shape[0])

    def stereo_figures(self) -> dict[str, Any] | None:
        """What its two channels do before the fader; None for one channel."""
        return _stereo_to_json(self._stereo)

    def post_stereo_figures(self) -> dict[str, Any] | None:
        """What they do after it."""
        return _stereo_to_json(self._post_stereo)

    def chain(self, strip: Strip, *, measures_trim: bool, late: bool) -> None:
        """Measure source, trim, and what each processor leaves."""
        source = self._plan.buffers[f"{strip.id}/source"]
        self._meter("source", source)
        if measures_trim:
            self._meter("trim", self._work)
        if late:
            self._meter("late", self._work)
        if self.n_channels == 2:
            self._stereo = StereoMeter(self._rate)

        def at_input(_operation: Any, n_samples: int) -> None:
            self.meters["source"].process(source, n_samples)
            if measures_trim:
                self.meters["trim"].process(self._work, n_samples)

        self.watchers[strip.id, "input"] = at_input
        own = {processor.id for processor in strip.chain}
        for processor in walk_chain(strip.chain):
            operation = self._plan.operations.get((strip.id, processor.id))
            if isinstance(operation, ProcessOperation):
                self._watch_processor(processor.id, operation, measured=processor.id in own)

    def output(self, *, curve: bool, length: int) -> None:
        """Measure what leaves the fader."""
        self._meter("post-fader", self._post)
        self._post_stereo = StereoMeter(self._rate)
        self.curve = _CurveMeter(length) if curve else None

    def _at_output(self, _operation: Any, n_samples: int) -> None:
        if "late" in self.meters:
            self.meters["late"].process(self._work, n_samples)
        if self._stereo is not None:
            self._stereo.process(self._work, n_samples)
        if self._post_stereo is not None:
            self.meters["post-fader"].process(self._post, n_samples)
            self._post_stereo.process(self._post, n_samples)
        if self.curve is not None:
            self.curve.take(self._post, n_samples)

    def _meter(self, name: str, buffer: Audio) -> None:
        self.meters[name] = StageMeter(self._rate, buffer.shape[0], max_block=BLOCK_SAMPLES)

    def _watch_processor(self, processor_id: str, operation: ProcessOperation, *, measured: bool) -> None:
        if measured:
            self._meter(processor_id, operation.buffer)
        if operation.dynamics is not None:
            self.reductions[processor_id] = _ReductionMeter()

        def after(done: ProcessOperation, n_samples: int) -> None:
            if measured:
                self.meters[processor_id].process(done.buffer, n_samples)
            if processor_id in self.reductions:
                self.reductions[processor_id].take(done, n_samples)

        self.watchers[self._strip, processor_id] = after


def _measures_trim(strip: Strip) -> bool:
    """Trim is arithmetic unless it may bring overs or the pick-up changes the signal."""
    return strip.trim_db > 0.0 or strip.input != "as-is"


def _onset_of(meter: StageMeter) -> tuple[float | None, float]:
    """When the first note begins, and the RMS before it: it stands 30 dB under the loudest 10 ms. Common practice, no
    source."""
    powers = meter.step_powers()
    if not len(powers) or powers.max() == 0.0:
        return None, -np.inf
    first = int(np.argmax(powers > powers.max() * 1e-3))
    # A note's own rise belongs to it.
    before = powers[: max(0, first - 5)]
    noise = 10.0 * float(np.log10(before.mean())) if len(before) and before.mean() > 0.0 else -np.inf
    return first / 100.0, noise


def _envelope_of(meter: StageMeter) -> list[float]:
    powers = meter.step_powers()
    whole = len(powers) // ENVELOPE_STEPS * ENVELOPE_STEPS
    means = powers[:whole].reshape(-1, ENVELOPE_STEPS).mean(axis=1)
    return [round(float(level), 1) for level in 10.0 * np.log10(np.maximum(means, 1e-12))]


def levels_to_json(levels: StageLevels) -> dict[str, Any]:
    """Levels with null for minus infinity."""
    return {name: _finite(value) for name, value in dataclasses.asdict(levels).items()}


def levels_from_json(figures: Mapping[str, Any]) -> StageLevels:
    """What levels_to_json wrote; further fields are passed over."""
    values = {field.name: figures[field.name] for field in dataclasses.fields(StageLevels)}
    for name, value in values.items():
        if value is None and name not in ("loudness_range_lu", "first_over_s"):
            values[name] = -np.inf
    return StageLevels(**values)


def _finite(value: Any) -> Any:
    return None if isinstance(value, float) and not np.isfinite(value) else value


def _stereo_to_json(meter: StereoMeter | None) -> dict[str, Any] | None:
    if meter is None:
        return None
    return {name: _finite(value) for name, value in dataclasses.asdict(meter.levels()).items()}


def _stereo_from(figures: Mapping[str, Any] | None, turn: Turn | None) -> StereoLevels | None:
    """Stereo figures after the fader; None for one channel, which has no width, wherever it is panned."""
    if figures is None:
        return None
    values = {name: -np.inf if value is None else float(value) for name, value in figures.items()}
    if turn is not None:
        values["lows_rms_dbfs"] += turn.peak_db
    return StereoLevels(**values)


def _pre_key(prints: StripPrints) -> str:
    return f"{prints.pre_fader}-pre"


def _post_key(prints: StripPrints) -> str:
    # Every closed fader leaves the same silence, but of signals of different kinds.
    return prints.post_fader if prints.post_fader != SILENCE else f"{prints.pre_fader}-closed"


def _curve_key(prints: StripPrints) -> str:
    return f"{_post_key(prints)}-curve"


def _curve_from(figures: Mapping[str, Any]) -> MixCurve:
    return MixCurve(tuple(figures.get("peaks", ())), tuple(figures.get("short_term_lufs", ())))


def reductions_of(measurement: SongMeasurement) -> Iterator[tuple[str, Reduction]]:
    """Every compressor's and limiter's work, with its strip."""
    for strip_id, strip in measurement.strips.items():
        for reduction in strip.reductions:
            yield strip_id, reduction
