#!/usr/bin/env python3
"""Calls every operation of the table with every role: what a role may not is refused, and
nothing else is refused for that.

  roles_check.py PORT ROLE=TOKEN...
"""
import http.client
import json
import re
import sys

RANK = {"anyone": -1, "look": 0, "operate": 1, "administer": 2}


def may(role, needed):
    if needed == "mirror" or role == "mirror":
        return role == needed or needed == "anyone"
    return RANK[role] >= RANK[needed]


port, tokens = sys.argv[1], dict(one.split("=", 1) for one in sys.argv[2:])


def call(method, path, token):
    connection = http.client.HTTPConnection("127.0.0.1", int(port), timeout=20)
    headers = {"Content-Length": "0"}
    if token:
        headers["Authorization"] = "Bearer " + token
    connection.request(method, path, headers=headers)
    answer = connection.getresponse()
    # The event stream has no end.
    text = "" if path == "/v1/events" and answer.status == 200 else answer.read().decode()
    connection.close()
    return answer.status, text


_, text = call("GET", "/v1/routes", tokens["look"])
routes = json.loads(text)["routes"]
wrong = []
calls = 0
for route in routes:
    # Nothing of that name is there, so nothing is changed.
    path = re.sub(r"\{address\}", "192.0.2.99", route["path"])
    path = re.sub(r"\{[a-z0-9]+\}", "none", path)
    needed = route["permission"]
    status, text = call(route["method"], path, None)
    # Metrics need none from this machine.
    apart = (("POST", "/v1/log-in"), ("GET", "/metrics"))
    if (status == 401) != (needed != "anyone") and (route["method"], path) not in apart:
        wrong.append(f"{route['method']} {path} without a token: {status} {text}")
    for role, token in tokens.items():
        if (route["method"], path) == ("DELETE", "/v1/log-in"):
            continue  # it would end the token
        status, text = call(route["method"], path, token)
        calls += 1
        refused = status == 403 and "and this needs" in text
        if refused != (not may(role, needed)) or status == 401:
            wrong.append(f"{route['method']} {path} with {role}: {status} {text}")
print("\n".join(wrong) or f"{calls} calls: as the table has it")
sys.exit(1 if wrong else 0)
