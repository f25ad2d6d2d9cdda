"""The lead grows with what was missed and shrinks when all is well."""

import unittest
from unittest import mock

from gemischt.live.lead import BRACED_S, BRIDGED_S, LONGEST_S, SHORTEST_S, Lead


class LeadTest(unittest.TestCase):
    def setUp(self) -> None:
        self.lead = Lead()

    def hear(self, from_s: int, to_s: int, missed: int) -> None:
        for second in range(from_s, to_s):
            self.lead.heard(float(second), missed)

    def test_stays_short_while_nothing_is_missed(self) -> None:
        self.hear(0, 600, 0)
        self.assertEqual(self.lead.seconds, SHORTEST_S)

    def test_each_report_of_more_missed_makes_it_longer_up_to_an_end(self) -> None:
        self.lead.heard(1.0, 3)
        self.assertAlmostEqual(self.lead.seconds, SHORTEST_S + 0.04)
        self.lead.heard(1.1, 3)
        self.assertAlmostEqual(self.lead.seconds, SHORTEST_S + 0.04)
        for missed in range(4, 40):
            self.lead.heard(2.0, missed)
        self.assertEqual(self.lead.seconds, LONGEST_S)

    def test_comes_back_step_by_step(self) -> None:
        self.lead.heard(1.0, 5)
        self.hear(2, 12, 5)
        self.assertAlmostEqual(self.lead.seconds, SHORTEST_S + 0.02 + 0.02)
        self.hear(12, 17, 5)
        self.assertAlmostEqual(self.lead.seconds, SHORTEST_S + 0.02)
        self.hear(17, 60, 5)
        self.assertEqual(self.lead.seconds, SHORTEST_S)

    def test_braced_for_a_moment_and_then_as_before(self) -> None:
        self.lead.heard(10.0, 0)
        self.lead.brace()
        self.assertEqual(self.lead.seconds, BRACED_S)
        self.hear(11, 16, 0)
        self.assertEqual(self.lead.seconds, BRACED_S)
        self.lead.heard(16.0, 0)
        self.assertEqual(self.lead.seconds, SHORTEST_S)

    def test_a_hand_on_a_control_ends_bracing(self) -> None:
        self.lead.heard(10.0, 0)
        self.lead.brace()
        self.lead.relax()
        self.assertEqual(self.lead.seconds, SHORTEST_S)

    def test_a_hand_on_a_control_does_not_make_up_for_what_was_missed(self) -> None:
        self.lead.heard(10.0, 1)
        longer = self.lead.seconds
        self.lead.brace()
        self.lead.relax()
        self.assertEqual(self.lead.seconds, longer)

    def test_bracing_never_makes_it_shorter(self) -> None:
        for missed in range(1, 40):
            self.lead.heard(1.0, missed)
        self.lead.brace()
        self.assertEqual(self.lead.seconds, LONGEST_S)

    def test_it_is_braced_while_playing_begins(self) -> None:
        self.lead.heard(10.0, 0)
        self.lead.begin()
        self.assertEqual(self.lead.seconds, BRACED_S)
        self.lead.heard(0.9, 0)
        self.assertEqual(self.lead.seconds, BRACED_S)
        self.lead.heard(1.0, 0)
        self.assertEqual(self.lead.seconds, SHORTEST_S)

    def test_a_new_listener_counts_from_nothing(self) -> None:
        self.lead.heard(1.0, 50)
        longer = self.lead.seconds
        self.lead.begin()
        self.lead.heard(1.5, 0)
        self.assertEqual(self.lead.seconds, longer)
        self.lead.heard(1.6, 1)
        self.assertGreater(self.lead.seconds, longer)

    def test_rendering_goes_on_by_the_clock_when_word_comes_late_but_not_for_ever(self) -> None:
        with mock.patch("time.monotonic", return_value=100.0) as clock:
            self.assertEqual(self.lead.due_s(0.0), 0.0)
            # Nobody has begun to listen.
            self.assertIsNone(self.lead.due_s(SHORTEST_S))
            self.lead.heard(1.0, 0)
            rendered_s = 1.0 + SHORTEST_S
            self.assertEqual(self.lead.due_s(rendered_s - 0.001), 0.0)
            self.assertAlmostEqual(self.lead.due_s(rendered_s + 0.01) or 0.0, 0.01)
            clock.return_value = 100.004
            self.assertAlmostEqual(self.lead.due_s(rendered_s + 0.01) or 0.0, 0.006)
            clock.return_value = 200.0
            self.assertEqual(self.lead.due_s(rendered_s + BRIDGED_S - 0.001), 0.0)
            self.assertIsNone(self.lead.due_s(rendered_s + BRIDGED_S + 0.001))
            self.lead.heard(2.0, 0)
            self.assertEqual(self.lead.due_s(rendered_s + BRIDGED_S), 0.0)
