"""Beds: 32 mono tracks into 7.1.4 beside the same into two channels, and a reverb in a bed beside one in stereo."""

from typing import Any

import numpy as np

from bench.engine import RATE_HZ, in_turn, noise_media
from gemischt.core.dsp.jit import prepare_kernels
from gemischt.core.engine.renderer import Renderer
from gemischt.core.session.document import Session
from gemischt.core.session.validation import parse_session

BLOCK = 512


def run() -> None:
    prepare_kernels()
    made = {name: Renderer(session(name), noise_media(), max_block=BLOCK) for name in ("stereo", "7.1.4")}
    for layout in ("stereo", "7.1.4"):
        made[f"{layout} reverb"] = Renderer(session(layout, reverb=True), noise_media(), max_block=BLOCK)
    times = {name: float(np.mean(taken)) for name, taken in in_turn(made).items()}
    real = {name: BLOCK / RATE_HZ / taken for name, taken in times.items()}
    print("32 mono tracks into a bed, block 512, beside two channels in turn")
    print(f"  7.1.4 {real['7.1.4']:.1f} x real time (goal: 15 x), stereo {real['stereo']:.1f} x")
    print(f"  12 channels cost {times['7.1.4'] / times['stereo']:.1f} times 2 (goal: not more than 6 times)")
    reverb = {layout: times[f"{layout} reverb"] - times[layout] for layout in ("stereo", "7.1.4")}
    print(
        f"  a reverb with rooms of their own for both layers costs {reverb['7.1.4'] / reverb['stereo']:.1f} stereo ones"
    )


def session(layout: str, *, reverb: bool = False) -> Session:
    """Tracks all around, or from left to right; their reverb hears all of them."""
    wide = layout != "stereo"
    strips: list[dict[str, Any]] = []
    for k in range(32):
        around = {"mode": "around", "azimuth_deg": float(37 * k % 360 - 180), "elevation_deg": 20.0 * (k % 4)}
        pan = around if wide else {"position": (k % 9 - 4) / 4}
        strips.append({"id": f"t{k}", "name": f"Track {k}", "clips": [{"media": f"m{k}"}], "output": "mix", "pan": pan})
    mix: dict[str, Any] = {"id": "mix", "kind": "mix", "name": "Mix", "layout": layout if wide else None}
    if reverb:
        mix["chain"] = [{"id": "r", "type": "reverb", "params": {"layers": "each", "early": 0.5}}]
    media = [{"id": f"m{k}", "path": f"m{k}.wav"} for k in range(32)]
    return parse_session({"name": "Bed", "media": media, "strips": [*strips, mix]})
