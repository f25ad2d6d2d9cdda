"""Folders, order, names and clips: what they do to the document and to the sound."""

import unittest
from typing import Any

import numpy as np

from gemischt.core.errors import InvalidAction
from gemischt.core.session.actions import apply_action, parse_action
from gemischt.core.session.document import Session
from gemischt.core.session.tree import tree_of
from tests.support.sessions import Bench
from tests.support.signals import RATE_HZ, noise

NAMES = ("kick", "snare", "bass", "lead", "high")


class TidyCase(unittest.TestCase):
    def setUp(self) -> None:
        self.bench = Bench()
        for number, name in enumerate(NAMES):
            self.bench.track(name, noise(0.2, seed=number))
        self.session = self.bench.session()

    def act(self, session: Session | None = None, **action: Any) -> Session:
        before = session or self.session
        parsed = parse_action(action)
        self.name = parsed.describe(before)
        return apply_action(before, parsed)

    def tree(self, session: Session) -> list[str]:
        """Rows as text, members set in."""
        return ["  " * row.depth + (row.folder or row.strip or "") for row in tree_of(session)]

    def sound(self, session: Session) -> np.ndarray:
        self.bench.strips = []
        from gemischt.core.engine.renderer import Renderer

        return Renderer(session, self.bench.media).render(4000)


class FolderTest(TidyCase):
    def test_strips_keep_their_order_in_a_new_folder_in_place(self) -> None:
        after = self.act(type="folder-from-strips", strips=["lead", "kick", "bass"], name="Some")
        self.assertEqual(self.tree(after), ["some", "  kick", "  bass", "  lead", "snare", "high", "mix"])
        self.assertEqual(self.name, "New folder Some of 3 strips")

    def test_nesting_moving_in_and_out(self) -> None:
        after = self.act(type="folder-from-strips", strips=["lead", "high"], name="Voices")
        after = self.act(after, type="folder-from-strips", strips=["kick", "snare"], name="Drums")
        after = self.act(after, type="move-in-tree", folders=["voices"], where="into", folder="drums")
        self.assertEqual(
            self.tree(after), ["drums", "  kick", "  snare", "  voices", "    lead", "    high", "bass", "mix"]
        )
        after = self.act(after, type="move-in-tree", strips=["bass"], where="into", folder="voices")
        self.assertEqual(self.tree(after)[-2:], ["    bass", "mix"])
        after = self.act(after, type="move-in-tree", strips=["kick"], where="into")
        self.assertIn("kick", self.tree(after))
        with self.assertRaises(InvalidAction):
            self.act(after, type="move-in-tree", folders=["drums"], where="into", folder="voices")

    def test_before_and_after_a_strip_take_its_folder(self) -> None:
        after = self.act(type="folder-from-strips", strips=["kick", "snare"], name="Drums")
        before = self.act(after, type="move-in-tree", strips=["high"], where="before", strip="snare")
        self.assertEqual(self.tree(before)[:4], ["drums", "  kick", "  high", "  snare"])
        behind = self.act(after, type="move-in-tree", strips=["high"], where="after", strip="snare")
        self.assertEqual(self.tree(behind)[:4], ["drums", "  kick", "  snare", "  high"])
        outside = self.act(after, type="move-in-tree", strips=["high"], where="before", folder="drums")
        self.assertEqual(self.tree(outside)[:2], ["high", "drums"])
        last = self.act(after, type="move-in-tree", strips=["kick"], where="after", strip="high")
        self.assertEqual(self.tree(last), ["drums", "  snare", "bass", "lead", "high", "kick", "mix"])

    def test_summing_a_folder_leaves_the_mix_as_it_is(self) -> None:
        plain = self.sound(self.session)
        after = self.act(type="folder-from-strips", strips=["kick", "snare"], name="Drums")
        after = self.act(after, type="sum-folder", folder="drums")
        self.assertEqual([after.strip(strip).output for strip in ("kick", "snare", "drums")], ["drums", "drums", "mix"])
        self.assertEqual(self.tree(after)[:3], ["drums", "  kick", "  snare"])
        self.assertEqual(tree_of(after)[0].strip, "drums")
        np.testing.assert_allclose(self.sound(after), plain, atol=1e-12)
        with self.assertRaises(InvalidAction):
            self.act(after, type="sum-folder", folder="drums")
        gone = self.act(after, type="remove-folder", folder="drums")
        np.testing.assert_allclose(self.sound(gone), plain, atol=1e-12)
        self.assertEqual(gone.folders, ())

    def test_a_folder_and_its_bus_in_one_motion(self) -> None:
        after = self.act(type="folder-from-strips", strips=["kick", "snare"], name="Drums", bus=True)
        self.assertEqual(after.folders[0].bus, "drums")
        np.testing.assert_allclose(self.sound(after), self.sound(self.session), atol=1e-12)

    def test_members_that_play_to_different_places_are_asked_for(self) -> None:
        elsewhere = self.act(type="add-strip", kind="bus", name="Low")
        elsewhere = self.act(elsewhere, type="set-output", strips=["kick"], output="low")
        for action in (
            {"type": "folder-from-strips", "strips": ["kick", "snare"], "name": "Drums", "bus": True},
            {"type": "bus-from-strips", "strips": ["kick", "snare"], "name": "Drums"},
        ):
            with self.subTest(action["type"]), self.assertRaises(InvalidAction) as caught:
                self.act(elsewhere, **action)
            self.assertIn("Low, Mix", str(caught.exception))
        chosen = self.act(elsewhere, type="bus-from-strips", strips=["kick", "snare"], name="Drums", output="low")
        self.assertEqual(chosen.strip("drums").output, "low")

    def test_names(self) -> None:
        after = self.act(type="folder-from-strips", strips=["kick"], name="Drums")
        self.assertEqual(self.act(after, type="set-folder", folder="drums", name="Kit").folders[0].name, "Kit")
        self.assertEqual(self.name, "Drums: renamed Kit")


class RenameTest(TidyCase):
    def test_by_pattern_and_by_list(self) -> None:
        after = self.act(type="rename-strips", strips=["kick", "snare"], pattern="Tom #", first=3)
        self.assertEqual([after.strip(strip).name for strip in ("kick", "snare")], ["Tom 3", "Tom 4"])
        after = self.act(type="rename-strips", strips=["kick", "snare"], pattern="Tom")
        self.assertEqual(after.strip("snare").name, "Tom 2")
        after = self.act(type="rename-strips", strips=["kick", "snare"], names=["Low", "High"])
        self.assertEqual(after.strip("snare").name, "High")
        with self.assertRaises(InvalidAction) as caught:
            self.act(type="rename-strips", strips=["kick", "snare"], names=["Low"])
        self.assertIn("1 names for 2 strips", str(caught.exception))


class ClipTest(unittest.TestCase):
    def setUp(self) -> None:
        self.bench = Bench()
        self.signal = noise(1.0, seed=7)
        self.bench.track("a", self.signal)
        self.session = self.bench.session()
        media = tuple(item.model_copy(update={"duration_s": 1.0}) for item in self.session.media)
        self.session = self.session.model_copy(update={"media": media})

    def act(self, session: Session | None = None, **action: Any) -> Session:
        return apply_action(session or self.session, parse_action({"strip": "a", "clip": 0, **action}))

    def sound(self, session: Session, n_samples: int = RATE_HZ) -> np.ndarray:
        from gemischt.core.engine.renderer import Renderer

        return Renderer(session, self.bench.media).render(n_samples)

    def test_a_split_sounds_the_same_forwards_and_backwards(self) -> None:
        for backwards in (False, True):
            for trimmed in ({}, {"offset_s": 0.1, "length_s": 0.7}):
                with self.subTest(backwards=backwards, trimmed=trimmed):
                    changes = [{"strip": "a", "clip": 0, "reversed": backwards, **trimmed}]
                    whole = apply_action(self.session, parse_action({"type": "set-clips", "changes": changes}))
                    halves = self.act(whole, type="split-clip", at_s=0.25)
                    self.assertEqual(len(halves.strip("a").clips), 2)
                    np.testing.assert_allclose(self.sound(halves), self.sound(whole), atol=1e-12)

    def test_a_split_outside_is_refused(self) -> None:
        for at_s in (0.0, 1.0, 5.0):
            with self.subTest(at_s=at_s), self.assertRaises(InvalidAction):
                self.act(type="split-clip", at_s=at_s)

    def test_a_duplicate_stands_behind(self) -> None:
        after = self.act(type="duplicate-clip")
        self.assertEqual([clip.start_s for clip in after.strip("a").clips], [0.0, 1.0])
        out = self.sound(after, 2 * RATE_HZ)
        np.testing.assert_allclose(out[:, RATE_HZ:], out[:, :RATE_HZ], atol=1e-12)

    def test_moving_fading_and_removing(self) -> None:
        changes = [{"strip": "a", "clip": 0, "start_s": 0.5, "fade_in_s": 0.1, "gain_db": -6.0}]
        parsed = parse_action({"type": "set-clips", "changes": changes})
        self.assertEqual(parsed.describe(self.session), "A: clip faded in, gain, moved")
        out = self.sound(apply_action(self.session, parsed))
        self.assertFalse(np.any(out[:, : RATE_HZ // 2]))
        self.assertLess(np.abs(out[0, 24000:24100]).max(), 0.1 * np.abs(out[0, 40000:]).max())
        self.assertEqual(self.act(type="remove-clip").strip("a").clips, ())
        with self.assertRaises(InvalidAction):
            self.act(type="remove-clip", clip=3)
