"""Prints: what is in the file is what the engine renders."""

import errno
import struct
from pathlib import Path
from unittest import mock

import numpy as np
import soundfile

from gemischt.core.engine import endings
from gemischt.core.errors import BadAudio, Cancelled, StorageFailed
from gemischt.core.printing import rendering
from gemischt.core.session.actions import parse_action
from gemischt.core.space.fold_down import matrix_between
from gemischt.core.space.headphones import Headphones
from gemischt.core.space.layout import LAYOUTS
from gemischt.operations.measuring import measure_file
from gemischt.operations.printing import Printed
from gemischt.storage.audio_writing import Quantizer
from tests.support.files import no_file_longer_than
from tests.support.prints import print_mix
from tests.support.signals import RATE_HZ, Signal, impulse, noise, sine
from tests.support.workspaces import WorkspaceCase


def _speakers_in(path: Path) -> int:
    """The mask of speakers in a WAV header, 0 if it says nothing."""
    data = path.read_bytes()
    at = data.index(b"fmt ") + 8
    is_extended = struct.unpack_from("<H", data, at)[0] == 0xFFFE
    return int(struct.unpack_from("<I", data, at + 20)[0]) if is_extended else 0


SPEAKERS = (("quad", 4, 0x33), ("5.1", 6, 0x3F), ("7.1", 8, 0x63F), ("5.1.4", 10, 0x2D03F), ("7.1.4", 12, 0x2D63F))
"""Masks from the header of WAVE_FORMAT_EXTENSIBLE, from memory; side loudspeakers come behind the back ones there."""


class PrintTest(WorkspaceCase):
    def printed(self, signal: Signal, bits: str = "32f", **options: float) -> Printed:
        session = self.new_session(tone=signal).session
        path = self.folder / "print.wav"
        return print_mix(session, self.workspace.open_media(session), path, bits=bits, **options)

    def test_float_print_is_the_signal(self) -> None:
        signal = noise(0.5)
        printed = self.printed(signal)
        read, rate_hz = soundfile.read(printed.path, always_2d=True)
        self.assertEqual(rate_hz, RATE_HZ)
        np.testing.assert_allclose(read.T, signal.astype(np.float32), atol=1e-7)

    def test_a_wide_mix_is_printed_with_all_its_channels(self) -> None:
        for layout, n_channels, speakers in SPEAKERS:
            with self.subTest(layout):
                signal = np.concatenate([noise(0.2, seed=k, channels=1) for k in range(n_channels)])
                stored = self.new_session(bed=signal)
                self.assertEqual(stored.session.strip("bed").layout, layout)
                change = {"type": "set-strips", "changes": [{"strip": "mix", "layout": layout}]}
                session = self.workspace.sessions.edit(stored.id, stored.revision, parse_action(change)).session
                path = self.folder / "wide.wav"
                printed = print_mix(session, self.workspace.open_media(session), path, bits="32f")
                self.assertEqual(printed.summary.channels, n_channels)
                read, _ = soundfile.read(path, always_2d=True)
                in_file = (
                    [0, 1, 2, 3, 6, 7, 4, 5, 8, 9, 10, 11][:n_channels] if "7.1" in layout else list(range(n_channels))
                )
                np.testing.assert_allclose(read.T, signal[in_file].astype(np.float32), atol=1e-7)
                self.assertEqual(_speakers_in(path), speakers)

    def test_a_wide_mix_is_folded_where_that_is_asked_for(self) -> None:
        signal = np.concatenate([noise(0.2, seed=k, channels=1) for k in range(6)])
        stored = self.new_session(bed=signal)
        change = {"type": "set-strips", "changes": [{"strip": "mix", "layout": "5.1"}]}
        session = self.workspace.sessions.edit(stored.id, stored.revision, parse_action(change)).session
        two = matrix_between(LAYOUTS["5.1"], LAYOUTS["stereo"]) @ signal.astype(np.float32)
        expected = {"stereo": two, "mono": two.mean(axis=0, keepdims=True)}
        expected["headphones"] = Headphones("5.1", RATE_HZ).process(signal.astype(np.float32).astype(np.float64))
        for folded, sound in expected.items():
            with self.subTest(folded):
                path = self.folder / f"{folded}.wav"
                media = self.workspace.open_media(session)
                printed = print_mix(session, media, path, channels=folded)
                read, _ = soundfile.read(path, always_2d=True)
                np.testing.assert_allclose(read.T[:, : sound.shape[1]], sound, atol=1e-6)
                self.assertEqual(printed.summary.channels, len(sound))

    def test_integers_are_rounded_not_floored(self) -> None:
        signal = noise(1.0, level=0.2)
        for bits, step in (("16", 2.0**-15), ("24", 2.0**-23)):
            with self.subTest(bits=bits):
                printed = self.printed(signal, bits=bits)
                read, _ = soundfile.read(printed.path, always_2d=True)
                error = read.T - signal.astype(np.float32)
                self.assertLess(abs(error.mean()), 0.02 * step)
                self.assertEqual(soundfile.info(str(printed.path)).subtype, f"PCM_{bits}")

    def test_dither_noise_of_16_bits(self) -> None:
        # Triangular dither 2 LSB wide plus rounding: -96.33 dB plain RMS (Lipshitz et al. 1992; identity q/2).
        quantizer = Quantizer(16)
        out = quantizer.quantize(np.zeros((2, 20 * RATE_HZ)))
        level_db = 20 * np.log10(np.sqrt(np.mean((out / 32768.0) ** 2)))
        self.assertAlmostEqual(level_db, -96.33, delta=0.05)

    def test_noise_under_a_full_scale_sine(self) -> None:
        # Identities of the step q: 16 bits with dither q / 2, 24 bits rounded q / sqrt(12), plain RMS.
        # A frequency whose samples do not repeat: their errors are spread evenly.
        tone = sine(997.31, 0.0, 20.0) * (1 - 2.0**-14)
        for bits, full_scale, noise_db, over_noise_db in (
            (16, 2.0**15, -96.33, 93.32),
            (24, 2.0**31, -149.27, 146.26),
        ):
            with self.subTest(bits=bits):
                frames = Quantizer(bits).quantize(tone)  # type: ignore[arg-type]
                level_db = 10 * np.log10(np.mean((frames / full_scale - tone.T) ** 2))
                self.assertAlmostEqual(level_db, noise_db, delta=0.05)
                self.assertAlmostEqual(10 * np.log10(np.mean(tone**2)) - level_db, over_noise_db, delta=0.05)

    def test_a_tone_under_half_a_step_survives_the_dither(self) -> None:
        # Without dither, 0.4 LSB would round to nothing.
        times = np.arange(20 * RATE_HZ) / RATE_HZ
        carrier = np.sin(2 * np.pi * 997 * times)
        frames = Quantizer(16).quantize(np.tile(0.4 / 32768.0 * carrier, (2, 1)))
        for channel in frames.T.astype(float):
            self.assertAlmostEqual(2 * np.mean(channel * carrier), 0.4, delta=0.01)

    def test_clipping_is_counted_and_happens_only_in_integers(self) -> None:
        hot = sine(100, 6.0, 0.2)
        self.assertEqual(self.printed(hot, "32f").clipped_samples, 0)
        printed = self.printed(hot, "24")
        self.assertGreater(printed.clipped_samples, 1000)
        self.assertAlmostEqual(printed.summary.sample_peak_dbfs, 6.0, places=2)
        read, _ = soundfile.read(printed.path)
        self.assertLessEqual(float(np.abs(read).max()), 1.0)

    def test_a_stretch(self) -> None:
        signal = noise(1.0)
        printed = self.printed(signal, from_s=0.25, to_s=0.5)
        read, _ = soundfile.read(printed.path, always_2d=True)
        np.testing.assert_allclose(read.T, signal.astype(np.float32)[:, 12000:24000], atol=1e-7)

    def test_summary_and_file_measure_the_same(self) -> None:
        printed = self.printed(noise(4.0))
        again = measure_file(printed.path)
        self.assertAlmostEqual(again.integrated_lufs, printed.summary.integrated_lufs, places=4)
        self.assertAlmostEqual(again.true_peak_dbtp, printed.summary.true_peak_dbtp, places=4)

    def ringing(self, feedback: float) -> Printed:
        """A click into half a second of delay."""
        stored = self.new_session(click=0.5 * impulse(4800, channels=2))
        echo = {"time_ms": 500.0, "feedback": feedback}
        action = parse_action({"type": "add-processor", "strip": "click", "processor": "delay", "params": echo})
        session = self.workspace.sessions.edit(stored.id, stored.revision, action).session
        return print_mix(session, self.workspace.open_media(session), self.folder / "print.wav", bits="32f")

    def test_what_rings_is_printed_until_it_is_silent_however_long_that_is(self) -> None:
        printed = self.ringing(0.9)
        read, _ = soundfile.read(printed.path, always_2d=True)
        # From -6 dBFS by 0.915 dB in half a second: under -90 dBFS after 46 s.
        self.assertIsNone(printed.ringing_dbfs)
        self.assertAlmostEqual(len(read) / RATE_HZ, 46.0, delta=1.0)
        self.assertGreater(float(np.abs(read[-1500:]).max()), 10 ** (-91 / 20))

    def test_what_rings_longer_than_the_longest_is_cut_and_said(self) -> None:
        with mock.patch.multiple(endings, LONGEST_TAIL_S=3.0), mock.patch.object(rendering, "LONGEST_TAIL_S", 3.0):
            printed = self.ringing(0.98)
        self.assertAlmostEqual(printed.summary.duration_s, 3.1, places=3)
        self.assertGreater(printed.ringing_dbfs or -200.0, -20.0)

    def test_nothing_to_print_is_said(self) -> None:
        session = self.new_session().session
        with self.assertRaises(BadAudio):
            print_mix(session, self.workspace.open_media(session), self.folder / "x.wav", bits="24")

    def test_cancelled_and_refused_prints_leave_no_file(self) -> None:
        session = self.new_session(tone=noise(1.0)).session
        media = self.workspace.open_media(session)

        def stop(share: float) -> None:
            if share > 0.3:
                raise Cancelled("stopped")

        with self.assertRaises(Cancelled):
            print_mix(session, media, self.folder / "x.wav", bits="24", progress=stop)
        with self.assertRaises(StorageFailed):
            print_mix(session, media, self.folder / "missing" / "x.wav", bits="24")
        self.assertEqual([path.name for path in self.folder.iterdir() if path.suffix == ".wav"], ["tone.wav"])

    def test_a_full_disk_while_printing_is_said(self) -> None:
        session = self.new_session(tone=noise(1.0)).session
        full = OSError(errno.ENOSPC, "No space left on device")
        with self.assertRaises(StorageFailed) as caught, mock.patch("soundfile.SoundFile.write", side_effect=full):
            print_mix(session, self.workspace.open_media(session), self.folder / "x.wav", bits="32f")
        self.assertIn("disk is full", caught.exception.what)
        self.assertFalse((self.folder / "x.wav").exists())

    def test_a_write_that_the_system_cuts_short_is_said(self) -> None:
        session = self.new_session(tone=noise(1.0)).session
        media = self.workspace.open_media(session)
        for bits in ("16", "24", "32f"):
            with self.subTest(bits), no_file_longer_than(100_000), self.assertRaises(StorageFailed):
                print_mix(session, media, self.folder / "x.wav", bits=bits)
            self.assertEqual([path.name for path in self.folder.iterdir() if path.suffix == ".wav"], ["tone.wav"])
