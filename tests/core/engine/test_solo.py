"""Solo in place: what is heard is the soloed strips' own signal on all its ways, and keys always go on.

Every track is a tone of its own, so that its share of the mix can be read off.
"""

import itertools
import unittest
from typing import Any

import numpy as np

from gemischt.core.analysis.cache.renders import MemoryRenders
from gemischt.core.analysis.measurement.song import measure_song
from gemischt.core.routing.solo import closed_by_solo, with_solo_applied
from gemischt.core.session.document import Session
from gemischt.core.session.validation import parse_session
from tests.support.sessions import Bench, compressor
from tests.support.signals import RATE_HZ, noise, sine

N = 4800
TAPS = ("pre-chain", "pre-fader", "post-fader")
TONES_HZ = {"kick": 100.0, "snare": 200.0, "bass": 300.0, "voice": 400.0}


def shares(bench: Bench) -> dict[str, float]:
    """How much of each track is in the mix: the amplitude of its tone against the track's own."""
    out = bench.render(2 * N)[0, N:]
    times = np.arange(N, 2 * N) / RATE_HZ
    return {
        name: round(float(np.abs(out @ np.exp(-2j * np.pi * hz * times))) * 2 / N / 0.1, 6)
        for name, hz in TONES_HZ.items()
    }


def heard(bench: Bench) -> dict[str, float]:
    return {name: share for name, share in shares(bench).items() if share > 1e-5}


class SoloCase(unittest.TestCase):
    def band(self, *soloed: str, safe: tuple[str, ...] = (), **fields: dict[str, Any]) -> Bench:
        """Kick and snare on a bus, bass and voice for themselves; snare and voice into a hall, kick before its fader
        into a room."""
        bench = Bench()

        def flags(name: str) -> dict[str, Any]:
            return {"solo": name in soloed, "solo_safe": name in safe, **fields.get(name, {})}

        hall = [{"id": "s", "to": "hall", "level_db": -20.0}]
        room = [{"id": "s", "to": "room", "level_db": -40.0, "tap": "pre-fader"}]
        for name, more in (
            ("kick", {"output": "drums", "sends": room}),
            ("snare", {"output": "drums", "sends": hall}),
            ("bass", {}),
            ("voice", {"sends": hall}),
        ):
            bench.track(name, sine(TONES_HZ[name], -20, 0.3), **{**more, **flags(name)})
        bench.bus("drums", **flags("drums"))
        bench.bus("hall", kind="return", **flags("hall"))
        bench.bus("room", kind="return", **flags("room"))
        return bench


class WhatIsHeardTest(SoloCase):
    ALL = {"kick": 1.01, "snare": 1.1, "bass": 1.0, "voice": 1.1}

    def test_nothing_soloed_is_everything(self) -> None:
        self.assertEqual(heard(self.band()), self.ALL)
        self.assertEqual(closed_by_solo(self.band().session()), frozenset())

    def test_a_track_on_all_its_ways_with_its_share_of_the_return_only(self) -> None:
        for track in TONES_HZ:
            with self.subTest(track):
                self.assertEqual(heard(self.band(track)), {track: self.ALL[track]})

    def test_a_bus_with_its_members_own_returns(self) -> None:
        self.assertEqual(heard(self.band("drums")), {"kick": 1.01, "snare": 1.1})

    def test_a_return_is_the_wet_sound_alone(self) -> None:
        self.assertEqual(heard(self.band("hall")), {"snare": 0.1, "voice": 0.1})
        self.assertEqual(heard(self.band("room")), {"kick": 0.01})

    def test_the_mix_soloed_is_everything(self) -> None:
        bench = self.band()
        bench.mix["solo"] = True
        self.assertEqual(heard(bench), self.ALL)

    def test_solos_add_up(self) -> None:
        self.assertEqual(heard(self.band("bass", "hall")), {"snare": 0.1, "bass": 1.0, "voice": 0.1})
        self.assertEqual(heard(self.band("kick", "voice")), {"kick": 1.01, "voice": 1.1})

    def test_a_safe_return_gets_nothing_from_silenced_strips(self) -> None:
        for safe in ("hall", "room"):
            with self.subTest(safe):
                self.assertEqual(heard(self.band("bass", safe=(safe,))), {"bass": 1.0})

    def test_a_safe_track_is_heard_through_its_bus(self) -> None:
        self.assertEqual(heard(self.band("bass", safe=("snare",))), {"snare": 1.1, "bass": 1.0})

    def test_a_safe_return_rings_on(self) -> None:
        delay = {"id": "d", "type": "delay", "params": {"time_ms": 50.0, "feedback": 0.0, "wet": 1.0}}
        bench = self.band(safe=("hall",), hall={"chain": [delay]})
        renderer = bench.renderer()
        renderer.render(N)
        renderer.edit(self.band("bass", safe=("hall",), hall={"chain": [delay]}).session(), bench.media)
        renderer.render(1200)
        self.assertGreater(float(np.abs(renderer.plan.buffers["hall/post-fader"]).max()), 1e-3)

    def test_mutes_and_faders_still_count(self) -> None:
        self.assertEqual(heard(self.band("voice", voice={"mute": True})), {})
        self.assertEqual(heard(self.band("drums", snare={"mute": True})), {"kick": 1.01})

    def test_a_soloed_strip_that_goes_nowhere_is_silence(self) -> None:
        self.assertEqual(heard(self.band("bass", bass={"output": None})), {})


class KeysTest(SoloCase):
    def reduction_db(self, bench: Bench) -> float:
        renderer = bench.renderer(max_block=N)
        renderer.render(2 * N)
        return round(float(renderer.plan.reductions_db(N).max()), 6)

    def test_every_key_goes_on_whatever_is_soloed(self) -> None:
        # Kind of target x kind and tap of the key x what is soloed beside it.
        for target, source, tap in itertools.product(("bass", "drums", "hall"), ("voice", "drums", "hall"), TAPS):
            if source == target or (source, target) == ("drums", "hall"):
                continue
            duck = compressor(key={"from": source, "tap": tap}, threshold_db=-60, ratio=None, attack_ms=0)
            chained = {target: {"chain": [duck]}}
            plain = self.reduction_db(self.band(**chained))
            self.assertGreater(plain, 10.0)
            with self.subTest(target=target, source=source, tap=tap):
                # The hall is fed by the drums and by others: soloed drums are keyed by their own share of it.
                alone = self.reduction_db(self.band(target, **chained))
                self.assertAlmostEqual(alone, plain, delta=6.0 if (target, source) == ("drums", "hall") else 1e-6)
                self.assertGreater(self.reduction_db(self.band("kick", **chained)), 10.0)

    def test_a_silenced_trigger_still_triggers(self) -> None:
        bench = Bench()
        bench.track("trigger", noise(0.5, level=0.5))
        duck = compressor(key={"from": "trigger", "tap": "post-fader"}, threshold_db=-40, ratio=None, attack_ms=0)
        bench.track("target", sine(100, -10, 0.5), solo=True, chain=[duck])
        self.assertEqual(closed_by_solo(bench.session()), {("trigger", None)})
        self.assertGreater(self.reduction_db(bench), 15.0)


class RandomSoloTest(unittest.TestCase):
    """Against plain counting of ways: a way is heard if it passes a strip whose own signal is heard."""

    def bench(self, rng: np.random.Generator) -> Bench:
        bench = Bench()
        sums = [f"sum{k}" for k in range(4)]

        def ways(later: list[str]) -> dict[str, Any]:
            targets = [*later, "mix"]
            sends = [
                {"id": f"s{k}", "to": str(rng.choice(targets)), "level_db": -10.0, "tap": str(rng.choice(TAPS))}
                for k in range(rng.integers(0, 3))
            ]
            output = None if rng.random() < 0.2 else str(rng.choice(targets))
            return {"output": output, "sends": sends, "solo": bool(rng.random() < 0.2)}

        for name, hz in TONES_HZ.items():
            bench.track(name, sine(hz, -20, 0.3), **ways(sums))
        for k, name in enumerate(sums):
            bench.bus(name, kind=str(rng.choice(["bus", "return"])), **ways(sums[k + 1 :]))
        return bench

    def expected(self, session: Session) -> tuple[dict[str, float], bool]:
        """The shares, and whether two solos get into each other's way: one needs the whole of a strip, one a part."""
        strips = {strip.id: strip for strip in session.strips}
        own = {strip.id for strip in session.strips if strip.solo}
        for _ in session.strips:
            own |= {s.id for s in session.strips if s.output in own and strips[s.output].kind in ("bus", "mix")}
        found = dict.fromkeys(TONES_HZ, 0.0)
        crossed = False
        for name in TONES_HZ:
            for way, gain in self.ways(strips, name, 1.0):
                passed = [strip_id in own for strip_id in way]
                if any(passed):
                    found[name] += gain
                    before = way[: passed.index(True)]
                    crossed |= any(self.is_fed_by(strips, strip_id, own) for strip_id in before)
        return {name: round(share, 6) for name, share in found.items()}, crossed

    def is_fed_by(self, strips: dict[str, Any], strip_id: str, own: set[str]) -> bool:
        return any(strip_id in way for start in own for way, _ in self.ways(strips, start, 1.0, to_mix=False))

    def ways(
        self, strips: dict[str, Any], at: str, gain: float, *, to_mix: bool = True
    ) -> list[tuple[list[str], float]]:
        if at == "mix":
            return [([at], gain)]
        strip = strips[at]
        steps = [(strip.output, 1.0)] if strip.output else []
        steps += [(send.to, 10 ** (send.level_db / 20)) for send in strip.sends]
        found = [([at, *way], g) for to, step in steps for way, g in self.ways(strips, to, gain * step, to_mix=to_mix)]
        return found if to_mix or found else [([at], gain)]

    def test_random_sessions(self) -> None:
        rng = np.random.default_rng(9)
        checked = 0
        for number in range(150):
            bench = self.bench(rng)
            session = bench.session()
            if not any(strip.solo for strip in session.strips):
                continue
            expected, crossed = self.expected(session)
            if crossed:
                continue
            checked += 1
            with self.subTest(number=number):
                found = shares(bench)
                for name, share in expected.items():
                    self.assertAlmostEqual(found[name], share, places=4)
                if number % 5 == 0:
                    self.assert_measured_as_heard(session, bench)
        self.assertGreater(checked, 60)

    def assert_measured_as_heard(self, session: Session, bench: Bench) -> None:
        opened = with_solo_applied(session)
        parse_session(opened.model_dump(mode="json", by_alias=True))
        levels = [
            measure_song(each, bench.media, dict.fromkeys(bench.media, "x"), MemoryRenders()).strips["mix"].stages[-1]
            for each in (session, opened)
        ]
        self.assertEqual(*levels)
