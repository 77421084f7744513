"""Receivers of notices: a webhook (under TLS), syslog over UDP, TCP and TLS, a mail server.

receivers.py FOLDER CERTIFICATE KEY: writes the ports to FOLDER/ports, and each thing that
comes to a file of its own there: webhook-1, syslog-1, mail-1 and so on. Ends with its
standard input.
"""
import http.server
import itertools
import os
import socket
import socketserver
import ssl
import sys
import threading

folder, certificate, key = sys.argv[1:4]
lock = threading.Lock()
counts = {}


def keep(kind, data):
    with lock:
        counts[kind] = counts.get(kind, 0) + 1
        name = os.path.join(folder, f"{kind}-{counts[kind]}")
        with open(name + ".part", "wb") as file:
            file.write(data)
        os.rename(name + ".part", name)


class Webhook(http.server.BaseHTTPRequestHandler):
    def do_POST(self):
        body = self.rfile.read(int(self.headers["Content-Length"]))
        # Told to be away for the first call, so that it must be made again.
        if self.path == "/away" and not os.path.exists(os.path.join(folder, "back")):
            self.send_error(503)
            return
        head = "".join(f"{name}: {value}\n" for name, value in self.headers.items())
        keep("webhook", head.encode() + b"\n" + body)
        self.send_response(202)
        self.end_headers()

    def log_message(self, *_):
        pass


class Syslog(socketserver.BaseRequestHandler):
    def handle(self):
        data = b""
        while piece := self.request.recv(65536):
            data += piece
        keep("syslog", data)


class SyslogDatagram(socketserver.BaseRequestHandler):
    def handle(self):
        keep("syslog", self.request[0])


class Mail(socketserver.StreamRequestHandler):
    greeting = "250 mail.example.net"

    def say(self, text):
        self.wfile.write(text.encode() + b"\r\n")

    def handle(self):
        self.say("220 mail.example.net")
        letter = b""
        while line := self.rfile.readline():
            word = line.strip().upper()
            if word.startswith(b"EHLO"):
                self.say(self.greeting)
            elif word == b"DATA":
                self.say("354 go on")
                while (text := self.rfile.readline()) not in (b".\r\n", b""):
                    letter += text
                keep("mail", letter)
                self.say("250 taken")
            elif word == b"STARTTLS":
                self.say("220 go on")
                secure = context.wrap_socket(self.request, server_side=True)
                self.rfile, self.wfile = secure.makefile("rb"), secure.makefile("wb", 0)
                letter += b"under TLS\n"
            elif word.startswith(b"AUTH"):
                self.say("334 ")
                letter += b"AUTH PLAIN " + self.rfile.readline()
                self.say("235 you are in")
            elif word == b"QUIT":
                self.say("221 goodbye")
                return
            else:
                letter += line
                self.say("250 yes")


class MailWithTls(Mail):
    greeting = "250-mail.example.net\r\n250-AUTH PLAIN\r\n250 STARTTLS"


context = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
context.load_cert_chain(certificate, key)
web = http.server.ThreadingHTTPServer(("127.0.0.1", 0), Webhook)
web.socket = context.wrap_socket(web.socket, server_side=True)
secure = socketserver.ThreadingTCPServer(("127.0.0.1", 0), Syslog)
secure.socket = context.wrap_socket(secure.socket, server_side=True)
servers = {
    "webhook": web,
    "tls": secure,
    "udp": socketserver.ThreadingUDPServer(("127.0.0.1", 0), SyslogDatagram),
    "tcp": socketserver.ThreadingTCPServer(("127.0.0.1", 0), Syslog),
    "mail": socketserver.ThreadingTCPServer(("127.0.0.1", 0), Mail),
    "mail-tls": socketserver.ThreadingTCPServer(("127.0.0.1", 0), MailWithTls),
}
for server in servers.values():
    threading.Thread(target=server.serve_forever, daemon=True).start()
with open(os.path.join(folder, "ports.part"), "w") as file:
    for name, server in servers.items():
        file.write(f"{name}={server.server_address[1]}\n")
os.rename(os.path.join(folder, "ports.part"), os.path.join(folder, "ports"))
threading.Event().wait()
