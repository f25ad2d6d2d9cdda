"""Edit to ear and dropouts, through the real browser: the demo plays, the page is open.

Edit to ear: a fader is previewed every half second; each preview carries a number that comes back with the first
block of sound that has it. The time runs from sending it to that block's first sample leaving the audio thread (as
that thread reports it), plus the output latency the browser states. Dropouts are blocks of 128 samples the audio
thread had nothing to play for; while they are counted, edits keep the measuring of the whole song busy.
"""

import os
import tempfile
from pathlib import Path

import numpy as np
from playwright.sync_api import sync_playwright

from tests.browser.browser import FLAGS, MIXED, VIEWPORT, Server, find_chromium

MINUTES = float(os.environ.get("GEMISCHT_BENCH_MINUTES", "5"))
EDITS = 60
EDIT_EVERY_S = 6
"""Long enough for a measurement, so that one is under way most of the time."""

COUNT_FRAMES = """() => new Promise((resolve) => {
    let count = 0;
    const began = performance.now();
    const tick = () => {
        count += 1;
        if (performance.now() - began > 5000) resolve(count);
        else requestAnimationFrame(tick);
    };
    requestAnimationFrame(tick);
})"""


def forty_strips(server: Server) -> str:
    """The demo with tracks added until there are 40 strips."""
    session_id = server.copy_of(MIXED)
    state = server.get(f"/api/sessions/{session_id}")
    media = state["document"]["media"]
    missing = 40 - len(state["document"]["strips"])
    tracks = [{"name": f"More {k + 1}", "media": media[k % len(media)]} for k in range(missing)]
    body = {"revision": state["revision"], "action": {"type": "add-tracks", "tracks": tracks}}
    server.post(f"/api/sessions/{session_id}/edits", body)
    return session_id


def move_fader(server: Server, strip: str, fader_db: float) -> None:
    """An edit from elsewhere: the page takes it over and has the song measured."""
    path = f"/api/sessions/{server.session_id(MIXED)}"
    action = {"type": "set-strips", "changes": [{"strip": strip, "fader_db": fader_db}]}
    server.post(f"{path}/edits", {"revision": server.get(path)["revision"], "action": action})


def run() -> None:
    with tempfile.TemporaryDirectory() as folder, sync_playwright() as playwright:
        server = Server(Path(folder))
        browser = playwright.chromium.launch(executable_path=find_chromium(), args=FLAGS)
        page = browser.new_page(viewport=VIEWPORT)  # type: ignore[arg-type]
        page.goto(f"{server.address}/session/{server.session_id(MIXED)}")
        page.get_by_role("row").first.wait_for()
        page.wait_for_timeout(12000)
        page.evaluate("gemischtLive.loop([0, 75])")
        page.get_by_role("button", name="Play", exact=True).click()
        page.wait_for_timeout(3000)
        for number in range(EDITS):
            page.evaluate(
                """(level) => gemischtLive.preview(
                    { type: 'set-strips', changes: [{ strip: 'accordion', fader_db: level }] })""",
                -7.0 - (number % 5),
            )
            page.wait_for_timeout(500)
        times_ms = np.array(page.evaluate("gemischtLive.editToEarMs"))
        print(
            f"edit to ear: median {np.median(times_ms):.0f} ms, p95 {np.percentile(times_ms, 95):.0f} ms (goal: 150 ms)"
        )
        before = page.evaluate("gemischtLive.speaker.missedBlocks")
        edits = 0
        for _ in range(round(MINUTES * 60 / EDIT_EVERY_S)):
            move_fader(server, "frame-drum", -2.0 - edits % 7)
            edits += 1
            page.wait_for_timeout(1000 * EDIT_EVERY_S)
        missed = page.evaluate("gemischtLive.speaker.missedBlocks") - before
        print(
            f"dropouts: {missed} blocks of 2.7 ms in {MINUTES:g} minutes, "
            f"while {edits} edits had the song measured anew (goal: 0)"
        )
        page.goto(f"{server.address}/session/{forty_strips(server)}")
        page.get_by_role("row", name="More 1", exact=True).wait_for()
        page.wait_for_timeout(15000)
        page.get_by_role("button", name="Play", exact=True).click()
        page.wait_for_timeout(2000)
        rows = page.get_by_role("row").count()
        frames = page.evaluate(COUNT_FRAMES) / 5
        print(f"frames while playing {rows} strips: {frames:.0f} a second (goal: 60)")
        browser.close()
        server.stop()
