"""The song's beat through the page: tempo tapped, typed, estimated and read, several along the song; sections."""

import re

from playwright.sync_api import expect

from tests.browser.browser import OwnFilesCase
from tests.core.session.test_midi import slowing
from tests.support.signals import clicks, sine


class TempoJourneyTest(OwnFilesCase):
    def test_the_tempo_is_tapped_and_typed_and_the_metre_chosen(self) -> None:
        page = self.page
        self.bring_in(Tone=sine(1000.0, -6.0, 8.0))

        def tempo() -> dict[str, object]:
            first: dict[str, object] = self.server.document(self.session_id)["tempo"][0]
            return first

        page.keyboard.press("t")
        dialog = page.get_by_role("dialog", name="Beat and sections")
        expect(dialog.get_by_role("button", name="tap, or press T")).to_be_focused()
        # Five taps 0.6 s apart; by key and by button alike.
        for tap in range(5):
            page.evaluate("(now) => (performance.now = () => now)", 1000 + 600 * tap)
            if tap % 2:
                page.keyboard.press("t")
            else:
                dialog.get_by_role("button", name="tap, or press T").click()
        dialog.get_by_role("button", name="use 100.0").click()
        expect(page.get_by_test_id("last-edit")).to_have_text("Tempo 100")
        self.assertEqual(tempo()["bpm"], 100.0)

        typed = dialog.get_by_role("spinbutton", name="Tempo in beats a minute")
        typed.focus()
        page.keyboard.press("Enter")
        dialog.get_by_role("textbox").fill("93.5")
        page.keyboard.press("Enter")
        expect(typed).to_be_focused()
        expect(typed).to_have_text("93.5")
        dialog.get_by_label("Metre", exact=True).select_option("3/4")
        page.keyboard.press("Escape")
        expect(page.get_by_role("button", name=re.compile(r"= 93\.5 · 3.4"))).to_be_visible()
        self.assertEqual((tempo()["bpm"], tempo()["metre"]), (93.5, "3/4"))

        page.keyboard.press("Control+z")
        expect(page.get_by_role("button", name=re.compile(r"= 93\.5 · 4.4"))).to_be_visible()
        page.keyboard.press("Control+z")
        expect(page.get_by_role("button", name=re.compile(r"= 100"))).to_be_visible()

    def test_a_tempo_is_estimated_on_imported_stems_and_used_only_when_told(self) -> None:
        page = self.page
        self.bring_in(Click=clicks(104.0, first_s=0.4, length_s=10.0), Tone=sine(300.0, -20.0, 10.0))
        page.get_by_role("row", name="Click", exact=True).get_by_role("button").first.click()
        page.keyboard.press("t")
        dialog = page.get_by_role("dialog", name="Beat and sections")
        dialog.get_by_role("button", name="estimate from Click").click()
        expect(dialog.get_by_text("104.0, sure by 100 %")).to_be_visible()
        self.assertEqual(self.server.document(self.session_id)["tempo"][0]["bpm"], 120.0)
        dialog.get_by_role("button", name=re.compile("^and begin at 0:00.40")).click()
        expect(page.get_by_test_id("last-edit")).to_have_text("Tempo 104")
        tempo = self.server.document(self.session_id)["tempo"][0]
        self.assertEqual(tempo["bpm"], 104.0)
        self.assertAlmostEqual(tempo["at_s"], 0.4, delta=0.01)

    def test_the_song_changes_its_tempo_and_moves_keep_their_bars(self) -> None:
        page = self.page
        self.bring_in(Tone=sine(1000.0, -6.0, 12.0))
        points = [{"at_s": 0.0, "value": 0.0}, {"at_s": 8.0, "value": -6.0}]
        move = {"target": "strips/tone/fader_db", "points": points}
        self.edit(type="set-moves", moves=[move])
        self.until("() => document.body.textContent.includes('∿')")
        page.evaluate("() => window.gemischtLive.seek(4)")
        self.until("() => Math.abs(window.gemischtLive.positionS() - 4) < 0.01")
        page.keyboard.press("t")
        dialog = page.get_by_role("dialog", name="Beat and sections")
        dialog.get_by_role("button", name="another tempo from bar 3 on").click()
        second = dialog.get_by_role("spinbutton", name="Tempo 2 in beats a minute")
        second.focus()
        page.keyboard.press("Enter")
        dialog.get_by_role("textbox").fill("60")
        page.keyboard.press("Enter")
        expect(page.get_by_test_id("last-edit")).to_have_text("Tempo 60 from bar 3|1 on")
        # Bar 5 begins at 12 s now, and the move's point is still there.
        moved = self.server.document(self.session_id)["moves"][0]["points"]
        self.assertEqual([point["at_s"] for point in moved], [0.0, 12.0])
        dialog.get_by_role("button", name="No other tempo from bar 3|1 on").click()
        expect(second).to_have_count(0)
        self.assertEqual(len(self.server.document(self.session_id)["tempo"]), 1)

    def test_a_midi_file_that_is_dropped_in_brings_its_beat_and_a_bad_one_says_so(self) -> None:
        page = self.page
        self.bring_in(Tone=sine(1000.0, -6.0, 4.0))
        files = page.locator("input[type=file]").first
        files.set_input_files({"name": "Ebb.mid", "mimeType": "audio/midi", "buffer": slowing()})
        expect(page.get_by_test_id("last-edit")).to_have_text("Beat of Ebb")
        document = self.server.document(self.session_id)
        self.assertEqual([change["bpm"] for change in document["tempo"]], [120.0, 60.0])
        page.keyboard.press("v")
        expect(page.get_by_role("group", name=re.compile("^Notes "))).to_contain_text("8 notes")
        files.set_input_files({"name": "Cut.mid", "mimeType": "audio/midi", "buffer": slowing()[:-9]})
        expect(page.get_by_text("Cut.mid: it is no MIDI file, or was cut short")).to_be_visible()
        self.expect_refusal()


class SectionsJourneyTest(OwnFilesCase):
    def sections(self) -> list[tuple[str, float, float]]:
        listed = self.server.document(self.session_id)["sections"]
        return [(section["name"], section["start_s"], section["end_s"]) for section in listed]

    def test_the_loop_is_named_its_ends_are_dragged_to_bars_and_it_is_renamed_and_deleted(self) -> None:
        page = self.page
        self.bring_in(Tone=sine(1000.0, -6.0, 16.0))
        for name, stretch_s in (("Verse", (0, 4)), ("Refrain", (4, 8))):
            page.evaluate(f"() => window.gemischtLive.loop([{stretch_s[0]}, {stretch_s[1]}])")
            expect(page.get_by_role("button", name=re.compile("^loop "))).to_be_visible()
            page.keyboard.press("t")
            dialog = page.get_by_role("dialog", name="Beat and sections")
            dialog.get_by_role("button", name=re.compile("^name the loop, bars")).click()
            page.get_by_role("textbox", name="Name").fill(name)
            page.keyboard.press("Enter")
            expect(dialog.get_by_role("button", name=name, exact=True)).to_be_visible()
            page.keyboard.press("Escape")
            expect(dialog).to_have_count(0)
        self.assertEqual(self.sections(), [("Verse", 0.0, 4.0), ("Refrain", 4.0, 8.0)])

        boundary = page.get_by_role("slider", name="Boundary of Verse and Refrain")
        box = boundary.bounding_box()
        line = page.get_by_role("slider", name="Place in the song").bounding_box()
        assert box is not None and line is not None
        x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
        page.mouse.move(x, y)
        page.mouse.down()
        # A little more than a bar: it snaps to the bar.
        page.mouse.move(x + 2.3 / 16.0 * line["width"], y, steps=4)
        page.mouse.up()
        expect(page.get_by_test_id("last-edit")).to_have_text("Verse: ends at bar 4|1")
        self.assertEqual(self.sections(), [("Verse", 0.0, 6.0), ("Refrain", 6.0, 8.0)])
        boundary.focus()
        page.keyboard.press("ArrowLeft")
        expect(page.get_by_test_id("last-edit")).to_have_text("Refrain: begins at bar 3|1")
        self.assertEqual(self.sections(), [("Verse", 0.0, 4.0), ("Refrain", 4.0, 8.0)])

        page.get_by_role("button", name="Refrain", exact=True).focus()
        page.keyboard.press("F2")
        page.get_by_role("textbox", name="Name").fill("Out")
        page.keyboard.press("Enter")
        out = page.get_by_role("button", name="Out", exact=True)
        expect(out).to_be_visible()
        out.focus()
        page.keyboard.press("Delete")
        expect(out).to_have_count(0)
        page.keyboard.press("Control+z")
        expect(out).to_be_visible()
