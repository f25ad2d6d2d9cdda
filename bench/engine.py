"""The full graph: 32 tracks, 6 buses, 3 returns, each with eq and compressor; memory over 40 long tracks."""

import os
import resource
import subprocess
import sys
import tempfile
import time
from collections.abc import Mapping
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import numpy as np
import soundfile

from gemischt.core.audio import MediaSamples, as_media
from gemischt.core.dsp.jit import prepare_kernels
from gemischt.core.engine.renderer import Renderer
from gemischt.core.session.document import Move, MovePoint, Session
from gemischt.core.session.validation import parse_session

RATE_HZ = 48000


def run() -> None:
    prepare_kernels()
    full_graph()
    live_blocks()
    moving()
    many_points()
    twenty_targets()
    following()
    memory()
    start_up()


def graph(n_tracks: int, n_buses: int, n_returns: int) -> Session:
    """Tracks with a four-band eq, a compressor and two sends each, spread over the buses."""
    chain = [
        {
            "id": "e",
            "type": "eq",
            "params": {"bands": [{"frequency_hz": 200.0 * (k + 1), "gain_db": 3} for k in range(4)]},
        },
        {"id": "c", "type": "compressor"},
    ]
    sends = [{"id": f"s{k}", "to": f"r{k}", "level_db": -12.0} for k in range(min(2, n_returns))]
    strips = [
        {
            "id": f"t{k}",
            "name": f"Track {k}",
            "clips": [{"media": f"m{k}"}],
            "chain": chain,
            "output": f"b{k % n_buses}",
            "sends": sends,
        }
        for k in range(n_tracks)
    ]
    strips += [
        {"id": f"b{k}", "kind": "bus", "name": f"Bus {k}", "chain": chain, "output": "mix"} for k in range(n_buses)
    ]
    strips += [{"id": f"r{k}", "kind": "return", "name": f"Return {k}", "output": "mix"} for k in range(n_returns)]
    strips.append({"id": "mix", "kind": "mix", "name": "Mix", "chain": chain})
    media = [{"id": f"m{k}", "path": f"m{k}.wav"} for k in range(n_tracks)]
    return parse_session({"name": "Graph", "media": media, "strips": strips})


def renderer(block: int) -> Renderer:
    return Renderer(graph(32, 6, 3), noise_media(), max_block=block)


def noise_media() -> dict[str, MediaSamples]:
    """Files for 32 tracks."""
    rng = np.random.default_rng(1)
    return {f"m{k}": as_media(0.1 * rng.standard_normal((1, 12 * RATE_HZ))) for k in range(32)}


def full_graph() -> None:
    print("full graph, one thread  (goal: 25 x real time at block 256, 30 x at 1024)")
    for block in (256, 512, 1024, 2048):
        made = renderer(block)
        made.render(RATE_HZ // 2)
        began = time.perf_counter()
        for _ in range(8 * RATE_HZ // block):
            made.render_block(block)
        print(f"  block {block:5d} {8 / (time.perf_counter() - began):8.1f} x real time")


def live_blocks() -> None:
    made = renderer(512)
    times = []
    for _ in range(1000):
        began = time.perf_counter()
        made.render_block(512)
        times.append(time.perf_counter() - began)
    share = 100 * np.array(times[50:]) / (512 / RATE_HZ)
    median, p99 = np.percentile(share, [50, 99])
    print(f"live, block 512: median {median:.1f} %, p99 {p99:.1f} % of the block's time (goal: 5 %)")


def moving() -> None:
    """What 32 parameters that move all the time cost beside the same graph at rest, in turn."""
    targets = {"faders": "fader_db", "bands": "chain/e/bands/b1/frequency_hz"}
    ends = {"faders": (-6.0, 0.0), "bands": (200.0, 2000.0)}
    made = {"rest": renderer(512)}
    for name, field in targets.items():
        low, high = ends[name]
        points = tuple(MovePoint(at_s=float(k), value=high if k % 2 else low) for k in range(12))
        moves = tuple(Move(target=f"strips/t{k}/{field}", points=points) for k in range(32))
        session = graph(32, 6, 3).model_copy(update={"moves": moves})
        made[name] = Renderer(session, noise_media(), max_block=512)
    times = in_turn(made)
    rest = float(np.mean(times.pop("rest")))
    for name, taken in times.items():
        p99 = 100.0 * float(np.percentile(taken, 99)) / (512 / RATE_HZ)
        more = 100.0 * (float(np.mean(taken)) / rest - 1.0)
        print(f"32 moving {name}, block 512: {more:.0f} % more than at rest (goal: 15 %), p99 {p99:.0f} % of the block")


def many_points() -> None:
    """What ten thousand points of one move cost beside ten, in turn."""
    made = {}
    for count in (10, 10_000):
        points = tuple(MovePoint(at_s=10.0 * k / count, value=-6.0 * (k % 2)) for k in range(count))
        moves = (Move(target="strips/t0/fader_db", points=points),)
        made[count] = Renderer(graph(32, 6, 3).model_copy(update={"moves": moves}), noise_media(), max_block=512)
    times = in_turn(made)
    few, many = (float(np.mean(times[count])) for count in made)
    p99 = 100.0 * float(np.percentile(times[10_000], 99)) / (512 / RATE_HZ)
    print(f"10000 points on one move: {100.0 * (many / few - 1.0):.0f} % more than ten (goal: 0 %), p99 {p99:.0f} %")


def twenty_targets() -> None:
    """What one duck with twenty targets costs beside twenty faders that are led by a gain processor, in turn."""
    plain = graph(32, 6, 3)
    gain = {"id": "g", "type": "gain", "params": {"level_db": -3.0}}
    document = plain.model_dump(mode="json", by_alias=True)
    for strip in document["strips"][:20]:
        strip["chain"] = [*strip["chain"], gain]
    targets = [{"id": f"x{k}", "strip": f"t{k}", "depth_db": -12.0} for k in range(20)]
    curve = [{"at": 0.0, "open": 0.0, "bend": 0.4}, {"at": 0.7, "open": 1.0}]
    duck = {"id": "d", "name": "D", "clock": {"kind": "repeat", "note": "1/8"}, "curve": curve, "targets": targets}
    ducked = plain.model_dump(mode="json", by_alias=True) | {"ducks": [duck]}
    made = {
        "rest": Renderer(plain, noise_media(), max_block=512),
        "gains": Renderer(parse_session(document), noise_media(), max_block=512),
        "duck": Renderer(parse_session(ducked), noise_media(), max_block=512),
    }
    rest, gains, duck_s = (float(np.mean(taken)) for taken in in_turn(made).values())
    more = [100.0 * (taken / rest - 1.0) for taken in (gains, duck_s)]
    print(f"20 gains: {more[0]:.1f} % of the full graph; one duck with 20 targets: {more[1]:.1f} %")


def following() -> None:
    """What eight followers, each of one fader, cost over the full graph, in turn."""
    plain = graph(32, 6, 3)
    followers = [
        {
            "id": f"f{k}",
            "name": "F",
            "from": "t31",
            "tap": "pre-fader",
            "targets": [{"id": "t", "target": f"strips/t{k}/fader_db", "to": -12.0}],
        }
        for k in range(8)
    ]
    led = parse_session(plain.model_dump(mode="json", by_alias=True) | {"followers": followers})
    made = {
        "rest": Renderer(plain, noise_media(), max_block=512),
        "led": Renderer(led, noise_media(), max_block=512),
    }
    rest, more = (float(np.mean(taken)) for taken in in_turn(made).values())
    print(f"8 followers of a fader each: {100.0 * (more / rest - 1.0):.1f} % of the full graph")


def in_turn(made: Mapping[Any, Renderer]) -> dict[Any, list[float]]:
    """Seconds of each block, one renderer after the other."""
    for one in made.values():
        one.render(RATE_HZ // 2)
    times: dict[Any, list[float]] = {name: [] for name in made}
    for _ in range(600):
        for name, one in made.items():
            began = time.perf_counter()
            one.render_block(512)
            times[name].append(time.perf_counter() - began)
    return times


def memory() -> None:
    """40 mono tracks of 4 minutes, rendered through files in a process of its own."""
    with tempfile.TemporaryDirectory() as folder:
        code = "from bench.engine import render_forty; render_forty()"
        environment = {**os.environ, "GEMISCHT_BENCH_FOLDER": folder}
        done = subprocess.run([sys.executable, "-c", code], env=environment, check=True, capture_output=True, text=True)
        print(done.stdout.strip())


def render_forty() -> None:
    from gemischt.core.session.actions import AddTracks
    from gemischt.core.session.document import empty_session
    from gemischt.core.session.prints import Print
    from gemischt.operations.importing import import_file
    from gemischt.operations.printing import named_files, print_files
    from gemischt.operations.workspace import Workspace

    folder = Path(os.environ["GEMISCHT_BENCH_FOLDER"])
    workspace = Workspace(folder / "data")
    stored = workspace.sessions.create(empty_session("Forty"))
    rng = np.random.default_rng(2)
    tracks = []
    for number in range(40):
        path = folder / f"{number}.wav"
        soundfile.write(path, 0.02 * rng.standard_normal(240 * RATE_HZ).astype(np.float32), RATE_HZ, subtype="FLOAT")
        tracks.append(import_file(workspace, path, path.name, sample_rate_hz=RATE_HZ))
        path.unlink()
    stored = workspace.sessions.edit(stored.id, stored.revision, AddTracks(tracks=tuple(tracks)))
    began = time.perf_counter()
    made_at = datetime.now(UTC)
    named = named_files(stored.session, [Print(id="mix", strips=("mix",))], made_at)
    print_files(stored.session, workspace.open_media(stored.session), named, folder, made_at=made_at)
    took = time.perf_counter() - began
    peak_mb = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    print(f"40 mono tracks of 4 min: {240 / took:.1f} x real time, {peak_mb:.0f} MB resident at most (goal: 1000)")


def start_up() -> None:
    code = "from gemischt.core.dsp.jit import prepare_kernels; import gemischt.cli.server; prepare_kernels()"
    times = []
    for _ in range(3):
        began = time.perf_counter()
        subprocess.run([sys.executable, "-c", code], check=True)
        times.append(time.perf_counter() - began)
    print(f"engine ready, warm start: {min(times):.2f} s (goal: 1 s)")
