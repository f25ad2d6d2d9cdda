"""What is measured, and how it is shown over time.

loudness     K-weighting, momentary, short-term, integrated, range (ITU-R BS.1770-5, EBU Tech 3341/3342)
true_peak    peak between the samples (BS.1770-5 Annex 2)
ballistics   peak hold, fall-back and RMS averaging of strip meters
spectrum     levels by frequency, for display
moments      spectra around moments that follow each other
summary      everything about a stretch of audio at once
level_peaks  sample peak, true peak and overs of signals, and when they were
level_steps  energies of signals in steps of 10 ms, K-weighted and plain, and the VU needle
song_curve   how high a song reaches along its length
stage_meter  everything the gain ladder says of signals, in one pass
bands        how two channels stand to each other, band by band and moment by moment
scope        what a goniometer draws, and how alike two channels were of late
stereo       what a pair of channels loses in mono, and how wide its lows are
"""
