"""What routers are handed."""

from typing import Annotated, Protocol

from fastapi import Depends
from starlette.requests import HTTPConnection

from gemischt.api.settings import Settings
from gemischt.live.hub import Hub
from gemischt.operations.jobs import Jobs
from gemischt.operations.workspace import Workspace


def _workspace(connection: HTTPConnection) -> Workspace:
    workspace: Workspace = connection.app.state.workspace
    return workspace


def _hub(connection: HTTPConnection) -> Hub:
    hub: Hub = connection.app.state.hub
    return hub


class Playing(Protocol):
    """Who plays sessions."""

    def document_changed(self, session_id: str) -> None:
        """Let a kept edit be heard, before anybody is told that it is kept."""


def _playing(connection: HTTPConnection) -> Playing:
    playing: Playing = connection.app.state.playing
    return playing


def _jobs(connection: HTTPConnection) -> Jobs:
    jobs: Jobs = connection.app.state.jobs
    return jobs


def _settings(connection: HTTPConnection) -> Settings:
    settings: Settings = connection.app.state.settings
    return settings


WorkspaceDep = Annotated[Workspace, Depends(_workspace)]
PlayingDep = Annotated[Playing, Depends(_playing)]
HubDep = Annotated[Hub, Depends(_hub)]
JobsDep = Annotated[Jobs, Depends(_jobs)]
SettingsDep = Annotated[Settings, Depends(_settings)]
