"""Processors: each module holds what one does to audio; its parameter table stands beside it (``*_params``).

base        what every processor is to the engine
eq          bells, shelves, cuts and notches
compressor  turns down what is loud, keyed by its own or another signal
saturator   bends the wave
limiter     keeps true peaks under a ceiling
gain        level, polarity, sides
delay       repeats
reverb      rooms
registry    the only list of them
"""
