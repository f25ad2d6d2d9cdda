"""A new session from files of one's own: bring in, hear, mix many at once, and read the levels."""

import re

import numpy as np
from playwright.sync_api import expect

from tests.browser.browser import OwnFilesCase
from tests.support.files import write_wav
from tests.support.signals import noise, sine


class OwnFilesTest(OwnFilesCase):
    def read(self, strip: str) -> float:
        """The held peak beside a meter, once it is settled."""
        self.page.wait_for_timeout(700)
        return float(self.page.locator(f"[data-peak='{strip}']").inner_text().replace("−", "-"))

    def test_levels_read_what_the_files_hold(self) -> None:
        page = self.page
        self.bring_in(Quiet=sine(200, -30, 3.0), Loud=sine(300, -12, 3.0))
        expect(page.get_by_test_id("last-edit")).to_have_text("Bring in 2 tracks")
        page.evaluate("gemischtLive.loop([0, 3])")
        page.get_by_role("button", name="Play", exact=True).click()
        self.until("() => gemischtLive.positionS() > 0.5")
        self.assertAlmostEqual(self.read("quiet"), -30.0, delta=0.11)
        self.assertAlmostEqual(self.read("loud"), -12.0, delta=0.11)

        # Trim one, mute the other: the mix is what is left.
        trim = page.get_by_role("spinbutton", name="Quiet: trim")
        self.type_into(trim, "12")
        page.get_by_role("button", name="Mute Loud").click()
        expect(page.get_by_role("button", name="Mute Loud")).to_have_attribute("aria-pressed", "true")
        self.until("() => Number(document.querySelector('[data-peak=mix]').textContent.replace('−', '-')) < -17.8")
        self.assertAlmostEqual(self.read("mix"), -18.0, delta=0.3)
        page.get_by_role("button", name="Stop", exact=True).click()

    def test_a_file_of_six_channels_stays_six_where_the_mix_has_them(self) -> None:
        page = self.page
        self.bring_in(Bed=np.concatenate([sine(200.0 + 50.0 * k, -20.0, 2.0, channels=1) for k in range(6)]))
        page.get_by_role("row", name="Bed", exact=True).get_by_role("button").first.click()
        expect(page.get_by_label("Channels of Bed")).to_have_value("5.1")
        page.get_by_role("row", name="Mix", exact=True).get_by_role("button").first.click()
        page.get_by_label("Channels of Mix").select_option("5.1")
        expect(page.get_by_test_id("last-edit")).to_have_text("Mix: layout 5.1")
        page.evaluate("gemischtLive.loop([0, 2])")
        page.get_by_role("button", name="Play", exact=True).click()
        self.until("() => gemischtLive.positionS() > 0.5")
        # Each channel is as loud as it was: nothing is folded into another.
        self.assertAlmostEqual(self.read("mix"), -20.0, delta=0.2)
        page.get_by_role("button", name="Stop", exact=True).click()

        # What is for two channels is refused in words, and the chain stays as it was.
        page.get_by_role("row", name="Bed", exact=True).get_by_role("button").first.click()
        self.choose(page, "Add to the chain", "Delay")
        expect(page.get_by_text("Delay works on 2 channels at most, and 5.1 has 6 channels")).to_be_visible()
        self.expect_refusal()
        self.assertEqual(self.server.document(self.session_id)["strips"][0]["chain"], [])

    def test_each_channel_of_a_file_becomes_a_track(self) -> None:
        page = self.page
        page.keyboard.press("1")
        page.get_by_label("Channels of a file").select_option("apart")
        signal = np.concatenate([sine(200.0 + 50.0 * k, -20.0 - k, 2.0, channels=1) for k in range(3)])
        page.locator("input[type=file]").set_input_files([write_wav(self.folder / "Choir.wav", signal)])
        expect(page.get_by_test_id("last-edit")).to_have_text("Bring in 3 tracks")
        for number in (1, 2, 3):
            expect(page.get_by_role("row", name=f"Choir {number}", exact=True)).to_be_visible()
        page.keyboard.press("2")
        page.evaluate("gemischtLive.loop([0, 2])")
        page.get_by_role("button", name="Play", exact=True).click()
        self.until("() => gemischtLive.positionS() > 0.5")
        for k in range(3):
            self.assertAlmostEqual(self.read(f"choir-{k + 1}"), -20.0 - k, delta=0.2)

    def test_a_fader_moves_all_selected_by_the_same_amount_in_one_edit(self) -> None:
        page = self.page
        self.bring_in(One=noise(0.2), Two=noise(0.2, seed=2), Three=noise(0.2, seed=3))
        field = page.get_by_role("spinbutton", name="Two: fader level")
        self.type_into(field, "-4")
        expect(field).to_have_text("−4.0")
        page.get_by_role("row", name="One", exact=True).get_by_role("button").first.click()
        page.get_by_role("row", name="Two", exact=True).get_by_role("button").first.click(modifiers=["Control"])
        first = page.get_by_role("spinbutton", name="One: fader level")
        first.focus()
        page.keyboard.press("ArrowDown")
        expect(first).to_have_text("−0.5")
        expect(field).to_have_text("−4.5")
        expect(page.get_by_role("spinbutton", name="Three: fader level")).to_have_text("0.0")
        page.get_by_role("button", name="Undo").click()
        expect(first).to_have_text("0.0")
        expect(field).to_have_text("−4.0")
        # Dragging moves both, too, and leaves them selected.
        fader = page.get_by_role("slider", name="One: fader", exact=True)
        box = fader.bounding_box()
        assert box is not None
        x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
        page.mouse.move(x, y)
        page.mouse.down()
        page.mouse.move(x - 20, y, steps=4)
        page.mouse.up()
        expect(first).not_to_have_text("0.0")
        expect(field).not_to_have_text("−4.0")
        page.get_by_role("button", name="Mute Two", exact=True).click()
        for name, muted in (("One", "true"), ("Two", "true"), ("Three", "false")):
            mute = page.get_by_role("button", name=f"Mute {name}", exact=True)
            expect(mute).to_have_attribute("aria-pressed", muted)

    def test_deleting_and_bringing_back(self) -> None:
        page = self.page
        self.bring_in(Keep=noise(0.2), Drop=noise(0.2, seed=2))
        page.get_by_role("row", name="Drop", exact=True).get_by_role("button").first.click()
        page.keyboard.press("Delete")
        expect(page.get_by_role("dialog")).to_contain_text("Nothing else refers to it.")
        page.get_by_role("button", name="Delete", exact=True).click()
        expect(page.get_by_role("row", name="Drop", exact=True)).to_have_count(0)
        expect(page.get_by_test_id("last-edit")).to_have_text("Delete Drop")
        page.keyboard.press("Control+z")
        expect(page.get_by_role("row", name="Drop", exact=True)).to_be_visible()

    def test_the_session_is_renamed_by_its_title(self) -> None:
        page = self.page
        page.get_by_title("Rename this session").click()
        page.get_by_role("textbox", name="Name").fill("Springtide")
        page.keyboard.press("Enter")
        expect(page).to_have_title(re.compile("Springtide"))
        self.assertEqual(self.server.document(self.session_id)["name"], "Springtide")
