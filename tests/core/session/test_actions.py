"""Every action: what it does, what it is called, and when it is refused."""

import unittest
from typing import Any

import numpy as np

from gemischt.core.engine.renderer import Renderer
from gemischt.core.errors import InvalidAction, InvalidSession
from gemischt.core.session.actions import apply_action, parse_action
from gemischt.core.session.document import Session
from tests.support.sessions import Bench, compressor, eq
from tests.support.signals import noise


def band() -> Bench:
    bench = Bench()
    bench.track("bass", noise(0.1, seed=1), chain=[eq(), compressor(key={"from": "drum"})])
    bench.track("drum", noise(0.1, seed=2), sends=[{"id": "s", "to": "hall"}])
    bench.track("voice", noise(0.1, seed=3), output="low")
    bench.bus("low")
    bench.bus("hall", kind="return")
    return bench


class ActionCase(unittest.TestCase):
    def setUp(self) -> None:
        self.bench = band()
        self.session = self.bench.session()

    def act(self, **action: Any) -> Session:
        parsed = parse_action(action)
        self.name = parsed.describe(self.session)
        return apply_action(self.session, parsed)


class StripSettingsTest(ActionCase):
    def test_who_sets_a_place_and_who_sets_a_mode_do_not_undo_each_other(self) -> None:
        # Both say what they change alone, as neither has seen the other's edit.
        self.session = self.act(type="set-strips", changes=[{"strip": "bass", "pan": {"mode": "fold"}}])
        self.session = self.act(type="set-strips", changes=[{"strip": "bass", "pan": {"position": 0.4}}])
        self.assertEqual(self.name, "Bass: pan 40 % right (fold)")
        pan = self.session.strip("bass").pan
        self.assertEqual((pan.mode, pan.position, pan.left, pan.right), ("fold", 0.4, -1.0, 1.0))

    def test_names_read_like_sentences(self) -> None:
        cases = {
            "Bass: fader -3.5 dB": [{"strip": "bass", "fader_db": -3.5}],
            "Bass: fader silent": [{"strip": "bass", "fader_db": None}],
            "Bass: mute on": [{"strip": "bass", "mute": True}],
            "Bass and Drum: solo off": [{"strip": "bass", "solo": False}, {"strip": "drum", "solo": False}],
            "Bass: pan 30 % left": [{"strip": "bass", "pan": {"position": -0.3}}],
            "Bass: pan centre": [{"strip": "bass", "pan": {"position": 0.0}}],
            "Bass and Drum: fader": [{"strip": "bass", "fader_db": -1.0}, {"strip": "drum", "fader_db": -2.0}],
            "3 strips: width 150 %": [{"strip": strip, "width": 1.5} for strip in ("bass", "drum", "voice")],
            "Bass: polarity inverted": [{"strip": "bass", "polarity_inverted": True}],
            "Bass: renamed Low end": [{"strip": "bass", "name": "Low end"}],
        }
        for name, changes in cases.items():
            with self.subTest(name):
                after = self.act(type="set-strips", changes=changes)
                self.assertEqual(self.name, name)
                for change in changes:
                    strip = after.strip(str(change["strip"]))
                    for field, value in change.items():
                        if field not in ("strip", "pan"):
                            self.assertEqual(getattr(strip, field), value)

    def test_what_is_left_out_stays(self) -> None:
        after = self.act(type="set-strips", changes=[{"strip": "bass", "fader_db": -3.0}])
        self.assertEqual(after.strip("bass").chain, self.session.strip("bass").chain)
        self.assertEqual(after.strip("drum"), self.session.strip("drum"))

    def test_refusals(self) -> None:
        with self.assertRaises(InvalidAction):
            self.act(type="set-strips", changes=[{"strip": "gone", "mute": True}])
        with self.assertRaises(InvalidSession):
            self.act(type="set-strips", changes=[{"strip": "bass", "fader_db": 90}])
        with self.assertRaises(InvalidAction):
            self.act(type="set-strips", changes=[{"strip": "bass"}])
        with self.assertRaises(InvalidSession):
            self.act(type="no-such-action")


class TidyTest(ActionCase):
    def test_tracks_come_in_with_free_ids_and_shared_media(self) -> None:
        media = {"id": "bass", "path": "audio/x.wav", "sha256": "a" * 64}
        tracks = [{"name": "Bass", "media": media}, {"name": "Bass", "media": media}]
        after = self.act(type="add-tracks", tracks=tracks)
        self.assertEqual(self.name, "Bring in 2 tracks")
        added = [strip for strip in after.strips if strip.id.startswith("bass-")]
        self.assertEqual([strip.id for strip in added], ["bass-2", "bass-3"])
        self.assertEqual(added[0].clips[0].media, added[1].clips[0].media)
        self.assertEqual([strip.kind for strip in after.strips][-2:], ["return", "mix"])

    def test_deleting_a_bus_lets_its_members_play_where_it_played(self) -> None:
        after = self.act(type="remove-strips", strips=["low"])
        self.assertEqual(self.name, "Delete Low")
        self.assertEqual(after.strip("voice").output, "mix")

    def test_deleting_takes_sends_and_keys_along(self) -> None:
        after = self.act(type="remove-strips", strips=["drum", "hall"])
        key = after.strip("bass").chain[1]
        assert key.type == "compressor"
        self.assertIsNone(key.key.source)

    def test_the_mix_stays(self) -> None:
        with self.assertRaises(InvalidAction):
            self.act(type="remove-strips", strips=["mix"])

    def test_order(self) -> None:
        after = self.act(type="move-in-tree", strips=["voice", "bass"], where="before", strip="drum")
        self.assertEqual([strip.id for strip in after.strips][:3], ["bass", "voice", "drum"])
        with self.assertRaises(InvalidAction):
            self.act(type="move-in-tree", strips=["mix"], where="before", strip="drum")

    def test_new_bus_and_return(self) -> None:
        for kind in ("bus", "return"):
            after = self.act(type="add-strip", kind=kind, name="Größe")
            self.assertEqual(after.strip("gr-e").kind, kind)

    def test_song(self) -> None:
        self.assertEqual(self.act(type="set-song", name="Other").name, "Other")
        self.assertEqual(self.name, "Rename to Other")


class RouteTest(ActionCase):
    def test_output(self) -> None:
        after = self.act(type="set-output", strips=["bass", "drum"], output="low")
        self.assertEqual(self.name, "Bass and Drum: plays to Low")
        self.assertEqual(after.strip("drum").output, "low")
        self.assertIsNone(self.act(type="set-output", strips=["bass"], output=None).strip("bass").output)

    def test_a_loop_is_refused_and_spelt_out(self) -> None:
        session = apply_action(self.session, parse_action({"type": "add-strip", "name": "Toms"}))
        session = apply_action(session, parse_action({"type": "set-output", "strips": ["toms"], "output": "low"}))
        with self.assertRaises(InvalidSession) as caught:
            apply_action(session, parse_action({"type": "set-output", "strips": ["low"], "output": "toms"}))
        self.assertIn("Low -> Toms -> Low", str(caught.exception))

    def test_a_bus_of_strips_leaves_the_mix_as_it_is(self) -> None:
        before = Renderer(self.session, self.bench.media).render(4000)
        after = self.act(type="bus-from-strips", strips=["bass", "drum"], name="Rhythm")
        self.assertEqual(self.name, "New bus Rhythm of Bass and Drum")
        self.assertEqual(after.strip("bass").output, "rhythm")
        np.testing.assert_allclose(Renderer(after, self.bench.media).render(4000), before, atol=1e-12)

    def test_a_bus_of_strips_that_play_elsewhere_is_refused(self) -> None:
        with self.assertRaises(InvalidAction):
            self.act(type="bus-from-strips", strips=["bass", "voice"], name="Rhythm")


class ChainTest(ActionCase):
    def chain(self, session: Session) -> list[str]:
        return [processor.id for processor in session.strip("bass").chain]

    def test_add_move_remove(self) -> None:
        after = self.act(type="add-processor", strip="bass", processor="eq", at=0, params={"bands": [{"gain_db": 3}]})
        self.assertEqual(self.name, "Bass: EQ added")
        self.assertEqual(self.chain(after), ["eq-2", "eq", "comp"])
        after = self.act(type="move-processor", strip="bass", processor="comp", to=0)
        self.assertEqual(self.chain(after), ["comp", "eq"])
        after = self.act(type="remove-processor", strip="bass", processor="eq")
        self.assertEqual(self.name, "Bass: EQ removed")
        self.assertEqual(self.chain(after), ["comp"])

    def test_parameters_switch_and_key(self) -> None:
        cases: dict[str, dict[str, Any]] = {
            "Bass: Compressor threshold -30.0 dB": {"params": {"threshold_db": -30.0}},
            "Bass: Compressor ratio endless": {"params": {"ratio": None}},
            "Bass: Compressor bypassed": {"on": False},
            "Bass: Compressor keyed by Voice": {"key": {"from": "voice"}},
            "Bass: Compressor hears itself": {"key": {}},
        }
        for name, values in cases.items():
            with self.subTest(name):
                after = self.act(type="set-processor", strip="bass", processor="comp", **values)
                self.assertEqual(self.name, name)
                self.assertNotEqual(after, self.session)

    def test_refusals(self) -> None:
        with self.assertRaises(InvalidSession):
            self.act(type="set-processor", strip="bass", processor="comp", params={"threshold_db": 7.0})
        with self.assertRaises(InvalidSession):
            self.act(type="set-processor", strip="bass", processor="comp", params={"thresh": -7.0})
        with self.assertRaises(InvalidAction):
            self.act(type="set-processor", strip="bass", processor="gone", on=False)
        with self.assertRaises(InvalidAction):
            self.act(type="set-processor", strip="bass", processor="eq", key={"from": "drum"})
        with self.assertRaises(InvalidSession) as caught:
            self.act(type="set-processor", strip="bass", processor="comp", key={"from": "mix"})
        self.assertIn("Bass -> Mix -> Bass", str(caught.exception))
