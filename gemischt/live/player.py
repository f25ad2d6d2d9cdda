"""The engine thread of one session: renders a little ahead of what was heard."""

import contextlib
import logging
import threading
from collections import deque
from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from queue import Empty, SimpleQueue
from typing import Any

import numpy as np

from gemischt.core.audio import Audio
from gemischt.core.engine.buffer_names import STAGES
from gemischt.core.engine.endings import SILENT_DBFS
from gemischt.core.engine.led_parameters import LedParameter, LedParameters
from gemischt.core.engine.probe import StripProbe
from gemischt.core.engine.renderer import Renderer
from gemischt.core.metering.ballistics import FLOOR_DB, MeterBank
from gemischt.core.metering.loudness import LoudnessMeter
from gemischt.core.metering.true_peak import TruePeakMeter
from gemischt.core.session.document import Session
from gemischt.core.units import db_to_gain
from gemischt.live.frames import Frame
from gemischt.live.key_listener import KeyListener
from gemischt.live.lead import Lead
from gemischt.live.monitor import Monitor, MonitorMode
from gemischt.live.transport import Transport
from gemischt.operations.workspace import OpenMedia

BLOCK_SAMPLES = 512
_log = logging.getLogger(__name__)
SPECTRUM_EVERY_BLOCKS = 4
RELEASE_EVERY_S = 20.0
SILENT_S = 0.5
LONGEST_RINGING_S = 30.0
"""How long playback goes on behind the last clip until it is silent."""


@dataclass(frozen=True)
class _Edit:
    """A wish to go on with another session; without a serial it was kept."""

    session: Session
    media: OpenMedia
    revision: int
    serial: int | None


class Player:
    """Plays one session on a thread of its own.

    Every public method may be called from any thread; it leaves a wish that the thread fulfils between two blocks.
    """

    def __init__(
        self,
        session: Session,
        media: OpenMedia,
        revision: int,
        *,
        on_frame: Callable[[Frame], None],
        on_transport: Callable[[Transport], None],
        on_led: Callable[[tuple[LedParameter, ...]], None],
        on_failure: Callable[[str], None],
    ) -> None:
        self._on_frame = on_frame
        self._on_led = on_led
        self._on_transport = on_transport
        self._on_failure = on_failure
        self._rate = session.sample_rate_hz
        self._media = media
        self._renderer = Renderer(session, media.samples, max_block=BLOCK_SAMPLES)
        self._probe: StripProbe | None = None
        self._revision = revision
        self._serial = 0
        # Of the edit that is to be heard; told once it is.
        self._coming = (revision, 0)
        self._plan = self._renderer.plan
        self._led = LedParameters(self._plan)
        self._lead = Lead()
        # Nobody who wishes waits for anybody: an event loop may.
        self._wishes: SimpleQueue[Callable[[], Any] | _Edit | None] = SimpleQueue()
        self.transport = Transport()
        self._sent_samples = 0
        self._played_samples = 0
        self._blocks = 0
        self._silent_samples = 0
        self._unreleased = 0
        self._heard: deque[tuple[int, float]] = deque(maxlen=64)
        self._set_mix_meters()
        self._bank = self._new_bank()
        self._monitor = Monitor(BLOCK_SAMPLES, self._rate)
        self._mode: MonitorMode = "stereo"
        self._dim = False
        self._key_listener = KeyListener()
        # The other of two sessions that are compared: rendered alongside, so that switching is instant.
        self._other: Renderer | None = None
        self._other_media: OpenMedia | None = None
        self._other_monitor = Monitor(BLOCK_SAMPLES, self._rate)
        self._other_offset_db = 0.0
        self._thread = threading.Thread(target=self._run, name="player", daemon=True)
        self._thread.start()

    @property
    def length_samples(self) -> int:
        """End of the last clip."""
        return self._renderer.length_samples

    @property
    def strips(self) -> tuple[str, ...]:
        """Strip ids in the order of the meters."""
        return self._renderer.plan.blueprint.strips

    @property
    def led(self) -> tuple[LedParameter, ...]:
        """What followers lead, in the order of a frame's values."""
        return self._led.told

    def play(self, at_samples: int | None) -> None:
        self._wish(lambda: self._jump(self.transport.play(at_samples, self.length_samples)))

    def stop(self) -> None:
        self._wish(lambda: self._jump(self.transport.stop(self._heard_position())))

    def seek(self, to_samples: int) -> None:
        self._wish(lambda: self._jump(self.transport.seek(to_samples)))

    def set_loop(self, loop: tuple[int, int] | None) -> None:
        self._wish(lambda: self._set_loop(loop))

    def played(self, epoch: int, samples: int, missed: int = 0) -> None:
        """The listener has had this many samples of an epoch, and has missed so many blocks since it is there."""

        def note() -> None:
            if epoch == self.transport.epoch:
                self._played_samples = max(self._played_samples, samples)
                self._lead.heard(self._played_samples / self._rate, missed)

        self._wish(note)

    def watch(self, strip_id: str | None) -> None:
        self._wish(lambda: self._look_at(strip_id))

    def listen(self, mode: MonitorMode, *, dim: bool) -> None:
        """Hear the mix in another way; what is printed and measured stays as it is."""

        def listen() -> None:
            self._mode, self._dim = mode, dim
            self._set_monitors(glide=True)

        self._wish(listen)

    def hear_key(self, step: tuple[str, str] | None) -> None:
        """Hear what a step listens to instead of the mix; nothing of it is printed or measured."""
        self._wish(lambda: self._key_listener.choose(step))

    def compare(self, session: Session | None, media: OpenMedia | None, *, offset_db: float = 0.0) -> None:
        """Render another session alongside, turned by ``offset_db``; None ends it."""

        def compare() -> None:
            self._other = None
            self._other_offset_db = offset_db
            if session is not None and media is not None:
                self._other_media = media
                self._other = Renderer(session, media.samples, max_block=BLOCK_SAMPLES)
                self._other.set_loop(self.transport.loop)
                self._align_other()
            self._set_monitors(glide=False)

        self._wish(compare)

    def edit(self, session: Session, media: OpenMedia, *, revision: int, serial: int | None = None) -> None:
        """Go on with a changed session; ``revision`` and ``serial`` are told with the first sound that has it."""
        self._wishes.put(_Edit(session, media, revision, serial))

    def brace(self) -> None:
        """The machine is about to be busy for a moment."""
        self._wish(self._lead.brace)

    def reach(self) -> None:
        """Be close behind what is done from now on."""
        self._wish(self._lead.relax)

    def close(self) -> None:
        """Stop the thread."""
        self._wishes.put(None)
        self._thread.join()

    def _wish(self, wish: Callable[[], Any]) -> None:
        self._wishes.put(wish)

    def _run(self) -> None:
        while True:
            wishes = self._taken_wishes()
            # Each edit is a whole session: of those that wait the newest is enough.
            newest = next((wish for wish in reversed(wishes) if isinstance(wish, _Edit)), None)
            for wish in wishes:
                if wish is None:
                    return
                if not isinstance(wish, _Edit):
                    self._supervised(wish)
                elif wish is newest:
                    self._supervised(partial(self._edit, wish))
            if self._block_is_due_s() == 0.0:
                self._supervised(self._send_block)

    def _taken_wishes(self) -> list[Callable[[], Any] | _Edit | None]:
        """All that wait; with nothing else to do, once there is one or a block is due. None ends the thread."""
        wishes: list[Callable[[], Any] | _Edit | None] = []
        with contextlib.suppress(Empty):
            due_s = self._block_is_due_s()
            if due_s != 0.0:
                wishes.append(self._wishes.get(timeout=due_s))
            while True:
                wishes.append(self._wishes.get_nowait())
        return wishes

    def _supervised(self, work: Callable[[], Any]) -> None:
        """Let nothing end the thread: what fails is logged and told, and playback stops where it was."""
        try:
            work()
        except Exception as error:
            _log.exception("playback of revision %s failed", self._revision)
            self._other = None
            self.transport = self.transport.stop(self.transport.position_samples)
            self._on_transport(self.transport)
            self._on_failure(f"playback stopped: it could not go on ({error})")

    def _block_is_due_s(self) -> float | None:
        return self._lead.due_s(self._sent_samples / self._rate) if self.transport.playing else None

    def _send_block(self) -> None:
        renderer = self._renderer
        latency = renderer.latency_samples
        before = renderer.position_samples
        sound = renderer.render_block(BLOCK_SAMPLES)
        self._follow_plan()
        n_samples = sound.shape[1]
        heard = self._wrapped(before - latency)
        self._on_frame(self._frame(sound, n_samples, heard))
        self._heard.append((self._sent_samples, heard))
        self._sent_samples += n_samples
        self.transport = self.transport.advanced(renderer.position_samples)
        self._unreleased += n_samples
        if self._unreleased > RELEASE_EVERY_S * self._rate:
            self._media.release_pages()
            self._unreleased = 0
        if self.transport.loop is None and self._has_rung_out(sound, before - latency):
            self._jump(self.transport.stop(self.length_samples))

    def _has_rung_out(self, sound: Audio, position_samples: int) -> bool:
        """Whether the song is over and what rang behind it, too."""
        beyond = position_samples - self.length_samples
        silent = beyond >= 0 and float(np.abs(sound).max()) < db_to_gain(SILENT_DBFS)
        self._silent_samples = self._silent_samples + sound.shape[1] if silent else 0
        return self._silent_samples > SILENT_S * self._rate or beyond > LONGEST_RINGING_S * self._rate

    def _set_monitors(self, *, glide: bool) -> None:
        self._monitor.set(self._mode, dim=self._dim, offset_db=0.0, glide=glide)
        self._other_monitor.set(self._mode, dim=self._dim, offset_db=self._other_offset_db, glide=glide)

    def _align_other(self) -> None:
        """Let the other session sound at the same place of the song, whatever the two delay."""
        if self._other is not None:
            own = self._renderer
            place = own.position_samples - own.latency_samples + self._other.latency_samples
            self._other.seek(place)

    def _render_other(self, n_samples: int) -> Audio | None:
        """As much of the other session, which may meet its loop's end elsewhere."""
        if self._other is None:
            return None
        return self._other_monitor.process(self._other.render(n_samples), self._other.plan.blueprint.layout)

    def _frame(self, sound: Audio, n_samples: int, heard: float) -> Frame:
        plan = self._renderer.plan
        other = self._render_other(n_samples)
        self._loudness.process(sound, n_samples)
        self._true_peak.process(sound, n_samples)
        mix = (
            self._loudness.momentary_lufs,
            self._loudness.short_term_lufs,
            self._loudness.integrated_lufs,
            self._true_peak.max_dbtp,
        )
        probe = self._probe
        probed = probe.readings(n_samples) if probe else np.zeros((0, 3), np.float32)
        with_spectrum = probe is not None and len(probed) and self._blocks % SPECTRUM_EVERY_BLOCKS == 0
        self._blocks += 1
        led = self._led.values(n_samples)
        curves = self._led.equalizer_curves_db(probe.strip_id, led) if probe and with_spectrum else np.zeros(0)
        listened = self._monitor.process(self._key_listener.process(plan, sound, n_samples), plan.blueprint.layout)
        return Frame(
            epoch=self.transport.epoch,
            serial=self._serial,
            revision=self._revision,
            first_sample=self._sent_samples,
            position_samples=heard,
            n_samples=n_samples,
            mix=np.maximum(np.array(mix, np.float32), np.float32(FLOOR_DB)),
            meters=self._bank.advance(plan.meters, n_samples).ravel(),
            reductions=plan.reductions_db(n_samples),
            probe=probed.ravel(),
            spectrum=probe.spectrum.levels_db().astype(np.float32)
            if probe and with_spectrum
            else np.zeros(0, np.float32),
            led=np.array([FLOOR_DB if value is None else value for value in led], np.float32),
            curves=curves.astype(np.float32),
            scope=probe.seen(plan, n_samples) if probe else np.zeros(0, np.float32),
            sound=listened.astype(np.float32).ravel(),
            other=np.zeros(0, np.float32) if other is None else other.astype(np.float32).ravel(),
        )

    def _jump(self, transport: Transport) -> None:
        if transport.playing and not self.transport.playing:
            self._loudness.reset_integration()
            self._true_peak.reset()
        self.transport = transport
        self._renderer.seek(transport.position_samples)
        self._follow_plan()
        self._align_other()
        self._sent_samples = self._played_samples = self._silent_samples = 0
        self._lead.begin()
        self._heard.clear()
        self._on_transport(transport)

    def _set_loop(self, loop: tuple[int, int] | None) -> None:
        self.transport = self.transport.set_loop(loop)
        self._renderer.set_loop(self.transport.loop)
        if self._other is not None:
            self._other.set_loop(self.transport.loop)
        self._on_transport(self.transport)

    def _edit(self, edit: _Edit) -> None:
        if edit.serial is None:
            # An edit that is kept has the page drawn and the song measured anew.
            self._lead.brace()
        else:
            self._lead.relax()
        self._media = edit.media
        self._renderer.edit(edit.session, edit.media.samples)
        if not self.transport.playing:
            self._renderer.settle()
        self._coming = (edit.revision, self._coming[1] if edit.serial is None else edit.serial)
        self._follow_plan()

    def _follow_plan(self) -> None:
        """Keep up with what the renderer plays by now."""
        if not self._led.are_of(self._renderer.plan):
            before_led, self._led = self._led.told, LedParameters(self._renderer.plan)
            if self._led.told != before_led:
                self._on_led(self._led.told)
        if self._renderer.is_settled or self._renderer.plan is not self._plan:
            self._revision, self._serial = self._coming
        if self._renderer.plan is self._plan:
            return
        before, self._plan = self._plan, self._renderer.plan
        if self._probe is not None:
            # The chain may have another order now.
            self._look_at(self._probe.strip_id)
        if self._plan.blueprint.latency_samples != before.blueprint.latency_samples:
            self._align_other()
        if self._plan.blueprint.layout != before.blueprint.layout:
            self._set_mix_meters()
        if self.strips != before.blueprint.strips:
            self._bank = self._new_bank()
            self._on_transport(self.transport)

    def _look_at(self, strip_id: str | None) -> None:
        """Read one strip closely, or none."""
        self._probe = self._renderer.probe = StripProbe(strip_id, self._rate) if strip_id else None

    def _set_mix_meters(self) -> None:
        """Meters of the mix for the channels it has now."""
        layout = self._plan.blueprint.layout
        self._loudness = LoudnessMeter(self._rate, layout)
        self._true_peak = TruePeakMeter(layout.n_channels, max_block=BLOCK_SAMPLES)

    def _new_bank(self) -> MeterBank:
        return MeterBank(len(self.strips), len(STAGES), self._rate)

    def _heard_position(self) -> int:
        if not self.transport.playing:
            return self.transport.position_samples
        position = float(self.transport.position_samples)
        for first_sample, heard in self._heard:
            if first_sample <= self._played_samples:
                position = heard + self._played_samples - first_sample
        return int(position)

    def _wrapped(self, position: int) -> float:
        loop = self.transport.loop
        if loop is not None and position < loop[0] <= self._renderer.position_samples and self._sent_samples:
            return float(position + loop[1] - loop[0])
        return float(max(0, position))
