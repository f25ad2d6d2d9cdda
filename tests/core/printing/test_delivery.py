"""Prints held against targets: what holds, what is off, what would reach it; the published values by their clauses."""

import unittest

from gemischt.core.errors import NotFound
from gemischt.core.metering.summary import Summary
from gemischt.core.printing.delivery import PUBLISHED, is_delivered, target_named, target_of, verdict_on
from gemischt.core.session.document import Session, empty_session
from gemischt.core.session.prints import Print, Target


def summary(lufs: float = -23.0, dbtp: float = -6.0, short: float = -20.0, reach_lu: float | None = 5.0) -> Summary:
    return Summary(48000, 2, 60.0, dbtp - 0.2, dbtp, lufs, lufs, short + 1.0, short, reach_lu, 0.9)


def target(name: str) -> Target:
    return next(one for one in PUBLISHED if one.id == name)


class PublishedTest(unittest.TestCase):
    def test_the_values_of_the_documents(self) -> None:
        """EBU R 128: -23.0 LUFS ±0.5, live ±1.0, -1 dBTP; s1: short-term -18 LUFS at most (check values, from memory);
        AES TD1008: -16 and -14 LUFS, speech -18, -1 dBTP (from memory)."""
        values = {one.id: (one.lufs, one.within_lu, one.at_most_dbtp, one.short_term_at_most_lufs) for one in PUBLISHED}
        self.assertEqual(values["r128"], (-23.0, 0.5, -1.0, None))
        self.assertEqual(values["r128-live"], (-23.0, 1.0, -1.0, None))
        self.assertEqual(values["r128-s1"], (-23.0, 0.5, -1.0, -18.0))
        self.assertEqual([values[f"td1008-{name}"][0] for name in ("album", "track", "speech")], [-14.0, -16.0, -18.0])
        self.assertTrue(all(one.source for one in PUBLISHED))


class VerdictTest(unittest.TestCase):
    def test_what_holds_fits(self) -> None:
        for lufs in (-23.5, -23.0, -22.5):
            verdict = verdict_on(target("r128"), summary(lufs))
            self.assertTrue(verdict.fits, lufs)
            self.assertEqual(verdict.gain_db, 0.0)

    def test_what_is_off_says_the_gain_that_reaches_the_middle(self) -> None:
        verdict = verdict_on(target("r128"), summary(-26.2))
        self.assertEqual([check.asked for check in verdict.checks if not check.holds], ["loudness"])
        self.assertAlmostEqual(verdict.gain_db or 0.0, 3.2)
        self.assertEqual(verdict.limited_db, 0.0)

    def test_a_limiter_has_to_take_what_the_gain_brings_too_high(self) -> None:
        verdict = verdict_on(target("td1008-album"), summary(-20.0, dbtp=-4.0))
        self.assertAlmostEqual(verdict.gain_db or 0.0, 6.0)
        self.assertAlmostEqual(verdict.limited_db, 3.0)

    def test_peaks_short_moments_and_range(self) -> None:
        verdict = verdict_on(target("r128-s1"), summary(dbtp=0.3, short=-16.5))
        off = {check.asked: check.off_db for check in verdict.checks if not check.holds}
        self.assertAlmostEqual(off["true peak"], 1.3)
        self.assertAlmostEqual(off["short-term"], 1.5)
        narrow = Target(id="own", name="Own", range_at_most_lu=4.0)
        self.assertFalse(verdict_on(narrow, summary(reach_lu=6.0)).fits)
        self.assertTrue(verdict_on(narrow, summary(reach_lu=None)).fits)

    def test_silence_has_no_gain_that_helps(self) -> None:
        verdict = verdict_on(target("r128"), summary(float("-inf"), dbtp=float("-inf"), short=float("-inf")))
        self.assertFalse(verdict.fits)
        self.assertIsNone(verdict.gain_db)

    def test_format_and_rate(self) -> None:
        own = Target(id="own", name="Own", formats=("wav-24",), rate_hz=48000)
        self.assertTrue(verdict_on(own, summary(), "wav-24", 48000).fits)
        verdict = verdict_on(own, summary(), "mp3", 44100)
        self.assertEqual([check.asked for check in verdict.checks if not check.holds], ["format", "rate"])


class SessionTest(unittest.TestCase):
    def session(self, **fields: object) -> Session:
        return empty_session("Song").model_copy(update=fields)

    def test_an_own_target_stands_for_a_published_one(self) -> None:
        own = Target(id="r128", name="Ours", lufs=-20.0)
        session = self.session(targets=(own,), meant_for="r128")
        self.assertEqual(target_of(session), own)
        self.assertEqual(target_named(session, "ours"), own)
        self.assertIsNone(target_of(self.session()))
        with self.assertRaises(NotFound) as caught:
            target_named(session, "radio")
        self.assertIn("td1008-track", caught.exception.remedy)

    def test_only_the_whole_mix_is_what_is_delivered(self) -> None:
        session = self.session()
        self.assertTrue(is_delivered(session, Print(id="p", strips=("mix",))))
        for other in (
            Print(id="p", strips=("mix",), taps=("pre-chain",)),
            Print(id="p", every="stem"),
            Print(id="p", strips=("mix",), of=("mix",)),
        ):
            self.assertFalse(is_delivered(session, other))
