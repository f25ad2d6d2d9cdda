"""Processors: each module holds one parameter table and what it does to audio.

eq          bells, shelves, cuts and notches
compressor  turns down what is loud, keyed by its own or another signal
parallel    lanes that split and add up again (a structure of the engine; only its table is here)
registry    the only list of them
"""
