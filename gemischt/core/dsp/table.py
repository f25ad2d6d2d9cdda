"""Many kernels in one call: a table says which to call, and where their arguments lie in memory.

A row of the table holds two addresses: the kernel's entry, and its arguments as words of 64 bits. Of an array the words
are its address and its shape. A parameter ``n_samples`` or ``position_samples`` is given to all kernels of a run alike
and takes no word. Nothing is checked on the way: what is called has been built by ``Call``, which checks.
"""

import inspect
from collections.abc import Sequence
from functools import cache
from types import FunctionType
from typing import Any, NamedTuple, cast

import numba
import numpy as np
from llvmlite import ir
from numba import types
from numba.extending import intrinsic
from numba.np import arrayobj

from gemischt.core.audio import Counts
from gemischt.core.dsp.jit import COUNT_ROWS, INT, F, kernel, native_address, on_prepare, signature_of

_GIVEN = ("n_samples", "position_samples")
_WORD = ir.IntType(64)
_ENTRY_TYPE = ir.FunctionType(_WORD, [_WORD, _WORD, _WORD])


class Call:
    """A kernel with all its arguments but those that every run gives.

    ``words`` (n,) begins with the kernel's address; the arrays it points at are kept with it.
    """

    def __init__(self, called: Any, *arguments: Any) -> None:
        """Arguments in the order of the kernel's parameters, those that are given left out.

        Raises:
            TypeError: an argument is not what the kernel takes.
        """
        wanted = [parameter for parameter in _parameters(called) if parameter.name not in _GIVEN]
        if len(wanted) != len(arguments):
            names = [parameter.name for parameter in wanted]
            raise TypeError(f"{called.__name__} takes {names}, got {len(arguments)} arguments")
        words = [native_address(called)]
        self._places: dict[str, tuple[slice, _Parameter]] = {}
        for parameter, argument in zip(wanted, arguments, strict=True):
            found = _words_of(called.__name__, parameter, argument)
            self._places[parameter.name] = slice(len(words), len(words) + len(found)), parameter
            words += found
        self.entry = _entry_of(called)
        self.words = np.array(words, np.int64)
        self._name = called.__name__
        self._kept = {parameter.name: argument for parameter, argument in zip(wanted, arguments, strict=True)}

    def put(self, name: str, argument: Any) -> None:
        """Give another argument from the next run on; tables that point here know of it."""
        place, parameter = self._places[name]
        self.words[place] = _words_of(self._name, parameter, argument)
        self._kept[name] = argument


def table_of(calls: Sequence[Call]) -> Counts:
    """The table of some calls, (n_calls, 2). It points at them: the caller keeps them."""
    return np.array([(call.entry, call.words.ctypes.data) for call in calls], np.int64).reshape(len(calls), 2)


class _Parameter(NamedTuple):
    """One of a kernel's; ``number`` is what an array holds, None of a scalar."""

    name: str
    kind: Any
    number: np.dtype[Any] | None


@cache
def _parameters(called: Any) -> tuple[_Parameter, ...]:
    return tuple(
        _Parameter(name, kind, np.dtype(str(kind.dtype)) if isinstance(kind, types.Array) else None)
        for name, kind in zip(inspect.signature(called.py_func).parameters, signature_of(called).args, strict=True)
    )


def _words_of(called: str, parameter: _Parameter, argument: Any) -> list[int]:
    name, kind, number = parameter
    if number is not None:
        fits = isinstance(argument, np.ndarray) and argument.dtype == number and argument.ndim == kind.ndim
        if not fits or not argument.flags.c_contiguous:
            raise TypeError(f"{called} takes {kind} as {name}, got {type(argument).__name__} {_shape_of(argument)}")
        return [argument.ctypes.data, *argument.shape]
    if kind == types.float64:
        return [int(np.float64(argument).view(np.int64))]
    return [int(argument)]


def _shape_of(argument: Any) -> str:
    return f"of {argument.dtype} {argument.shape}" if isinstance(argument, np.ndarray) else repr(argument)


@intrinsic
def _call_kernel(_typing: Any, called: Any, words: Any, n_samples: Any, position_samples: Any) -> Any:
    """Unpack a row's words and call the kernel whose address is the first of them."""
    dispatcher = called.dispatcher
    parameters = _parameters(dispatcher)

    def generate(target: Any, builder: Any, _signature: Any, arguments: Any) -> Any:
        _, words, n_samples, position_samples = arguments
        row = builder.inttoptr(words, _WORD.as_pointer())
        given = dict(zip(_GIVEN, (n_samples, position_samples), strict=True))
        at = 0

        def word() -> Any:
            nonlocal at
            at += 1
            return builder.load(builder.gep(row, [_WORD(at - 1)]))

        address = word()
        values = []
        for name, kind, _ in parameters:
            if isinstance(kind, types.Array):
                values.append(_array(target, builder, kind, word(), [word() for _ in range(kind.ndim)]))
            elif name in given:
                values.append(given[name])
            elif kind == types.float64:
                values.append(builder.bitcast(word(), ir.DoubleType()))
            elif kind == types.boolean:
                values.append(builder.trunc(word(), target.get_value_type(kind)))
            else:
                values.append(word())
        kinds = [parameter.kind for parameter in parameters]
        convention = target.call_conv
        function = convention.get_function_type(types.void, kinds)
        packed = convention._get_arg_packer(kinds).as_arguments(builder, values)
        outcome = builder.alloca(function.args[0].pointee)
        trouble = builder.alloca(function.args[1].pointee)
        status = builder.call(builder.inttoptr(address, function.as_pointer()), [outcome, trouble, *packed])
        return builder.sext(status, _WORD)

    return types.int64(called, types.int64, types.int64, types.int64), generate


def _array(target: Any, builder: Any, kind: Any, address: Any, shape: list[Any]) -> Any:
    """A contiguous array that owns nothing."""
    number = target.get_data_type(kind.dtype)
    item_bytes = target.get_abi_sizeof(number)
    strides = [_WORD(item_bytes)]
    for size in reversed(shape[1:]):
        strides.insert(0, builder.mul(strides[0], size))
    array = target.make_array(kind)(target, builder)
    data = builder.inttoptr(address, number.as_pointer())
    arrayobj.populate_array(array, data, shape, strides, item_bytes, None)  # type: ignore[no-untyped-call]
    return array._getvalue()


@intrinsic
def _enter(_typing: Any, entry: Any, words: Any, n_samples: Any, position_samples: Any) -> Any:
    def generate(target: Any, builder: Any, _signature: Any, arguments: Any) -> Any:
        entry, *given = arguments
        return builder.call(builder.inttoptr(entry, _ENTRY_TYPE.as_pointer()), given)

    return types.int64(types.int64, types.int64, types.int64, types.int64), generate


_call = cast(Any, _call_kernel)
_go = cast(Any, _enter)
_kernel: Any = None


def _template(words: int, n_samples: int, position_samples: int) -> int:
    return int(_call(_kernel, words, n_samples, position_samples))


def _entry_of(called: Any) -> int:
    """Address of the function that calls a kernel with the arguments of a row."""
    entry = _entries.get(called)
    if entry is None:
        entry = _entries[called] = _made_entry(called)
    return int(entry.address)


_entries: dict[Any, Any] = {}


def _made_entry(called: Any) -> Any:
    # The same few lines for every kernel, under a name of its own, by which the compiled function is found again.
    function = FunctionType(_template.__code__, {**globals(), "_kernel": called}, f"enter_{called.__name__}")
    function.__qualname__ = f"enter_{called.__module__}_{called.__name__}".replace(".", "_")
    function.__module__ = __name__
    function.__annotations__ = {}
    made: Any = numba.cfunc(types.int64(types.int64, types.int64, types.int64), cache=True)(function)
    return made


@kernel(COUNT_ROWS, INT, INT, INT, INT, returns=INT)
def run_table(table: Counts, first: int, last: int, n_samples: int, position_samples: int) -> int:
    """Make the calls [first, last) of a table for one block at a place in the song.

    Returns:
        -1, or the call that failed: memory ran out, or a kernel compiled to check its indices found a wrong one.
    """
    for k in range(first, last):
        if _go(table[k, 0], table[k, 1], n_samples, position_samples) != 0:
            return k
    return -1


def in_table(called: F) -> F:
    """Mark a kernel as one that tables call, so that its entry is prepared with it."""
    on_prepare(lambda: _entry_of(called))
    return called
