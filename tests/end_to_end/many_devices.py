#!/usr/bin/env python3
"""Many devices that ask for an address at once, on one interface: plain DHCP clients over a
packet socket, each with a link address of its own.
   many_devices.py INTERFACE COUNT
Says how many were given an address, and how many different ones there were."""
import socket
import struct
import sys
import time

interface, count = sys.argv[1], int(sys.argv[2])
wire = socket.socket(socket.AF_PACKET, socket.SOCK_RAW, socket.htons(0x0800))
wire.bind((interface, 0))
wire.setsockopt(socket.SOL_SOCKET, socket.SO_RCVBUF, 1 << 22)


def checksum(data):
    if len(data) % 2:
        data += b"\0"
    total = sum(struct.unpack(f"!{len(data) // 2}H", data))
    while total >> 16:
        total = (total & 0xFFFF) + (total >> 16)
    return ~total & 0xFFFF


def link_of(number):
    return bytes([2, 0, 0x5E, 0x20, number >> 8, number & 255])


def send(number, options):
    link = link_of(number)
    message = struct.pack("!BBBBIHH16s", 1, 1, 6, 0, number, 0, 0, b"") + link + bytes(10) + bytes(192)
    message += bytes([99, 130, 83, 99]) + options + b"\xff"
    udp = struct.pack("!HHHH", 68, 67, 8 + len(message), 0) + message
    head = struct.pack("!BBHHHBBH4s4s", 0x45, 0, 20 + len(udp), 0, 0, 64, 17, 0, bytes(4), b"\xff" * 4)
    head = head[:10] + struct.pack("!H", checksum(head)) + head[12:]
    wire.send(b"\xff" * 6 + link + struct.pack("!H", 0x0800) + head + udp)


def option(message, wanted):
    at = 240
    while at + 1 < len(message) and message[at] != 255:
        if message[at] == 0:
            at += 1
            continue
        code, size = message[at], message[at + 1]
        if code == wanted:
            return message[at + 2 : at + 2 + size]
        at += 2 + size
    return b""


got = {}
asked_at = {}
deadline = time.monotonic() + 60
while len(got) < count and time.monotonic() < deadline:
    now = time.monotonic()
    for number in range(1, count + 1):
        if number not in got and now - asked_at.get(number, 0) > 4:
            asked_at[number] = now
            send(number, bytes([53, 1, 1]))
    wire.settimeout(0.2)
    try:
        while True:
            frame = wire.recv(2048)
            if len(frame) < 282 or frame[23] != 17 or frame[36:38] != b"\0\x44":
                continue
            message = frame[42:]
            number = struct.unpack("!I", message[4:8])[0]
            kind = option(message, 53)
            if kind == b"\x02":
                send(number, bytes([53, 1, 3, 54, 4]) + option(message, 54) + bytes([50, 4]) + message[16:20])
            elif kind == b"\x05":
                got[number] = message[16:20]
    except socket.timeout:
        pass
print(f"{len(got)} devices have {len(set(got.values()))} addresses")
