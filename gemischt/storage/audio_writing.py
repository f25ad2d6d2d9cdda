"""Audio files of every format that prints have: through the file library, integers made here."""

import errno
import shutil
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Literal

import numpy as np
import soundfile
import soxr
from numpy.typing import NDArray

from gemischt.core.audio import Audio, Integers
from gemischt.core.dsp.noise_shaping import SHAPING, round_shaped
from gemischt.core.dsp.rounding import pack_24_bits, round_to_frames
from gemischt.core.errors import BadAudio
from gemischt.core.session.prints import FormatName
from gemischt.core.space.layout import Layout
from gemischt.storage.scene_description import description_of
from gemischt.storage.wave_chunks import append_chunks
from gemischt.storage.wave_speakers import order_in_file, write_mask
from gemischt.storage.wave_tags import tags_of
from gemischt.storage.writing import disk_error

Bits = Literal[16, 24, 32]
"""32 is floating point; compressed files are made from it, too."""
# A plain WAV file counts its bytes in 32 bits; beyond that the RF64 variant is written.
_PLAIN_WAV_BYTES = 2**32 - 4096
_DITHER_SEED = 1770
_FULL_BYTES = 1 << 20
_QUALITY = 0.0
"""The best that a compressed format has here."""
_LOWEST_BYTE_FIRST = ("WAV", "W64")
"""Kinds of files whose samples are integers as they are, the lowest byte first."""


@dataclass(frozen=True)
class AudioFormat:
    """How a file of a format is written.

    ``rates_hz`` are those it can have, and ``most_channels`` how many of these; ``is_lossy``: what comes out of it is
    not what went in.
    """

    words: str
    suffix: str
    kind: str
    subtype: str
    bits: Bits
    most_channels: int = 64
    rates_hz: tuple[int, ...] = (32000, 44100, 48000, 88200, 96000)
    is_lossy: bool = False


_COMMON_RATES_HZ = (32000, 44100, 48000)
FORMATS: dict[FormatName, AudioFormat] = {
    "wav-16": AudioFormat("WAV 16", ".wav", "WAV", "PCM_16", 16),
    "wav-24": AudioFormat("WAV 24", ".wav", "WAV", "PCM_24", 24),
    "wav-32f": AudioFormat("WAV 32f", ".wav", "WAV", "FLOAT", 32),
    "flac-16": AudioFormat("FLAC 16", ".flac", "FLAC", "PCM_16", 16, 8),
    "flac-24": AudioFormat("FLAC 24", ".flac", "FLAC", "PCM_24", 24, 8),
    "aiff-16": AudioFormat("AIFF 16", ".aiff", "AIFF", "PCM_16", 16),
    "aiff-24": AudioFormat("AIFF 24", ".aiff", "AIFF", "PCM_24", 24),
    "w64-24": AudioFormat("W64 24", ".w64", "W64", "PCM_24", 24),
    "w64-32f": AudioFormat("W64 32f", ".w64", "W64", "FLOAT", 32),
    "vorbis": AudioFormat("Ogg Vorbis", ".ogg", "OGG", "VORBIS", 32, 8, is_lossy=True),
    "opus": AudioFormat("Opus", ".opus", "OGG", "OPUS", 32, 8, (48000,), is_lossy=True),
    "mp3": AudioFormat("MP3", ".mp3", "MP3", "MPEG_LAYER_III", 32, 2, _COMMON_RATES_HZ, is_lossy=True),
}


@dataclass(frozen=True)
class Label:
    """What a file says of itself: its title, its song, and from where in the song it begins, in seconds."""

    title: str
    song: str
    start_s: float
    made_at: str


def rate_in_file(audio_format: AudioFormat, wanted_hz: int) -> int:
    """The rate a file gets: the wanted one, or the nearest that the format has.

    >>> rate_in_file(FORMATS["opus"], 44100), rate_in_file(FORMATS["mp3"], 88200), rate_in_file(FORMATS["mp3"], 96000)
    (48000, 44100, 48000)
    """
    if wanted_hz in audio_format.rates_hz:
        return wanted_hz
    whole = [rate for rate in audio_format.rates_hz if wanted_hz % rate == 0]
    return max(whole) if whole else min(audio_format.rates_hz, key=lambda rate: abs(rate - wanted_hz))


class AudioFileWriter:
    """A file being written, (n_channels, n) block after block: resampled, rounded, and in the end labelled.

    A reversed one is kept aside until all of it is there. State: what the resampler has not given yet, and how many
    samples were clipped to fit integers.
    """

    def __init__(
        self,
        path: Path,
        name: FormatName,
        layout: Layout,
        *,
        sample_rate_hz: int,
        rate_hz: int,
        most_samples: int,
        shaped: bool = False,
        is_reversed: bool = False,
    ) -> None:
        """``most_samples`` is how long it can become; ``rate_hz`` is the file's own."""
        self.format = FORMATS[name]
        if layout.n_channels > self.format.most_channels:
            raise BadAudio(
                f"{self.format.words} takes up to {self.format.most_channels} channels, and these are "
                f"{layout.n_channels}",
                where=path.name,
                remedy="Print it as WAV, or folded down.",
            )
        self._path, self._layout, self.rate_hz = path, layout, rate_hz
        self._order = np.argsort(order_in_file(layout.name)) if self.format.kind == "WAV" else None
        self._is_packed = self.format.subtype == "PCM_24" and self.format.kind in _LOWEST_BYTE_FIRST
        self._quantizer = Quantizer(self.format.bits, shaped=shaped)
        self._stream = (
            None
            if rate_hz == sample_rate_hz
            else soxr.ResampleStream(sample_rate_hz, rate_hz, layout.n_channels, dtype="float64", quality="VHQ")
        )
        bytes_in_all = most_samples * rate_hz // sample_rate_hz * layout.n_channels * self.format.bits // 8
        with refusals_of(path):
            self._file = soundfile.SoundFile(
                str(path),
                "w",
                samplerate=rate_hz,
                channels=layout.n_channels,
                subtype=self.format.subtype,
                format=self._kind(bytes_in_all),
                compression_level=_QUALITY if self.format.is_lossy else None,
            )
        # Closed with the file.
        self._aside = tempfile.TemporaryFile(dir=path.parent) if is_reversed else None  # noqa: SIM115
        self.n_samples = 0

    def _kind(self, n_bytes: int) -> str:
        if self.format.kind != "WAV":
            return self.format.kind
        if n_bytes >= _PLAIN_WAV_BYTES:
            return "RF64"
        return "WAVEX" if self._layout.n_channels > 2 else "WAV"

    @property
    def clipped_samples(self) -> int:
        """How many did not fit."""
        return self._quantizer.clipped_samples

    def write(self, block: Audio) -> Iterator[Audio]:
        """The next samples; yields them as the file gets them, before rounding."""
        if self._aside is not None:
            self._aside.write(np.ascontiguousarray(block.T).tobytes())
            return
        yield from self._resampled(block)

    def _resampled(self, block: Audio, *, last: bool = False) -> Iterator[Audio]:
        if self._stream is not None:
            block = np.ascontiguousarray(self._stream.resample_chunk(np.ascontiguousarray(block.T), last=last).T)
        if block.shape[1]:
            ordered = np.ascontiguousarray(block if self._order is None else block[self._order])
            with refusals_of(self._path):
                if self._is_packed:
                    _write_bytes(self._file, self._quantizer.pack(ordered))
                else:
                    self._file.write(self._quantizer.quantize(ordered))
            self.n_samples += block.shape[1]
            yield block

    def finish(self) -> Iterator[Audio]:
        """What is still to come; the file is closed then."""
        n_channels = self._layout.n_channels
        if self._aside is not None:
            yield from self._turned_around(n_channels)
        if self._stream is not None:
            yield from self._resampled(np.zeros((n_channels, 0)), last=True)
        with refusals_of(self._path):
            self._file.close()

    def _turned_around(self, n_channels: int) -> Iterator[Audio]:
        assert self._aside is not None
        frame_bytes, chunk_frames = 8 * n_channels, 65536
        n_frames = self._aside.tell() // frame_bytes
        for end in range(n_frames, 0, -chunk_frames):
            first = max(0, end - chunk_frames)
            self._aside.seek(first * frame_bytes)
            frames = np.frombuffer(self._aside.read((end - first) * frame_bytes)).reshape(-1, n_channels)
            yield from self._resampled(np.ascontiguousarray(frames[::-1].T))
        self._aside.close()

    def label(self, label: Label) -> None:
        """Say in the finished file what it is, and which loudspeakers its channels are for."""
        if self.format.kind == "WAV":
            chunks = tags_of(label.title, label.song, label.start_s, self.rate_hz, label.made_at)
            if self._layout.n_channels > 2:
                write_mask(self._path, self._layout.name)
                duration_s = self.n_samples / self.rate_hz
                order = order_in_file(self._layout.name)
                chunks = description_of(self._layout.name, order, label.song, duration_s) | chunks
            append_chunks(self._path, chunks)

    def abandon(self) -> None:
        """Close what nobody wants any more."""
        self._file.close()
        if self._aside is not None:
            self._aside.close()


@contextmanager
def refusals_of(path: Path) -> Iterator[None]:
    """The file library only says that the system refused: whether the disk is full is looked up."""
    try:
        yield
    except OSError as error:
        raise disk_error(error, path) from error
    except (soundfile.LibsndfileError, AssertionError) as error:
        full = shutil.disk_usage(path.parent).free < _FULL_BYTES
        raise disk_error(OSError(errno.ENOSPC if full else errno.EIO, str(error)), path) from error


def _write_bytes(file: soundfile.SoundFile, frames: NDArray[np.uint8]) -> None:
    """Have the file library write bytes as they are: it takes eight times as long to make them of wider integers."""
    written = soundfile._snd.sf_write_raw(file._file, soundfile._ffi.from_buffer(frames), frames.nbytes)
    assert written == frames.nbytes, "some bytes were not written"


class Quantizer:
    """Turns float blocks into what the file holds, counting what had to be clipped.

    The file library floors floats that it converts, half a step down on average; so integers are made here. 16 bits are
    dithered (triangular, 2 LSB wide), and their noise shaped if that is wanted; 24 bits are rounded.
    """

    def __init__(self, bits: Bits, *, shaped: bool = False) -> None:
        self._bits = bits
        self._shaped = shaped
        self._random = np.random.default_rng(_DITHER_SEED)
        self._errors: Audio | None = None
        self.clipped_samples = 0

    def quantize(self, block: Audio) -> NDArray[np.float32] | NDArray[np.int16] | Integers:
        """(n_samples, n_channels) in the file's own type."""
        if self._bits == 32:
            return np.ascontiguousarray(block.T, np.float32)
        full_scale = 2.0 ** (self._bits - 1)
        frames = np.empty(block.shape[::-1], np.int32)
        if self._bits == 24:
            # The file library takes integers of 32 bits and leaves out the lowest.
            self.clipped_samples += round_to_frames(block, full_scale, 256, frames)
            return frames
        scaled = block * full_scale
        self.clipped_samples += int(np.count_nonzero((scaled > full_scale - 1.0) | (scaled < -full_scale)))
        self._dither(scaled)
        round_to_frames(scaled / full_scale, full_scale, 1, frames)
        return frames.astype(np.int16)

    def pack(self, block: Audio) -> NDArray[np.uint8]:
        """The bytes of 24 bits that the file holds, (n_samples, n_channels * 3)."""
        frames = np.empty((block.shape[1], 3 * len(block)), np.uint8)
        self.clipped_samples += pack_24_bits(block, frames)
        return frames

    def _dither(self, scaled: Audio) -> None:
        """Add noise; shaped, round at once."""
        # Frame by frame, so that it does not depend on blocks.
        drawn = self._random.random((scaled.shape[1], len(scaled), 2))
        noise = (drawn[..., 0] - drawn[..., 1]).T
        if not self._shaped:
            scaled += noise
            return
        if self._errors is None:
            self._errors = np.zeros((len(scaled), SHAPING.size))
        round_shaped(scaled, np.ascontiguousarray(noise), self._errors, SHAPING)
