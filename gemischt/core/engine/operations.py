"""Specs become operations: objects bound to their buffers that work block by block."""

from bisect import bisect_right
from collections.abc import Mapping
from typing import Protocol, TypeAlias, runtime_checkable

import numpy as np

from gemischt.core.audio import Audio, MediaSamples
from gemischt.core.dsp import mixing, playing
from gemischt.core.engine import specs
from gemischt.core.processors.base import Place
from gemischt.core.processors.registry import kind_of

GLIDE_MS = 20.0
"""How long a changed setting takes to arrive: long enough not to click, too short to be heard as a slide."""

Buffers: TypeAlias = Mapping[str, Audio]


class Operation(Protocol):
    """One step of a plan."""

    def run(self, position_samples: int, n_samples: int) -> None:
        """Work on the next block; ``position_samples`` is its place in the song."""
        ...


class PlayClipsOperation:
    def __init__(self, spec: specs.PlayClips, buffers: Buffers, media: Mapping[str, MediaSamples]) -> None:
        self._out = buffers[spec.buffer]
        self._adds = spec.adds
        # The table of clips points into them.
        self._media = [media[clip.media] for clip in spec.clips]
        self._clips = np.zeros((len(spec.clips), playing.BACKWARDS + 1), np.int64)
        self._gains = np.zeros((len(spec.clips), len(self._out), 2))
        for clip, samples, matrix, row, gains in zip(
            spec.clips, self._media, spec.matrices, self._clips, self._gains, strict=True
        ):
            row[:] = playing.clip_row(
                samples,
                clip.start_samples,
                clip.length_samples,
                clip.offset_samples,
                (clip.fade_in.length_samples, clip.fade_in.equal_power),
                (clip.fade_out.length_samples, clip.fade_out.equal_power),
                clip.backwards,
            )
            # One channel counts as equal left and right.
            played = matrix if samples.shape[1] > 1 else matrix.sum(axis=1, keepdims=True)
            gains[:, : played.shape[1]] = clip.gain * played

    def run(self, position_samples: int, n_samples: int) -> None:
        playing.play_clips(self._out, n_samples, position_samples, self._adds, self._clips, self._gains)


class ClearOperation:
    def __init__(self, spec: specs.Clear, buffers: Buffers) -> None:
        self._buffer = buffers[spec.buffer]

    def run(self, position_samples: int, n_samples: int) -> None:
        self._buffer[:, :n_samples] = 0.0


class CopyOperation:
    def __init__(self, spec: specs.Copy, buffers: Buffers) -> None:
        self._source = buffers[spec.source]
        self._out = buffers[spec.out]

    def run(self, position_samples: int, n_samples: int) -> None:
        self._out[:, :n_samples] = self._source[:, :n_samples]


class ApplyMatrixOperation:
    """State: ``_ramp`` (2, n_out, n_in) targets and steps; ``_remaining`` samples of the glide."""

    def __init__(self, spec: specs.ApplyMatrix, buffers: Buffers, meters: Audio, glide_samples: int) -> None:
        self._source = buffers[spec.source]
        self._out = buffers[spec.out]
        self._glide_samples = glide_samples
        self._ramp = np.zeros((2, *spec.matrix.shape))
        self._remaining = np.zeros(1, np.int64)
        self._meters_source = spec.source_meter is not None
        self._meters_out = spec.out_meter is not None
        unused = np.zeros((2, 2))
        self._source_meter = meters[spec.source_meter] if spec.source_meter else unused
        self._out_meter = meters[spec.out_meter] if spec.out_meter else unused
        self.set(spec, glide=False)

    def set(self, spec: specs.ApplyMatrix, *, glide: bool) -> None:
        mixing.start_ramp(self._ramp, self._remaining, spec.matrix, self._glide_samples if glide else 0)

    def run(self, position_samples: int, n_samples: int) -> None:
        mixing.apply_matrix(
            self._source,
            self._out,
            n_samples,
            self._ramp,
            self._remaining,
            self._source_meter,
            self._meters_source,
            self._out_meter,
            self._meters_out,
        )

    def take_over(self, other: "ApplyMatrixOperation") -> None:
        if self._ramp.shape == other._ramp.shape:
            self._ramp[:] = other._ramp
            self._remaining[:] = other._remaining


class MixIntoOperation:
    """State: ``_ramp`` (2,) target and step of the gain; the delay's ring if paths must wait."""

    def __init__(self, spec: specs.MixInto, buffers: Buffers, max_block: int, glide_samples: int) -> None:
        self._source = buffers[spec.source]
        self._out = buffers[spec.out]
        self._glide_samples = glide_samples
        self._ramp = np.zeros(2)
        self._remaining = np.zeros(1, np.int64)
        self._delayed = np.zeros((self._source.shape[0], max_block)) if spec.delay_samples else None
        self._ring = np.zeros((self._source.shape[0], spec.delay_samples))
        self._ring_position = np.zeros(1, np.int64)
        self.set(spec, glide=False)

    def set(self, spec: specs.MixInto, *, glide: bool) -> None:
        mixing.start_ramp(self._ramp, self._remaining, spec.gain, self._glide_samples if glide else 0)

    def run(self, position_samples: int, n_samples: int) -> None:
        source = self._source
        if self._delayed is not None:
            self._delayed[:, :n_samples] = source[:, :n_samples]
            source = self._delayed
            mixing.delay_in_place(source, n_samples, self._ring, self._ring_position)
        mixing.mix_into(source, self._out, n_samples, self._ramp, self._remaining)

    def take_over(self, other: "MixIntoOperation") -> None:
        self._ramp[:] = other._ramp
        self._remaining[:] = other._remaining
        if self._ring.shape == other._ring.shape:
            self._ring[:] = other._ring
            self._ring_position[:] = other._ring_position


class DelayOperation:
    """State: ``_ring`` (channels, delay), its oldest sample at ``_position``."""

    def __init__(self, spec: specs.Delay, buffers: Buffers) -> None:
        self._buffer = buffers[spec.buffer]
        self._ring = np.zeros((self._buffer.shape[0], spec.delay_samples))
        self._position = np.zeros(1, np.int64)

    def run(self, position_samples: int, n_samples: int) -> None:
        mixing.delay_in_place(self._buffer, n_samples, self._ring, self._position)

    def take_over(self, other: "DelayOperation") -> None:
        if self._ring.shape == other._ring.shape:
            self._ring[:] = other._ring
            self._position[:] = other._position


class ProcessOperation:
    """A processor of the registry at work on its buffer; what it is told changes to the sample."""

    def __init__(
        self, spec: specs.Process, buffers: Buffers, sample_rate_hz: int, max_block: int, glide_samples: int
    ) -> None:
        self.buffer = buffers[spec.buffer]
        self._detector = buffers[spec.detector]
        self.processor = kind_of(spec.kind).processor(
            Place(
                sample_rate_hz=sample_rate_hz,
                glide_samples=glide_samples,
                n_channels=self.buffer.shape[0],
                max_block=max_block,
                latency_samples=spec.latency_samples,
            )
        )
        self.dynamics = self.processor if isinstance(self.processor, ReducesGain) else None
        """The processor, if it turns down what is loud."""
        # Which of what it is told counts now; None until the place in the song is known.
        self._now: int | None = None
        self.set(spec, glide=False)

    def set(self, spec: specs.Process, *, glide: bool) -> None:
        self._told, self._on = spec.told, spec.on
        self._starts = [start for start, _ in spec.told]
        now = None if self._now is None else min(self._now, len(spec.told) - 1)
        self._tell(now or 0, glide=glide)
        self._now = now

    def run(self, position_samples: int, n_samples: int) -> None:
        if len(self._told) == 1:
            self.processor.process(self.buffer, self._detector, n_samples)
            return
        done = 0
        while done < n_samples:
            at = position_samples + done
            now = max(0, bisect_right(self._starts, at) - 1)
            if now != self._now:
                self._tell(now, glide=self._now is not None)
                self._now = now
            until = self._starts[now + 1] if now + 1 < len(self._starts) else at + n_samples
            step = min(n_samples - done, until - at)
            self._run_part(done, done + step)
            done += step

    def take_over(self, other: "ProcessOperation") -> None:
        if type(self.processor) is type(other.processor):
            self.processor.take_over(other.processor)
            self._now = other._now or 0

    def _tell(self, index: int, *, glide: bool) -> None:
        self.processor.set(self._told[index][1], on=self._on, glide=glide)

    def _run_part(self, first: int, end: int) -> None:
        part = np.ascontiguousarray(self.buffer[:, first:end])
        own = self._detector is self.buffer
        self.processor.process(part, part if own else np.ascontiguousarray(self._detector[:, first:end]), end - first)
        self.buffer[:, first:end] = part


@runtime_checkable
class ReducesGain(Protocol):
    """What compressors and limiters tell of their last block."""

    def deepest_reduction_db(self, n_samples: int, first: int = 0) -> float: ...
