"""Warnings are errors, NumPy's floating-point warnings too; underflow is normal in decays."""

import logging
import warnings

import numpy as np
from pydantic.warnings import UnsupportedFieldAttributeWarning

import gemischt  # noqa: F401  (places the kernel cache before Numba is imported)
from gemischt.core.dsp.jit import prepare_kernels
from gemischt.core.engine import renderer  # noqa: F401  (declares its kernels)
from gemischt.core.metering import summary  # noqa: F401  (declares its kernels)

# From here on a kernel called with types it was not declared for is an error.
prepare_kernels()

# What fails on purpose is logged as well; tests ask for it where they want it.
logging.getLogger("gemischt").addHandler(logging.NullHandler())
logging.getLogger("gemischt").propagate = False

warnings.simplefilter("error")
# Third parties warn about themselves when they are imported.
warnings.filterwarnings("ignore", category=DeprecationWarning, module=r"(?!gemischt|tests)")
# FastAPI silences this one for itself, but only while no other thread does the same with a warning of its own.
warnings.filterwarnings("ignore", category=UnsupportedFieldAttributeWarning)
np.seterr(divide="raise", invalid="raise", over="raise")
