"""Moves and the beat: a level drawn over the song and found in the printed file; the tempo tapped and typed."""

import re

import numpy as np
import soundfile
from playwright.sync_api import expect

from tests.browser.browser import OwnFilesCase
from tests.support.signals import RATE_HZ, sine


class MovesTest(OwnFilesCase):
    def printed(self) -> np.ndarray:
        """The mix as it is printed from the page, (n_samples, 2)."""
        page = self.page
        page.keyboard.press("6")
        page.get_by_role("button", name="Print", exact=True).click()
        with page.expect_download() as download:
            page.get_by_role("link", name=re.compile(rf"{self.id()[-12:]}.*\.wav$")).click(timeout=60000)
        samples, _ = soundfile.read(download.value.path(), always_2d=True)
        page.keyboard.press("2")
        return np.asarray(samples)

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

    def test_the_tempo_is_tapped_and_typed_and_the_metre_chosen(self) -> None:
        page = self.page
        self.bring_in(Tone=sine(1000.0, -6.0, 8.0))

        def tempo() -> dict[str, object]:
            first: dict[str, object] = self.server.document(self.session_id)["tempo"][0]
            return first

        page.keyboard.press("t")
        dialog = page.get_by_role("dialog", name="Tempo")
        expect(dialog.get_by_role("button", name="tap, or press T")).to_be_focused()
        # Five taps 0.6 s apart; by key and by button alike.
        for tap in range(5):
            page.evaluate("(now) => (performance.now = () => now)", 1000 + 600 * tap)
            if tap % 2:
                page.keyboard.press("t")
            else:
                dialog.get_by_role("button", name="tap, or press T").click()
        dialog.get_by_role("button", name="use 100.0").click()
        expect(page.get_by_test_id("last-edit")).to_have_text("Tempo")
        self.assertEqual(tempo()["bpm"], 100.0)

        typed = dialog.get_by_role("spinbutton", name="Tempo in beats a minute")
        typed.focus()
        page.keyboard.press("Enter")
        dialog.get_by_role("textbox").fill("93.5")
        page.keyboard.press("Enter")
        expect(typed).to_be_focused()
        expect(typed).to_have_text("93.5")
        dialog.get_by_label("Metre").select_option("3/4")
        page.keyboard.press("Escape")
        expect(page.get_by_role("button", name=re.compile(r"= 93\.5 · 3.4"))).to_be_visible()
        self.assertEqual((tempo()["bpm"], tempo()["metre"]), (93.5, "3/4"))

        page.keyboard.press("Control+z")
        expect(page.get_by_role("button", name=re.compile(r"= 93\.5 · 4.4"))).to_be_visible()
        page.keyboard.press("Control+z")
        expect(page.get_by_role("button", name=re.compile(r"= 100"))).to_be_visible()
