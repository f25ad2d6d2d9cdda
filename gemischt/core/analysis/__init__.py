"""What can be said about a session without playing it.

curves  equaliser response and compressor transfer curves, as points to draw
"""
