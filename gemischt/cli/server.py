"""Starting the web application."""

import asyncio
import ipaddress
import logging
import os
import secrets
import socket
from concurrent.futures import ProcessPoolExecutor
from contextlib import closing, suppress
from dataclasses import replace
from logging.handlers import RotatingFileHandler
from multiprocessing import get_context
from pathlib import Path
from typing import Any, cast

import uvicorn
from fastapi import FastAPI

from gemischt.api.app import create_app
from gemischt.api.playing import PlayingProcess
from gemischt.api.settings import Settings
from gemischt.core.errors import GemischtError
from gemischt.operations.demo_sessions import has_demo, make_demo
from gemischt.operations.workspace import Workspace

LOG_NAME = "gemischt.log"
_EVERYWHERE = ("0.0.0.0", "::")


def serve(folder: Path, *, demo: bool, host: str, port: int, reload: bool) -> None:
    """Serve until interrupted."""
    settings = _settings(folder, host)
    if not settings.web_folder.is_dir():
        raise GemischtError(
            "the web application is not built", where=str(settings.web_folder), remedy="Run `make setup`."
        )
    _check_port(host, port)
    _look_after(folder, demo=demo)
    _keep_log(folder)
    _say_where(settings, host, port)
    if reload:
        os.environ["GEMISCHT_DATA"] = str(folder)
        uvicorn.run(
            "gemischt.cli.server:development_app", factory=True, reload=True, host=host, port=port, log_config=None
        )
    else:
        playing = PlayingProcess(settings)
        # Pages that listen are served over there. The server calls whatever makes a protocol.
        hands_over = cast("type[asyncio.Protocol]", playing.protocol)
        uvicorn.run(create_app(settings, playing), host=host, port=port, log_config=None, ws=hands_over)


def _keep_log(folder: Path) -> None:
    """What fails, and when, in the data folder and on the terminal."""
    file = RotatingFileHandler(folder / LOG_NAME, maxBytes=1 << 20, backupCount=3, encoding="utf-8")
    form = "%(asctime)s %(levelname)s %(name)s: %(message)s"
    logging.basicConfig(level=logging.WARNING, format=form, handlers=[file, logging.StreamHandler()])


def _say_where(settings: Settings, host: str, port: int) -> None:
    if settings.token is None:
        print(f"Gemischt listens on http://{bracketed(host)}:{port}", flush=True)
        return
    print("Gemischt listens to other machines: whoever has this address can hear and change every session.", flush=True)
    for name in [host] if host not in _EVERYWHERE else _own_addresses():
        print(f"  http://{bracketed(name)}:{port}/?token={settings.token}", flush=True)


def bracketed(host: str) -> str:
    """A host as addresses write it.

    >>> bracketed("::1"), bracketed("127.0.0.1")
    ('[::1]', '127.0.0.1')
    """
    return f"[{host}]" if ":" in host else host


def _own_addresses() -> list[str]:
    """Names and numbers other machines may know this one by."""
    name = socket.gethostname()
    with suppress(OSError):
        found = {str(entry[4][0]).partition("%")[0] for entry in socket.getaddrinfo(name, None)}
        return [*sorted(found - {"127.0.0.1", "127.0.1.1", "::1"}), name]
    return [name]


def _look_after(folder: Path, *, demo: bool) -> None:
    """Whatever is wrong with the data folder is said before anybody is told to come."""
    with closing(Workspace(folder)) as workspace:
        freed_bytes = workspace.begin_serving()
        if freed_bytes:
            print(f"removed {freed_bytes / 1e6:.1f} MB that were left unfinished", flush=True)
        if demo and not has_demo(workspace):
            # What plays the instruments would take up memory for as long as this process lives.
            with ProcessPoolExecutor(1, mp_context=get_context("spawn")) as pool:
                pool.submit(_make_demo, folder).result()
            print("the demo song is ready", flush=True)


def _make_demo(folder: Path) -> None:
    with closing(Workspace(folder)) as workspace:
        make_demo(workspace, progress=lambda text: print(text, flush=True))


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
    """Other machines are let in with a token that is made at each start."""
    settings = Settings(data_folder=folder)
    if is_loopback(host):
        return replace(settings, allowed_hosts=settings.allowed_hosts | {bracketed(host)})
    names = _own_addresses() if host in _EVERYWHERE else [host]
    hosts = settings.allowed_hosts | {bracketed(name) for name in names}
    return replace(settings, allowed_hosts=hosts, token=secrets.token_urlsafe(24))


def is_loopback(host: str) -> bool:
    """Whether only this machine reaches an address."""
    with suppress(ValueError):
        return ipaddress.ip_address(host).is_loopback
    return host == "localhost"
