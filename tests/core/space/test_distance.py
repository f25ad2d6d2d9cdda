"""Distance: the table of a standard, and what one figure does to level, highs and sends."""

import unittest

import numpy as np

from gemischt.core.errors import InvalidAction
from gemischt.core.session.actions import SetDistance
from gemischt.core.session.document import Session
from gemischt.core.session.validation import check_session
from gemischt.core.space.distance import air_absorption_db_per_m, distance_to_db
from tests.support.sessions import Bench
from tests.support.signals import noise, sine

OCTAVES_HZ = (63.0, 125.0, 250.0, 500.0, 1000.0, 2000.0, 4000.0, 8000.0)
# ISO 9613-2:1996, Table 2, dB/km in octave bands by degrees and relative humidity; from memory.
TABLE = {
    (10.0, 0.7): (0.1, 0.4, 1.0, 1.9, 3.7, 9.7, 32.8, 117.0),
    (20.0, 0.7): (0.1, 0.3, 1.1, 2.8, 5.0, 9.0, 22.9, 76.6),
    (30.0, 0.7): (0.1, 0.3, 1.0, 3.1, 7.4, 12.7, 23.1, 59.3),
    (15.0, 0.2): (0.3, 0.6, 1.2, 2.7, 8.2, 28.2, 88.8, 202.0),
    (15.0, 0.5): (0.1, 0.5, 1.2, 2.2, 4.2, 10.8, 36.2, 129.0),
    (15.0, 0.8): (0.1, 0.3, 1.1, 2.4, 4.1, 8.3, 23.7, 82.8),
}


def bench() -> Bench:
    made = Bench()
    sends = [{"id": "s", "to": "hall", "level_db": -12.0}, {"id": "p", "to": "hall", "tap": "pre-fader"}]
    made.track("voice", noise(1.0, channels=1), fader_db=-3.0, sends=sends)
    made.bus("hall", kind="return", chain=[{"id": "r", "type": "reverb"}])
    return made


class AirTest(unittest.TestCase):
    def test_the_table_of_the_standard(self) -> None:
        for (temperature_c, humidity), row in TABLE.items():
            for frequency_hz, db_per_km in zip(OCTAVES_HZ, row, strict=True):
                found = 1000.0 * air_absorption_db_per_m(frequency_hz, temperature_c=temperature_c, humidity=humidity)
                self.assertAlmostEqual(found, db_per_km, delta=max(0.06, 0.015 * db_per_km))

    def test_twice_as_far_is_6_db_less(self) -> None:
        self.assertAlmostEqual(distance_to_db(4.0, before_m=2.0), -6.0206, places=4)


class SetDistanceTest(unittest.TestCase):
    def placed(self, session: Session, distance_m: float, **fields: object) -> Session:
        action = SetDistance.model_validate({"strips": ["voice"], "distance_m": distance_m} | fields)
        changed = action.apply(session)
        check_session(changed)
        return changed

    def test_level_falls_what_the_room_gets_stays_and_air_takes_highs(self) -> None:
        session = self.placed(bench().session(), 8.0)
        voice = session.strip("voice")
        self.assertAlmostEqual(voice.fader_db or 0.0, -3.0 - 18.06, places=2)
        np.testing.assert_allclose([send.level_db for send in voice.sends], [-12.0 + 18.06, 0.0], atol=0.01)
        self.assertEqual([processor.id for processor in voice.chain], ["air"])
        self.assertEqual(voice.distance_m, 8.0)

    def test_there_and_back_is_as_it_was(self) -> None:
        before = bench().session()
        for ways in ((8.0, 1.0), (0.5, 3.0, 40.0, 1.0)):
            session = before
            for distance_m in ways:
                session = self.placed(session, distance_m)
            voice = session.strip("voice")
            self.assertAlmostEqual(voice.fader_db or 0.0, -3.0, places=1)
            self.assertAlmostEqual(voice.sends[0].level_db or 0.0, -12.0, places=1)
            self.assertEqual(voice.chain, ())

    def test_each_part_alone(self) -> None:
        before = bench().session()
        level = self.placed(before, 4.0, parts=["level"]).strip("voice")
        self.assertEqual((level.chain, level.sends), ((), before.strip("voice").sends))
        highs = self.placed(before, 30.0, parts=["highs"]).strip("voice")
        self.assertEqual((highs.fader_db, len(highs.chain)), (-3.0, 1))

    def test_what_is_heard_falls_as_air_and_distance_say(self) -> None:
        """At 8 kHz as much as 19 metres of air take (ISO 9613-1)."""
        for frequency_hz, share in ((200.0, 0.0), (8000.0, 1.0)):
            made = Bench()
            made.track("voice", sine(frequency_hz, -12.0, 1.0, channels=1))
            near = made.session()
            far = self.placed(near, 20.0)
            gains = []
            for session in (near, far):
                made.strips[0].update(session.strip("voice").model_dump(mode="json", by_alias=True))
                sound = made.render(24000)[:, 4800:]
                gains.append(float(np.sqrt((sound**2).mean())))
            expected_db = distance_to_db(20.0) - share * 19.0 * air_absorption_db_per_m(8000.0)
            self.assertAlmostEqual(20.0 * np.log10(gains[1] / gains[0]), expected_db, delta=0.1)

    def test_the_mix_has_no_distance(self) -> None:
        with self.assertRaises(InvalidAction):
            SetDistance(strips=("mix",), distance_m=2.0).apply(bench().session())

    def test_a_silent_fader_stays_silent_and_levels_stay_in_range(self) -> None:
        made = bench()
        made.strips[0]["fader_db"] = None
        self.assertIsNone(self.placed(made.session(), 50.0).strip("voice").fader_db)
        made.strips[0]["fader_db"] = -115.0
        session = self.placed(made.session(), 100.0)
        self.assertEqual(session.strip("voice").fader_db, -120.0)
        self.assertEqual(SetDistance(strips=("voice",), distance_m=2.5).describe(session), "Voice: 2.5 m away")


if __name__ == "__main__":
    unittest.main()
