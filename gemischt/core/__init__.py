"""The job itself, without files, network, database or clock.

session     the document that describes a mix, its validation, and the actions that edit it
routing     who feeds whom: order, loops, solo
processors  equaliser, compressor, and the registry that lists them
engine      from document to sound, block by block
metering    peak, RMS, loudness, true peak, correlation
dsp         kernels shared by the above
"""
