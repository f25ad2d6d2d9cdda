"""Ways to make room to start from. All values are common practice, no source."""

from typing import Literal, get_args

from gemischt.core.processors.compressor_params import CompressorParams
from gemischt.core.processors.eq_params import BandMotion
from gemischt.core.session.ducks import CurveNode

WayName = Literal[
    "duck-hard", "make-room-for-fills", "pump", "lows-alone", "one-band", "drawn-at-hits", "drawn-on-the-beat"
]
WAYS: tuple[WayName, ...] = get_args(WayName)

WAY_LABELS: dict[WayName, str] = {
    "duck-hard": "Duck hard: all the way, back at once",
    "make-room-for-fills": "Make room for fills: 4:1, back in time",
    "pump": "Pump: 5:1, back quickly",
    "lows-alone": "Only the lows: below 100 Hz, what is above stays",
    "one-band": "One band: an equaliser dips where the two meet",
    "drawn-at-hits": "A drawn curve, started by each hit",
    "drawn-on-the-beat": "A drawn curve on the beat",
}

COMPRESSORS: dict[WayName, CompressorParams] = {
    "duck-hard": CompressorParams(ratio=None, threshold_db=-30.0, knee_db=0.0, attack_ms=0.0, release_ms=45.0),
    "make-room-for-fills": CompressorParams(
        ratio=4.0, threshold_db=-30.0, knee_db=6.0, attack_ms=1.0, release_ms=140.0
    ),
    "pump": CompressorParams(ratio=5.0, threshold_db=-30.0, knee_db=6.0, attack_ms=1.0, release_ms=70.0),
}

LOWS_BELOW_HZ = 100.0
LOWS = CompressorParams(ratio=4.0, threshold_db=-30.0, knee_db=6.0, attack_ms=1.0, release_ms=120.0)
LOWS_HEARD_FROM_HZ = 25.0

THRESHOLD_BELOW_DB = 12.0
"""So far below what is typically heard of a trigger its threshold lies."""
DIP_BELOW_DB = 3.0
"""So far below what is typically heard a band is all the way down ..."""
DIP_OVER_DB = 15.0
"""... and over so many decibels it goes there."""
DIP_HZ = 2500.0
"""Where voices are understood."""
DIP = BandMotion(to_db=-6.0, from_level_db=-40.0, full_level_db=-20.0, attack_ms=5.0, release_ms=120.0)

SWELL: tuple[CurveNode, ...] = (
    CurveNode(at=0.0, open=0.0, bend=0.0),
    CurveNode(at=0.1, open=0.06, bend=-0.3),
    CurveNode(at=0.8, open=1.0, bend=0.0),
    CurveNode(at=1.0, open=1.0, bend=0.0),
)
"""Down at once, held for a moment, and back in the time that is left."""
