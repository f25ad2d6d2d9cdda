"""Files that appear whole or not at all, and what killed programs left of them."""

import contextlib
import errno
import fcntl
import os
import shutil
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from gemischt.core.errors import StorageFailed

_UNFINISHED = (".writing-*", "*.part")
_NEWLY_MADE_S = 60.0
"""Files are locked right after they are made; what is younger than this may wait for it."""


@contextmanager
def written_beside(path: Path) -> Iterator[Path]:
    """Yield a path in the same folder to write to; rename it into place if all went well, else remove it.

    Raises:
        StorageFailed: the disk is full, the folder is missing or may not be written to.
    """
    try:
        with unfinished_file(path.parent, path.suffix) as temporary:
            yield temporary
            keep(temporary, path)
    except OSError as error:
        raise disk_error(error, path) from error


@contextmanager
def unfinished_file(folder: Path, suffix: str) -> Iterator[Path]:
    """A new file that others leave alone; whatever of it is still there in the end is removed."""
    handle, name = tempfile.mkstemp(prefix=".writing-", suffix=suffix, dir=folder)
    try:
        with os.fdopen(handle, "rb") as held:
            claim(held.fileno())
            yield Path(name)
    finally:
        Path(name).unlink(missing_ok=True)


def keep(temporary: Path, path: Path) -> None:
    """Put an unfinished file in its place, whole."""
    with temporary.open("rb") as finished:
        os.fsync(finished.fileno())
    temporary.chmod(0o644)
    temporary.replace(path)


def claim(handle: int) -> None:
    """Mark an open file as somebody's: it is not swept while it is open."""
    with contextlib.suppress(OSError):
        fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)


def sweep(folder: Path) -> int:
    """Remove unfinished files in a folder that no program holds any more; how many bytes that freed."""
    freed = 0
    for pattern in _UNFINISHED:
        for path in folder.glob(pattern):
            with contextlib.suppress(OSError):
                if time.time() - path.stat().st_mtime > _NEWLY_MADE_S and not _is_claimed(path):
                    freed += path.stat().st_size
                    path.unlink()
    return freed


def empty(folder: Path) -> int:
    """Remove everything in a folder; how many bytes that freed."""
    freed = sum(path.stat().st_size for path in folder.rglob("*") if path.is_file())
    for path in folder.iterdir():
        if path.is_dir():
            shutil.rmtree(path, ignore_errors=True)
        else:
            path.unlink(missing_ok=True)
    return freed


def keep_under_free_name(temporary: Path, folder: Path, stem: str) -> Path:
    """Put an unfinished file in a folder under a name that is free there, numbered from 2 on, whoever else does the
    same; the name."""
    with held(folder):
        path, number = folder / f"{stem}{temporary.suffix}", 1
        while path.exists():
            number += 1
            path = folder / f"{stem} {number}{temporary.suffix}"
        keep(temporary, path)
    return path


@contextmanager
def held(folder: Path, *, shared: bool = False, wait: bool = True) -> Iterator[bool]:
    """Hold a folder, alone or together with others that share it, against all other programs.

    Yields:
        Whether it is held; always, unless it is not to be waited for.
    """
    handle = os.open(folder, os.O_RDONLY)
    try:
        try:
            fcntl.flock(handle, (fcntl.LOCK_SH if shared else fcntl.LOCK_EX) | (0 if wait else fcntl.LOCK_NB))
        except BlockingIOError:
            yield False
        else:
            yield True
    finally:
        os.close(handle)


def disk_error(error: OSError, path: Path) -> StorageFailed:
    """What the system said, with a remedy."""
    if error.errno in (errno.ENOSPC, errno.EDQUOT):
        return StorageFailed("the disk is full", where=str(path), remedy="Free some space and try again.")
    if error.errno in (errno.EACCES, errno.EPERM, errno.EROFS):
        return StorageFailed("may not be written", where=str(path), remedy="Choose a folder you may write to.")
    if error.errno == errno.ENOENT:
        return StorageFailed("the folder does not exist", where=str(path.parent), remedy="Create it first.")
    return StorageFailed(f"cannot be written ({error.strerror})", where=str(path), remedy="Try another place.")


def _is_claimed(path: Path) -> bool:
    with path.open("rb") as file:
        try:
            fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            return True
    return False
