"""Write panning.json: gains of loudspeakers as the reference renderer of ITU-R BS.2127 gives them.

It runs in an environment of its own: Python 3.11, ear 2.1.0, NumPy 1.26, setuptools < 81; no other test needs it.
Layouts of BS.2051 are the renderer's own; four corners, and four under four, are given to it as ours.
"""

import json
import math
from pathlib import Path

import numpy as np
from ear.core import bs2051, point_source
from ear.core.geom import PolarPosition, cart
from ear.core.layout import Channel, Layout

OURS = {"5.1": "0+5+0", "7.1": "0+7+0", "5.1.4": "4+5+0", "7.1.4": "4+7+0"}
CORNER_DEG = math.degrees(math.atan(1.0 / math.sqrt(2.0)))
CORNERS = [(azimuth, 0.0) for azimuth in (45, -45, 135, -135)]
EIGHT = [(azimuth, elevation) for elevation in (-CORNER_DEG, CORNER_DEG) for azimuth in (45, -45, 135, -135)]


def corner_layout(name, places):
    return Layout(
        name,
        [
            Channel(name=f"{name} {index}", polar_position=PolarPosition(azimuth, elevation, 1.0))
            for index, (azimuth, elevation) in enumerate(places)
        ],
    )


def main() -> None:
    layouts = {ours: bs2051.get_layout(theirs).without_lfe for ours, theirs in OURS.items()}
    layouts |= {"quad": corner_layout("quad", CORNERS), "4+4": corner_layout("4+4", EIGHT)}
    random = np.random.default_rng(2127)
    directions = [(azimuth, elevation) for elevation in (-30, 0, 15, 30, 60, 90) for azimuth in range(-180, 180, 30)]
    directions += [
        (round(float(azimuth), 2), round(float(elevation), 2))
        for azimuth, elevation in zip(random.uniform(-180, 180, 40), random.uniform(-90, 90, 40), strict=True)
    ]
    written = {}
    for name, layout in layouts.items():
        panner = point_source.configure(layout)
        gains = [panner.handle(cart(azimuth, elevation, 1)) for azimuth, elevation in directions]
        written[name] = [[round(float(gain), 6) for gain in row] for row in gains]
    content = {"directions": directions, "gains": written}
    lines = json.dumps(content).replace("]], ", "]],\n").replace("]]}", "]]}\n")
    (Path(__file__).parent / "panning.json").write_text(lines)


if __name__ == "__main__":
    main()
