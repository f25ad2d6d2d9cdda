"""Use cases, shared by the web application and the command line.

workspace          a data folder: sessions, audio, prints
importing          files into tracks
printing           prints into files
handing_over       a song for somebody else: session, consolidated files, sheet
mix_sheet          a mix as a page to be read
catalogue          many songs: printed or measured unattended, on one machine or several
print_lists        print lists: begun, gone on with, and what they made brought back
measuring          levels and loudness of files
session_measuring  levels of a whole session, and what was found
side_by_side       strips measured side by side, each at the heels of what it hears
tempo_estimating   how fast a strip is, to be offered
waveforms          files, to draw clips with
reports            measured reports as JSON
session_files      sessions as files on disk: read, export
tasks              what renders a whole song, and what it gives as JSON
task_process       tasks in a process of their own, behind playback; task_worker is its other end
child_process      processes of ours beside the server, copies of one that has loaded what they need
jobs               long work with progress, cancel and a result
demo_sessions      puts the demo song into a data folder
priority           playback comes first
memory             memory that is free inside this process, given back to the system
task_worker        the other end of ``TaskProcess``: does tasks in a process of its own, a few at a time
"""
