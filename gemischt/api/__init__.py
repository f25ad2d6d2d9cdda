"""HTTP and WebSocket: create_app assembles thin routers over the operations.

app           the web application, assembled
dependencies  what routers are handed
errors        every error in one shape: what is wrong, where, and what to do
handing_over  what the web server tells the process that plays
limits        how much one request may bring
playing       playback in a process of its own; playing_worker is its other end
playing_worker  that process: serves the connections that the web server hands over
preloaded     what the processes beside the server need, loaded by the one that they are copies of
print_schemas  what the API says and takes of prints
routers       one router per subject
schemas       what the API says and takes
security      who may talk to this server, and what its pages may do
settings      how the server is set up
tasks         tasks over the song of a session, as jobs
"""

PRELOADED = "gemischt.api.preloaded"
"""The module to get ready with, see operations.child_process."""
