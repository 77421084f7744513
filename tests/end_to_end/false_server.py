# A server that is not what it says: hands calls on to a real vantrod's local socket, and
# changes one text in the answers. Usage: false_server.py REAL FALSE BEFORE AFTER
import socket
import sys

real, false, before, after = sys.argv[1], sys.argv[2], sys.argv[3].encode(), sys.argv[4].encode()
listening = socket.socket(socket.AF_UNIX)
listening.bind(false)
listening.listen(8)
print("ready", flush=True)
while True:
    client, _ = listening.accept()
    head = b""
    while b"\r\n\r\n" not in head:
        piece = client.recv(65536)
        if not piece:
            break
        head += piece
    server = socket.socket(socket.AF_UNIX)
    server.connect(real)
    # Its own names stand in what it is asked.
    head = head.replace(after.replace(b"/", b"%2F"), before).replace(after, before)
    server.sendall(head.replace(b"\r\n\r\n", b"\r\nConnection: close\r\n\r\n", 1))
    answer = b""
    while piece := server.recv(65536):
        answer += piece
    answer_head, _, body = answer.partition(b"\r\n\r\n")
    body = body.replace(before, after)
    lines = [line for line in answer_head.split(b"\r\n") if not line.lower().startswith(b"content-length")]
    client.sendall(b"\r\n".join(lines + [b"Content-Length: %d" % len(body), b"Connection: close"]) + b"\r\n\r\n" + body)
    client.close()
