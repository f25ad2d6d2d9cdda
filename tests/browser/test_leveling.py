"""Levels in the browser: bring to a reference, be told of what clips, compare at the same loudness."""

import base64
import re

import numpy as np
from playwright.sync_api import Locator, Page, expect

from gemischt.core.metering.loudness import LoudnessMeter
from gemischt.core.space.layout import MONO
from tests.browser.browser import BrowserCase, shared_profile
from tests.support.signals import RATE_HZ, Signal, noise, sine

# Keeps what goes to the loudspeaker, beside playing it.
CATCH = """
    window.caught = [];
    const connect = AudioNode.prototype.connect;
    AudioNode.prototype.connect = function (target, ...more) {
        if (this instanceof AudioWorkletNode) {
            const tap = this.context.createScriptProcessor(4096, 2, 1);
            tap.onaudioprocess = ({ inputBuffer }) =>
                caught.push(inputBuffer.getChannelData(0).slice());
            connect.call(this, tap);
            connect.call(tap, this.context.destination);
        }
        return connect.call(this, target, ...more);
    };
"""

GIVE = """async () => {
    const reader = new FileReader();
    reader.readAsDataURL(new Blob(caught));
    await new Promise((done) => { reader.onload = done; });
    return reader.result.split(",")[1];
}"""


class LevelingCase(BrowserCase):
    def bring_in(self, **signals: Signal) -> None:
        self.begin(f"Levels {self.id()[-12:]}")
        super().bring_in(**signals)

    def strip(self, strip_id: str) -> dict[str, object]:
        strips = self.server.document(self.session_id)["strips"]
        return next(strip for strip in strips if strip["id"] == strip_id)


class ReferenceJourneyTest(LevelingCase):
    def test_odd_levels_are_brought_to_the_reference_and_the_mix_stays(self) -> None:
        self.bring_in(Loud=sine(300, -3, 2.0), Soft=sine(200, -37, 2.0), Right=sine(150, -18, 2.0))
        page = self.page
        mix_before = self.mix_peak()
        page.get_by_role("button", name="Reference…").click()
        table = page.get_by_role("table", name="What would change")
        expect(table.get_by_role("row", name="Loud")).to_contain_text("−15.0")
        expect(table.get_by_role("row", name="Soft")).to_contain_text("+19.0")
        expect(table.get_by_role("row", name="Right")).to_contain_text("is there already")
        page.get_by_role("radio", name="compensated").click()
        page.get_by_role("button", name="Bring to reference").click()
        expect(page.get_by_test_id("last-edit")).to_contain_text("peak to -18")
        loud = self.strip("loud")
        self.assertAlmostEqual(float(str(loud["trim_db"])), -15.0, delta=0.01)
        self.assertAlmostEqual(float(str(loud["fader_db"])), 15.0, delta=0.01)
        page.get_by_role("radio", name="gain ladder").click()
        for name in ("Loud", "Soft", "Right"):
            cell = page.get_by_role("row", name=name, exact=True).locator("[data-cell=pre-fader]")
            expect(cell).to_contain_text("−18.0")
        self.assertAlmostEqual(self.mix_peak(), mix_before, delta=0.05)

        # One edit: one undo brings everything back.
        page.keyboard.press("Control+z")
        expect(page.get_by_role("row", name="Loud", exact=True).locator("[data-cell=pre-fader]")).to_contain_text(
            "−3.0"
        )

    def mix_peak(self) -> float:
        """The mix's peak as the ladder reads it once the latest state is measured."""
        self.page.get_by_role("radio", name="gain ladder").click()
        self.page.get_by_role("button", name=re.compile(r"^Findings \d+$")).wait_for()
        text = self.page.get_by_role("row", name="Mix").locator("[data-cell=post-fader]").inner_text()
        return float(text.strip().replace("−", "-"))


class LadderJourneyTest(LevelingCase):
    def cell(self, row: str, column: str) -> Locator:
        return self.page.get_by_role("row", name=row, exact=True).locator(f"[data-cell='{column}']")

    def test_lanes_stand_under_their_strip_and_vu_has_its_own_zero(self) -> None:
        page = self.open(only={"floor-drum", "drums"})
        page.keyboard.press("2")
        page.get_by_role("radio", name="gain ladder").click()
        # Two processors and the level stand in a row, from the place of the block on.
        expect(self.cell("Only top, lane of Drums", "chain 2")).to_contain_text("level")
        expect(self.cell("Clean, lane of Drums", "chain 0")).to_contain_text("level")
        expect(self.cell("Floor drum", "trim")).to_have_attribute("title", re.compile("crest .* dB, VU "))

        page.get_by_role("radio", name="VU", exact=True).click()
        before = self.level(self.cell("Floor drum", "trim"))
        self.type_into(self.page.get_by_role("spinbutton", name="0 VU"), "-20")
        expect(page.get_by_test_id("last-edit")).to_contain_text("0 VU at -20.0 dBFS")
        expect(self.cell("Floor drum", "trim")).to_contain_text(f"{before + 2.0:.1f}".replace("-", "−"))

    def level(self, cell: Locator) -> float:
        return float(cell.inner_text().strip().split()[-1].replace("−", "-"))

    def test_one_key_compares_a_strip_with_and_without_its_chain(self) -> None:
        page = self.open(only={"sea-ambience", "lead-voice"})
        page.get_by_role("button", name="Sea ambience", exact=True).click()
        page.keyboard.press("x")
        expect(page.get_by_text("Sea ambience has no chain to compare with.")).to_be_visible()
        page.get_by_role("button", name="Lead voice", exact=True).click()
        page.keyboard.press("x")
        bar = page.get_by_role("region", name="Comparison")
        expect(bar).to_contain_text(re.compile("without Lead voice's chain is heard −?[0-9]"))
        page.keyboard.press("x")
        expect(page.get_by_role("radio", name="without Lead voice's chain")).to_be_checked()
        page.keyboard.press("x")
        expect(page.get_by_role("radio", name="with Lead voice's chain", exact=True)).to_be_checked()


class FindingsJourneyTest(LevelingCase):
    def test_a_clip_hidden_behind_the_fader_is_told_and_cured(self) -> None:
        self.bring_in(Tom=sine(200, -12, 2.0), Pad=noise(2.0, level=0.03))
        page = self.page
        self.type_into(self.page.get_by_role("spinbutton", name="Tom: trim"), "15")
        self.type_into(self.page.get_by_role("spinbutton", name="Tom: fader level"), "-20")
        button = page.get_by_role("button", name=re.compile("^Findings"))
        expect(button).to_have_text("Findings 1")
        page.get_by_role("radio", name="gain ladder").click()
        ladder = page.get_by_role("table", name="Gain ladder")
        expect(ladder.locator("[data-clips]")).to_have_count(1)
        expect(ladder.locator("[data-clips]")).to_have_attribute("data-cell", "trim")
        expect(page.get_by_role("button", name="Finding 1:")).to_be_visible()

        # Put aside with a reason; it comes back when it gets worse.
        button.click()
        expect(page.get_by_role("dialog")).to_contain_text("Tom clips in its trim; its fader hides it")
        expect(page.get_by_role("dialog")).to_contain_text("+3.0 dBFS")
        page.get_by_role("button", name="Put aside…").first.click()
        page.get_by_role("textbox", name="Name").fill("wanted")
        page.keyboard.press("Enter")
        expect(page.get_by_role("dialog")).to_contain_text("1 put aside")
        page.keyboard.press("Escape")
        expect(button).to_have_text("Findings 0")
        page.get_by_role("radio", name="rows").click()
        self.type_into(self.page.get_by_role("spinbutton", name="Tom: trim"), "20")
        expect(button).to_have_text("Findings 1")

        button.click()
        page.get_by_role("button", name="Trim Tom by −26.0 dB").click()
        expect(page.get_by_role("dialog")).to_contain_text("Nothing found.")
        self.assertAlmostEqual(float(str(self.strip("tom")["trim_db"])), -6.0, delta=0.01)


class ComparisonJourneyTest(LevelingCase):
    def make_page(self) -> Page:
        # What it has every document run stays with a page.
        return shared_profile().new_page()

    def test_two_versions_sound_equally_loud(self) -> None:
        self.page.add_init_script(CATCH)
        self.bring_in(Low=noise(8.0, level=0.05, seed=1), High=sine(2000, -20, 8.0))
        page = self.page
        page.get_by_role("button", name="compare").click()
        page.get_by_role("button", name="Keep a snapshot…").click()
        page.get_by_role("textbox", name="Name").fill("Loud")
        page.keyboard.press("Enter")
        page.get_by_role("button", name="Loud", exact=True).wait_for()
        page.keyboard.press("Escape")
        self.type_into(self.page.get_by_role("spinbutton", name="Low: fader level"), "-9")

        page.get_by_role("button", name="compare").click()
        page.get_by_role("button", name="Loud", exact=True).click()
        expect(page.get_by_role("list", name="Differences")).to_contain_text("Low fader -9.0 dB")
        page.get_by_role("button", name="Hear against now").click()
        bar = page.get_by_role("region", name="Comparison")
        expect(bar).to_contain_text("LUFS: Loud is heard −")

        page.get_by_role("button", name="Play", exact=True).click()
        self.until("() => gemischtLive.positionS() > 3.5")
        n_before = page.evaluate("() => caught.length")
        page.keyboard.press("x")
        self.until("() => gemischtLive.positionS() > 7")
        page.get_by_role("button", name="Stop", exact=True).click()
        expect(page.get_by_role("radio", name="Loud", exact=True)).to_be_checked()
        heard = np.frombuffer(base64.b64decode(page.evaluate(GIVE)), "<f4").astype(np.float64)
        switched = 4096 * n_before
        starts = int(np.flatnonzero(heard)[0])
        ends = int(np.flatnonzero(heard)[-1])
        now = heard[starts + RATE_HZ // 2 : switched - RATE_HZ // 2]
        then = heard[switched + RATE_HZ // 2 : ends - RATE_HZ // 2]
        self.assertAlmostEqual(loudness_lufs(now), loudness_lufs(then), delta=0.2)

        # It is another version all the same: the tone has gone down by what the matching says.
        matching_db = float(
            bar.get_by_role("status").inner_text().split(" is heard ")[1].split(" dB")[0].replace("−", "-")
        )
        self.assertLess(matching_db, -1.0)
        self.assertAlmostEqual(tone_db(then) - tone_db(now), matching_db, delta=0.3)

        # And between the two there is no gap.
        around = heard[switched - RATE_HZ // 10 : switched + RATE_HZ // 2]
        self.assertLess(longest_silence(around), RATE_HZ // 1000)

        # As they are, the earlier version is louder again.
        page.get_by_role("radio", name="as they are").click()
        expect(bar).to_contain_text("Loud is heard 0.0 dB")
        page.get_by_role("button", name="End the comparison").click()
        expect(bar).to_have_count(0)


def loudness_lufs(sound: Signal) -> float:
    meter = LoudnessMeter(RATE_HZ, MONO)
    meter.process(sound[np.newaxis].copy(), len(sound))
    return meter.integrated_lufs


def tone_db(sound: Signal) -> float:
    """The level of the 2 kHz tone, window by window: the tap may leave a block out when the page is busy."""
    windows = sound[: len(sound) // 2400 * 2400].reshape(-1, 2400)
    spectrum = np.fft.rfft(windows, axis=1)[:, 100]
    return float(10 * np.log10(np.mean(np.abs(spectrum) ** 2)))


def longest_silence(sound: Signal) -> int:
    """Samples in a row that are zero."""
    loud = np.flatnonzero(np.concatenate([[1.0], sound, [1.0]]))
    return int(np.diff(loud).max()) - 1
