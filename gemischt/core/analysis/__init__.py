"""What can be said about a session, read from its document or measured by rendering parts of it.

curves      equaliser response and compressor transfer curves, as points to draw
ways        every way of a strip to the mix
isolation   a session reduced to some ways
listening   rendering a stretch to measure it
ledger      what each way brings to the mix
leaks       what still sounds when a fader is down
lanes       what parallel lanes add up to, and whether they comb
flow        the picture of the routing, laid out
references  what refers to some strips
"""
