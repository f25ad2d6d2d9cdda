"""A producer's first hour, in the browser: hear, level, bring in, bus, key, print, and check the file."""

import base64
import re
from pathlib import Path

import numpy as np
import soundfile
from playwright.sync_api import Locator, expect

from tests.browser.browser import BrowserCase
from tests.support.files import write_wav
from tests.support.signals import RATE_HZ, Signal, sine


def bursts() -> Signal:
    """A loud 50 ms tone every half second, 4 s."""
    tone = sine(150, -3, 4.0)
    times = np.arange(tone.shape[1]) / RATE_HZ
    return tone * ((times % 0.5) < 0.05)


class JourneyTest(BrowserCase):
    def row(self, name: str) -> Locator:
        return self.page.get_by_role("row", name=name, exact=True)

    def peak_db(self, strip: str) -> float:
        text = self.page.locator(f"[data-peak='{strip}']").inner_text().replace("−", "-")
        return -200.0 if "∞" in text else float(text)

    def wait_for_peak(self, strip: str, low_db: float, high_db: float) -> None:
        self.until(
            """([strip, low, high]) => {
                const text = document.querySelector(`[data-peak='${strip}']`).textContent.replace('−', '-');
                return Number(text) >= low && Number(text) <= high;
            }""",
            argument=[strip, low_db, high_db],
        )

    def focus(self, name: str) -> None:
        self.row(name).get_by_role("button").first.click()

    def test_from_files_to_a_keyed_bussed_heard_and_printed_mix(self) -> None:
        page = self.open(only={"sea-ambience", "lead-voice", "hall"})

        # Play, and see meters and position move.
        page.get_by_role("button", name="Play", exact=True).click()
        self.wait_for_peak("mix", -60.0, 0.0)
        self.until("() => gemischtLive.positionS() > 1")
        expect(page.get_by_test_id("loudness")).to_contain_text(re.compile(r"M\s*−\d"))

        # Move a fader by keyboard: number, document and level follow.
        self.page.evaluate("gemischtLive.loop([30, 32])")
        page.get_by_text("post-fader", exact=True).click()
        page.evaluate("gemischtLive.seek(30)")
        self.until("() => gemischtLive.positionS() > 31")
        before_db = self.peak_db("sea-ambience")
        level = self.row("Sea ambience").get_by_role("spinbutton", name="Sea ambience: fader level")
        self.type_into(level, "-37")
        expect(level).to_have_text("−37.0")
        expect(page.get_by_test_id("last-edit")).to_have_text("Sea ambience: fader -37.0 dB")
        self.wait_for_peak("sea-ambience", before_db - 28.0, before_db - 20.0)
        page.keyboard.press("Control+z")
        expect(level).to_have_text("−13.0")
        page.get_by_role("button", name="Stop", exact=True).click()

        # Drop two files in; a third is broken and named.
        self.drop({"Burst.wav": bursts(), "Pad.wav": sine(440, -12, 4.0)}, broken="Broken.wav")
        expect(self.row("Burst")).to_be_visible()
        expect(self.row("Pad")).to_be_visible()
        expect(page.get_by_role("list", name="Incoming files")).to_contain_text("the file is empty (0 bytes)")
        page.get_by_role("button", name="Dismiss Broken.wav").click()
        self.expect_refusal()

        # Put both on a new bus.
        self.focus("Burst")
        self.row("Pad").get_by_role("button").first.click(modifiers=["Control"])
        page.get_by_role("button", name="New bus of 2…").click()
        page.get_by_role("textbox", name="Name").fill("Extra")
        page.keyboard.press("Enter")
        expect(self.row("Extra")).to_contain_text("bus of 2")
        expect(self.row("Pad").get_by_label("Pad plays to")).to_have_value("extra")

        # Key the pad's compressor by the bursts, and see gain reduction.
        self.focus("Pad")
        page.get_by_role("button", name="+ Compressor").click()
        page.get_by_label("Key from").select_option(label="Burst")
        expect(page.get_by_test_id("last-edit")).to_have_text("Pad: Compressor keyed by Burst")
        page.evaluate("gemischtLive.loop([0, 4])")
        page.evaluate("gemischtLive.seek(0)")
        page.get_by_role("button", name="Play", exact=True).click()
        self.until("() => Number(document.querySelector('[data-testid=reduction]').textContent.replace('−','-')) < -6")
        self.until("() => document.querySelector('[data-testid=key-lamp]').dataset.lit === 'true'")
        page.get_by_role("button", name="Stop", exact=True).click()

        # Print only these two: solo their bus, print the loop, fetch the file and check its levels.
        self.row("Extra").get_by_role("button", name="Solo Extra").click()
        page.keyboard.press("6")
        page.get_by_role("button", name="Begin with the mix").click()
        page.get_by_label("Stretch").select_option("loop")
        page.get_by_label("End", exact=True).select_option("cut there")
        page.get_by_label("Format").select_option("WAV 32f")
        expect(page.get_by_label("Stretch")).to_have_value("from-to")
        page.get_by_role("button", name="Print all").click()
        link = page.get_by_role("link", name="save")
        link.wait_for()
        with page.expect_download() as download:
            link.click()
        path = self.folder / "printed.wav"
        download.value.save_as(path)
        self.check_print(path)

    def check_print(self, path: Path) -> None:
        audio, rate_hz = soundfile.read(path, always_2d=True)
        self.assertEqual((rate_hz, len(audio)), (RATE_HZ, 4 * RATE_HZ))
        strips = {strip["id"]: strip for strip in self.server.document(self.session_id)["strips"]}
        self.assertEqual(strips["pad"]["chain"][0]["key"]["from"], "burst")
        # Away from the bursts the pad is back; under them it is down: 440 Hz by correlation, mix chain included.
        times = np.arange(len(audio)) / RATE_HZ

        def pad_level_db(start_s: float) -> float:
            part = slice(round(start_s * RATE_HZ), round((start_s + 0.025) * RATE_HZ))
            tone = np.exp(-2j * np.pi * 440 * times[part]) * np.hanning(len(times[part]))
            return float(20 * np.log10(np.abs(np.sum(audio[part, 0] * tone))))

        self.assertLess(pad_level_db(1.52), pad_level_db(1.95) - 8.0)

    def drop(self, signals: dict[str, Signal], broken: str) -> None:
        """Drop files onto the page as a file manager would."""
        contents = []
        for name, signal in signals.items():
            path = write_wav(self.folder / name, signal)
            contents.append([name, base64.b64encode(path.read_bytes()).decode()])
        contents.append([broken, ""])
        transfer = self.page.evaluate_handle(
            """(contents) => {
                const transfer = new DataTransfer();
                contents.forEach(([name, coded]) => {
                    const bytes = Uint8Array.from(atob(coded), (character) => character.charCodeAt(0));
                    transfer.items.add(new File([bytes], name));
                });
                return transfer;
            }""",
            contents,
        )
        self.page.dispatch_event("main", "dragover", {"dataTransfer": transfer})
        self.page.dispatch_event("main", "drop", {"dataTransfer": transfer})
