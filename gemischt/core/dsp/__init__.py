"""Kernels shared by processors and engine, each a plain loop over arrays.

jit               how kernels are compiled
inlined           how what only kernels call is compiled
mixing            clips, matrices, sums, delays, level measuring
band_design       equaliser bands designed for many moments at once
biquad            the cookbook's filters and the cascade that runs them
curves            curves over the song, read at many moments at once
decibels          fast logarithms and powers
ducking           ticks of clocks, curves they start, and audio that is turned by them
dynamics          levels become reductions: static curve, attack, hold, release
delay_line        delays whose length may change while they sound: the old and the new length are crossfaded
early_reflections  the first reflections of a room, most of them on the side of what they answer
feedback_network  a feedback delay network: sixteen lines whose outputs are mixed by a Hadamard matrix and fed back
gain_application  reductions turn audio down
following         a level becomes a share of the way, and the share moves coefficients
fma               multiply and add in one instruction, rounded once, wherever a kernel asks for it
gating            levels become reductions of what is quiet: threshold, hysteresis, hold
half_band         twice the rate and back by half-band filters
interpolation     the wave between the samples: four points a sample, and tops between those
level_detection   levels of a signal, sample by sample
limiting          looking ahead for true peaks
noise_shaping     rounding to integers with dither, whose noise is moved to where it is heard less
magnitude         the highest magnitude or value of a stretch of samples, fast
rounding          rounding to the integers that files hold
pieces            coefficients that move: straight lines across pieces of a block
playing           clips of any number of files, played into one sum
shaping           bending a wave at sixteen times the rate
sides             middle and side of two channels, each through sections of its own
simd              eight numbers worked on at once, or sixteen of single precision, inside kernels only
vector_panning    which corners of a divided sphere share a direction, and by how much
table             many kernels in one call: a table says which to call, and where their arguments lie in memory
"""
