"""Starting the web application."""

import os
import socket
from contextlib import closing
from pathlib import Path
from typing import Any

import uvicorn
from fastapi import FastAPI

from gemischt.api.app import create_app
from gemischt.api.settings import Settings
from gemischt.core.errors import GemischtError
from gemischt.operations.demo_sessions import make_demo
from gemischt.operations.workspace import Workspace


def serve(folder: Path, *, demo: bool, host: str, port: int, reload: bool) -> None:
    """Serve until interrupted."""
    settings = _settings(folder, host)
    if not settings.web_folder.is_dir():
        raise GemischtError(
            "the web application is not built", where=str(settings.web_folder), remedy="Run `make setup`."
        )
    _check_port(host, port)
    _look_after(folder, demo=demo)
    shown = "127.0.0.1" if host in ("0.0.0.0", "::") else host
    print(f"Gemischt listens on http://{shown}:{port}", flush=True)
    quiet: dict[str, Any] = {"log_level": "warning", "ws_max_size": 1 << 20, "ws_per_message_deflate": False}
    if reload:
        os.environ["GEMISCHT_DATA"] = str(folder)
        uvicorn.run("gemischt.cli.server:development_app", factory=True, reload=True, host=host, port=port, **quiet)
    else:
        uvicorn.run(create_app(settings), host=host, port=port, **quiet)


def _look_after(folder: Path, *, demo: bool) -> None:
    """Whatever is wrong with the data folder is said before anybody is told to come."""
    with closing(Workspace(folder)) as workspace:
        freed_bytes = workspace.begin_serving()
        if freed_bytes:
            print(f"removed {freed_bytes / 1e6:.1f} MB that were left unfinished", flush=True)
        if demo and make_demo(workspace, progress=lambda text: print(text, flush=True)):
            print("the demo song is ready", flush=True)


def _check_port(host: str, port: int) -> None:
    try:
        with socket.socket(socket.AF_INET6 if ":" in host else socket.AF_INET) as probe:
            probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            probe.bind((host, port))
    except OSError as error:
        raise GemischtError(
            f"cannot be listened on ({error.strerror})",
            where=f"{host}:{port}",
            remedy="Perhaps Gemischt runs already; else choose another port with --port.",
        ) from None


def development_app() -> FastAPI:
    """The application for ``--reload``, its folder passed through the environment."""
    return create_app(_settings(Path(os.environ["GEMISCHT_DATA"]), "127.0.0.1"))


def openapi_document() -> dict[str, Any]:
    """The API's schema."""
    return create_app(Settings(data_folder=Path("unused"))).openapi()


def _settings(folder: Path, host: str) -> Settings:
    settings = Settings(data_folder=folder)
    named = {host} if host not in ("0.0.0.0", "::") else set()
    return Settings(data_folder=folder, allowed_hosts=settings.allowed_hosts | named)
