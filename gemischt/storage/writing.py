"""Files that appear whole or not at all."""

import errno
import os
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from gemischt.core.errors import StorageFailed


@contextmanager
def written_beside(path: Path) -> Iterator[Path]:
    """Yield a path in the same folder to write to; rename it into place if all went well, else remove it.

    Raises:
        StorageFailed: the disk is full, the folder is missing or may not be written to.
    """
    temporary: Path | None = None
    try:
        handle, name = tempfile.mkstemp(prefix=".writing-", suffix=path.suffix, dir=path.parent)
        os.close(handle)
        temporary = Path(name)
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


def disk_error(error: OSError, path: Path) -> StorageFailed:
    """What the system said, with a remedy."""
    if error.errno in (errno.ENOSPC, errno.EDQUOT):
        return StorageFailed("the disk is full", where=str(path), remedy="Free some space and try again.")
    if error.errno in (errno.EACCES, errno.EPERM, errno.EROFS):
        return StorageFailed("may not be written", where=str(path), remedy="Choose a folder you may write to.")
    if error.errno == errno.ENOENT:
        return StorageFailed("the folder does not exist", where=str(path.parent), remedy="Create it first.")
    return StorageFailed(f"cannot be written ({error.strerror})", where=str(path), remedy="Try another place.")
