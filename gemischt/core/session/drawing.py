"""Changing drawn curves: parts cut out and put back, strokes thinned, stretches scaled, shifted and copied.

All of it is pure: from points to points, outside the touched stretch the curve stays what it was.
"""

import math
from bisect import bisect_left, bisect_right
from collections.abc import Callable, Iterable
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from gemischt.core.parameters import LOWEST_LEVEL_DB, Parameter, Value
from gemischt.core.session.addresses import read
from gemischt.core.session.document import MovePoint, Session
from gemischt.core.session.moves import BEND, SILENT_PARTS, Curve, curve_of, with_points

Points = tuple[MovePoint, ...]

THIN_DB = 0.1
THIN_OCTAVES = 1.0 / 24.0
THIN_SHARE = 1.0 / 500.0
THIN_DECIMALS = 3
"""How far a thinned stroke may stray from what was drawn: of levels, of frequencies and times, of a range; and its
grain in time."""


def from_time(curve: Curve, at_s: float) -> Points:
    """The curve from a time on, beginning with a point there."""
    points = curve.points
    place = bisect_right(points, at_s, key=_time_of) - 1
    if place < 0:
        return _joined([MovePoint(at_s=at_s, value=points[0].value)], points)
    begin, later = points[place], points[place + 1 :]
    if begin.at_s == at_s:
        return points[place:]
    value = curve.value_at(at_s)
    if not later:
        return (_point(at_s, value),)
    share = (at_s - begin.at_s) / (later[0].at_s - begin.at_s)
    if _fades(curve, begin, later[0]) and later[0].value is not None:
        return (_point(at_s, value), *_along(curve, begin, later[0], share, 1.0), *later)
    return (_point(at_s, value, begin.bend * (1.0 - share)), *later)


def until_time(curve: Curve, at_s: float) -> Points:
    """The curve until a time, ending with a point there."""
    points = curve.points
    place = bisect_left(points, at_s, key=_time_of)
    earlier = points[:place]
    if place == len(points):
        return (*earlier, _point(at_s, points[-1].value))
    if points[place].at_s == at_s:
        return points[: place + 1]
    value = curve.value_at(at_s)
    if not earlier:
        return (_point(at_s, value),)
    begin, end = earlier[-1], points[place]
    share = (at_s - begin.at_s) / (end.at_s - begin.at_s)
    if _fades(curve, begin, end) and begin.value is not None:
        return (*earlier, *_along(curve, begin, end, 0.0, share), _point(at_s, value))
    bent = begin.model_copy(update={"bend": begin.bend * share})
    return (*earlier[:-1], bent, _point(at_s, value))


def stretch_of(curve: Curve, from_s: float, to_s: float) -> Points:
    """The curve between two times, with a point at either."""
    return until_time(Curve(curve.target, from_time(curve, from_s), curve.parameter), to_s)


def replaced(curve: Curve, stroke: Points, *, return_s: float = 0.0) -> Points:
    """The curve with a stroke in the place of what lay there; so long behind it the old curve is reached again."""
    before = until_time(curve, stroke[0].at_s)
    end_s = stroke[-1].at_s
    behind = from_time(curve, round(end_s + return_s, THIN_DECIMALS) if return_s else end_s)
    return _joined(before, stroke, behind)


def thinned(points: Points, parameter: Parameter) -> Points:
    """A stroke without the points it can do without: no value strays further than can be heard.

    Ramer 1972, Douglas and Peucker 1973, with the distance taken along the value.
    """
    grained = uncrowded(
        [_point(round(point.at_s, THIN_DECIMALS), _grained(parameter, point.value)) for point in points]
    )
    if parameter.kind == "switch":
        changes = [
            point
            for index, point in enumerate(grained)
            if index == 0 or index == len(grained) - 1 or point.value != grained[index - 1].value
        ]
        return tuple(changes)
    heights = np.array([height_of(parameter, point.value) for point in grained])
    times_s = np.array([point.at_s for point in grained])
    silent = np.array([point.value is None for point in grained])
    kept = _needed(times_s, heights, silent, _tolerance(parameter))
    return tuple(point for point, keep in zip(grained, kept, strict=True) if keep)


def _needed(
    times_s: NDArray[np.float64], heights: NDArray[np.float64], silent: NDArray[np.bool_], tolerance: float
) -> NDArray[np.bool_]:
    """Which points of a line have to stay, (n,)."""
    kept = np.zeros(len(times_s), bool)
    kept[[0, -1]] = True
    # What comes from silence is no straight line in dB, and a step is none in time.
    steps = np.diff(times_s) == 0.0
    kept[:-1] |= steps | (silent[:-1] != silent[1:])
    kept[1:] |= steps | (silent[:-1] != silent[1:])
    fixed = np.flatnonzero(kept)
    open_ones = list(pairwise(fixed))
    while open_ones:
        first, last = open_ones.pop()
        if last - first < 2:
            continue
        span_s = times_s[last] - times_s[first]
        shares = (times_s[first + 1 : last] - times_s[first]) / span_s if span_s > 0.0 else 0.0
        line = heights[first] + shares * (heights[last] - heights[first])
        astray = np.abs(heights[first + 1 : last] - line)
        worst = int(np.argmax(astray))
        if astray[worst] > tolerance:
            place = first + 1 + worst
            kept[place] = True
            open_ones += [(first, place), (place, last)]
    return kept


def reshaped(curve: Curve, from_s: float | None, to_s: float | None, *, by: float, times: float) -> Points:
    """The curve with a stretch, or all of it, shifted and scaled around the middle of its range.

    Args:
        by: how far up, in dB, in octaves of what is logarithmic, else in the parameter's unit.
        times: how many times as high.
    """
    whole = from_s is None or to_s is None
    points = curve.points if from_s is None or to_s is None else stretch_of(curve, from_s, to_s)
    heights = [height_of(curve.parameter, point.value) for point in points if point.value is not None]
    middle = 0.5 * (min(heights) + max(heights)) if heights else 0.0

    def change(value: Value) -> Value:
        if value is None:
            return None
        height = height_of(curve.parameter, value)
        return held(curve.parameter, value_of_height(curve.parameter, middle + times * (height - middle) + by))

    changed = tuple(point.model_copy(update={"value": change(point.value)}) for point in points)
    return changed if whole else replaced(curve, changed)


def copied(source: Curve, from_s: float, to_s: float, into: Curve, carried_to: Callable[[float], float]) -> Points:
    """``into`` with a stretch of another curve in it; ``carried_to`` says where a time of the source comes to lie."""
    stretch = tuple(
        point.model_copy(
            update={"at_s": carried_to(point.at_s), "value": held(into.parameter, point.value)},
        )
        for point in stretch_of(source, from_s, to_s)
    )
    return replaced(into, stretch)


def shifted_along(before: Session, after: Session) -> Session:
    """``after`` with curves moved as far as the values under them: who sets a moved parameter shifts all of its curve.

    Curves that are not the same in both are left alone, and so are those that come from silence or go there.
    """
    known = {move.target: move for move in before.moves}
    for move in after.moves:
        if move != known.get(move.target):
            continue
        was, found = read(before, move.target), read(after, move.target)
        if found.parameter.kind == "switch" or was.value == found.value or None in (was.value, found.value):
            continue
        by = height_of(found.parameter, found.value) - height_of(found.parameter, was.value)
        after = with_points(after, move.target, reshaped(curve_of(after, move), None, None, by=by, times=1.0))
    return after


def height_of(parameter: Parameter, value: Value) -> float:
    """A value on the scale it moves along: dB, octaves of what is logarithmic, else its own unit."""
    if value is None:
        return LOWEST_LEVEL_DB if parameter.unit == "dB" else 0.0
    number = float(value)
    return math.log2(number) if is_logarithmic(parameter) and number > 0.0 else number


def value_of_height(parameter: Parameter, height: float) -> float:
    """``height_of`` taken back."""
    return 2.0**height if is_logarithmic(parameter) else height


def is_logarithmic(parameter: Parameter) -> bool:
    """Whether it moves in octaves."""
    return parameter.scale == "logarithmic" and (parameter.minimum or 0.0) > 0.0


def _tolerance(parameter: Parameter) -> float:
    if parameter.unit == "dB":
        return THIN_DB
    if is_logarithmic(parameter):
        return THIN_OCTAVES
    return THIN_SHARE * ((parameter.maximum or 1.0) - (parameter.minimum or 0.0))


def held(parameter: Parameter, value: Value) -> Value:
    """Inside the parameter's range."""
    if value is None or isinstance(value, bool) or parameter.kind != "number":
        return value
    low = -math.inf if parameter.minimum is None else parameter.minimum
    high = math.inf if parameter.maximum is None else parameter.maximum
    return min(high, max(low, float(value)))


def _grained(parameter: Parameter, value: Value) -> Value:
    """To what can be heard and read: a hundredth of a dB, else four digits."""
    if value is None or isinstance(value, bool):
        return value
    return round(float(value), 2) if parameter.unit == "dB" else float(f"{float(value):.4g}")


def _fades(curve: Curve, begin: MovePoint, end: MovePoint) -> bool:
    """Whether a segment goes from or to silence, straight in amplitude."""
    return curve.parameter.unit == "dB" and (begin.value is None) != (end.value is None)


def _along(curve: Curve, begin: MovePoint, end: MovePoint, from_share: float, to_share: float) -> list[MovePoint]:
    """Points on a segment, so close that it is straight between them: in even steps of its gain."""
    k = BEND * begin.bend
    heights = [part / SILENT_PARTS for part in range(1, SILENT_PARTS)]
    shares = heights if abs(k) < 1e-9 else [math.log1p(height * math.expm1(k)) / k for height in heights]
    times_s = [begin.at_s + share * (end.at_s - begin.at_s) for share in shares if from_share < share < to_share]
    return [_point(at_s, curve.value_at(at_s)) for at_s in times_s]


def _point(at_s: float, value: Value, bend: float = 0.0) -> MovePoint:
    assert not isinstance(value, str)
    return MovePoint(at_s=at_s, value=value, bend=bend)


def _time_of(point: MovePoint) -> float:
    return point.at_s


def _joined(*parts: Iterable[MovePoint]) -> Points:
    """Parts of a curve one after another; where they meet, no more than the step that is there."""
    return tuple(uncrowded([point for part in parts for point in part]))


def uncrowded(points: list[MovePoint]) -> list[MovePoint]:
    """No more than two points at one time, and no two that say the same."""
    kept: list[MovePoint] = []
    for point in points:
        if len(kept) > 1 and kept[-2].at_s == point.at_s:
            kept.pop()
        if kept and (kept[-1].at_s, kept[-1].value) == (point.at_s, point.value):
            kept.pop()
        kept.append(point)
    return kept
