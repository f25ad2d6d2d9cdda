"""What can be said about a session, read from its document or measured by rendering parts of it.

cache         what is kept of measurements: under which key, and where
findings      what the program finds when it examines a measured session
measurement   the whole song, every strip at every stage, rendering only what an edit has changed
reports       what a measured session or a stretch of it says about one question
sub_sessions  a part of a session as a session of its own: what it sounds like by itself
tempo         how fast a recording is: an estimate, and how sure it is
"""
