"""What the program finds when it examines a measured session.

gain      clipping inside and at the mix, true peaks, distance from the reference
routes    heard twice, sends that outlive their bus, nowhere, silent, muted triggers
dynamics  compressors and keys that never or always work
picture   lost in mono, wide lows, constant offset, noise before the first note
moves     curves that do nothing, or jump
ducks     what makes room: never back, always down, never started, twice at once, beside the beat
masking   what still covers a strip that others make room for
stage     where strips stand: crowded, lopsided, all wide, no mirrored pair
copies    the same source twice, late or upside down; lanes that comb
base      what a finding is, and what those who look for them are given
"""

from collections.abc import Callable, Iterator

from gemischt.core.analysis.findings import copies, ducks, dynamics, gain, masking, moves, picture, routes, stage
from gemischt.core.analysis.findings.base import Finding, Situation
from gemischt.core.engine.tap_reader import Report, no_report

EXAMINATIONS: tuple[Callable[[Situation], Iterator[Finding]], ...] = (
    gain.clipping_at_the_mix,
    gain.clipping_inside,
    gain.true_peak_at_the_mix,
    routes.outliving_their_bus,
    copies.same_source,
    copies.combing_lanes,
    picture.lost_in_mono,
    picture.wide_lows,
    routes.heard_twice,
    dynamics.idle_keys,
    dynamics.idle_and_busy_compressors,
    ducks.unfit_ducks,
    ducks.ducked_twice,
    masking.masking_that_remains,
    routes.muted_but_triggering,
    routes.playing_nowhere,
    routes.silent_tracks,
    picture.noise_before_the_first_note,
    picture.constant_offset,
    stage.stage_findings,
    gain.far_from_reference,
    moves.jumping_moves,
    moves.idle_moves,
)


def examine(situation: Situation, *, report: Report = no_report) -> list[Finding]:
    """Everything found, what is wrong before what is worth a look."""
    found: list[Finding] = []
    for done, examination in enumerate(EXAMINATIONS, start=1):
        found.extend(examination(situation))
        report(done / len(EXAMINATIONS))
    return sorted(found, key=lambda finding: finding.weight != "wrong")


__all__ = ["EXAMINATIONS", "Finding", "Situation", "examine"]
