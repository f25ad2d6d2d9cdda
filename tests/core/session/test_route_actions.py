"""Sends, groups, lanes, copies and presets: what they do, what they are called, and when they are refused."""

from typing import Any

import numpy as np

from gemischt.core.engine.renderer import Renderer
from gemischt.core.errors import InvalidAction, InvalidSession
from gemischt.core.session.actions import dump_action, parse_action
from gemischt.core.session.document import Session
from gemischt.core.session.edits import find_block
from gemischt.core.session.presets import Preset, parse_preset
from gemischt.core.session.racks import rack_names
from tests.core.session.test_actions import ActionCase
from tests.support.sessions import compressor, eq


class SendTest(ActionCase):
    def test_one_motion_for_many_strips(self) -> None:
        self.session = self.act(type="add-send", strips=["bass", "voice"], to="hall")
        self.assertEqual(self.name, "Bass and Voice: send to Hall -12.0 dB")
        for strip in ("bass", "voice"):
            self.assertEqual(self.session.strip(strip).sends[0].level_db, -12.0)
        changes = [
            {"strip": strip, "send": "to-hall", "level_db": -6.0, "tap": "pre-fader"} for strip in ("bass", "voice")
        ]
        after = self.act(type="set-sends", changes=changes)
        self.assertEqual(after.strip("voice").sends[0].tap, "pre-fader")
        after = self.act(type="remove-sends", sends=[{"strip": "bass", "send": "to-hall"}])
        self.assertEqual(after.strip("bass").sends, ())

    def test_two_sends_to_one_place_have_their_own_ids(self) -> None:
        after = self.act(type="add-send", strips=["drum"], to="hall", level_db=0.0)
        self.assertEqual([send.id for send in after.strip("drum").sends], ["s", "to-hall"])

    def test_loops_through_any_mixture_are_refused_in_words(self) -> None:
        self.session = self.act(type="add-send", strips=["low"], to="hall")
        with self.assertRaises(InvalidSession) as caught:
            self.act(type="add-send", strips=["hall"], to="low")
        self.assertIn("a loop: Low -> Hall -> Low", str(caught.exception))
        keyed = [compressor(key={"from": "hall"})]
        with self.assertRaises(InvalidSession) as caught:
            self.act(type="paste-processors", strips=["drum"], processors=keyed)
        self.assertIn("Drum -> Hall -> Drum", str(caught.exception))

    def test_pasting_leaves_out_a_send_to_oneself(self) -> None:
        sends = [{"id": "x", "to": "hall", "level_db": -3.0}, {"id": "y", "to": "low"}]
        after = self.act(type="paste-sends", strips=["low", "voice"], sends=sends)
        self.assertEqual([send.to for send in after.strip("low").sends], ["hall"])
        self.assertEqual([send.to for send in after.strip("voice").sends], ["hall", "low"])

    def test_joining_late(self) -> None:
        after = self.act(type="set-output", strips=["bass"], output="mix", late=True)
        self.assertTrue(after.strip("bass").late)
        self.assertEqual(self.name, "Bass: plays to Mix, after its chain")


class GroupTest(ActionCase):
    def test_life_of_a_group(self) -> None:
        self.session = self.act(type="add-group", name="Band", members=["bass", "drum"])
        self.session = self.act(type="add-group", name="All", members=["band", "hall"], level_db=-3.0)
        after = self.act(type="set-group", group="band", level_db=-6.0)
        self.assertEqual(self.name, "Band: level -6.0 dB")
        self.assertEqual(after.control_groups[0].level_db, -6.0)
        after = self.act(type="remove-group", group="band")
        self.assertEqual([group.members for group in after.control_groups], [("hall",)])
        with self.assertRaises(InvalidSession):
            self.act(type="set-group", group="band", members=["all"])

    def test_a_deleted_strip_leaves_its_groups(self) -> None:
        self.session = self.act(type="add-group", name="Band", members=["bass", "drum"])
        after = self.act(type="remove-strips", strips=["drum"])
        self.assertEqual(after.control_groups[0].members, ("bass",))


class LanesTest(ActionCase):
    def sound(self, session: Session) -> np.ndarray:
        return Renderer(session, self.bench.media).render(3000)

    def test_every_rack_adds_a_clean_lane_first_and_sounds(self) -> None:
        for rack in rack_names():
            with self.subTest(rack):
                after = self.act(type="add-parallel", strip="drum", rack=rack)
                lanes = find_block(after.strip("drum"), "lanes").lanes
                self.assertEqual((lanes[0].name, lanes[0].chain), ("Clean", ()))
                self.assertTrue(np.isfinite(self.sound(after)).all())

    def test_a_clean_lane_alone_changes_nothing(self) -> None:
        after = self.act(type="add-parallel", strip="drum", rack="clean")
        np.testing.assert_allclose(self.sound(after), self.sound(self.session), atol=1e-12)

    def test_lanes_are_set_added_and_removed(self) -> None:
        self.session = self.act(type="add-parallel", strip="drum", rack="squash")
        self.session = self.act(type="add-lane", strip="drum", block="lanes", rack="squash")
        lanes = find_block(self.session.strip("drum"), "lanes").lanes
        self.assertEqual([lane.id for lane in lanes], ["clean", "squash", "squash-2"])
        changes: list[dict[str, Any]] = [{"lane": "squash", "level_db": -3.0}, {"lane": "clean", "solo": True}]
        after = self.act(type="set-lanes", strip="drum", block="lanes", changes=changes)
        self.assertEqual(self.name, "Drum: Squash -3.0 dB, Clean solo on")
        self.assertEqual(find_block(after.strip("drum"), "lanes").lanes[1].level_db, -3.0)
        place = {"block": "lanes", "lane": "squash"}
        after = self.act(type="remove-lane", strip="drum", place=place)
        self.assertEqual(len(find_block(after.strip("drum"), "lanes").lanes), 2)

    def test_the_last_lane_goes_with_its_block(self) -> None:
        self.session = self.act(type="add-parallel", strip="drum", rack="clean")
        after = self.act(type="remove-lane", strip="drum", place={"block": "lanes", "lane": "clean"})
        self.assertEqual(after.strip("drum").chain, ())

    def test_processors_live_in_lanes_and_blocks_nest(self) -> None:
        self.session = self.act(type="add-parallel", strip="drum", rack="clean")
        into = {"block": "lanes", "lane": "clean"}
        for kind in ("eq", "delay"):
            self.session = self.act(type="add-processor", strip="drum", processor=kind, into=into)
        self.session = self.act(type="move-processor", strip="drum", processor="delay", to=0)
        lane = find_block(self.session.strip("drum"), "lanes").lanes[0]
        self.assertEqual([processor.id for processor in lane.chain], ["delay", "eq"])
        self.session = self.act(type="add-parallel", strip="drum", rack="only-top", into=into)
        inner = find_block(self.session.strip("drum"), "lanes-2")
        self.assertEqual(len(inner.lanes), 2)
        self.assertTrue(np.isfinite(self.sound(self.session)).all())
        with self.assertRaises(InvalidAction):
            self.act(type="add-processor", strip="drum", processor="eq", into={"block": "lanes", "lane": "none"})

    def test_the_block_level_and_name(self) -> None:
        self.session = self.act(type="add-parallel", strip="drum", rack="squash")
        after = self.act(type="set-parallel", strip="drum", block="lanes", level_db=-2.5)
        self.assertEqual(self.name, "Drum: Lanes level -2.5 dB")
        self.assertEqual(find_block(after.strip("drum"), "lanes").level_db, -2.5)


class CopyTest(ActionCase):
    def test_copies_get_ids_of_their_own_and_lose_keys_that_lead_nowhere(self) -> None:
        chain = [eq({"gain_db": 3.0}), compressor("c", key={"from": "gone"}), compressor("d", key={"from": "drum"})]
        after = self.act(type="paste-processors", strips=["bass", "voice"], processors=chain)
        self.assertEqual(self.name, "Bass and Voice: 3 processors pasted")
        ids = [processor.id for processor in after.strip("bass").chain]
        self.assertEqual(len(ids), len(set(ids)))
        keys = [processor.key.source for processor in after.strip("voice").chain if processor.type == "compressor"]
        self.assertEqual(keys, [None, "drum"])

    def test_a_preset_is_an_open_document(self) -> None:
        document = {"format": "gemischt-preset", "name": "Warm", "processors": [eq({"gain_db": 3.0})]}
        preset = parse_preset(document)
        self.assertEqual(parse_preset(preset.model_dump(mode="json", by_alias=True)), preset)
        self.assertIsInstance(preset, Preset)
        parsed = parse_action(
            {"type": "paste-processors", "strips": ["bass"], "title": preset.name, "processors": document["processors"]}
        )
        self.assertEqual(parsed.describe(self.session), "Bass: Warm recalled")
        for broken in ({}, {"format": "gemischt-preset", "name": "X", "processors": []}, []):
            with self.subTest(broken=broken), self.assertRaises(InvalidSession):
                parse_preset(broken)


class TogetherTest(ActionCase):
    def test_several_actions_are_one_edit_with_its_own_name(self) -> None:
        actions = [
            {"type": "add-group", "name": "Band", "members": ["bass"]},
            {"type": "set-strips", "changes": [{"strip": "bass", "fader_db": -3.0}]},
        ]
        after = self.act(type="together", title="Both at once", actions=actions)
        self.assertEqual(self.name, "Both at once")
        self.assertEqual((after.strip("bass").fader_db, len(after.control_groups)), (-3.0, 1))

    def test_what_was_left_out_stays_left_out_when_sent(self) -> None:
        inner = {"type": "set-sends", "changes": [{"strip": "drum", "send": "s", "tap": "pre-fader"}]}
        action = parse_action({"type": "together", "title": "Moved", "actions": [inner]})
        self.assertEqual(dump_action(action)["actions"], [inner])
        self.assertEqual(parse_action(dump_action(action)), action)
