"""Parallel lanes on the real material: what they add up to, and whether one combs against the first.

Delay and polarity are found by cross-correlation weighted towards coherent frequencies; coherence by Welch's method.
Reference: C. Knapp and G. Carter, "The generalized correlation method for estimation of time delay", IEEE Trans. ASSP
24(4), 1976; P. Welch, IEEE Trans. AU 15(2), 1967. Notches of two equal copies d apart lie at (2k + 1) / (2 d).
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from gemischt.core.analysis.sub_sessions.paths import isolate
from gemischt.core.analysis.sub_sessions.strip import InSong
from gemischt.core.audio import Audio
from gemischt.core.engine.blueprint import draw_blueprint
from gemischt.core.engine.buffer_names import lane_buffer, work_buffer
from gemischt.core.engine.tap_reader import Media, Report, StretchS, no_report, read_buffers, stretch_of
from gemischt.core.metering.loudness import LoudnessMeter
from gemischt.core.routing.graph import walk_chain
from gemischt.core.routing.paths import steps_feeding
from gemischt.core.session.document import Lane, Processor, Session, Strip
from gemischt.core.session.ducking import with_steps_in_chains
from gemischt.core.session.edits import Chain, find_block, find_strip, place_of, replace_strip
from gemischt.core.space.layout import MONO, STEREO, Layout

LONGEST_DELAY_MS = 20.0
COHERENT = 0.5
"""Mean coherence from which two lanes count as the same material; common practice, no source."""
_ALIGNED_MS = 0.02
SEGMENT = 8192
_SILENT_POWER = 1e-12
_INPUT = Lane(id="input.kept", name="Input", level_db=None)


@dataclass(frozen=True)
class LaneFinding:
    """How a lane stands against the first one.

    ``delay_ms`` is how much later it is (negative: earlier); ``notch_hz`` the first comb notch that remains, None if
    there is none to hear.
    """

    lane: str
    delay_ms: float
    inverted: bool
    coherence: float
    notch_hz: float | None

    @property
    def combs(self) -> bool:
        """Whether "align" or "flip" would change what is heard."""
        return self.notch_hz is not None or (self.inverted and self.coherence >= COHERENT)


@dataclass(frozen=True)
class BlockReport:
    """What a block does to loudness, and how its lanes stand to each other.

    ``change_lu`` is None where input or output is too short or too quiet to have a loudness; ``matching_db`` is the
    block level that makes it as loud as its input.
    """

    input_lufs: float
    output_lufs: float
    change_lu: float | None
    matching_db: float | None
    lanes: tuple[LaneFinding, ...]


def report_block(
    session: Session,
    media: Media,
    strip_id: str,
    block_id: str,
    *,
    stretch_s: StretchS | None = None,
    in_song: InSong | None = None,
    report: Report = no_report,
) -> BlockReport:
    """Measure a block on what really runs through it.

    Args:
        in_song: gives a strip alone, where what it plays was rendered before; without it all is rendered here.
    """
    stretch = stretch_of(session, media, stretch_s)
    session, media = in_song(strip_id) if in_song else (with_steps_in_chains(session), media)
    strip = find_strip(session, strip_id)
    block = find_block(strip, block_id)
    cut = replace_strip(session, strip.model_copy(update={"chain": _up_to(strip.chain, block_id)}))
    steps, sounding = steps_feeding(cut, strip_id)
    early = {step for step in steps if not (step.to == strip_id and step.send is None and cut.strip(step.strip).late)}
    alone = isolate(cut, early, sounding)
    names = {lane.id: lane_buffer(strip_id, block_id, lane.id) for lane in (*block.lanes, _INPUT)}
    after = _buffer_of_chain(strip, block_id)
    signals = read_buffers(alone, media, stretch, {*names.values(), after}, report=report)
    blueprint = draw_blueprint(alone, media)
    lags, layout = blueprint.lags, blueprint.layout_of(after)
    earliest = min(lags[name] for name in names.values())
    lane_signals = {lane_id: signals[name][:, lags[name] - earliest :].mean(axis=0) for lane_id, name in names.items()}
    rate = session.sample_rate_hz
    before_lufs = loudness_of(signals[names[_INPUT.id]], layout, rate)
    after_lufs = loudness_of(signals[after], layout, rate)
    change = after_lufs - before_lufs if np.isfinite(before_lufs) and np.isfinite(after_lufs) else None
    return BlockReport(
        input_lufs=before_lufs,
        output_lufs=after_lufs,
        change_lu=change,
        matching_db=None if change is None or block.level_db is None else block.level_db - change,
        lanes=tuple(
            compare_lane(lane.id, lane_signals[block.lanes[0].id], lane_signals[lane.id], rate)
            for lane in block.lanes[1:]
        ),
    )


def compare_lane(
    lane_id: str, reference: NDArray[np.float64], signal: NDArray[np.float64], sample_rate_hz: int
) -> LaneFinding:
    """Delay, polarity and coherence of a signal against a reference, each (n_samples,) and aligned as heard."""
    spectra = _averaged_spectra(reference, signal)
    if spectra is None:
        return LaneFinding(lane_id, 0.0, False, 0.0, None)
    cross, power, coherence = spectra
    weight = coherence / np.maximum(1.0 - coherence, 1e-3) / np.maximum(np.abs(cross), 1e-300)
    correlation = np.fft.irfft(cross * weight)
    longest = min(round(LONGEST_DELAY_MS * sample_rate_hz / 1000.0), len(correlation) // 2 - 1)
    lags = np.concatenate([np.arange(0, longest + 1), np.arange(-longest, 0)])
    lag = int(lags[np.argmax(np.abs(correlation[lags]))])
    inverted = bool(correlation[lag] < 0.0)
    mean_coherence = float(np.sum(coherence * power) / np.sum(power))
    delay_ms = 1000.0 * lag / sample_rate_hz
    combs = mean_coherence >= COHERENT and abs(delay_ms) >= _ALIGNED_MS
    # An inverted copy adds up to nothing at 0 Hz; its next notch lies at 1 / d.
    notch_hz = (1000.0 if inverted else 500.0) / abs(delay_ms) if combs else None
    return LaneFinding(lane_id, delay_ms, inverted, mean_coherence, notch_hz)


def _averaged_spectra(
    reference: NDArray[np.float64], signal: NDArray[np.float64]
) -> tuple[NDArray[np.complex128], NDArray[np.float64], NDArray[np.float64]] | None:
    """Cross spectrum, power of the reference, and magnitude-squared coherence; None for silence."""
    n = min(len(reference), len(signal))
    window = np.hanning(SEGMENT)
    cross = np.zeros(SEGMENT // 2 + 1, np.complex128)
    own = np.zeros(SEGMENT // 2 + 1)
    other = np.zeros(SEGMENT // 2 + 1)
    for start in range(0, n - SEGMENT + 1, SEGMENT // 2):
        a = np.fft.rfft(window * reference[start : start + SEGMENT])
        b = np.fft.rfft(window * signal[start : start + SEGMENT])
        cross += np.conj(a) * b
        own += np.abs(a) ** 2
        other += np.abs(b) ** 2
    if own.max() < _SILENT_POWER or other.max() < _SILENT_POWER:
        return None
    floor = 1e-12 * float(np.sqrt(own.max() * other.max()))
    coherence = np.abs(cross) ** 2 / np.maximum(own * other, floor**2)
    return cross, own, np.minimum(coherence, 1.0)


def loudness_of(signal: Audio, layout: Layout, sample_rate_hz: int) -> float:
    """Integrated loudness, LUFS; one channel counts as a pair of equal ones."""
    if layout == MONO:
        signal, layout = np.repeat(signal, 2, axis=0), STEREO
    meter = LoudnessMeter(sample_rate_hz, layout)
    meter.process(signal, signal.shape[1])
    return meter.integrated_lufs


def _up_to(chain: Chain, block_id: str) -> Chain:
    """The chain cut off behind a block, which is switched on and gets a lane that only keeps its input."""
    kept: list[Processor] = []
    for processor in chain:
        if processor.type == "parallel" and processor.id == block_id:
            return (*kept, processor.model_copy(update={"on": True, "lanes": (*processor.lanes, _INPUT)}))
        if processor.type == "parallel" and any(inner.id == block_id for inner in walk_chain((processor,))):
            lanes = tuple(
                lane.model_copy(update={"chain": _up_to(lane.chain, block_id)})
                if any(inner.id == block_id for inner in walk_chain(lane.chain))
                else lane
                for lane in processor.lanes
            )
            return (*kept, processor.model_copy(update={"on": True, "lanes": lanes}))
        kept.append(processor)
    return tuple(kept)


def _buffer_of_chain(strip: Strip, block_id: str) -> str:
    place = place_of(strip, block_id)
    return work_buffer(strip.id) if place is None else lane_buffer(strip.id, place.block, place.lane)
