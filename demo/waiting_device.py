#!/usr/bin/env python3
"""A made-up device that waits for its image: it takes one file over TFTP (RFC 1350, options of
RFC 2347 to 2349 if it is told to know them), and says what it got.
   waiting_device.py ADDRESS FILE [--after SECONDS] [--lose N] [--options] [--refuse-options]
   --after SECONDS   listens only then, as one that is switched on later
   --lose N          every Nth datagram is lost, in both directions
   --options         answers options; else they are ignored, as by a device that knows none
   --refuse-options  answers them with an error"""
import argparse
import hashlib
import socket
import struct
import sys
import time

parser = argparse.ArgumentParser()
parser.add_argument("address")
parser.add_argument("file")
parser.add_argument("--after", type=float, default=0)
parser.add_argument("--lose", type=int, default=0)
parser.add_argument("--options", action="store_true")
parser.add_argument("--refuse-options", action="store_true")
wanted = parser.parse_args()

count = 0


def lost():
    global count
    count += 1
    return wanted.lose and count % wanted.lose == 0


time.sleep(wanted.after)
listener = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
listener.bind((wanted.address, 69))
listener.settimeout(60)
answers = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
answers.bind((wanted.address, 0))
answers.settimeout(1)


def say(packet, peer):
    if not lost():
        answers.sendto(packet, peer)


while True:
    request, peer = listener.recvfrom(2048)
    if lost() or request[:2] != b"\0\2":
        continue
    parts = request[2:].split(b"\0")
    name, options = parts[0].decode(), dict(zip(parts[2:-1:2], parts[3:-1:2]))
    if options and wanted.refuse_options:
        say(struct.pack("!HH", 5, 8) + b"no options\0", peer)
        continue
    break
block_size = 512
first = struct.pack("!HH", 4, 0)
if options and wanted.options:
    block_size = int(options.get(b"blksize", b"512"))
    agreed = {one: options[one] for one in (b"tsize", b"blksize") if one in options}
    first = b"\0\6" + b"".join(key + b"\0" + value + b"\0" for key, value in agreed.items())
say(first, peer)
got, block, last = bytearray(), 0, first
quiet = 0
while True:
    try:
        packet, sender = answers.recvfrom(65536)
    except socket.timeout:
        quiet += 1
        if quiet > 20:
            sys.exit("the sender went silent")
        say(last, peer)
        continue
    if sender != peer or lost():
        continue
    quiet = 0
    code, number = struct.unpack("!HH", packet[:4])
    if code == 5:
        sys.exit(f"the sender ended it: {packet[4:-1].decode()}")
    if code != 3:
        continue
    if number == (block + 1) & 0xFFFF:
        block += 1
        got += packet[4:]
        last = struct.pack("!HH", 4, number)
        say(last, peer)
        if len(packet) - 4 < block_size:
            break
    elif number == block & 0xFFFF:
        say(last, peer)
# Its last acknowledgement may be lost: it answers a repeated last block for a moment.
until = time.monotonic() + 3
while time.monotonic() < until:
    try:
        packet, sender = answers.recvfrom(65536)
        if sender == peer and packet[:2] == b"\0\3":
            say(last, peer)
    except socket.timeout:
        pass
with open(wanted.file, "wb") as file:
    file.write(got)
print(f"took '{name}': {len(got)} bytes, SHA-256 {hashlib.sha256(got).hexdigest()}")
