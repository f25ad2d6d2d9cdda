"""The whole song, every strip at every stage, rendering only what an edit has changed.

background      work that follows other work one step behind, on whatever thread is free
gain_shift      figures of a signal that is only turned up or down: arithmetic instead of measuring
growing_render  a signal that others play already while the rest of it is still being rendered
results         what measuring a session gives: levels of every strip at every stage, and the mix over the song
schedule        work on strips side by side, each at the heels of what it hears
song            measuring a whole session: every strip at every stage, rendering only what an edit has changed
strip_meters    meters at the steps of a plan while one strip is measured, and what they have seen in the end
"""
