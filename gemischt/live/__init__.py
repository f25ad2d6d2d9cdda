"""Playback: a thread renders ahead, a WebSocket carries sound and meters.

transport     what the user can ask for, as a small state machine
curves        what there is to draw of the watched strip's processors
frames        the binary message: sound and what was measured beside it
player        the engine thread of one session
key_listener  what a step listens to, in place of the mix
monitor       how the listener hears the mix
hub           one player per session, and who listens to it
messages      the JSON messages both ways
inbox         what a connection has asked for and nobody has seen to yet
lead          how far rendering runs ahead of the ear
"""
