"""Audio files: originals kept by the hash of their bytes, decoded once to float32 that is memory-mapped."""

import hashlib
import mmap
import shutil
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import BinaryIO

import numpy as np
import soundfile
import soxr
from sqlalchemy import select
from sqlalchemy.orm import Session as Transaction

from gemischt.core.audio import MediaSamples
from gemischt.core.errors import BadAudio, NotFound
from gemischt.storage.audio_reading import Header, inspect_audio, opened, read_blocks
from gemischt.storage.database import Database
from gemischt.storage.tables import AudioRow
from gemischt.storage.writing import held, sweep, written_beside

_SAFE_SUFFIXES = frozenset({".wav", ".flac", ".aif", ".aiff", ".ogg", ".opus", ".mp3", ".w64", ".caf", ".rf64"})

Progress = Callable[[float], None]


def no_progress(_share: float) -> None:
    """For callers who do not watch."""


@dataclass(frozen=True)
class AudioFile:
    """An original in the store."""

    sha256: str
    name: str
    path: Path
    sample_rate_hz: int
    channels: int
    frames: int

    @property
    def duration_s(self) -> float:
        return self.frames / self.sample_rate_hz


class AudioStore:
    """Originals under ``originals/``, decoded samples under ``decoded/``, one file per hash and rate."""

    def __init__(self, database: Database, folder: Path) -> None:
        self._database = database
        self._folder = folder
        self._originals = folder / "originals"
        self._decoded = folder / "decoded"
        for path in (self._originals, self._decoded):
            path.mkdir(parents=True, exist_ok=True)

    def add(self, source: Path, name: str, *, sample_rate_hz: int, progress: Progress = no_progress) -> AudioFile:
        """Keep a file and decode it for a session's rate; the same bytes are kept once.

        Raises:
            BadAudio: it is not readable audio, or of channels that are no layout; says why.
            StorageFailed: it cannot be written.
            Cancelled: ``progress`` raised it.
        """
        with held(self._folder, shared=True):
            info = inspect_audio(source, name)
            sha256 = hash_file(source)
            known = self._row(sha256)
            return self._file(known or self._take_in(source, name, sha256, info, sample_rate_hz, progress))

    def _take_in(
        self, source: Path, name: str, sha256: str, info: Header, sample_rate_hz: int, progress: Progress
    ) -> AudioRow:
        suffix = Path(name).suffix.lower()
        original = self._originals / (sha256 + (suffix if suffix in _SAFE_SUFFIXES else ".audio"))
        made = [path for path in (self._decoded_path(sha256, sample_rate_hz), original) if not path.exists()]
        row = AudioRow(
            sha256=sha256,
            name=name,
            file_name=original.name,
            sample_rate_hz=info.samplerate,
            channels=info.channels,
            frames=info.frames,
        )
        try:
            self._decode(source, name, sha256, info.samplerate, sample_rate_hz, progress)
            with written_beside(original) as temporary:
                shutil.copyfile(source, temporary)
            with self._database.writing() as transaction:
                # Somebody else may have brought the same file in meanwhile.
                return transaction.get(AudioRow, sha256) or _added(transaction, row)
        except BaseException:
            if self._row(sha256) is None:
                for path in made:
                    path.unlink(missing_ok=True)
            raise

    def sweep(self) -> int:
        """Remove what killed imports left, unless somebody imports right now; how many bytes that freed."""
        with held(self._folder, wait=False) as alone:
            if not alone:
                return 0
            freed = sum(sweep(folder) for folder in (self._originals, self._decoded))
            with self._database.reading() as transaction:
                known = set(transaction.scalars(select(AudioRow.sha256)))
            for path in (*self._originals.iterdir(), *self._decoded.iterdir()):
                if path.name[:64] not in known:
                    freed += path.stat().st_size
                    path.unlink()
        return freed

    def get(self, sha256: str) -> AudioFile:
        """An original by its hash."""
        row = self._row(sha256)
        if row is None:
            raise NotFound("no such audio file", where=sha256, remedy="Import the file again.")
        return self._file(row)

    def kept_bytes(self) -> int:
        """How much of the disk all audio takes, decoded files included."""
        return sum(path.stat().st_size for path in self._folder.rglob("*") if path.is_file())

    def samples(self, sha256: str, sample_rate_hz: int) -> "MappedSamples":
        """Decoded samples at a rate, memory-mapped; decoded now if that was not done yet."""
        audio = self.get(sha256)
        path = self._decoded_path(sha256, sample_rate_hz)
        if not path.exists():
            if not audio.path.exists():
                raise NotFound("the audio file is missing", where=audio.name, remedy="Import it again.")
            self._decode(audio.path, audio.name, sha256, audio.sample_rate_hz, sample_rate_hz, no_progress)
        return MappedSamples(path, audio.channels)

    def _row(self, sha256: str) -> AudioRow | None:
        with self._database.reading() as transaction:
            return transaction.get(AudioRow, sha256)

    def _file(self, row: AudioRow) -> AudioFile:
        path = self._originals / row.file_name
        return AudioFile(row.sha256, row.name, path, row.sample_rate_hz, row.channels, row.frames)

    def _decoded_path(self, sha256: str, sample_rate_hz: int) -> Path:
        return self._decoded / f"{sha256}-{sample_rate_hz}.f32"

    def _decode(
        self, source: Path, name: str, sha256: str, source_rate_hz: int, rate_hz: int, progress: Progress
    ) -> None:
        path = self._decoded_path(sha256, rate_hz)
        if path.exists():
            return
        with written_beside(path) as temporary, temporary.open("wb") as out:
            _write_resampled(source, name, source_rate_hz, rate_hz, out, progress)
            if out.tell() == 0:
                raise BadAudio(
                    f"it is too short: at {rate_hz} Hz nothing is left of it", where=name, remedy="Export it again."
                )


class MappedSamples:
    """A decoded file, mapped into memory: ``samples`` (n_frames, n_channels), float32, read-only."""

    def __init__(self, path: Path, n_channels: int) -> None:
        with path.open("rb") as file:
            empty = path.stat().st_size == 0
            self._map = None if empty else mmap.mmap(file.fileno(), 0, access=mmap.ACCESS_READ)
        held = np.zeros(0, np.float32) if self._map is None else np.frombuffer(self._map, dtype="<f4")
        self.samples: MediaSamples = held.reshape(-1, n_channels)

    def release_pages(self) -> None:
        """Give the pages read so far back to the system; they are read again when needed."""
        if self._map is not None:
            self._map.madvise(mmap.MADV_DONTNEED)


def _write_resampled(
    source: Path, name: str, source_rate_hz: int, rate_hz: int, out: BinaryIO, progress: Progress
) -> None:
    with opened(source) as file:
        info = soundfile.info(file)
    stream = None
    if source_rate_hz != rate_hz:
        stream = soxr.ResampleStream(source_rate_hz, rate_hz, info.channels, dtype="float32", quality="VHQ")
    done = 0
    for block in read_blocks(source, name):
        done += len(block)
        out.write((block if stream is None else stream.resample_chunk(block)).astype("<f4").tobytes())
        progress(done / info.frames)
    if stream is not None:
        out.write(stream.resample_chunk(np.zeros((0, info.channels), np.float32), last=True).astype("<f4").tobytes())


def hash_file(path: Path) -> str:
    """SHA-256 of a file's bytes, in hexadecimal."""
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()


def _added(transaction: Transaction, row: AudioRow) -> AudioRow:
    transaction.add(row)
    return row
