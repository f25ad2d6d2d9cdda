"""Snapshots, comparison, findings put aside and bringing to reference over HTTP."""

from typing import Any

import numpy as np

from tests.api.test_api import ApiCase
from tests.support.files import write_wav
from tests.support.signals import RATE_HZ, sine


class LevelApiCase(ApiCase):
    def setUp(self) -> None:
        super().setUp()
        self.state = self.create()
        path = write_wav(self.folder / "tone.wav", sine(1000, -8, 2.0))
        track = self.upload(self.state, path, "tone.wav")
        self.state = self.edit(self.state, type="add-tracks", tracks=[track])
        self.path = f"/api/sessions/{self.state['id']}"

    def fader(self, fader_db: float) -> None:
        change = {"strip": "tone", "fader_db": fader_db}
        self.state = self.edit(self.state, type="set-strips", changes=[change])

    def run_job(self, path: str, **body: Any) -> dict[str, Any]:
        job = self.finished(self.ask("POST", f"{self.path}/{path}", json=body, status=202))
        self.assertEqual(job["state"], "done", job)
        result: dict[str, Any] = job["result"]
        return result


class SnapshotTest(LevelApiCase):
    def setUp(self) -> None:
        super().setUp()
        self.snapshot = self.ask("POST", f"{self.path}/snapshots", json={"name": "Before"}, status=201)

    def test_kept_listed_told_apart_taken_back_and_forgotten(self) -> None:
        self.assertEqual([item["name"] for item in self.ask("GET", f"{self.path}/snapshots")], ["Before"])
        kept = f"{self.path}/snapshots/{self.snapshot['id']}"
        self.assertEqual(self.ask("GET", f"{kept}/differences"), [])
        self.fader(-2.0)
        self.assertEqual(self.ask("GET", f"{kept}/differences"), [{"strip": "tone", "words": "tone fader -2.0 dB"}])
        back = self.ask("POST", f"{kept}/take-back", json={"revision": self.state["revision"], "strips": ["tone"]})
        self.assertEqual(back["document"]["strips"][0]["fader_db"], 0.0)
        self.assertEqual(back["undo"], "tone: back to Before")
        undone = self.ask("POST", f"{self.path}/undo", json={"revision": back["revision"]})
        self.assertEqual(undone["document"]["strips"][0]["fader_db"], -2.0)
        self.ask("DELETE", kept, status=204)
        self.assert_error(self.ask("GET", f"{kept}/differences", status=404))

    def test_a_stale_take_back_is_a_conflict(self) -> None:
        self.fader(-2.0)
        body = {"revision": self.state["revision"] - 1}
        self.ask("POST", f"{self.path}/snapshots/{self.snapshot['id']}/take-back", json=body, status=409)

    def test_the_matching_is_the_measured_difference(self) -> None:
        self.fader(-7.5)
        result = self.run_job("match", snapshot=self.snapshot["id"])
        # A 1 kHz sine in both channels reads its peak level in LUFS (ITU-R BS.1770-5, worked example, less 0.04 LU).
        self.assertAlmostEqual(result["other_lufs"], -8.0, delta=0.1)
        self.assertAlmostEqual(result["matching_db"], -7.5, delta=0.02)

    def test_an_edit_is_matched_like_a_snapshot(self) -> None:
        action = {"type": "set-strips", "changes": [{"strip": "tone", "fader_db": -4.0}]}
        self.assertAlmostEqual(self.run_job("match", action=action)["matching_db"], 4.0, delta=0.02)
        mute = {"type": "set-strips", "changes": [{"strip": "tone", "mute": True}]}
        silent = self.run_job("match", action=mute)
        self.assertEqual((silent["other_lufs"], silent["matching_db"]), (None, 0.0))

    def test_a_loop_is_matched_by_what_is_heard_in_it(self) -> None:
        # A second tone, a little above the first one, in the second half alone.
        late = np.concatenate([np.zeros((2, RATE_HZ)), sine(1100, -8, 1.0)], axis=1)
        track = self.upload(self.state, write_wav(self.folder / "late.wav", late), "late.wav")
        self.state = self.edit(self.state, type="add-tracks", tracks=[track])
        action = {"type": "set-strips", "changes": [{"strip": "late", "mute": True}]}

        def matching_db(stretch_s: tuple[float, float] | None) -> float:
            return float(self.run_job("match", action=action, stretch_s=stretch_s)["matching_db"])

        self.assertAlmostEqual(matching_db((0.0, 1.0)), 0.0, delta=0.01)
        # Twice the power; K-weighting hears 1100 Hz 0.2 dB louder than 1000 Hz.
        self.assertAlmostEqual(matching_db((1.0, 2.0)), 3.1, delta=0.15)
        whole = matching_db(None)
        self.assertTrue(0.5 < whole < 2.9, whole)
        # Shorter than one gating block: counts as the whole.
        self.assertAlmostEqual(matching_db((1.0, 1.3)), whole, places=6)

    def test_what_cannot_be_compared_is_refused(self) -> None:
        self.assert_error(self.ask("POST", f"{self.path}/match", json={}, status=422), "nothing to compare with")
        self.ask("POST", f"{self.path}/match", json={"snapshot": "none"}, status=404)


class FindingsTest(LevelApiCase):
    def test_a_finding_is_put_aside_until_its_evidence_changes(self) -> None:
        finding = self.run_job("measurement")["findings"][0]
        self.assertEqual(finding["kind"], "far-from-reference")
        body = {"finding": finding["id"], "evidence_key": finding["evidence_key"], "reason": "meant"}
        self.ask("POST", f"{self.path}/put-aside", json=body, status=204)
        self.assertEqual(self.ask("GET", f"{self.path}/put-aside"), [body])
        self.state = self.edit(self.state, type="set-strips", changes=[{"strip": "tone", "trim_db": 6.0}])
        louder = self.run_job("measurement")["findings"][0]
        self.assertEqual(louder["id"], finding["id"])
        self.assertNotEqual(louder["evidence_key"], finding["evidence_key"])
        self.ask("DELETE", f"{self.path}/put-aside", params={"finding": finding["id"]}, status=204)
        self.assertEqual(self.ask("GET", f"{self.path}/put-aside"), [])

    def test_a_cure_is_an_edit(self) -> None:
        finding = self.run_job("measurement")["findings"][0]
        self.state = self.edit(self.state, **finding["cure"])
        self.assertEqual(self.run_job("measurement")["findings"], [])

    def test_a_reason_is_asked_for(self) -> None:
        body = {"finding": "x", "evidence_key": "", "reason": ""}
        self.ask("POST", f"{self.path}/put-aside", json=body, status=422)


class ReferenceTest(LevelApiCase):
    def test_planned_then_applied_as_one_edit(self) -> None:
        plan = self.run_job("reference", strips=["tone"])
        self.assertAlmostEqual(plan["proposals"][0]["now"], -8.0, delta=0.01)
        self.state = self.edit(self.state, **plan["edit"])
        self.assertAlmostEqual(self.state["document"]["strips"][0]["trim_db"], -10.0, delta=0.01)
        self.assertEqual(self.state["undo"], "tone: peak to -18")
        again = self.run_job("reference", strips=["tone"])
        self.assertIsNone(again["edit"])
        self.assertEqual(again["proposals"][0]["remark"], "is there already")


class EvidenceTest(ApiCase):
    def test_a_cure_is_refused_once_what_it_was_found_in_has_changed(self) -> None:
        state = self.create()
        measured = state["revision"]
        cure = {"type": "set-strips", "changes": [{"strip": "mix", "trim_db": -7.4}]}
        body = {"revision": measured, "action": cure, "evidence_revision": measured}
        state = self.ask("POST", f"/api/sessions/{state['id']}/edits", json=body)
        again = body | {"revision": state["revision"]}
        refused = self.ask("POST", f"/api/sessions/{state['id']}/edits", json=again, status=409)
        self.assert_error(refused, "found in revision 1", "measured anew")
        self.assertEqual(self.ask("GET", f"/api/sessions/{state['id']}"), state)


class ForeseenTest(LevelApiCase):
    def test_an_edit_is_foreseen_and_nothing_is_kept(self) -> None:
        spread = {"type": "spread-strips", "strips": ["tone", "mix"], "how": "fan", "arc": 0.5}
        foreseen = self.ask("POST", f"{self.path}/edits/foreseen", json={"action": spread})
        self.assertEqual({strip["id"]: strip["pan"]["position"] for strip in foreseen}, {"tone": -0.5, "mix": 0.5})
        self.assertEqual(self.ask("GET", self.path)["revision"], self.state["revision"])
        self.assertEqual(self.ask("GET", self.path)["document"]["strips"][0]["pan"]["position"], 0.0)

    def test_what_would_be_refused_is_refused(self) -> None:
        spread = {"type": "spread-strips", "strips": ["tone", "tone"], "how": "fan"}
        refused = self.ask("POST", f"{self.path}/edits/foreseen", json={"action": spread}, status=422)
        self.assertIn("twice", str(refused))
