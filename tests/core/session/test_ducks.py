"""Edits of ducks and ghosts, and what becomes of them when others are edited."""

import unittest
from typing import Any

import numpy as np

from gemischt.core.errors import GemischtError, InvalidAction, InvalidSession
from gemischt.core.routing.dependents import dependents_of
from gemischt.core.routing.flow import lay_out_flow
from gemischt.core.session.actions import apply_action, name_of_edit, parse_action
from gemischt.core.session.addresses import name_of, read, write
from gemischt.core.session.differences import differences
from gemischt.core.session.document import Session
from gemischt.core.session.duck_curves import copied, like_sound, open_at, reversed_curve, smoothed
from gemischt.core.session.ducks import CurveNode, Hits, Repeat
from gemischt.core.session.validation import parse_session
from tests.core.engine.test_ducks import duck
from tests.core.session.test_addresses import band

CURVE = (CurveNode(at=0.0, open=0.0, bend=0.4), CurveNode(at=0.5, open=1.0), CurveNode(at=1.0, open=0.2))


class Edits(unittest.TestCase):
    def setUp(self) -> None:
        self.session = band()
        self.names: list[str] = []
        self.edit(type="add-tracks", tracks=[{"name": "Drum", "media": {"id": "drum", "path": "audio/drum.wav"}}])
        self.names.clear()

    def edit(self, **action: Any) -> Session:
        parsed = parse_action(action)
        before, self.session = self.session, apply_action(self.session, parsed)
        self.names.append(name_of_edit(parsed, before, self.session))
        return self.session


class DuckEditsTest(Edits):
    def test_one_is_made_set_put_on_others_and_deleted_and_each_edit_has_its_name(self) -> None:
        strips = [strip.id for strip in self.session.strips if strip.kind == "track"]
        self.edit(type="add-duck", name="Tide", strips=strips[:1], settings={"depth_db": -9.0})
        self.edit(type="add-duck-targets", duck="tide", strips=["hall"], settings={"at": "post-fader"})
        self.edit(type="set-duck", duck="tide", length="1/4.", clock={"kind": "hits", "from": strips[1]})
        self.edit(type="set-duck-target", duck="tide", target="hall", settings={"depth_db": None, "band": "below"})
        made = self.session.ducks[0]
        self.assertEqual(
            [(target.strip, target.depth_db) for target in made.targets], [(strips[0], -9.0), ("hall", None)]
        )
        self.assertEqual((made.length, made.targets[1].band, made.targets[1].at), ("1/4.", "below", "post-fader"))
        self.edit(type="remove-duck-targets", duck="tide", targets=["hall"])
        self.edit(type="remove-duck", duck="tide")
        self.assertEqual(self.session.ducks, ())
        names = {strip.id: strip.name for strip in self.session.strips}
        self.assertEqual(
            self.names,
            [
                f"New duck Tide on {names[strips[0]]}",
                f"Tide: also on {names['hall']}",
                f"Tide: restarted by {names[strips[1]]}, lasts 1/4.",
                f"Tide on {names['hall']}: silent, below the crossover",
                f"Tide: no longer on {names['hall']}",
                "Delete duck Tide",
            ],
        )

    def test_curves_are_named_after_what_became_of_them(self) -> None:
        self.edit(type="add-duck", name="Tide", curve=[node.model_dump() for node in CURVE])
        bent = [CURVE[0].model_copy(update={"bend": -0.2}), *CURVE[1:]]
        for curve in ([*bent], bent[:2], [*bent[:1], CurveNode(at=0.6, open=0.9)]):
            self.edit(type="set-duck", duck="tide", curve=[node.model_dump() for node in curve])
        for how in ("smooth", "reverse"):
            self.edit(type="reshape-duck", duck="tide", how=how)
        self.assertEqual(
            self.names[1:],
            [
                "Tide: bent from node 1 on",
                "Tide: a node less",
                "Tide: node 2 at 60 %, 90 % open",
                "Tide: curve smoothed",
                "Tide: curve reversed",
            ],
        )

    def test_its_parameters_have_addresses_and_names_and_may_move(self) -> None:
        self.edit(type="add-duck", name="Tide", strips=["hall"], settings={"depth_db": -9.0})
        depth = "ducks/tide/targets/hall/depth_db"
        hall = self.session.strip("hall").name
        self.assertEqual((read(self.session, depth).value, name_of(self.session, depth)), (-9.0, f"Tide {hall} depth"))
        self.assertEqual(write(self.session, depth, -3.0).ducks[0].targets[0].depth_db, -3.0)
        points = [{"at_s": 0.0, "value": True}, {"at_s": 4.0, "value": False}]
        self.edit(type="set-moves", moves=[{"target": "ducks/tide/on", "points": points}])
        self.edit(type="remove-duck", duck="tide")
        self.assertEqual(self.session.moves, ())
        self.assertEqual(self.names[-1], "Delete duck Tide, and what moved: Tide on")
        with self.assertRaises(InvalidAction):
            read(self.session, depth)

    def test_what_deleting_a_strip_takes_along_is_said_before_and_in_the_edits_name(self) -> None:
        first, second = [strip.id for strip in self.session.strips if strip.kind == "track"][:2]
        self.edit(type="add-duck", name="Tide", strips=[second], clock={"kind": "hits", "from": first})
        self.edit(type="add-duck", name="Swell", strips=[first, second])
        name = self.session.strip(first).name
        self.assertEqual(
            [said for said in dependents_of(self.session, {first}) if said.startswith("The duck")],
            [f"The duck Tide goes: its hits were those of {name}.", f"The duck Swell no longer turns {name}."],
        )
        before = self.session
        self.edit(type="remove-strips", strips=[first])
        self.assertEqual([made.name for made in self.session.ducks], ["Swell"])
        self.assertEqual([target.strip for target in self.session.ducks[0].targets], [second])
        self.assertEqual(self.names[-1], f"Delete {name}, and the duck Tide")
        self.assertEqual(
            [found.words for found in differences(before, self.session)][-2:],
            ["Duck Swell changed", "Duck Tide removed"],
        )

    def test_a_place_before_a_processor_that_goes_is_the_end_of_the_chain(self) -> None:
        self.edit(type="add-duck", name="Tide", strips=["hall"], settings={"before": "room"})
        self.edit(type="remove-processor", strip="hall", processor="room")
        self.assertIsNone(self.session.ducks[0].targets[0].before)

    def test_a_way_to_make_room_is_one_edit(self) -> None:
        first, second = [strip.id for strip in self.session.strips if strip.kind == "track"][:2]
        for way in ("duck-hard", "make-room-for-fills", "pump", "lows-alone"):
            self.edit(type="make-room", targets=[first], trigger=second, way=way)
        *added, bands = self.session.strip(first).chain[-4:]
        # Common practice, no source: endless, -30 dB, 0 and 45 ms; 4:1 and 140 ms; 5:1.
        params = [processor.params for processor in added if processor.type == "compressor"]
        told = [(item.ratio, item.threshold_db, item.attack_ms, item.release_ms) for item in params]
        self.assertEqual(told, [(None, -30.0, 0.0, 45.0), (4.0, -30.0, 1.0, 140.0), (5.0, -30.0, 1.0, 70.0)])
        assert bands.type == "parallel"
        lows, highs = bands.lanes
        self.assertEqual(([split.frequency_hz for split in bands.splits], highs.chain), ([100.0], ()))
        assert lows.chain[0].type == "compressor"
        self.assertEqual((lows.chain[0].key.source, lows.chain[0].key.filter.low_cut_hz), (second, 25.0))
        self.edit(type="make-room", targets=[first, "hall"], trigger=second, way="drawn-at-hits")
        self.edit(type="make-room", targets=[first], trigger=second, way="drawn-on-the-beat")
        clocks = [made.clock for made in self.session.ducks]
        self.assertEqual(clocks, [Hits(source=second), Repeat(note="1/4")])

    def test_its_hits_are_an_edge_in_the_flow_and_a_loop_through_it_is_spelt_out(self) -> None:
        first, second = [strip.id for strip in self.session.strips if strip.kind == "track"][:2]
        self.edit(type="add-duck", name="Tide", strips=[second], clock={"kind": "hits", "from": first})
        edges = [(edge.kind, edge.source, edge.destination) for edge in lay_out_flow(self.session).edges]
        self.assertIn(("key", first, second), edges)
        with self.assertRaisesRegex(InvalidSession, "a loop: .* -> "):
            self.edit(type="add-duck", name="Back", strips=[first], clock={"kind": "hits", "from": second})
        self.assertEqual(len(self.session.ducks), 1)


class GhostEditsTest(Edits):
    def test_one_is_made_and_clicks_on_other_steps(self) -> None:
        self.edit(type="add-ghost", name="Tick")
        self.edit(type="set-ghost", strip="tick", pattern={"kind": "steps", "note": "1/16", "steps": [1, 0, 0.5, 0]})
        self.assertEqual(self.names, ["New ghost Tick", "Tick: 2 of 4 steps of 1/16"])
        with self.assertRaisesRegex(InvalidAction, "only a ghost does"):
            self.edit(type="set-ghost", strip="hall", pattern={"kind": "steps"})

    def test_a_note_track_that_goes_leaves_a_clock_without_it(self) -> None:
        self.edit(type="add-notes", name="Pads", notes=[{"at_s": 1.0}, {"at_s": 2.0}])
        self.edit(type="add-duck", name="Tide", strips=["hall"], clock={"kind": "notes", "track": "pads"})
        self.edit(type="add-ghost", name="Tick", pattern={"kind": "notes", "track": "pads"})
        self.edit(type="remove-note-track", track="pads")
        self.assertEqual(getattr(self.session.ducks[0].clock, "track", "?"), None)
        self.assertEqual(getattr(self.session.strip("tick").pattern, "track", "?"), None)

    def test_notes_go_along_when_the_tempo_changes(self) -> None:
        self.edit(type="add-duck", name="Tide", clock={"kind": "notes", "notes": [{"at_s": 2.0}]})
        first = self.session.tempo[0]
        slower = first.model_copy(update={"bpm": first.bpm / 2})
        self.edit(type="set-tempo", tempo=[slower.model_dump()], follows="moves")
        clock = self.session.ducks[0].clock
        assert clock.kind == "notes"
        begin = first.at_s
        self.assertAlmostEqual(clock.notes[0].at_s, begin + 2 * (2.0 - begin))


class BadInputTest(unittest.TestCase):
    def test_every_fault_is_named_with_its_path(self) -> None:
        cases: list[tuple[dict[str, Any], str]] = [
            (duck({"strip": "gone"}), 'ducks/d/targets/t0/strip: no strip "gone"'),
            (duck(clock={"kind": "hits", "from": "gone"}), 'ducks/d/clock/from: no strip "gone"'),
            (duck(clock={"kind": "notes", "track": "gone"}), 'ducks/d/clock/track: no note track "gone"'),
            (duck({"strip": "hall", "before": "gone"}), 'ducks/d/targets/t0/before: no processor "gone"'),
            (duck(curve=[{"at": 0.5, "open": 0}, {"at": 0.2, "open": 1}]), "ducks/d/curve/1: must not stand before"),
            (duck(curve=[{"at": 0.5, "open": k / 3} for k in range(3)]), "ducks/d/curve/2: no more than two nodes"),
            (duck(curve=[]), "ducks/d/curve"),
            (duck(length="1/3"), "ducks/d/length"),
            (duck(length={"ms": 0}), "ducks/d/length"),
        ]
        plain = band().model_dump(mode="json", by_alias=True)
        for made, reason in cases:
            with self.subTest(reason), self.assertRaises(GemischtError) as caught:
                parse_session(plain | {"ducks": [made]})
            self.assertIn(reason, str(caught.exception))

    def test_only_a_ghost_has_a_pattern(self) -> None:
        plain = band().model_dump(mode="json", by_alias=True)
        plain["strips"][0]["pattern"] = {"kind": "steps"}
        with self.assertRaisesRegex(InvalidSession, "only a ghost does"):
            parse_session(plain)


class CurvesTest(unittest.TestCase):
    def test_reversed_it_is_the_same_backwards(self) -> None:
        turned = reversed_curve(CURVE)
        for at in np.linspace(0.0, 1.0, 41):
            self.assertAlmostEqual(open_at(turned, float(at)), open_at(CURVE, float(1.0 - at)), places=9)

    def test_smoothed_it_keeps_its_middle_and_has_no_corner(self) -> None:
        smooth = smoothed(CURVE)
        self.assertLessEqual(len(smooth), 64)
        self.assertAlmostEqual(open_at(smooth, 0.75), open_at(CURVE, 0.75), delta=0.02)
        self.assertLess(open_at(smooth, 0.5), 0.97)

    def test_copied_a_stretch_is_what_it_was(self) -> None:
        made = copied(CURVE, 0.0, 0.4, 0.6)
        for at in (0.05, 0.2, 0.35):
            self.assertAlmostEqual(open_at(made, at + 0.6), open_at(CURVE, at), delta=0.12)
        self.assertEqual([node.at for node in made], sorted(node.at for node in made))

    def test_shaped_like_a_sound_it_is_down_where_that_is_loud(self) -> None:
        decay = np.exp(-np.arange(500) / 100.0)
        curve = like_sound(decay)
        self.assertEqual(curve[0].open, 0.0)
        # 40 dB down the sound is gone: after 100 ln 100 = 461 of 500 parts.
        self.assertAlmostEqual(open_at(curve, 0.46), 0.5, delta=0.03)
        self.assertAlmostEqual(open_at(curve, 0.95), 1.0, delta=0.03)
        self.assertEqual(like_sound(np.zeros(10)), (CurveNode(at=0.0, open=1.0),))


if __name__ == "__main__":
    unittest.main()
