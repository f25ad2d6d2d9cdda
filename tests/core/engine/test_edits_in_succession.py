"""Structural edits in quick succession while sounding: no step, and afterwards the session as it was set last."""

import unittest
from collections.abc import Callable
from typing import Any
from unittest import mock

import numpy as np

from gemischt.core.engine.plan import Plan
from gemischt.core.engine.renderer import Renderer
from gemischt.core.session.document import Session
from tests.support.sessions import Bench, compressor
from tests.support.signals import RATE_HZ, Signal, sine

Change = Callable[[Bench], None]
STEP = 0.37
"""What a plan that was dropped in the middle of its crossfade made of a tone of 0.5."""


def band() -> Bench:
    """Slow tones, so that a step stands out; buses, a return and lanes to change."""
    bench = Bench()
    for index, hz in enumerate((70.0, 110.0, 150.0)):
        bench.track(f"t{index}", sine(hz, -15, 4.0, phase_deg=40.0 * index), output="bus", chain=[], sends=[])
    bench.bus("bus", chain=[])
    bench.bus("hall", kind="return", chain=[])
    return bench


def gain(name: str, level_db: float) -> dict[str, Any]:
    return {"id": name, "type": "gain", "params": {"level_db": level_db}}


def lookahead(name: str, time_ms: float) -> dict[str, Any]:
    return compressor(name, threshold_db=0.0, ratio=1.0, lookahead_ms=time_ms)


def lanes(shift_ms: float, level_db: float) -> dict[str, Any]:
    made = [{"id": "l1", "name": "1"}, {"id": "l2", "name": "2", "shift_ms": shift_ms, "level_db": level_db}]
    return {"id": "lanes", "type": "parallel", "lanes": made, "level_db": -6.0}


def random_change(rng: np.random.Generator) -> Change:
    """Any edit: of structure, of latency, of levels."""
    strip = int(rng.integers(0, 5))
    track = int(rng.integers(0, 3))
    level_db = float(rng.uniform(-20.0, 0.0))
    chain = [
        *([gain("g", level_db)] if rng.random() < 0.4 else []),
        *([lookahead("c", float(rng.choice([0.0, 1.0, 5.0, 20.0])))] if rng.random() < 0.6 else []),
        *([lanes(float(rng.choice([-8.0, 0.0, 8.0])), level_db)] if rng.random() < 0.4 else []),
    ]
    sends = [{"id": "s", "to": "hall", "level_db": level_db}] if rng.random() < 0.5 else []
    changes: list[tuple[int, dict[str, Any]]] = [
        (strip, {"chain": chain}),
        (strip, {"fader_db": level_db}),
        (track, {"sends": sends}),
        (track, {"output": str(rng.choice(["bus", "mix"]))}),
        (track, {"mute": bool(rng.random() < 0.3)}),
    ]
    place, fields = changes[int(rng.integers(0, len(changes)))]
    return lambda bench: bench.strips[place].update(fields)


def played(changes: list[tuple[int, Change]], n_samples: int, *, max_block: int) -> tuple[Signal, Session, Bench]:
    """What sounds with changes made at some samples."""
    bench = band()
    renderer = bench.renderer(max_block=max_block)
    parts, at = [], 0
    for when, change in [*changes, (n_samples, lambda _: None)]:
        parts.append(renderer.render(when - at))
        at = when
        change(bench)
        renderer.edit(bench.session(), bench.media)
    return np.concatenate(parts, axis=1), bench.session(), bench


def roughness(signal: Signal) -> float:
    """Largest second difference."""
    return float(np.abs(np.diff(signal, n=2, axis=1)).max())


class SuccessionTest(unittest.TestCase):
    def random_changes(self, seed: int) -> list[tuple[int, Change]]:
        rng = np.random.default_rng(seed)
        times = np.cumsum(rng.integers(1, 1500, 25)) + 2000
        return [(int(time), random_change(rng)) for time in times]

    def test_no_step_whatever_comes_however_quickly(self) -> None:
        for seed in range(25):
            with self.subTest(seed=seed):
                out, _, _ = played(self.random_changes(seed), 60000, max_block=512)
                # Straight ramps over 20 ms of tones of 0.5 bend by some thousandths at their ends.
                self.assertLess(roughness(out), 0.01 * STEP)
                self.assertGreater(float(np.abs(out).max()), 0.05)

    def test_what_sounds_does_not_depend_on_block_sizes(self) -> None:
        for seed in range(5):
            with self.subTest(seed=seed):
                whole = played(self.random_changes(seed), 50000, max_block=4096)[0]
                for block in (64, 331):
                    out = played(self.random_changes(seed), 50000, max_block=block)[0]
                    np.testing.assert_allclose(out, whole, atol=1e-12)

    def test_once_settled_it_is_the_session_that_was_set_last(self) -> None:
        for seed in range(10):
            with self.subTest(seed=seed):
                changes = self.random_changes(seed)
                bench = band()
                renderer = bench.renderer(max_block=512)
                at = 0
                for when, change in changes:
                    renderer.render(when - at)
                    at = when
                    change(bench)
                    renderer.edit(bench.session(), bench.media)
                renderer.render(RATE_HZ)
                self.assertTrue(renderer.is_settled)
                fresh = Renderer(bench.session(), bench.media)
                fresh.render(at + RATE_HZ)
                np.testing.assert_allclose(renderer.render(4800), fresh.render(4800), atol=1e-9)

    def test_a_changed_lookahead_or_shift_does_not_click(self) -> None:
        cases = {
            "lookahead longer": (lookahead("c", 0.0), lookahead("c", 20.0)),
            "lookahead shorter": (lookahead("c", 20.0), lookahead("c", 1.0)),
            "lane later": (lanes(0.0, 0.0), lanes(30.0, 0.0)),
            "lane earlier": (lanes(0.0, 0.0), lanes(-30.0, 0.0)),
            "lane less late": (lanes(40.0, 0.0), lanes(3.0, 0.0)),
        }
        for name, (before, after) in cases.items():
            for strip in (0, 3):
                with self.subTest(name, strip=strip):
                    changes: list[tuple[int, Change]] = [
                        (0, lambda bench, s=strip, b=before: bench.strips[s].update(chain=[b])),  # type: ignore[misc]
                        (20000, lambda bench, s=strip, a=after: bench.strips[s].update(chain=[a])),  # type: ignore[misc]
                    ]
                    out = played(changes, 40000, max_block=512)[0]
                    self.assertLess(roughness(out[:, 12000:]), 0.004)

    def test_what_is_dragged_about_is_built_anew_twenty_times_a_second_at_most(self) -> None:
        bench = band()
        renderer = bench.renderer(max_block=256)
        with mock.patch("gemischt.core.engine.renderer.Plan", wraps=Plan) as built:
            for frame in range(60):
                bench.strips[0]["clips"] = [{"media": "t0", "start_s": 0.01 * frame}]
                renderer.edit(bench.session(), bench.media)
                renderer.render(RATE_HZ // 60)
        self.assertLessEqual(built.call_count, 21)
        self.assertGreater(built.call_count, 15)

    def test_a_level_is_not_held_up_by_a_structure_that_came_before(self) -> None:
        bench = band()
        renderer = bench.renderer(max_block=64)
        bench.strips[0]["chain"] = [gain("g", 0.0)]
        renderer.edit(bench.session(), bench.media)
        renderer.render(round(0.025 * RATE_HZ))
        bench.strips[0]["fader_db"] = None
        renderer.edit(bench.session(), bench.media)
        self.assertTrue(renderer.is_settled)

    def test_a_jump_in_the_middle_of_a_crossfade_takes_the_newest(self) -> None:
        bench = band()
        renderer = bench.renderer(max_block=512)
        renderer.render(5000)
        for level_db in (-3.0, -6.0, -9.0):
            bench.strips[3]["chain"] = [gain(f"g{level_db:g}", level_db)]
            renderer.edit(bench.session(), bench.media)
            renderer.render(100)
        renderer.seek(0)
        self.assertTrue(renderer.is_settled)
        np.testing.assert_allclose(renderer.render(4000), bench.render(4000), atol=1e-12)
