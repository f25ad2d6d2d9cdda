"""Calling what only kernels can call."""

from collections.abc import Callable
from typing import Any

import numba


def by_kernel(helper: Callable[..., Any]) -> Callable[..., Any]:
    """A kernel that does nothing but call the helper."""

    @numba.njit(error_model="numpy")
    def call(*arguments: Any) -> Any:
        return helper(*arguments)

    return call  # type: ignore[no-any-return]
