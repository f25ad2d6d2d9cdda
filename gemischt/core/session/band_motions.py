"""Equaliser bands that move, as steps in front of their equalisers: what a band hears leads its gain."""

from collections.abc import Iterator
from typing import cast

from gemischt.core.keys import Key
from gemischt.core.processors.eq_params import BandMotion, EqBand
from gemischt.core.processors.filter_band import BUTTERWORTH_Q, GAIN_SHAPES, BandShape, FilterBand
from gemischt.core.routing.graph import walk_chain
from gemischt.core.session.document import Eq, Move, Processor, Session
from gemischt.core.session.edits import Chain
from gemischt.core.session.steps import FollowerStep, FollowerStepParams, Pull, both_on, switch_points

_RANGE = "range"
"""The band in front of a detector that hears what its equaliser band is about."""
_RANGE_SHAPES: dict[BandShape, BandShape] = {"bell": "band-pass", "low-shelf": "high-cut", "high-shelf": "low-cut"}


def motion_step_id(eq: str, band: str) -> str:
    """The id of a moving band's step; no processor of a document can have it."""
    return f"motion:{eq}:{band}"


def moving_bands(eq: Eq) -> Iterator[tuple[EqBand, BandMotion]]:
    """Its bands that move, those switched off included."""
    for band in eq.params.bands:
        if band.motion is not None and band.shape in GAIN_SHAPES:
            yield band, band.motion


def with_band_motions(session: Session) -> Session:
    """The session that sounds the same with what moves its bands as steps of chains."""
    moving = {
        strip.id: eqs
        for strip in session.strips
        if (eqs := [item for item in walk_chain(strip.chain) if item.type == "eq" and any(moving_bands(item))])
    }
    if not moving:
        return session
    strips = tuple(
        strip.model_copy(update={"chain": _with_steps(strip.chain)}) if strip.id in moving else strip
        for strip in session.strips
    )
    kept = [move for move in session.moves if "/motion/" not in move.target]
    found = {move.target: move for move in session.moves if move.on}
    for strip_id, eqs in moving.items():
        for eq in eqs:
            kept += _step_moves(strip_id, eq, found)
    return session.model_copy(update={"strips": strips, "moves": tuple(kept)})


def _with_steps(chain: Chain) -> Chain:
    changed: list[Processor] = []
    for processor in chain:
        if processor.type == "parallel":
            lanes = tuple(lane.model_copy(update={"chain": _with_steps(lane.chain)}) for lane in processor.lanes)
            changed.append(processor.model_copy(update={"lanes": lanes}))
        elif processor.type == "eq":
            changed += [cast(Processor, _step(processor, band, motion)) for band, motion in moving_bands(processor)]
            bands = tuple(band.model_copy(update={"motion": None}) for band in processor.params.bands)
            params = processor.params.model_copy(update={"bands": bands})
            changed.append(processor.model_copy(update={"params": params}))
        else:
            changed.append(processor)
    return tuple(changed)


def _step(eq: Eq, band: EqBand, motion: BandMotion) -> FollowerStep:
    pull = Pull.model_construct(field=f"chain/{eq.id}/bands/{band.id}/gain_db", to=motion.to_db, on=band.on)
    return FollowerStep.model_construct(
        id=motion_step_id(eq.id, band.id),
        type="follower",
        on=eq.on and motion.on,
        params=FollowerStepParams.model_construct(
            follower="",
            detector=motion.detector,
            floor_db=motion.from_level_db,
            ceiling_db=motion.full_level_db,
            bend=0.0,
            attack_ms=motion.attack_ms,
            release_ms=motion.release_ms,
            pulls=(pull,),
        ),
        key=_heard(band, motion),
    )


def _heard(band: EqBand, motion: BandMotion) -> Key:
    """What moves it: its key, of which it hears its own range if it is to."""
    shape = _RANGE_SHAPES.get(band.shape)
    if motion.hears == "all" or shape is None:
        return motion.key
    q = band.q if shape == "band-pass" else BUTTERWORTH_Q
    own = FilterBand.model_construct(id=_RANGE, shape=shape, frequency_hz=band.frequency_hz, q=q)
    bands = (own, *motion.key.filter.bands)
    return motion.key.model_copy(update={"filter": motion.key.filter.model_copy(update={"bands": bands})})


def _step_moves(strip_id: str, eq: Eq, moves: dict[str, Move]) -> Iterator[Move]:
    """What moves its bands' steps: their switch and the equaliser's, and where a band is that hears its own range."""
    at = f"strips/{strip_id}/chain/{eq.id}"
    for band, motion in moving_bands(eq):
        step = f"strips/{strip_id}/chain/{motion_step_id(eq.id, band.id)}"
        whole, own = moves.get(f"{at}/on"), moves.get(f"{at}/bands/{band.id}/motion/on")
        if whole or own:
            points = both_on(switch_points(whole, eq.on), switch_points(own, motion.on))
            yield Move.model_construct(target=f"{step}/on", on=True, points=points)
        for field in ("frequency_hz", "q") if motion.hears == "band" else ():
            if placed := moves.get(f"{at}/bands/{band.id}/{field}"):
                yield placed.model_copy(update={"target": f"{step}/key/filter/bands/{_RANGE}/{field}"})
