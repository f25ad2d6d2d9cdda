"""Where on a strip a signal is read: names of the buffers that hold it, and the stages at which it is metered."""

from typing import NamedTuple

from gemischt.core.terms import Tap

STAGES = ("source", "pre-fader", "post-fader")
SOURCE, PRE_FADER, POST_FADER = range(3)


def strip_buffer(strip_id: str, point: str) -> str:
    """Name of the buffer that holds a strip at a point."""
    return f"{strip_id}/{point}"


def work_buffer(strip_id: str) -> str:
    """Name of the buffer a strip's own chain works in; after the chain it is the pre-fader tap."""
    return strip_buffer(strip_id, "work")


def pre_chain_buffer(strip_id: str) -> str:
    """Name of the buffer that keeps what enters a strip's chain, where somebody hears that."""
    return strip_buffer(strip_id, "pre-chain")


def lane_buffer(strip_id: str, block_id: str, lane_id: str) -> str:
    """Name of the buffer that holds a lane's signal before its level."""
    return "/".join((strip_id, block_id, lane_id))


def signal_name(strip_id: str, processor_id: str, signal: str) -> str:
    """Name of what a processor hears, or decides."""
    return "/".join((strip_id, processor_id, signal))


class Point(NamedTuple):
    """Where a strip is read: at a tap, or in its chain behind a processor or a lane, which stands before its level."""

    strip: str
    tap: Tap = "post-fader"
    after: str | None = None


def point_buffer(point: Point) -> str:
    """Name of the buffer that holds a strip at a point, in a blueprint that keeps it."""
    if point.after is not None:
        return strip_buffer(point.strip, f"after {point.after}")
    return work_buffer(point.strip) if point.tap == "pre-fader" else strip_buffer(point.strip, point.tap)
