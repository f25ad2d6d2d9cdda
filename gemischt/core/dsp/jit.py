"""How kernels are compiled: cached, without the interpreter lock, each for one signature.

Declaring a kernel costs next to nothing; `prepare_kernels` makes them ready, at set-up and behind a starting server.
"""

import sys
from collections.abc import Callable
from functools import cache
from importlib import import_module
from typing import Any, TypeVar, cast

import numba
from numba import types
from numba.core.caching import FunctionCache
from numba.core.compiler_lock import global_compiler_lock
from numba.core.runtime.nrt import rtsys
from numba.extending import register_jitable

from gemischt.core.dsp.inlined import ForCallers

F = TypeVar("F", bound=Callable[..., Any])


def _load_without_linear_algebra() -> None:
    """Numba loads all of SciPy's linear algebra only to see whether it is there; no kernel of ours needs it."""
    if "scipy.linalg" not in sys.modules:
        sys.modules["scipy.linalg"] = None  # type: ignore[assignment]
        try:
            import_module("numba.np.arraymath")
        finally:
            del sys.modules["scipy.linalg"]


def _load_without_declarations() -> None:
    """Numba gathers all it could compile before it loads anything; what it has compiled needs its runtime alone.

    If something has to be compiled after all, compiling gathers for itself.
    """
    load_with_declarations = FunctionCache.load_overload

    def load(cache: Any, signature: Any, target: Any) -> Any:
        if not cache._py_func.__module__.startswith("gemischt."):
            return load_with_declarations(cache, signature, target)  # type: ignore[no-untyped-call]
        rtsys.initialize(target)
        with cache._guard_against_spurious_io_errors():
            return cache._load_overload(signature, target)

    FunctionCache.load_overload = load  # type: ignore[method-assign]


_load_without_linear_algebra()
_load_without_declarations()

AUDIO = types.float64[:, ::1]
VECTOR = types.float64[::1]
COUNTS = types.int64[::1]
COUNT_ROWS = types.int64[:, ::1]
CUBE = types.float64[:, :, ::1]
MEDIA = types.Array(types.float32, 2, "C", readonly=True)
SINGLE_VECTOR = types.float32[::1]
SINGLE_AUDIO = types.float32[:, ::1]
INTEGER_FRAMES = types.int32[:, ::1]
BYTE_FRAMES = types.uint8[:, ::1]
SINGLE_CUBE = types.float32[:, :, ::1]
FLOAT = types.float64
INT = types.int64
BOOL = types.boolean

# NaN checks survive even here.
_REDUCING = {"contract", "nsz", "arcp", "reassoc"}


_declared: list[Any] = []
_also: list[Callable[[], Any]] = []


def kernel(*signature: Any, returns: Any = types.void) -> Callable[[F], F]:
    """Declare a kernel whose samples must not depend on how the signal is cut into blocks."""
    return _declare(returns(*signature), set())


def measuring_kernel(*signature: Any, returns: Any = types.void) -> Callable[[F], F]:
    """Declare a kernel that only sums and compares, where order may change for speed."""
    return _declare(returns(*signature), _REDUCING)


def inline_kernel(function: F) -> F:
    """Declare a helper that kernels take in, and only they can call."""
    helper: Any = numba.njit(nogil=True, error_model="numpy", pipeline_class=ForCallers)(function)

    def keep(compiled: Any) -> None:
        helper.overloads[tuple(compiled.signature.args)] = compiled

    def refuse(*_arguments: Any) -> None:
        raise TypeError(f"{function.__name__} can only be called by kernels")

    compile_for = helper.compile

    def compile_once(arguments: tuple[Any, ...]) -> Any:
        """One version for whatever number is given; constants are taken in with the code."""
        return compile_for(tuple(types.unliteral(argument) for argument in arguments))  # type: ignore[no-untyped-call]

    helper.compile = compile_once
    helper.add_overload = keep
    helper._compile_for_args = refuse
    return cast(F, helper)


def also_compiled(function: F) -> F:
    """Declare a plain function that kernels can call, too."""
    return register_jitable(function)


def prepare_kernels() -> int:
    """Compile every kernel declared so far, or load it from the cache; returns how many there are."""
    for dispatcher in _declared:
        dispatcher.compile(())
    for prepare in _also:
        prepare()
    return len(_declared)


def on_prepare(prepare: Callable[[], Any]) -> None:
    """Have something more made ready with the kernels."""
    _also.append(prepare)


def signature_of(dispatcher: Any) -> Any:
    """The one signature of a declared kernel."""
    return dispatcher.declared


@cache
def native_address(dispatcher: Any) -> int:
    """Where a declared kernel's machine code begins."""
    dispatcher.compile(())
    compiled = dispatcher.overloads[dispatcher.declared.args]
    return int(compiled.library.get_pointer_to_function(compiled.fndesc.llvm_func_name))


def _declare(signature: Any, fastmath: set[str]) -> Callable[[F], F]:
    def decorate(function: F) -> F:
        dispatcher: Any = numba.njit(cache=True, nogil=True, fastmath=fastmath or False, error_model="numpy")(function)
        compile_for = dispatcher.compile

        def compile_declared(arguments: tuple[Any, ...]) -> Any:
            """Make the declared kernel, whatever the first call brings: what it does not take is an error, now and
            later, instead of seconds of compiling in the middle of playing."""
            with global_compiler_lock:
                if arguments and not dispatcher.typingctx.install_possible_conversions(arguments, signature.args):
                    raise TypeError(f"{function.__name__} takes {signature.args}, not {arguments}")
                if not dispatcher.signatures:
                    compile_for(signature)
                    dispatcher.disable_compile()
                return dispatcher.overloads[signature.args].entry_point

        dispatcher.compile = compile_declared
        dispatcher.declared = signature
        _declared.append(dispatcher)
        return cast(F, dispatcher)

    return decorate
