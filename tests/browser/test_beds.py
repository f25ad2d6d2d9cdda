"""Beds through the page: placed around and above, a send that keeps its corner, printed whole and folded."""

import re

import numpy as np
from playwright.sync_api import Locator, expect

from gemischt.core.space.fold_down import matrix_between
from gemischt.core.space.layout import LAYOUTS
from tests.browser.browser import OwnFilesCase
from tests.support.signals import RATE_HZ, Signal, noise


class BedTest(OwnFilesCase):
    def row(self, name: str) -> Locator:
        return self.page.get_by_role("table", name="Places").get_by_role("row", name=name, exact=True)

    def channels_of(self, name: str, layout: str) -> None:
        """The sentence of a strip says how many channels it works on."""
        page = self.page
        page.keyboard.press("2")
        page.get_by_role("row", name=name, exact=True).get_by_role("button").first.click()
        page.get_by_label(f"Channels of {name}").select_option(layout)
        expect(page.get_by_test_id("last-edit")).to_have_text(f"{name}: layout {layout}")

    def test_a_send_keeps_its_corner_and_the_bed_is_folded_down(self) -> None:
        page = self.page
        burst = np.concatenate([noise(0.005, channels=1), np.zeros((1, 3 * RATE_HZ))], axis=1)
        self.bring_in(Knock=burst)
        self.edit(type="add-strip", kind="return", name="Hall", effect="reverb")
        self.edit(type="add-send", strips=["knock"], to="hall", level_db=0.0)
        self.channels_of("Mix", "4+4")
        self.channels_of("Hall", "4+4")

        # Placed behind, to the left and above: by the table, then by figures.
        page.keyboard.press("5")
        self.row("Knock").click()
        self.row("Knock").get_by_role("combobox", name="How Knock is panned").select_option("around")
        expect(page.get_by_test_id("last-edit")).to_have_text("Knock: pan front")
        self.type_into(page.get_by_role("spinbutton", name="Knock: azimuth"), "135")
        self.type_into(page.get_by_role("spinbutton", name="Knock: elevation"), "35.264")
        expect(self.row("Knock")).to_contain_text("L 135° ↑35°")
        # From above and from behind it is where it was put, and turns by keys.
        knock = page.get_by_role("slider", name="Knock in the bed")
        expect(knock).to_have_attribute("aria-valuenow", "135")
        page.get_by_role("radio", name="height").click()
        expect(knock).to_have_attribute("aria-valuenow", "35")
        knock.focus()
        page.keyboard.press("ArrowDown")
        expect(self.row("Knock")).to_contain_text("L 135° ↑30°")
        page.keyboard.press("Control+z")
        expect(self.row("Knock")).to_contain_text("L 135° ↑35°")

        # All eight channels: the knock is in its corner, and so is what answers first.
        bed = self.printed()
        self.assertEqual(bed.shape[1], 8)
        corner = [channel.label for channel in LAYOUTS["4+4"].channels].index("U+135")
        direct = self.energy(bed[: round(0.01 * RATE_HZ)])
        self.assertEqual(int(np.argmax(direct)), corner)
        self.assertGreater(direct[corner] / direct.sum(), 0.99)
        first = self.energy(bed[round(0.021 * RATE_HZ) : round(0.036 * RATE_HZ)])
        self.assertEqual(int(np.argmax(first)), corner)
        tail = self.energy(bed[round(0.4 * RATE_HZ) : RATE_HZ])
        self.assertLess(10 * np.log10(tail.max() / tail.min()), 10.0)

        # Folded by the page it is what the fold-down's matrix makes of the bed.
        page.keyboard.press("6")
        self.choose(page.locator("[data-print]").first, "More for print p1", "Fold, or take one side")
        page.get_by_label("Channels").select_option("stereo")
        folded = self.printed()
        expected = bed @ matrix_between(LAYOUTS["4+4"], LAYOUTS["stereo"]).T
        np.testing.assert_allclose(folded[: len(expected)], expected[: len(folded)], atol=2e-6)

    def test_a_bed_is_not_taken_from_under_what_stands_in_it(self) -> None:
        page = self.page
        self.bring_in(Voice=noise(2.0, channels=1))
        self.channels_of("Mix", "5.1.4")
        page.keyboard.press("5")
        self.row("Voice").get_by_role("combobox", name="How Voice is panned").select_option("around")
        page.keyboard.press("2")
        page.get_by_role("row", name="Mix", exact=True).get_by_role("button").first.click()
        page.get_by_label("Channels of Mix").select_option("")
        expect(page.get_by_text(re.compile("Voice.*around is a place among more than two channels"))).to_be_visible()
        self.expect_refusal()
        self.assertEqual(self.server.document(self.session_id)["strips"][-1]["layout"], "5.1.4")

    def test_what_widening_costs_in_mono_is_said_before_and_found_after(self) -> None:
        page = self.page
        wave = noise(3.0, channels=1)
        self.bring_in(Pad=np.concatenate([wave, wave]))
        page.keyboard.press("5")
        self.row("Pad").click()
        page.get_by_role("button", name="by decorrelating: −1.7 dB in mono").click()
        expect(page.get_by_test_id("last-edit")).to_contain_text("Widener")
        expect(self.row("Pad")).to_contain_text("−1.7")
        # A width that makes it louder is made up for.
        self.type_into(self.row("Pad").get_by_role("spinbutton", name="Pad: width"), "200")
        louder = page.get_by_text("LU louder")
        expect(louder).to_be_visible()
        page.get_by_role("button", name="make up for it").click()
        expect(page.get_by_test_id("last-edit")).to_contain_text("Pad: width level")
        expect(page.get_by_role("button", name="make up for it")).to_have_count(0)
        # Further away it is softer, and the air is in its chain.
        self.type_into(page.get_by_role("spinbutton", name="Pad: distance"), "10")
        expect(page.get_by_test_id("last-edit")).to_have_text("Pad: 10 m away")
        strip = self.server.document(self.session_id)["strips"][0]
        self.assertAlmostEqual(strip["fader_db"], -20.0, delta=0.01)
        self.assertEqual([processor["id"] for processor in strip["chain"]][-1], "air")

    def energy(self, samples: Signal) -> Signal:
        found: Signal = (samples**2).sum(axis=0)
        return found
