"""What a measured session or a stretch of it says about one question.

duck_figures     figures of what a duck does: hits, depth, ways down and back
duck_report      what a duck does on the real signal: trigger, target before and after, gain, and figures of it
follower_report  by how much a follower moves the first of its parameters
gain_ladder      the gain ladder: every strip's levels from its source to the mix
grains           signals read in grains of about a millisecond, and drawn in bins
lane_alignment   parallel lanes on the real material: what they add up to, and whether one combs against the first
leaks            what still sounds of a strip or bus when its fader is down, and how to bring that down too
overlap          where and when two strips meet, and which way of making room that asks for
path_ledger      the path ledger: what each way of a strip brings to the mix, and what all of them add up to
relation_words   words of which sentences about making room are made
relations        what makes room for what, as sentences made of words
bed_place        where a signal is heard around the listener, and how far it is spread
stage_place      where a signal is heard between left and right, and how wide
widening         what a widener would cost in mono
stage            where each strip is heard between left and right, how wide, and how far away
reference_level  bringing strips to a reference level: what would change, and the one edit that changes it
"""
