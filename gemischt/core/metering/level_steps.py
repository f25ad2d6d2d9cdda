"""Energies of signals in steps of 10 ms, K-weighted and plain, and the VU needle. Eight channels are worked on at once.

Reference: ITU-R BS.1770-5, annex 1; IEC 60268-17.
"""

from gemischt.core.audio import Audio, Single
from gemischt.core.dsp.decibels import flushed
from gemischt.core.dsp.jit import AUDIO, CUBE, INT, SINGLE_AUDIO, VECTOR, inline_kernel, measuring_kernel
from gemischt.core.dsp.lanes import (
    N_LANES,
    aligned,
    load,
    magnitudes,
    multiply_add,
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
TOTAL, HIGHEST_VU = 4, 8


@inline_kernel
def _move_needles(hop_samples: int, vu: Audio, kept: Audio) -> None:
    for k in range(kept.shape[1]):
        mean = kept[5, k] / hop_samples
        y = vu[0] * mean + kept[6, k]
        kept[6, k] = flushed(vu[1] * mean + kept[7, k] - vu[3] * y)
        kept[7, k] = flushed(vu[2] * mean - vu[4] * y)
        kept[8, k] = max(kept[8, k], y)
        kept[5, k] = 0.0


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
    less_two, least = spread(-2.0), spread(1e-30)
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
            total, rectified = load(state[4], 0), load(state[5], 0)
            energy = load(energies[at // step_samples - first], 8 * group)
            power = load(powers[at // step_samples - first], 8 * group)
            for j in range(end - i):
                x = load(part, 8 * j)
                total = total + x
                rectified = rectified + magnitudes(x)
                power = multiply_add(x, x, power)
                y = multiply_add(b0, x, u)
                u = multiply_add(a1, y, multiply_add(b1, x, v))
                v = multiply_add(a2, y, b2 * x)
                k = y + m
                m = multiply_add(c1, k, multiply_add(less_two, y, n))
                n = multiply_add(c2, k, y)
                energy = multiply_add(k, k, energy)
            store(state[4], 0, total)
            store(state[5], 0, rectified)
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
