"""The numbers that the page and the server share, from the server's side."""

import base64
import json
import unittest
from pathlib import Path
from typing import Any

import numpy as np

from gemischt.core.parameters import Parameter
from gemischt.core.session.beat_grid import BeatGrid
from gemischt.core.session.document import MovePoint, Tempo
from gemischt.core.session.moves import Curve
from gemischt.core.units import note_to_s
from gemischt.live.frames import Frame, pack_frame

VECTORS = Path(__file__).parent / "vectors"


def read(name: str) -> Any:
    return json.loads((VECTORS / name).read_text())


class VectorsTest(unittest.TestCase):
    def test_bars_and_notes(self) -> None:
        for row in read("music.json")["bars"]:
            tempo = row["tempo"]
            with self.subTest(tempo):
                self.assertAlmostEqual(note_to_s(tempo["metre"], bpm=tempo["bpm"], beat=tempo["beat"]), row["bar_s"])
        for row in read("music.json")["notes"]:
            with self.subTest(row["note"]):
                self.assertAlmostEqual(note_to_s(row["note"], bpm=row["bpm"], beat=row["beat"]), row["note_s"])

    def test_places_and_snapping(self) -> None:
        told = read("music.json")
        grids = [BeatGrid(tuple(Tempo.model_validate(change) for change in song)) for song in told["songs"]]
        for row in told["places"]:
            with self.subTest(row):
                self.assertEqual(grids[row["song"]].place(row["time_s"]), row["place"])
        for row in told["snaps"]:
            with self.subTest(row):
                self.assertAlmostEqual(grids[row["song"]].snapped_s(row["time_s"], row["to"]), row["snapped_s"])

    def test_values_of_moves(self) -> None:
        for row in read("moves.json")["values"]:
            parameter = Parameter(name="x", label="X", kind="number", unit=row["unit"], scale=row["scale"])
            points = tuple(MovePoint(at_s=at_s, value=value, bend=bend) for at_s, value, bend in row["points"])
            with self.subTest(row):
                found = Curve("x", points, parameter).value_at(row["at_s"])
                if row["value"] is None:
                    self.assertIsNone(found)
                else:
                    self.assertAlmostEqual(float(found or 0.0), row["value"], places=9)

    def test_the_live_message(self) -> None:
        told = read("frame.json")
        counts = {name: told[name] for name in ("epoch", "serial", "revision", "first_sample", "n_samples")}
        names = ("mix", "meters", "reductions", "probe", "spectrum", "led", "curves", "scope", "sound", "other")
        values = {name: np.array(told[name], np.float32) for name in names}
        frame = Frame(position_samples=told["position_samples"], **counts, **values)
        self.assertEqual(pack_frame(frame, with_sound=True), base64.b64decode(told["bytes_base64"]))


if __name__ == "__main__":
    unittest.main()
