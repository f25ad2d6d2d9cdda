"""Prints: what is wanted becomes files, rendered together, named, and held against what they are meant for.

files      which files a print makes: what is read for each, from which variant of the session
rendering  prints rendered: what several files need is rendered once
limiting   what the limiters of a printed strip do while it is printed
delivery   what a print is held against: published targets, own ones, and how far a print is from them
"""
