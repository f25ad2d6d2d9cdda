"""Gemischt: mixing that shows why it sounds as it does."""

from gemischt._kernel_cache import place_kernel_cache

__version__ = "0.1.0"

place_kernel_cache(__version__)
