"""Small sessions over signals held in memory."""

from typing import Any

import numpy as np

from gemischt.core.audio import MediaSamples, as_media
from gemischt.core.engine.renderer import Renderer
from gemischt.core.session.document import Session
from gemischt.core.session.validation import parse_session
from tests.support.signals import Signal


class Bench:
    """Builds a session strip by strip and renders it.

    >>> bench = Bench()
    >>> bench.track("a", np.ones((2, 100)))
    >>> bench.render(100).shape
    (2, 100)
    """

    def __init__(self, **fields: Any) -> None:
        self.fields = fields
        self.media: dict[str, MediaSamples] = {}
        self.strips: list[dict[str, Any]] = []
        self.mix: dict[str, Any] = {"id": "mix", "kind": "mix", "name": "Mix"}

    def track(self, name: str, signal: Signal, **fields: Any) -> None:
        self.media[name] = as_media(signal)
        strip = {"id": name, "name": name.title(), "clips": [{"media": name}], "output": "mix"}
        self.strips.append(strip | fields)

    def bus(self, name: str, kind: str = "bus", **fields: Any) -> None:
        self.strips.append({"id": name, "kind": kind, "name": name.title(), "output": "mix"} | fields)

    def session(self) -> Session:
        media = [{"id": name, "path": f"audio/{name}.wav"} for name in self.media]
        return parse_session({"name": "Test", "media": media, "strips": [*self.strips, self.mix], **self.fields})

    def renderer(self, **options: Any) -> Renderer:
        return Renderer(self.session(), self.media, **options)

    def render(self, n_samples: int, **options: Any) -> Signal:
        return self.renderer(**options).render(n_samples)


def compressor(processor_id: str = "comp", key: dict[str, Any] | None = None, **params: Any) -> dict[str, Any]:
    """A compressor as the document holds it."""
    return {"id": processor_id, "type": "compressor", "params": params, "key": key or {}}


def eq(*bands: dict[str, Any], processor_id: str = "eq") -> dict[str, Any]:
    """An equaliser as the document holds it."""
    return {"id": processor_id, "type": "eq", "params": {"bands": list(bands)}}


def silence(length: int, channels: int = 2) -> Signal:
    return np.zeros((channels, length))
