"""Ducks through the page: made, drawn, put on others, left out for a while, and found in the printed file."""

import re

import numpy as np
from playwright.sync_api import Locator, expect

from gemischt.core.session.duck_curves import open_at
from gemischt.core.session.ducks import CurveNode
from tests.browser.browser import OwnFilesCase
from tests.support.signals import RATE_HZ, Signal, sine

HITS_S = (0.5, 1.5, 2.5)


def drum(length_s: float) -> Signal:
    """Short bursts that are silent in the mix: only their hits are wanted."""
    wave = np.zeros((2, round(length_s * RATE_HZ)))
    for at_s in HITS_S:
        at = round(at_s * RATE_HZ)
        wave[:, at : at + 2400] = sine(200.0, -6.0, 0.05, phase_deg=90.0)
    return wave


class DuckTest(OwnFilesCase):
    def setUp(self) -> None:
        super().setUp()
        self.bring_in(Bass=sine(1000.0, -6.0, 4.0), Pad=sine(500.0, -60.0, 4.0), Drum=drum(4.0))
        self.edit(type="set-output", strips=["drum"], output=None)
        self.page.keyboard.press("4")

    def answer(self, *words: str) -> None:
        for word in words:
            self.page.get_by_role("dialog").get_by_role("button", name=word).click()

    def choose(self, target: str, trigger: str) -> Locator:
        """The panel of a new sentence with both chosen."""
        self.page.get_by_role("button", name="New sentence").click()
        panel = self.page.get_by_role("dialog")
        panel.get_by_role("group", name="Makes room").get_by_role("radio", name=target).check()
        panel.get_by_role("group", name="For").get_by_role("radio", name=trigger).check()
        return panel

    def make(self, target: str, trigger: str, way: str) -> Locator:
        """A new sentence; its row."""
        panel = self.choose(target, trigger)
        panel.get_by_role("button", name=way).last.click()
        expect(panel).to_have_count(0)
        row = self.page.get_by_role("table", name="What makes room for what").get_by_role("row").last
        expect(row).to_contain_text(target)
        return row

    def alone(self, strip: str) -> Signal:
        """The print with the other strips playing nowhere."""
        others = [other for other in ("bass", "pad", "keys") if other != strip]
        self.edit(type="set-output", strips=others, output=None)
        samples = self.printed()
        self.edit(type="set-output", strips=others, output="mix")
        return samples

    def level_db(self, samples: Signal, at_s: float, within_s: float = 0.01) -> float:
        part = samples[round(at_s * RATE_HZ) : round((at_s + within_s) * RATE_HZ), 0]
        return float(20 * np.log10(np.sqrt(2.0) * np.sqrt(np.mean(part**2))))

    def test_a_drawn_duck_is_made_set_measured_and_printed_as_its_curve_says(self) -> None:
        page = self.page
        expect(page.get_by_text("Nothing makes room for anything yet.")).to_be_visible()
        row = self.make("Bass", "Drum", "A drawn curve, started by each hit")
        expect(row).to_contain_text("Bass follows the curve After Drum, restarted by")
        side = page.get_by_role("complementary", name="The chosen sentence")
        depth = side.get_by_role("spinbutton", name="Depth on Bass")
        self.type_into(depth, "-20")
        expect(depth).to_have_text("−20.0 dB")
        page.get_by_role("radio", name="song").click()
        measured = side.get_by_role("region", name="Measured")
        expect(measured).to_contain_text("deepest−20.0 dB")
        expect(measured).to_contain_text("Back")

        # A node by keyboard, which is one edit that has its name.
        node = page.get_by_role("button", name="Node 3 of 4")
        node.focus()
        page.keyboard.press("ArrowLeft")
        expect(page.get_by_test_id("last-edit")).to_have_text("After Drum: node 3 at 78 %, 100 % open")

        document = self.server.document(self.session_id)
        curve = [CurveNode.model_validate(node) for node in document["ducks"][0]["curve"]]
        # A session's first tempo is 120 bpm: a quarter is half a second.
        samples = self.printed()
        for hit_s in HITS_S:
            for later_s in (0.05, 0.15, 0.3, 0.45):
                opened = open_at(curve, (later_s + 0.005) / 0.5)
                wanted_db = -6.0 - 20.0 * (1.0 - opened)
                self.assertAlmostEqual(self.level_db(samples, hit_s + later_s), wanted_db, delta=0.15)
        self.assertAlmostEqual(self.level_db(samples, 0.2), -6.0, delta=0.01)

        # Switched off it is not in the print; undo brings it back.
        page.keyboard.press("4")
        row.get_by_role("checkbox").click()
        expect(row.get_by_role("checkbox")).not_to_be_checked()
        self.assertAlmostEqual(self.level_db(self.printed(), 0.55), -6.0, delta=0.01)
        page.keyboard.press("Control+z")
        page.keyboard.press("4")
        expect(row.get_by_role("checkbox")).to_be_checked()

    def test_a_keyed_compressor_is_made_from_a_preset_and_put_on_another_strip(self) -> None:
        page = self.page
        row = self.make("Bass", "Drum", "Duck hard")
        expect(row).to_contain_text("Bass makes room for")
        expect(row.get_by_role("combobox", name="Trigger")).to_have_value("drum")
        expect(row).to_contain_text("endless")
        side = page.get_by_role("complementary", name="The chosen sentence")
        page.get_by_role("radio", name="song").click()
        # Endless over -30 dB: a burst of -6 dBFS asks for 24 dB.
        expect(side.get_by_role("region", name="Measured")).to_contain_text("deepest−24.0 dB")
        side.get_by_role("button", name="Put on another target").click()
        self.answer("Pad")
        table = page.get_by_role("table", name="What makes room for what")
        expect(table.get_by_role("row")).to_have_count(2)
        expect(table).to_contain_text(re.compile("Pad makes room for"))
        # All that are listed are switched by one edit.
        page.get_by_role("checkbox", name="all of them on").click()
        expect(table.get_by_role("checkbox", checked=False)).to_have_count(2)
        page.keyboard.press("Control+z")
        expect(table.get_by_role("checkbox", checked=True)).to_have_count(2)
        # The release can be set in the sentence itself.
        release = table.get_by_role("spinbutton", name="Release of the sentence").first
        self.type_into(release, "200")
        expect(release).to_have_text("200 ms")
        # Heard without, equally loud, nothing is edited; deleted, the sentence is gone.
        page.get_by_role("button", name="with / without").click()
        bar = page.get_by_role("region", name="Comparison")
        # What is turned down by 24 dB for 50 ms of each second is heard that much softer without.
        expect(bar).to_contain_text(re.compile("without ducking is heard −[0-9.]+ dB"))
        page.keyboard.press("x")
        page.get_by_role("button", name="with / without").click()
        expect(bar).to_have_count(0)
        side.get_by_role("button", name="Delete").click()
        expect(table.get_by_role("row")).to_have_count(1)
        page.keyboard.press("Control+z")
        expect(table.get_by_role("row")).to_have_count(2)

    def test_only_the_lows_make_room_and_a_crossover_is_set_by_hand(self) -> None:
        page = self.page
        row = self.make("Bass", "Drum", "Only the lows")
        expect(row).to_contain_text("Bass makes room for")
        expect(row).to_contain_text("below 100 Hz")
        page.keyboard.press("2")
        page.get_by_role("row", name="Bass", exact=True).get_by_role("button").first.click()
        # The bass's one tone lies above the crossover: nothing of it is turned down.
        self.assertAlmostEqual(self.level_db(self.printed(), 0.51), -6.0, delta=0.05)
        crossover = page.get_by_role("spinbutton", name="Crossover 1 of Bands")
        self.type_into(crossover, "8000")
        expect(page.get_by_test_id("last-edit")).to_have_text(re.compile("Bass Bands crossover 8"))
        # A burst of -6 dBFS, 24 dB over the threshold at 4:1, asks for 18 dB.
        self.assertAlmostEqual(self.level_db(self.printed(), 0.53), -24.0, delta=0.3)
        page.get_by_role("button", name="Split a band of Bands").click()
        page.get_by_role("menuitem", name="Split Lows").click()
        expect(page.get_by_role("group", name="Lane Upper lows")).to_be_visible()
        expect(page.get_by_role("menu")).to_have_count(0)
        page.keyboard.press("4")
        table = page.get_by_role("table", name="What makes room for what")
        expect(table.get_by_role("row")).to_have_count(2)
        expect(table).to_contain_text("below 400 Hz")

    def test_one_band_is_proposed_where_both_meet_and_dips_there(self) -> None:
        page = self.page
        self.edit(type="set-strips", changes=[{"strip": "bass", "fader_db": -10.0}])
        voice = np.concatenate([sine(1010.0, -12.0, 2.0), np.zeros((2, 2 * RATE_HZ))], axis=1)
        page.keyboard.press("2")
        self.bring_in(Voice=voice)
        page.keyboard.press("4")
        panel = self.choose("Bass", "Voice")
        proposal = panel.get_by_role("status", name="Proposal")
        expect(proposal).to_contain_text("They meet around 1 kHz")
        proposal.get_by_role("button", name="One band").click()
        row = page.get_by_role("table", name="What makes room for what").get_by_role("row").last
        expect(row).to_contain_text("Bass makes room for")
        expect(row).to_contain_text("around")
        goes_to = row.get_by_role("spinbutton", name="Goes to of the sentence")
        self.type_into(goes_to, "-10")
        expect(goes_to).to_have_text("−10.0 dB")
        side = page.get_by_role("complementary", name="The chosen sentence")
        page.get_by_role("radio", name="song").click()
        expect(side.get_by_role("region", name="Measured")).to_contain_text(re.compile("moved by at most−(9|10)"))
        self.edit(type="set-output", strips=["voice"], output=None)
        samples = self.printed()
        # All the way down while the voice sounds, and as it was behind it: -6 dBFS through a fader of -10 dB.
        self.assertAlmostEqual(self.level_db(samples, 1.0, 0.2), -26.0, delta=0.6)
        self.assertAlmostEqual(self.level_db(samples, 3.5, 0.2), -16.0, delta=0.1)

    def test_one_curve_serves_three_targets_at_depths_of_their_own_and_is_left_out_for_a_bar(self) -> None:
        page = self.page
        page.keyboard.press("2")
        self.bring_in(Keys=sine(4000.0, -30.0, 4.0))
        page.keyboard.press("4")
        self.make("Bass", "Drum", "A drawn curve on the beat")
        side = page.get_by_role("complementary", name="The chosen sentence")
        for name in ("Pad", "Keys"):
            side.get_by_role("button", name="Put on another target").click()
            self.answer(name)
        for name, depth_db in (("Bass", "-12"), ("Pad", "-6"), ("Keys", "-20")):
            depth = side.get_by_role("spinbutton", name=f"Depth on {name}")
            self.type_into(depth, depth_db)
            expect(depth).to_have_text(f"{depth_db.replace('-', '−')}.0 dB")
        # A bar lasts two seconds.
        stretch = {"from_s": 2.0, "to_s": 4.0}
        self.server.edit(
            self.session_id,
            {"type": "only-in", "target": "ducks/on-the-beat/on", "stretches": [stretch], "left_out": True},
        )
        row = page.get_by_role("table", name="What makes room for what").get_by_role("row").last
        expect(row).to_contain_text("not in bar 2")
        before = {name: self.alone(name) for name in ("bass", "pad", "keys")}
        for name, depth_db, level_db in (("bass", -12.0, -6.0), ("pad", -6.0, -60.0), ("keys", -20.0, -30.0)):
            with self.subTest(name):
                deepest = min(self.level_db(before[name], 1.0 + at_s, 0.005) for at_s in (0.005, 0.01, 0.02))
                self.assertAlmostEqual(deepest - level_db, depth_db, delta=0.6)
                self.assertAlmostEqual(self.level_db(before[name], 3.005) - level_db, 0.0, delta=0.1)

    def test_a_reverb_makes_room_for_what_feeds_it(self) -> None:
        page = self.page
        add = {"type": "add-strip", "kind": "return", "name": "Hall"}
        self.edit(**add)
        reverb = {"type": "add-processor", "strip": "hall", "processor": "reverb", "params": {"decay_s": 1.0}}
        self.edit(**reverb)
        self.edit(type="add-send", strips=["drum"], to="hall", level_db=0.0)
        for strip in ("bass", "pad"):
            self.edit(type="set-output", strips=[strip], output=None)
        free = self.printed()
        page.keyboard.press("4")
        row = self.make("Hall", "what feeds it", "Duck hard")
        expect(row).to_contain_text("Hall makes room for")
        expect(row.get_by_role("combobox", name="Trigger").locator("option:checked")).to_have_text("what feeds it")
        expect(row).to_contain_text("after its Reverb")
        ducked = self.printed()
        # While the drum sounds the hall is down; between the hits it blooms as it did.
        during = self.level_db(ducked, 0.53, 0.02) - self.level_db(free, 0.53, 0.02)
        after = self.level_db(ducked, 1.1, 0.1) - self.level_db(free, 1.1, 0.1)
        self.assertLess(during, -15.0)
        self.assertAlmostEqual(after, 0.0, delta=0.5)
        # The return's sheet has a switch for it.
        page.get_by_role("row", name="Hall", exact=True).get_by_role("button").first.click()
        switch = page.get_by_role("button", name="ducked by what feeds it")
        expect(switch).to_have_attribute("aria-pressed", "true")
        switch.click()
        expect(page.get_by_test_id("last-edit")).to_have_text("Hall: Compressor removed")
        np.testing.assert_allclose(self.printed(), free, atol=1e-9)
        switch.click()
        expect(page.get_by_test_id("last-edit")).to_contain_text("Hall makes room for what feeds it")
        expect(switch).to_have_attribute("aria-pressed", "true")
        again = self.printed()
        self.assertLess(self.level_db(again, 0.53, 0.02) - self.level_db(free, 0.53, 0.02), -6.0)

    def test_a_drawn_duck_is_dragged_before_an_effect(self) -> None:
        page = self.page
        gain = {"type": "add-processor", "strip": "bass", "processor": "saturator", "params": {}}
        self.edit(**gain)
        self.make("Bass", "Drum", "A drawn curve on the beat")
        page.keyboard.press("2")
        page.get_by_role("row", name="Bass", exact=True).get_by_role("button").first.click()
        duck = page.get_by_role("group", name="Duck On the beat, after its chain")
        duck.drag_to(page.get_by_role("region", name="Saturator of Bass"))
        expect(page.get_by_role("group", name="Duck On the beat, before this")).to_be_visible()
        self.assertEqual(self.server.document(self.session_id)["ducks"][0]["targets"][0]["before"], "saturator")
        page.keyboard.press("4")
        expect(page.get_by_role("table", name="What makes room for what")).to_contain_text("before its Saturator")

    def test_a_ghost_is_made_clicks_on_what_was_played_and_is_never_heard(self) -> None:
        page = self.page
        notes = [{"at_s": at_s, "pitch": 36, "velocity": 1.0} for at_s in HITS_S]
        self.edit(type="add-notes", name="Pads", notes=notes)
        page.get_by_role("button", name="New ghost").click()
        page.get_by_role("textbox").fill("Tick")
        page.keyboard.press("Enter")
        expect(page.get_by_test_id("last-edit")).to_have_text("New ghost Tick")
        self.make("Bass", "Tick", "Duck hard")
        side = page.get_by_role("complementary", name="The chosen sentence")
        expect(side.get_by_role("button", name="Step 1 of 1: loud")).to_be_visible()
        side.get_by_role("combobox", name="Tick clicks").select_option("clicks on Pads, 3 notes")
        expect(page.get_by_test_id("last-edit")).to_have_text(re.compile("Tick: "))
        samples = self.printed()
        # The click of -6 dBFS asks endlessly for all above -30 dB; between the notes nothing is turned down.
        for at_s in HITS_S:
            self.assertLess(self.level_db(samples, at_s + 0.001, 0.004), -25.0)
            self.assertAlmostEqual(self.level_db(samples, at_s + 0.6), -6.0, delta=0.05)

    def test_a_duck_counts_only_in_its_section_and_a_level_moves_a_fader(self) -> None:
        page = self.page
        self.edit(type="add-section", name="Fill", start_s=2.0, end_s=4.0)
        row = self.make("Bass", "Drum", "A drawn curve on the beat")
        side = page.get_by_role("complementary", name="The chosen sentence")
        side.get_by_role("button", name="Only in Fill").click()
        expect(row).to_contain_text("only in Fill")
        expect(page.get_by_test_id("last-edit")).to_have_text("On the beat on: only in Fill")
        samples = self.printed()
        self.assertAlmostEqual(self.level_db(samples, 1.06), -6.0, delta=0.05)
        self.assertLess(self.level_db(samples, 2.56), -12.0)

        # The menu of a control lets the level of a strip move it.
        page.get_by_role("spinbutton", name="Pad: fader level").click(button="right")
        self.answer("Let the level of a strip move it", "Drum")
        page.get_by_role("textbox", name="Name").fill("-20")
        page.keyboard.press("Enter")
        row = page.get_by_role("table", name="What makes room for what").get_by_role("row").last
        expect(row).to_contain_text("Pad fader goes to −20.0 dB with")
        row.click()
        expect(side.get_by_role("region", name="Moves")).to_contain_text("Pad fader")
        page.get_by_role("radio", name="song").click()
        expect(side.get_by_role("region", name="Measured")).to_contain_text("of the way")
