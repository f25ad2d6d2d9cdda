"""Where Chromium is; installed if it is missing and whoever asks may install it."""

import os
import shutil
import subprocess


def find_chromium() -> str:
    """Chromium's path.

    Raises:
        FileNotFoundError: it is not there, with what to do.
    """
    path = _on_path()
    if path is None and os.geteuid() == 0:
        print("== installing chromium")
        subprocess.run(["apt-get", "update", "-qq"], check=False)
        subprocess.run(["apt-get", "install", "-y", "-qq", "chromium"], check=False, stdout=subprocess.DEVNULL)
        path = _on_path()
    if path is None:
        raise FileNotFoundError("Chromium is needed here: install it with `sudo apt-get install chromium`.")
    return path


def _on_path() -> str | None:
    return shutil.which("chromium") or shutil.which("chromium-browser")
