"""Write gemischt/core/data/head.npz: what arrives at one ear from all around, measured on a dummy head.

Measured by W. G. Gardner and K. D. Martin, MIT Media Lab Perceptual Computing Technical Report 280, 1994 (KEMAR, normal
pinna), whose authors let everybody use them who names them. The measurements come inside the package slab 1.8.0 as a
pickle, which is read here, once, and nowhere else:

    pip download --no-deps slab==1.8.0, unpacked; then python make_head.py slab/data/mit_kemar_normal_pinna.bz2

Both ears are alike there: what the right one hears is what the left one hears from the mirrored side, so that one is
kept. Of 512 samples 256 are kept, from shortly before the earliest sound on, the last 32 faded out.
"""

import bz2
import pickle
import sys
from pathlib import Path

import numpy as np

FIRST, KEPT, FADED = 20, 256, 32


class Bare:
    def __new__(cls, *arguments):
        return object.__new__(cls)

    def __setstate__(self, state):
        self.__dict__.update(state)


class Reader(pickle.Unpickler):
    def find_class(self, module, name):
        return super().find_class(module, name) if module.startswith("numpy") else type(name, (Bare,), {})


def main() -> None:
    with bz2.open(sys.argv[1]) as packed:
        measured = Reader(packed).load()
    places = np.array(measured.sources)
    azimuth = np.round((places[:, 0] + 180.0) % 360.0 - 180.0, 3)
    elevation = np.round(places[:, 1], 3)
    ears = np.array([np.asarray(response.data) for response in measured.data])
    for index in range(len(ears)):
        mirrored = np.flatnonzero((elevation == elevation[index]) & np.isclose((azimuth + azimuth[index]) % 360.0, 0.0))
        assert np.allclose(ears[index, :, 1], ears[mirrored[0], :, 0]), places[index]
    left = ears[:, FIRST : FIRST + KEPT, 0].copy()
    left[:, -FADED:] *= np.cos(np.linspace(0.0, np.pi / 2.0, FADED)) ** 2
    scale = float(np.abs(left).max()) / 32767.0
    np.savez_compressed(
        Path(__file__).parents[2] / "gemischt" / "core" / "data" / "head.npz",
        left=np.round(left / scale).astype(np.int16),
        scale=scale,
        azimuth_deg=azimuth.astype(np.float32),
        elevation_deg=elevation.astype(np.float32),
        sample_rate_hz=int(measured.samplerate),
    )


if __name__ == "__main__":
    main()
