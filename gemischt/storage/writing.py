"""Files that appear whole or not at all, and what killed programs left of them."""

import contextlib
import errno
import fcntl
import os
import re
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
_MOST_NAME_BYTES = 180
"""File systems take 255 bytes; a number, a suffix and a working name come on top."""


@contextmanager
def written_beside(path: Path) -> Iterator[Path]:
    """Yield a path in the same folder to write to; rename it into place if all went well, else remove it.

    Raises:
        StorageFailed: the disk is full, the folder is missing or may not be written to.
    """
    temporary: Path | None = None
    try:
        handle, name = tempfile.mkstemp(prefix=".writing-", suffix=path.suffix, dir=path.parent)
        temporary = Path(name)
        with os.fdopen(handle, "rb") as held:
            claim(held.fileno())
            yield temporary
        with temporary.open("rb") as finished:
            os.fsync(finished.fileno())
        temporary.chmod(0o644)
        temporary.replace(path)
    except OSError as error:
        raise disk_error(error, path) from error
    finally:
        if temporary is not None:
            temporary.unlink(missing_ok=True)


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


def move_to_free_name(path: Path, folder: Path, stem: str) -> Path:
    """Rename a finished file to ``STEM N`` with the first number that is free, whoever else does the same; the name."""
    with held(folder):
        number = 1
        while (free := folder / f"{stem} {number}{path.suffix}").exists():
            number += 1
        path.replace(free)
    return free


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


def file_stem(name: str, *, otherwise: str) -> str:
    """A name of the user's as the stem of a file: any letters, but nothing a file system or shell trips over.

    >>> file_stem("A/B: mix", otherwise="mix")
    'A_B_ mix'
    >>> len(file_stem("音" * 200, otherwise="mix").encode())
    180
    """
    plain = re.sub(r"[^\w ()-]+", "_", name).encode()[:_MOST_NAME_BYTES].decode(errors="ignore")
    return plain.strip() or otherwise


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
