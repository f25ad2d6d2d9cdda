"""What is kept on disk.

tables         the tables of the database, a class each
database       SQLite through SQLAlchemy
updating       a database of before brought up to date by Alembic
sessions       documents with their edit history and the bin
presets        processors to recall
print_runs     what was printed and what is being printed
glances        what was measured last of each session
snapshots      sessions as they were, and findings put aside
targets        delivery targets that every song of a data folder can be held against
renders        rendered audio and figures, bounded
audio_files    content-addressed originals and their decoded, memory-mapped samples
writing        files that appear whole or not at all
audio_headers  whether a file holds all that its header says: the library reads one that was cut off as a shorter one
audio_reading  audio files of other programs: what can be used, and why the rest cannot
wave_chunks    chunks of WAV files: where they lie, and more of them behind the audio
wave_speakers  which loudspeaker each channel of a file is for
wave_tags      what a WAV file says of itself, and where in its song it begins
channel_files  files of many channels taken apart: a file for each channel
audio_writing  audio files of every format that prints have
scene_description  beds described as scenes
migrations     how a database of before becomes one of today
patches        JSON patches between two versions of a document
"""
