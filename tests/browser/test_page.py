"""The page's habits: drags, keys, layout, themes, errors, reconnecting, sessions."""

import re

from playwright.sync_api import Page, Route, expect

from tests.browser.browser import VIEWPORT, BrowserCase, Server, shared_profile


class LayoutTest(BrowserCase):
    def test_nothing_scrolls_sideways_and_nothing_shifts(self) -> None:
        page = self.open()
        self.assertEqual(page.evaluate("document.documentElement.scrollWidth"), VIEWPORT["width"])
        row = page.get_by_role("row", name="Lead voice", exact=True)
        before = row.bounding_box()
        page.get_by_role("button", name="Play", exact=True).click()
        self.until("() => gemischtLive.positionS() > 0.5")
        page.get_by_role("button", name="Stop", exact=True).click()
        self.assertEqual(row.bounding_box(), before)
        for name in ("Upright bass", "Mix"):
            page.get_by_role("row", name=name, exact=True).get_by_role("button").first.click()
            self.assertEqual(row.bounding_box(), before)
        overflowing = page.evaluate(
            """() => [...document.querySelectorAll('[role=row]')]
                .filter((row) => row.scrollWidth > row.clientWidth).map((row) => row.ariaLabel)"""
        )
        self.assertEqual(overflowing, [])

    def test_both_themes(self) -> None:
        page = self.open(only={"accordion"})
        background = "getComputedStyle(document.body).backgroundColor"
        # Of an element that does not say what colour its lines are.
        lines = "getComputedStyle(document.body).borderTopColor"
        self.assertEqual(page.evaluate(background), "rgb(246, 241, 230)")
        self.assertEqual(page.evaluate(lines), "rgb(217, 207, 187)")
        page.keyboard.press("n")
        self.assertEqual(page.evaluate(background), "rgb(25, 23, 34)")
        self.assertEqual(page.evaluate(lines), "rgb(58, 53, 72)")
        page.reload()
        page.get_by_role("row").first.wait_for()
        self.assertEqual(page.evaluate(background), "rgb(25, 23, 34)")

    def test_keys_go_from_station_to_station(self) -> None:
        page = self.open(only={"accordion"})
        page.keyboard.press("5")
        expect(page.get_by_role("table", name="Places")).to_be_visible()
        page.keyboard.press("2")
        expect(page.get_by_role("table", name="Strips")).to_be_visible()


class EditingTest(BrowserCase):
    def test_a_drag_is_heard_is_one_edit_and_escape_takes_it_back(self) -> None:
        page = self.open(only={"accordion"})
        fader = page.get_by_role("slider", name="Accordion: fader", exact=True)
        box = fader.bounding_box()
        assert box is not None
        level = page.get_by_role("spinbutton", name="Accordion: fader level")

        def drag(steps: int) -> None:
            page.mouse.move(box["x"] + 40, box["y"] + 12)
            page.mouse.down()
            for step in range(1, steps + 1):
                page.mouse.move(box["x"] + 40 - 4 * step, box["y"] + 12)

        history = f"/api/sessions/{self.session_id}/history"
        edits = len(self.server.get(history))
        drag(6)
        page.keyboard.press("Escape")
        page.mouse.up()
        expect(level).to_have_text("−7.0")
        self.assertEqual(len(self.server.get(history)), edits)
        drag(6)
        page.mouse.up()
        expect(level).not_to_have_text("−7.0")
        expect(page.get_by_test_id("last-edit")).to_have_text(re.compile("Accordion: fader -"))
        self.assertEqual(len(self.server.get(history)), edits + 1)
        page.get_by_role("button", name="Undo").click()
        expect(level).to_have_text("−7.0")

    def test_everything_by_keyboard(self) -> None:
        page = self.open(only={"nylon-guitar", "accordion", "lead-voice"})
        page.keyboard.press("Control+k")
        page.get_by_role("combobox", name="Find").fill("nylon")
        page.keyboard.press("Enter")
        expect(page.get_by_role("complementary", name="Focus: Nylon guitar")).to_be_visible()
        page.keyboard.press("m")
        expect(page.get_by_test_id("last-edit")).to_have_text("Nylon guitar: mute on")
        page.keyboard.press("Shift+ArrowDown")
        page.keyboard.press("s")
        expect(page.get_by_test_id("last-edit")).to_have_text(re.compile("Nylon guitar and .*: solo on"))
        page.keyboard.press("Control+z")
        page.keyboard.press("Control+z")
        expect(page.get_by_role("button", name="Mute Nylon guitar")).to_have_attribute("aria-pressed", "false")
        page.keyboard.press("Control+Shift+z")
        expect(page.get_by_role("button", name="Mute Nylon guitar")).to_have_attribute("aria-pressed", "true")
        page.keyboard.press("Control+z")
        page.keyboard.press("Space")
        self.until("() => gemischtLive.transport.get().playing")
        page.keyboard.press("Space")
        self.until("() => !gemischtLive.transport.get().playing")
        page.keyboard.press("?")
        expect(page.get_by_role("dialog")).to_contain_text("Focus the strip above")
        page.keyboard.press("Escape")
        expect(page.get_by_role("dialog")).to_have_count(0)

    def test_chain_cards(self) -> None:
        page = self.open(only={"floor-drum"})
        page.get_by_role("row", name="Floor drum", exact=True).get_by_role("button").first.click()
        page.keyboard.press("c")
        expect(page.get_by_role("region", name="Compressor of Floor drum")).to_be_visible()
        threshold = page.get_by_role("spinbutton", name="threshold")
        self.type_into(threshold, "-31 dB")
        expect(threshold).to_have_text("−31.0")
        self.choose(page, "More for Compressor", "Move up")
        expect(page.get_by_test_id("last-edit")).to_have_text("Floor drum: Compressor moved")
        chain = self.server.document(self.session_id)["strips"]
        kinds = [item["type"] for strip in chain if strip["id"] == "floor-drum" for item in strip["chain"]]
        self.assertEqual(kinds, ["compressor", "eq"])
        page.get_by_role("button", name="Bypass Compressor").click()
        expect(page.get_by_role("button", name="Switch Compressor on")).to_be_visible()
        band = page.get_by_role("slider", name="Band 1: bell")
        band.focus()
        page.keyboard.press("ArrowUp")
        expect(page.get_by_role("spinbutton", name="Band 1 gain")).to_have_text("3.0")
        page.get_by_role("button", name="Remove Compressor").click()
        expect(page.get_by_role("region", name="Compressor of Floor drum")).to_have_count(0)

    def test_a_loop_of_routes_is_refused_in_words(self) -> None:
        page = self.open(only={"drums", "toms"})
        page.get_by_label("Drums plays to").select_option(label="Toms")
        expect(page.get_by_role("alert")).to_contain_text("Drums -> Toms -> Drums")
        expect(page.get_by_label("Drums plays to")).to_have_value("mix")
        page.get_by_role("button", name="Dismiss").click()
        self.expect_refusal()


class SongLineTest(BrowserCase):
    def test_click_goes_there_and_a_section_loops(self) -> None:
        page = self.open(only={"accordion"})
        line = page.get_by_role("slider", name="Place in the song")
        box = line.bounding_box()
        assert box is not None
        page.mouse.click(box["x"] + box["width"] / 2, box["y"] + 45)
        expect(page.get_by_test_id("position")).to_have_text(re.compile("0:(39|40)"))
        page.get_by_role("button", name="Refrain 1").click()
        expect(page.get_by_text("loop 17–24")).to_be_visible()
        page.mouse.move(box["x"] + 100, box["y"] + 45)
        page.mouse.down()
        page.mouse.move(box["x"] + 300, box["y"] + 45, steps=5)
        page.mouse.up()
        expect(page.get_by_text(re.compile("loop [67]–(1[67])"))).to_be_visible()
        page.keyboard.press("l")
        expect(page.get_by_text("no loop")).to_be_visible()


class ReconnectTest(BrowserCase):
    def make_server(self) -> Server:
        server = Server(self.folder)
        self.addCleanup(server.stop)
        return server

    def test_a_lost_connection_shows_itself_and_comes_back(self) -> None:
        page = self.open(only={"accordion"})
        page.get_by_role("button", name="Play", exact=True).click()
        page.evaluate("gemischtLive.seek(20)")
        self.until("() => gemischtLive.positionS() > 20.5")
        port = self.server.port
        self.server.process.kill()
        self.server.process.wait()
        expect(page.get_by_text("not connected, trying again")).to_be_visible()
        missed_blocks = page.evaluate("gemischtLive.speaker.missedBlocks")
        self.server.restart(port)
        # Without a connection there is nothing to miss, but for what was on its way: a second would be 375 blocks.
        self.assertLess(page.evaluate("gemischtLive.speaker.missedBlocks") - missed_blocks, 100)
        expect(page.get_by_text("not connected, trying again")).to_have_count(0)
        # It goes on playing where it was, without being asked.
        expect(page.get_by_role("button", name="Stop", exact=True)).to_be_visible()
        at_s = page.evaluate("gemischtLive.positionS()")
        self.assertGreater(at_s, 20.0)
        # The new server gets its kernels ready first.
        page.wait_for_function("(at) => gemischtLive.positionS() > at + 1", arg=at_s)
        self.problems = [problem for problem in self.problems if "WebSocket" not in problem and "ERR_" not in problem]


class MeasuringTest(BrowserCase):
    def make_page(self) -> Page:
        # It answers for the server.
        return shared_profile().new_page()

    def test_what_was_given_up_for_another_page_is_asked_for_again(self) -> None:
        page = self.page
        given_up: list[str] = []
        asked: list[str] = []

        def answer(route: Route) -> None:
            job = route.fetch().json()
            if not given_up and job["title"].startswith("Measure"):
                given_up.append(job["id"])
                job |= {"state": "cancelled", "result": None}
            route.fulfill(json=job)

        page.route(re.compile(r"/api/jobs/[0-9a-f]+\?"), answer)
        page.on("request", lambda request: asked.append(request.url) if "/measurement" in request.url else None)
        self.open(only={"accordion"})
        expect(page.get_by_role("button", name=re.compile(r"^Findings \d"))).to_be_visible()
        self.assertEqual(len(given_up), 1)
        self.assertGreaterEqual(len(asked), 2)


class SessionListTest(BrowserCase):
    def test_create_open_delete_and_put_back(self) -> None:
        page = self.page
        page.goto(self.server.address)
        page.get_by_role("textbox", name="Name of a new session").fill("Neap")
        page.get_by_role("button", name="New session").click()
        expect(page.get_by_text("Drop audio files anywhere")).to_be_visible()
        expect(page).to_have_title("Neap · Gemischt")
        page.get_by_role("button", name="Gemischt", exact=True).click()
        song = page.get_by_role("row", name="Neap", exact=True)
        self.choose(song, "More for Neap", "Move to the bin…")
        song.get_by_role("button", name="Move Neap to the bin").click()
        expect(page.get_by_role("link", name="Neap")).to_have_count(0)
        page.get_by_role("button", name="Bin").click()
        song.get_by_role("button", name="Put back").click()
        page.get_by_role("button", name="Back to the songs").click()
        expect(page.get_by_role("link", name="Neap")).to_be_visible()
