"""bs1770  tables of ITU-R BS.1770-5 and EBU Tech 3341/3342 (see README.md for their provenance)

bs1770  tables of ITU-R BS.1770-5 and EBU Tech 3341/3342 (see README.md for their provenance)
"""
