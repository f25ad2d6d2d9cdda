"""A part of a session as a session of its own: what it sounds like by itself.

paths  a session reduced to some ways of some signals, so that what they bring can be heard and measured alone
strip  one strip as a session of its own, everything it hears played from audio rendered before
"""
