#!/usr/bin/env python3
"""A bad link in front of a local socket: passes everything on, and breaks each connection on
which the given number of bytes has gone to the server, so many times; then it behaves. With a
text, only connections that begin with a request that has it in its first line.
   breaking_relay.py LISTEN SERVER BYTES TIMES [TEXT]"""
import os
import socket
import sys
import threading

listen, server, most, times = sys.argv[1], sys.argv[2], int(sys.argv[3]), int(sys.argv[4])
text = sys.argv[5].encode() if len(sys.argv) > 5 else b""
left = [times]


def carry(source, sink, limit):
    """True: the limit was reached."""
    passed = 0
    meant = None
    try:
        while data := source.recv(65536):
            sink.sendall(data)
            passed += len(data)
            if meant is None:
                meant = limit is not None and text in data.partition(b"\r\n")[0]
            if meant and left[0] > 0 and passed >= limit:
                left[0] -= 1
                return True
    except OSError:
        pass
    return False


def both(client):
    with client, socket.socket(socket.AF_UNIX) as to:
        to.connect(server)
        back = threading.Thread(target=lambda: (carry(to, client, None), hang_up(client)))
        back.start()
        carry(client, to, most)
        hang_up(to)
        hang_up(client)
        back.join()


def hang_up(one):
    try:
        one.shutdown(socket.SHUT_RDWR)
    except OSError:
        pass


door = socket.socket(socket.AF_UNIX)
door.bind(listen + ".new")
door.listen(16)
os.rename(listen + ".new", listen)
while True:
    threading.Thread(target=both, args=(door.accept()[0],), daemon=True).start()
