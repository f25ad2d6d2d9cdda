"""Lanes to start from, made of our own processors. Settings are common practice, no source."""

from typing import Any, Literal

from pydantic import TypeAdapter

from gemischt.core.session.document import Lane

RackName = Literal["clean", "squash", "only-top", "only-bottom", "scooped-mids", "short-room"]

_LANE: TypeAdapter[Lane] = TypeAdapter(Lane)

_RACKS: dict[RackName, dict[str, Any]] = {
    "clean": {"name": "Clean", "chain": []},
    "squash": {
        "name": "Squash",
        "level_db": -9.0,
        "chain": [
            {
                "id": "squash",
                "type": "compressor",
                "params": {
                    "threshold_db": -38.0,
                    "ratio": 12.0,
                    "knee_db": 6.0,
                    "attack_ms": 2.0,
                    "release_ms": 90.0,
                    "makeup_db": 12.0,
                },
            }
        ],
    },
    "only-top": {
        "name": "Only top",
        "level_db": -10.0,
        "chain": [
            {
                "id": "top-eq",
                "type": "eq",
                "params": {"bands": [{"shape": "low-cut", "frequency_hz": 4000.0, "slope_db_per_octave": 24}]},
            },
            {
                "id": "top-compressor",
                "type": "compressor",
                "params": {"threshold_db": -40.0, "ratio": 6.0, "attack_ms": 1.0, "release_ms": 60.0, "makeup_db": 8.0},
            },
        ],
    },
    "only-bottom": {
        "name": "Only bottom",
        "level_db": -8.0,
        "chain": [
            {
                "id": "bottom-eq",
                "type": "eq",
                "params": {"bands": [{"shape": "high-cut", "frequency_hz": 140.0, "slope_db_per_octave": 24}]},
            },
            {"id": "bottom-saturator", "type": "saturator", "params": {"drive_db": 9.0, "tone_hz": 2000.0}},
        ],
    },
    "scooped-mids": {
        "name": "Scooped mids",
        "level_db": -9.0,
        "chain": [
            {
                "id": "scoop",
                "type": "eq",
                "params": {
                    "bands": [
                        {"shape": "low-shelf", "frequency_hz": 110.0, "gain_db": 4.0},
                        {"shape": "bell", "frequency_hz": 700.0, "gain_db": -12.0, "q": 0.5},
                        {"shape": "high-shelf", "frequency_hz": 6000.0, "gain_db": 4.0},
                    ]
                },
            },
            {
                "id": "scoop-compressor",
                "type": "compressor",
                "params": {
                    "threshold_db": -34.0,
                    "ratio": 8.0,
                    "attack_ms": 5.0,
                    "release_ms": 110.0,
                    "makeup_db": 8.0,
                },
            },
        ],
    },
    "short-room": {
        "name": "Short room",
        "level_db": -12.0,
        "chain": [
            {
                "id": "room",
                "type": "reverb",
                "params": {"pre_delay_ms": 4.0, "decay_s": 0.5, "size": 0.25, "damping": 0.35, "low_cut_hz": 120.0},
            },
            {
                "id": "room-compressor",
                "type": "compressor",
                "params": {
                    "threshold_db": -40.0,
                    "ratio": 8.0,
                    "attack_ms": 1.0,
                    "release_ms": 140.0,
                    "makeup_db": 10.0,
                },
            },
        ],
    },
}


def rack_names() -> tuple[RackName, ...]:
    """Every rack there is."""
    return tuple(_RACKS)


def rack_label(rack: RackName) -> str:
    """A rack's name for people."""
    return str(_RACKS[rack]["name"])


def rack_lane(rack: RackName, lane_id: str) -> Lane:
    """A lane as the rack has it."""
    return _LANE.validate_python({"id": lane_id, **_RACKS[rack]})
