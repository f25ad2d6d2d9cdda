"""Where sound comes from: loudspeakers around a listener, and what places a signal among them.

layout          named layouts of loudspeakers
fold_down       matrices from one layout to another
vector_panning  gains of loudspeakers for directions (VBAP), as ITU-R BS.2127 divides the sphere
around          a source by azimuth, elevation and spread
headphones      loudspeakers as two ears hear them
distance        what distance does to a sound in air
folding         a mix in fewer channels: folded down, or as two ears hear it
"""
