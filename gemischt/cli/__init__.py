"""The command line.

commands  what the commands do
console   what commands say: results on stdout, errors and progress on stderr
main      the ``gemischt`` command: its words
print_commands  what the commands that print do
server    starting the web application
"""
