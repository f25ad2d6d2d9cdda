"""Audio in: decoding, resampling, refusals, and nothing half-written left behind."""

import errno
from pathlib import Path
from unittest import mock

import numpy as np
import soundfile

from gemischt.core.errors import BadAudio, Cancelled, StorageFailed
from gemischt.storage.audio_files import MappedSamples
from gemischt.storage.audio_headers import check_complete
from gemischt.storage.writing import written_beside
from tests.support.files import bad_files, write_wav
from tests.support.signals import noise, sine
from tests.support.workspaces import WorkspaceCase


class ImportTest(WorkspaceCase):
    def add(self, path: Path, rate_hz: int = 48000) -> np.ndarray:
        audio = self.workspace.audio.add(path, path.name, sample_rate_hz=rate_hz)
        return self.workspace.audio.samples(audio.sha256, rate_hz).samples.T

    def left_over(self) -> list[Path]:
        return [path for path in self.data.rglob("*") if path.is_file() and "sqlite" not in path.name]

    def test_samples_are_kept_exactly(self) -> None:
        signal = noise(0.3).astype(np.float32)
        for subtype, tolerance in (("FLOAT", 0.0), ("PCM_24", 2.0**-23), ("PCM_16", 2.0**-15)):
            with self.subTest(subtype):
                path = write_wav(self.folder / f"{subtype}.wav", signal, subtype=subtype)
                np.testing.assert_allclose(self.add(path), signal, atol=tolerance)

    def test_every_format_in(self) -> None:
        for suffix in (".wav", ".flac", ".aiff", ".ogg"):
            with self.subTest(suffix):
                path = self.folder / f"tone{suffix}"
                soundfile.write(path, sine(440, -6, 0.5).T, 48000)
                self.assertAlmostEqual(float(np.abs(self.add(path)).max()), 0.5012, delta=0.01)

    def test_other_rates_are_resampled_with_high_quality(self) -> None:
        # 18 kHz from 44.1 to 48 kHz: a simple interpolator leaves images 9 dB down, this one none above -120 dB.
        times = np.arange(44100) / 44100
        path = write_wav(self.folder / "tone.wav", 0.5 * np.sin(2 * np.pi * 18000 * times)[np.newaxis], rate_hz=44100)
        out = self.add(path)[0]
        self.assertEqual(len(out), 48000)
        spectrum = np.abs(np.fft.rfft(out[4000:44000] * np.blackman(40000))) / (0.42 * 20000)
        self.assertAlmostEqual(20 * np.log10(spectrum[15000]), -6.02, delta=0.05)
        spectrum[14980:15021] = 0
        self.assertLess(20 * np.log10(spectrum.max()), -120)

    def test_the_original_is_kept_byte_for_byte_and_once(self) -> None:
        path = write_wav(self.folder / "a.wav", noise(0.1))
        first = self.workspace.audio.add(path, "a.wav", sample_rate_hz=48000)
        second = self.workspace.audio.add(path, "b.wav", sample_rate_hz=48000)
        self.assertEqual(first.path, second.path)
        self.assertEqual(first.path.read_bytes(), path.read_bytes())

    def test_a_file_of_which_nothing_is_left_at_the_sessions_rate_is_refused(self) -> None:
        path = write_wav(self.folder / "single.wav", np.full((1, 1), 0.5), rate_hz=384000)
        with self.assertRaises(BadAudio) as caught:
            self.add(path)
        self.assertIn("too short", caught.exception.what)
        self.assertEqual(self.left_over(), [])

    def test_decoded_files_that_hold_nothing_are_silence(self) -> None:
        path = self.folder / "empty.f32"
        path.touch()
        mapped = MappedSamples(path, 2)
        mapped.release_pages()
        self.assertEqual(mapped.samples.shape, (0, 2))

    def test_what_is_whole_is_not_taken_for_cut(self) -> None:
        for kind in ("WAV", "RF64", "W64", "AIFF", "AU", "OGG", "FLAC", "CAF"):
            for n_samples in (1000, 1001):
                with self.subTest(kind, n_samples=n_samples):
                    path = self.folder / f"whole-{n_samples}.{kind.lower()}"
                    soundfile.write(path, noise(1.0, channels=1)[0, :n_samples], 48000, format=kind)
                    check_complete(path, path.name)
        streamed = bytearray((self.folder / "whole-1000.wav").read_bytes())
        at = streamed.index(b"data") + 4
        streamed[at : at + 4] = b"\xff\xff\xff\xff"
        (self.folder / "streamed.wav").write_bytes(streamed)
        check_complete(self.folder / "streamed.wav", "streamed.wav")

    def test_any_cut_through_a_file_is_told(self) -> None:
        for kind in ("WAV", "RF64", "W64", "AIFF", "AU", "OGG"):
            path = self.folder / f"whole.{kind.lower()}"
            soundfile.write(path, 0.3 * noise(1.0, channels=1)[0], 48000, format=kind)
            whole = path.read_bytes()
            for share in (0.05, 0.3, 0.5, 0.9, 0.999):
                with self.subTest(kind, share=share):
                    path.write_bytes(whole[: int(share * len(whole))])
                    with self.assertRaises(BadAudio):
                        self.add(path)
        self.assertEqual(self.left_over(), [])

    def test_bad_files_are_named_with_reason_and_remedy_and_leave_nothing(self) -> None:
        for name, (path, reason) in bad_files(self.folder).items():
            with self.subTest(name):
                with self.assertRaises(BadAudio) as caught:
                    self.workspace.audio.add(path, name, sample_rate_hz=48000)
                self.assertEqual(caught.exception.where, name)
                self.assertIn(reason, caught.exception.what)
                self.assertTrue(caught.exception.remedy)
                self.assertEqual(self.left_over(), [])

    def test_a_full_disk_is_said_and_leaves_nothing(self) -> None:
        path = write_wav(self.folder / "a.wav", noise(0.1))
        full = OSError(errno.ENOSPC, "No space left on device")
        with mock.patch("gemischt.storage.audio_files._write_resampled", side_effect=full):
            with self.assertRaises(StorageFailed) as caught:
                self.workspace.audio.add(path, "a.wav", sample_rate_hz=48000)
        self.assertIn("the disk is full", caught.exception.what)
        self.assertEqual(self.left_over(), [])

    def test_cancelling_leaves_nothing(self) -> None:
        path = write_wav(self.folder / "a.wav", noise(3.0))

        def stop(_share: float) -> None:
            raise Cancelled("stopped")

        with self.assertRaises(Cancelled):
            self.workspace.audio.add(path, "a.wav", sample_rate_hz=48000, progress=stop)
        self.assertEqual(self.left_over(), [])


class WritingTest(WorkspaceCase):
    def test_a_failed_write_keeps_what_was_there(self) -> None:
        path = self.folder / "kept.txt"
        path.write_text("old")
        with self.assertRaises(StorageFailed), written_beside(path) as temporary:
            temporary.write_text("half")
            raise OSError(errno.ENOSPC, "No space left on device")
        self.assertEqual(path.read_text(), "old")
        self.assertEqual([item.name for item in self.folder.glob(".writing*")], [])

    def test_a_missing_folder_is_named(self) -> None:
        with self.assertRaises(StorageFailed) as caught, written_beside(self.folder / "no" / "x.wav"):
            pass
        self.assertIn("does not exist", caught.exception.what)
