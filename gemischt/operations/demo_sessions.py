"""Puts the demo song into a data folder."""

import tempfile
from collections.abc import Callable
from pathlib import Path

import numpy as np
import soundfile

from gemischt.core.session.document import Media
from gemischt.demo import in_the_round, sessions
from gemischt.operations.workspace import Workspace

_SESSIONS = {
    in_the_round.IN_THE_ROUND: in_the_round.in_the_round,
    sessions.AS_RECORDED: sessions.as_recorded,
    sessions.MIXED: sessions.mixed,
}

SAMPLES = frozenset(_SESSIONS)
"""What the demo's sessions are called."""


def has_demo(workspace: Workspace) -> bool:
    """Whether all of the demo's sessions are there."""
    return {entry.name for entry in workspace.sessions.entries()} >= SAMPLES


def make_demo(workspace: Workspace, *, progress: Callable[[str], None]) -> bool:
    """Synthesise the tracks and create the sessions, unless they are there; says what it does.

    Returns whether anything had to be made.
    """
    there = {entry.name for entry in workspace.sessions.entries()}
    missing = {title: make for title, make in _SESSIONS.items() if title not in there}
    if not missing:
        return False
    # The instruments need parts of SciPy that take long to load; a start without the demo does without them.
    from gemischt.demo import song
    from gemischt.demo.instruments import RATE_HZ

    progress("playing the demo song ...")
    media: dict[str, Media] = {}
    with tempfile.TemporaryDirectory(dir=workspace.uploads) as folder:
        for track_id, name, wave in song.tracks():
            path = Path(folder) / f"{track_id}.wav"
            soundfile.write(path, wave.T.astype(np.float32), RATE_HZ, subtype="FLOAT")
            audio = workspace.audio.add(path, path.name, sample_rate_hz=RATE_HZ)
            media[track_id] = Media(
                id=track_id, path=f"audio/{track_id}.wav", sha256=audio.sha256, duration_s=audio.duration_s
            )
            progress(f"  {name}")
    for make in missing.values():
        workspace.sessions.create(make(media))
    return True
