"""Audio files of other programs: what can be used, and why the rest cannot."""

import io
import os
from collections.abc import Iterator
from pathlib import Path
from typing import Any, BinaryIO, TypeAlias, cast

import numpy as np
import soundfile

from gemischt.core.audio import MediaSamples
from gemischt.core.errors import BadAudio
from gemischt.core.space.layout import FILE_LAYOUTS
from gemischt.core.units import gain_to_db
from gemischt.storage.audio_headers import check_complete
from gemischt.storage.wave_speakers import speakers_of_file

MAX_DURATION_S = 3600.0
LOWEST_RATE_HZ, HIGHEST_RATE_HZ = 4000, 768000
LOUDEST = 1e6
"""120 dB above full scale: nothing that was recorded or mixed."""
READ_FRAMES = 65536
Header: TypeAlias = soundfile._SoundFileInfo


def inspect_audio(path: Path, name: str) -> Header:
    """Header of a file that can be used; BadAudio says why one cannot."""
    info = check_header(path, name)
    if info.channels not in FILE_LAYOUTS:
        counts = ", ".join(str(count) for count in sorted(FILE_LAYOUTS))
        raise BadAudio(
            f"it has {info.channels} channels; tracks take {counts}",
            where=name,
            remedy="Let each channel become a track of its own, or export it in a layout of so many channels.",
        )
    check_complete(path, name)
    speakers_of_file(path, name, info.channels)
    return info


def check_header(path: Path, name: str) -> Header:
    """Header of a file that can be read, however many channels it has; BadAudio says why one cannot."""
    if path.stat().st_size == 0:
        raise BadAudio("the file is empty (0 bytes)", where=name, remedy="Export it again.")
    try:
        with opened(path) as file:
            info = soundfile.info(file)
    except soundfile.LibsndfileError as error:
        reason = str(error.error_string).rstrip(".")
        raise BadAudio(
            f"not readable as audio ({reason})",
            where=name,
            remedy="Gemischt reads WAV, FLAC, AIFF, Ogg, MP3 and W64; convert it or export it again.",
        ) from None
    if not LOWEST_RATE_HZ <= info.samplerate <= HIGHEST_RATE_HZ:
        raise BadAudio(
            f"its sample rate is {info.samplerate} Hz; it must lie between {LOWEST_RATE_HZ} and {HIGHEST_RATE_HZ}",
            where=name,
            remedy="Export it at a common rate, such as 44100 or 48000 Hz.",
        )
    if info.frames == 0:
        raise BadAudio("it holds no samples", where=name, remedy="Export it again.")
    if info.frames / info.samplerate > MAX_DURATION_S:
        minutes = info.frames / info.samplerate / 60.0
        raise BadAudio(
            f"it lasts {minutes:.0f} minutes; the limit is {MAX_DURATION_S / 60.0:.0f}",
            where=name,
            remedy="Cut it into shorter files.",
        )
    return info


def opened(path: Path) -> BinaryIO:
    """A file for the library to read, which knows a BW64 file by its older name only."""
    return cast(BinaryIO, _OlderName(path))


class _OlderName(io.FileIO):
    """Bytes of a file, but "BW64" at its beginning reads "RF64": ITU-R BS.2088 builds on EBU Tech 3306."""

    def readinto(self, buffer: Any) -> int:
        at = self.tell()
        count = super().readinto(buffer) or 0
        if at == 0 and bytes(buffer[:4]) == b"BW64":
            buffer[:4] = b"RF64"
        return count

    def read(self, size: int | None = -1) -> bytes:
        left = max(0, os.fstat(self.fileno()).st_size - self.tell())
        content = bytearray(left if size is None or size < 0 else min(size, left))
        return bytes(content[: self.readinto(memoryview(content))])


def read_blocks(
    path: Path, name: str, *, block_frames: int = READ_FRAMES, as_stored: bool = False
) -> Iterator[MediaSamples]:
    """Blocks (n_frames, n_channels) of float32, channels in the order of their layout, or *as stored*, of which there
    may be any number; BadAudio where decoding fails or a sample is not a number."""
    done = 0
    try:
        with opened(path) as source, soundfile.SoundFile(source) as file:
            stored = tuple(range(file.channels))
            order = stored if as_stored else speakers_of_file(path, name, file.channels)[1]
            while len(block := file.read(block_frames, dtype="float32", always_2d=True)):
                if not np.isfinite(block).all():
                    second = done / file.samplerate
                    raise BadAudio(
                        f"it holds samples that are not numbers, the first near {second:.2f} s",
                        where=name,
                        remedy="Render the file again in the program it comes from.",
                    )
                if len(block) and float(np.abs(block).max()) > LOUDEST:
                    raise BadAudio(
                        f"it holds samples {gain_to_db(float(np.abs(block).max())):.0f} dB above full scale",
                        where=name,
                        remedy="Its numbers are in another scale or damaged; export it again.",
                    )
                done += len(block)
                yield block if order == stored else np.ascontiguousarray(block[:, order])
            if done < file.frames:
                raise BadAudio(
                    f"it breaks off: {done} of {file.frames} samples could be read",
                    where=name,
                    remedy="Copy or export it again.",
                )
    except soundfile.LibsndfileError as error:
        raise BadAudio(
            f"it is damaged after {done} samples ({str(error.error_string).rstrip('.')})",
            where=name,
            remedy="Copy or export it again.",
        ) from None
