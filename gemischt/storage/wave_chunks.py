"""Chunks of WAV files, of those beyond 4 GiB too: where they lie, and more of them behind the audio.

References: RIFF/WAVE; RF64 (EBU Tech 3306) and BW64 (ITU-R BS.2088), which hold long sizes in a chunk ds64; from
memory.
"""

import os
import struct
from collections.abc import Iterator, Mapping
from pathlib import Path
from typing import BinaryIO, NamedTuple

FORMS = (b"RIFF", b"RF64", b"BW64")
UNKNOWN = 0xFFFFFFFF
"""As a size: the chunk ds64 says it, or nobody."""
_LARGEST_READ = 4 << 20


class Chunk(NamedTuple):
    """Where a chunk's content begins, and its size; None where nobody says it."""

    kind: bytes
    at: int
    size: int | None


def is_wave(head: bytes) -> bool:
    """Whether a file that begins with these 12 bytes has such chunks."""
    return head[:4] in FORMS and head[8:12] == b"WAVE"


def chunks_in(file: BinaryIO) -> Iterator[Chunk]:
    """All chunks of a file, in order, up to one whose size nobody says."""
    long_size: int | None = None
    at = 12
    while True:
        file.seek(at)
        head = file.read(8)
        if len(head) < 8:
            return
        kind, short = struct.unpack("<4sI", head)
        size: int | None = short
        if kind == b"ds64":
            sizes = file.read(16)
            long_size = struct.unpack("<Q", sizes[8:16])[0] if len(sizes) == 16 else None
        elif kind == b"data" and short == UNKNOWN:
            size = long_size
        yield Chunk(kind, at + 8, size)
        if size is None:
            return
        at += 8 + size + size % 2


def read_chunks(path: Path, kinds: tuple[bytes, ...]) -> Mapping[bytes, bytes]:
    """Contents of a WAV file's chunks of some kinds, the first of each; none that is too large to be what it says."""
    found: dict[bytes, bytes] = {}
    with path.open("rb") as file:
        if not is_wave(file.read(12)):
            return {}
        for chunk in chunks_in(file):
            if chunk.kind in kinds and chunk.kind not in found and chunk.size and chunk.size <= _LARGEST_READ:
                file.seek(chunk.at)
                found[chunk.kind] = file.read(chunk.size)
    return found


def append_chunks(path: Path, contents: Mapping[bytes, bytes]) -> None:
    """Put chunks behind all there are, and count them in the file's size."""
    with path.open("r+b") as file:
        form = file.read(4)
        end = file.seek(0, os.SEEK_END)
        if end % 2:
            file.write(b"\0")
        for kind, content in contents.items():
            file.write(struct.pack("<4sI", kind, len(content)) + content + b"\0" * (len(content) % 2))
        size = file.tell() - 8
        if form == b"RIFF":
            file.seek(4)
            file.write(struct.pack("<I", size))
        else:
            long_sizes = next(chunk for chunk in chunks_in(file) if chunk.kind == b"ds64")
            file.seek(long_sizes.at)
            file.write(struct.pack("<Q", size))
