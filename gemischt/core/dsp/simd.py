"""Eight numbers worked on at once, or sixteen of single precision, inside kernels only.

Compilers do not vectorise a recursion by themselves, nor keep long sums where they are fast. Eight signals in the lanes
of one value do the same steps at the same time. Where a machine's registers are narrower, a value takes several.
"""

import operator
from collections.abc import Callable
from typing import Any, cast

import numpy as np
from llvmlite import ir
from numba import types
from numba.core import cgutils
from numba.core.datamodel import models
from numba.extending import intrinsic, overload, register_model

from gemischt.core.audio import Audio
from gemischt.core.dsp.jit import inline_kernel

N_LANES = 8
N_SINGLES = 16
_PLACE = ir.IntType(32)


class Lanes(types.Type):
    """The type of so many numbers side by side."""

    def __init__(self, number: Any, n_lanes: int) -> None:
        super().__init__(name=f"Lanes({number} x {n_lanes})")
        double = number == types.float64
        self.n_lanes = n_lanes
        self.vector = ir.VectorType(ir.DoubleType() if double else ir.FloatType(), n_lanes)
        self.suffix = f"v{n_lanes}f{64 if double else 32}"


EIGHT = Lanes(types.float64, N_LANES)
SIXTEEN = Lanes(types.float32, N_SINGLES)
_LANES_OF = {types.float64: EIGHT, types.float32: SIXTEEN}
_VECTOR = EIGHT.vector
_HALF = ir.VectorType(ir.FloatType(), N_LANES)


@register_model(Lanes)
class _LanesModel(models.PrimitiveModel):
    def __init__(self, data_models: Any, lanes: Any) -> None:
        super().__init__(data_models, lanes, lanes.vector)  # type: ignore[no-untyped-call]


def _shuffled(order: list[int]) -> Any:
    """An intrinsic that puts lane ``order[k]`` of eight into lane ``k``."""

    @intrinsic
    def shuffle(_context: Any, value: Any) -> Any:
        def generate(_target: Any, builder: Any, _signature: Any, arguments: Any) -> Any:
            return _pick(builder, arguments[0], ir.Constant(_VECTOR, ir.Undefined), order)

        return EIGHT(EIGHT), generate

    return shuffle


swap_halves = _shuffled([lane ^ 4 for lane in range(N_LANES)])
"""Lanes 0 to 3 with lanes 4 to 7."""
swap_pairs = _shuffled([lane ^ 2 for lane in range(N_LANES)])
"""Within each half, the first pair with the second."""
swap_neighbours = _shuffled([lane ^ 1 for lane in range(N_LANES)])
"""Within each pair, one lane with the other."""


@intrinsic
def _spread(_context: Any, number: Any) -> Any:
    lanes = _LANES_OF[number]

    def generate(_target: Any, builder: Any, _signature: Any, arguments: Any) -> Any:
        nothing = ir.Constant(lanes.vector, ir.Undefined)
        first = builder.insert_element(nothing, arguments[0], _PLACE(0))
        return _pick(builder, first, nothing, [0] * lanes.n_lanes)

    return lanes(number), generate


@intrinsic
def _load(_context: Any, row: Any, at: Any) -> Any:
    lanes = _LANES_OF[row.dtype]

    def generate(target: Any, builder: Any, signature: Any, arguments: Any) -> Any:
        return builder.load(_place(target, builder, row, arguments, lanes.vector), align=4)

    return lanes(row, types.int64), generate


@intrinsic
def _store(_context: Any, row: Any, at: Any, value: Any) -> Any:
    def generate(target: Any, builder: Any, signature: Any, arguments: Any) -> Any:
        builder.store(arguments[2], _place(target, builder, row, arguments, value.vector), align=4)
        return target.get_dummy_value()

    return types.void(row, types.int64, value), generate


@intrinsic
def _transpose(_context: Any, source: Any, at: Any, stride: Any, out: Any, out_at: Any, out_stride: Any) -> Any:
    def generate(target: Any, builder: Any, signature: Any, arguments: Any) -> Any:
        source, at, stride, out, out_at, out_stride = arguments
        kinds = signature.args
        rows = _load_rows(target, builder, kinds[0], source, _places(builder, at, stride))
        _store_rows(target, builder, kinds[3], out, _places(builder, out_at, out_stride), _transposed(builder, rows))
        return target.get_dummy_value()

    return types.void(source, types.int64, types.int64, out, types.int64, types.int64), generate


@intrinsic
def _transpose_from(
    _context: Any, source: Any, starts: Any, first: Any, shift: Any, out: Any, out_at: Any, out_stride: Any
) -> Any:
    def generate(target: Any, builder: Any, signature: Any, arguments: Any) -> Any:
        source, starts, first, shift, out, out_at, out_stride = arguments
        kinds = signature.args
        places = _started(target, builder, kinds[1], starts, first, shift)
        rows = _load_rows(target, builder, kinds[0], source, places)
        _store_rows(target, builder, kinds[4], out, _places(builder, out_at, out_stride), _transposed(builder, rows))
        return target.get_dummy_value()

    return types.void(source, starts, types.int64, types.int64, out, types.int64, types.int64), generate


@intrinsic
def _transpose_to(
    _context: Any, source: Any, at: Any, stride: Any, out: Any, starts: Any, first: Any, shift: Any
) -> Any:
    def generate(target: Any, builder: Any, signature: Any, arguments: Any) -> Any:
        source, at, stride, out, starts, first, shift = arguments
        kinds = signature.args
        rows = _load_rows(target, builder, kinds[0], source, _places(builder, at, stride))
        places = _started(target, builder, kinds[4], starts, first, shift)
        _store_rows(target, builder, kinds[3], out, places, _transposed(builder, rows))
        return target.get_dummy_value()

    return types.void(source, types.int64, types.int64, out, starts, types.int64, types.int64), generate


def _places(builder: Any, at: Any, stride: Any) -> list[Any]:
    """Where eight rows begin that lie so far apart."""
    return [builder.add(at, builder.mul(stride, at.type(k))) for k in range(N_LANES)]


def _started(target: Any, builder: Any, kind: Any, starts: Any, first: Any, shift: Any) -> list[Any]:
    """Where eight rows begin that are listed, each so much later."""
    array = target.make_array(kind)(target, builder, starts)
    listed = [builder.gep(array.data, [builder.add(first, first.type(k))]) for k in range(N_LANES)]
    return [builder.add(builder.load(place), shift) for place in listed]


def _load_rows(target: Any, builder: Any, kind: Any, source: Any, places: list[Any]) -> list[Any]:
    double = kind.dtype == types.float64
    rows = [_place(target, builder, kind, (source, start), _VECTOR if double else _HALF) for start in places]
    loaded = [builder.load(row, align=4) for row in rows]
    return loaded if double else [builder.fpext(row, _VECTOR) for row in loaded]


def _store_rows(target: Any, builder: Any, kind: Any, out: Any, places: list[Any], rows: list[Any]) -> None:
    for start, row in zip(places, rows, strict=True):
        builder.store(row, _place(target, builder, kind, (out, start), _VECTOR), align=8)


def _transposed(builder: Any, rows: list[Any]) -> list[Any]:
    """Pairs of rows exchange every other lane, then pairs of lanes, then halves."""
    rows = list(rows)
    for distance in (1, 2, 4):
        for k in (k for k in range(N_LANES) if not k & distance):
            first, second = rows[k], rows[k + distance]
            kept = [i if not i & distance else N_LANES + i - distance for i in range(N_LANES)]
            given = [i + distance if not i & distance else N_LANES + i for i in range(N_LANES)]
            rows[k] = _pick(builder, first, second, kept)
            rows[k + distance] = _pick(builder, first, second, given)
    return rows


def _place(target: Any, builder: Any, kind: Any, arguments: Any, vector: Any) -> Any:
    """Where the numbers of a one-dimensional array begin that were asked for; nobody checks its end."""
    row = target.make_array(kind)(target, builder, arguments[0])
    return builder.bitcast(builder.gep(row.data, [arguments[1]]), vector.as_pointer())


def _pick(builder: Any, first: Any, second: Any, order: list[int]) -> Any:
    """Lanes of two values, those of the second counted on from the first's."""
    return builder.shuffle_vector(first, second, ir.Constant(ir.VectorType(_PLACE, len(order)), order))


@intrinsic
def _lane(_context: Any, value: Any, index: Any) -> Any:
    def generate(_target: Any, builder: Any, _signature: Any, arguments: Any) -> Any:
        return builder.extract_element(arguments[0], arguments[1])

    return types.float64(EIGHT, types.int64), generate


@intrinsic
def _magnitudes(_context: Any, value: Any) -> Any:
    def generate(_target: Any, builder: Any, _signature: Any, arguments: Any) -> Any:
        return call_on_lanes(builder, "llvm.fabs", value, arguments)

    return value(value), generate


@intrinsic
def _greater(_context: Any, a: Any, b: Any) -> Any:
    def generate(_target: Any, builder: Any, _signature: Any, arguments: Any) -> Any:
        return builder.select(builder.fcmp_ordered(">", *arguments), *arguments)

    return a(a, a), generate


@intrinsic
def _greatest(_context: Any, value: Any) -> Any:
    number = types.float64 if value == EIGHT else types.float32

    def generate(_target: Any, builder: Any, _signature: Any, arguments: Any) -> Any:
        greatest, n_lanes = arguments[0], value.n_lanes
        while n_lanes > 1:
            n_lanes //= 2
            order = [lane + n_lanes if lane < n_lanes else lane for lane in range(value.n_lanes)]
            other = _pick(builder, greatest, ir.Constant(value.vector, ir.Undefined), order)
            greatest = builder.select(builder.fcmp_ordered(">", greatest, other), greatest, other)
        return builder.extract_element(greatest, _PLACE(0))

    return number(value), generate


@intrinsic
def _without_traces(_context: Any, value: Any, least: Any) -> Any:
    def generate(_target: Any, builder: Any, _signature: Any, arguments: Any) -> Any:
        magnitude = call_on_lanes(builder, "llvm.fabs", EIGHT, arguments[:1])
        loud = builder.fcmp_ordered(">", magnitude, arguments[1])
        return builder.select(loud, arguments[0], ir.Constant(_VECTOR, [0.0] * N_LANES))

    return EIGHT(EIGHT, EIGHT), generate


@intrinsic
def _shifted_in(_context: Any, value: Any, first: Any, fifth: Any) -> Any:
    def generate(_target: Any, builder: Any, _signature: Any, arguments: Any) -> Any:
        value, first, fifth = arguments
        fresh = builder.insert_element(ir.Constant(_VECTOR, ir.Undefined), first, _PLACE(0))
        fresh = builder.insert_element(fresh, fifth, _PLACE(4))
        return _pick(builder, value, fresh, [N_LANES, 0, 1, 2, N_LANES + 4, 4, 5, 6])

    return EIGHT(EIGHT, types.float64, types.float64), generate


@intrinsic
def _where(_context: Any, mask: Any, value: Any, other: Any) -> Any:
    lanes = mask

    def generate(_target: Any, builder: Any, _signature: Any, arguments: Any) -> Any:
        mask, value, other = arguments
        nothing = ir.Constant(lanes.vector, [0.0] * lanes.n_lanes)
        return builder.select(builder.fcmp_ordered(">", mask, nothing), value, other)

    return lanes(lanes, lanes, lanes), generate


def _picked(order_of: Callable[[int], list[int]]) -> Any:
    """An intrinsic that takes lanes of two values, those of the second counted on from the first's."""

    @intrinsic
    def pick(_context: Any, first: Any, second: Any) -> Any:
        order = order_of(first.n_lanes)

        def generate(_target: Any, builder: Any, _signature: Any, arguments: Any) -> Any:
            lower, upper = arguments
            return _pick(builder, lower, upper, order)

        return first(first, first), generate

    return pick


def _alternating(n_lanes: int, begin: int) -> list[int]:
    return [begin + k // 2 + (n_lanes if k % 2 else 0) for k in range(n_lanes)]


lower_alternating = _picked(lambda n_lanes: _alternating(n_lanes, 0))
"""The lower halves of two values, in turn a lane of each."""
upper_alternating = _picked(lambda n_lanes: _alternating(n_lanes, n_lanes // 2))
"""The upper halves of two values, in turn a lane of each."""
every_even = _picked(lambda n_lanes: list(range(0, 2 * n_lanes, 2)))
"""Every other lane of two values, from the first on."""
every_odd = _picked(lambda n_lanes: list(range(1, 2 * n_lanes, 2)))
"""Every other lane of two values, from the second on."""


@intrinsic
def _held_within(_context: Any, value: Any, least: Any, most: Any) -> Any:
    def generate(_target: Any, builder: Any, _signature: Any, arguments: Any) -> Any:
        value, least, most = arguments
        raised = builder.select(builder.fcmp_ordered("<", value, least), least, value)
        return builder.select(builder.fcmp_ordered(">", raised, most), most, raised)

    return value(value, value, value), generate


def call_on_lanes(builder: Any, name: str, lanes: Lanes, arguments: Any) -> Any:
    """Call one of the compiler's own functions that take and give lanes of one type."""
    kind = ir.FunctionType(lanes.vector, [lanes.vector] * len(arguments))
    function = cgutils.get_or_insert_function(builder.module, kind, f"{name}.{lanes.suffix}")  # type: ignore[no-untyped-call]
    return builder.call(function, arguments)


def _operator(symbol: Callable[[Any, Any], Any], instruction: str) -> None:
    """Let a symbol stand for an instruction, lane by lane."""

    @intrinsic
    def _combine(_context: Any, a: Any, b: Any) -> Any:
        def generate(_target: Any, builder: Any, _signature: Any, arguments: Any) -> Any:
            return getattr(builder, instruction)(*arguments)

        return a(a, a), generate

    combine: Any = _combine

    def combined(a, b):  # type: ignore[no-untyped-def]
        return combine(a, b)

    @overload(symbol)
    def of_lanes(a, b):  # type: ignore[no-untyped-def]
        return combined if isinstance(a, Lanes) and a == b else None


_operator(operator.add, "fadd")
_operator(operator.sub, "fsub")
_operator(operator.mul, "fmul")
_operator(operator.truediv, "fdiv")

spread = cast(Any, _spread)
"""spread(number): the same in every lane."""
load = cast(Any, _load)
"""load(row, at): numbers of a one-dimensional array in order, eight or sixteen by its precision."""
store = cast(Any, _store)
"""store(row, at, lanes): write them there."""
transpose = cast(Any, _transpose)
"""transpose(source, at, stride, out, out_at, out_stride): eight times eight numbers, rows into columns.

The source may be of single precision."""
transpose_from = cast(Any, _transpose_from)
"""transpose_from(source, starts, first, shift, out, out_at, out_stride): the same of rows that begin at ``shift`` past
eight of ``starts``, from the ``first`` on."""
transpose_to = cast(Any, _transpose_to)
"""transpose_to(source, at, stride, out, starts, first, shift): the same into such rows."""
lane = cast(Any, _lane)
"""lane(eight, index): one of them."""
magnitudes = cast(Any, _magnitudes)
"""magnitudes(lanes), lane by lane."""
greater = cast(Any, _greater)
"""greater(a, b), lane by lane."""
greatest = cast(Any, _greatest)
"""greatest(lanes): the one number that no other exceeds."""
without_traces = cast(Any, _without_traces)
"""without_traces(eight, least): what is no louder than ``least`` becomes nothing, lane by lane."""

shifted_in = cast(Any, _shifted_in)
"""shifted_in(eight, first, fifth): both halves moved up by one lane, a number put into the first lane of each."""
where = cast(Any, _where)
"""where(mask, lanes, other): the one where the mask is greater than zero, the other elsewhere."""
held_within = cast(Any, _held_within)
"""held_within(lanes, least, most): no less and no more, lane by lane."""


@inline_kernel
def aligned(size: int) -> Audio:
    """A one-dimensional array, not filled, that begins where a value of eight lanes takes one line of the cache."""
    spare = np.empty(size + N_LANES)
    skip = (64 - spare.ctypes.data % 64) % 64 // 8
    return spare[skip : skip + size]
