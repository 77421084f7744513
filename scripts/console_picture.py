#!/usr/bin/env python3
"""Takes pictures of the console in headless Chromium, for scripts/screenshots.

  console_picture.py URL TOKEN STEP...

Logs in with the token, then does the steps: open=/PATH, width=PIXELS, file=PATH (into the
page's field for files), type=LABEL:TEXT, choose=LABEL:TEXT, click=TEXT, top=TEXT (scrolls
that heading to the top), wait=SECONDS, shot=FILE.
"""
import base64
import json
import re
import subprocess
import sys
import tempfile
import time
import urllib.request

url, token, steps = sys.argv[1], sys.argv[2], sys.argv[3:]
driver = subprocess.Popen(["chromedriver", "--port=0"], stdout=subprocess.PIPE, text=True)
for line in driver.stdout:
    if found := re.search(r"successfully on port (\d+)", line):
        base = f"http://127.0.0.1:{found[1]}"
        break


def call(method, path, body=None):
    request = urllib.request.Request(base + path, method=method,
                                     data=None if method == "GET" else json.dumps(body or {}).encode(),
                                     headers={"Content-Type": "application/json"})
    return json.load(urllib.request.urlopen(request, timeout=60))["value"]


def run(script, *arguments):
    return call("POST", "/execute/sync", {"script": script, "args": list(arguments)})


FIELD = """const [label, text] = arguments;
const field = [...document.querySelectorAll('label')].find((one) => one.textContent === label).control;
const value = field.tagName !== 'SELECT' ? text
    : [...field.options].find((one) => one.text.startsWith(text)).value;
const set = Object.getOwnPropertyDescriptor(Object.getPrototypeOf(field), 'value').set;
set.call(field, value);
field.dispatchEvent(new Event(field.tagName === 'SELECT' ? 'change' : 'input', {bubbles: true}));"""
CLICK = """const dialogs = document.querySelectorAll('dialog[open]');
const root = dialogs.length > 0 ? dialogs[dialogs.length - 1] : document;
[...root.querySelectorAll('button, a')].find((one) => one.textContent.startsWith(arguments[0])).click();"""
TOP = """const heading = [...document.querySelectorAll('h2')].find((one) => one.textContent === arguments[0]);
scrollTo(0, heading.getBoundingClientRect().top + scrollY - 80);"""


def size(width, height):
    call("POST", "/goog/cdp/execute", {
        "cmd": "Emulation.setDeviceMetricsOverride",
        "params": {"width": width, "height": height, "deviceScaleFactor": 1, "mobile": False}})


try:
    options = ["--headless=new", "--no-sandbox", "--disable-gpu", "--disable-background-networking",
               "--disable-component-update", "--disable-sync", "--no-first-run", "--hide-scrollbars",
               "--user-data-dir=" + tempfile.mkdtemp()]
    session = call("POST", "/session", {"capabilities": {"alwaysMatch": {
        "goog:chromeOptions": {"args": options}, "acceptInsecureCerts": True}}})
    base += "/session/" + session["sessionId"]
    size(1280, 800)
    call("POST", "/url", {"url": url})
    time.sleep(1)
    run(CLICK, "With a token")
    time.sleep(0.3)
    run(FIELD, "Token", token)
    time.sleep(0.3)
    run(CLICK, "Log in")
    time.sleep(1)
    for step in steps:
        what, _, value = step.partition("=")
        if what == "open":
            call("POST", "/url", {"url": url + value})
            time.sleep(1.5)
        elif what == "width":
            size(int(value), 844 if int(value) < 600 else 800)
        elif what == "file":
            field = call("POST", "/element", {"using": "css selector", "value": "input[type=file]"})
            call("POST", f"/element/{next(iter(field.values()))}/value", {"text": value})
            time.sleep(0.5)
        elif what in ("type", "choose"):
            run(FIELD, *value.split(":", 1))
            time.sleep(0.3)
        elif what == "click":
            run(CLICK, value)
            time.sleep(0.7)
        elif what == "top":
            run(TOP, value)
            time.sleep(0.3)
        elif what == "wait":
            time.sleep(float(value))
        elif what == "shot":
            with open(value, "wb") as file:
                file.write(base64.b64decode(call("GET", "/screenshot")))
        else:
            sys.exit(f"unknown step '{step}'")
finally:
    call("DELETE", "")
    driver.terminate()
