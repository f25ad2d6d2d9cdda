"""Addresses: every parameter has one, what is written is read, and what there is not is named."""

import unittest
from typing import Any

import numpy as np

from gemischt.core.errors import InvalidAction, InvalidSession
from gemischt.core.session.addresses import parameters_of, read, write
from gemischt.core.session.document import Session
from gemischt.core.session.validation import check_session, parse_session
from tests.core.engine.test_random_graphs import random_document
from tests.support.sessions import Bench, compressor, eq, silence


def band() -> Session:
    bench = Bench()
    lanes = [{"id": "dry", "name": "Dry"}, {"id": "wet", "name": "Wet", "chain": [compressor("squash")]}]
    chain = [eq({"gain_db": 3.0}, {"shape": "notch", "id": "hum"}), {"id": "block", "type": "parallel", "lanes": lanes}]
    bench.track("bass", silence(10), chain=chain, sends=[{"id": "s", "to": "hall"}])
    bench.bus("hall", kind="return", chain=[{"id": "room", "type": "reverb"}])
    groups = [{"id": "low", "name": "Low", "members": ["bass"]}]
    return parse_session({**bench.session().model_dump(mode="json", by_alias=True), "control_groups": groups})


ADDRESSES: list[tuple[str, Any, str]] = [
    ("strips/bass/fader_db", -6.0, "fader -6.0 dB"),
    ("strips/bass/fader_db", None, "fader silent"),
    ("strips/bass/mute", True, "mute on"),
    ("strips/bass/pan/position", 0.5, "pan 0.5"),
    ("strips/bass/sends/s/level_db", -12.0, "send -12.0 dB"),
    ("strips/bass/sends/s/on", False, "on off"),
    ("strips/bass/chain/eq/bands/b1/frequency_hz", 250.0, "frequency 250 Hz"),
    ("strips/bass/chain/eq/bands/hum/q", 12.0, "Q 12"),
    ("strips/bass/chain/block/lanes/wet/level_db", -3.0, "level -3.0 dB"),
    ("strips/bass/chain/block/level_db", -1.0, "level -1.0 dB"),
    ("strips/bass/chain/squash/threshold_db", -40.0, "threshold -40.0 dB"),
    ("strips/bass/chain/squash/ratio", None, "ratio endless"),
    ("strips/bass/chain/squash/on", False, "on off"),
    ("strips/bass/chain/squash/key/gain_db", 6.0, "key gain +6.0 dB"),
    ("strips/bass/chain/squash/key/filter/low_cut_hz", 80.0, "low cut 80 Hz"),
    ("strips/hall/chain/room/decay_s", 2.5, "decay 2.5 s"),
    ("control_groups/low/level_db", -2.0, "level -2.0 dB"),
]


class AddressesTest(unittest.TestCase):
    def test_what_is_written_is_read_and_nothing_else_changes(self) -> None:
        session = band()
        before = {item.address: item.value for item in parameters_of(session)}
        for address, value, words in ADDRESSES:
            with self.subTest(address, value=value):
                changed = write(session, address, value)
                check_session(changed)
                found = read(changed, address)
                self.assertEqual((found.value, found.parameter.describe(found.value)), (value, words))
                after = {item.address: item.value for item in parameters_of(changed)}
                self.assertEqual({a for a in before if before[a] != after[a]}, {address})

    def test_every_parameter_of_random_sessions_can_be_read_and_written_by_its_address(self) -> None:
        rng = np.random.default_rng(11)
        bench = Bench()
        bench.track("noise", silence(10))
        tried = 0
        while tried < 2000:
            try:
                session = parse_session(random_document(rng, bench))
            except InvalidSession:
                continue
            listed = list(parameters_of(session))
            self.assertEqual(len({item.address for item in listed}), len(listed))
            for item in listed:
                self.assertEqual(read(session, item.address), item)
                self.assertEqual(write(session, item.address, item.value), session)
                if item.parameter.kind == "number":
                    changed = write(session, item.address, item.parameter.maximum)
                    self.assertEqual(read(changed, item.address).value, item.parameter.maximum)
                tried += 1

    def test_what_is_not_there_is_named(self) -> None:
        session = band()
        cases = {
            "strips/none/fader_db": 'strips: there is no "none"',
            "strips/bass/loudness": 'strips/bass: there is no parameter "loudness"',
            "strips/bass/chain/eq/bands/b9/q": 'strips/bass/chain/eq/bands: there is no "b9"',
            "strips/bass/chain/eq/decay_s": 'strips/bass/chain/eq: there is no parameter "decay_s"',
            "strips/bass/pan": 'strips/bass: there is no parameter "pan"',
            "strips/bass/name/x": 'strips/bass: there is nothing called "name"',
            "nothing": 'there is no parameter "nothing"',
            "": 'there is no parameter ""',
            "strips": 'there is no parameter "strips"',
        }
        for address, reason in cases.items():
            with self.subTest(address):
                with self.assertRaises(InvalidAction) as caught:
                    read(session, address)
                self.assertIn(reason, str(caught.exception))

    def test_values_outside_are_refused_with_the_address(self) -> None:
        session = band()
        for address, value in (
            ("strips/bass/fader_db", 24.5),
            ("strips/bass/trim_db", None),
            ("strips/bass/chain/squash/detector", "ear"),
            ("strips/bass/pan/position", float("nan")),
        ):
            with self.subTest(address), self.assertRaises(InvalidAction) as caught:
                write(session, address, value)
            self.assertEqual(caught.exception.where, address)


if __name__ == "__main__":
    unittest.main()
