"""Multiply and add in one instruction, rounded once, wherever a kernel asks for it: the same in scalar and vector code,
so that the samples do not depend on how the signal is cut into blocks."""

from typing import Any, cast

from numba import types
from numba.extending import intrinsic

from gemischt.core.dsp.simd import Lanes, call_on_lanes


@intrinsic
def _fma(_context: Any, a: Any, b: Any, c: Any) -> Any:
    lanes = isinstance(a, Lanes) and a == b == c

    def generate(_target: Any, builder: Any, _signature: Any, arguments: Any) -> Any:
        return call_on_lanes(builder, "llvm.fma", a, arguments) if lanes else builder.fma(*arguments)

    number = a if lanes or a == b == c == types.float32 else types.float64
    return number(number, number, number), generate


fma = cast(Any, _fma)
"""fma(a, b, c) = a * b + c, inside kernels only; single precision if all three are, lane by lane if they are lanes."""
