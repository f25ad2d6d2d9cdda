"""Where compiled kernels are kept between runs."""

import hashlib
import os
import sys
from collections.abc import Callable
from importlib.metadata import version
from pathlib import Path


def place_kernel_cache(application_version: str) -> None:
    """Point Numba at a per-user folder, before anything imports it.

    Numba does not notice edits in the helpers a kernel inlines, so the folder's name carries a hash of every
    kernel source beside the versions.
    """
    digest = _digest(lambda text: b"kernel" in text)
    python = f"py{sys.version_info.major}{sys.version_info.minor}"
    name = f"{application_version}-{python}-nb{version('numba')}-{digest}"
    base = Path(os.environ.get("XDG_CACHE_HOME") or Path.home() / ".cache")
    os.environ.setdefault("NUMBA_CACHE_DIR", str(base / "gemischt" / "kernels" / name))


def sources_digest() -> str:
    """A hash of everything the sound and the figures depend on: renders of another version are not used again."""
    return _digest(lambda text: True)


def _digest(counts: Callable[[bytes], bool]) -> str:
    digest = hashlib.sha256()
    core = Path(__file__).parent / "core"
    for source in sorted(core.rglob("*.py")):
        text = source.read_bytes()
        if counts(text):
            digest.update(text)
    return digest.hexdigest()[:12]
