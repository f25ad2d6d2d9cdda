"""What a WAV file says of itself: title and song, when it was made, and where in the song it begins.

References: bext (EBU Tech 3285: description of 256 bytes, originator 32, its reference 32, date 10, time 8, samples
since midnight in 64 bits, version, UMID), iXML, LIST INFO; all from memory.
"""

import struct
from pathlib import Path
from xml.etree import ElementTree

from gemischt.storage.wave_chunks import read_chunks

_BEXT = struct.Struct("<256s32s32s10s8sQH64s5h180s")
_VERSION = 1
_ORIGINATOR = "Gemischt"
_LONGEST_STAMP_S = 86400.0


def tags_of(title: str, song: str, start_s: float, rate_hz: int, made_at: str) -> dict[bytes, bytes]:
    """Chunks that say so; ``made_at`` as ISO 8601."""
    date, _, clock = made_at.partition("T")
    stamp = round(start_s * rate_hz)
    head = (_fixed(title, 256), _fixed(_ORIGINATOR, 32), b"", _fixed(date, 10), _fixed(clock[:8], 8))
    bext = _BEXT.pack(*head, stamp, _VERSION, b"", 0, 0, 0, 0, 0, b"")
    scene = ElementTree.Element("BWFXML")
    speed = ElementTree.Element("SPEED")
    for name, value in (
        ("TIMESTAMP_SAMPLES_SINCE_MIDNIGHT_HI", stamp >> 32),
        ("TIMESTAMP_SAMPLES_SINCE_MIDNIGHT_LO", stamp & 0xFFFFFFFF),
        ("TIMESTAMP_SAMPLE_RATE", rate_hz),
    ):
        ElementTree.SubElement(speed, name).text = str(value)
    for name, text in (("IXML_VERSION", "1.5"), ("PROJECT", song), ("SCENE", title)):
        ElementTree.SubElement(scene, name).text = text
    scene.append(speed)
    info = b"INFO" + _text(b"INAM", title) + _text(b"IPRD", song) + _text(b"ISFT", _ORIGINATOR)
    return {b"bext": bext, b"iXML": ElementTree.tostring(scene, encoding="utf-8"), b"LIST": info}


def start_in_file(path: Path, rate_hz: int) -> float | None:
    """Where in its song a WAV file says that it begins, in seconds; None if it does not say, or not within a day."""
    bext = read_chunks(path, (b"bext",)).get(b"bext", b"")
    if len(bext) < _BEXT.size:
        return None
    (samples,) = struct.unpack_from("<Q", bext, 338)
    start_s = float(samples) / rate_hz
    return start_s if 0.0 <= start_s < _LONGEST_STAMP_S else None


def _fixed(text: str, n_bytes: int) -> bytes:
    return text.encode()[:n_bytes].decode(errors="ignore").encode()


def _text(kind: bytes, text: str) -> bytes:
    content = text.encode() + b"\0"
    return struct.pack("<4sI", kind, len(content)) + content + b"\0" * (len(content) % 2)
