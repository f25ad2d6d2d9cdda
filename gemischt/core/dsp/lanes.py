"""Eight numbers worked on at once, inside kernels only: what recursions of signals side by side are made of.

Compilers do not vectorise a recursion by themselves. Eight signals in the lanes of one value do the same steps at the
same time. Where a machine's registers are narrower, a value takes several of them.
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
_VECTOR = ir.VectorType(ir.DoubleType(), N_LANES)
_SINGLE_VECTOR = ir.VectorType(ir.FloatType(), N_LANES)


class Eight(types.Type):
    """The type of eight numbers side by side."""

    def __init__(self) -> None:
        super().__init__(name="Eight")


EIGHT = Eight()


@register_model(Eight)
class _EightModel(models.PrimitiveModel):
    def __init__(self, data_models: Any, eight: Any) -> None:
        super().__init__(data_models, eight, _VECTOR)  # type: ignore[no-untyped-call]


def _shuffled(order: list[int]) -> Any:
    """An intrinsic that puts lane ``order[k]`` into lane ``k``."""
    mask = ir.Constant(ir.VectorType(ir.IntType(32), N_LANES), order)

    @intrinsic
    def shuffle(_context: Any, value: Any) -> Any:
        def generate(_target: Any, builder: Any, _signature: Any, arguments: Any) -> Any:
            return builder.shuffle_vector(arguments[0], ir.Constant(_VECTOR, ir.Undefined), mask)

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
    def generate(_target: Any, builder: Any, _signature: Any, arguments: Any) -> Any:
        first = builder.insert_element(ir.Constant(_VECTOR, ir.Undefined), arguments[0], ir.IntType(32)(0))
        everywhere = ir.Constant(ir.VectorType(ir.IntType(32), N_LANES), [0] * N_LANES)
        return builder.shuffle_vector(first, ir.Constant(_VECTOR, ir.Undefined), everywhere)

    return EIGHT(types.float64), generate


@intrinsic
def _load(context: Any, row: Any, at: Any) -> Any:
    def generate(target: Any, builder: Any, signature: Any, arguments: Any) -> Any:
        return builder.load(_place(target, builder, signature.args, arguments), align=8)

    return EIGHT(row, types.int64), generate


@intrinsic
def _store(_context: Any, row: Any, at: Any, value: Any) -> Any:
    def generate(target: Any, builder: Any, signature: Any, arguments: Any) -> Any:
        builder.store(arguments[2], _place(target, builder, signature.args, arguments), align=8)
        return target.get_dummy_value()

    return types.void(row, types.int64, EIGHT), generate


@intrinsic
def _transpose(_context: Any, source: Any, at: Any, stride: Any, out: Any, out_at: Any, out_stride: Any) -> Any:
    def generate(target: Any, builder: Any, signature: Any, arguments: Any) -> Any:
        source, at, stride, out, out_at, out_stride = arguments
        kinds = signature.args
        rows = []
        for k in range(N_LANES):
            start = builder.add(at, builder.mul(stride, at.type(k)))
            row = builder.load(_place(target, builder, (kinds[0],), (source, start)), align=4)
            rows.append(row if kinds[0].dtype == types.float64 else builder.fpext(row, _VECTOR))
        # Pairs of rows exchange every other lane, then pairs of lanes, then halves.
        for distance in (1, 2, 4):
            for k in (k for k in range(N_LANES) if not k & distance):
                first, second = rows[k], rows[k + distance]
                kept = [i if not i & distance else N_LANES + i - distance for i in range(N_LANES)]
                given = [i + distance if not i & distance else N_LANES + i for i in range(N_LANES)]
                rows[k] = _pick(builder, first, second, kept)
                rows[k + distance] = _pick(builder, first, second, given)
        for k in range(N_LANES):
            start = builder.add(out_at, builder.mul(out_stride, at.type(k)))
            builder.store(rows[k], _place(target, builder, (kinds[3],), (out, start)), align=8)
        return target.get_dummy_value()

    return types.void(source, types.int64, types.int64, out, types.int64, types.int64), generate


def _place(target: Any, builder: Any, kinds: Any, arguments: Any) -> Any:
    """Where the eight numbers of a one-dimensional array begin that were asked for; nobody checks its end."""
    row = target.make_array(kinds[0])(target, builder, arguments[0])
    vector = _VECTOR if kinds[0].dtype == types.float64 else _SINGLE_VECTOR
    return builder.bitcast(builder.gep(row.data, [arguments[1]]), vector.as_pointer())


def _pick(builder: Any, first: Any, second: Any, order: list[int]) -> Any:
    """Lanes of two values, those of the second counted from eight on."""
    return builder.shuffle_vector(first, second, ir.Constant(ir.VectorType(ir.IntType(32), N_LANES), order))


@intrinsic
def _lane(_context: Any, value: Any, index: Any) -> Any:
    def generate(_target: Any, builder: Any, _signature: Any, arguments: Any) -> Any:
        return builder.extract_element(arguments[0], arguments[1])

    return types.float64(EIGHT, types.int64), generate


@intrinsic
def _magnitudes(_context: Any, value: Any) -> Any:
    def generate(_target: Any, builder: Any, _signature: Any, arguments: Any) -> Any:
        return builder.call(_function(builder, "llvm.fabs.v8f64", 1), arguments)

    return EIGHT(EIGHT), generate


@intrinsic
def _multiply_add(_context: Any, a: Any, b: Any, c: Any) -> Any:
    def generate(_target: Any, builder: Any, _signature: Any, arguments: Any) -> Any:
        return builder.call(_function(builder, "llvm.fma.v8f64", 3), arguments)

    return EIGHT(EIGHT, EIGHT, EIGHT), generate


@intrinsic
def _without_traces(_context: Any, value: Any, least: Any) -> Any:
    def generate(_target: Any, builder: Any, _signature: Any, arguments: Any) -> Any:
        magnitude = builder.call(_function(builder, "llvm.fabs.v8f64", 1), arguments[:1])
        loud = builder.fcmp_ordered(">", magnitude, arguments[1])
        return builder.select(loud, arguments[0], ir.Constant(_VECTOR, [0.0] * N_LANES))

    return EIGHT(EIGHT, EIGHT), generate


def _function(builder: Any, name: str, n_arguments: int) -> Any:
    kind = ir.FunctionType(_VECTOR, [_VECTOR] * n_arguments)
    return cgutils.get_or_insert_function(builder.module, kind, name)  # type: ignore[no-untyped-call]


def _operator(symbol: Callable[[Any, Any], Any], instruction: str) -> None:
    """Let a symbol stand for an instruction, lane by lane."""

    @intrinsic
    def _combine(_context: Any, a: Any, b: Any) -> Any:
        def generate(_target: Any, builder: Any, _signature: Any, arguments: Any) -> Any:
            return getattr(builder, instruction)(*arguments)

        return EIGHT(EIGHT, EIGHT), generate

    combine: Any = _combine

    def combined(a, b):  # type: ignore[no-untyped-def]
        return combine(a, b)

    @overload(symbol)
    def of_eights(a, b):  # type: ignore[no-untyped-def]
        return combined if isinstance(a, Eight) and isinstance(b, Eight) else None


_operator(operator.add, "fadd")
_operator(operator.sub, "fsub")
_operator(operator.mul, "fmul")

spread = cast(Any, _spread)
"""spread(number): the same in every lane."""
load = cast(Any, _load)
"""load(row, at): eight numbers of a one-dimensional array in order."""
store = cast(Any, _store)
"""store(row, at, eight): write them there."""
transpose = cast(Any, _transpose)
"""transpose(source, at, stride, out, out_at, out_stride): eight times eight numbers, rows into columns.

The source may be of single precision."""
lane = cast(Any, _lane)
"""lane(eight, index): one of them."""
magnitudes = cast(Any, _magnitudes)
"""magnitudes(eight), lane by lane."""
multiply_add = cast(Any, _multiply_add)
"""multiply_add(a, b, c) = a * b + c, rounded once, lane by lane."""
without_traces = cast(Any, _without_traces)
"""without_traces(eight, least): what is no louder than ``least`` becomes nothing, lane by lane."""


@inline_kernel
def aligned(size: int) -> Audio:
    """A one-dimensional array, not filled, that begins where a value of eight lanes takes one line of the cache."""
    spare = np.empty(size + N_LANES)
    skip = (64 - spare.ctypes.data % 64) % 64 // 8
    return spare[skip : skip + size]
