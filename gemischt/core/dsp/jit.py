"""How kernels are compiled: cached, without the interpreter lock, with explicit signatures."""

from collections.abc import Callable
from typing import Any, TypeVar, cast

import numba
from numba import types

F = TypeVar("F", bound=Callable[..., Any])

AUDIO = types.float64[:, ::1]
VECTOR = types.float64[::1]
COUNTS = types.int64[::1]
CUBE = types.float64[:, :, ::1]
MEDIA = types.Array(types.float32, 2, "C", readonly=True)
FLOAT = types.float64
INT = types.int64
BOOL = types.boolean

# NaN checks must survive and sums keep their order; only these liberties are taken.
_FASTMATH = {"contract", "nsz", "arcp"}
_REDUCING = {"contract", "nsz", "arcp", "reassoc"}


def kernel(*signature: Any, returns: Any = types.void) -> Callable[[F], F]:
    """Compile a kernel whose samples must not depend on how the signal is cut into blocks."""
    return _compile(returns(*signature), set())


def measuring_kernel(*signature: Any, returns: Any = types.void) -> Callable[[F], F]:
    """Compile a kernel that only sums and compares, where order may change for speed."""
    return _compile(returns(*signature), _REDUCING)


def inline_kernel(function: F) -> F:
    """Compile a helper that its callers inline."""
    compiled: Any = numba.njit(inline="never", nogil=True, cache=True)(function)
    return cast(F, compiled)


def _compile(signature: Any, fastmath: set[str]) -> Callable[[F], F]:
    def decorate(function: F) -> F:
        compiled: F = numba.njit(signature, cache=True, nogil=True, fastmath=fastmath or False, error_model="numpy")(
            function
        )
        return compiled

    return decorate
