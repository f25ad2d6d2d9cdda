"""Prints: 24 tracks beside the mix alone, eight stems in process, by command and from the page, a catalogue by one
worker and by two."""

import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import numpy as np
import soundfile
from fastapi.testclient import TestClient

from gemischt.api.app import create_app
from gemischt.api.settings import Settings
from gemischt.core.dsp.jit import prepare_kernels
from gemischt.core.session.actions import AddTracks, parse_action
from gemischt.core.session.document import empty_session
from gemischt.core.session.prints import Print
from gemischt.demo import sessions as demo
from gemischt.operations.catalogue import SongJob, processes, run_catalogue
from gemischt.operations.demo_sessions import make_demo
from gemischt.operations.importing import import_file
from gemischt.operations.printing import named_files, print_files
from gemischt.operations.session_files import export_session
from gemischt.operations.workspace import Workspace
from gemischt.storage.sessions import StoredSession

RATE_HZ = 48000
COMMAND = Path(sys.executable).with_name("gemischt")
COPIES = 20


def run() -> None:
    prepare_kernels()
    with tempfile.TemporaryDirectory() as folder:
        workspace = Workspace(Path(folder) / "data")
        stems_beside_the_mix(workspace, Path(folder))
        eight_stems(workspace, Path(folder))
        catalogue(workspace, Path(folder))
        workspace.close()


def stems_beside_the_mix(workspace: Workspace, folder: Path) -> None:
    stored = _song(workspace, folder, "Stems", 24, 60.0)
    for chains, change in (("a compressor each", _compressed), ("and an eq, and two reverbs for all", _mixed)):
        stored = change(workspace, stored)
        times: dict[str, list[float]] = {"mix": [], "tracks": []}
        for _ in range(3):
            times["mix"].append(_printing(workspace, stored, Print(id="m", strips=("mix",)), folder))
            times["tracks"].append(_printing(workspace, stored, Print(id="s", every="track"), folder))
        ratio = min(times["tracks"]) / min(times["mix"])
        print(f"24 stereo tracks of 1:00 as files, {chains}: {ratio:.2f} times the mix alone (goal: 1.6)")


def _compressed(workspace: Workspace, stored: StoredSession) -> StoredSession:
    tracks = [strip.id for strip in stored.session.strips if strip.kind == "track"]
    return _edited(
        workspace,
        stored,
        *({"type": "add-processor", "strip": track, "processor": "compressor"} for track in tracks),
    )


def _mixed(workspace: Workspace, stored: StoredSession) -> StoredSession:
    tracks = [strip.id for strip in stored.session.strips if strip.kind == "track"]
    bands = [{"frequency_hz": 200.0 * 3.0**k, "gain_db": 3.0} for k in range(4)]
    return _edited(
        workspace,
        stored,
        *({"type": "add-processor", "strip": track, "processor": "eq", "params": {"bands": bands}} for track in tracks),
        *({"type": "add-strip", "kind": "return", "name": name, "effect": "reverb"} for name in ("hall", "room")),
        *({"type": "add-send", "strips": tracks, "to": to, "level_db": -12.0} for to in ("hall", "room")),
    )


def _edited(workspace: Workspace, stored: StoredSession, *changes: dict[str, Any]) -> StoredSession:
    for change in changes:
        stored = workspace.edit(stored.id, stored.revision, parse_action(change))
    return stored


def eight_stems(workspace: Workspace, folder: Path) -> None:
    stored = _song(workspace, folder, "Eight", 8, 144.0)
    stored = _edited(
        workspace,
        stored,
        {"type": "add-processor", "strip": "t0", "processor": "compressor"},
        {"type": "add-processor", "strip": "mix", "processor": "reverb"},
    )
    took = min(_printing(workspace, stored, Print(id="m", strips=("mix",)), folder) for _ in range(3))
    print(f"print of 8 stereo stems of 2:24, one compressor, one reverb, in process: {took:.1f} s (goal: 2)")
    command = [str(COMMAND), "render", stored.id, "-o", str(folder / "eight.wav"), "--data", str(workspace.folder)]
    took = min(_timed(lambda: subprocess.run(command, check=True, capture_output=True)) for _ in range(3))
    print(f"  by the command line: {took:.1f} s (goal: 3)")
    with TestClient(create_app(Settings(data_folder=workspace.folder)), base_url="http://127.0.0.1") as page:
        took = min(_timed(lambda: _print_as_the_page_does(page, stored.id)) for _ in range(3))
    print(f"  from the page: {took:.1f} s (goal: 3)")


def _print_as_the_page_does(page: TestClient, session_id: str) -> None:
    order = {"id": "m", "strips": ["mix"]}
    job = page.post(f"/api/sessions/{session_id}/prints", json={"orders": [order]}).json()
    while job["state"] in ("waiting", "running"):
        job = page.get(f"/api/jobs/{job['id']}", params={"wait_s": 1.0}).json()
    assert job["state"] == "done", job


def catalogue(workspace: Workspace, folder: Path) -> None:
    make_demo(workspace, progress=lambda _words: None)
    session = workspace.sessions.find(demo.MIXED).session
    jobs = []
    for number in range(COPIES):
        path = export_session(workspace, session, folder / "songs" / str(number))
        jobs.append(SongJob(str(path), "mix", str(folder / "out" / str(number))))
    times = {}
    for count in (1, 2):
        began = time.perf_counter()
        with processes(count) as workers:
            run_catalogue(jobs, workers, folder / f"by {count}", told=lambda *_: None)
        times[count] = time.perf_counter() - began
    per_song = times[1] / COPIES
    print(
        f"{COPIES} copies of the demo: {times[1]:.0f} s by one worker ({per_song:.1f} s a song), "
        f"{times[1] / times[2]:.2f} times as fast by two"
    )


def _song(workspace: Workspace, folder: Path, name: str, count: int, length_s: float) -> StoredSession:
    stored = workspace.sessions.create(empty_session(name))
    rng = np.random.default_rng(3)

    def take(number: int) -> Any:
        path = folder / f"t{number}.wav"
        wave = 0.02 * rng.standard_normal((round(length_s * RATE_HZ), 2)).astype(np.float32)
        soundfile.write(path, wave, RATE_HZ, subtype="FLOAT")
        return import_file(workspace, path, path.name, sample_rate_hz=RATE_HZ)

    tracks = tuple(take(number) for number in range(count))
    return workspace.edit(stored.id, stored.revision, AddTracks(tracks=tracks))


def _printing(workspace: Workspace, stored: StoredSession, order: Print, folder: Path) -> float:
    made_at = datetime.now(UTC)
    named = named_files(stored.session, [order], made_at)
    media = workspace.open_media(stored.session)
    with tempfile.TemporaryDirectory(dir=folder) as out:
        return _timed(lambda: print_files(stored.session, media, named, Path(out), made_at=made_at))


def _timed(work: Callable[[], object]) -> float:
    began = time.perf_counter()
    work()
    return time.perf_counter() - began
