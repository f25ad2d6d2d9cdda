"""From a session document to sound.

placement     input pick-up, pan and width as gain matrices
specs         what an operation is, as frozen data
blueprint     session -> list of specs in topological order, latencies aligned
sheet         the sheet a blueprint is drawn on: buffers with their lags, and operations in order
listening     detectors on the sheet: who turns something down hears a key, finds its levels, decides, is waited for
operations    specs -> objects that work on buffers block by block
clocks        clocks in samples: when ducks start their curves and ghosts click
duck_operations  ducks, followers and ghosts at work
courses       how moves lead a strip's operations over the song
followings    how followers lead a strip's operations
followed      operations that followers lead: what they add to what is there without them
followed_bands  equalisers whose bands followers lead: designed as they sound
hearing       what steps of a chain hear and where they work, found in a plan
lines         lines along which controls are led: a course, worked out a stretch at a time as it is needed
led_parameters  what followers lead, told while it plays
led_controls  controls that have arrived on their lines: laid out in one call
probe         a closer look at one strip while it plays
plan          buffers and operations; takes over state from a plan before
renderer      plays a plan: position, loop, edits, crossfades
endings       where a print ends: what rings after the last clip, and when it has fallen silent
tap_reader    the one way to hear a part of a session: a stretch is run up to, run, and read at any of its taps
buffer_names  where on a strip a signal is read: names of the buffers, and the stages that are metered
clip_placing  clips of a track in samples: both ends on one grid, and fades where they are left to themselves
resolving     what processors are told, worked out from the song and from what else the document says of them
resettling    settings that have changed, put into a blueprint without drawing it anew
settings      what a strip's settings are to its operations: matrices, gains, and what processors are told
"""
