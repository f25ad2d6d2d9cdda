"""What differs between two sessions, in words, and taking it back."""

import unittest
from typing import Any

from gemischt.core.errors import InvalidAction
from gemischt.core.session.actions import apply_action, parse_action
from gemischt.core.session.actions.snapshots import TakeBack
from gemischt.core.session.differences import differences
from tests.support.sessions import Bench, compressor, silence


def band() -> Bench:
    bench = Bench()
    bench.track("bass", silence(10), chain=[compressor("squeeze", threshold_db=-20.0)])
    bench.track("voice", silence(10), sends=[{"id": "s", "to": "hall", "level_db": -12.0}])
    bench.bus("hall", kind="return")
    return bench


class SnapshotCase(unittest.TestCase):
    def setUp(self) -> None:
        self.before = band().session()

    def after(self, *actions: dict[str, Any]) -> Any:
        session = self.before
        for action in actions:
            session = apply_action(session, parse_action(action))
        return session


class DifferencesTest(SnapshotCase):
    def test_each_kind_of_difference_reads_as_people_say_it(self) -> None:
        def strip(**values: Any) -> dict[str, Any]:
            return {"type": "set-strips", "changes": [{"strip": "bass", **values}]}

        add = {"type": "add-processor", "strip": "bass", "processor": "eq", "into": None, "params": {}}
        setting = {"type": "set-processor", "strip": "bass", "processor": "squeeze"}
        send = {"strip": "voice", "send": "s"}
        cases: list[tuple[dict[str, Any], str]] = [
            (strip(fader_db=-2.0), "Bass fader -2.0 dB"),
            (strip(fader_db=None), "Bass fader silent"),
            (strip(trim_db=3.0), "Bass trim +3.0 dB"),
            (strip(mute=True), "Bass muted"),
            (strip(solo=True), "Bass soloed"),
            (strip(width=0.5), "Bass width 50 %"),
            (strip(polarity_inverted=True), "Bass polarity inverted"),
            (add, "Bass EQ added"),
            (setting | {"on": False}, "Bass Compressor bypassed"),
            (setting | {"params": {"threshold_db": -30.0}}, "Bass Compressor threshold -30.0 dB"),
            ({"type": "remove-processor", "strip": "bass", "processor": "squeeze"}, "Bass Compressor removed"),
            ({"type": "set-output", "strips": ["bass"], "output": None}, "Bass plays to nowhere"),
            ({"type": "set-sends", "changes": [send | {"level_db": -9.0}]}, "Voice send to Hall +3.0 dB"),
            ({"type": "remove-sends", "sends": [send]}, "Voice send to Hall removed"),
            ({"type": "add-group", "name": "Low", "members": ["bass"]}, "Control group Low added"),
            ({"type": "add-strip", "kind": "bus", "name": "Band"}, "Band is new"),
            ({"type": "set-song", "vu_reference_dbfs": -20.0}, "0 VU at -20.0 dBFS"),
        ]
        for action, words in cases:
            with self.subTest(words):
                said = [item.words for item in differences(self.before, self.after(action))]
                self.assertEqual(said, [words])

    def test_nothing_differs_from_itself(self) -> None:
        self.assertEqual(differences(self.before, self.before), ())


class TakeBackTest(SnapshotCase):
    def take_back(self, session: Any, *strips: str) -> Any:
        return apply_action(session, TakeBack(snapshot=self.before, title="Before", strips=strips))

    def test_everything(self) -> None:
        changed = self.after(
            {"type": "set-strips", "changes": [{"strip": "bass", "fader_db": -2.0}]},
            {"type": "set-song", "name": "Another"},
        )
        back = self.take_back(changed)
        self.assertEqual(back.name, "Another")
        self.assertEqual(differences(self.before, back), ())

    def test_one_strip_leaves_the_others(self) -> None:
        changes = [{"strip": "bass", "fader_db": -2.0}, {"strip": "voice", "fader_db": -5.0}]
        back = self.take_back(self.after({"type": "set-strips", "changes": changes}), "bass")
        self.assertEqual([item.words for item in differences(self.before, back)], ["Voice fader -5.0 dB"])

    def test_a_strip_that_is_not_in_both_is_named(self) -> None:
        grown = self.after({"type": "add-strip", "kind": "bus", "name": "Band"})
        with self.assertRaisesRegex(InvalidAction, '"band" is not in both'):
            self.take_back(grown, "band")
