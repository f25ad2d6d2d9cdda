"""Retakes docs/screenshots from the demo song. Run by `make screenshots`."""

import re
import tempfile
from collections.abc import Callable
from pathlib import Path

from playwright.sync_api import Page

from tests.browser.browser import LONGEST_MS, MIXED, VIEWPORT, Server, shared_browser

FOLDER = Path(__file__).resolve().parents[2] / "docs" / "screenshots"
RECORDED = "Low Tide (as recorded)"
ROUND = "Low Tide (in the round)"
PLACE_S = 27.0


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        server = Server(Path(folder))
        page = shared_browser().new_page(viewport=VIEWPORT)  # type: ignore[arg-type]
        page.set_default_timeout(3 * LONGEST_MS)
        take(page, server)
        server.stop()


def take(page: Page, server: Server) -> None:
    def shot(name: str) -> None:
        page.screenshot(path=FOLDER / f"{name}.png")

    page.goto(server.address)
    page.goto(f"{server.address}/session/{server.session_id(MIXED)}")
    page.get_by_role("row", name="Lead voice", exact=True).get_by_role("button").first.click()
    page.get_by_role("button", name=re.compile(r"^Findings \d")).wait_for()
    page.get_by_role("button", name="Refrain 1").click()
    page.get_by_role("button", name="Play", exact=True).click()
    page.evaluate(f"gemischtLive.seek({PLACE_S - 4})")
    page.wait_for_timeout(4000)
    shot("level")
    page.keyboard.press("n")
    page.wait_for_timeout(1500)
    shot("level-night")
    page.keyboard.press("n")
    page.get_by_role("row", name="Nylon guitar", exact=True).get_by_role("button").first.click()
    page.wait_for_timeout(3500)
    shot("keyed-compressor")
    page.keyboard.press("3")
    page.get_by_role("button", name="Lead voice, track").click()
    page.wait_for_timeout(9000)
    shot("route")
    page.keyboard.press("4")
    sentences = page.get_by_role("table", name="What makes room for what").get_by_role("row")
    sentences.filter(has_text="around").click(position={"x": 760, "y": 15})
    sentences.filter(has_text="around").get_by_role("button", name="Strings").click()
    page.wait_for_timeout(8000)
    shot("duck")
    page.keyboard.press("n")
    sentences.filter(has_text="follow the curve").click(position={"x": 760, "y": 15})
    page.wait_for_timeout(6000)
    shot("duck-drawn")
    page.keyboard.press("n")
    page.keyboard.press("5")
    page.get_by_role("region", name="How wide is the sound").wait_for()
    page.wait_for_timeout(2500)
    shot("place")
    page.keyboard.press("n")
    page.wait_for_timeout(1500)
    shot("place-night")
    page.keyboard.press("n")
    page.keyboard.press("Space")
    page.keyboard.press("1")
    page.wait_for_timeout(1500)
    shot("tidy")
    page.keyboard.press("2")
    page.get_by_role("row", name="Drums", exact=True).get_by_role("button", name=re.compile("^Drums")).click()
    page.get_by_test_id("lanes-sum").filter(has_text="add").wait_for()
    shot("lanes")
    page.get_by_role("radio", name="gain ladder").click()
    page.locator("[data-cell]").nth(100).wait_for()
    page.wait_for_timeout(1500)
    shot("ladder")
    prints(page, shot)
    page.keyboard.press("2")
    page.get_by_role("radio", name="rows").click()
    page.get_by_role("row", name="Lead voice", exact=True).get_by_role("button").first.click()
    page.keyboard.press("v")
    page.get_by_text("4 over the song line’s time").wait_for()
    page.get_by_role("button", name=re.compile(r"^Findings \d")).wait_for()
    page.get_by_role("button", name="Refrain 1").click()
    page.keyboard.press("Space")
    page.wait_for_timeout(4000)
    shot("moves")
    page.goto(f"{server.address}/controller")
    page.get_by_role("slider", name="Fader 8").wait_for()
    shot("controller")
    page.goto(f"{server.address}/session/{server.session_id(RECORDED)}")
    page.get_by_role("button", name=re.compile("^Finding 1:")).wait_for()
    page.keyboard.press("p")
    page.wait_for_timeout(500)
    shot("findings")
    bands(page, server)
    shot("bands")
    height(page, server)
    shot("height")
    page.goto(server.address)
    page.get_by_role("row", name=MIXED, exact=True).focus()
    for name in (ROUND, RECORDED, MIXED):
        page.get_by_role("row", name=name, exact=True).get_by_text("1:2").wait_for()
    shot("start")


def bands(page: Page, server: Server) -> None:
    """The bass, whose lows make room."""
    page.goto(f"{server.address}/session/{server.session_id(MIXED)}")
    page.get_by_role("row", name="Upright bass", exact=True).get_by_role("button").first.click()
    page.get_by_test_id("lanes-sum").filter(has_text="add").wait_for()
    page.get_by_role("group", name="Lane Lows").get_by_role("button").first.click()
    page.get_by_role("button", name="Refrain 1").click()
    page.keyboard.press("Space")
    page.get_by_test_id("lanes-sum").scroll_into_view_if_needed()
    page.wait_for_timeout(4000)


def prints(page: Page, shot: Callable[[str], None]) -> None:
    """A list while it is printed, and afterwards."""
    page.get_by_role("radio", name="rows").click()
    page.get_by_role("row", name="Lead voice", exact=True).get_by_role("button").first.click()
    page.keyboard.press("6")
    page.get_by_role("button", name="Begin with the mix").click()
    page.get_by_label("Meant for").select_option("td1008-track")
    for item in ("Every stem", "Every return alone", "Lead voice, before its chain", "Reverse the Hall of Lead voice"):
        page.get_by_role("button", name="Add to the list").click()
        page.get_by_role("menuitem", name=item).click()
        page.wait_for_timeout(500)
    page.get_by_role("button", name="Print all").click()
    page.get_by_label("printed", exact=True).nth(1).wait_for()
    shot("printing")
    page.get_by_label("printed", exact=True).nth(4).wait_for()
    page.locator("[data-print]").first.click(position={"x": 4, "y": 4})
    page.wait_for_timeout(1500)
    shot("print")


def height(page: Page, server: Server) -> None:
    """The bed, from behind."""
    page.goto(f"{server.address}/session/{server.session_id(ROUND)}")
    page.get_by_role("row", name="Lead voice", exact=True).get_by_role("button").first.click()
    page.keyboard.press("5")
    page.get_by_role("radio", name="height").click()
    page.get_by_text(", folded down").wait_for()
    page.get_by_role("button", name="Play", exact=True).click()
    page.evaluate(f"gemischtLive.seek({PLACE_S - 2})")
    page.wait_for_timeout(4000)


if __name__ == "__main__":
    main()
