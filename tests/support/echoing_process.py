"""A process that answers each line with the same, in capitals; it complains of some, and dies of one."""

import os
import signal
import socket
import sys


def main(control: socket.socket) -> None:
    for line in control.makefile():
        if line == "die\n":
            os.kill(os.getpid(), signal.SIGKILL)
        if line == "complain\n":
            print("it is too loud", file=sys.stderr, flush=True)
        control.sendall(f"{os.getpid()} {line.upper()}".encode())
