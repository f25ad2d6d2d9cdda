"""Moves: drawn, recorded and copied through the page, and found in the printed file."""

import re

import numpy as np
from playwright.sync_api import expect

from tests.browser.browser import OwnFilesCase
from tests.support.signals import RATE_HZ, sine


class MovesTest(OwnFilesCase):
    def test_a_fader_is_drawn_over_the_song_and_printed_as_it_was_drawn(self) -> None:
        page = self.page
        self.bring_in(Tone=sine(1000.0, -6.0, 8.0))
        fader = page.get_by_role("spinbutton", name="Tone: fader level")
        fader.focus()
        page.keyboard.press("v")
        lane = page.get_by_role("group", name="Tone fader over the song")
        first = lane.get_by_role("button", name="Tone fader, point 1")
        expect(first).to_be_visible()
        expect(page.get_by_test_id("last-edit")).to_have_text("Tone fader: drawn over the song, 1 point")
        # The control says that it moves.
        expect(fader).to_have_attribute(
            "title", "Tone: fader level, moves over the song: drag, arrow keys, or type; double-click for 0.0"
        )

        # A second point by double-click, typed to silence; the way there goes straight in amplitude.
        box = lane.bounding_box()
        assert box is not None
        area_px = page.viewport_size["width"] - 72 - 12  # type: ignore[index]
        lane.dblclick(position={"x": 72 + area_px / 2, "y": 50})
        second = lane.get_by_role("button", name="Tone fader, point 2")
        expect(second).to_be_visible()
        second.focus()
        page.keyboard.press("Enter")
        page.get_by_role("textbox", name="Name").fill("-20")
        page.keyboard.press("Enter")
        expect(second).to_have_accessible_name("Tone fader, point 2 of 2: −20.0 dB at 0:04.0")

        samples = self.printed()
        for at_s, gain_db in ((0.5, -2.5), (2.0, -10.0), (3.5, -17.5), (6.0, -20.0)):
            part = samples[round((at_s - 0.05) * RATE_HZ) : round((at_s + 0.05) * RATE_HZ), 0]
            level_db = 20 * np.log10(np.sqrt(2.0) * np.sqrt(np.mean(part**2)))
            self.assertAlmostEqual(level_db, -6.0 + gain_db, delta=0.05)

        # Dragging is one edit, undo brings the curve back, and the last point takes the move along.
        page.mouse.move(box["x"] + 72 + area_px / 2, box["y"] + 60)
        point = second.bounding_box()
        assert point is not None
        page.mouse.move(point["x"] + 12, point["y"] + 12)
        page.mouse.down()
        page.mouse.move(point["x"] + 12 + area_px / 4, point["y"] + 12, steps=4)
        page.mouse.up()
        expect(second).to_have_accessible_name("Tone fader, point 2 of 2: −20.0 dB at 0:06.0")
        page.keyboard.press("Control+z")
        expect(second).to_have_accessible_name("Tone fader, point 2 of 2: −20.0 dB at 0:04.0")
        second.focus()
        page.keyboard.press("Delete")
        expect(second).to_have_count(0)
        first.focus()
        page.keyboard.press("Delete")
        expect(lane).to_have_count(0)
        expect(page.get_by_test_id("last-edit")).to_have_text("Tone fader: rests")
        self.assertEqual(self.server.document(self.session_id)["moves"], [])

    def test_what_must_stay_says_so(self) -> None:
        page = self.page
        self.bring_in(Tone=sine(1000.0, -6.0, 2.0))
        page.get_by_role("row", name="Tone", exact=True).get_by_role("button").first.click()
        page.keyboard.press("c")
        page.get_by_role("spinbutton", name="lookahead").focus()
        page.keyboard.press("v")
        expect(page.get_by_text("This cannot move over the song.")).to_be_visible()
        self.assertEqual(self.server.document(self.session_id)["moves"], [])

    def lane_place(self, name: str, at_s: float, share: float, length_s: float) -> tuple[float, float]:
        """Where a time and a height lie in a lane, in pixels of the page."""
        box = self.page.get_by_role("group", name=f"{name} over the song").locator("[data-lane]").bounding_box()
        assert box is not None
        return box["x"] + at_s / length_s * box["width"], box["y"] + 10 + (1.0 - share) * (box["height"] - 20)

    def draw(self, name: str, *places: tuple[float, float], length_s: float) -> None:
        """Freehand, through times and heights."""
        mouse = self.page.mouse
        mouse.move(*self.lane_place(name, *places[0], length_s))
        mouse.down()
        for place in places[1:]:
            mouse.move(*self.lane_place(name, *place, length_s), steps=8)
        mouse.up()

    def loop_section(self, name: str) -> None:
        self.page.get_by_role("button", name=name, exact=True).click(modifiers=["Alt"])

    def test_a_send_is_drawn_recorded_with_the_controller_and_copied_to_the_next_refrain(self) -> None:
        page = self.page
        length_s = 16.0
        self.bring_in(Tone=sine(1000.0, -12.0, length_s))
        self.edit(type="add-strip", kind="return", name="Hall", effect="reverb")
        self.edit(type="add-send", strips=["tone"], to="hall")
        for name, start_s in (("Refrain 1", 4.0), ("Refrain 2", 12.0)):
            section = {"type": "add-section", "name": name, "start_s": start_s, "end_s": start_s + 4.0}
            self.edit(**section)
        page.get_by_role("row", name="Tone", exact=True).get_by_role("button").first.click()
        page.get_by_role("spinbutton", name="Send to Hall").focus()
        page.keyboard.press("v")
        name = "Tone send to Hall"
        page.get_by_role("radio", name="freehand").click()
        self.draw(name, (4.0, 0.2), (6.0, 0.8), (8.0, 0.2), length_s=length_s)
        expect(page.get_by_test_id("last-edit")).to_have_text(f"{name}: drawn in bars 3 to 4")
        drawn = self.server.document(self.session_id)["moves"][0]["points"]
        self.assertTrue([point for point in drawn if 5.0 < point["at_s"] < 7.0])

        # The controller learns the send and records it anew, from the refrain on.
        controller = page.context.new_page()
        controller.goto(f"{self.server.address}/controller")
        fader = controller.get_by_role("slider", name="Fader 1")
        fader.wait_for()
        page.get_by_role("button", name="learn").click()
        page.get_by_role("spinbutton", name="Send to Hall").focus()
        fader.press("ArrowUp")
        expect(page.get_by_text(f"Fader 16 leads {name}.")).to_be_visible()
        page.get_by_role("button", name="learn").click()
        page.get_by_role("button", name="record while I move").click()
        self.loop_section("Refrain 1")
        page.get_by_role("button", name="Refrain 1", exact=True).click()
        page.keyboard.press("Space")
        page.wait_for_function("() => window.gemischtLive.positionS() > 4.3")
        for key in ("PageDown", "PageDown", "ArrowUp"):
            fader.press(key)
            page.wait_for_timeout(150)
        controller.get_by_role("button", name="Pad 1", exact=True).click()
        expect(page.get_by_text("1 stroke, 1 note")).to_be_visible()
        page.wait_for_timeout(700)
        page.keyboard.press("Space")
        expect(page.get_by_test_id("last-edit")).to_have_text("Recorded: 1 stroke, 1 note")
        document = self.server.document(self.session_id)
        self.assertEqual(len(document["note_tracks"][0]["notes"]), 1)
        again = document["moves"][0]["points"]
        self.assertNotEqual(again, drawn)
        late, as_drawn = ([point for point in points if point["at_s"] > 7.5] for points in (again, drawn))
        self.assertEqual(late, as_drawn)

        lane = page.get_by_role("group", name=f"{name} over the song")
        self.choose(lane, f"More for the move of {name}", "Copy bars 3–4 to Refrain 2")
        expect(page.get_by_test_id("last-edit")).to_have_text(f"{name}: in bars 3 to 4 copied to bar 7|1")
        points = self.server.document(self.session_id)["moves"][0]["points"]
        first = [(round(point["at_s"] - 4.0, 6), point["value"]) for point in points if 4.0 < point["at_s"] < 8.0]
        second = [(round(point["at_s"] - 12.0, 6), point["value"]) for point in points if 12.0 < point["at_s"] < 16.0]
        self.assertEqual(first, second)
        controller.close()

    def test_a_bypass_is_on_in_one_section_only_and_printed_so(self) -> None:
        page = self.page
        self.bring_in(Tone=sine(1000.0, -20.0, 12.0))
        gain = {"type": "add-processor", "strip": "tone", "processor": "gain", "params": {"level_db": 6.0}}
        self.edit(**gain)
        self.edit(type="add-section", name="Refrain", start_s=4.0, end_s=8.0)
        page.get_by_role("row", name="Tone", exact=True).get_by_role("button").first.click()
        page.get_by_role("button", name=re.compile("^Bypass Gain")).focus()
        page.keyboard.press("v")
        page.get_by_role("group", name=re.compile("^Tone Gain on over the song")).wait_for()
        # It is off; from the refrain on it is on, and at its end off again.
        page.get_by_role("button", name=re.compile("^Bypass Gain")).click()
        for place in ("Refrain", None):
            if place:
                page.get_by_role("button", name=place, exact=True).click()
            else:
                page.evaluate("() => window.gemischtLive.seek(8)")
            page.wait_for_function(f"() => Math.abs(window.gemischtLive.positionS() - {4 if place else 8}) < 0.01")
            page.get_by_role("button", name=re.compile("^(Bypass|Switch) Gain")).click()
        page.wait_for_function("() => document.querySelectorAll('[data-lane] button').length >= 3")
        page.evaluate("() => window.gemischtLive.loop(null)")
        samples = self.printed()
        for at_s, gain_db in ((1.0, 0.0), (3.9, 0.0), (4.1, 6.0), (7.9, 6.0), (8.1, 0.0), (11.0, 0.0)):
            part = samples[round((at_s - 0.05) * RATE_HZ) : round((at_s + 0.05) * RATE_HZ), 0]
            level_db = 20 * np.log10(np.sqrt(2.0) * np.sqrt(np.mean(part**2)))
            self.assertAlmostEqual(level_db, -20.0 + gain_db, delta=0.05)

    def test_typing_on_what_moves_asks_what_is_meant(self) -> None:
        page = self.page
        self.bring_in(Tone=sine(1000.0, -20.0, 8.0))
        points = [{"at_s": 0.0, "value": -12.0}, {"at_s": 8.0, "value": -4.0}]
        move = {"target": "strips/tone/fader_db", "points": points}
        self.edit(type="set-moves", moves=[move])
        fader = page.get_by_role("spinbutton", name="Tone: fader level")
        expect(fader).to_have_text(re.compile("−12.0"))
        for answer, values in (("Shift the whole curve", [-10.0, -2.0]), ("Set a point", [-8.0, -2.0])):
            fader.focus()
            page.keyboard.press("Enter")
            page.get_by_role("textbox", name="Tone: fader level").fill(str(values[0]))
            page.keyboard.press("Enter")
            page.get_by_role("button", name=re.compile(f"^{answer}")).click()
            expect(fader).to_have_text(re.compile(f"−{abs(values[0]):.1f}"))
            moved = self.server.document(self.session_id)["moves"][0]["points"]
            self.assertEqual([point["value"] for point in moved], values)
        # Stepped, all of the curve comes along.
        fader.focus()
        page.keyboard.press("ArrowUp")
        page.keyboard.press("Tab")
        expect(page.get_by_test_id("last-edit")).to_have_text("Tone: fader +0.5 dB, its curve shifted")
        moved = self.server.document(self.session_id)["moves"][0]["points"]
        self.assertEqual([point["value"] for point in moved], [-7.5, -1.5])
