"""Edit to ear and dropouts, through the real browser: the demo plays, the page is open.

Edit to ear: a fader is previewed every half second; each preview carries a number that comes back with the first
block of sound that has it. The time runs from sending it to that block's first sample leaving the audio thread (as
that thread reports it), plus the output latency the browser states. Dropouts are blocks of 128 samples the audio
thread had nothing to play for.
"""

import os
import tempfile
from pathlib import Path

import numpy as np
from playwright.sync_api import sync_playwright

from tests.browser.browser import FLAGS, MIXED, VIEWPORT, Server, find_chromium

MINUTES = float(os.environ.get("GEMISCHT_BENCH_MINUTES", "5"))
EDITS = 60


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
        frames = page.evaluate(
            """() => new Promise((resolve) => {
                let count = 0;
                const began = performance.now();
                const tick = () => {
                    count += 1;
                    if (performance.now() - began > 5000) resolve(count / 5);
                    else requestAnimationFrame(tick);
                };
                requestAnimationFrame(tick);
            })"""
        )
        print(f"frames while playing: {frames:.0f} a second (goal: 60)")
        before = page.evaluate("gemischtLive.speaker.missedBlocks")
        page.wait_for_timeout(MINUTES * 60000)
        missed = page.evaluate("gemischtLive.speaker.missedBlocks") - before
        print(f"dropouts: {missed} blocks of 2.7 ms in {MINUTES:g} minutes (goal: 0)")
        browser.close()
        server.stop()
