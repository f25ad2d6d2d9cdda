"""Audio files on disk, good and bad."""

import resource
import signal
import struct
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import numpy as np
import soundfile

from tests.support.signals import RATE_HZ, Signal


def write_wav(path: Path, signal: Signal, *, rate_hz: int = RATE_HZ, subtype: str = "FLOAT") -> Path:
    """A file of the given signal, (n_channels, n_samples)."""
    soundfile.write(path, signal.T, rate_hz, subtype=subtype)
    return path


def bad_files(folder: Path) -> dict[str, tuple[Path, str]]:
    """Files that cannot be used, each with a piece of the reason that must be given."""
    good = write_wav(folder / "good.wav", np.full((2, 4800), 0.25))
    bytes_ = good.read_bytes()
    cases: dict[str, tuple[bytes, str]] = {
        "empty.wav": (b"", "empty"),
        "text.wav": (b"this is no audio at all, only words", "not readable"),
        "header.wav": (bytes_[:20], "not readable"),
        "cut.wav": (bytes_[: len(bytes_) // 2], "cut off"),
    }
    written: dict[str, tuple[Path, str]] = {}
    for name, (data, reason) in cases.items():
        (folder / name).write_bytes(data)
        written[name] = (folder / name, reason)
    slow = bytearray(bytes_)
    slow[24:28] = struct.pack("<I", 1)
    (folder / "one-hertz.wav").write_bytes(slow)
    written["one-hertz.wav"] = (folder / "one-hertz.wav", "sample rate is 1 Hz")
    written["loud.wav"] = (write_wav(folder / "loud.wav", np.full((1, 4800), 1e30)), "above full scale")
    for suffix, kind in (("aiff", "AIFF"), ("w64", "W64"), ("rf64", "RF64"), ("au", "AU"), ("ogg", "OGG")):
        whole = folder / f"whole.{suffix}"
        tone = 0.3 * np.random.default_rng(2).standard_normal((48000, 2))
        soundfile.write(whole, tone, RATE_HZ, format=kind)
        cut = folder / f"cut.{suffix}"
        cut.write_bytes(whole.read_bytes()[: whole.stat().st_size * 2 // 3])
        written[cut.name] = (cut, "cut off")
    many = write_wav(folder / "many.wav", np.zeros((200, 480)))
    written["many.wav"] = (many, "200 channels")
    numbers = np.full((1, 4800), 0.1)
    numbers[0, 2400] = np.nan
    written["nan.wav"] = (write_wav(folder / "nan.wav", numbers), "not numbers")
    soundfile.write(folder / "none.wav", np.zeros((0, 1)), RATE_HZ)
    written["none.wav"] = (folder / "none.wav", "no samples")
    long = folder / "long.wav"
    frames = 2 * 3600 * 8000
    header = (
        b"RIFF" + struct.pack("<I", 36 + frames) + b"WAVEfmt " + struct.pack("<IHHIIHH", 16, 1, 1, 8000, 8000, 1, 8)
    )
    with long.open("wb") as file:
        file.write(header + b"data" + struct.pack("<I", frames))
        file.truncate(44 + frames)
    written["long.wav"] = (long, "120 minutes")
    flac = folder / "broken.flac"
    soundfile.write(flac, 0.3 * np.random.default_rng(1).standard_normal((48000, 1)), RATE_HZ)
    data = bytearray(flac.read_bytes())
    data[len(data) // 2 : len(data) // 2 + 3000] = b"\0" * 3000
    flac.write_bytes(data)
    written["broken.flac"] = (flac, "damaged")
    return written


@contextmanager
def no_file_longer_than(n_bytes: int) -> Iterator[None]:
    """The system writes what fits and refuses the rest, as on a disk that becomes full."""
    before, hard = resource.getrlimit(resource.RLIMIT_FSIZE)
    heard = signal.signal(signal.SIGXFSZ, signal.SIG_IGN)
    resource.setrlimit(resource.RLIMIT_FSIZE, (n_bytes, hard))
    try:
        yield
    finally:
        resource.setrlimit(resource.RLIMIT_FSIZE, (before, hard))
        signal.signal(signal.SIGXFSZ, heard)
