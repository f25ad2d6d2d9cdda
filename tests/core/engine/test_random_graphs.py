"""Random sessions: a valid one renders finite numbers, an invalid one is refused, and neither hangs."""

import unittest
from typing import Any

import numpy as np

from gemischt.core.engine.renderer import Renderer
from gemischt.core.errors import InvalidSession
from gemischt.core.routing.graph import edges_of, find_loop, processing_order
from gemischt.core.session.document import Session
from gemischt.core.session.ducking import with_steps_in_chains
from gemischt.core.session.validation import parse_session
from tests.support.sessions import Bench
from tests.support.signals import noise

BANDS = ("bell", "low-shelf", "high-shelf", "tilt", "low-cut", "high-cut", "band-pass", "notch")
WIDE = ("quad", "5.1", "7.1.4", "4+4")
TAPS = ("pre-chain", "pre-fader", "post-fader")


def random_lanes(rng: np.random.Generator, name: str, sources: list[str]) -> dict[str, Any]:
    """A block of lanes, some with a processor, one of them late."""
    lanes = [
        {
            "id": f"{name}-lane{k}",
            "name": f"Lane {k}",
            "level_db": float(rng.uniform(-20, 6)),
            "mute": bool(rng.random() < 0.2),
            "polarity_inverted": bool(rng.random() < 0.2),
            "shift_ms": float(rng.choice([0.0, 3.0, -2.0])),
            "chain": [random_processor(rng, f"{name}-{k}", sources)] if rng.random() < 0.6 else [],
        }
        for k in range(rng.integers(1, 4))
    ]
    block = {"id": name, "type": "parallel", "lanes": lanes, "on": bool(rng.random() < 0.8)}
    if rng.random() < 0.4:
        edges = np.sort(np.exp(rng.uniform(np.log(20), np.log(20000), len(lanes) - 1)))
        block["splits"] = [{"id": f"x{k}", "frequency_hz": float(edge)} for k, edge in enumerate(edges)]
    return block


def random_processor(rng: np.random.Generator, name: str, sources: list[str]) -> dict[str, Any]:
    if rng.random() < 0.5:
        bands = [
            {
                "shape": str(rng.choice(BANDS)),
                "frequency_hz": float(np.exp(rng.uniform(np.log(10), np.log(22000)))),
                "gain_db": float(rng.uniform(-24, 24)),
                "q": float(np.exp(rng.uniform(np.log(0.1), np.log(40)))),
                "slope_db_per_octave": int(rng.choice([6, 12, 18, 24, 36, 48])),
            }
            for _ in range(rng.integers(0, 9))
        ]
        near_nyquist = str(rng.choice(["cookbook", "analogue"]))
        return {"id": name, "type": "eq", "params": {"bands": bands, "near_nyquist": near_nyquist}}
    params = {
        "threshold_db": float(rng.uniform(-80, 0)),
        "ratio": None if rng.random() < 0.3 else float(rng.uniform(1, 100)),
        "knee_db": float(rng.uniform(0, 36)),
        "attack_ms": float(rng.choice([0.0, 500.0, rng.uniform(0, 50)])),
        "hold_ms": float(rng.choice([0.0, 50.0])),
        "release_ms": float(rng.choice([0.0, 5000.0, rng.uniform(0, 300)])),
        "range_db": None if rng.random() < 0.5 else float(rng.uniform(0, 80)),
        "makeup_db": float(rng.uniform(-12, 36)),
        "lookahead_ms": float(rng.choice([0.0, 20.0, rng.uniform(0, 5)])),
        "detector": str(rng.choice(["peak", "rms"])),
        "stereo_link": float(rng.uniform(0, 1)),
        "mix": float(rng.uniform(0, 1)),
    }
    key = {"from": str(rng.choice(sources)), "tap": str(rng.choice(TAPS))} if sources and rng.random() < 0.5 else {}
    return {"id": name, "type": "compressor", "params": params, "key": key, "on": bool(rng.random() < 0.8)}


def random_ducks(rng: np.random.Generator, strips: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """A few ducks on any strips, restarted by the song, by notes, or mostly by earlier strips."""
    ducks = []
    for number in range(rng.integers(0, 3)):
        first = int(rng.integers(len(strips)))
        clocks: list[dict[str, Any]] = [
            {
                "kind": "repeat",
                "note": str(rng.choice(["1/16", "1/8T", "1/4."])),
                "offset_s": float(rng.uniform(-1, 1)),
            },
            {"kind": "notes", "notes": [{"at_s": float(at_s)} for at_s in np.sort(rng.uniform(0, 0.4, 3))]},
            {"kind": "hits", "from": strips[first]["id"], "tap": str(rng.choice(TAPS)), "threshold_db": -20.0},
        ]
        clock = clocks[int(rng.integers(3))]
        behind = strips[first + 1 :] if clock["kind"] == "hits" and rng.random() < 0.9 else strips
        chosen = [strip for strip in behind if rng.random() < 0.5]
        targets = [
            {
                "id": f"t{k}",
                "strip": strip["id"],
                "at": str(rng.choice(TAPS)),
                "depth_db": None if rng.random() < 0.2 else float(rng.uniform(-40, 6)),
                "band": str(rng.choice(["all", "below", "above"])),
                "on": bool(rng.random() < 0.9),
            }
            for k, strip in enumerate(chosen)
        ]
        curve = [
            {"at": float(at), "open": float(rng.uniform(0, 1)), "bend": float(rng.uniform(-1, 1))}
            for at in np.sort(rng.uniform(0, 1, rng.integers(1, 6)))
        ]
        length = "1/8" if rng.random() < 0.5 else {"ms": float(rng.uniform(5, 300))}
        ducks.append(
            {"id": f"d{number}", "name": "Duck", "clock": clock, "length": length, "curve": curve, "targets": targets}
        )
    return ducks


def random_followers(rng: np.random.Generator, strips: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """A few followers of earlier strips that move levels, places and what else later strips have."""
    followers = []
    for number in range(rng.integers(0, 3)):
        first = int(rng.integers(len(strips)))
        targets = []
        for strip in strips[first + 1 :]:
            fields = ["fader_db", "trim_db"] + (["pan/position", "width"] if "layout" not in strip else [])
            fields += [f"sends/{send['id']}/level_db" for send in strip["sends"]]
            fields += [f"chain/{item['id']}/threshold_db" for item in strip["chain"] if item["type"] == "compressor"]
            field = str(rng.choice(fields))
            to = float(rng.uniform(0.0, 1.0) if field in ("pan/position", "width") else rng.uniform(-30, 0))
            if rng.random() < 0.5:
                target = f"strips/{strip['id']}/{field}"
                targets.append({"id": f"t{len(targets)}", "target": target, "to": to, "on": bool(rng.random() < 0.9)})
        followers.append(
            {
                "id": f"f{number}",
                "name": "Follower",
                "from": strips[first]["id"],
                "tap": str(rng.choice(TAPS)),
                "detector": str(rng.choice(["peak", "rms"])),
                "attack_ms": float(rng.choice([0.0, 5.0])),
                "release_ms": float(rng.uniform(0, 100)),
                "targets": targets,
            }
        )
    return followers


def random_document(rng: np.random.Generator, bench: Bench) -> dict[str, Any]:
    """Signals run from earlier strips to later ones, except for one edge in ten, which may close a loop."""
    n_strips = int(rng.integers(2, 9))
    kinds = ["track", *(str(rng.choice(["track", "bus", "return"])) for _ in range(n_strips - 1))]
    names = [f"strip-{index}" for index in range(n_strips)]
    strips: list[dict[str, Any]] = []
    for index, (name, kind) in enumerate(zip(names, kinds, strict=True)):
        inputs = [other for other, k in zip(names, kinds, strict=True) if k != "track"]
        later = [other for other in inputs if other > name]
        targets = [*(inputs if rng.random() < 0.1 else later), "mix"]
        sources = names if rng.random() < 0.1 else names[:index]
        strips.append(
            {
                "id": name,
                "name": name,
                "kind": kind,
                "clips": [{"media": "noise"}] if kind == "track" else [],
                "input": str(rng.choice(["as-is", "swap", "mono-sum", "side", "right"])),
                "trim_db": float(rng.uniform(-60, 60)),
                "fader_db": None if rng.random() < 0.1 else float(rng.uniform(-120, 24)),
                "mute": bool(rng.random() < 0.2),
                "solo": bool(rng.random() < 0.1),
                "pan": {
                    "mode": str(rng.choice(["balance", "fold", "two-handed"])),
                    "position": float(rng.uniform(-1, 1)),
                },
                "width": float(rng.uniform(0, 2)),
                "output": None if rng.random() < 0.1 else str(rng.choice(targets)),
                "sends": [
                    {"id": f"s{k}", "to": str(rng.choice(targets)), "tap": str(rng.choice(TAPS))}
                    for k in range(rng.integers(0, 3))
                ],
                "chain": [
                    (random_lanes if rng.random() < 0.25 else random_processor)(rng, f"p{k}", sources)
                    for k in range(rng.integers(0, 3))
                ],
            }
        )
        if rng.random() < 0.15:
            # More than two channels have no sides.
            strips[-1] |= {"layout": str(rng.choice(WIDE)), "input": "as-is", "pan": {}, "width": 1.0}
    ducks, followers = random_ducks(rng, strips), random_followers(rng, strips)
    strips.append(bench.mix | ({"layout": str(rng.choice(WIDE))} if rng.random() < 0.15 else {}))
    media = [{"id": "noise", "path": "audio/noise.wav"}]
    return {"name": "Random", "strips": strips, "media": media, "ducks": ducks, "followers": followers}


class RandomGraphTest(unittest.TestCase):
    def test_valid_ones_render_finite_and_the_rest_is_refused(self) -> None:
        rng = np.random.default_rng(2026)
        bench = Bench()
        bench.track("noise", noise(0.05, level=3.0, seed=6))
        rendered = refused = 0
        for number in range(120):
            document = random_document(rng, bench)
            with self.subTest(number=number):
                try:
                    session = parse_session(document)
                except InvalidSession as error:
                    self.assertTrue(error.faults)
                    refused += 1
                    continue
                self.check_order(session)
                out = Renderer(session, bench.media, max_block=int(rng.choice([64, 512]))).render(2000)
                self.assertTrue(np.isfinite(out).all())
                rendered += 1
        self.assertGreater(rendered, 40)
        self.assertGreater(refused, 5)

    def check_order(self, session: Session) -> None:
        self.assertIsNone(find_loop(session))
        order = processing_order(with_steps_in_chains(session))
        self.assertEqual(sorted(order), sorted(strip.id for strip in session.strips))
        for edge in edges_of(with_steps_in_chains(session)):
            self.assertLess(order.index(edge.source), order.index(edge.destination))

    def test_every_edge_of_a_loop_is_found(self) -> None:
        bench = Bench()
        bench.bus("a", output="b")
        bench.bus("b", sends=[{"id": "s", "to": "c"}], output=None)
        bench.bus("c", output="a")
        with self.assertRaises(InvalidSession) as caught:
            bench.session()
        self.assertIn("A -> B -> C -> A", str(caught.exception))
