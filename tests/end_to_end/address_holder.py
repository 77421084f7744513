#!/usr/bin/env python3
"""Somebody on a wire who has an address already: answers who asks for it (ARP, RFC 826).
   address_holder.py INTERFACE ADDRESS SECONDS"""
import socket
import struct
import sys
import time

interface, address, seconds = sys.argv[1], socket.inet_aton(sys.argv[2]), float(sys.argv[3])
own = bytes([2, 0, 0x5E, 0x10, 0, 0x63])
wire = socket.socket(socket.AF_PACKET, socket.SOCK_RAW, socket.htons(0x0806))
wire.bind((interface, 0))
wire.settimeout(0.2)
until = time.monotonic() + seconds
while time.monotonic() < until:
    try:
        frame = wire.recv(2048)
    except socket.timeout:
        continue
    if frame[20:22] == b"\0\1" and frame[38:42] == address:
        answer = struct.pack("!HHBBH", 1, 0x0800, 6, 4, 2) + own + address + frame[22:32]
        wire.send(frame[6:12] + own + b"\x08\x06" + answer)
