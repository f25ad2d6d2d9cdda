"""What every processor must do, whatever it is: neutral settings pass, silence stays silent, no setting breaks it."""

import unittest
from typing import Any

import numpy as np
from pydantic import ValidationError

from gemischt.core.processors.registry import PROCESSORS, ProcessorKind
from tests.support.places import Alone
from tests.support.sessions import Bench
from tests.support.signals import impulse, noise, sine

N = 6000
BLOCK = 512
SHORTEST_FADE_SAMPLES = 48
"""What changes no faster than in a fade of a millisecond is no click. Common practice, no source."""
NEUTRAL: dict[str, dict[str, Any]] = {
    "eq": {"bands": [{"gain_db": 0.0}, {"shape": "high-shelf", "gain_db": 0.0}]},
    "compressor": {"ratio": 1.0, "lookahead_ms": 5.0},
    "gate": {"ratio": 1.0, "lookahead_ms": 5.0},
    "saturator": {"mix": 0.0},
    "limiter": {"ceiling_dbtp": 0.0},
    "gain": {},
    "matrix": {},
    "widener": {"amount": 0.0},
    "delay": {"wet": 0.0},
    "reverb": {"wet": 0.0},
}
# Where the other parameters stand while one is tried: something must happen.
BUSY: dict[str, dict[str, Any]] = {
    "compressor": {"threshold_db": -40.0},
    "gate": {"threshold_db": -6.0, "ratio": 2.0, "hold_ms": 0.0},
    "saturator": {"drive_db": 24.0, "lean": 0.5},
    "limiter": {"input_db": 12.0},
    "gain": {"channels": "mono"},
    "matrix": {"left_to_left": 0.5, "right_to_left": -0.5, "left_to_right": 1.0, "right_to_right": 0.25},
    "widener": {"mode": "offset"},
    "delay": {"time_ms": 5.0, "feedback": 0.9, "low_cut_hz": 100.0},
    "reverb": {"pre_delay_ms": 0.0, "size": 0.0},
}

# What lets each channel of a group be worked on by itself.
UNLINKED: dict[str, dict[str, Any]] = {
    "compressor": {"stereo_link": 0.0},
    "gate": {"stereo_link": 0.0},
    "gain": {"channels": "as-is"},
    "matrix": {"right_to_left": 0.0, "left_to_right": 0.0, "right_to_right": 0.5},
}
# Where one gain serves all channels, or both sides are made of the middle.
SHARED = {"limiter", "delay", "reverb", "widener"}

# What keeps channels apart where the busy settings do not.
APART: dict[str, dict[str, Any]] = {
    "gain": {"channels": "as-is"},
    "matrix": {"right_to_left": 0.0, "left_to_right": 0.0, "right_to_right": 0.5},
    "widener": {"mode": "offset"},
}


def numeric_fields(kind: str) -> dict[str, dict[str, Any]]:
    """Name to range of each numeric parameter, for the equaliser those of a band."""
    table = next(item for item in PROCESSORS if item.kind == kind).parameter_schema()
    properties = table["$defs"]["EqBand"]["properties"] if kind == "eq" else table["properties"]
    found: dict[str, dict[str, Any]] = {}
    for name, field in properties.items():
        numeric = next((item for item in field.get("anyOf", [field]) if item.get("type") == "number"), None)
        if numeric and "minimum" in numeric:
            found[name] = numeric
    return found


def busy(kind: str) -> dict[str, Any]:
    """Settings that do something to every signal."""
    return params_with("eq", "gain_db", 24.0) if kind == "eq" else BUSY[kind]


def moves_of(kind: str) -> list[tuple[str, Any, Any]]:
    """Each parameter from one end to the other, words and switches from the first to the last."""
    return [(name, values[0], values[-1]) for name, values in settings_of(kind).items()]


def render_moving(kind: str, name: str, before: Any, after: Any, block: int, *, joined: bool) -> np.ndarray:
    """A parameter that is set anew twice while it sounds, the second time half-way through the first glide.

    Args:
        joined: whether a bus joins the session in the middle of the second glide, so that a new plan takes over.
    """
    bench = Bench(pan_law_db=0.0)
    bench.track("a", noise(0.2, seed=5), chain=[{"id": "p", "type": kind, "params": params_with(kind, name, before)}])
    renderer = bench.renderer(max_block=block)
    parts = [renderer.render(1500)]
    for value, n_samples in ((after, 500), (before, 400)):
        bench.strips[0]["chain"][0]["params"] = params_with(kind, name, value)
        renderer.edit(bench.session(), bench.media)
        parts.append(renderer.render(n_samples))
    if joined:
        bench.bus("joined")
        renderer.edit(bench.session(), bench.media)
    parts.append(renderer.render(4000))
    return np.concatenate(parts, axis=1)


def params_with(kind: str, name: str, value: Any) -> dict[str, Any]:
    return {"bands": [{"gain_db": 12.0, name: value}]} if kind == "eq" else {**BUSY[kind], name: value}


def settings_of(kind: str) -> dict[str, list[Any]]:
    """Name of each parameter to what it is switched between: its ends, its words, yes and no, none."""
    table = next(item for item in PROCESSORS if item.kind == kind).parameter_schema()
    properties = table["$defs"]["EqBand"]["properties"] if kind == "eq" else table["properties"]
    found: dict[str, list[Any]] = {}
    for name, field in properties.items():
        if name in ("id", "note"):
            # A note becomes a time, which is tried.
            continue
        values: list[Any] = []
        for item in field.get("anyOf", [field]):
            if item.get("type") == "number" and "minimum" in item:
                values += [item["minimum"], item["maximum"]]
            elif item.get("type") == "boolean":
                values += [False, True]
            elif item.get("type") == "null":
                values.append(None)
            values += item.get("enum", [])
        if len(values) > 1:
            found[name] = values
    return found


def step_at_the_move(kind: str, before: dict[str, Any], after: dict[str, Any]) -> float:
    """How much sharper the wave bends at the move than on either side, over what a fade of a millisecond bends."""
    signal = np.concatenate([sine(200.0, -18.0, 1.6, channels=1), sine(310.0, -15.0, 1.6, channels=1)])
    bench = Bench(pan_law_db=0.0)
    bench.track("a", signal, chain=[{"id": "p", "type": kind, "params": before}])
    renderer = bench.renderer(max_block=BLOCK)
    blocks = [renderer.render(BLOCK) for _ in range(47)]
    bench.strips[0]["chain"][0]["params"] = after
    renderer.edit(bench.session(), bench.media)
    blocks += [renderer.render(BLOCK) for _ in range(80)]
    sound = np.concatenate(blocks, axis=1)
    bends = np.abs(np.diff(sound, 2)).max(axis=0)
    move = 47 * BLOCK - 2
    settled = max(bends[move - 9600 : move].max(), bends[-9600:].max())
    highest = np.abs(sound[:, move - 4800 :]).max()
    return float((bends[move : move + 20_000].max() - settled) / (highest / SHORTEST_FADE_SAMPLES))


def worked(item: ProcessorKind, params: Any, signal: np.ndarray) -> np.ndarray:
    """What a processor by itself makes of a signal of any number of channels."""
    n_channels, n_samples = signal.shape
    made = Alone(item.kind, n_channels=n_channels, max_block=n_samples)
    made.set(params)
    out = signal.copy()
    made.process(out, out, n_samples)
    return out


class ContractTest(unittest.TestCase):
    def render(self, kind: str, signal: np.ndarray, params: dict[str, Any], n_samples: int = N) -> np.ndarray:
        bench = Bench(pan_law_db=0.0)
        bench.track("a", signal, chain=[{"id": "p", "type": kind, "params": params}])
        return bench.render(n_samples)

    def test_each_kind_is_covered(self) -> None:
        self.assertEqual(set(NEUTRAL), {item.kind for item in PROCESSORS})

    def test_neutral_settings_pass_and_an_impulse_arrives_at_the_latency(self) -> None:
        for kind, params in NEUTRAL.items():
            with self.subTest(kind):
                bench = Bench(pan_law_db=0.0)
                bench.track("a", impulse(N), chain=[{"id": "p", "type": kind, "params": params}])
                renderer = bench.renderer()
                out = renderer.render(N)
                self.assertEqual(int(np.argmax(out[0])), renderer.latency_samples)
                self.assertAlmostEqual(float(out[0].max()), 1.0, places=9)
                self.assertEqual(np.count_nonzero(out[0]), 1)

    def test_silence_stays_silent(self) -> None:
        for item in PROCESSORS:
            for name, numeric in numeric_fields(item.kind).items():
                with self.subTest(kind=item.kind, parameter=name):
                    params = params_with(item.kind, name, numeric["maximum"])
                    self.assertFalse(np.any(self.render(item.kind, np.zeros((2, N)), params)))

    def test_every_limit_of_every_parameter_is_finite(self) -> None:
        signal = noise(N / 48000, level=30.0)
        for item in PROCESSORS:
            for name, numeric in numeric_fields(item.kind).items():
                for value in (numeric["minimum"], numeric["maximum"]):
                    with self.subTest(kind=item.kind, parameter=name, value=value):
                        out = self.render(item.kind, signal, params_with(item.kind, name, value))
                        self.assertTrue(np.isfinite(out).all())

    def test_the_largest_numbers_a_file_can_hold_stay_finite(self) -> None:
        signal = np.full((2, N), 3e38)
        signal[:, ::2] *= -1.0
        for item in PROCESSORS:
            with self.subTest(item.kind):
                self.assertTrue(np.isfinite(self.render(item.kind, signal, busy(item.kind))).all())

    def test_one_channel_and_every_block_size_give_the_same(self) -> None:
        for item in PROCESSORS:
            for channels in (1, 2):
                outs = []
                for block in (N, 1, 7, 64, 512, 1001):
                    bench = Bench()
                    chain = [{"id": "p", "type": item.kind, "params": busy(item.kind)}]
                    bench.track("a", noise(N / 48000, channels=channels), chain=chain)
                    outs.append(bench.render(N, max_block=block))
                for out in outs[1:]:
                    with self.subTest(kind=item.kind, channels=channels):
                        np.testing.assert_allclose(out, outs[0], atol=1e-15, rtol=0)

    def test_bypassed_it_lets_the_signal_through_in_its_place(self) -> None:
        signal = noise(N / 48000)
        for item in PROCESSORS:
            with self.subTest(item.kind):
                bench = Bench()
                chain = [{"id": "p", "type": item.kind, "params": busy(item.kind), "on": False}]
                bench.track("a", signal, chain=chain)
                renderer = bench.renderer()
                lag = renderer.latency_samples
                out = renderer.render(N)[:, lag:]
                np.testing.assert_allclose(out, signal.astype(np.float32)[:, : N - lag], atol=1e-12)

    def test_no_parameter_clicks_whatever_it_is_moved_to_while_sounding(self) -> None:
        moved = 0
        for item in PROCESSORS:
            for name, values in settings_of(item.kind).items():
                for before in values:
                    for after in values:
                        if before == after and type(before) is type(after):
                            continue
                        with self.subTest(kind=item.kind, parameter=name, before=before, after=after):
                            step = step_at_the_move(
                                item.kind, params_with(item.kind, name, before), params_with(item.kind, name, after)
                            )
                            self.assertLess(step, 1.0)
                            moved += 1
        self.assertGreater(moved, 100)

    def test_what_moves_does_not_depend_on_how_blocks_are_cut(self) -> None:
        for item in PROCESSORS:
            for name, before, after in moves_of(item.kind):
                whole = render_moving(item.kind, name, before, after, 1024, joined=False)
                for block in (7, 64, 333):
                    with self.subTest(kind=item.kind, parameter=name, block=block):
                        out = render_moving(item.kind, name, before, after, block, joined=False)
                        np.testing.assert_allclose(out, whole, atol=1e-12, rtol=0)

    def test_a_new_plan_goes_on_in_the_middle_of_a_glide(self) -> None:
        for item in PROCESSORS:
            for name, before, after in moves_of(item.kind):
                if name == "lookahead_ms":
                    # Is a new plan itself.
                    continue
                with self.subTest(kind=item.kind, parameter=name):
                    undisturbed = render_moving(item.kind, name, before, after, 512, joined=False)
                    out = render_moving(item.kind, name, before, after, 512, joined=True)
                    np.testing.assert_allclose(out, undisturbed, atol=1e-12, rtol=0)

    def test_values_outside_are_refused_by_name(self) -> None:
        for item in PROCESSORS:
            for name, numeric in numeric_fields(item.kind).items():
                with self.subTest(kind=item.kind, parameter=name):
                    with self.assertRaises(ValidationError) as caught:
                        item.params.model_validate(params_with(item.kind, name, numeric["maximum"] + 1.0))
                    self.assertIn(name, str(caught.exception))

    def test_any_number_of_channels_is_each_channel_by_itself(self) -> None:
        n = 3000
        signal = noise(12 * n / 48000, seed=9, channels=1).reshape(12, n) * np.linspace(0.1, 1.0, 12)[:, np.newaxis]
        for item in PROCESSORS:
            params = item.params.model_validate({**busy(item.kind), **UNLINKED.get(item.kind, {})})
            alone = [worked(item, params, signal[k : k + 1]) for k in range(12)]
            for n_channels in range(1, 13):
                if n_channels > (item.most_channels or 12) or item.kind in SHARED:
                    continue
                with self.subTest(kind=item.kind, channels=n_channels):
                    together = worked(item, params, signal[:n_channels])
                    np.testing.assert_allclose(together, np.concatenate(alone[:n_channels]), atol=1e-12)

    def test_linked_channels_are_turned_down_by_one_gain(self) -> None:
        n = 3000
        signal = 0.5 + 0.1 * noise(12 * n / 48000, seed=9, channels=1).reshape(12, n)
        signal[1:] *= 0.25
        for kind in ("compressor", "limiter"):
            item = next(item for item in PROCESSORS if item.kind == kind)
            params = item.params.model_validate(busy(kind))
            latency = item.worker.latency_of(params, 48000)
            for n_channels in range(1, 13):
                with self.subTest(kind=kind, channels=n_channels):
                    before = np.pad(signal[:n_channels], ((0, 0), (latency, 0)))[:, :n]
                    out = worked(item, params, signal[:n_channels])
                    gains = out[:, latency:] / before[:, latency:]
                    np.testing.assert_allclose(gains, np.tile(gains[:1], (n_channels, 1)), atol=1e-9)
                    self.assertGreater(float(gains.max() / gains.min()), 1.02)

    def test_channels_do_not_leak_into_each_other(self) -> None:
        left_only = noise(N / 48000)
        left_only[1] = 0.0
        for item in PROCESSORS:
            if item.kind == "reverb":
                # Spreads what it adds over both sides, by its nature.
                continue
            with self.subTest(item.kind):
                params = {**busy(item.kind), **APART.get(item.kind, {})}
                out = self.render(item.kind, left_only, params)
                self.assertTrue(np.any(out[0]))
                self.assertFalse(np.any(out[1]))

    def test_a_long_decay_leaves_no_denormals(self) -> None:
        out = self.render("eq", impulse(200), {"bands": [{"frequency_hz": 3000, "gain_db": 20, "q": 2}]}, 200_000)
        tail = np.abs(out[:, -1000:])
        self.assertFalse(np.any((tail > 0) & (tail < 1e-300)))
