"""A mix into a file."""

import errno
import shutil
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Literal

import numpy as np
import soundfile
from numpy.typing import NDArray

from gemischt.core.audio import Audio
from gemischt.core.engine.endings import LONGEST_TAIL_S, Ending, tail_samples, whole_stretch
from gemischt.core.engine.renderer import Renderer
from gemischt.core.engine.tap_reader import Stretch, read_tap
from gemischt.core.errors import BadAudio
from gemischt.core.metering.summary import Summary, summarize
from gemischt.core.session.document import Session
from gemischt.core.space.folding import FoldedTo, Folding
from gemischt.core.space.layout import LayoutName
from gemischt.core.units import s_to_samples
from gemischt.operations.workspace import OpenMedia
from gemischt.storage.audio_files import Progress, no_progress
from gemischt.storage.scene_description import description_of
from gemischt.storage.wave_chunks import append_chunks
from gemischt.storage.wave_speakers import order_in_file, write_mask
from gemischt.storage.writing import disk_error, written_beside

Bits = Literal["16", "24", "32f"]
RELEASE_EVERY_SAMPLES = 20 * 48000
BLOCK_SAMPLES = 4096
"""Large enough that what happens between blocks hardly counts, small enough for the cache."""
_SUBTYPES: dict[Bits, str] = {"16": "PCM_16", "24": "PCM_24", "32f": "FLOAT"}
_BYTES: dict[Bits, int] = {"16": 2, "24": 3, "32f": 4}
# A plain WAV file counts its bytes in 32 bits; beyond that the RF64 variant is written.
_PLAIN_WAV_BYTES = 2**32 - 4096
_DITHER_SEED = 1770
_FULL_BYTES = 1 << 20


@dataclass(frozen=True)
class Printed:
    """A finished print: what it measures, how many samples were clipped to fit integers, and how loud it still rang
    where it was cut, None if it had fallen silent."""

    path: Path
    summary: Summary
    clipped_samples: int
    ringing_dbfs: float | None = None


def print_mix(
    session: Session,
    media: OpenMedia,
    path: Path,
    *,
    bits: Bits,
    folded: FoldedTo = "as-is",
    from_s: float | None = None,
    to_s: float | None = None,
    progress: Progress = no_progress,
) -> Printed:
    """Render the mix to a WAV file, which appears only when it is complete.

    Without an end it goes on until the mix is under -90 dBFS, for LONGEST_TAIL_S after the last clip at most.

    Folded, it is what a listener of two loudspeakers, one, or headphones would hear of it.

    16 bits are dithered (triangular, 2 LSB wide); 24 bits are rounded; 32 bits float are as they are.

    Raises:
        BadAudio: the stretch is empty.
        StorageFailed: the disk refused.
        Cancelled: ``progress`` raised it.
    """
    renderer = Renderer(session, media.samples, max_block=BLOCK_SAMPLES)
    stretch = whole_stretch(session, renderer, from_s, to_s)
    if not stretch.n_samples:
        raise BadAudio("there is nothing to print", where=session.name, remedy="Bring in tracks or widen the stretch.")
    quantizer = Quantizer(bits)
    folding = Folding(folded, renderer.plan.blueprint.layout, session.sample_rate_hz)
    layout = folding.layout
    # The layout's channels in the order in which the file has them.
    order = np.argsort(order_in_file(layout.name))
    plain = stretch.n_samples * layout.n_channels * _BYTES[bits] < _PLAIN_WAV_BYTES

    with (
        written_beside(path) as temporary,
        _refusals(path),
        soundfile.SoundFile(
            str(temporary),
            "w",
            samplerate=session.sample_rate_hz,
            channels=layout.n_channels,
            subtype=_SUBTYPES[bits],
            format=("WAVEX" if layout.n_channels > 2 else "WAV") if plain else "RF64",
        ) as file,
    ):

        def write(block: Audio) -> Audio:
            file.write(quantizer.quantize(block[order]))
            return block

        blocks = map(folding.process, watched_blocks(media, renderer, stretch, progress))
        least = renderer.length_samples - stretch.start_samples if to_s is None else stretch.n_samples
        cut = to_s is None and tail_samples(session) > s_to_samples(LONGEST_TAIL_S, session.sample_rate_hz)
        ending = Ending(blocks, least, cut=cut)
        summary = summarize((write(block) for block in ending), sample_rate_hz=session.sample_rate_hz, layout=layout)
        file.close()
        if layout.n_channels > 2:
            _describe_bed(temporary, layout.name, session.name, summary.duration_s)
    return Printed(path, summary, quantizer.clipped_samples, ending.ringing_dbfs)


def _describe_bed(path: Path, layout: LayoutName, name: str, duration_s: float) -> None:
    """Say in a file which loudspeakers its channels are for, to those who read masks and those who read scenes."""
    write_mask(path, layout)
    append_chunks(path, description_of(layout, order_in_file(layout), name, duration_s))


@contextmanager
def _refusals(path: Path) -> Iterator[None]:
    """The file library only says that the system refused: whether the disk is full is looked up."""
    try:
        yield
    except (soundfile.LibsndfileError, AssertionError) as error:
        full = shutil.disk_usage(path.parent).free < _FULL_BYTES
        raise disk_error(OSError(errno.ENOSPC if full else errno.EIO, str(error)), path) from error


def watched_blocks(media: OpenMedia, renderer: Renderer, stretch: Stretch, progress: Progress) -> Iterator[Audio]:
    """Blocks of the mix over a stretch, with progress, and with memory given back on the way."""
    unreleased = 0
    for block in read_tap(renderer, stretch, renderer.plan.blueprint.output, report=progress):
        yield block
        unreleased += block.shape[1]
        if unreleased >= RELEASE_EVERY_SAMPLES:
            media.release_pages()
            unreleased = 0


class Quantizer:
    """Turns float blocks into what the file holds, counting what had to be clipped.

    The file library floors floats that it converts, half a step down on average; so integers are made here.
    """

    def __init__(self, bits: Bits) -> None:
        self._bits = bits
        self._random = np.random.default_rng(_DITHER_SEED)
        self.clipped_samples = 0

    def quantize(self, block: Audio) -> NDArray[np.float32] | NDArray[np.int16] | NDArray[np.int32]:
        """(n_samples, n_channels) in the file's own type."""
        frames = block.T
        if self._bits == "32f":
            return frames.astype(np.float32)
        full_scale = 2.0 ** (int(self._bits) - 1)
        scaled = frames * full_scale
        self.clipped_samples += int(np.count_nonzero((scaled > full_scale - 1.0) | (scaled < -full_scale)))
        if self._bits == "16":
            scaled = scaled + self._random.random(scaled.shape) - self._random.random(scaled.shape)
        rounded = np.clip(np.rint(scaled), -full_scale, full_scale - 1.0)
        if self._bits == "16":
            return rounded.astype(np.int16)
        return rounded.astype(np.int32) << 8
