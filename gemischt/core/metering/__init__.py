"""What is measured, and how it is shown over time.

loudness    K-weighting, momentary, short-term, integrated, range (ITU-R BS.1770-5, EBU Tech 3341/3342)
true_peak   peak between the samples (BS.1770-5 Annex 2)
ballistics  peak hold, fall-back and RMS averaging of strip meters
spectrum    levels by frequency, for display
summary     everything about a stretch of audio at once
"""
