"""Two documents over the same tracks: *as recorded* and *mixed*."""

from collections.abc import Mapping, Sequence
from typing import Any

from gemischt.core.session.document import Media, Session
from gemischt.core.session.validation import parse_session
from gemischt.demo import score

AS_RECORDED = "Low Tide (as recorded)"
MIXED = "Low Tide (mixed)"
DRUM_LANES_DB = -3.3
"""What makes the drums as loud as without their lanes."""

_COLORS = {"drums": "#b4654a", "low": "#a87b1f", "strings": "#4f8f4f", "reeds": "#b85c7a", "bars": "#1a8f8f",
           "brass": "#8a8a2f", "voices": "#8a6bb8", "sea": "#3d7fb8"}  # fmt: skip

# id: name, family
_TRACKS: dict[str, tuple[str, str]] = {
    "frame-drum": ("Frame drum", "drums"),
    "frame-drum-far": ("Frame drum far", "drums"),
    "floor-drum": ("Floor drum", "drums"),
    "low-tom": ("Low tom", "drums"),
    "mid-tom": ("Mid tom", "drums"),
    "hand-claps": ("Hand claps", "drums"),
    "shaker": ("Shaker", "drums"),
    "upright-bass": ("Upright bass", "low"),
    "mandolin-left": ("Mandolin left", "strings"),
    "mandolin-right": ("Mandolin right", "strings"),
    "nylon-guitar": ("Nylon guitar", "strings"),
    "accordion": ("Accordion", "reeds"),
    "glass-marimba": ("Glass marimba", "bars"),
    "muted-trumpet": ("Muted trumpet", "brass"),
    "lead-voice": ("Lead voice", "voices"),
    "harmony-voice-1": ("Harmony voice 1", "voices"),
    "harmony-voice-2": ("Harmony voice 2", "voices"),
    "sea-ambience": ("Sea ambience", "sea"),
}


def as_recorded(media: Mapping[str, Media]) -> Session:
    """Everything at 0 dB into the mix: the low tom's drive clips inside while its fader hides it, the mandolins are no
    mirrored pair, and the far microphone of the frame drum is out of phase."""
    strips = [_track(track_id) for track_id in _TRACKS]
    low_tom = next(strip for strip in strips if strip["id"] == "low-tom")
    low_tom["chain"] = [
        _eq("drive-eq", [{"shape": "bell", "frequency_hz": 98.0, "gain_db": 9.0, "q": 1.0}]),
        _compressor("drive", threshold_db=-18.0, ratio=3.0, attack_ms=20.0, release_ms=90.0, makeup_db=8.0),
    ]
    low_tom["fader_db"] = -16.5
    by_id = {strip["id"]: strip for strip in strips}
    by_id["mandolin-left"]["pan"], by_id["mandolin-right"]["pan"] = _at(-0.8), _at(0.3)
    by_id["frame-drum-far"]["polarity_inverted"] = True
    return _session(AS_RECORDED, media, [*strips, _mix([])])


def mixed(media: Mapping[str, Media]) -> Session:
    """Staged, grouped, placed, with rooms, lanes, and making room: what the demo should sound like."""
    settings: dict[str, dict[str, Any]] = {
        "frame-drum": {"trim_db": -10.6, "fader_db": -1.5, "output": "drums", "pan": _at(-0.12)},
        "frame-drum-far": {"trim_db": -7.5, "mute": True, "output": "drums"},
        "floor-drum": {"trim_db": -14.9, "fader_db": -2.0, "output": "drums"},
        "low-tom": {"trim_db": -9.0, "fader_db": -4.0, "output": "toms", "pan": _at(0.3)},
        "mid-tom": {"trim_db": -9.2, "fader_db": -4.0, "output": "toms", "pan": _at(-0.25)},
        "hand-claps": {"trim_db": -11.9, "fader_db": -8.0, "output": "drums", "pan": _at(0.2)},
        "shaker": {"trim_db": 7.3, "fader_db": -11.0, "output": "drums", "pan": _at(0.4)},
        "upright-bass": {"input": "mono-sum", "trim_db": -1.0, "fader_db": -1.0},
        "mandolin-left": {"trim_db": -5.6, "fader_db": -6.0, "output": "strings", "pan": _at(-0.7)},
        "mandolin-right": {"trim_db": 3.8, "fader_db": -6.5, "output": "strings", "pan": _at(0.7)},
        "nylon-guitar": {"trim_db": -13.8, "fader_db": -5.0, "output": "strings", "pan": _at(0.1)},
        "accordion": {"trim_db": -12.7, "fader_db": -7.0, "pan": _at(0.25)},
        "glass-marimba": {"trim_db": -2.3, "fader_db": -3.5, "pan": _at(-0.35)},
        "muted-trumpet": {"trim_db": -8.8, "fader_db": -7.0, "pan": _at(0.35)},
        "lead-voice": {"trim_db": -4.4, "fader_db": 1.5, "output": "voices"},
        "harmony-voice-1": {"trim_db": -5.8, "fader_db": -6.0, "output": "voices", "pan": _at(-0.45)},
        "harmony-voice-2": {"trim_db": -0.3, "fader_db": -6.5, "output": "voices", "pan": _at(0.45)},
        "sea-ambience": {"trim_db": -8.3, "fader_db": -13.0, "late": True},
    }
    chains: dict[str, list[dict[str, Any]]] = {
        "frame-drum": [
            _eq("eq", [_cut("low-cut", 70.0), {"shape": "bell", "frequency_hz": 320.0, "gain_db": -2.5, "q": 1.2}]),
            _compressor("compressor", threshold_db=-26.0, ratio=3.0, attack_ms=12.0, release_ms=110.0),
        ],
        "floor-drum": [_eq("eq", [{"shape": "bell", "frequency_hz": 58.0, "gain_db": 2.5, "q": 1.0}])],
        "upright-bass": [
            _eq("eq", [_cut("low-cut", 38.0), {"shape": "bell", "frequency_hz": 62.0, "gain_db": -2.0, "q": 1.4}]),
            _BASS_BANDS,
        ],
        "strings": [_eq("room-for-voice", [_DIP])],
        "harmony-voice-1": [_OPENS_WITH_LEAD],
        "harmony-voice-2": [_OPENS_WITH_LEAD],
        "nylon-guitar": [
            _eq("eq", [_cut("low-cut", 95.0), {"shape": "bell", "frequency_hz": 2400.0, "gain_db": -3.0, "q": 1.0}]),
            _compressor(
                "room-for-voice", threshold_db=-32.0, ratio=2.5, attack_ms=8.0, release_ms=220.0, range_db=4.0,
                key={"from": "lead-voice", "tap": "pre-fader", "filter": {"low_cut_hz": 200.0, "high_cut_hz": None}},
            ),
        ],
        "accordion": [
            _eq("eq", [_cut("low-cut", 140.0), {"shape": "bell", "frequency_hz": 900.0, "gain_db": -2.0, "q": 0.8}]),
            _compressor(
                "room-for-marimba", threshold_db=-34.0, ratio=3.0, attack_ms=2.0, release_ms=165.0, range_db=6.0,
                key={"from": "glass-marimba", "tap": "pre-fader"},
            ),
        ],
        "lead-voice": [
            _eq("eq", [_cut("low-cut", 90.0), {"shape": "bell", "frequency_hz": 320.0, "gain_db": -2.5, "q": 1.2},
                       {"shape": "bell", "frequency_hz": 2600.0, "gain_db": 1.8, "q": 0.9},
                       {"shape": "high-shelf", "frequency_hz": 9000.0, "gain_db": 2.0}]),
            _compressor("compressor", threshold_db=-26.0, ratio=3.0, attack_ms=8.0, release_ms=120.0),
        ],
        "drums": [
            _DRUM_LANES,
            _compressor("compressor", threshold_db=-26.0, ratio=2.0, attack_ms=30.0, release_ms=150.0),
        ],
        "voices": [_compressor("compressor", threshold_db=-28.0, ratio=2.0, attack_ms=15.0, release_ms=180.0)],
    }  # fmt: skip
    sends: dict[str, list[dict[str, Any]]] = {
        "hand-claps": [_send("hall", -12.0)],
        "mandolin-left": [_send("hall", -18.0)],
        "mandolin-right": [_send("hall", -18.0)],
        "accordion": [_send("hall", -20.0)],
        "glass-marimba": [_send("hall", -13.0), _send("echo", -16.0)],
        "muted-trumpet": [_send("hall", -14.0)],
        "lead-voice": [_send("hall", -14.0), _send("echo", -17.0)],
        "harmony-voice-1": [_send("hall", -12.0)],
        "harmony-voice-2": [_send("hall", -12.0)],
        "toms": [_send("hall", -16.0)],
    }
    folders = {
        "drums": ("frame-drum", "frame-drum-far", "floor-drum", "hand-claps", "shaker"),
        "toms": ("low-tom", "mid-tom"),
        "strings": ("mandolin-left", "mandolin-right", "nylon-guitar"),
        "voices": ("lead-voice", "harmony-voice-1", "harmony-voice-2"),
    }
    buses = {
        "drums": _bus("drums", "Drums", "drums", "mix"),
        "toms": _bus("toms", "Toms", "drums", "drums") | {"folder": "drums"},
        "strings": _bus("strings", "Strings", "strings", "mix"),
        "voices": _bus("voices", "Voices", "voices", "mix"),
    }
    folder_of = {track: folder for folder, tracks in folders.items() for track in tracks}
    strips: list[dict[str, Any]] = []
    for track_id in _TRACKS:
        folder = folder_of.get(track_id)
        if folder is not None and folders[folder][0] == track_id:
            strips.append(buses[folder])
        strips.append(_track(track_id) | {"folder": folder} | settings[track_id])
    strips.append(_TICK)
    strips += [_return("hall", "Hall", _HALL), _return("echo", "Echo", _ECHO) | {"sends": [_send("hall", -12.0)]}]
    for strip in strips:
        strip["chain"] = chains.get(strip["id"], strip.get("chain", []))
        strip["sends"] = sends.get(strip["id"], strip.get("sends", []))
    mix_chain = [
        _eq("eq", [_cut("low-cut", 28.0), {"shape": "high-shelf", "frequency_hz": 8000.0, "gain_db": 1.0}]),
        _compressor("compressor", threshold_db=-16.0, ratio=1.6, attack_ms=30.0, release_ms=200.0, lookahead_ms=2.0),
    ]
    band = [track_id for track_id in _TRACKS if track_id != "sea-ambience"]
    return _session(
        MIXED,
        media,
        [*strips, _mix(mix_chain) | {"trim_db": 8.0}],
        folders=[
            {"id": folder, "name": folder.title(), "bus": folder, "parent": "drums" if folder == "toms" else None}
            for folder in folders
        ],
        control_groups=[{"id": "band", "name": "Band", "members": band}],
        moves=[
            _move("strips/lead-voice/fader_db", _ride()),
            _move("strips/harmony-voice-1/sends/to-hall/level_db", _in_refrains(-12.0, -8.0)),
            _move("strips/drums/chain/lanes/lanes/squash/level_db", _in_refrains(-10.0, -8.0)),
            _move("ducks/swell/on", _left_out("Slack water")),
        ],
        ducks=[_SWELL],
        followers=[_SHORTER],
    )


def _left_out(section: str) -> list[tuple[float, bool, float]]:
    """A switch that is off in one section."""
    first, last = next((first, last) for name, first, last in score.SECTIONS if name == section)
    return [(0.0, True, 0.0), (first, False, 0.0), (last, True, 0.0)]


def _move(target: str, points: Sequence[tuple[float, float | bool, float]]) -> dict[str, Any]:
    """Points as bar, value and bend."""
    return {
        "target": target,
        "points": [{"at_s": bar * score.BAR_S, "value": value, "bend": bend} for bar, value, bend in points],
    }


def _ride() -> list[tuple[float, float, float]]:
    """The lead voice: back in the verses, forward in the refrains, and away at the end."""
    points = [(0.0, 0.0, 0.0)]
    for first, last in _REFRAINS:
        points += [(first - 1.0, 0.0, 0.3), (first, 1.5, 0.0), (last - 0.5, 1.5, 0.0), (last + 0.5, 0.0, 0.0)]
    last = _REFRAINS[-1][1]
    return [*points, (last + 2.0, 0.0, -0.4), (last + 6.0, -9.0, 0.0)]


def _in_refrains(below: float, within: float) -> list[tuple[float, float, float]]:
    """A level that comes up in half a bar before each refrain, and goes back behind it."""
    points = [(0.0, below, 0.0)]
    for first, last in _REFRAINS:
        points += [(first - 0.5, below, 0.0), (first, within, 0.0), (last, within, 0.0), (last + 0.5, below, 0.0)]
    return points


_REFRAINS = [(first, last) for section, first, last in score.SECTIONS if section.startswith("Refrain")]
_DRUM_LANES = {
    "id": "lanes",
    "type": "parallel",
    "name": "Drum lanes",
    "level_db": DRUM_LANES_DB,
    "lanes": [
        {"id": "clean", "name": "Clean"},
        {"id": "squash", "name": "Squash", "level_db": -10.0, "chain": [
            {"id": "squash", "type": "compressor",
             "params": {"threshold_db": -38.0, "ratio": 12.0, "attack_ms": 2.0, "release_ms": 110.0,
                        "makeup_db": 10.0}}]},
        {"id": "only-top", "name": "Only top", "level_db": -14.0, "chain": [
            {"id": "top", "type": "eq",
             "params": {"bands": [{"shape": "low-cut", "frequency_hz": 4500.0, "slope_db_per_octave": 24}]}},
            {"id": "bite", "type": "saturator", "params": {"drive_db": 12.0}}]},
    ],
}  # fmt: skip
_BASS_BANDS = {
    "id": "bands",
    "type": "parallel",
    "name": "Bands",
    "splits": [{"id": "x1", "frequency_hz": 120.0}],
    "lanes": [
        {"id": "lows", "name": "Lows", "chain": [
            {"id": "room-for-drum", "type": "compressor",
             "params": {"threshold_db": -34.0, "ratio": 6.0, "attack_ms": 1.0, "release_ms": 90.0, "range_db": 9.0},
             "key": {"from": "floor-drum", "tap": "pre-fader", "filter": {"low_cut_hz": 25.0, "high_cut_hz": 120.0}}}]},
        {"id": "highs", "name": "Highs"},
    ],
}  # fmt: skip
"""The bass keeps its strings' tone; only what the drum needs goes down."""
_DIP = {
    "id": "presence", "shape": "bell", "frequency_hz": 2200.0, "q": 0.9,
    "motion": {"to_db": -4.0, "from_level_db": -50.0, "full_level_db": -34.0, "attack_ms": 8.0, "release_ms": 160.0,
               "key": {"from": "lead-voice"}},
}  # fmt: skip
"""Words are understood where plucked strings are bright."""
_OPENS_WITH_LEAD = {
    "id": "breath", "type": "gate",
    "params": {"threshold_db": -42.0, "range_db": 9.0, "attack_ms": 3.0, "hold_ms": 250.0, "release_ms": 300.0},
    "key": {"from": "lead-voice"},
}  # fmt: skip
"""Breath between the phrases stays out of the hall."""
_TICK = {
    "id": "tick", "kind": "ghost", "name": "Tick", "color": "#6d6370",
    "pattern": {"kind": "steps", "note": "1/8", "steps": [1.0, 0.0, 0.0, 1.0, 0.0, 0.0]},
}  # fmt: skip
_SWELL = {
    "id": "swell", "name": "Swell", "length": "1/4.", "clock": {"kind": "hits", "from": "tick"},
    "curve": [{"at": 0.0, "open": 0.0}, {"at": 0.1, "open": 0.06, "bend": -0.3}, {"at": 0.8, "open": 1.0},
              {"at": 1.0, "open": 1.0}],
    "targets": [
        {"id": "sea", "strip": "sea-ambience", "depth_db": -9.0},
        {"id": "strings", "strip": "strings", "depth_db": -2.5, "band": "above", "crossover_hz": 250.0},
        {"id": "echo", "strip": "echo", "depth_db": -6.0},
    ],
}  # fmt: skip
"""The sea breathes with the beat, and strings and echo with it: a ghost starts one curve for three depths."""
_SHORTER = {
    "id": "shorter", "name": "Shorter while loud", "from": "drums", "tap": "post-fader",
    "floor_db": -34.0, "ceiling_db": -14.0, "attack_ms": 10.0, "release_ms": 400.0,
    "targets": [{"id": "decay", "target": "strips/hall/chain/reverb/decay_s", "to": 1.2}],
}  # fmt: skip
"""The hall does not blur the drums where they play."""
_HALL = [
    {"id": "reverb", "type": "reverb", "params": {"pre_delay_ms": 28.0, "decay_s": 2.1, "size": 0.7, "damping": 0.45,
                                                  "low_cut_hz": 180.0, "high_cut_hz": 9000.0}},
    {"id": "room-for-voice", "type": "compressor",
     "params": {"threshold_db": -34.0, "ratio": 3.0, "attack_ms": 10.0, "release_ms": 380.0, "range_db": 5.0},
     "key": {"from": "lead-voice", "tap": "pre-fader"}},
]  # fmt: skip
_ECHO = [
    {"id": "delay", "type": "delay", "params": {"note": "1/4", "feedback": 0.32, "ping_pong": True, "low_cut_hz": 250.0,
                                                "high_cut_hz": 4200.0}},
]  # fmt: skip


def _session(name: str, media: Mapping[str, Media], strips: list[dict[str, Any]], **more: Any) -> Session:
    return parse_session(
        {
            "format": "gemischt-session",
            "version": 1,
            "name": name,
            "sample_rate_hz": 48000,
            "tempo": [{"at_s": 0.0, "bpm": score.BPM, "beat": "1/4.", "metre": "6/8"}],
            "sections": [
                {"name": section, "start_s": first * score.BAR_S, "end_s": last * score.BAR_S}
                for section, first, last in score.SECTIONS
            ],
            "media": [media[track_id].model_dump() for track_id in _TRACKS],
            "strips": strips,
            **more,
        }
    )


def _track(track_id: str) -> dict[str, Any]:
    name, family = _TRACKS[track_id]
    clips = [{"media": track_id}]
    return {"id": track_id, "name": name, "color": _COLORS[family], "clips": clips, "output": "mix", "chain": []}


def _bus(bus_id: str, name: str, family: str, output: str) -> dict[str, Any]:
    return {"id": bus_id, "kind": "bus", "name": name, "color": _COLORS[family], "output": output}


def _return(strip_id: str, name: str, chain: list[dict[str, Any]]) -> dict[str, Any]:
    return {"id": strip_id, "kind": "return", "name": name, "color": _COLORS["sea"], "output": "mix", "chain": chain}


def _send(to: str, level_db: float) -> dict[str, Any]:
    return {"id": f"to-{to}", "to": to, "level_db": level_db}


def _mix(chain: list[dict[str, Any]]) -> dict[str, Any]:
    return {"id": "mix", "kind": "mix", "name": "Mix", "color": "#2a2433", "chain": chain}


def _eq(processor_id: str, bands: list[dict[str, Any]]) -> dict[str, Any]:
    return {"id": processor_id, "type": "eq", "params": {"bands": bands}}


def _cut(shape: str, frequency_hz: float) -> dict[str, Any]:
    return {"shape": shape, "frequency_hz": frequency_hz}


def _compressor(processor_id: str, key: dict[str, Any] | None = None, **params: float) -> dict[str, Any]:
    return {"id": processor_id, "type": "compressor", "params": params, "key": key or {}}


def _at(position: float) -> dict[str, float]:
    return {"position": position}
