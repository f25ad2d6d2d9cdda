"""Placing through the page: mirrored, folded, mono below, seen as a stage and found in the printed file."""

import re

import numpy as np
from playwright.sync_api import Locator, expect

from tests.browser.browser import OwnFilesCase
from tests.support.signals import RATE_HZ, Signal, noise, sine


def pair(seed: int, length_s: float = 3.0) -> Signal:
    return np.concatenate([noise(length_s, channels=1, seed=seed), noise(length_s, channels=1, seed=seed + 50)])


class PlaceTest(OwnFilesCase):
    def row(self, name: str) -> Locator:
        return self.page.get_by_role("table", name="Places").get_by_role("row", name=name, exact=True)

    def arc(self, name: str) -> Locator:
        return self.page.get_by_role("slider", name=f"{name} on the stage")

    def test_two_guitars_are_mirrored_around_the_drums(self) -> None:
        page = self.page
        self.bring_in(One=noise(3.0, channels=1), Two=noise(3.0, channels=1, seed=2), Drums=noise(3.0, seed=3))
        page.keyboard.press("5")
        expect(self.row("One")).to_contain_text("C")
        self.row("One").click()
        self.row("Two").click(modifiers=["Control"])
        page.get_by_role("button", name="Mirror in pairs").click()
        expect(page.get_by_test_id("last-edit")).to_have_text("One and Two: mirrored in pairs, 70 %")
        expect(self.row("One")).to_contain_text("L 70")
        expect(self.row("Two")).to_contain_text("R 70")
        expect(self.arc("One")).to_have_attribute("aria-valuenow", "-70")
        # Both move together by keys, and by one step back all of it is undone.
        self.arc("One").focus()
        page.keyboard.press("ArrowRight")
        expect(self.row("One")).to_contain_text("L 65")
        page.keyboard.press("Control+z")
        page.keyboard.press("Control+z")
        expect(self.row("Two")).to_contain_text("C")

    def test_an_arc_is_dragged_and_a_side_is_folded_over_with_nothing_lost(self) -> None:
        page = self.page
        left_only = np.concatenate([sine(500.0, -12.0, 3.0, channels=1), np.zeros((1, 3 * RATE_HZ))])
        self.bring_in(Echo=left_only)
        page.keyboard.press("5")
        arc = self.arc("Echo")
        expect(arc).to_have_attribute("aria-valuenow", "-100")
        before = self.power(self.printed())
        page.keyboard.press("5")
        self.row("Echo").click()
        self.row("Echo").get_by_role("combobox", name="How Echo is panned").select_option("fold")
        pan = page.get_by_role("spinbutton", name="Echo: pan")
        self.type_into(pan, "1")
        expect(self.row("Echo")).to_contain_text("R 100")
        after = self.printed()
        self.assertAlmostEqual(self.power(after), before, delta=0.001 * before)
        self.assertLess(np.abs(after[:, 0]).max(), 1e-6)
        # Dragged to the left again, which is one edit.
        page.keyboard.press("5")
        box = arc.locator("path").first.bounding_box()
        assert box is not None
        x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
        page.mouse.move(x, y)
        page.mouse.down()
        page.mouse.move(x - 60, y - 20, steps=6)
        page.mouse.up()
        expect(page.get_by_test_id("last-edit")).to_have_text(re.compile("Echo: pan .* right"))
        expect(self.row("Echo")).not_to_contain_text("R 100")

    def test_a_wide_bass_is_made_mono_below_and_checked_in_the_print(self) -> None:
        page = self.page
        low, high = sine(50.0, -12.0, 3.0, channels=1), sine(2000.0, -18.0, 3.0, channels=1)
        self.bring_in(Bass=np.concatenate([low + high, -low + high]))
        page.keyboard.press("5")
        expect(self.row("Bass")).to_contain_text("⚠")
        self.row("Bass").click()
        below = page.get_by_role("spinbutton", name="Bass: mono below")
        self.type_into(below, "200")
        expect(page.get_by_test_id("last-edit")).to_have_text("Bass: mono below 200 Hz")
        expect(self.row("Bass")).not_to_contain_text("⚠")
        samples = self.printed()[RATE_HZ:]
        side = 0.5 * (samples[:, 0] - samples[:, 1])
        # At a quarter of the crossover the side is down by w^4 / (1 + w^4): 48 dB.
        self.assertLess(20 * np.log10(np.abs(side).max()), -12.0 - 40.0)
        middle = 0.5 * (samples[:, 0] + samples[:, 1])
        self.assertAlmostEqual(20 * np.log10(np.abs(middle).max()), -18.0, delta=0.2)

    def test_what_vanishes_in_mono_is_seen_heard_and_cured(self) -> None:
        page = self.page
        wave = noise(3.0, channels=1)
        self.bring_in(Pad=np.concatenate([wave, -0.9 * wave]), Voice=noise(3.0, channels=1, seed=9))
        page.keyboard.press("5")
        expect(self.row("Pad")).to_contain_text("−1.00")
        self.row("Pad").click()
        expect(page.get_by_role("img", name=re.compile("Correlation by band: least −1.00"))).to_be_visible()
        page.get_by_role("button", name="Hear in mono").click()
        expect(page.get_by_role("combobox", name="Hear")).to_have_value("mono")
        page.get_by_role("button", name="What mono takes away").click()
        expect(page.get_by_role("combobox", name="Hear")).to_have_value("side")
        page.get_by_role("button", name="What mono takes away").click()
        expect(page.get_by_role("combobox", name="Hear")).to_have_value("stereo")
        page.keyboard.press("p")
        page.get_by_role("button", name="Width of Pad to 50 %").click()
        expect(page.get_by_test_id("last-edit")).to_have_text("Pad: width 50 %")

    def test_a_ping_pong_is_folded_to_one_side_and_keeps_its_energy(self) -> None:
        page = self.page
        burst = np.concatenate([noise(0.2, seed=4), np.zeros((2, round(2.8 * RATE_HZ)))], axis=1)
        self.bring_in(Knock=burst)
        page.keyboard.press("2")
        page.get_by_role("row", name="Knock", exact=True).get_by_role("button").first.click()
        self.choose(page, "Add to the chain", "Delay")
        page.get_by_role("button", name="side to side").click()
        wet = page.get_by_role("spinbutton", name="wet")
        self.type_into(wet, "1")
        expect(page.get_by_test_id("last-edit")).to_contain_text("wet 1")
        before = self.printed()
        self.assertGreater(self.power(before[:, :1]), 0.05 * self.power(before))
        self.assertGreater(self.power(before[:, 1:]), 0.05 * self.power(before))
        page.keyboard.press("5")
        self.row("Knock").get_by_role("combobox", name="How Knock is panned").select_option("fold")
        pan = page.get_by_role("spinbutton", name="Knock: pan")
        self.type_into(pan, "-1")
        expect(self.row("Knock")).to_contain_text("L 100")
        after = self.printed()
        # Its repeats alternate and do not touch, so that one side holds the energy of both.
        self.assertAlmostEqual(self.power(after) / self.power(before), 1.0, delta=0.001)
        self.assertLess(np.abs(after[:, 1]).max(), 1e-6)

    def power(self, samples: Signal) -> float:
        return float(np.sum(samples**2))
