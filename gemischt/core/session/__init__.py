"""The session document.

document    the models: one JSON document describes a mix completely
validation  the rules between its parts, and reading a document from JSON
edits       pure helpers that replace one part of a document
actions     every edit the user can make
"""
