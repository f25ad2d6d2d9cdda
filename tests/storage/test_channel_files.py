"""Files of many channels taken apart: every sample of every channel, and what the channels are called."""

import tempfile
import unittest
from pathlib import Path

import numpy as np
import soundfile

from gemischt.core.errors import BadAudio, StorageFailed
from gemischt.storage.channel_files import MOST_CHANNELS, take_apart
from tests.support.files import no_file_longer_than, write_wav
from tests.support.signals import RATE_HZ, Signal, noise


class TakingApartTest(unittest.TestCase):
    def setUp(self) -> None:
        holder = tempfile.TemporaryDirectory(prefix="gemischt-test-")
        self.addCleanup(holder.cleanup)
        self.folder = Path(holder.name)
        (self.folder / "apart").mkdir()

    def apart(self, path: Path) -> tuple[list[str], Signal]:
        files = take_apart(path, path.name, self.folder / "apart")
        read = [soundfile.read(file.path, dtype="float64", always_2d=True) for file in files]
        self.assertEqual({rate for _, rate in read}, {RATE_HZ})
        return [file.name for file in files], np.concatenate([samples.T for samples, _ in read])

    def test_channels_nobody_names_are_numbered(self) -> None:
        signal = noise(1.5, channels=5)
        for subtype in ("FLOAT", "PCM_24", "PCM_16"):
            with self.subTest(subtype):
                path = write_wav(self.folder / "five.wav", signal, subtype=subtype)
                names, samples = self.apart(path)
                self.assertEqual(names, ["1", "2", "3", "4", "5"])
                np.testing.assert_array_equal(samples, soundfile.read(path, always_2d=True)[0].T)

    def test_channels_are_called_by_what_the_file_says(self) -> None:
        path = self.folder / "said.wav"
        with soundfile.SoundFile(str(path), "w", RATE_HZ, 3, "FLOAT", format="WAVEX") as file:
            file.write(noise(0.1, channels=3).T)
        # Front left, front right, and low effects, of WAVE_FORMAT_EXTENSIBLE's mask.
        written = bytearray(path.read_bytes())
        written[40:44] = (0b1011).to_bytes(4, "little")
        path.write_bytes(written)
        self.assertEqual(self.apart(path)[0], ["FL", "FR", "LFE"])

    def test_channels_of_a_usual_count_are_called_as_usual(self) -> None:
        for count, expected in ((2, ["FL", "FR"]), (6, ["FL", "FR", "FC", "LFE", "BL", "BR"]), (1, ["1"])):
            with self.subTest(count):
                self.assertEqual(
                    self.apart(write_wav(self.folder / "own.wav", noise(0.1, channels=count)))[0], expected
                )

    def test_a_disk_that_becomes_full_is_said(self) -> None:
        path = write_wav(self.folder / "three.wav", noise(1.0, channels=3))
        with no_file_longer_than(100_000), self.assertRaises(StorageFailed) as raised:
            take_apart(path, path.name, self.folder / "apart")
        self.assertIn("three.wav", raised.exception.where)

    def test_what_cannot_be_is_said(self) -> None:
        many = write_wav(self.folder / "many.wav", np.zeros((MOST_CHANNELS + 1, 480)))
        words = self.folder / "words.wav"
        words.write_bytes(b"this is no audio at all, only words")
        cut = self.folder / "cut.wav"
        cut.write_bytes(write_wav(self.folder / "whole.wav", noise(1.0, channels=3)).read_bytes()[:200000])
        broken = noise(0.1, channels=3)
        broken[1, 2400] = np.nan
        nan = write_wav(self.folder / "nan.wav", broken)
        cases = ((many, "65 channels"), (words, "not readable"), (cut, "cut off"), (nan, "not numbers"))
        for path, reason in cases:
            with self.subTest(path.name), self.assertRaises(BadAudio) as raised:
                take_apart(path, path.name, self.folder / "apart")
            self.assertIn(reason, raised.exception.what)
            self.assertEqual(raised.exception.where, path.name)


if __name__ == "__main__":
    unittest.main()
