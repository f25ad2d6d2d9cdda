"""Measuring a whole session: every strip at every stage, rendering only what an edit has changed.

Strips are rendered in the order of the signal, each alone. What a strip is before its fader is kept; a strip further on
plays it instead of rendering it, while it is still being written if need be. What was measured is kept under the
fingerprint of all that feeds it.
"""

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field
from functools import partial
from typing import Any

import numpy as np

from gemischt.core.analysis.cache.figures import (
    inside_to_json,
    post_key,
    pre_key,
    stage_from,
    stereo_from,
    stereo_to_json,
)
from gemischt.core.analysis.cache.fingerprints import StripPrints, fingerprints
from gemischt.core.analysis.cache.renders import RenderStore
from gemischt.core.analysis.measurement.gain_shift import GainShift, gain_shift_of, turned
from gemischt.core.analysis.measurement.results import (
    MixCurve,
    Reduction,
    SongMeasurement,
    Stage,
    StripMeasurement,
    levels_from_json,
    levels_to_json,
    rounded_lufs,
)
from gemischt.core.analysis.measurement.source_powers import envelope_of, onset_of
from gemischt.core.analysis.measurement.strip_meters import (
    BLOCK_SAMPLES,
    Keeper,
    StripMeters,
    processor_name,
)
from gemischt.core.analysis.measurement.team import Growing, OneAfterTheOther, Team
from gemischt.core.analysis.sub_sessions.strip import Alone, pre_chain_taps, strip_alone, strip_from_its_fader
from gemischt.core.audio import MediaSamples
from gemischt.core.engine.blueprint import draw_blueprint
from gemischt.core.engine.buffer_names import pre_chain_buffer, work_buffer
from gemischt.core.engine.clip_placing import song_length_samples
from gemischt.core.engine.plan import Plan
from gemischt.core.engine.tap_reader import Media, Report, no_report
from gemischt.core.metering.loudness import lufs_to_powers, powers_to_lufs
from gemischt.core.routing.graph import edges_of, processing_order, walk_chain
from gemischt.core.routing.solo import with_solo_applied
from gemischt.core.session.document import Session, Strip, StripTap
from gemischt.core.session.ducking import with_steps_in_chains
from gemischt.core.session.kinds import traits_of
from gemischt.core.session.steps import is_after_fader, sounding_steps, split_at_fader, strip_followers
from gemischt.core.units import finite_or_none


def measure_song(
    session: Session,
    media: Media,
    media_hashes: Mapping[str, str],
    store: RenderStore,
    *,
    report: Report = no_report,
    team: Team | None = None,
) -> SongMeasurement:
    """Measure every strip at every stage, from the beginning to the end of the last clip.

    Args:
        media_hashes: hash of the content of each media id.
        store: where rendered audio and figures are found and kept.
        report: called often with the share that is done; what it raises stops the work.
        team: who measures strips; without one it is done one after the other.
    """
    session = with_steps_in_chains(with_solo_applied(session))
    length = song_length_samples(session, media)
    prints = fingerprints(session, media_hashes, length)
    work = _Measuring(session, media, prints, store, length, report, team or OneAfterTheOther())
    strips = work.run()
    return SongMeasurement(
        duration_s=length / session.sample_rate_hz,
        strips=strips,
        curve=work.mix_curve(),
        rendered=len(work.rendered),
        prints=prints,
    )


def fingerprints_of(session: Session, media: Media, media_hashes: Mapping[str, str]) -> dict[str, StripPrints]:
    """Under which hashes what is measured of a session is kept."""
    session = with_steps_in_chains(with_solo_applied(session))
    return fingerprints(session, media_hashes, song_length_samples(session, media))


@dataclass
class _Measuring:
    session: Session
    media: Media
    prints: Mapping[str, StripPrints]
    store: RenderStore
    length: int
    report: Report
    team: Team
    # Strips that had to be rendered, and those that are done: a team may add to them from any thread.
    rendered: list[str] = field(default_factory=list)
    _done: list[str] = field(default_factory=list)
    # What is being rendered now, by fingerprint.
    _arriving: dict[str, Growing] = field(default_factory=dict)
    # Figures that have been read or kept, by key.
    _known: dict[str, dict[str, Any]] = field(default_factory=dict)

    def run(self) -> dict[str, StripMeasurement]:
        """Every strip, in document order."""
        found = self.team.measure(self._sources(), self._measure)
        return {strip.id: found[strip.id] for strip in self.session.strips}

    def _sources(self) -> dict[str, set[str]]:
        """What each strip hears, those left out that are played from their clips."""
        sources: dict[str, set[str]] = {strip_id: set() for strip_id in processing_order(self.session)}
        for edge in edges_of(self.session):
            if edge.source != edge.destination and not plays_itself(self.session.strip(edge.source)):
                sources[edge.destination].add(edge.source)
        return sources

    def _tell(self) -> None:
        self.report(len(self._done) / len(self.session.strips))

    def _measure(self, strip_id: str) -> StripMeasurement:
        strip = self.session.strip(strip_id)
        prints = self.prints[strip_id]
        if self._lacks(self._figure_keys(strip, prints)):
            self._render_with_chain(strip)
        turn = self._turn(strip, prints)
        behind_fader = [post_key(prints)] if turn is None else []
        if strip.kind == "mix":
            behind_fader.append(self._curve_key())
        if self._lacks(behind_fader):
            # Nobody hears the mix, so that it is not kept.
            (self._render_with_chain if strip.kind == "mix" else self._render_from_fader)(strip)
        measured = self._gather(strip, prints, turn)
        self._done.append(strip_id)
        self._tell()
        return measured

    def mix_curve(self) -> MixCurve:
        """The mix over the song, once it is measured."""
        curve = MixCurve(**{name: tuple(values) for name, values in self._figures(self._curve_key()).items()})
        turn = self._turn_of(self.session.mix)
        return curve if turn is None else curve.turned(turn.peak_db, turn.loudness_db)

    def _lacks(self, keys: Sequence[str]) -> bool:
        return any(self._found(key) is None for key in keys)

    def _figures(self, key: str) -> dict[str, Any]:
        found = self._found(key)
        if found is None:
            raise LookupError(f"the figures {key} were not kept")
        return found

    def _found(self, key: str) -> dict[str, Any] | None:
        """Figures, read once from the store."""
        found = self._known.get(key) or self.store.figures(key)
        if found is not None:
            self._known[key] = found
        return found

    def _keep_figures(self, key: str, figures: dict[str, Any]) -> None:
        self._known[key] = figures
        self.store.keep_figures(key, figures)

    def _figure_keys(self, strip: Strip, prints: StripPrints) -> list[str]:
        """Where the strip's figures up to its fader are kept."""
        keys = [prints.source, *prints.chain, pre_key(prints)]
        return [*keys, prints.pre_chain] if self._is_trimmed(strip) else keys

    def _is_trimmed(self, strip: Strip) -> bool:
        """Whether levels after trim and pick-up are others than the source's."""
        return strip.trim_db != 0.0 or strip.input != "as-is" or _moves_trim(self.session, strip)

    def _curve_key(self) -> str:
        """Where the mix's curve is kept: what it is before the fader, if the rest follows from that."""
        mix = self.session.mix
        key = post_key if self._turn_of(mix) is None else pre_key
        return f"{key(self.prints[mix.id])}-curve"

    def _turn_of(self, strip: Strip) -> GainShift | None:
        """What fader and pan do to the figures, where that is arithmetic but for overs."""
        prints = self.prints[strip.id]
        n_channels = int(self._figures(pre_key(prints))["channels"])
        return gain_shift_of(self.session, strip, n_channels, prints.heard_gain, led=prints.led)

    def _turn(self, strip: Strip, prints: StripPrints) -> GainShift | None:
        """What fader and pan do to the figures, where that is arithmetic."""
        turn = self._turn_of(strip)
        if turn is None or turn == GainShift.by_db(0.0):
            return turn
        peak_dbfs = levels_from_json(self._figures(pre_key(prints))).sample_peak_dbfs
        # How many samples are over can only be counted.
        return None if peak_dbfs + turn.peak_db > 0.0 else turn

    def _has_late_feeds(self, strip: Strip, prints: StripPrints) -> bool:
        n_before = len(split_at_fader(sounding_steps(strip.chain))[0])
        return prints.pre_fader != (prints.chain[n_before - 1] if n_before else prints.pre_chain)

    def _render_with_chain(self, strip: Strip) -> None:
        self._render(strip, strip_alone(self.session, strip, self.prints), with_chain=True)

    def _render_from_fader(self, strip: Strip) -> None:
        self._render(strip, strip_from_its_fader(self.session, strip, self.prints), with_chain=False)

    def _audio(self, tap: StripTap, arriving: list[Growing]) -> MediaSamples:
        """What a strip is at a tap; what is still being rendered is added to ``arriving``."""
        strip_id, point = tap
        fingerprint = self.prints[strip_id].at(point)
        coming = self._arriving.get(fingerprint)
        if coming is not None:
            arriving.append(coming)
            return coming.samples
        samples = self.store.audio(fingerprint)
        if samples is None:
            self._render_with_chain(self.session.strip(strip_id))
            samples = self.store.audio(fingerprint)
        if samples is None:
            raise LookupError(f"the render of {strip_id} was not kept")
        return samples

    def _plan_of(self, alone: Alone, taps: Collection[StripTap]) -> tuple[Plan, list[Growing]]:
        """A strip's small session, ready to run, and what has to be waited for while it runs."""
        arriving: list[Growing] = []
        media = {**self.media, **{media_id: self._audio(tap, arriving) for media_id, tap in alone.taps.items()}}
        blueprint = draw_blueprint(alone.session, media, taps=taps)
        return Plan(blueprint, media, max_block=BLOCK_SAMPLES), arriving

    def _render(self, strip: Strip, alone: Alone, *, with_chain: bool) -> None:
        self.rendered.append(strip.id)
        prints = self.prints[strip.id]
        kept = self._kept_buffers(strip, prints) if with_chain else {}
        taps: set[StripTap] = {(strip.id, "pre-fader"), (strip.id, "post-fader")}
        if pre_chain_buffer(strip.id) in kept.values():
            taps.add((strip.id, "pre-chain"))
        plan, arriving = self._plan_of(alone, taps)
        total = self.length + max(plan.blueprint.lags.values(), default=0)
        watching = StripMeters(plan, strip, self.session.sample_rate_hz)
        try:
            if with_chain:
                watching.chain(
                    strip, late=self._has_late_feeds(strip, prints), trim_moves=_moves_trim(self.session, strip)
                )
                for fingerprint, buffer in kept.items():
                    keeper = Keeper(self.store, self.team, fingerprint, plan, buffer, total)
                    watching.keep(keeper)
                    self._arriving[fingerprint] = keeper.arriving
                self.team.begun(strip.id)
            if strip.kind == "mix":
                self._watch_mix(watching)
            elif not with_chain:
                watching.output()
            watching.begin()
            self._run(plan, watching, arriving, total)
        except BaseException:
            for keeper in watching.keepers:
                keeper.discard()
            raise
        for keeper in watching.keepers:
            keeper.finish()
            self._arriving.pop(keeper.fingerprint, None)
        self._keep(strip, prints, watching, with_chain=with_chain)

    def _watch_mix(self, watching: StripMeters) -> None:
        mix = self.session.mix
        prints = self.prints[mix.id]
        turn = gain_shift_of(self.session, mix, watching.n_channels, prints.heard_gain, led=prints.led)
        if turn is None or watching.n_channels == 1:
            watching.output()
        else:
            watching.turned_output(turn)
        watching.curve(self.length, at_output=turn is None)

    def _kept_buffers(self, strip: Strip, prints: StripPrints) -> dict[str, str]:
        """What others may hear of a strip: fingerprints and buffers."""
        buffers: dict[str, str] = {}
        if traits_of(strip).takes_signals and strip.id in pre_chain_taps(self.session):
            buffers[prints.pre_chain] = pre_chain_buffer(strip.id)
        if strip.kind != "mix" and not plays_itself(strip):
            buffers[prints.pre_fader] = work_buffer(strip.id)
        return buffers

    def _run(self, plan: Plan, watching: StripMeters, arriving: list[Growing], total_samples: int) -> None:
        with self.team.behind() as do_behind:
            for position in range(0, total_samples, BLOCK_SAMPLES):
                n_samples = min(BLOCK_SAMPLES, total_samples - position)
                for coming in arriving:
                    coming.wait_for(position + n_samples)
                plan.run_watched(position, n_samples, watching.watchers, leave_out=watching.unneeded)
                do_behind(partial(watching.see, watching.taken(), n_samples))
                self._tell()

    def _keep(self, strip: Strip, prints: StripPrints, watching: StripMeters, *, with_chain: bool) -> None:
        keep = self._keep_figures
        if with_chain:
            powers = watching.source_powers()
            onset_s, noise_dbfs = onset_of(powers)
            first_note = {"onset_s": onset_s, "noise_dbfs": finite_or_none(noise_dbfs)}
            at_end = levels_to_json(watching.levels("source"))
            keep(prints.source, at_end | first_note | {"envelope_db": envelope_of(powers)})
            if watching.measures("trim"):
                at_end = levels_to_json(watching.levels("trim"))
                keep(prints.pre_chain, at_end)
            for processor, fingerprint in zip(sounding_steps(strip.chain), prints.chain, strict=True):
                leaving = levels_to_json(watching.levels(processor_name(processor.id)))
                at_end = at_end if is_after_fader(processor) else leaving
                reductions = [
                    [inner.id, *watching.reductions[inner.id].figures()]
                    for inner in walk_chain((processor,))
                    if inner.id in watching.reductions
                ]
                inside = inside_to_json(processor, watching)
                keep(fingerprint, leaving | {"reductions": reductions, "inside": inside})
            if watching.measures("pre-fader"):
                at_end = levels_to_json(watching.levels("pre-fader"))
            stereo = stereo_to_json(watching.stereo_levels())
            hops = rounded_lufs(powers_to_lufs(watching.hop_powers()), places=3)
            keep(pre_key(prints), at_end | {"channels": watching.n_channels, "stereo": stereo, "hops_lufs": hops})
        if watching.measures("post-fader"):
            post = levels_to_json(watching.levels("post-fader"))
            keep(post_key(prints), post | {"stereo": stereo_to_json(watching.post_stereo_levels())})
        curve = watching.mix_curve()
        if curve is not None:
            keep(self._curve_key(), vars(curve))

    def _gather(self, strip: Strip, prints: StripPrints, turn: GainShift | None) -> StripMeasurement:
        figures = self._figures
        source = figures(prints.source)
        levels = levels_from_json(source)
        stages = [Stage("source", None, levels)]
        trimmed = levels_from_json(figures(prints.pre_chain)) if self._is_trimmed(strip) else levels
        stages.append(Stage("trim", None, trimmed))
        reductions: list[Reduction] = []
        for processor, fingerprint in zip(sounding_steps(strip.chain), prints.chain, strict=True):
            found = figures(fingerprint)
            stages.extend(stage_from(inner) for inner in found["inside"])
            stages.append(Stage("processor", processor.id, levels_from_json(found)))
            reductions.extend(Reduction(*values) for values in found["reductions"])
        pre = figures(pre_key(prints))
        stages.append(Stage("pre-fader", None, levels_from_json(pre)))
        post = figures(post_key(prints)) if turn is None else None
        after = levels_from_json(pre)
        if turn is not None:
            after = turned(after, turn, lufs_to_powers(np.array(pre["hops_lufs"])))
        stages.append(Stage("post-fader", None, after if post is None else levels_from_json(post)))
        return StripMeasurement(
            strip=strip.id,
            stages=tuple(stages),
            reductions=tuple(reductions),
            stereo=stereo_from((post or pre)["stereo"], turn),
            onset_s=source["onset_s"],
            noise_dbfs=source["noise_dbfs"],
            envelope_db=tuple(source["envelope_db"]),
        )


def plays_itself(strip: Strip) -> bool:
    """Whether a strip's audio before the fader is cheaper played from its clips than kept."""
    return traits_of(strip).plays_clips and not strip.chain


def _moves_trim(session: Session, strip: Strip) -> bool:
    """Whether a strip's trim or polarity moves over the song."""
    if strip_followers(strip.chain):
        return True
    led = {f"strips/{strip.id}/{field}" for field in ("trim_db", "polarity_inverted")}
    return any(move.on and move.target in led for move in session.moves)
