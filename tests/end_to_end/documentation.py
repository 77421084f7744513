#!/usr/bin/env python3
"""Runs the commands of README.md and docs/, and compares what comes back with what is written.

  documentation.py BUILD [--write] [PAGE ...]     BUILD: the folder with src/ and demo/

Commands are the lines that begin with "$ " in blocks marked as console. The lines behind one are
what it prints; a line "..." stands for any lines. "# exit code N" behind a command is its exit
code, otherwise 0. Times, sizes and checksums may differ, everything else may not. --write puts
what comes back into the page where it differs, and in place of an output that is only "...".

Each page gets a server of its own, on the addresses and ports that the pages name, in a network
namespace that this program makes (root; without it, it ends with 77).
"""
import difflib
import json
import os
import re
import shutil
import subprocess
import sys
import tempfile
import time

SOURCE = os.path.dirname(os.path.dirname(os.path.dirname(os.path.abspath(__file__))))
SERVER = "192.0.2.10"
DEVICES = {"127.1.0.1": "192.0.2.7", "127.1.0.2": "192.0.2.8", "127.1.0.3": "192.0.2.9",
           "127.1.0.4": "192.0.2.11", "127.1.0.5": "192.0.2.12"}
FENROCK = "vantro image add causeway4-{} --list SHA256SUMS --yes"
FETCH = "curl -sS --interface {} -o received http://192.0.2.10/{}"
SEND = "curl -sS --interface {} -T {} http://192.0.2.10/{}"
# What has happened before a page begins.
BEFORE = {
    "README.md": [],
    "docs/guide/set-up.md": [],
    "docs/guide/images.md": [FENROCK.format("system-7.4.2.img"), FENROCK.format("system-7.6.0.img"),
                             FENROCK.format("boot-2.1.0.img")],
    "docs/guide/changes.md": [*(f"vantro image add lattice24-{name}.img --list MD5SUMS --yes" for name in
                                ("system-3.10.1", "system-3.12.0", "system-4.0.1", "boot-2.0")), FENROCK.format("system-7.6.0.img"), "vantro device import devices.csv",
                              SEND.format("192.0.2.9", "osier-sw.1.cfg", "osier-sw.cfg")],
    "docs/guide/watch.md": [FENROCK.format("system-7.6.0.img"), "vantro device import devices.csv",
                            FETCH.format("192.0.2.7", "causeway4-sytsem-7.6.0.img"),
                            FETCH.format("192.0.2.7", "causeway4-system-7.6.0.img"),
                            SEND.format("192.0.2.7", "tidegate-rtr.1.cfg", "tidegate-rtr.cfg")],
    "docs/guide/backups.md": [
        "vantro device add tidegate-rtr --addresses 192.0.2.7 --platform causeway4 --site Tidegate",
        *(SEND.format("192.0.2.7", f"tidegate-rtr.{i}.cfg", "tidegate-rtr.cfg") for i in (1, 2)),
        SEND.format("192.0.2.70", "bittern-fw.1.cfg", "spare.cfg")],
    "docs/guide/access.md": [],
    "docs/guide/people.md": [FENROCK.format("system-7.6.0.img")],
    "docs/guide/operations.md": [FENROCK.format("system-7.6.0.img")],
}
MASKS = [
    (r"[ \t]+", " "),
    # First, as what looks like a time may be a part of them.
    (r"<masked:[0-9a-f]+>", "<masked>"), (r"vantro-[0-9a-f]{40,}", "TOKEN"),
    (r"SHA256:[A-Za-z0-9+/]{40,}", "KEY"), (r"\b(?:[0-9A-F]{2}:){15,}[0-9A-F]{2}\b", "KEY"),
    (r"\b\d{4}-\d\d-\d\d[ T]\d\d:\d\d(:\d\d(\.\d+)?)?Z?", "TIME"), (r"\b\d{4}-\d\d-\d\d\b", "TIME"),
    (r"\b\d\d:\d\d:\d\d(\.\d+)?\b", "TIME"),
    (r"\b[\d.,]+ (KiB|MiB|GiB|TiB|B|bytes?)(/s)?(?!\w)", "SIZE"),
    (r"\b[\d.,]+ (ms|s|min|h|seconds?|minutes?|hours?)\b( \d+ (s|min|h)\b)?", "SPAN"),
    (r"\bjust now\b", "SPAN ago"), (r"\bin (less than )?\d+ days?\b", "in SPAN"), (r"\b\d+ days?( \d+ h)?\b", "SPAN"),
    (r"\b[0-9a-f]{7,}(\.\.\.)?", "HEX"), (r"\bq[0-9a-z]{5,}-[0-9a-z]+\b", "REQUEST"),
    (r"-{3,}", "---"),
]


def masked(line):
    for pattern, text in MASKS:
        line = re.sub(pattern, text, line)
    return line.strip()


def fits(written, came):
    """Whether the lines that came are those written, where "..." stands for any. Where lines are
    wrapped does not matter: it depends on how long the times and sizes are."""
    def whole(lines):
        return masked(" ".join(lines))

    parts = [[]]
    for line in written:
        if line.strip() == "...":
            parts.append([])
        else:
            parts[-1].append(line)
    parts = [whole(part) for part in parts]
    text = whole(came)
    if len(parts) == 1:
        return parts[0] == text
    if not (text.startswith(parts[0]) and text.endswith(parts[-1])):
        return False
    at = len(parts[0])
    for part in parts[1:]:
        at = text.find(part, at)
        if at < 0:
            return False
        at += len(part)
    return True


def shown(came):
    return came if len(came) <= 34 else came[:30] + ["..."]


class Site:
    """A server with nothing on it, and a folder with files as the pages name them."""

    def __init__(self, build, data):
        self.root = tempfile.mkdtemp(prefix="vantro-docs-")
        self.work = os.path.join(self.root, "work")
        os.mkdir(self.work)
        for folder, _, names in os.walk(data):
            for name in names:
                if not os.path.exists(os.path.join(self.work, name)):
                    os.symlink(os.path.join(folder, name), os.path.join(self.work, name))
        os.remove(os.path.join(self.work, "devices.csv"))
        with open(os.path.join(data, "devices.csv"), encoding="utf-8") as file:
            devices = file.read()
        for was, address in DEVICES.items():
            devices = devices.replace(was + ",", address + ",")
        self.write("devices.csv", devices)
        self.write("notes.txt", "Release notes. The boot loader must be 2.1.0.\n")
        self.write("heron-rtr.cfg", "hostname heron-rtr\nmtu 1500\n")
        # The documentation's network is none of the private ones.
        rule = '[[rule]]\nfrom = ["loopback", "192.0.2.0/24"]\nmay = [{}]\nneeds_account = {}\n'
        self.write("vantro.toml", f'[snapshot]\nfolder = "{self.root}/snapshots"\n'
                   + rule.format('"fetch", "deposit", "list"', "false")
                   + rule.format('"read-back", "hand-in"', "true")
                   + open(os.path.join(data, "recognisers.toml"), encoding="utf-8").read())
        os.mkdir(os.path.join(self.root, "snapshots"))
        self.environment = dict(os.environ, PATH=f"{build}/src:{os.environ['PATH']}", COLUMNS="100",
                                VANTRO_URL=f"{self.root}/socket", HOME=self.root, TZ="UTC", LC_ALL="C.UTF-8",
                                NO_COLOR="1")
        self.log = open(os.path.join(self.root, "log"), "w+", encoding="utf-8")
        listen = [f"--{what}-listen={SERVER}:{port}" for what, port in
                  (("tftp", 69), ("ftp", 21), ("http", 80), ("ssh", 22), ("management-tls", 7443))]
        self.server = subprocess.Popen(
            [f"{build}/src/vantrod", "--config", "vantro.toml", "--state", f"{self.root}/state", *listen,
             "--management-listen", "127.0.0.1:7070", "--management-socket", f"{self.root}/socket"],
            cwd=self.work, env=self.environment, stdout=subprocess.PIPE, stderr=self.log, text=True)
        for line in self.server.stdout:
            if line.startswith("Ready"):
                break
        else:
            self.log.seek(0)
            raise SystemExit("the server did not start:\n" + self.log.read())
        # Host keys are made beside serving.
        for _ in range(600):
            if len(os.listdir(f"{self.root}/state/ssh")) >= 3:
                break
            time.sleep(0.1)

    def write(self, name, text):
        with open(os.path.join(self.work, name), "w", encoding="utf-8") as file:
            file.write(text)

    def run(self, command):
        """The exit code and the lines."""
        done = subprocess.run(["bash", "-c", command], cwd=self.work, env=self.environment, text=True,
                              input="reeds-and-sluices\n", stdout=subprocess.PIPE, stderr=subprocess.STDOUT,
                              timeout=120, check=False)
        if "image add" in command:
            self.await_digests()
        # As they are named where the package puts them.
        text = done.stdout.rstrip("\n")
        for part, name in (("snapshots", "/var/backups/vantro"), ("state", "/var/lib/vantro"),
                           ("socket", "/run/vantro/management.sock")):
            text = text.replace(f"{self.root}/{part}", name)
        return done.returncode, [line.rstrip() for line in text.split("\n")] if text else []

    def await_digests(self):
        """Those of large images follow seconds later. The pages show what is there after that."""
        for _ in range(300):
            told = subprocess.run(["vantro", "image", "list", "--json"], env=self.environment, text=True,
                                  stdout=subprocess.PIPE, check=True).stdout
            if all(one["image"]["digests"]["md5"] for one in json.loads(told)["images"]):
                return
            time.sleep(0.1)

    def end(self):
        self.server.terminate()
        self.server.stdout.close()
        self.server.wait(60)
        self.log.close()
        shutil.rmtree(self.root)


def commands(lines):
    """The first and the last line of each command's output, and the command."""
    i = 0
    while i < len(lines):
        if lines[i] != "```console":
            i += 1
            continue
        i += 1
        while lines[i] != "```":
            if not lines[i].startswith("$ "):
                raise SystemExit(f"'{lines[i]}' belongs to no command")
            command = lines[i][2:]
            begin = i = i + 1
            while lines[i] != "```" and not lines[i].startswith("$ "):
                i += 1
            yield begin, i, command


def try_page(page, build, data, write):
    path = os.path.join(SOURCE, page)
    with open(path, encoding="utf-8") as file:
        lines = file.read().split("\n")
    found = list(commands(lines))
    site = Site(build, data)
    wrong = []
    written = []  # begin, end, lines
    try:
        for command in BEFORE[page]:
            code, came = site.run(command)
            if code != 0:
                wrong.append(f"{page}: before it: $ {command}\nended with {code}\n" + "\n".join(came))
        for begin, end, text in found:
            command = re.sub(r"^sudo ", "", text)
            wanted = re.search(r"# exit code (\d+)", command)
            wanted = int(wanted.group(1)) if wanted else 0
            time.sleep(0.3)  # the ledger's rows are gathered for 200 ms
            code, came = site.run(command)
            if code != wanted:
                wrong.append(f"{page}: $ {text}\nended with {code} instead of {wanted}\n" + "\n".join(came))
                continue
            is_to_write = write and lines[begin:end] == ["..."]
            if is_to_write or not fits(lines[begin:end], came):
                written.append((begin, end, shown(came)))
                if not write:
                    difference = difflib.unified_diff(lines[begin:end], came, "written", "came", lineterm="", n=1)
                    wrong.append(f"{page}: $ {text}\n" + "\n".join(difference))
    finally:
        site.end()
    if write and not wrong:
        for begin, end, came in reversed(written):
            lines[begin:end] = came
        with open(path, "w", encoding="utf-8") as file:
            file.write("\n".join(lines))
    return len(found), wrong


def main():
    arguments = sys.argv[1:]
    if os.geteuid() != 0:
        print("only root can make a network namespace")
        return 77
    if "--inside" not in arguments:
        return subprocess.run(["unshare", "-n", "--", sys.executable, __file__, "--inside", *arguments],
                              check=False).returncode
    arguments.remove("--inside")
    write = "--write" in arguments
    build, *pages = [one for one in arguments if one != "--write"]
    build = os.path.abspath(build)
    for address in ("127.0.0.1/8", f"{SERVER}/24", "192.0.2.70/24", *(a + "/24" for a in DEVICES.values())):
        subprocess.run(["ip", "address", "add", address, "dev", "lo"], check=False, stderr=subprocess.DEVNULL)
    subprocess.run(["ip", "link", "set", "lo", "up"], check=True)
    data = tempfile.mkdtemp(prefix="vantro-docs-data-")
    total = 0
    wrong = []
    try:
        subprocess.run([f"{build}/demo/vantro-demo-data", data], check=True, stdout=subprocess.DEVNULL)
        for page in pages or BEFORE:
            count, bad = try_page(page, build, data, write)
            print(f"{page}: {count} commands, {len(bad)} wrong")
            total += count
            wrong += bad
    finally:
        shutil.rmtree(data)
    print("\n\n".join(["", *wrong]))
    if not pages and total < 60:
        print(f"only {total} commands were found")
        return 1
    return 1 if wrong else 0


if __name__ == "__main__":
    sys.exit(main())
