"""The whole song, every strip at every stage, rendering only what an edit has changed.

gain_shift     figures of a signal that is only turned up or down: arithmetic instead of measuring
results        what measuring a session gives: levels of every strip at every stage, and the mix over the song
song           measuring a whole session: every strip at every stage, rendering only what an edit has changed
source_powers  when a source begins, and how loud it is over time
strip_meters   meters at the steps of a plan while one strip is measured, and what they have seen in the end
team           how strips are measured: one after the other here; others may do it side by side
"""
