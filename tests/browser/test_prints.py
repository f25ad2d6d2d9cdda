"""Printing through the page: a return that swells, stems that null, a list stopped and gone on with, a target met, and
a song handed over and taken in."""

import re
from pathlib import Path
from typing import Any

import numpy as np
import soundfile
from playwright.sync_api import Locator, expect

from gemischt.core.units import db_to_gain
from tests.browser.browser import OwnFilesCase
from tests.support.signals import RATE_HZ, impulse, noise, sine


class PrintTest(OwnFilesCase):
    def add(self, item: str) -> None:
        self.page.get_by_role("button", name="Add to the list").click()
        self.page.get_by_role("menuitem", name=item).click()

    def files(self) -> list[dict[str, Any]]:
        files: list[dict[str, Any]] = self.server.get(f"/api/sessions/{self.session_id}/prints")
        return files

    def sound_of(self, file_name: str) -> np.ndarray:
        samples, _ = soundfile.read(self.server.data / "prints" / file_name, always_2d=True)
        return np.asarray(samples)

    def saved(self, link: Locator) -> Path:
        with self.page.expect_download() as download:
            link.click()
        path = self.folder / download.value.suggested_filename
        download.value.save_as(path)
        return path

    def test_a_reversed_room_swells_into_the_refrain(self) -> None:
        page = self.page
        # The voice begins with a knock at 4 s, where the refrain does, and sends to a room.
        self.bring_in(Voice=0.5 * impulse(8 * RATE_HZ, at=4 * RATE_HZ))
        self.edit(type="add-section", name="Refrain", start_s=4.0, end_s=6.0)
        self.edit(type="add-strip", kind="return", name="Room", effect="reverb")
        self.edit(type="add-send", strips=["voice"], to="room", level_db=0.0)
        expect(page.get_by_role("row", name="Room", exact=True)).to_be_visible()
        page.get_by_role("row", name="Voice", exact=True).get_by_role("button").first.click()
        page.evaluate("gemischtLive.seek(4.5)")
        page.keyboard.press("6")
        self.until("() => gemischtLive.positionS() > 4.4")
        self.add("Reverse the Room of Voice")
        expect(page.get_by_test_id("last-edit")).to_have_text("Room, reversed: back as a track")
        track = next(strip for strip in self.server.document(self.session_id)["strips"] if strip["print_of"] == "room")
        self.assertEqual(track["output"], "mix")
        # Alone it is the room backwards, and ends to the sample where the refrain begins.
        self.edit(type="set-strips", changes=[{"strip": strip, "mute": True} for strip in ("voice", "room")])
        expect(page.get_by_test_id("last-edit")).not_to_have_text("Room, reversed: back as a track")
        swell = self.printed()[:, 0]
        (printed,) = [file for file in self.files() if file["order"]["reversed"]]
        expected = self.sound_of(printed["file_name"])[:, 0]
        expected = expected[: 4 * RATE_HZ][-3 * RATE_HZ :] if len(expected) > 3 * RATE_HZ else expected
        lags = np.fft.irfft(
            np.fft.rfft(swell, 2 * len(swell)) * np.conj(np.fft.rfft(expected, 2 * len(swell))), 2 * len(swell)
        )
        begins = int(np.argmax(lags))
        self.assertEqual(begins + len(expected), 4 * RATE_HZ)
        energy = np.add.reduceat(swell**2, np.arange(0, 4 * RATE_HZ, RATE_HZ // 2))
        self.assertGreater(energy[7], energy[5])
        self.assertLess(float(np.abs(swell[4 * RATE_HZ + 10 :]).max()), db_to_gain(-100.0))

    def test_all_stems_add_up_to_the_mix(self) -> None:
        page = self.page
        self.bring_in(Drum=noise(2.0, seed=1), Bass=sine(110, -12, 2.0), Voice=noise(2.0, seed=3, channels=1))
        self.edit(type="bus-from-strips", strips=["drum", "bass"], name="Low")
        self.edit(type="set-strips", changes=[{"strip": "voice", "fader_db": -5.0, "pan": {"position": 0.4}}])
        page.keyboard.press("6")
        self.add("Every stem")
        page.get_by_label("From where").first.select_option("before its chain")
        page.get_by_label("Format").first.select_option("WAV 32f")
        page.get_by_role("button", name="Print all 2").click()
        expect(page.get_by_label("printed", exact=True)).to_have_count(2)
        mix, stems = None, []
        for file in self.files():
            sound = self.sound_of(file["file_name"])[: 2 * RATE_HZ]
            if file["order"]["every"] == "stem":
                stems.append(sound)
            else:
                mix = sound
        self.assertEqual(len(stems), 2)
        assert mix is not None
        self.assertGreater(float(np.abs(mix).max()), 0.1)
        self.assertLess(float(np.abs(mix - np.sum(stems, axis=0)).max()), db_to_gain(-120.0))

    def test_a_list_is_stopped_and_gone_on_with(self) -> None:
        page = self.page
        self.bring_in(Long=noise(240.0, seed=1, channels=1))
        page.keyboard.press("6")
        self.choose(page.locator("[data-print]").first, "More for print p1", "Without moves")
        self.add("Every track, before its chain")
        page.get_by_role("button", name="Print all 2").click()
        page.get_by_role("button", name="Stop").first.click()
        go_on = page.get_by_role("button", name="Go on").first
        go_on.wait_for()
        self.assertIn("stopped", {file["state"] for file in self.files()})
        # It goes on after the page was closed and opened again.
        page.reload()
        page.get_by_role("row").first.wait_for()
        page.keyboard.press("6")
        go_on.click()
        expect(page.get_by_label("printed", exact=True)).to_have_count(2)
        self.assertEqual({file["state"] for file in self.files()}, {"done"})
        self.assertEqual({len(self.sound_of(file["file_name"])) for file in self.files()}, {240 * RATE_HZ})

    def test_a_target_is_missed_cured_and_met(self) -> None:
        page = self.page
        self.bring_in(Tone=sine(1000, -30.0, 5.0))
        page.keyboard.press("6")
        page.get_by_label("Meant for").select_option("r128")
        expect(page.get_by_test_id("asked-I")).to_have_text("−23")
        page.get_by_role("button", name="Print all").click()
        row = self.print_row("The mix")
        # Two channels of a sine at -30 dBFS: -30.0 LUFS (BS.1770).
        expect(row).to_contain_text("7.0 LU low")
        row.get_by_role("button", name="+7.0 dB").click()
        expect(page.get_by_test_id("last-edit")).to_have_text("Mix: fader +7.0 dB")
        row.get_by_role("button", name="Print anew").click()
        expect(row).to_contain_text("fits")
        expect(row).to_contain_text("−23.0")
        figures = page.get_by_role("list", name="Figures")
        expect(figures).to_contain_text("✓ −23.0 ±0.5")

    def test_an_own_target_is_offered_to_another_song(self) -> None:
        page = self.page
        page.keyboard.press("6")
        page.get_by_role("button", name="own…").click()
        panel = page.get_by_role("dialog")
        panel.get_by_label("name", exact=True).fill("Club")
        self.type_into(panel.get_by_role("spinbutton", name="Target: loudness"), "-9")
        panel.get_by_label("offer it to other songs, too").check()
        panel.get_by_role("button", name="Hold prints against it").click()
        expect(page.get_by_test_id("last-edit")).to_have_text("Target Club")
        self.begin("Another song")
        page.keyboard.press("6")
        page.get_by_label("Meant for").select_option(label="Club, −9 LUFS, −1 dBTP")
        expect(page.get_by_test_id("last-edit")).to_have_text("Target Club")
        expect(page.get_by_test_id("asked-I")).to_have_text("−9")
        (target,) = self.server.document(self.session_id)["targets"]
        self.assertEqual((target["name"], target["lufs"]), ("Club", -9.0))

    def test_two_prints_are_heard_against_each_other_at_one_loudness(self) -> None:
        page = self.page
        self.bring_in(Tone=sine(1000, -30.0, 4.0))
        self.printed()
        self.edit(type="set-strips", changes=[{"strip": "mix", "fader_db": 8.0}])
        self.printed()
        page.keyboard.press("6")
        later, earlier = (file["file_name"] for file in self.files())
        self.choose(page.get_by_role("region", name="The chosen print"), "Compare with", earlier)
        bar = page.get_by_role("region", name="Comparison")
        expect(bar).to_contain_text(Path(later).stem)
        expect(bar).to_contain_text(Path(earlier).stem)
        # What was printed before is 8 dB softer: it is heard as loud.
        expect(bar).to_contain_text("is heard 8.0 dB")

    def test_a_song_is_handed_over_and_taken_in(self) -> None:
        page = self.page
        self.bring_in(Drum=noise(2.0, seed=1), Voice=noise(2.0, seed=3, channels=1))
        self.edit(type="set-strips", changes=[{"strip": "voice", "trim_db": -3.0, "fader_db": -5.0}])
        self.edit(type="add-processor", strip="voice", processor="compressor", params={"threshold_db": -40.0})
        self.edit(type="add-section", name="Refrain", start_s=0.5, end_s=1.5)
        before = self.printed()
        page.keyboard.press("6")
        page.get_by_role("radio", name="hand over").click()
        page.get_by_role("region", name="Consolidated files").get_by_role("button", name="Prepare").click()
        packed = self.saved(page.get_by_role("link", name=re.compile("consolidated.zip$")))
        page.get_by_role("button", name="Gemischt", exact=True).click()
        page.get_by_label("Tracks of a song, or a session").set_input_files(packed)
        self.until(
            "known => location.pathname.length > 1 && !location.pathname.endsWith(known)", argument=self.session_id
        )
        page.get_by_role("row").first.wait_for()
        page.keyboard.press("2")
        expect(page.get_by_role("row", name="Voice", exact=True)).to_be_visible()
        taken = page.url.rsplit("/", 1)[1]
        self.assertNotEqual(taken, self.session_id)
        self.session_id = taken
        voice = next(strip for strip in self.server.document(taken)["strips"] if strip["name"] == "Voice")
        self.assertEqual((voice["trim_db"], voice["fader_db"], len(voice["chain"])), (0.0, -5.0, 1))
        after = self.printed()
        self.assertLess(float(np.abs(after - before).max()), db_to_gain(-120.0))

    def test_tracks_dropped_on_the_list_become_a_song(self) -> None:
        page = self.page
        page.get_by_role("button", name="Gemischt", exact=True).click()
        paths = []
        for number, name in enumerate(("Kick In", "Snare Top"), 1):
            path = self.folder / f"Neap_{number:02d} {name}.flac"
            soundfile.write(path, sine(100.0 * number, -12, 1.0).T, RATE_HZ)
            paths.append(path)
        page.get_by_label("Tracks of a song, or a session").set_input_files(paths)
        for name in ("Kick In", "Snare Top"):
            expect(page.get_by_role("row", name=name, exact=True)).to_be_visible()
        page.get_by_role("button", name="Gemischt", exact=True).click()
        song = page.get_by_role("row", name="Neap_01 Kick In", exact=True)
        expect(song).to_contain_text("2 tracks")
        expect(song).to_contain_text("0:01")
        # By keys: found, renamed, duplicated, opened.
        page.get_by_role("searchbox", name="Find a song or a strip").fill("snare top")
        expect(page.locator("[data-song]")).to_have_count(1)
        song.focus()
        page.keyboard.press("F2")
        page.get_by_label("Rename Neap_01 Kick In").fill("Neap")
        page.keyboard.press("Enter")
        song = page.get_by_role("row", name="Neap", exact=True)
        song.focus()
        page.keyboard.press("Enter")
        expect(page.get_by_role("row", name="Kick In", exact=True)).to_be_visible()

    def test_what_is_no_session_is_refused_in_words(self) -> None:
        page = self.page
        page.get_by_role("button", name="Gemischt", exact=True).click()
        broken = self.folder / "broken.zip"
        broken.write_bytes(b"PK no zip at all")
        page.get_by_label("Tracks of a song, or a session").set_input_files(broken)
        expect(page.get_by_role("alert")).to_contain_text("not a readable zip")
        self.expect_refusal()
