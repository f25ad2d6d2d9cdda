"""Each processor and meter against references: a C++ effects library, ffmpeg's filters, scipy."""

import shutil
import subprocess
import tempfile
from pathlib import Path

import numpy as np
import pedalboard
import pyloudnorm
import soundfile
from scipy import signal

from bench.timing import interleaved, report
from gemischt.core.audio import Audio
from gemischt.core.metering.loudness import LoudnessMeter
from gemischt.core.metering.true_peak import TruePeakMeter
from gemischt.core.parameters import FrozenModel
from gemischt.core.processors import eq
from gemischt.core.processors.compressor_params import CompressorParams
from gemischt.core.processors.delay_params import DelayParams
from gemischt.core.processors.eq_params import EqBand, EqParams
from gemischt.core.processors.limiter_params import LimiterParams
from gemischt.core.processors.reverb_params import ReverbParams
from gemischt.core.processors.saturator_params import SaturatorParams
from gemischt.core.space.layout import STEREO
from tests.support.places import Alone

RATE_HZ = 48000
SECONDS = 4
BLOCK = 512
AUDIO = 0.1 * np.random.default_rng(1).standard_normal((2, SECONDS * RATE_HZ))
BLOCKS = [np.ascontiguousarray(AUDIO[:, at : at + BLOCK]) for at in range(0, AUDIO.shape[1], BLOCK)]
BLOCKS_FLOAT = [block.astype(np.float32) for block in BLOCKS]


def run() -> None:
    equalizer()
    compressor()
    effects()
    meters()


def equalizer() -> None:
    params = EqParams(bands=tuple(EqBand(frequency_hz=200.0 * 3**k, gain_db=3.0, q=1.0) for k in range(4)))
    own = Alone("eq", max_block=BLOCK)
    own.set(params)
    audio = own.audio
    peer = pedalboard.Pedalboard(
        [pedalboard.PeakFilter(cutoff_frequency_hz=200.0 * 3**k, gain_db=3.0, q=1.0) for k in range(4)]
    )
    sos = np.array([(b0, b1, b2, 1.0, a1, a2) for b0, b1, b2, a1, a2 in eq.design_sections(params, RATE_HZ)[::2][:4]])

    def ours() -> None:
        for block in BLOCKS:
            audio[:] = block
            own.run(BLOCK)

    def theirs() -> None:
        for block in BLOCKS_FLOAT:
            peer(block, RATE_HZ, reset=False)

    def by_scipy() -> None:
        state = np.zeros((4, 2, 2))
        for block in BLOCKS:
            _, state = signal.sosfilt(sos, block, axis=1, zi=state)

    times = interleaved(**{"ours": ours, "C++ effects library": theirs, "scipy.signal.sosfilt": by_scipy})
    report("eq, 4 bands, stereo, block 512", SECONDS, times, "8 x the C++ library")


def compressor() -> None:
    own = Alone("compressor", max_block=BLOCK)
    own.set(CompressorParams(threshold_db=-24.0))
    audio = own.audio
    peer = pedalboard.Pedalboard(
        [pedalboard.Compressor(threshold_db=-24.0, ratio=4.0, attack_ms=5.0, release_ms=120.0)]
    )

    def ours() -> None:
        for block in BLOCKS:
            audio[:] = block
            own.run(BLOCK)

    def theirs() -> None:
        for block in BLOCKS_FLOAT:
            peer(block, RATE_HZ, reset=False)

    report(
        "compressor, stereo, block 512", SECONDS, interleaved(**{"ours": ours, "C++ effects library": theirs}), "5 x"
    )


def effects() -> None:
    """What has a peer in the C++ library, side by side; the saturator's peer bends without oversampling."""
    pairs: tuple[tuple[str, FrozenModel, pedalboard.Plugin, str], ...] = (
        ("reverb", ReverbParams(wet=0.5), pedalboard.Reverb(room_size=0.6), "4 x"),
        ("delay", DelayParams(wet=0.5), pedalboard.Delay(0.35, 0.35, 0.5), "3 x"),
        ("saturator", SaturatorParams(), pedalboard.Distortion(6.0), "1.5 x"),
        ("limiter", LimiterParams(), pedalboard.Limiter(-1.0, 80.0), "1 x"),
    )
    for kind, params, peer, goal in pairs:
        own = Alone(kind, max_block=BLOCK)
        own.set(params)
        board = pedalboard.Pedalboard([peer])

        def ours(own: Alone = own, audio: Audio = own.audio) -> None:
            for block in BLOCKS:
                audio[:] = block
                own.run(BLOCK)

        def theirs(board: pedalboard.Pedalboard = board) -> None:
            for block in BLOCKS_FLOAT:
                board(block, RATE_HZ, reset=False)

        times = interleaved(**{"ours": ours, "C++ effects library": theirs})
        report(f"{kind}, stereo, block 512", SECONDS, times, goal)


def meters() -> None:
    def ours() -> tuple[float, float]:
        loudness = LoudnessMeter(RATE_HZ, STEREO)
        true_peak = TruePeakMeter(2, max_block=8192)
        for at in range(0, AUDIO.shape[1], 8192):
            block = np.ascontiguousarray(AUDIO[:, at : at + 8192])
            loudness.process(block, block.shape[1])
            true_peak.process(block, block.shape[1])
        return loudness.integrated_lufs, true_peak.max_dbtp

    def by_libraries() -> tuple[float, float]:
        between = signal.resample_poly(AUDIO, 4, 1, axis=1)
        lufs = float(pyloudnorm.Meter(RATE_HZ, filter_class="DeMan").integrated_loudness(AUDIO.T))
        return lufs, float(20 * np.log10(np.abs(between).max()))

    report("loudness and true peak", SECONDS, interleaved(ours=ours, pyloudnorm_scipy=by_libraries), "3 x")
    for name, own, other in zip(("loudness, LU", "true peak, dB"), ours(), by_libraries(), strict=True):
        print(f"  agreement in {name:18s} {own - other:+8.3f}   (goal: within 0.1 and 0.2)")
    if not shutil.which("ffmpeg"):
        print("  ffmpeg is not installed; its filter is left out")
        return
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "noise.wav"
        repeats = 30
        soundfile.write(path, np.tile(AUDIO.T, (repeats, 1)).astype(np.float32), RATE_HZ, subtype="FLOAT")
        command = ["ffmpeg", "-v", "quiet", "-i", str(path), "-af", "ebur128=peak=true", "-f", "null", "-"]

        def by_ffmpeg() -> None:
            subprocess.run(command, check=True, stderr=subprocess.DEVNULL)

        times = interleaved(ours=lambda: [ours() for _ in range(repeats)], ffmpeg_ebur128=by_ffmpeg)
        report("loudness and true peak", SECONDS * repeats, times, "3 x ffmpeg, its start-up included")
