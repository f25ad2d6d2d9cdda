"""The session document.

document     the models: one JSON document describes a mix completely
validation   the rules between its parts, and reading a document from JSON
edits        pure helpers that replace one part of a document
actions      every edit the user can make
addresses    addresses: one for every parameter of a session, and what there is to know of it
catalogue    the tables of every part of a session that has parameters, for interfaces to take their ranges from
differences  what differs between two sessions, in words, strip by strip
moves        parameters drawn over the song: what may move, and a move's value at any time
ducks        ducks, followers and ghosts in the document: clocks, curves, targets, patterns
ducking      ducks and followers where they work: each target becomes a step in its strip's chain
band_motions  equaliser bands that move, as steps in front of their equalisers
steps        steps of chains that documents do not hold
duck_curves  changing a duck's curve: smoothed, reversed, copied, taken from a sound
drawing      changing drawn curves: cut, thinned, shifted, scaled, copied
beat_grid    where a time lies in bars and beats
carrying     what becomes of a song when its tempo changes
midi         MIDI files, read for tempo, metre, markers and notes
midi_writing  the tempo, metre and sections of a song as a MIDI file
track_names  what tracks are called that come from files
beds         which bed a strip is placed in
kinds        the kinds of strips: what each may do
prints       what is to be printed, and what it is meant for
print_names  names of printed files: from a pattern, fit for every file system
presets      presets: processors without a strip, as an open document of their own
racks        lanes to start from, made of our own processors
ways         ways to make room to start from
tree         the order in which strips and folders are read: folders where their first member stands, buses over their
"""
