"""Warnings are errors, NumPy's floating-point warnings too; underflow is normal in decays."""

import warnings

import numpy as np

import gemischt  # noqa: F401  (places the kernel cache before Numba is imported)

warnings.simplefilter("error")
# Third parties warn about themselves when they are imported.
warnings.filterwarnings("ignore", category=DeprecationWarning, module=r"(?!gemischt|tests)")
np.seterr(divide="raise", invalid="raise", over="raise")
