"""Beds described as scenes: the chunks chna and axml of a WAV file (ITU-R BS.2088, BS.2076; from memory).

Layouts of BS.2051 are told by the common definitions of BS.2094, ours by definitions of their own: loudspeakers by
label, azimuth and elevation.
"""

import struct
from collections.abc import Mapping
from xml.etree import ElementTree

from gemischt.core.space.layout import LAYOUTS, LayoutName

_COMMON_PACKS: dict[LayoutName, str] = {"5.1": "0003", "7.1": "000f", "5.1.4": "0005", "7.1.4": "0017"}
_COMMON_CHANNELS = {
    "M+030": "0001",
    "M-030": "0002",
    "M+000": "0003",
    "LFE1": "0004",
    "M+110": "0005",
    "M-110": "0006",
    "M+090": "000a",
    "M-090": "000b",
    "M+135": "001c",
    "M-135": "001d",
    "U+030": "000d",
    "U-030": "000f",
    "U+110": "0010",
    "U-110": "0012",
    "U+045": "0022",
    "U-045": "0023",
    "U+135": "001e",
    "U-135": "001f",
}
_OWN_FROM = 0x1001
_HEAD, _ROW = struct.Struct("<HH"), struct.Struct("<H12s14s11sx")
_NAMESPACE = "urn:ebu:metadata-schema:ebuCore_2016"
_SAME_PLACE_DEG = 1.0


def description_of(layout: LayoutName, order: tuple[int, ...], name: str, duration_s: float) -> dict[bytes, bytes]:
    """The chunks that describe a file of a layout.

    Args:
        order: for each channel of the layout, which of the file's it is.
        name: what the bed is called.
    """
    channels = _channel_numbers(layout)
    pack = f"AP_0001{_COMMON_PACKS.get(layout, f'{_OWN_FROM:04x}')}"
    rows = [
        _ROW.pack(place + 1, f"ATU_{place + 1:08x}".encode(), f"AT_0001{channels[index]}_01".encode(), pack.encode())
        for index, place in sorted(enumerate(order), key=lambda item: item[1])
    ]
    chna = _HEAD.pack(len(rows), len(rows)) + b"".join(rows)
    root = ElementTree.Element("ebuCoreMain", {"xmlns": _NAMESPACE})
    form = ElementTree.SubElement(ElementTree.SubElement(root, "coreMetadata"), "format")
    scene = ElementTree.SubElement(form, "audioFormatExtended", {"version": "ITU-R_BS.2076-2"})
    _add_programme(scene, name, duration_s, pack, len(rows))
    if layout not in _COMMON_PACKS:
        _add_definitions(scene, layout, pack, channels)
    ElementTree.indent(root)
    axml = ElementTree.tostring(root, encoding="utf-8", xml_declaration=True)
    return {b"chna": chna, b"axml": axml}


def described_labels(chunks: Mapping[bytes, bytes]) -> list[str] | None:
    """Labels of a file's channels as its chunks describe them; None where they do not describe all as loudspeakers."""
    chna = chunks.get(b"chna", b"")
    if len(chna) < _HEAD.size:
        return None
    n_tracks, n_rows = _HEAD.unpack_from(chna)
    if len(chna) < _HEAD.size + n_rows * _ROW.size:
        return None
    labels = {f"0001{number}": label for label, number in _COMMON_CHANNELS.items()} | _own_labels(chunks)
    found: dict[int, str] = {}
    for row in range(n_rows):
        track, _, reference, _ = _ROW.unpack_from(chna, _HEAD.size + row * _ROW.size)
        label = labels.get(reference.decode("ascii", "replace")[3:11].lower())
        if label is not None:
            found.setdefault(track, label)
    in_order = [found[track] for track in range(1, n_tracks + 1) if track in found]
    return in_order if len(in_order) == n_tracks else None


def _channel_numbers(layout: LayoutName) -> list[str]:
    channels = LAYOUTS[layout].channels
    if layout in _COMMON_PACKS:
        return [_COMMON_CHANNELS[channel.label] for channel in channels]
    return [f"{_OWN_FROM + index:04x}" for index in range(len(channels))]


def _add_programme(scene: ElementTree.Element, name: str, duration_s: float, pack: str, n_tracks: int) -> None:
    end = _time(duration_s)
    programme = ElementTree.SubElement(
        scene,
        "audioProgramme",
        {"audioProgrammeID": "APR_1001", "audioProgrammeName": name, "start": _time(0.0), "end": end},
    )
    ElementTree.SubElement(programme, "audioContentIDRef").text = "ACO_1001"
    content = ElementTree.SubElement(scene, "audioContent", {"audioContentID": "ACO_1001", "audioContentName": name})
    ElementTree.SubElement(content, "audioObjectIDRef").text = "AO_1001"
    bed = ElementTree.SubElement(
        scene, "audioObject", {"audioObjectID": "AO_1001", "audioObjectName": name, "start": _time(0.0)}
    )
    ElementTree.SubElement(bed, "audioPackFormatIDRef").text = pack
    for track in range(1, n_tracks + 1):
        ElementTree.SubElement(bed, "audioTrackUIDRef").text = f"ATU_{track:08x}"
    for track in range(1, n_tracks + 1):
        ElementTree.SubElement(scene, "audioTrackUID", {"UID": f"ATU_{track:08x}"})


def _add_definitions(scene: ElementTree.Element, layout: LayoutName, pack: str, numbers: list[str]) -> None:
    kind = {"typeLabel": "0001", "typeDefinition": "DirectSpeakers"}
    packed = ElementTree.SubElement(
        scene, "audioPackFormat", {"audioPackFormatID": pack, "audioPackFormatName": layout, **kind}
    )
    for number, channel in zip(numbers, LAYOUTS[layout].channels, strict=True):
        ids = {letters: f"{letters}_0001{number}" for letters in ("AC", "AS", "AB")}
        ElementTree.SubElement(packed, "audioChannelFormatIDRef").text = ids["AC"]
        described = ElementTree.SubElement(
            scene,
            "audioChannelFormat",
            {"audioChannelFormatID": ids["AC"], "audioChannelFormatName": channel.label, **kind},
        )
        block = ElementTree.SubElement(described, "audioBlockFormat", {"audioBlockFormatID": f"{ids['AB']}_00000001"})
        ElementTree.SubElement(block, "speakerLabel").text = channel.label
        for coordinate, value in (("azimuth", channel.azimuth_deg), ("elevation", channel.elevation_deg)):
            ElementTree.SubElement(block, "position", {"coordinate": coordinate}).text = f"{value:.5f}"
        pcm = {"formatLabel": "0001", "formatDefinition": "PCM"}
        stream = ElementTree.SubElement(
            scene,
            "audioStreamFormat",
            {"audioStreamFormatID": ids["AS"], "audioStreamFormatName": channel.label, **pcm},
        )
        track_id = f"AT_0001{number}_01"
        ElementTree.SubElement(stream, "audioChannelFormatIDRef").text = ids["AC"]
        ElementTree.SubElement(stream, "audioTrackFormatIDRef").text = track_id
        track = ElementTree.SubElement(
            scene, "audioTrackFormat", {"audioTrackFormatID": track_id, "audioTrackFormatName": channel.label, **pcm}
        )
        ElementTree.SubElement(track, "audioStreamFormatIDRef").text = ids["AS"]


def _own_labels(chunks: Mapping[bytes, bytes]) -> dict[str, str]:
    """Labels of the channels that a file defines itself, by the number in their ids: those of the loudspeakers, of all
    layouts, that stand in such a place."""
    axml = chunks.get(b"axml", b"")
    # Whoever declares entities wants them to be expanded.
    if b"<!" in axml:
        return {}
    try:
        root = ElementTree.fromstring(axml)
    except ElementTree.ParseError:
        return {}
    found: dict[str, str] = {}
    for described in root.iter():
        if described.tag.rpartition("}")[2] != "audioChannelFormat":
            continue
        number = described.get("audioChannelFormatID", "")[3:].lower()
        said = {
            part.get("coordinate", part.tag.rpartition("}")[2]): part.text or ""
            for part in described.iter()
            if part.tag.rpartition("}")[2] in ("speakerLabel", "position")
        }
        label = _label_at(said)
        if label is not None:
            found[number] = label
    return found


def _label_at(said: Mapping[str, str]) -> str | None:
    """A loudspeaker by its place, or by a label that is known."""
    labels = {channel.label: channel for layout in LAYOUTS.values() for channel in layout.channels}
    label = said.get("speakerLabel", "").rpartition(":")[2]
    if label in labels:
        return label
    try:
        azimuth, elevation = float(said["azimuth"]), float(said["elevation"])
    except (KeyError, ValueError):
        return None
    for channel in labels.values():
        away = max(abs(channel.azimuth_deg - azimuth), abs(channel.elevation_deg - elevation))
        if away < _SAME_PLACE_DEG and not channel.is_lfe:
            return channel.label
    return None


def _time(seconds: float) -> str:
    whole = int(seconds)
    return f"{whole // 3600:02d}:{whole // 60 % 60:02d}:{whole % 60:02d}.{int(1e5 * (seconds - whole)):05d}"
