"""Measuring through the data folder: kept on disk, used again, bounded."""

import json
from pathlib import Path
from unittest import mock

import numpy as np

from gemischt.core.analysis.measurement.strip_meters import N_BINS
from gemischt.core.errors import Cancelled
from gemischt.core.session.actions import apply_action, parse_action
from gemischt.operations.session_measuring import examine_session, finding_to_json, measure_session, measurement_to_json
from gemischt.operations.tasks import MeasureSong
from gemischt.storage.renders import DiskRenders
from tests.support.sessions import eq
from tests.support.signals import RATE_HZ, noise, sine
from tests.support.workspaces import WorkspaceCase


class SessionMeasuringTest(WorkspaceCase):
    def test_peaks_and_loudness_lie_where_the_sound_is(self) -> None:
        signal = np.concatenate([np.zeros((2, RATE_HZ)), sine(1000, -6, 1.0)], axis=1)
        session = self.new_session(tone=signal).session
        written = measurement_to_json(session, measure_session(self.workspace, session))
        self.assertAlmostEqual(written["duration_s"], 2.0)
        peaks = np.array(written["peaks"])
        self.assertFalse(peaks[: N_BINS // 2 - 2].any())
        np.testing.assert_allclose(peaks[N_BINS // 2 + 2 :], 0.5012, atol=0.001)
        stages = [stage["name"] for stage in written["strips"]["tone"]["stages"]]
        self.assertEqual(stages, ["source", "trim", "pre-fader", "post-fader"])
        json.dumps(written, allow_nan=False)

    def test_an_empty_song_is_silent(self) -> None:
        session = self.new_session().session
        written = measurement_to_json(session, measure_session(self.workspace, session))
        self.assertEqual(written["duration_s"], 0.0)
        self.assertIsNone(written["strips"]["mix"]["stages"][-1]["sample_peak_dbfs"])

    def test_a_restart_finds_what_was_measured(self) -> None:
        session = self.new_session(a=noise(1.0)).session
        first = measure_session(self.workspace, session)
        self.assertGreater(first.rendered, 0)
        self.workspace.close()
        self.workspace = type(self.workspace)(self.data)
        self.addCleanup(self.workspace.close)
        self.assertEqual(measure_session(self.workspace, session).rendered, 0)

    def test_a_song_is_measured_and_examined_step_by_step_and_can_be_given_up_in_between(self) -> None:
        session = self.new_session(loud=sine(300, -1, 1.0)).session
        shares: list[float] = []
        MeasureSong(session=session).run(self.workspace, shares.append)
        self.assertEqual((sorted(shares), shares[-1]), (shares, 1.0))
        self.assertGreater(sum(0.5 < share < 1.0 for share in shares), 5)

        def stop(share: float) -> None:
            if share > 0.6:
                raise Cancelled("enough")

        with self.assertRaises(Cancelled):
            MeasureSong(session=session).run(self.workspace, stop)

    def test_findings_are_written_with_cures_that_can_be_sent_back(self) -> None:
        session = self.new_session(loud=sine(300, -1, 1.0)).session
        found = examine_session(self.workspace, session, measure_session(self.workspace, session))
        written = [finding_to_json(finding) for finding in found]
        far = next(item for item in written if item["kind"] == "far-from-reference")
        json.dumps(written, allow_nan=False)
        cured = apply_action(session, parse_action(far["cure"]))
        self.assertAlmostEqual(cured.strip("loud").trim_db, -17.0, delta=0.1)


class RendersTest(WorkspaceCase):
    def store(self, limit_bytes: int = 10_000) -> DiskRenders:
        return DiskRenders(self.folder / "renders", "v1", limit_bytes=limit_bytes)

    def write(self, store: DiskRenders, name: str, n_samples: int = 1000) -> None:
        writer = store.writer(name, n_samples, 1)
        writer.write(np.full((n_samples, 1), 0.5, np.float32))
        writer.finish()

    def test_audio_comes_back(self) -> None:
        store = self.store()
        self.write(store, "a")
        audio = store.audio("a")
        assert audio is not None
        self.assertEqual((audio.shape, float(audio[3, 0])), ((1000, 1), 0.5))
        self.assertIsNone(store.audio("b"))

    def test_the_least_recently_used_goes_first(self) -> None:
        store = self.store()
        for name in ("a", "b", "c"):
            self.write(store, name)
        self.assertIsNone(store.audio("a"))
        self.assertIsNotNone(store.audio("c"))
        self.assertLessEqual(self.kept_bytes(), 10_000)

    def test_a_large_cache_is_looked_through_only_now_and_then(self) -> None:
        store = self.store(limit_bytes=1_000_000)
        self.write(store, "first")
        with mock.patch.object(DiskRenders, "_forget") as forget:
            for number in range(7):
                self.write(store, f"small {number}")
            forget.assert_not_called()
            self.write(store, "large", n_samples=10_000)
            forget.assert_called()

    def kept_bytes(self) -> int:
        return sum(path.stat().st_size for path in Path(self.folder / "renders").rglob("*.f32"))

    def test_what_was_not_finished_is_not_found(self) -> None:
        store = self.store()
        writer = store.writer("half", 20, 1)
        writer.write(np.zeros((10, 1), np.float32))
        writer.write(np.full((10, 1), 0.5, np.float32))
        self.assertIsNone(store.audio("half"))
        # Who follows at its heels can play it already.
        self.assertEqual((float(writer.samples[9, 0]), float(writer.samples[19, 0])), (0.0, 0.5))
        writer.discard()
        self.assertEqual(list((self.folder / "renders" / "v1").iterdir()), [])

    def test_another_version_begins_anew(self) -> None:
        self.write(self.store(), "a")
        DiskRenders(self.folder / "renders", "v2")
        self.assertFalse((self.folder / "renders" / "v1").exists())

    def test_figures_that_are_damaged_are_measured_again(self) -> None:
        store = self.store()
        store.keep_figures("x", {"a": 1})
        self.assertEqual(store.figures("x"), {"a": 1})
        (self.folder / "renders" / "v1" / "x.json").write_text("{")
        self.assertIsNone(store.figures("x"))


class EditedSessionTest(WorkspaceCase):
    def test_only_what_an_edit_changed_is_rendered(self) -> None:
        stored = self.new_session(a=noise(1.0), b=noise(1.0, seed=2))
        measure_session(self.workspace, stored.session)
        params = {"bands": eq({"gain_db": 3.0})["params"]["bands"]}
        action = parse_action({"type": "add-processor", "strip": "a", "processor": "eq", "params": params})
        edited = apply_action(stored.session, action)
        self.assertEqual(measure_session(self.workspace, edited).rendered, 2)
