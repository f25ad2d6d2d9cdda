"""Kernels shared by processors and engine, each a plain loop over arrays.

jit        how kernels are compiled
mixing     clips, matrices, sums, delays, level measuring
biquad     the cookbook's filters and the cascade that runs them
decibels   fast logarithms and powers
dynamics   detector, gain computer, ballistics
"""
