"""Files of many channels taken apart: a file for each channel."""

from contextlib import ExitStack
from pathlib import Path
from typing import NamedTuple

import soundfile

from gemischt.core.errors import BadAudio
from gemischt.storage.audio_headers import check_complete
from gemischt.storage.audio_reading import check_header, read_blocks
from gemischt.storage.audio_writing import refusals_of
from gemischt.storage.wave_speakers import speakers_in

MOST_CHANNELS = 64


class ChannelFile(NamedTuple):
    """One channel: the loudspeaker it is for, or which one it is, and a WAV file of it."""

    name: str
    path: Path


def take_apart(path: Path, name: str, folder: Path) -> list[ChannelFile]:
    """Write each channel of a file to a file of its own, in single precision.

    Raises:
        BadAudio: it cannot be read, or has too many channels.
        StorageFailed: the disk is full.
    """
    info = check_header(path, name)
    if info.channels > MOST_CHANNELS:
        raise BadAudio(
            f"it has {info.channels} channels; up to {MOST_CHANNELS} are taken apart",
            where=name,
            remedy="Export its parts as files of their own.",
        )
    check_complete(path, name)
    files = [ChannelFile(label, folder / f"{at}.wav") for at, label in enumerate(speakers_in(path, info.channels))]
    with refusals_of(folder / name), ExitStack() as writing:
        parts = [
            writing.enter_context(soundfile.SoundFile(str(file.path), "w", info.samplerate, 1, "FLOAT"))
            for file in files
        ]
        for block in read_blocks(path, name, as_stored=True):
            for channel, part in enumerate(parts):
                part.write(block[:, channel])
    return files
