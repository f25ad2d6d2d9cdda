"""A layout's loudspeakers as two ears hear them, for headphones.

What arrives at an ear from each side was measured on a dummy head (core/data/README.md). Two ears of the same head hear
the mirrored; of the measured directions the nearest to a loudspeaker is taken, at most 6 degrees away. The head, the
loudspeaker of the measurement and its ear canal sound the same from everywhere on average: that average (diffuse
field, each direction by the part of the sphere it stands for) is taken out by a filter of least phase, as headphones
bring one of their own. Lows, which the measurement's loudspeaker hardly brought, are put back. Low-frequency effects
are left out, as in a fold-down.
"""

from functools import cache
from importlib.resources import files
from io import BytesIO
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from gemischt.core.audio import Audio
from gemischt.core.space.layout import LAYOUTS, LayoutName
from gemischt.core.space.vector_panning import Vectors, vectors_of

HALF_POWER = 0.5**0.5
_LINES = 1024
_MOST_BOOST_DB = 12.0
_SMOOTHED_OCTAVES = 1.0 / 3.0
_MEASURED_FROM_HZ = 300.0


class Head(NamedTuple):
    """What arrives at the left ear: responses (n, n_taps) from directions (n, 3)."""

    directions: Vectors
    responses: NDArray[np.float64]
    sample_rate_hz: int


@cache
def measured_head() -> Head:
    """The measurement as it is."""
    packed = files("gemischt.core.data").joinpath("head.npz").read_bytes()
    with np.load(BytesIO(packed), allow_pickle=False) as kept:
        directions = vectors_of(kept["azimuth_deg"].astype(float), kept["elevation_deg"].astype(float))
        return Head(directions, kept["left"] * float(kept["scale"]), int(kept["sample_rate_hz"]))


@cache
def equalised_head() -> Head:
    """The same without what all directions have in common."""
    head = measured_head()
    spectra = np.fft.rfft(head.responses, _LINES)
    # A ring of directions stands for the part of the sphere at its height.
    height = np.round(head.directions[:, 2], 3)
    _, ring, count = np.unique(height, return_inverse=True, return_counts=True)
    share = np.sqrt(np.maximum(1.0 - height**2, 0.0)) / count[ring] + 1e-4
    common = (share[:, np.newaxis] * np.abs(spectra) ** 2).sum(axis=0) / share.sum()
    inverse = _least_phase(1.0 / np.sqrt(_limited(_smoothed(common))))
    responses = np.fft.irfft(_with_lows(spectra * inverse, head.sample_rate_hz), _LINES)
    return head._replace(responses=responses[:, : head.responses.shape[1]])


def _with_lows(spectra: NDArray[np.complex128], sample_rate_hz: int) -> NDArray[np.complex128]:
    """Lows as a head does not weaken them: with the delay of the lowest line that was measured well, and less and less
    of what sets it apart in level."""
    first = round(_MEASURED_FROM_HZ * _LINES / sample_rate_hz)
    lines = np.arange(first)
    edge = spectra[:, first : first + 1]
    level = np.abs(edge) ** (lines / first)
    return np.concatenate([level * np.exp(1j * np.angle(edge) * lines / first), spectra[:, first:]], axis=1)


def ears_of(layout: LayoutName, sample_rate_hz: int) -> NDArray[np.float64]:
    """What both ears hear of each channel, (n_channels, 2, n_taps); both together get its power, on average."""
    head = equalised_head()
    found = []
    for channel in LAYOUTS[layout].channels:
        pair = np.zeros((2, head.responses.shape[1]))
        if not channel.is_lfe:
            for ear, side in enumerate((1.0, -1.0)):
                way = vectors_of(side * channel.azimuth_deg, channel.elevation_deg)
                pair[ear] = head.responses[int(np.argmax(head.directions @ way))]
        found.append(pair)
    taps = np.array(found) * HALF_POWER
    if sample_rate_hz == head.sample_rate_hz:
        return taps
    # Only now: to import it takes a second, and few songs are heard so.
    from scipy.signal import resample_poly

    common = int(np.gcd(sample_rate_hz, head.sample_rate_hz))
    up, down = sample_rate_hz // common, head.sample_rate_hz // common
    resampled: NDArray[np.float64] = resample_poly(taps, up, down, axis=-1) * (down / up)
    return resampled


def _smoothed(power: NDArray[np.float64]) -> NDArray[np.float64]:
    """Mean over a band around each line, lines by their number."""
    lines = np.arange(len(power))
    half = 2.0 ** (0.5 * _SMOOTHED_OCTAVES)
    first, last = np.floor(lines / half).astype(int), np.minimum(np.ceil(lines * half).astype(int) + 1, len(power))
    sums = np.concatenate([[0.0], np.cumsum(power)])
    smoothed: NDArray[np.float64] = (sums[last] - sums[first]) / (last - first)
    return smoothed


def _limited(power: NDArray[np.float64]) -> NDArray[np.float64]:
    """Nothing is raised too far above what the middle of the spectrum is raised."""
    limited: NDArray[np.float64] = np.maximum(power, float(np.median(power)) * 10.0 ** (-_MOST_BOOST_DB / 10.0))
    return limited


def _least_phase(magnitude: NDArray[np.float64]) -> NDArray[np.complex128]:
    """The spectrum of a filter of such magnitudes and least phase, by its cepstrum (Oppenheim, Schafer, Discrete-Time
    Signal Processing, from memory)."""
    cepstrum = np.fft.irfft(np.log(magnitude), _LINES)
    cepstrum[1 : _LINES // 2] *= 2.0
    cepstrum[_LINES // 2 + 1 :] = 0.0
    return np.asarray(np.exp(np.fft.rfft(cepstrum, _LINES)), np.complex128)


class Headphones:
    """What both ears hear of a layout, block by block. State: what has sounded, as long as the responses are."""

    def __init__(self, layout: LayoutName, sample_rate_hz: int) -> None:
        self._taps = ears_of(layout, sample_rate_hz)
        self._before = np.zeros((len(self._taps), self._taps.shape[-1] - 1))
        self._spectra: dict[int, NDArray[np.complex128]] = {}

    @property
    def n_ringing(self) -> int:
        """For so many samples it goes on after what it hears, and is not whole before them."""
        return int(self._before.shape[1])

    def process(self, sound: Audio) -> Audio:
        """Of a block (n_channels, n), a new array (2, n)."""
        joined = np.concatenate([self._before, sound], axis=1)
        n_before, n_samples = self._before.shape[1], sound.shape[1]
        size = 1 << (joined.shape[1] - 1).bit_length()
        if size not in self._spectra:
            self._spectra[size] = np.fft.rfft(self._taps, size)
        heard = np.einsum("cel,cl->el", self._spectra[size], np.fft.rfft(joined, size))
        self._before = joined[:, n_samples:]
        found: Audio = np.fft.irfft(heard, size)[:, n_before : n_before + n_samples]
        return np.ascontiguousarray(found)
