"""Specs become operations: kernel calls bound to buffers, what moves them, and what lasts from block to block."""

from collections.abc import Mapping, Sequence
from typing import Any, TypeAlias

import numpy as np
from numpy.typing import NDArray

from gemischt.core.audio import Audio, MediaSamples
from gemischt.core.control import Control, Row, Told
from gemischt.core.dsp import gain_application, level_detection, mixing, playing
from gemischt.core.dsp.table import Call
from gemischt.core.engine import specs
from gemischt.core.processors.base import (
    BlockProcessor,
    ControlSignal,
    GainShaper,
    Place,
    ReducesGain,
    State,
    copy_alike,
    row,
)
from gemischt.core.processors.registry import kind_of
from gemischt.core.space.layout import Layout
from gemischt.core.units import time_constant_to_coefficient

GLIDE_MS = 20.0
"""How long a changed setting takes to arrive: long enough not to click, too short to be heard as a slide."""

Buffers: TypeAlias = Mapping[str, Audio]
Signals: TypeAlias = Mapping[str, ControlSignal]


class Operation:
    """One step of a plan: its calls in order, its controls, and what lasts from block to block."""

    calls: Sequence[Call] = ()
    controls: Sequence[Control] = ()
    state: Sequence[State] = ()

    def aim(self, spec: Any, *, glide: bool) -> None:
        """Go to the settings of a spec of the same structure."""
        for control, told in zip(self.controls, self._told(spec), strict=True):
            control.aim(told, glide=glide)

    def coefs_of(self, spec: Any) -> list[Row]:
        """Of each control, for a spec of one moment."""
        return [told[0][1] for told in self._told(spec)]

    def coefs_along(self, told: specs.ToldAlong) -> Sequence[NDArray[np.float64]] | None:
        """Of each control, (n_moments, n_coefs); None if they are not worked out for many moments at once."""
        return None

    def is_like(self, other: "Operation") -> bool:
        """Whether it can go on where another one is: it does the same by as many controls."""
        return type(self) is type(other) and len(self.controls) == len(other.controls)

    def take_over(self, other: Any) -> None:
        """Go on where the same operation of another plan, which is like it, is."""
        for control, before in zip(self.controls, other.controls, strict=True):
            control.take_over(before)
        if len(self.state) == len(other.state):
            copy_alike(self.state, other.state)

    def _told(self, spec: Any) -> Sequence[Told]:
        """What each control is told."""
        return ()


class PlayClipsOperation(Operation):
    def __init__(self, spec: specs.PlayClips, buffers: Buffers, media: Mapping[str, MediaSamples]) -> None:
        out = buffers[spec.buffer]
        # The table of clips points into them.
        self._media = [media[clip.media] for clip in spec.clips]
        clips = np.zeros((len(spec.clips), playing.BACKWARDS + 1), np.int64)
        widest = max((samples.shape[1] for samples in self._media), default=1)
        gains = np.zeros((len(spec.clips), len(out), widest))
        for clip, samples, matrix, clip_row, clip_gains in zip(
            spec.clips, self._media, spec.matrices, clips, gains, strict=True
        ):
            clip_row[:] = playing.clip_row(
                samples,
                clip.start_samples,
                clip.length_samples,
                clip.offset_samples,
                (clip.fade_in.length_samples, clip.fade_in.equal_power),
                (clip.fade_out.length_samples, clip.fade_out.equal_power),
                clip.backwards,
            )
            clip_gains[:, : samples.shape[1]] = clip.gain * matrix
        self.calls = (Call(playing.play_clips, out, spec.adds, clips, gains),)


class ClearOperation(Operation):
    def __init__(self, spec: specs.Clear, buffers: Buffers) -> None:
        self.calls = (Call(mixing.clear, buffers[spec.buffer]),)


class CopyOperation(Operation):
    def __init__(self, spec: specs.Copy, buffers: Buffers) -> None:
        self.calls = (Call(mixing.copy, buffers[spec.source], buffers[spec.out]),)


class ApplyMatrixOperation(Operation):
    def __init__(self, spec: specs.ApplyMatrix, buffers: Buffers, meters: Audio, glide_samples: int) -> None:
        source, out = buffers[spec.source], buffers[spec.out]
        control = Control(spec.matrix.size, source.shape[1], glide_samples)
        unused = np.zeros((1, 2))
        source_meter = meters[spec.source_meter] if spec.source_meter else unused
        out_meter = meters[spec.out_meter] if spec.out_meter else unused
        metered = (source_meter, bool(spec.source_meter), out_meter, bool(spec.out_meter))
        self.controls = (control,)
        self.calls = (Call(mixing.apply_matrix, source, out, control.pieces, control.coefs, *metered),)

    def _told(self, spec: specs.ApplyMatrix) -> Sequence[Told]:
        return (((0, spec.matrix.ravel()),),)


class MixIntoOperation(Operation):
    """State: the ring of what must wait for slower paths."""

    def __init__(self, spec: specs.MixInto, buffers: Buffers, glide_samples: int) -> None:
        source, out = buffers[spec.source], buffers[spec.out]
        control = Control(1, source.shape[1], glide_samples)
        self.controls = (control,)
        waiting: tuple[Call, ...] = ()
        feeding = source
        if spec.delay_samples:
            feeding = np.zeros_like(source)
            ring, position = np.zeros((len(source), spec.delay_samples)), np.zeros(1, np.int64)
            self.state = ((ring, position),)
            waiting = (Call(mixing.copy, source, feeding), Call(mixing.delay_in_place, feeding, ring, position))
        self._joining = (feeding, control.pieces, control.coefs)
        joining = (feeding, out, control.pieces, control.coefs)
        if spec.matrix is None:
            self.calls = (*waiting, Call(mixing.mix_into, *joining))
        else:
            self.calls = (*waiting, Call(mixing.mix_through, *joining, np.array(spec.matrix)))

    def added(self, out: Audio, n_samples: int) -> None:
        """Write into ``out``, as many channels as the source has, what was added in the last block."""
        feeding, pieces, gains = self._joining
        mixing.clear(out, n_samples)
        mixing.mix_into(feeding, out, n_samples, pieces, gains)

    def _told(self, spec: specs.MixInto) -> Sequence[Told]:
        return (((0, row(spec.gain)),),)


class DelayOperation(Operation):
    """State: the ring, (channels, delay), and the place of its oldest sample."""

    def __init__(self, spec: specs.Delay, buffers: Buffers) -> None:
        buffer = buffers[spec.buffer]
        ring, position = np.zeros((len(buffer), spec.delay_samples)), np.zeros(1, np.int64)
        self.state = ((ring, position),)
        self.calls = (Call(mixing.delay_in_place, buffer, ring, position),)


class ProcessOperation(Operation):
    """A processor of the registry at work on its buffer."""

    def __init__(
        self,
        spec: specs.Process,
        buffers: Buffers,
        layout: Layout,
        sample_rate_hz: int,
        max_block: int,
        glide_samples: int,
    ) -> None:
        self.buffer = buffers[spec.buffer]
        place = Place(
            sample_rate_hz=sample_rate_hz,
            glide_samples=glide_samples,
            n_channels=len(self.buffer),
            max_block=max_block,
            latency_samples=spec.latency_samples,
            room_samples=spec.room_samples,
            channels=layout.channels,
        )
        worker = kind_of(spec.kind).worker
        assert issubclass(worker, BlockProcessor)
        self.processor = worker(place, self.buffer)
        self.calls = self.processor.calls
        self.controls = self.processor.controls

    def _told(self, spec: specs.Process) -> Sequence[Told]:
        rows = [(start, self.processor.coefs_of(params, on=spec.on)) for start, params in spec.told]
        return [[(start, coefs[index]) for start, coefs in rows] for index in range(len(self.controls))]

    def coefs_along(self, told: specs.ToldAlong) -> Sequence[NDArray[np.float64]] | None:
        return self.processor.coefs_along(told.params, told.on, told.values)

    def is_like(self, other: Operation) -> bool:
        same = isinstance(other, ProcessOperation) and type(self.processor) is type(other.processor)
        return same and super().is_like(other)

    def take_over(self, other: "ProcessOperation") -> None:
        super().take_over(other)
        self.processor.take_over(other.processor)


class DetectOperation(Operation):
    """State: the RMS detector of each channel."""

    def __init__(
        self, spec: specs.Detect, buffers: Buffers, signals: Signals, sample_rate_hz: int, glide_samples: int
    ) -> None:
        heard, levels = buffers[spec.source], signals[spec.levels]
        self._sample_rate_hz = sample_rate_hz
        control = Control(level_detection.N_COEFS, heard.shape[1], glide_samples)
        mean_square = np.zeros(len(heard))
        moving = (control.pieces, control.coefs)
        self.controls = (control,)
        self.state = ((mean_square,),)
        detecting = (heard, levels.rows, levels.streams, *moving, spec.pairs, mean_square)
        self.calls = (Call(level_detection.detect_levels_db, *detecting),)

    def _told(self, spec: specs.Detect) -> Sequence[Told]:
        detection = spec.detection
        feedback = time_constant_to_coefficient(detection.rms_ms, self._sample_rate_hz)
        return (((0, row(detection.rms_share, detection.link, feedback)),),)


class ShapeOperation(Operation, ReducesGain):
    """A shaper of the registry at work on levels."""

    def __init__(self, spec: specs.Shape, signals: Signals, sample_rate_hz: int, glide_samples: int) -> None:
        self._levels, self._reduction = signals[spec.levels], signals[spec.reduction]
        n_channels, max_block = self._reduction.rows.shape
        place = Place(
            sample_rate_hz=sample_rate_hz,
            glide_samples=glide_samples,
            n_channels=n_channels,
            max_block=max_block,
            latency_samples=spec.lookahead_samples,
        )
        worker = kind_of(spec.kind).worker
        assert issubclass(worker, GainShaper)
        self._shaper = worker(place, self._levels, self._reduction)
        self.calls = self._shaper.calls
        self.controls = self._shaper.controls

    def _told(self, spec: specs.Shape) -> Sequence[Told]:
        return [((0, coefs),) for coefs in self._shaper.coefs_of(spec.params)]

    def take_over(self, other: Operation) -> None:
        if isinstance(other, ShapeOperation) and type(self._shaper) is type(other._shaper):
            super().take_over(other)
            self._shaper.take_over(other._shaper)

    def loudest_detected_db(self, n_samples: int, first: int = 0) -> float:
        return self._levels.highest_db(first, n_samples)

    def deepest_reduction_db(self, n_samples: int, first: int = 0) -> float:
        return self._reduction.highest_db(first, n_samples)


class ApplyOperation(Operation):
    """A reduction at work on a buffer."""

    def __init__(self, spec: specs.Apply, buffers: Buffers, signals: Signals, glide_samples: int) -> None:
        self.buffer = buffers[spec.buffer]
        reduction = signals[spec.reduction]
        control = Control(gain_application.N_COEFS, self.buffer.shape[1], glide_samples)
        moving = (control.pieces, control.coefs)
        self.controls = (control,)
        applied = (self.buffer, reduction.rows, reduction.streams, *moving)
        self.calls = (Call(gain_application.apply_reduction, *applied),)

    def _told(self, spec: specs.Apply) -> Sequence[Told]:
        return (((0, row(spec.application.makeup_db, spec.application.mix)),),)
