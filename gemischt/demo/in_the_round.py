"""The song around the listener: four corners below, four above, and a stairwell that answers on both landings."""

from collections.abc import Mapping
from typing import Any

from gemischt.core.session.document import Media, Session
from gemischt.core.session.validation import dump_session, parse_session
from gemischt.demo import score, sessions

IN_THE_ROUND = "Low Tide (in the round)"

# Azimuth to the left, elevation, spread.
_PLACES: dict[str, tuple[float, float, float]] = {
    "drums": (0.0, -20.0, 40.0),
    "upright-bass": (0.0, -30.0, 30.0),
    "mandolin-left": (70.0, 15.0, 10.0),
    "mandolin-right": (-70.0, 15.0, 10.0),
    "nylon-guitar": (-35.0, -10.0, 10.0),
    "accordion": (-120.0, 0.0, 40.0),
    "glass-marimba": (0.0, 45.0, 15.0),
    "muted-trumpet": (125.0, 20.0, 10.0),
    "lead-voice": (0.0, 5.0, 10.0),
    "harmony-voice-1": (110.0, 35.0, 15.0),
    "harmony-voice-2": (-110.0, 35.0, 15.0),
    "sea-ambience": (180.0, -10.0, 240.0),
    "echo": (180.0, 30.0, 60.0),
}
_STRINGS = {"mandolin-left", "mandolin-right", "nylon-guitar"}
_VOICES = {"lead-voice", "harmony-voice-1", "harmony-voice-2"}
_STAIRWELL = {
    "id": "reverb",
    "type": "reverb",
    "params": {
        "pre_delay_ms": 12.0,
        "decay_s": 2.6,
        "size": 0.55,
        "damping": 0.35,
        "early": 0.6,
        "low_cut_hz": 180.0,
        "layers": "each",
        "exchange": 0.35,
    },
}


def in_the_round(media: Mapping[str, Media]) -> Session:
    """The mixed session with everything placed around, its hall a stairwell whose landings hear each other."""
    written = dump_session(sessions.mixed(media))
    written["name"] = IN_THE_ROUND
    gone = {"strings", "voices"}
    written["folders"] = [_without_bus(folder, gone) for folder in written["folders"]]
    written["strips"] = [_placed(strip) for strip in written["strips"] if strip["id"] not in gone]
    written["ducks"] = [_without_targets(duck, gone) for duck in written["ducks"]]
    written["moves"] = [*written["moves"], _flight()]
    return parse_session(written)


def _placed(strip: dict[str, Any]) -> dict[str, Any]:
    if strip["id"] in _STRINGS | _VOICES:
        strip = strip | {"output": "mix"}
    if strip["id"] == "hall":
        strip = strip | {"name": "Stairwell", "layout": "4+4", "chain": [_STAIRWELL, *strip["chain"][1:]]}
    if strip["kind"] == "mix":
        strip = strip | {"layout": "4+4"}
    place = _PLACES.get(strip["id"])
    if place is None:
        return strip
    azimuth_deg, elevation_deg, spread_deg = place
    around = {"azimuth_deg": azimuth_deg, "elevation_deg": elevation_deg, "spread_deg": spread_deg}
    return strip | {"pan": {"mode": "around", **around}}


def _without_bus(folder: dict[str, Any], gone: set[str]) -> dict[str, Any]:
    return folder | {"bus": None} if folder["bus"] in gone else folder


def _without_targets(duck: dict[str, Any], gone: set[str]) -> dict[str, Any]:
    return duck | {"targets": [target for target in duck["targets"] if target["strip"] not in gone]}


def _flight() -> dict[str, Any]:
    """The marimba circles overhead, once in each refrain."""
    points: list[dict[str, float]] = [{"at_s": 0.0, "value": 0.0}]
    for section, first, last in score.SECTIONS:
        if section.startswith("Refrain"):
            begin_s, end_s = first * score.BAR_S, last * score.BAR_S
            half_s = 0.5 * (begin_s + end_s)
            points += [
                {"at_s": begin_s, "value": 0.0},
                {"at_s": half_s, "value": 180.0},
                {"at_s": half_s, "value": -180.0},
                {"at_s": end_s, "value": 0.0},
            ]
    return {"target": "strips/glass-marimba/pan/azimuth_deg", "points": points}
