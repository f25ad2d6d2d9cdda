"""How long the demo's whole song takes to measure: from nothing, and after the fader of each strip was moved."""

import tempfile
import time
from pathlib import Path
from typing import NamedTuple

import numpy as np

from bench.host import Host
from gemischt.core.dsp.jit import prepare_kernels
from gemischt.core.session.actions import SetStrips, StripSettings, apply_action
from gemischt.core.session.document import Session
from gemischt.demo.sessions import MIXED
from gemischt.operations.demo_sessions import make_demo
from gemischt.operations.session_measuring import examine_session, measure_session
from gemischt.operations.workspace import Workspace

ROUNDS = 5
STRIPS = ("sea-ambience", "echo", "frame-drum", "glass-marimba", "lead-voice", "low-tom")
"""What follows their faders: the mix; the mix through one bus or return, two, or three."""


def run() -> None:
    prepare_kernels()
    with tempfile.TemporaryDirectory() as folder:
        workspace = Workspace(Path(folder))
        make_demo(workspace, progress=lambda _words: None)
        session = workspace.sessions.find(MIXED).session
        whole = timed(workspace, session)
        print(
            f"whole song, {len(session.strips)} strips: {whole.measuring_s:.2f} s, computing {whole.computing_s:.2f} s "
            f"(goal: 1.5 s); findings {whole.examining_s:.2f} s"
        )
        found = []
        host = Host()
        for strip in map(session.strip, STRIPS):
            times: list[Timing] = []
            for step in range(ROUNDS):
                fader_db = (strip.fader_db or 0.0) - 0.5 * (step + 1)
                change = StripSettings(strip=strip.id, fader_db=fader_db)
                times.append(timed(workspace, apply_action(session, SetStrips(changes=(change,)))))
            found.append((sorted(times)[ROUNDS // 2], strip.name))
        for timing, name in sorted(found):
            print(
                f"  {name} fader: {timing.measuring_s:.2f} s, computing {timing.computing_s:.2f} s, "
                f"{timing.rendered} rendered; findings {timing.examining_s:.2f} s"
            )
        median = float(np.median([timing.measuring_s for timing, _ in found]))
        most = max(found)[0].measuring_s
        print(f"after a fader edit, median: {median:.2f} s, at most {most:.2f} s (goal: 0.3 s)")
        print(f"the host took {host.taken_share():.0%} of the machine's time")


class Timing(NamedTuple):
    """Of one measuring: time passed, time on all threads, strips rendered, and time to examine what was measured."""

    measuring_s: float
    computing_s: float
    rendered: int
    examining_s: float


def timed(workspace: Workspace, session: Session) -> Timing:
    began, began_computing = time.perf_counter(), time.process_time()
    measurement = measure_session(workspace, session)
    measured = time.perf_counter()
    computing_s = time.process_time() - began_computing
    examine_session(workspace, session, measurement)
    return Timing(measured - began, computing_s, measurement.rendered, time.perf_counter() - measured)
