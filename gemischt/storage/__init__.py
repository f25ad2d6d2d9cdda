"""What is kept on disk.

tables, database  SQLite through SQLAlchemy, brought up to date by Alembic
sessions          documents with their edit history and the bin
presets           processors to recall
snapshots         sessions as they were, and findings put aside
renders           rendered audio and figures, bounded
audio_files       content-addressed originals and their decoded, memory-mapped samples
writing           files that appear whole or not at all
"""
