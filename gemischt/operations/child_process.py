"""What every process of ours that works beside the server needs of the one that started it."""

import logging
import subprocess

_LONGEST_END_S = 20.0


def wait_for_end(process: "subprocess.Popen[str]") -> None:
    """Wait until a process has ended that was told to; kill it if it does not."""
    try:
        process.wait(timeout=_LONGEST_END_S)
    except subprocess.TimeoutExpired:
        # Nothing of what it does outlives us: what it keeps, it keeps piece by piece.
        process.kill()
        process.wait()


def keep_complaints(process: "subprocess.Popen[str]", log: logging.Logger) -> None:
    """Log what a process complains of, until it ends."""
    assert process.stderr is not None
    with process.stderr as lines:
        for line in lines:
            log.error("%s", line.rstrip())
