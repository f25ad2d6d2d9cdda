"""How long the demo's whole song takes to measure: from nothing, and after the fader of each strip was moved."""

import tempfile
import time
from pathlib import Path

import numpy as np

from gemischt.core.dsp.jit import prepare_kernels
from gemischt.core.session.actions import SetStrips, StripSettings, apply_action
from gemischt.core.session.document import Session
from gemischt.demo.sessions import MIXED
from gemischt.operations.demo_sessions import make_demo
from gemischt.operations.session_measuring import measure_session
from gemischt.operations.workspace import Workspace

ROUNDS = 3
STRIPS = ("sea-ambience", "echo", "frame-drum", "glass-marimba", "lead-voice", "low-tom")
"""What follows their faders: the mix; the mix through one bus or return, two, or three."""


def run() -> None:
    prepare_kernels()
    with tempfile.TemporaryDirectory() as folder:
        workspace = Workspace(Path(folder))
        make_demo(workspace, progress=lambda _words: None)
        session = workspace.sessions.find(MIXED).session
        took, computing, rendered = timed(workspace, session)
        print(f"whole song, {len(session.strips)} strips: {took:.2f} s, computing {computing:.2f} s (goal: 8 s)")
        found = []
        for strip in map(session.strip, STRIPS):
            times: list[tuple[float, float]] = []
            for step in range(ROUNDS):
                fader_db = (strip.fader_db or 0.0) - 0.5 * (step + 1)
                change = StripSettings(strip=strip.id, fader_db=fader_db)
                took, computing, rendered = timed(workspace, apply_action(session, SetStrips(changes=(change,))))
                times.append((took, computing))
            found.append((*sorted(times)[ROUNDS // 2], rendered, strip.name))
        for took, computing, rendered, name in sorted(found):
            print(f"  {name} fader: {took:.2f} s, computing {computing:.2f} s, {rendered} rendered")
        median = float(np.median([took for took, *_ in found]))
        print(f"after a fader edit, median: {median:.2f} s, at most {max(found)[0]:.2f} s (goal: 1.5 s)")


def timed(workspace: Workspace, session: Session) -> tuple[float, float, int]:
    """Seconds passed, seconds of computing on all threads, and strips rendered."""
    began, began_computing = time.perf_counter(), time.process_time()
    measurement = measure_session(workspace, session)
    return time.perf_counter() - began, time.process_time() - began_computing, measurement.rendered
