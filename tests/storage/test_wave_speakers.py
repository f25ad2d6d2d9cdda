"""Which loudspeaker a file's channels are for: masks that are right, masks that lie, and scenes."""

import io
import struct
import unittest
from pathlib import Path
from typing import get_args

import numpy as np
import soundfile

from gemischt.core.errors import BadAudio
from gemischt.core.space.layout import LAYOUTS, LayoutName
from gemischt.operations.importing import import_file
from gemischt.operations.measuring import measure_file
from gemischt.storage.audio_reading import inspect_audio, read_blocks
from gemischt.storage.scene_description import described_labels, description_of
from gemischt.storage.wave_chunks import append_chunks, chunks_in, read_chunks
from gemischt.storage.wave_speakers import mask_of, order_in_file, speakers_of_file
from tests.support.workspaces import WorkspaceCase

SCENE = Path(__file__).parents[1] / "vectors" / "scene.wav"
BEDS = tuple(name for name in get_args(LayoutName) if LAYOUTS[name].n_channels > 2)


def samples_of(path: Path) -> np.ndarray:
    return np.concatenate(list(read_blocks(path, path.name)))


class SpeakersCase(WorkspaceCase):
    def file(self, n_channels: int, mask: int | None, *, form: str = "WAVEX") -> Path:
        """Each channel holds its place in the file, from 1, in hundredths."""
        path = self.folder / "bed.wav"
        samples = np.tile(0.01 * np.arange(1, n_channels + 1), (480, 1))
        soundfile.write(path, samples, 48000, subtype="FLOAT", format=form)
        if mask is not None:
            data = bytearray(path.read_bytes())
            struct.pack_into("<I", data, data.index(b"fmt ") + 28, mask)
            path.write_bytes(data)
        return path


class MasksTest(SpeakersCase):
    def test_known_masks(self) -> None:
        """From the header that defines them, from memory."""
        known = {"quad": 0x33, "5.1": 0x3F, "7.1": 0x63F, "5.1.4": 0x2D03F, "7.1.4": 0x2D63F, "4+4": None}
        self.assertEqual({name: mask_of(name) for name in BEDS}, known)

    def test_channels_come_in_the_layout_s_order(self) -> None:
        cases: tuple[tuple[int, int, str, list[int]], ...] = (
            (4, 0x33, "quad", [1, 2, 3, 4]),
            (4, 0x603, "quad", [1, 2, 3, 4]),
            (6, 0x3F, "5.1", [1, 2, 3, 4, 5, 6]),
            (6, 0x60F, "5.1", [1, 2, 3, 4, 5, 6]),
            (8, 0x63F, "7.1", [1, 2, 3, 4, 7, 8, 5, 6]),
            (10, 0x2D60F, "5.1.4", list(range(1, 11))),
            (12, 0x2D63F, "7.1.4", [1, 2, 3, 4, 7, 8, 5, 6, 9, 10, 11, 12]),
        )
        for n_channels, mask, layout, order in cases:
            with self.subTest(hex(mask)):
                path = self.file(n_channels, mask)
                track = import_file(self.workspace, path, "Bed.wav", sample_rate_hz=48000)
                self.assertEqual(track.layout, layout)
                kept = self.workspace.audio.samples(track.media.sha256, 48000).samples
                np.testing.assert_allclose(kept[100], 0.01 * np.array(order), atol=1e-7)
                self.assertEqual(measure_file(path).channels, n_channels)

    def test_a_mask_that_lies_says_nothing(self) -> None:
        """It names more or fewer loudspeakers than there are channels."""
        for mask in (0x0, 0x3, 0xFFFFFFFF):
            path = self.file(8, mask)
            self.assertEqual(speakers_of_file(path, "x", 8), ("7.1", tuple(range(8))))

    def test_loudspeakers_that_no_layout_has_are_told_by_name(self) -> None:
        path = self.file(4, 0x107)
        with self.assertRaises(BadAudio) as caught:
            inspect_audio(path, "Odd.wav")
        for word in ("FL FR FC BC", "Odd.wav", "5.1"):
            self.assertIn(word, f"{caught.exception} {caught.exception.where} {caught.exception.remedy}")

    def test_three_or_five_channels_are_explained(self) -> None:
        for count in (3, 5):
            with self.assertRaises(BadAudio) as caught:
                inspect_audio(self.file(count, None), "x.wav")
            self.assertIn(f"{count} channels", str(caught.exception))


class ScenesTest(SpeakersCase):
    def test_a_scene_of_another_program_in_an_order_of_its_own(self) -> None:
        """scene.wav was written by ear 2.1.0 as BW64; see tests/vectors."""
        self.assertEqual(SCENE.read_bytes()[:4], b"BW64")
        self.assertEqual(inspect_audio(SCENE, "Scene.wav").channels, 10)
        track = import_file(self.workspace, SCENE, "Scene.wav", sample_rate_hz=48000)
        self.assertEqual(track.layout, "5.1.4")
        np.testing.assert_allclose(samples_of(SCENE)[7], 0.01 * np.arange(1, 11), atol=1e-6)

    def test_what_is_described_is_what_is_read(self) -> None:
        for layout in BEDS:
            for order in (tuple(range(LAYOUTS[layout].n_channels)), order_in_file(layout)):
                chunks = description_of(layout, order, 'Böse <Name> & "Co"', 3723.5)
                labels = described_labels(chunks)
                assert labels is not None
                own = [channel.label for channel in LAYOUTS[layout].channels]
                self.assertEqual([labels[place] for place in order], own)

    def test_four_under_four_is_known_by_its_scene(self) -> None:
        """Eight channels without a word are 7.1."""
        path = self.file(8, 0)
        self.assertEqual(speakers_of_file(path, "x", 8)[0], "7.1")
        append_chunks(path, description_of("4+4", (1, 0, 2, 3, 4, 5, 6, 7), "Bed", 1.0))
        self.assertEqual(speakers_of_file(path, "x", 8), ("4+4", (1, 0, 2, 3, 4, 5, 6, 7)))
        np.testing.assert_allclose(samples_of(path)[0, :3], [0.02, 0.01, 0.03], atol=1e-7)

    def test_chunks_behind_the_audio_leave_it_as_it_is(self) -> None:
        for form in ("WAVEX", "RF64"):
            with self.subTest(form):
                path = self.file(6, None, form=form)
                before = soundfile.read(path)[0]
                append_chunks(path, {b"chna": b"odd", b"axml": b"<a/>"})
                np.testing.assert_array_equal(soundfile.read(path)[0], before)
                self.assertEqual(read_chunks(path, (b"axml", b"chna")), {b"chna": b"odd", b"axml": b"<a/>"})
                with path.open("rb") as file:
                    size = file.seek(0, io.SEEK_END)
                    file.seek(4)
                    short = struct.unpack("<I", file.read(4))[0]
                    file.seek(20)
                    long_size = struct.unpack("<Q", file.read(8))[0]
                    self.assertEqual(size - 8, short if form == "WAVEX" else long_size)
                    self.assertEqual([chunk.kind for chunk in chunks_in(file)][-2:], [b"chna", b"axml"])

    def test_descriptions_that_are_none_are_not_believed(self) -> None:
        """Whatever stands there, the file is read, and never for long."""
        good = description_of("4+4", tuple(range(8)), "Bed", 1.0)
        bomb = b'<?xml version="1.0"?><!DOCTYPE a [<!ENTITY x "yyyyyyyy"><!ENTITY y "&x;&x;">]><a>&y;</a>'
        random = np.random.default_rng(5)
        contents = [
            {b"chna": b"", b"axml": good[b"axml"]},
            {b"chna": good[b"chna"][:50], b"axml": good[b"axml"]},
            {b"chna": good[b"chna"], b"axml": bomb},
            {b"chna": good[b"chna"], b"axml": good[b"axml"][:300]},
            {b"chna": struct.pack("<HH", 65535, 65535) + good[b"chna"][4:]},
            *({b"chna": good[b"chna"][:4] + random.bytes(320), b"axml": random.bytes(300)} for _ in range(50)),
        ]
        for chunks in contents:
            path = self.file(8, 0)
            append_chunks(path, chunks)
            self.assertEqual(speakers_of_file(path, "x", 8)[0], "7.1")
            self.assertEqual(samples_of(path).shape, (480, 8))


if __name__ == "__main__":
    unittest.main()
