"""Energies of signals in steps of 10 ms, K-weighted and plain, and the VU needle. Eight channels are worked on at once.

Reference: ITU-R BS.1770-5, annex 1; IEC 60268-17.
"""

from gemischt.core.audio import Audio, Single
from gemischt.core.dsp.decibels import TRACE, flushed
from gemischt.core.dsp.fma import fma
from gemischt.core.dsp.jit import AUDIO, CUBE, INT, SINGLE_AUDIO, VECTOR, inline_kernel, measuring_kernel
from gemischt.core.dsp.simd import (
    N_LANES,
    aligned,
    load,
    magnitudes,
    spread,
    store,
    transpose,
    without_traces,
)

LONGEST_HOP_SAMPLES = 160
"""How many samples at most the needle waits for, a few milliseconds: it needs a hundred to move visibly."""
SPARE_SAMPLES = N_LANES
"""So much longer rows must be than what is measured of them."""
N_KEPT = 9
"""What is remembered of each channel: two sums of either section of the weighting, the total, what moves the needle
next, the needle's two sums, and how far it got."""
TOTAL, RECTIFIED, NEEDLE, HIGHEST_VU = 4, 5, 6, 8


def hop_samples(step_samples: int) -> int:
    """How often the needle moves: the longest part of a step that is short enough."""
    return next(part for part in range(LONGEST_HOP_SAMPLES, 0, -1) if step_samples % part == 0)


@inline_kernel
def _move_needles(hop_samples: int, vu: Audio, kept: Audio) -> None:
    for k in range(kept.shape[1]):
        mean = kept[RECTIFIED, k] / hop_samples
        y = vu[0] * mean + kept[NEEDLE, k]
        kept[NEEDLE, k] = flushed(vu[1] * mean + kept[NEEDLE + 1, k] - vu[3] * y)
        kept[NEEDLE + 1, k] = flushed(vu[2] * mean - vu[4] * y)
        kept[HIGHEST_VU, k] = max(kept[HIGHEST_VU, k], y)
        kept[RECTIFIED, k] = 0.0


@measuring_kernel(SINGLE_AUDIO, INT, INT, INT, INT, AUDIO, VECTOR, CUBE, AUDIO, AUDIO)
def measure_steps(
    rows: Single,
    n_samples: int,
    offset_samples: int,
    step_samples: int,
    hop_samples: int,
    sections: Audio,
    vu: Audio,
    kept: Audio,
    energies: Audio,
    powers: Audio,
) -> None:
    """Add up a block.

    Args:
        rows: channels, (8 * n_groups, >= n + 8).
        offset_samples: where the block begins.
        hop_samples: how often the needle moves; a part of a step, at most 160.
        sections: (2, 5) the K-weighting; of the second, the numerator is 1, -2, 1.
        vu: (5,) the needle's section.
        kept: (n_groups, 9, 8) what is remembered of each channel.
        energies, powers: (steps touched by this block, 8 * n_groups), K-weighted and plain, added to.
    """
    b0, b1, b2 = spread(sections[0, 0]), spread(sections[0, 1]), spread(sections[0, 2])
    a1, a2 = spread(-sections[0, 3]), spread(-sections[0, 4])
    c1, c2 = spread(-sections[1, 3]), spread(-sections[1, 4])
    less_two, least = spread(-2.0), spread(TRACE)
    first = offset_samples // step_samples
    length = rows.shape[1]
    flat = rows.reshape(rows.size)
    part = aligned(8 * (160 + 8))
    for group in range(kept.shape[0]):
        state = kept[group]
        u, v, m, n = load(state[0], 0), load(state[1], 0), load(state[2], 0), load(state[3], 0)
        i = 0
        while i < n_samples:
            at = offset_samples + i
            end = min(n_samples, (at // hop_samples + 1) * hop_samples - offset_samples)
            for j in range(i, end, 8):
                transpose(flat, 8 * group * length + j, length, part, 8 * (j - i), 8)
            total, rectified = load(state[TOTAL], 0), load(state[RECTIFIED], 0)
            energy = load(energies[at // step_samples - first], 8 * group)
            power = load(powers[at // step_samples - first], 8 * group)
            for j in range(end - i):
                x = load(part, 8 * j)
                total = total + x
                rectified = rectified + magnitudes(x)
                power = fma(x, x, power)
                y = fma(b0, x, u)
                u = fma(a1, y, fma(b1, x, v))
                v = fma(a2, y, b2 * x)
                k = y + m
                m = fma(c1, k, fma(less_two, y, n))
                n = fma(c2, k, y)
                energy = fma(k, k, energy)
            store(state[TOTAL], 0, total)
            store(state[RECTIFIED], 0, rectified)
            store(energies[at // step_samples - first], 8 * group, energy)
            store(powers[at // step_samples - first], 8 * group, power)
            i = end
            if (offset_samples + end) % hop_samples == 0:
                _move_needles(hop_samples, vu, state)
        # Decays must not reach the denormal range, which is slow; what follows silence is not changed by it.
        store(state[0], 0, without_traces(u, least))
        store(state[1], 0, without_traces(v, least))
        store(state[2], 0, without_traces(m, least))
        store(state[3], 0, without_traces(n, least))
