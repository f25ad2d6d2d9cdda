"""Rendered audio and measured figures on disk, bounded; the least recently used goes first."""

import contextlib
import json
import os
import shutil
import threading
from pathlib import Path
from typing import Any, BinaryIO

import numpy as np

from gemischt.core.analysis.cache.renders import AudioWriter, RenderStore
from gemischt.core.audio import MediaSamples, Single
from gemischt.core.space.layout import FILE_LAYOUTS
from gemischt.storage.writing import claim, disk_error, sweep

DEFAULT_LIMIT_BYTES = 3 * 1024**3
MOST_FIGURES = 20000


class DiskRenders(RenderStore):
    """Audio as ``NAME.CHANNELS.f32``, figures as ``NAME.json``, in a folder of the program's version.

    Files appear whole or not at all; what was made by another version is thrown away.
    """

    def __init__(self, folder: Path, version: str, *, limit_bytes: int = DEFAULT_LIMIT_BYTES) -> None:
        self._folder = folder / version
        self._limit_bytes = limit_bytes
        self._lock = threading.Lock()
        self._unseen_bytes = limit_bytes
        try:
            self._folder.mkdir(parents=True, exist_ok=True)
            for other in folder.iterdir():
                if other != self._folder:
                    shutil.rmtree(other, ignore_errors=True)
            sweep(self._folder)
        except OSError as error:
            raise disk_error(error, folder) from error

    def audio(self, fingerprint: str) -> MediaSamples | None:
        for n_channels in FILE_LAYOUTS:
            path = self._folder / f"{fingerprint}.{n_channels}.f32"
            with contextlib.suppress(OSError, ValueError):
                os.utime(path)
                return np.memmap(path, dtype="<f4", mode="r").reshape(-1, n_channels)
        return None

    def writer(self, fingerprint: str, n_samples: int, n_channels: int) -> AudioWriter:
        return _DiskWriter(self, self._folder / f"{fingerprint}.{n_channels}.f32", n_samples, n_channels)

    def figures(self, fingerprint: str) -> dict[str, Any] | None:
        path = self._folder / f"{fingerprint}.json"
        with contextlib.suppress(OSError, ValueError):
            figures: dict[str, Any] = json.loads(path.read_text())
            return figures
        return None

    def keep_figures(self, fingerprint: str, figures: dict[str, Any]) -> None:
        path = self._folder / f"{fingerprint}.json"
        part = path.with_suffix(f".{os.getpid()}-{threading.get_ident()}.part")
        try:
            part.write_text(json.dumps(figures))
            part.replace(path)
        except OSError as error:
            part.unlink(missing_ok=True)
            raise disk_error(error, path) from error

    def make_room(self, n_bytes: int) -> None:
        """Remove what was used longest ago until the rest fits, if so much more may be too much.

        Looking through the folder takes time: it is done for the first file and then whenever a thirty-second of what
        it may hold has come in.
        """
        with self._lock:
            self._unseen_bytes += n_bytes
            if self._unseen_bytes < self._limit_bytes / 32:
                return
            self._unseen_bytes = 0
            self._forget("*.f32", self._limit_bytes, lambda size: size)
            self._forget("*.json", MOST_FIGURES, lambda size: 1)

    def _forget(self, pattern: str, limit: int, weight: Any) -> None:
        found = []
        for path in self._folder.glob(pattern):
            with contextlib.suppress(OSError):
                status = path.stat()
                found.append((status.st_mtime, weight(status.st_size), path))
        total = sum(size for _, size, _ in found)
        for _, size, path in sorted(found):
            if total <= limit:
                break
            path.unlink(missing_ok=True)
            total -= size


class _DiskWriter(AudioWriter):
    """Its file has its whole size from the start, so that it can be played while it is written."""

    def __init__(self, renders: DiskRenders, path: Path, n_samples: int, n_channels: int) -> None:
        self._renders = renders
        self._path = path
        self._part = path.with_suffix(f".{os.getpid()}-{threading.get_ident()}.part")
        self.samples = np.zeros((0, n_channels), np.float32)
        try:
            self._file: BinaryIO | None = self._part.open("wb", buffering=0)
            claim(self._file.fileno())
            if n_samples:
                self._file.truncate(4 * n_samples * n_channels)
                self.samples = np.memmap(self._part, dtype="<f4", mode="r").reshape(-1, n_channels)
        except OSError as error:
            self.discard()
            raise disk_error(error, path) from error

    def write(self, block: Single) -> None:
        assert self._file is not None
        try:
            self._file.write(np.ascontiguousarray(block, dtype="<f4").data)
        except OSError as error:
            self.discard()
            raise disk_error(error, self._path) from error

    def finish(self) -> None:
        if self._file is not None:
            self._file.close()
            self._file = None
            self._part.replace(self._path)
            self._renders.make_room(4 * self.samples.size)

    def discard(self) -> None:
        if self._file is not None:
            self._file.close()
            self._file = None
        self._part.unlink(missing_ok=True)
