"""Organise and wire a session in the browser: folders and buses, lanes, leaks and their cure, refused loops."""

import re

import numpy as np
from playwright.sync_api import Locator, expect

from tests.browser.browser import BrowserCase
from tests.support.signals import RATE_HZ, noise, sine


class RoutingCase(BrowserCase):
    def row(self, name: str) -> Locator:
        return self.page.get_by_role("row", name=name, exact=True)

    def name_of(self, name: str) -> Locator:
        return self.row(name).get_by_role("button", name=re.compile(f"^{re.escape(name)}")).first

    def select(self, *names: str) -> None:
        self.name_of(names[0]).click()
        for name in names[1:]:
            self.name_of(name).click(modifiers=["Control"])

    def answer(self, name: str) -> None:
        self.page.get_by_role("textbox", name="Name").fill(name)
        self.page.keyboard.press("Enter")

    def strips(self) -> dict[str, dict]:  # type: ignore[type-arg]
        return {strip["id"]: strip for strip in self.server.document(self.session_id)["strips"]}

    def last_edit(self, text: str) -> None:
        expect(self.page.get_by_test_id("last-edit")).to_have_text(text)


class TidyJourneyTest(RoutingCase):
    def test_twelve_files_into_folders_and_buses(self) -> None:
        page = self.page
        self.begin("Twelve")
        names = [f"{family} {k + 1}" for family, n in (("Drum", 5), ("String", 3), ("Voice", 4)) for k in range(n)]
        page.keyboard.press("1")
        self.bring_in(**{name: sine(100.0 * (k + 1), -18, 1.0) for k, name in enumerate(names)})

        # One motion each: a folder by button, a folder with its bus by key.
        self.select(*names[8:])
        page.get_by_role("button", name="Folder…", exact=True).click()
        self.answer("Voices")
        self.select(*names[:5])
        page.keyboard.press("Shift+G")
        self.answer("Drums")
        expect(self.row("Drums")).to_contain_text("bus of 5, to Mix")

        # By dragging: onto a strip's middle for a new folder, onto a folder's for into, and the words say which.
        self.drag("String 2", "String 1", 0.5, "new folder of String 1 and 1 more")
        self.answer("Strings")
        self.drag("String 3", "Strings", 0.5, "into Strings")
        self.last_edit("Move String 3 into Strings")
        self.drag("String 3", "String 1", 0.1, "before String 1")
        self.last_edit("Move String 3 before String 1")
        self.drag("Voice 4", "Voice 1", 0.95, "after Voice 1")
        self.last_edit("Move Voice 4 after Voice 1")
        strips = self.strips()
        self.assertEqual([strips[f"string-{k}"]["folder"] for k in (1, 2, 3)], ["strings"] * 3)
        order = [name for name in strips if name.startswith(("string", "voice"))]
        self.assertEqual(order[:3], ["string-3", "string-1", "string-2"])
        self.assertEqual(order[3:], ["voice-1", "voice-4", "voice-2", "voice-3"])

        # A folder gets its bus later, and one lies in another; a folded folder hides what it holds.
        page.get_by_role("button", name="Folder Strings…").click()
        page.get_by_role("button", name="Sum this folder into a bus").click()
        expect(self.row("Strings")).to_contain_text("bus of 3, to Mix")
        page.get_by_role("button", name="Fold Strings").click()
        expect(self.row("String 1")).to_have_count(0)
        page.get_by_role("button", name="Unfold Strings").click()

        # Names by pattern, and what deleting would break is said before.
        self.select("Voice 1", "Voice 4")
        page.keyboard.press("F2")
        page.get_by_role("textbox", name="Pattern").fill("Choir #")
        page.get_by_role("button", name="Rename", exact=True).click()
        expect(self.row("Choir 2")).to_be_visible()
        self.select("Drums")
        page.keyboard.press("Delete")
        dialog = page.get_by_role("dialog")
        expect(dialog).to_contain_text("5 strips will play where it played instead.")
        expect(dialog).to_contain_text("The folder Drums is no longer summed.")
        dialog.get_by_role("button", name="Cancel").click()
        self.assertEqual(self.strips()["drum-1"]["output"], "drums")

    def drag(self, name: str, onto: str, share: float, words: str) -> None:
        """Drag a row's name onto a height of another row; before letting go the page says what it would do."""
        source, goal = self.name_of(name), self.row(onto)
        box = goal.bounding_box()
        assert box is not None
        place = {"clientX": box["x"] + 60, "clientY": box["y"] + share * box["height"]}
        transfer = self.page.evaluate_handle("() => new DataTransfer()")
        source.dispatch_event("dragstart", {"dataTransfer": transfer})
        goal.dispatch_event("dragover", {"dataTransfer": transfer, **place})
        expect(goal.get_by_role("status")).to_have_text(words)
        goal.dispatch_event("drop", {"dataTransfer": transfer, **place})

    def test_clips_are_split_moved_and_reversed(self) -> None:
        page = self.open(only={"glass-marimba"})
        page.keyboard.press("1")
        clip = page.get_by_role("button", name="Glass marimba: clip 1")
        clip.click()
        page.evaluate("gemischtLive.seek(30)")
        self.until("() => gemischtLive.positionS() === 30")
        page.get_by_role("button", name="Split at playhead").click()
        self.last_edit("Glass marimba: clip split at 30.00 s")
        second = page.get_by_role("button", name="Glass marimba: clip 2")
        second.focus()
        page.keyboard.press("ArrowRight")
        self.last_edit("Glass marimba: clip moved")
        # A beat of 6/8 with the dotted quarter at 96: an eighth of 60 / 96 / 3 s.
        clips = self.strips()["glass-marimba"]["clips"]
        self.assertAlmostEqual(clips[1]["start_s"], 30.0 + 60 / 96 / 3, places=6)
        page.get_by_role("button", name="Reverse", exact=True).click()
        expect(second).to_contain_text("reversed")
        box = second.bounding_box()
        assert box is not None
        page.mouse.move(box["x"] + box["width"] / 2, box["y"] + 20)
        page.mouse.down()
        page.mouse.move(box["x"] + box["width"] / 2 + 60, box["y"] + 20, steps=5)
        page.mouse.up()
        expect(page.get_by_test_id("last-edit")).to_have_text("Glass marimba: clip moved")
        self.assertGreater(self.strips()["glass-marimba"]["clips"][1]["start_s"], 32.0)


class LanesJourneyTest(RoutingCase):
    def test_a_parallel_chain_is_built_and_matched_in_level(self) -> None:
        page = self.open(only={"floor-drum"})
        page.evaluate("gemischtLive.loop([20, 26])")
        self.select("Floor drum")
        self.choose(page, "Add to the chain", "Lanes: Squash")
        lanes = page.get_by_role("region", name="Lanes of Floor drum")
        self.choose(lanes, "Add a lane to Lanes", "Only top")
        self.last_edit("Floor drum: lane Only top added to Lanes")
        level = lanes.get_by_role("spinbutton", name="Squash: level")
        self.type_into(level, "0")
        self.last_edit("Floor drum: Squash 0.0 dB")
        expect(lanes.get_by_test_id("lanes-sum")).to_have_text(re.compile(r"3 lanes add \d+\.\d LU"))
        lanes.get_by_role("button", name="match level").click()
        self.last_edit(re.compile(r"Floor drum: Lanes level -\d"))  # type: ignore[arg-type]
        expect(lanes.get_by_test_id("lanes-sum")).to_have_text(re.compile("3 lanes add −?0.0 LU"))

        # A lane that is late by other means is found, named and aligned.
        self.choose(lanes, "Add a lane to Lanes", "Clean")
        copy = lanes.get_by_role("group", name="Lane Clean").nth(1)
        copy.get_by_role("button", name="Clean").first.click()
        self.choose(copy, "Add to the lane", "Delay")
        for name, value in (("time", "1"), ("feedback", "0")):
            field = copy.get_by_role("spinbutton", name=name, exact=True)
            self.type_into(field, value)
        found = lanes.get_by_role("alert")
        expect(found).to_contain_text("Clean is 1.00 ms late: first notch at 500 Hz")
        found.get_by_role("button", name="align").click()
        expect(found).to_have_count(0)

    def test_a_chain_is_kept_as_a_preset_and_recalled_elsewhere(self) -> None:
        page = self.open(only={"lead-voice", "muted-trumpet", "shaker", "hand-claps"})
        self.select("Lead voice")
        self.choose(page, "Add to the chain", "Save this chain as preset…")
        self.answer("Voice chain")
        expect(page.get_by_text("Preset Voice chain saved.")).to_be_visible()
        self.select("Muted trumpet")
        self.choose(page, "Add to the chain", "Preset: Voice chain")
        self.last_edit("Muted trumpet: Voice chain recalled")
        self.assertEqual([item["type"] for item in self.strips()["muted-trumpet"]["chain"]], ["eq", "compressor"])
        self.select("Lead voice")
        page.keyboard.press("Control+c")
        self.select("Shaker", "Hand claps")
        page.keyboard.press("Control+v")
        self.last_edit("Hand claps and Shaker: 2 processors pasted")


class RouteJourneyTest(RoutingCase):
    def test_voices_to_the_hall_leak_and_are_cured(self) -> None:
        page = self.page
        self.begin("Leak")
        bursts = noise(3.0, level=0.2) * (np.arange(3 * RATE_HZ) % RATE_HZ < RATE_HZ // 4)
        names = ("Alto", "Tenor", "Bass voice")
        self.bring_in(**dict.fromkeys(names, bursts))
        page.keyboard.press("r")
        self.answer("Hall")
        self.select(*names)
        self.choose(page, "New send", "Hall")
        self.last_edit("3 strips: send to Hall -12.0 dB")
        page.get_by_role("button", name="New bus of 3…").click()
        self.answer("Choir")
        self.select("Choir")

        # The bus fader is down and the hall rings on: the page says through what, and cures it.
        page.keyboard.press("3")
        page.get_by_role("button", name="Choir, bus").click()
        page.get_by_role("button", name="What is left if I silence this?").click()
        left = page.get_by_role("alert")
        expect(left).to_contain_text("Alto through Hall")
        left.get_by_role("button", name=re.compile("control group All Choir")).click()
        self.last_edit("Choir: hold Choir and 3 strips in the control group All Choir")
        page.keyboard.press("2")
        level = page.get_by_role("spinbutton", name="All Choir: group level")
        level.focus()
        page.keyboard.press("Enter")
        page.get_by_role("textbox", name="All Choir: group level").fill("silent")
        page.keyboard.press("Enter")
        self.last_edit("All Choir: level silent")
        page.evaluate("gemischtLive.loop([0, 3])")
        page.get_by_role("button", name="Play", exact=True).click()
        self.until("() => gemischtLive.positionS() > 1")
        frame_peak = page.evaluate(
            "(() => { const f = gemischtLive.frame(); const i = gemischtLive.transport.get().strips.indexOf('hall');"
            " return f.meters[i * 9]; })()"
        )
        self.assertLess(frame_peak, -140.0)

    def test_two_ways_are_shown_and_a_loop_is_refused(self) -> None:
        page = self.open(only={"muted-trumpet", "echo", "hall"})
        page.keyboard.press("3")
        page.get_by_role("button", name="Muted trumpet, track").click()
        ledger = page.get_by_role("region", name="Path ledger")
        expect(ledger).to_contain_text("Muted trumpet reaches the mix two ways")
        self.choose(page, "Send to", "Mix")
        self.last_edit("Muted trumpet: send to Mix -12.0 dB")
        expect(ledger).to_contain_text("heard twice")

        # By dragging from its port: the choice comes on letting go.
        self.drag_port("muted-trumpet", "echo")
        page.get_by_role("button", name="Send to Echo at 0 dB").click()
        self.last_edit("Muted trumpet: send to Echo 0.0 dB")

        # Echo sends to Hall; Hall to Echo would be a loop.
        self.drag_port("hall", "echo")
        page.get_by_role("button", name="Send to Echo at −12 dB, after the fader").click()
        expect(page.get_by_role("alert")).to_contain_text("a loop: Hall -> Echo -> Hall")
        self.assertEqual(self.strips()["hall"]["sends"], [])
        self.expect_refusal()

    def drag_port(self, source: str, goal: str) -> None:
        port = self.page.locator(f"[data-flow-port={source}]").bounding_box()
        node = self.page.locator(f"[data-flow-node={goal}]").bounding_box()
        assert port is not None and node is not None
        self.page.mouse.move(port["x"] + 7, port["y"] + 7)
        self.page.mouse.down()
        self.page.mouse.move(node["x"] + 30, node["y"] + node["height"] / 2, steps=6)
        self.page.mouse.up()
