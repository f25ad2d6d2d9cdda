"""What an independent checker of WCAG says of every station, in both themes: nothing serious or critical."""

import re
from pathlib import Path
from typing import Any

from playwright.sync_api import Page

from tests.browser.browser import BrowserCase

CHECKER = Path(__file__).parents[2] / "web" / "node_modules" / "axe-core" / "axe.min.js"
RUN = """() => axe.run(document, { resultTypes: ['violations'] }).then((found) => found.violations
    .filter((violation) => ['serious', 'critical'].includes(violation.impact))
    .map((violation) => ({
        rule: violation.id, help: violation.help,
        nodes: violation.nodes.slice(0, 4).map((node) => [node.html.slice(0, 160), node.failureSummary.slice(0, 200)]),
    })))"""
STATIONS = ("1", "2", "3", "4", "5", "6")


class AccessibilityTest(BrowserCase):
    def assert_passes(self, page: Page, place: str) -> None:
        page.evaluate(CHECKER.read_text())
        found: list[dict[str, Any]] = page.evaluate(RUN)
        told = "\n".join(f"{item['rule']}: {item['help']} {item['nodes']}" for item in found)
        self.assertEqual(found, [], f"{place}:\n{told}")

    def open_small(self) -> Page:
        """The demo's first strips with all that hangs on them: a page of forty rows says no more, and takes longer."""
        return self.open(only={"frame-drum", "floor-drum", "upright-bass", "lead-voice", "drums", "voices", "hall"})

    def wait_for_dialog(self) -> None:
        """What is still fading in has no contrast yet."""
        self.until("() => getComputedStyle(document.querySelector('[role=dialog]') ?? document.body).opacity === '1'")
        self.until("() => document.querySelector('[role=dialog]')?.getAnimations({ subtree: true }).length === 0")

    def test_every_station(self) -> None:
        page = self.open_small()
        for station in STATIONS:
            page.keyboard.press(station)
            page.get_by_role("main").wait_for()
            with self.subTest(station=station):
                self.assert_passes(page, f"station {station}")

    def test_the_other_theme_the_ladder_and_what_opens_over_a_station(self) -> None:
        page = self.open_small()
        page.keyboard.press("n")
        with self.subTest("night"):
            self.assert_passes(page, "night")
        page.get_by_role("radio", name="gain ladder").click()
        page.locator("[data-cell]").first.wait_for()
        with self.subTest("ladder"):
            self.assert_passes(page, "gain ladder")
        page.get_by_role("radio", name="rows").click()
        page.get_by_role("spinbutton", name="Lead voice: trim").first.focus()
        page.keyboard.press("v")
        page.get_by_role("group", name="Lead voice trim over the song").wait_for()
        with self.subTest("moves"):
            self.assert_passes(page, "moves")
        page.keyboard.press("v")
        for key, name in (("Control+k", "finder"), ("Shift+?", "keys"), ("t", "tempo")):
            page.keyboard.press(key)
            self.wait_for_dialog()
            with self.subTest(name):
                self.assert_passes(page, name)
            page.keyboard.press("Escape")

    def test_the_sessions_and_the_findings(self) -> None:
        page = self.open("Low Tide (as recorded)")
        page.get_by_role("button", name=re.compile(r"^Findings [1-9]")).click()
        self.wait_for_dialog()
        with self.subTest("findings"):
            self.assert_passes(page, "findings")
        page.goto(self.server.address)
        page.get_by_role("link").first.wait_for()
        with self.subTest("sessions"):
            self.assert_passes(page, "sessions")
