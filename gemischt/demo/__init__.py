"""The demo song "Low Tide": invented, played by code, the same every time.

score        sections, chords and who plays what when
instruments  plucked strings, struck bars and skins, bowed and blown tones, sung vowels
song         the tracks as a real session would hand them over, flaws included
sessions     two documents: as recorded, and mixed
in_the_round  the mixed one around the listener
"""
