"""Which bed a strip is placed in: loudspeakers around the listener, by azimuth, elevation and spread."""

from gemischt.core.session.document import Session, Strip
from gemischt.core.session.edits import replace_strip
from gemischt.core.space.layout import LAYOUTS, STEREO, Layout


def is_around(strip: Strip) -> bool:
    """Whether it is placed among the loudspeakers of a bed."""
    return strip.pan.mode == "around"


def destination_of(session: Session, strip: Strip) -> Strip:
    """Whose channels a strip plays into: its output's, or, if it plays nowhere, its first send's, or the mix's."""
    to = strip.output or next((send.to for send in strip.sends), None)
    return session.mix if to is None else session.strip(to)


def bed_of(session: Session, strip: Strip) -> Layout:
    """The layout that a strip is placed in: its destination's, unless its pan says otherwise."""
    name = strip.pan.bed or destination_of(session, strip).layout
    return STEREO if name is None else LAYOUTS[name]


def with_beds_written(session: Session) -> Session:
    """The same session where each strip that is placed around says in which bed, whatever becomes of its ways."""
    for strip in session.strips:
        if is_around(strip) and strip.pan.bed is None:
            pan = strip.pan.model_copy(update={"bed": bed_of(session, strip).name})
            session = replace_strip(session, strip.model_copy(update={"pan": pan}))
    return session
