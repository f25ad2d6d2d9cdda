"""Ids are names and nothing else: none changes what sounds or what is measured."""

import json
import unittest
from typing import Any

import numpy as np

from gemischt.core.analysis.cache.renders import MemoryRenders
from gemischt.core.analysis.measurement.song import measure_song
from gemischt.core.engine.renderer import Renderer
from gemischt.core.engine.specs import Role
from gemischt.core.engine.tap_reader import Media
from gemischt.core.session.document import Session
from gemischt.core.session.validation import parse_session
from tests.support.sessions import Bench, compressor, eq
from tests.support.signals import noise

N = 6000
AWKWARD = (*(role.value.replace(" ", "-") for role in Role), "source", "trim", "pre-fader", "post-fader", "work", "mix")


def session_with(names: dict[str, str]) -> tuple[Session, Media]:
    """Every kind of processor place, called by other names."""
    bench = Bench()
    lanes = [
        {"id": "lane1", "name": "One", "chain": [compressor("inside", ratio=4.0, threshold_db=-40.0)]},
        {"id": "lane2", "name": "Two", "shift_ms": 1.0},
    ]
    chain = [
        eq({"frequency_hz": 300.0, "gain_db": 9.0}, processor_id="first"),
        {"id": "block", "type": "parallel", "lanes": lanes, "level_db": -3.0},
        compressor("last", key={"from": "b", "filter": {"low_cut_hz": 50.0}}, threshold_db=-50.0),
    ]
    sends = [{"id": "send1", "to": "hall", "tap": tap} for tap in ("pre-chain",)]
    bench.track("b", noise(0.2, seed=2))
    bench.track("a", noise(0.2, seed=1), chain=chain, sends=sends)
    bench.bus("hall", kind="return", chain=[{"id": "room", "type": "gain", "params": {"level_db": -6.0}}])
    return parse_session(renamed(bench.session().model_dump(mode="json", by_alias=True), names)), bench.media


def renamed(document: Any, names: dict[str, str]) -> Any:
    """Only ids within strips are changed: no strip's and no file's."""
    text = json.dumps(document)
    for old, new in names.items():
        text = text.replace(f'"id": "{old}"', f'"id": "{new}"')
    return json.loads(text)


class IdsTest(unittest.TestCase):
    PLACES = ("first", "block", "last", "inside", "lane1", "lane2", "send1", "room")

    def test_no_id_changes_what_sounds(self) -> None:
        session, media = session_with({})
        plain = Renderer(session, media).render(N)
        for awkward in AWKWARD:
            for place in self.PLACES:
                with self.subTest(id=awkward, place=place):
                    session, media = session_with({place: awkward})
                    np.testing.assert_array_equal(Renderer(session, media).render(N), plain)

    def test_no_id_changes_what_is_measured(self) -> None:
        def measured(names: dict[str, str]) -> list[Any]:
            session, media = session_with(names)
            found = measure_song(session, media, dict.fromkeys(media, "x"), MemoryRenders())
            return [[stage.levels for stage in found.strips[strip.id].stages] for strip in session.strips]

        plain = measured({})
        for awkward in ("source", "trim", "pre-fader", "post-fader"):
            with self.subTest(awkward):
                for place in ("first", "block", "last"):
                    self.assertEqual(measured({place: awkward}), plain)
