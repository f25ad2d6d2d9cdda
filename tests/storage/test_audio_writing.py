"""Files of every format: what is in them is what was given, at the rate and with the noise that was asked for."""

import struct
import tempfile
import unittest
from pathlib import Path
from unittest import mock

import numpy as np
import soundfile
from scipy.signal import freqz, welch

from gemischt.core.dsp.noise_shaping import SHAPING
from gemischt.core.errors import BadAudio
from gemischt.core.session.prints import FormatName
from gemischt.core.space.layout import LAYOUTS, MONO, STEREO, Layout
from gemischt.storage import audio_writing
from gemischt.storage.audio_writing import FORMATS, AudioFileWriter, Label, Quantizer, rate_in_file
from gemischt.storage.wave_chunks import read_chunks
from gemischt.storage.wave_speakers import order_in_file
from gemischt.storage.wave_tags import start_in_file
from tests.support.signals import RATE_HZ, Signal, noise, sine


class WritingCase(unittest.TestCase):
    def setUp(self) -> None:
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.folder = Path(holder.name)

    def written(
        self,
        name: FormatName,
        signal: Signal,
        *,
        layout: Layout = STEREO,
        rate_hz: int = RATE_HZ,
        is_reversed: bool = False,
        label: Label | None = None,
    ) -> Path:
        path = self.folder / f"file{FORMATS[name].suffix}"
        writer = AudioFileWriter(
            path,
            name,
            layout,
            sample_rate_hz=RATE_HZ,
            rate_hz=rate_hz,
            most_samples=signal.shape[1],
            is_reversed=is_reversed,
        )
        for start in range(0, signal.shape[1], 4097):
            list(writer.write(signal[:, start : start + 4097]))
        list(writer.finish())
        if label is not None:
            writer.label(label)
        return path


class FormatsTest(WritingCase):
    def test_every_format_holds_what_was_given(self) -> None:
        tone = sine(997.0, -6.0, 1.0)
        steps = {16: 2.0**-15, 24: 2.0**-23, 32: 2.0**-24}
        for name, audio_format in FORMATS.items():
            with self.subTest(name):
                path = self.written(name, tone)
                read, rate_hz = soundfile.read(path, always_2d=True)
                self.assertEqual((rate_hz, read.shape), (RATE_HZ, (RATE_HZ, 2)))
                self.assertEqual(soundfile.info(str(path)).subtype, audio_format.subtype)
                error = read.T - tone
                if audio_format.is_lossy:
                    self.assertLess(10 * np.log10(np.mean(error**2) / np.mean(tone**2)), -30.0)
                else:
                    self.assertLess(float(np.abs(error).max()), 2.01 * steps[audio_format.bits])

    def test_backwards(self) -> None:
        signal = noise(3.0)
        read, _ = soundfile.read(self.written("wav-32f", signal, is_reversed=True), always_2d=True)
        np.testing.assert_array_equal(read.T, signal[:, ::-1].astype(np.float32))

    def test_another_rate_keeps_level_length_and_pitch(self) -> None:
        for rate_hz in (44100, 96000):
            with self.subTest(rate_hz):
                read, found_hz = soundfile.read(self.written("wav-32f", sine(997.0, -6.0, 2.0), rate_hz=rate_hz))
                self.assertEqual((found_hz, len(read)), (rate_hz, 2 * rate_hz))
                times = np.arange(2 * rate_hz) / rate_hz
                expected = 10 ** (-6 / 20) * np.sin(2 * np.pi * 997.0 * times)
                middle = slice(rate_hz // 2, -rate_hz // 2)
                self.assertLess(20 * np.log10(np.abs(read[middle, 0] - expected[middle]).max()), -110.0)

    def test_a_format_takes_the_nearest_of_its_rates(self) -> None:
        """What the library refuses: Opus is at 48 kHz, MP3 at no more."""
        for name, wanted_hz, expected_hz in (
            ("opus", 44100, 48000), ("opus", 96000, 48000), ("mp3", 88200, 44100), ("mp3", 96000, 48000),
            ("wav-24", 88200, 88200), ("vorbis", 96000, 96000),
        ):  # fmt: skip
            self.assertEqual(rate_in_file(FORMATS[name], wanted_hz), expected_hz)  # type: ignore[index]

    def test_more_channels_than_a_format_takes_are_refused_in_words(self) -> None:
        for name, layout in (("mp3", "quad"), ("flac-24", "5.1.4"), ("opus", "7.1.4")):
            with self.subTest(name), self.assertRaises(BadAudio) as caught:
                self.written(name, np.zeros((12, 10)), layout=LAYOUTS[layout])  # type: ignore[arg-type, index]
            self.assertIn("takes up to", caught.exception.what)

    def test_a_bed_is_described_in_wave_files_only(self) -> None:
        label = Label("Mix", "Song", 0.0, "2026-03-04T05:06:07+00:00")
        signal = np.concatenate([noise(0.1, seed=k, channels=1) for k in range(6)])
        path = self.written("wav-24", signal, layout=LAYOUTS["5.1"], label=label)
        self.assertEqual(set(read_chunks(path, (b"axml", b"chna", b"bext"))), {b"axml", b"chna", b"bext"})
        read, _ = soundfile.read(self.written("flac-24", signal, layout=LAYOUTS["5.1"], label=label))
        np.testing.assert_allclose(read.T, signal, atol=2.0**-23)


class LongTest(WritingCase):
    def test_what_counts_more_bytes_than_32_bits_hold_is_written_in_the_long_form(self) -> None:
        """The form of EBU Tech 3306, read back by the file library, with labels and speakers in it."""
        label = Label("Mix", "Song", 61.5, "2026-03-04T05:06:07+00:00")
        signal = np.concatenate([noise(0.5, seed=k, channels=1) for k in range(6)])
        with mock.patch.object(audio_writing, "_PLAIN_WAV_BYTES", 100_000):
            for layout in (STEREO, LAYOUTS["5.1"]):
                with self.subTest(layout.name):
                    given = signal[: layout.n_channels]
                    path = self.written("wav-24", given, layout=layout, label=label)
                    self.assertIn(path.read_bytes()[:4], (b"RF64", b"BW64"))
                    read, _ = soundfile.read(path, always_2d=True)
                    order = np.argsort(order_in_file(layout.name))
                    np.testing.assert_allclose(read.T, given[order], atol=2.0**-23)
                    self.assertEqual(start_in_file(path, RATE_HZ), 61.5)
                    # The long size counts all but the first eight bytes.
                    (counted,) = struct.unpack("<Q", read_chunks(path, (b"ds64",))[b"ds64"][:8])
                    self.assertEqual(counted, path.stat().st_size - 8)
            self.assertEqual(self.written("wav-24", signal[:1, :1000], layout=MONO).read_bytes()[:4], b"RIFF")


class LabelTest(WritingCase):
    def test_a_wave_file_says_what_it_is_and_where_it_begins(self) -> None:
        label = Label("Hall, reversed", "Ebbe & Flut", 61.5, "2026-03-04T05:06:07+00:00")
        path = self.written("wav-24", noise(0.5, channels=1), layout=MONO, label=label)
        self.assertEqual(start_in_file(path, RATE_HZ), 61.5)
        chunks = read_chunks(path, (b"bext", b"iXML", b"LIST"))
        # Offsets from EBU Tech 3285, from memory.
        self.assertEqual(chunks[b"bext"][:14], b"Hall, reversed")
        self.assertEqual((chunks[b"bext"][320:330], chunks[b"bext"][330:338]), (b"2026-03-04", b"05:06:07"))
        self.assertIn(b"<PROJECT>Ebbe &amp; Flut</PROJECT>", chunks[b"iXML"])
        with soundfile.SoundFile(str(path)) as file:
            self.assertEqual((file.title, len(file)), ("Hall, reversed", RATE_HZ // 2))

    def test_a_file_that_says_nothing_begins_nowhere(self) -> None:
        self.assertIsNone(start_in_file(self.written("wav-24", noise(0.1)), RATE_HZ))


class ShapedNoiseTest(unittest.TestCase):
    def test_its_spectrum_is_that_of_the_filter(self) -> None:
        """|1 - sum c_k z^-k|^2 times white noise of q / 2 (identity; dither 2 LSB wide and rounding)."""
        quantizer = Quantizer(16, shaped=True)
        frames = [quantizer.quantize(np.zeros((1, 4096))) for _ in range(240)]
        error = np.concatenate(frames)[:, 0].astype(float)
        frequencies, power = welch(error, RATE_HZ, nperseg=2048)
        _, response = freqz([1.0, *(-SHAPING)], worN=frequencies, fs=RATE_HZ)
        expected = np.abs(response) ** 2 * 0.25 / (RATE_HZ / 2)
        middle = slice(20, -20)
        off_db = 10 * np.log10(power[middle] / expected[middle])
        self.assertLess(float(np.abs(off_db).max()), 1.5)
        self.assertAlmostEqual(float(off_db.mean()), 0.0, delta=0.1)
        quiet = power[(frequencies > 2000) & (frequencies < 5000)].mean() * (RATE_HZ / 2)
        self.assertLess(10 * np.log10(quiet / 0.25), -10.0)

    def test_blocks_make_no_difference(self) -> None:
        signal = noise(0.5, level=0.01)
        whole = Quantizer(16, shaped=True).quantize(signal)
        cut = Quantizer(16, shaped=True)
        parts = [cut.quantize(np.ascontiguousarray(part)) for part in np.split(signal, [1, 7, 700, 9001], axis=1)]
        np.testing.assert_array_equal(np.concatenate(parts), whole)
