"""What the processes beside the server need, loaded by the one that they are copies of."""

import gc
from importlib import import_module

from gemischt.core.dsp.jit import prepare_kernels

_NEEDED = ("gemischt.api.playing_worker", "gemischt.operations.task_worker")


def _load() -> None:
    # Nothing of it goes away again: the collector need neither look through it now nor in the copies.
    gc.disable()
    for module in _NEEDED:
        import_module(module)
    prepare_kernels()
    gc.freeze()
    gc.enable()


_load()
