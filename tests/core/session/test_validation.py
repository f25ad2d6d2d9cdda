"""The document's rules: each broken one is named with its path and reason."""

import json
import unittest
from pathlib import Path
from typing import Any

from gemischt.core.errors import InvalidSession
from gemischt.core.session.document import Session, empty_session
from gemischt.core.session.validation import dump_session, parse_session

MIX = {"id": "mix", "kind": "mix", "name": "Mix"}


def document(*strips: dict[str, Any], **fields: Any) -> dict[str, Any]:
    return {"name": "Song", "strips": [*strips, MIX], **fields}


def track(strip_id: str = "a", **fields: Any) -> dict[str, Any]:
    return {"id": strip_id, "name": strip_id.upper(), "output": "mix", **fields}


def bus(strip_id: str, output: str | None = "mix", **fields: Any) -> dict[str, Any]:
    return {"id": strip_id, "kind": "bus", "name": strip_id.upper(), "output": output, **fields}


def key(source: str, tap: str = "pre-fader") -> list[dict[str, Any]]:
    return [{"id": "c", "type": "compressor", "key": {"from": source, "tap": tap}}]


def point(at_s: float = 0.0, value: Any = -6.0, bend: float = 0.0) -> dict[str, Any]:
    return {"at_s": at_s, "value": value, "bend": bend}


def moved(points: list[dict[str, Any]], target: str = "strips/mix/fader_db") -> dict[str, Any]:
    return document(track("a", chain=[{"id": "c", "type": "compressor"}]), moves=[{"target": target, "points": points}])


BROKEN: dict[str, tuple[Any, str, str]] = {
    "not an object": ([], "", "JSON object"),
    "another format": (document(format="other"), "format", "gemischt-session"),
    "a newer version": (document(version=99), "version", "newer"),
    "an unknown field": (document(colour="red"), "colour", "not permitted"),
    "no mix": ({"name": "x", "strips": []}, "strips", "exactly one"),
    "two mixes": ({"name": "x", "strips": [MIX, MIX | {"id": "mix2"}]}, "strips", "exactly one"),
    "ids twice": (document(track(), track()), "strips", "2 times"),
    "an id with a slash": (document(track("a/b")), "strips/0/id", "match"),
    "an unknown output": (document(track(output="gone")), "strips/a/output", 'no strip "gone"'),
    "output into a track": (document(track(), track("b", output="a")), "strips/b/output", "only a bus"),
    "a send to nowhere": (document(track(sends=[{"id": "s", "to": "x"}])), "strips/a/sends/s/to", 'no strip "x"'),
    "a key from nowhere": (document(track(chain=key("x"))), "strips/a/chain/c/key/from", 'no strip "x"'),
    "unknown media": (document(track(clips=[{"media": "m"}])), "strips/a/clips/0/media", 'no media "m"'),
    "clips on a bus": (document(bus("b", clips=[{"media": "m"}])), "strips/b/clips", "no clips"),
    "an unknown folder": (document(track(folder="f")), "strips/a/folder", 'no folder "f"'),
    "folders in a ring": (
        document(folders=[{"id": "f", "name": "F", "parent": "g"}, {"id": "g", "name": "G", "parent": "f"}]),
        "folders/f/parent",
        "inside itself",
    ),
    "a fader too high": (document(track(fader_db=99)), "strips/a/fader_db", "less than or equal to 24"),
    "infinity as a number": (document(track(trim_db=float("inf"))), "strips/a/trim_db", "finite"),
    "a pan law of its own": (document(pan_law_db=-2.5), "pan_law_db", "0, -3, -4.5, -6"),
    "nine bands": (
        document(track(chain=[{"id": "e", "type": "eq", "params": {"bands": [{}] * 9}}])),
        "strips/a/chain/e/bands",
        "at most 8",
    ),
    "an unknown processor": (document(track(chain=[{"id": "x", "type": "magic"}])), "strips/a/chain/x", "magic"),
    "processors twice": (
        document(track(chain=[{"id": "e", "type": "eq"}, {"id": "e", "type": "eq"}])),
        "strips/a/chain",
        "2 times",
    ),
    "a section without length": (
        document(sections=[{"name": "A", "start_s": 5, "end_s": 5}]),
        "sections/0",
        "end after",
    ),
    "tempos out of order": (document(tempo=[{"at_s": 2.0}, {"at_s": 1.0}]), "tempo", "order of time"),
    "a member that is not there": (
        document(control_groups=[{"id": "g", "name": "G", "members": ["x"]}]),
        "control_groups/g/members",
        'no strip or group "x"',
    ),
    "a move without points": (moved([]), "moves/0/points", "at least 1"),
    "a move of nothing": (moved([point()], "strips/gone/fader_db"), "moves/strips/gone/fader_db", 'no "gone"'),
    "a move of what must stay": (
        moved([point(value=1.0)], "strips/a/chain/c/lookahead_ms"),
        "moves/strips/a/chain/c/lookahead_ms",
        "cannot move",
    ),
    "a move of an input": (moved([point(value=True)], "strips/mix/input"), "moves/strips/mix/input", "cannot move"),
    "a moved solo": (moved([point(value=True)], "strips/mix/solo"), "moves/strips/mix/solo", "cannot move"),
    "two moves of one parameter": (
        document(moves=[{"target": "strips/mix/fader_db", "points": [point()]}] * 2),
        "moves/strips/mix/fader_db",
        "twice",
    ),
    "points out of order": (moved([point(2.0), point(1.0)]), "moves/strips/mix/fader_db/points/1", "earlier"),
    "three points at one time": (moved([point(1.0)] * 3), "moves/strips/mix/fader_db/points/2", "no more than two"),
    "a moved value out of range": (moved([point(value=99.0)]), "moves/strips/mix/fader_db/points/0", "24"),
    "a switch that moves to a number": (
        moved([point(value=0.5)], "strips/mix/mute"),
        "moves/strips/mix/mute/points/0",
        "true or false",
    ),
    "a level that moves to a word": (moved([point(value="loud")]), "moves/0/points/0/value/float", "valid number"),
    "a point before the song": (moved([point(-1.0)]), "moves/0/points/0/at_s", "greater"),
    "a point that bends too far": (moved([point(bend=1.5)]), "moves/0/points/0/bend", "1"),
    "too many points": (moved([point(float(k)) for k in range(20001)]), "moves/0/points", "20000"),
    "a loop of outputs": (document(bus("toms", "drums"), bus("drums", "toms")), "strips", "TOMS -> DRUMS -> TOMS"),
    "a loop through a send": (
        document(bus("a", sends=[{"id": "s", "to": "b"}]), bus("b", "a")),
        "strips",
        "A -> B -> A",
    ),
    "a loop through a key": (document(bus("a", "b", chain=key("b")), bus("b")), "strips", "A -> B -> A"),
    "a key on its own fader": (document(track(chain=key("a", "post-fader"))), "strips", "A -> A"),
}  # fmt: skip


class RefusalTest(unittest.TestCase):
    def test_every_broken_rule_is_named(self) -> None:
        for name, (broken, path, reason) in BROKEN.items():
            with self.subTest(name):
                with self.assertRaises(InvalidSession) as caught:
                    parse_session(broken, where="song.gemischt.json")
                faults = [fault for fault in caught.exception.faults if fault.path == path]
                self.assertTrue(faults, f"no fault at {path!r}: {caught.exception.faults}")
                self.assertIn(reason, faults[0].reason)
                self.assertIn("song.gemischt.json", str(caught.exception))

    def test_all_faults_are_listed_at_once(self) -> None:
        with self.assertRaises(InvalidSession) as caught:
            parse_session(document(track("a", output="x"), track("b", output="y")))
        self.assertEqual(len(caught.exception.faults), 2)


class AcceptanceTest(unittest.TestCase):
    def test_a_key_on_the_own_pre_chain_tap_is_no_loop(self) -> None:
        parse_session(document(track(chain=key("a", "pre-chain"))))

    def test_fields_left_out_take_their_defaults_and_survive_a_round_trip(self) -> None:
        session = parse_session(document(track(chain=key("a", "pre-chain"))))
        self.assertEqual(session.pan_law_db, -3.0)
        self.assertEqual(parse_session(json.loads(json.dumps(dump_session(session)))), session)
        self.assertEqual(dump_session(session)["strips"][0]["chain"][0]["key"]["from"], "a")

    def test_silence_and_endless_ratio_are_null(self) -> None:
        chain = [{"id": "c", "type": "compressor", "params": {"ratio": None}}]
        session = parse_session(document(track(fader_db=None, chain=chain)))
        self.assertIsNone(dump_session(session)["strips"][0]["fader_db"])

    def test_an_empty_session_is_valid(self) -> None:
        self.assertEqual(parse_session(dump_session(empty_session("New"))).mix.id, "mix")

    def test_the_published_schema_is_the_models(self) -> None:
        published = json.loads((Path(__file__).parents[3] / "docs" / "session.schema.json").read_text())
        self.assertEqual(published, json.loads(json.dumps(Session.model_json_schema(by_alias=True))))
