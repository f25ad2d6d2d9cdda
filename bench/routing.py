"""A large session: 64 strips with 12 buses and 6 returns rendered, laid out, and opened in the browser."""

import tempfile
import time
from pathlib import Path
from typing import Any

import numpy as np
from playwright.sync_api import sync_playwright

from bench.engine import RATE_HZ, graph
from gemischt.core.audio import as_media
from gemischt.core.dsp.jit import prepare_kernels
from gemischt.core.engine.renderer import Renderer
from gemischt.core.routing.flow import lay_out_flow
from gemischt.core.session.document import Session
from gemischt.core.session.validation import dump_session, parse_session
from tests.browser.browser import FLAGS, MIXED, VIEWPORT, Server
from tests.browser.chromium import find_chromium

N_TRACKS, N_BUSES, N_RETURNS = 64, 12, 6
ROUNDS = 20
EFFECTS: tuple[dict[str, Any], ...] = (
    {"id": "room", "type": "reverb", "params": {}},
    {"id": "echo", "type": "delay", "params": {"note": "1/8."}},
)


def run() -> None:
    prepare_kernels()
    session = large_session()
    render(session)
    layout(session)
    opening()


def large_session() -> Session:
    """The bench's graph at its largest, an effect on each return, buses in buses."""
    document = dump_session(graph(N_TRACKS, N_BUSES, N_RETURNS))
    for strip in document["strips"]:
        if strip["kind"] == "return":
            strip["chain"] = [EFFECTS[int(strip["id"][1:]) % 2]]
        if strip["kind"] == "bus" and int(strip["id"][1:]) >= 6:
            strip["output"] = f"b{int(strip['id'][1:]) % 6}"
    return parse_session(document)


def render(session: Session) -> None:
    rng = np.random.default_rng(1)
    media = {item.id: as_media(0.1 * rng.standard_normal((1, 10 * RATE_HZ))) for item in session.media}
    renderer = Renderer(session, media, max_block=1024)
    renderer.render(RATE_HZ // 2)
    began = time.perf_counter()
    renderer.render(8 * RATE_HZ)
    took = time.perf_counter() - began
    print(f"{N_TRACKS} tracks, {N_BUSES} buses, {N_RETURNS} returns: {8 / took:.1f} x real time (goal: 12)")


def layout(session: Session) -> None:
    times = []
    for _ in range(ROUNDS):
        began = time.perf_counter()
        flow = lay_out_flow(session)
        times.append(time.perf_counter() - began)
    edges = len(flow.edges)
    print(f"layout of the flow, {edges} connections: {1000 * np.median(times):.1f} ms (goal: 16 ms)")


def opening() -> None:
    """From asking for the page to every row on the screen, in a browser that has it in its cache."""
    with tempfile.TemporaryDirectory() as folder, sync_playwright() as playwright:
        server = Server(Path(folder))
        session_id = server.copy_of(MIXED)
        state = server.get(f"/api/sessions/{session_id}")
        media = state["document"]["media"]
        missing = 64 - len(state["document"]["strips"])
        tracks = [{"name": f"More {k + 1}", "media": media[k % len(media)]} for k in range(missing)]
        body = {"revision": state["revision"], "action": {"type": "add-tracks", "tracks": tracks}}
        server.post(f"/api/sessions/{session_id}/edits", body)
        browser = playwright.chromium.launch(executable_path=find_chromium(), args=FLAGS)
        page = browser.new_page(viewport=VIEWPORT)  # type: ignore[arg-type]
        times = []
        for _ in range(5):
            page.goto(f"{server.address}/")
            page.wait_for_timeout(1500)
            began = time.perf_counter()
            page.goto(f"{server.address}/session/{session_id}")
            page.wait_for_function("() => document.querySelectorAll('[role=row]').length >= 64")
            times.append(time.perf_counter() - began)
        print(f"opening the page with 64 strips: {1000 * np.median(times):.0f} ms (goal: 600 ms)")
        browser.close()
        server.stop()
