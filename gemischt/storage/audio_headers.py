"""Whether a file holds all that its header says: the library reads one that was cut off as a shorter one.

Reference: the chunk layouts of RIFF/WAVE, RF64 (EBU Tech 3306), Sony Wave64, AIFF, Sun AU and Ogg pages (RFC 3533).
From memory.
"""

import os
import struct
from collections.abc import Callable
from pathlib import Path
from typing import BinaryIO

from gemischt.core.errors import BadAudio
from gemischt.storage.wave_chunks import UNKNOWN, chunks_in, is_wave

_W64_DATA = b"data\xf3\xac\xd3\x11\x8c\xd1\x00\xc0\x4f\x8e\xdb\x8a"
_LONGEST_OGG_PAGE = 65307
_LAST_OF_STREAM = 4

Sizes = tuple[int, int] | None
"""Bytes of audio that the header promises, and that are there; None where it makes no promise."""


def check_complete(path: Path, name: str) -> None:
    """Raise BadAudio if a file breaks off."""
    with path.open("rb") as file:
        head = file.read(12)
        file.seek(0)
        sizes = _reader_of(head)(file)
    if sizes is not None and sizes[1] < sizes[0]:
        raise BadAudio(
            f"it is cut off: {sizes[1]} of {sizes[0]} bytes of audio are there",
            where=name,
            remedy="Copy or export it again.",
        )


def _reader_of(head: bytes) -> Callable[[BinaryIO], Sizes]:
    if is_wave(head):
        return _wave
    if head[:4] == b"riff":
        return _wave64
    if head[:4] == b"FORM" and head[8:12] in (b"AIFF", b"AIFC"):
        return _aiff
    if head[:4] == b".snd":
        return _au
    if head[:4] == b"OggS":
        return _ogg
    return lambda _file: None


def _left(file: BinaryIO) -> int:
    """Bytes from here to the end."""
    at = file.tell()
    end = file.seek(0, os.SEEK_END)
    file.seek(at)
    return end - at


def _wave(file: BinaryIO) -> Sizes:
    for chunk in chunks_in(file):
        if chunk.kind == b"data":
            file.seek(chunk.at)
            return None if chunk.size in (None, 0, UNKNOWN) else (chunk.size or 0, _left(file))
    return None


def _wave64(file: BinaryIO) -> Sizes:
    file.seek(40)
    while len(chunk := file.read(24)) == 24:
        length = struct.unpack("<Q", chunk[16:])[0]
        if chunk[:16] == _W64_DATA:
            return length - 24, _left(file)
        # Sizes count the head of their chunk; chunks begin at multiples of eight.
        file.seek(max(0, (length + 7) // 8 * 8 - 24), os.SEEK_CUR)
    return None


def _aiff(file: BinaryIO) -> Sizes:
    file.seek(12)
    while len(chunk := file.read(8)) == 8:
        kind, length = struct.unpack(">4sI", chunk)
        if kind == b"SSND":
            return length, _left(file)
        file.seek(length + length % 2, os.SEEK_CUR)
    return None


def _au(file: BinaryIO) -> Sizes:
    offset, length = struct.unpack(">II", file.read(12)[4:12])
    if length == UNKNOWN:
        return None
    file.seek(offset)
    return length, max(0, _left(file))


def _ogg(file: BinaryIO) -> Sizes:
    """A stream ends with a page that says so; a file that was cut has none."""
    end = file.seek(0, os.SEEK_END)
    file.seek(max(0, end - 2 * _LONGEST_OGG_PAGE))
    tail = file.read()
    page = tail.rfind(b"OggS")
    if page < 0 or len(tail) < page + 27:
        return end + 1, end
    n_segments = tail[page + 26]
    size = 27 + n_segments + sum(tail[page + 27 : page + 27 + n_segments])
    whole = tail[page + 5] & _LAST_OF_STREAM and len(tail) >= page + size
    return (end, end) if whole else (end + 1, end)
