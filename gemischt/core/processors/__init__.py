"""Processors: each module holds what one does to audio; its parameter table stands beside it (``*_params``).

base               what every processor is to the engine
eq                 bells, shelves, cuts and notches
compressor         turns down what is loud, keyed by its own or another signal
gate               turns down what is quiet, keyed by its own or another signal
saturator          bends the wave
limiter            keeps true peaks under a ceiling
gain               level, polarity, sides
matrix             four gains between two sides
mono_below         lows without sides
widener            sides made of the middle, or one later than the other
delay              repeats
reverb             rooms
room_wiring        how a reverb stands in a bed
registry           the only list of them
compressor_params  the compressor's parameter table
cascade            what filters through second-order sections in series
gliding_matrix     what turns channels into each other by gains that glide
band               one band of a signal that is split at crossovers
band_params        what one band of a split signal is told
curves             curves of processors, as points to draw
delay_params       the delay's parameter table
filter_band        one band of a filter: what equalisers and detectors are made of
eq_params          the equaliser's parameter table
gain_params        the gain processor's parameter table
gate_params        the gate's parameter table
limiter_params     the limiter's parameter table
matrix_params      the matrix's parameter table, and matrices to start from
mono_below_params  what a strip whose lows are mono is told
reverb_params      the reverb's parameter table
saturator_params   the saturator's parameter table
widener_params     the widener's parameter table
"""
