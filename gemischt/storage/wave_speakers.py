"""Which loudspeaker each channel of a file is for, as WAV files say it: by a mask, or by the description of a scene.

A mask (WAVE_FORMAT_EXTENSIBLE, from memory) has a bit for each loudspeaker, and the file's channels are in the order of
the bits. There is none for lower corners. A description of a scene (ITU-R BS.2076) names them one by one.
"""

import struct
from pathlib import Path

from gemischt.core.errors import BadAudio
from gemischt.core.space.layout import FILE_LAYOUTS, LAYOUTS, LayoutName
from gemischt.storage.scene_description import described_labels
from gemischt.storage.wave_chunks import chunks_in, is_wave, read_chunks

_EXTENSIBLE = 0xFFFE
_MASK_AT = 20
BITS = (
    *("FL", "FR", "FC", "LFE", "BL", "BR", "FLC", "FRC", "BC"),
    *("SL", "SR", "TC", "TFL", "TFC", "TFR", "TBL", "TBC", "TBR"),
)
_FIVE = ("FL", "FR", "FC", "LFE", "BL", "BR")
_FIVE_BESIDE = ("FL", "FR", "FC", "LFE", "SL", "SR")
_SEVEN = ("FL", "FR", "FC", "LFE", "SL", "SR", "BL", "BR")
_TOPS = ("TFL", "TFR", "TBL", "TBR")
_SPEAKERS: tuple[tuple[LayoutName, tuple[str, ...]], ...] = (
    ("stereo", ("FL", "FR")),
    ("quad", ("FL", "FR", "BL", "BR")),
    ("quad", ("FL", "FR", "SL", "SR")),
    ("5.1", _FIVE),
    ("5.1", _FIVE_BESIDE),
    ("7.1", _SEVEN),
    ("5.1.4", (*_FIVE, *_TOPS)),
    ("5.1.4", (*_FIVE_BESIDE, *_TOPS)),
    ("7.1.4", (*_SEVEN, *_TOPS)),
)
"""A layout's channels in its own order; written as the first that is said of it."""

Order = tuple[int, ...]
"""For each channel of a layout, which of a file's it is."""


def mask_of(layout: LayoutName) -> int | None:
    """The mask that says a layout; None if none can."""
    speakers = next((speakers for name, speakers in _SPEAKERS if name == layout), None)
    return None if speakers is None else _mask(speakers)


def order_in_file(layout: LayoutName) -> Order:
    """Where a layout's channels stand in a file with its mask; in their own order where there is none."""
    speakers = next((speakers for name, speakers in _SPEAKERS if name == layout), None)
    return tuple(range(LAYOUTS[layout].n_channels)) if speakers is None else _order(speakers)


def speakers_of_file(path: Path, name: str, n_channels: int) -> tuple[LayoutName, Order]:
    """The layout of a file of so many channels, which must be one that some layout has, and where its channels stand.

    A mask that does not name as many loudspeakers as there are channels says nothing, nor does one of 0: then a file
    holds what files of so many channels hold, in that layout's order.

    Raises:
        BadAudio: its loudspeakers are none of our layouts.
    """
    unsaid = FILE_LAYOUTS[n_channels].name, tuple(range(n_channels))
    if n_channels <= 2:
        return unsaid
    labels = described_labels(read_chunks(path, (b"chna", b"axml")))
    if labels and len(labels) == n_channels:
        for layout in LAYOUTS.values():
            own = [channel.label for channel in layout.channels]
            if sorted(own) == sorted(labels):
                return layout.name, tuple(labels.index(label) for label in own)
    mask = _mask_in(path)
    if mask.bit_count() != n_channels:
        return unsaid
    for layout_name, speakers in _SPEAKERS:
        if _mask(speakers) == mask:
            return layout_name, _order(speakers)
    names = " ".join(bit for number, bit in enumerate(BITS) if mask >> number & 1)
    layouts = ", ".join(dict.fromkeys(name for name, _ in _SPEAKERS if LAYOUTS[name].n_channels > 2))
    raise BadAudio(
        f"its channels are for the loudspeakers {names}, which no layout here has",
        where=name,
        remedy=f"Let each channel become a track of its own, or export it as {layouts}.",
    )


def speakers_in(path: Path, n_channels: int) -> list[str]:
    """The loudspeaker of each channel of a file: as it says, else as files of so many channels have them; channels that
    no loudspeaker is known for are numbered."""
    labels = described_labels(read_chunks(path, (b"chna", b"axml"))) or []
    mask = _mask_in(path)
    said = [bit for number, bit in enumerate(BITS) if mask >> number & 1]
    usual = next((usual for _, usual in _SPEAKERS if len(usual) == n_channels), ())
    for names in (labels, said, sorted(usual, key=BITS.index)):
        if len(names) == n_channels:
            return names
    return [str(number) for number in range(1, n_channels + 1)]


def write_mask(path: Path, layout: LayoutName) -> None:
    """Say in a WAV file's header which loudspeakers its channels are for, 0 if no mask can."""
    with path.open("r+b") as file:
        form = next(chunk for chunk in chunks_in(file) if chunk.kind == b"fmt ")
        file.seek(form.at + _MASK_AT)
        file.write(struct.pack("<I", mask_of(layout) or 0))


def _mask(speakers: tuple[str, ...]) -> int:
    return sum(1 << BITS.index(speaker) for speaker in speakers)


def _order(speakers: tuple[str, ...]) -> Order:
    in_file = sorted(speakers, key=BITS.index)
    return tuple(in_file.index(speaker) for speaker in speakers)


def _mask_in(path: Path) -> int:
    """The mask of a file's header, 0 if it has none."""
    with path.open("rb") as file:
        if not is_wave(file.read(12)):
            return 0
    form = read_chunks(path, (b"fmt ",)).get(b"fmt ", b"")
    if len(form) < _MASK_AT + 4 or struct.unpack_from("<H", form)[0] != _EXTENSIBLE:
        return 0
    return int(struct.unpack_from("<I", form, _MASK_AT)[0])
