"""Use cases, shared by the web application and the command line.

workspace      a data folder: sessions, audio, prints
importing      files into tracks
printing       a mix into a file
measuring      levels and loudness of files
overview       waveform and loudness of the mix over the song
session_files  sessions as files on disk: read, export
jobs           long work with progress, cancel and a result
"""
