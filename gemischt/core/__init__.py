"""The job itself, without files, network, database or clock.

session     the document that describes a mix, its validation, and the actions that edit it
routing     who feeds whom: order, loops, solo
processors  equaliser, compressor, and the registry that lists them
engine      from document to sound, block by block
metering    peak, RMS, loudness, true peak, correlation
printing    what is wanted of a print becomes files, rendered together and held against a target
dsp         kernels shared by the above
analysis    what can be said about a session, read from its document or measured by rendering parts of it
audio       the array contract: audio is float64, shape (n_channels, n_samples), C-contiguous
control     what moves an operation's coefficients: what it is told, from which sample on, and glides
data        published tables, with their provenance
errors      what can go wrong
keys        what a detector hears: a strip at a tap, at a gain, through a filter
space       loudspeakers around a listener, and what places a signal among them
parameters  how parameters are declared: the fields of one Pydantic model are the table
terms       what parts of a session are said in: ids, names, times, taps, note values, notes
units       every conversion between units, named ``a_to_b``
"""
