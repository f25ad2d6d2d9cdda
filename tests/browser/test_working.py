"""Working on several strips at once, by keys and menus, on narrow and wide screens; nothing stale can be applied."""

import re

from playwright.sync_api import expect

from tests.browser.browser import VIEWPORT, BrowserCase, OwnFilesCase
from tests.support.signals import sine

SELECTED = "[...document.querySelectorAll('[role=row][aria-selected=true]')].map((row) => row.ariaLabel)"
CUT = """() => [...document.querySelectorAll('[role=row], [role=main] button, header *')]
    .filter((item) => item.scrollWidth > item.clientWidth + 1 && getComputedStyle(item).overflow !== 'visible'
        && !item.closest('[role=row] button'))
    .map((item) => item.ariaLabel ?? item.textContent)"""
NAMES = """() => [...document.querySelectorAll('[role=table] [role=row] button span:nth-of-type(1)')]
    .filter((name) => name.textContent.length >= 4)
    .map((name) => [name.textContent, name.clientWidth, name.scrollWidth])"""


class SelectionTest(BrowserCase):
    def press(self, name: str, *modifiers: str) -> None:
        row = self.page.get_by_role("row", name=name, exact=True)
        row.get_by_role("button", name=re.compile(f"^{name}")).first.click(modifiers=list(modifiers))  # type: ignore[arg-type]

    def selected(self) -> list[str]:
        names: list[str] = self.page.evaluate(SELECTED)
        return names

    def test_shift_takes_the_rows_between_and_control_one(self) -> None:
        page = self.open()
        self.press("Frame drum")
        self.press("Low tom", "Shift")
        between = ["Frame drum", "Frame drum far", "Floor drum", "Toms", "Low tom"]
        self.assertEqual(self.selected(), between)
        self.press("Floor drum", "Shift")
        self.assertEqual(self.selected(), between[:3])
        self.press("Frame drum far", "Control")
        self.assertEqual(self.selected(), ["Frame drum", "Floor drum"])
        self.press("Hand claps")
        page.keyboard.press("Shift+ArrowDown")
        page.keyboard.press("Shift+ArrowDown")
        self.assertEqual(self.selected(), ["Hand claps", "Shaker", "Upright bass"])
        page.keyboard.press("Shift+ArrowUp")
        self.assertEqual(self.selected(), ["Hand claps", "Shaker"])
        page.keyboard.press("Control+a")
        self.assertEqual(len(self.selected()), page.get_by_role("row").count())

    def test_all_that_is_moved_moves_on_screen_and_stays_selected(self) -> None:
        page = self.open(only={"hand-claps", "shaker"})
        self.press("Hand claps")
        self.press("Shaker", "Shift")
        other = page.get_by_role("spinbutton", name="Shaker: fader level")
        expect(other).to_have_text("−11.0")
        box = page.get_by_role("slider", name="Hand claps: fader", exact=True).bounding_box()
        assert box is not None
        x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
        page.mouse.move(x, y)
        page.mouse.down()
        page.mouse.move(x - 20, y, steps=4)
        expect(other).not_to_have_text("−11.0")
        page.keyboard.press("Escape")
        expect(other).to_have_text("−11.0")
        page.mouse.up()
        field = page.get_by_role("spinbutton", name="Hand claps: fader level")
        field.click()
        page.keyboard.type("-20")
        page.keyboard.press("Enter")
        expect(other).to_have_text("−23.0")
        self.assertEqual(self.selected(), ["Hand claps", "Shaker"])


class KeysTest(BrowserCase):
    def history(self) -> list[str]:
        return [entry["name"] for entry in self.server.get(f"/api/sessions/{self.session_id}/history")]

    def test_quick_steps_of_a_key_lose_none_and_are_one_edit(self) -> None:
        page = self.open(only={"accordion"})
        level = page.get_by_role("spinbutton", name="Accordion: fader level")
        expect(level).to_have_text("−7.0")
        level.focus()
        for _ in range(7):
            page.keyboard.press("ArrowUp")
        expect(level).to_have_text("−3.5")
        expect(page.get_by_test_id("last-edit")).to_have_text("Accordion: fader -3.5 dB")
        self.assertEqual(self.history(), ["Accordion: fader -3.5 dB"])
        # Undo right behind a key takes that back, not what was before.
        page.keyboard.press("ArrowDown")
        page.keyboard.press("Control+z")
        expect(level).to_have_text("−3.5")
        page.keyboard.press("Control+z")
        expect(level).to_have_text("−7.0")

    def test_quick_steps_on_a_clip_and_a_band_are_one_edit_each(self) -> None:
        page = self.open(only={"glass-marimba", "floor-drum"})
        page.keyboard.press("1")
        page.get_by_role("button", name="Glass marimba: clip 1").focus()
        for _ in range(5):
            page.keyboard.press("ArrowRight")
        expect(page.get_by_test_id("last-edit")).to_have_text("Glass marimba: clip moved")
        strips = {strip["id"]: strip for strip in self.server.document(self.session_id)["strips"]}
        # Five eighths of 6/8 with the dotted quarter at 96.
        self.assertAlmostEqual(strips["glass-marimba"]["clips"][0]["start_s"], 5 * 60 / 96 / 3, places=6)
        page.keyboard.press("2")
        page.get_by_role("row", name="Floor drum", exact=True).get_by_role("button").first.click()
        gain = page.get_by_role("spinbutton", name="Band 1 gain")
        gain_db = float(gain.inner_text())
        page.get_by_role("slider", name="Band 1: bell").focus()
        for _ in range(4):
            page.keyboard.press("ArrowUp")
        expect(gain).to_have_text(f"{gain_db + 2:.1f}")
        expect(page.get_by_test_id("last-edit")).to_contain_text("Floor drum")
        self.assertEqual(len(self.history()), 2)

    def test_a_fader_goes_on_by_key_where_its_scale_ends(self) -> None:
        page = self.open(only={"accordion"})
        level = page.get_by_role("spinbutton", name="Accordion: fader level")
        self.type_into(level, "18")
        expect(level).to_have_text("18.0")
        # The slider goes on from what the session has answered.
        expect(page.get_by_test_id("last-edit")).to_have_text("Accordion: fader +18.0 dB")
        page.get_by_role("slider", name="Accordion: fader", exact=True).focus()
        page.keyboard.press("ArrowRight")
        expect(level).to_have_text("18.5")

    def test_a_menu_does_nothing_before_something_is_chosen(self) -> None:
        page = self.open(only={"accordion"})
        page.get_by_role("button", name="Add to the chain: + more", exact=True).focus()
        page.keyboard.press("Enter")
        expect(page.get_by_role("menuitem", name="EQ", exact=True)).to_be_visible()
        for _ in range(3):
            page.keyboard.press("ArrowDown")
        page.keyboard.press("Escape")
        expect(page.get_by_role("menuitem")).to_have_count(0)
        self.assertEqual(self.history(), [])
        page.get_by_role("button", name="Add to the chain: + more", exact=True).press("Enter")
        expect(page.locator("[role=menuitem][data-highlighted]")).to_have_text("EQ")
        page.keyboard.type("gai")
        expect(page.locator("[role=menuitem][data-highlighted]")).to_have_text("Gain")
        page.keyboard.press("Enter")
        expect(page.get_by_test_id("last-edit")).to_contain_text("Gain")

    def test_sections_and_the_song_line_go_where_they_are_pressed(self) -> None:
        page = self.open(only={"accordion"})
        page.get_by_role("button", name="Verse 2").click()
        self.until("() => Math.abs(gemischtLive.positionS() - 30) < 0.5")
        self.assertIsNotNone(page.evaluate("gemischtLive.transport.get().loopS"))
        page.get_by_role("button", name="Verse 1").click(modifiers=["Alt"])
        self.until("() => gemischtLive.transport.get().loopS[0] < 10")
        self.assertGreater(page.evaluate("gemischtLive.positionS()"), 25.0)
        page.keyboard.press("l")
        line = page.get_by_role("slider", name="Place in the song")
        box = line.bounding_box()
        assert box is not None
        line.dblclick(position={"x": box["width"] / 2, "y": 50})
        self.until("() => gemischtLive.transport.get().playing && gemischtLive.positionS() > 39")
        page.keyboard.press("Space")


class WidthsTest(BrowserCase):
    def test_narrow_screens_cut_nothing_and_wide_ones_give_meters_room(self) -> None:
        page = self.open()
        self.addCleanup(page.set_viewport_size, VIEWPORT)  # type: ignore[arg-type]
        meters = {}
        for width in (1180, 1280, 1920):
            page.set_viewport_size({"width": width, "height": 800})
            page.wait_for_function("(width) => innerWidth === width", arg=width)
            heads = page.get_by_text("−42", exact=True).first
            heads.wait_for()
            with self.subTest(width=width):
                self.assertEqual(page.evaluate(CUT), [])
                self.assertEqual(page.evaluate("document.documentElement.scrollWidth"), width)
                for name, shown_px, whole_px in page.evaluate(NAMES):
                    # Twelve characters, or the whole name.
                    self.assertTrue(shown_px >= whole_px or shown_px >= 12 * whole_px / len(name), name)
            box = page.get_by_role("slider", name="Accordion: fader", exact=True).bounding_box()
            assert box is not None
            meters[width] = box["width"]
        self.assertGreater(meters[1920], 1.5 * meters[1280])


class EvidenceTest(OwnFilesCase):
    def test_what_was_found_before_an_edit_cannot_be_applied_again(self) -> None:
        page = self.page
        self.bring_in(Loud=sine(300, -3.0, 2.0), Soft=sine(200, -18.0, 2.0))
        page.get_by_role("row", name="Loud", exact=True).get_by_role("button").first.click()
        found = page.get_by_role("list", name="Findings on this strip")
        cure = found.get_by_role("button", name=re.compile("^Trim"))
        expect(cure).to_be_enabled(timeout=30000)
        page.evaluate(
            """() => {
                window.seen = [];
                const watch = () => {
                    const button = document.querySelector('[aria-label="Findings on this strip"] button');
                    if (button) window.seen.push([button.disabled, button.closest('li').textContent]);
                    requestAnimationFrame(watch);
                };
                watch();
            }"""
        )
        cure.click()
        expect(page.get_by_role("spinbutton", name="Loud: trim")).to_have_text("−15.0")
        expect(found).to_have_count(0)
        seen = page.evaluate("window.seen")
        after = [words for disabled, words in seen if disabled]
        self.assertTrue(after)
        self.assertTrue(all("being examined anew" in words for words in after))
        trims = [entry["name"] for entry in self.server.get(f"/api/sessions/{self.session_id}/history")]
        self.assertEqual(len([name for name in trims if "trim" in name]), 1)
