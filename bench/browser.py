"""Edit to ear and dropouts, through the real browser: the demo plays, the page is open.

Edit to ear: a fader is previewed every half second; each preview carries a number that comes back with the first
block of sound that has it. The time runs from sending it to that block's first sample leaving the audio thread (as
that thread reports it), plus the output latency the browser states. Dropouts are blocks of 128 samples the audio
thread had nothing to play for; while they are counted, edits keep the measuring of the whole song busy, and stems are
printed now and then. Each gap is held against what the host took just before it.
"""

import itertools
import os
import re
import subprocess
import tempfile
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import numpy as np
from playwright.sync_api import Page, Playwright, sync_playwright

from bench.host import Host, HostLog
from tests.browser.browser import FLAGS, MIXED, VIEWPORT, Server
from tests.browser.chromium import find_chromium

MINUTES = float(os.environ.get("GEMISCHT_BENCH_MINUTES", "5"))
EDITS = 60
CALLS_A_SECOND = 20
EDIT_EVERY_S = 6
"""Long enough for a measurement, so that one is under way most of the time."""
EDITS_PER_PRINT = 10

GAP_COMES_WITHIN_S = 0.5
LEFT_ALONE = 0.05
"""A machine of which the host takes no more counts as ours."""

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


LOG_GAPS = """() => {
    window.gaps = [];
    let known = gemischtLive.speaker.missedBlocks;
    setInterval(() => {
        const missed = gemischtLive.speaker.missedBlocks;
        if (missed > known) gaps.push({ at_s: Date.now() / 1000, blocks: missed - known });
        known = missed;
    }, 50);
}"""

PREVIEW_FADERS = """([count, everyMs]) => {
    let made = 0;
    const timer = setInterval(() => {
        const level = -7 - (made % 5);
        gemischtLive.preview({ type: 'set-strips', changes: [{ strip: 'accordion', fader_db: level }] });
        made += 1;
        if (made === count) clearInterval(timer);
    }, everyMs);
}"""


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
    action = {"type": "set-strips", "changes": [{"strip": strip, "fader_db": fader_db}]}
    server.edit(server.session_id(MIXED), action)


def print_stems(server: Server) -> None:
    """Begin to print all that plays into the mix."""
    order = {"id": "stems", "every": "stem", "format": "flac-24"}
    server.post(f"/api/sessions/{server.session_id(MIXED)}/prints", {"orders": [order]})


class LonePage:
    """A page in Chromium that is driven from outside only in passing: who drives it is told of all that it receives,
    which costs a good part of a core while sound comes in."""

    def __init__(self, playwright: Playwright, folder: Path) -> None:
        self._playwright = playwright
        own = [
            "--headless",
            "--remote-debugging-port=0",
            "--mute-audio",
            "--disable-background-timer-throttling",
            "--disable-renderer-backgrounding",
            f"--user-data-dir={folder}",
        ]
        command = [find_chromium(), *FLAGS, *own, "about:blank"]
        self._process = subprocess.Popen(command, stderr=subprocess.PIPE, text=True)
        assert self._process.stderr is not None
        found = next(filter(None, (re.search(r"ws://\S+", line) for line in self._process.stderr)))
        self._address = found.group()
        threading.Thread(target=self._process.stderr.read, daemon=True).start()

    @contextmanager
    def driven(self) -> Iterator[Page]:
        browser = self._playwright.chromium.connect_over_cdp(self._address)
        try:
            yield browser.contexts[0].pages[0]
        finally:
            browser.close()

    def evaluate(self, expression: str, argument: object = None) -> Any:
        with self.driven() as page:
            return page.evaluate(expression, argument)

    def close(self) -> None:
        self._process.terminate()
        self._process.wait(timeout=20)


def play(page: Page, address: str, first_row: str | None = None) -> None:
    page.set_viewport_size(VIEWPORT)  # type: ignore[arg-type]
    page.goto(address)
    rows = page.get_by_role("row", name=first_row, exact=True) if first_row else page.get_by_role("row")
    rows.first.wait_for()
    page.wait_for_timeout(15000)
    page.evaluate("gemischtLive.loop([0, 75])")
    page.get_by_role("button", name="Play", exact=True).click()
    page.wait_for_timeout(2000)


def run() -> None:
    with tempfile.TemporaryDirectory() as folder, sync_playwright() as playwright:
        server = Server(Path(folder))
        lone = LonePage(playwright, Path(folder) / "chromium")
        with lone.driven() as page:
            play(page, f"{server.address}/session/{server.session_id(MIXED)}")
        measure_edits(lone)
        measure_dropouts(lone, server)
        with lone.driven() as page:
            play(page, f"{server.address}/session/{forty_strips(server)}", "More 1")
            rows = page.get_by_role("row").count()
        frames = lone.evaluate(COUNT_FRAMES) / 5
        with lone.driven() as page:
            measure_duck_station(page, server)
            play(page, f"{server.address}/session/{forty_strips(server)}", "More 1")
        with lone.driven() as page:
            drawing = frames_while_drawing(page)
        print(f"frames while drawing a curve: {drawing:.0f} a second (goal: 60)")
        print(f"frames while playing {rows} strips: {frames:.0f} a second (goal: 60)")
        print(f"anonymous memory of the server and its worker: {anonymous_mb(server):.0f} MB (goal: 600)")
        lone.close()
        server.stop()


def frames_while_drawing(page: Page) -> float:
    """Frames a second while a curve is drawn freehand over the song that plays."""
    page.get_by_role("slider", name="Lead voice: fader", exact=True).focus()
    page.keyboard.press("v")
    page.get_by_role("radio", name="freehand").click()
    lane = page.locator("[data-lane]").first.bounding_box()
    assert lane is not None
    page.evaluate(f"() => {{ window.counted = ({COUNT_FRAMES})(); }}")
    page.mouse.move(lane["x"] + 10, lane["y"] + 40)
    page.mouse.down()
    began = time.monotonic()
    while (passed_s := time.monotonic() - began) < 5.0:
        height = 20 + 18 * (1 + np.sin(4 * passed_s))
        page.mouse.move(lane["x"] + 10 + 0.18 * passed_s * lane["width"], lane["y"] + height)
    frames = float(page.evaluate("() => window.counted")) / 5.0
    page.mouse.up()
    page.keyboard.press("v")
    return frames


def measure_duck_station(page: Page, server: Server) -> None:
    """How long the Duck station takes to open, and its scope to show an edit; the song rests, and is measured."""
    session_id = server.copy_of(MIXED)
    page.goto(f"{server.address}/session/{session_id}")
    page.get_by_role("row").first.wait_for()
    page.wait_for_timeout(12000)
    opened, redrawn = [], []
    for _ in range(5):
        page.keyboard.press("2")
        page.get_by_role("row", name="Mix", exact=True).wait_for()
        began = time.monotonic()
        page.keyboard.press("4")
        page.get_by_role("table", name="What makes room for what").get_by_role("row").first.wait_for()
        opened.append(1000.0 * (time.monotonic() - began))
    scope = page.locator("canvas[aria-label*='over time: deepest']")
    scope.wait_for()
    page.wait_for_timeout(3000)
    for threshold_db in (-28.0, -33.0, -27.0, -34.0, -26.0):
        before = scope.get_attribute("aria-label")
        params = {"threshold_db": threshold_db}
        edit = {"type": "set-processor", "strip": "upright-bass", "processor": "room-for-drum", "params": params}
        began = time.monotonic()
        server.edit(session_id, edit)
        page.wait_for_function(
            "before => document.querySelector(\"canvas[aria-label*='over time: deepest']\")?.ariaLabel !== before",
            arg=before,
        )
        redrawn.append(1000.0 * (time.monotonic() - began))
        page.wait_for_timeout(2500)
    print(f"Duck station opens: median {np.median(opened):.0f} ms (goal: 300)")
    print(f"scope redrawn after an edit: median {np.median(redrawn):.0f} ms (goal: 400)")


def measure_edits(lone: LonePage) -> None:
    lone.evaluate(PREVIEW_FADERS, [EDITS, 500])
    time.sleep(EDITS * 0.5 + 2)
    times_ms = np.array(lone.evaluate("gemischtLive.editToEarMs"))
    median_ms, p95_ms = np.median(times_ms), np.percentile(times_ms, 95)
    print(f"edit to ear: median {median_ms:.0f} ms, p95 {p95_ms:.0f} ms, {len(times_ms)} edits (goal: 100 ms)")


@contextmanager
def asking(server: Server) -> Iterator[None]:
    """Meanwhile ask the server all that a page may ask, so many times a second."""
    session = f"/api/sessions/{server.session_id(MIXED)}"
    media = server.get(session)["document"]["media"]
    asked = [
        "/api/sessions",
        session,
        f"{session}/history",
        f"{session}/flow",
        f"{session}/references?strips=frame-drum",
        f"{session}/snapshots",
        "/api/catalogue",
        "/api/processors",
        "/api/presets",
        *(f"{session}/media/{item['id']}/waveform" for item in media[:3]),
    ]
    ordered = [f"{session}/strips/lead-voice/ledger", f"{session}/strips/lead-voice/leaks"]
    done = threading.Event()

    def ask() -> None:
        for number in itertools.count():
            if done.wait(1.0 / CALLS_A_SECOND):
                return
            if number % (10 * CALLS_A_SECOND) == 0:
                server.post(ordered[number // (10 * CALLS_A_SECOND) % 2], {})
            else:
                server.get(asked[number % len(asked)])

    thread = threading.Thread(target=ask, daemon=True)
    thread.start()
    try:
        yield
    finally:
        done.set()
        thread.join()


def measure_dropouts(lone: LonePage, server: Server) -> None:
    lone.evaluate(LOG_GAPS)
    host = Host()
    edits = round(MINUTES * 60 / EDIT_EVERY_S)
    with HostLog() as log, asking(server):
        for number in range(edits):
            move_fader(server, "frame-drum", -2.0 - number % 7)
            if number % EDITS_PER_PRINT == 0:
                print_stems(server)
            time.sleep(EDIT_EVERY_S)
        gaps = lone.evaluate("gaps")
    own = [gap for gap in gaps if log.taken_before(gap["at_s"], GAP_COMES_WITHIN_S) < LEFT_ALONE]
    print(
        f"dropouts: {blocks_in(gaps)} blocks of 2.7 ms in {MINUTES:g} minutes, while {edits} edits had the song "
        f"measured anew and {CALLS_A_SECOND} calls a second were answered; {blocks_in(own)} of them where the host "
        f"took less than {LEFT_ALONE:.0%} of the half second before (goal: 0); on the whole it took "
        f"{host.taken_share():.0%}"
    )


def anonymous_mb(server: Server) -> float:
    """Memory of the server and the processes it has started that belongs to no file; what they share counts once."""
    pids = [server.process.pid]
    for pid in pids:
        children = Path(f"/proc/{pid}/task/{pid}/children").read_text().split()
        pids.extend(int(child) for child in children)
    lines = (line for pid in pids for line in Path(f"/proc/{pid}/smaps_rollup").read_text().splitlines())
    return sum(int(line.split()[1]) for line in lines if line.startswith("Pss_Anon:")) / 1024


def blocks_in(gaps: list[dict[str, float]]) -> int:
    return round(sum(gap["blocks"] for gap in gaps))
