"""One router per subject.

audio      audio files on their way in
catalogue  what there is to add to a chain, and the program's version
ducks      what makes room for what, and what each does on the real signal
jobs       long work: how far jobs are
level      levels of a whole session: measuring, findings, bringing to reference, snapshots
live       the live connection
moves      what moves over the song, and what may
place      where strips are heard
prints     what is printed, was printed, and what becomes of it
presets    presets: keep, list, delete, and their files
routing    how strips reach the mix: the flow, the ledger, what is left when a fader is down, what lanes add up to
sessions   sessions: list, create, edit, undo, bin
"""
