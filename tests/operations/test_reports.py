"""Reports as JSON: what nobody hears is silence, everywhere."""

import math
from dataclasses import dataclass

from gemischt.operations.reports import report_to_json
from gemischt.operations.session_measuring import measure_session, measurement_to_json
from tests.support.signals import sine
from tests.support.workspaces import WorkspaceCase


@dataclass
class Reading:
    peak_dbfs: float
    gain_db: float


class ReadingsTest(WorkspaceCase):
    def test_levels_below_hearing_are_silence_and_gains_are_not(self) -> None:
        self.assertEqual(report_to_json(Reading(-111.1, -111.1)), {"peak_dbfs": None, "gain_db": -111.1})
        self.assertEqual(report_to_json(Reading(-99.9, -math.inf)), {"peak_dbfs": -99.9, "gain_db": None})

    def test_a_strip_turned_down_to_nothing_reads_silence_at_every_stage_behind(self) -> None:
        session = self.new_session(tone=sine(997, -12.0, 1.0)).session
        turned = {"fader_db": -99.1}
        strips = tuple(s.model_copy(update=turned if s.kind == "track" else {}) for s in session.strips)
        session = session.model_copy(update={"strips": strips})
        names = {strip.id: strip.kind for strip in session.strips}
        written = measurement_to_json(session, measure_session(self.workspace, session))
        for strip_id, measured in written["strips"].items():
            with self.subTest(names[strip_id]):
                stages = {stage["name"]: stage for stage in measured["stages"]}
                self.assertIsNone(stages["post-fader"]["sample_peak_dbfs"])
                self.assertIsNone(stages["post-fader"]["rms_dbfs"])
