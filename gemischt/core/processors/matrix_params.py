"""The matrix's parameter table, and matrices to start from."""

from typing import Any

from gemischt.core.parameters import FrozenModel, parameter


def _gain(default: float, label: str) -> Any:
    return parameter(default, -2.0, 2.0, label=label)


class MatrixParams(FrozenModel):
    """What left and right get of left and right, as gains; below zero with the polarity turned."""

    left_to_left: float = _gain(1.0, "Left to left")
    right_to_left: float = _gain(0.0, "Right to left")
    left_to_right: float = _gain(0.0, "Left to right")
    right_to_right: float = _gain(1.0, "Right to right")

    @property
    def rows(self) -> tuple[tuple[float, float], tuple[float, float]]:
        """What left gets, and what right gets."""
        return (self.left_to_left, self.right_to_left), (self.left_to_right, self.right_to_right)


def _of(left_to_left: float, right_to_left: float, left_to_right: float, right_to_right: float) -> MatrixParams:
    return MatrixParams(
        left_to_left=left_to_left,
        right_to_left=right_to_left,
        left_to_right=left_to_right,
        right_to_right=right_to_right,
    )


MATRICES: dict[str, MatrixParams] = {
    "as it is": _of(1.0, 0.0, 0.0, 1.0),
    "swap sides": _of(0.0, 1.0, 1.0, 0.0),
    "sum both ways": _of(0.5, 0.5, 0.5, 0.5),
    "middle and side out of left and right": _of(0.5, 0.5, 0.5, -0.5),
    "left and right out of middle and side": _of(1.0, 1.0, 1.0, -1.0),
    "remove the middle": _of(0.5, -0.5, -0.5, 0.5),
}
"""Encoding into middle and side, and decoding that, give back what went in."""
