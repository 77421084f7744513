#!/usr/bin/env python3
"""Holds the includes of src/ against LAYERS: fails on an arrow that runs up or sideways.

  scripts/check_layers.py [FOLDER]     (default: the project that this script is in)
"""
import pathlib
import re
import sys

root = pathlib.Path(sys.argv[1] if len(sys.argv) > 1 else pathlib.Path(__file__).parents[1])
allowed = {}
for line in (root / "LAYERS").read_text().splitlines():
    if line and not line.startswith("#"):
        room, _, rooms = line.partition(":")
        allowed[room] = set(rooms.split()) | {room}

problems = []
for room in allowed:
    if not (root / "src" / room).is_dir():
        problems.append(f"LAYERS names '{room}', but there is no src/{room}")
    for other in allowed[room] - {room}:
        if other not in allowed or room in allowed[other]:
            problems.append(f"LAYERS: {room} may include {other}, which is unknown or a circle")

# Libraries that one room alone may know, and the rooms that may.
owners = {
    r"soci/": {"db"},
    r"openssl/|rnp/": {"crypto"},
    r"sodium": {"crypto", "base"},
    r"re2/": {"text"},
    r"archive": {"probe", "client", "upkeep"},
    r"libfdt|zlib": {"probe"},
    r"seccomp": {"probe", "daemon"},
    r"systemd|cap-ng": {"daemon"},
    r"prometheus": {"manage"},
    r"sqlite3": {"db"},
    r"libpq": {"db"},
    r"boost/": {"net", "serve", "manage", "daemon"},
    r"curl/": {"client", "serve", "uplink"},
    r"CLI/": {"client", "daemon", "manual"},
    r"toml\+\+/": {"client", "daemon"},
}

for file in sorted((root / "src").rglob("*")):
    if file.suffix not in (".h", ".cc"):
        continue
    room = file.relative_to(root / "src").parts[0]
    where = file.relative_to(root)
    if room not in allowed:
        problems.append(f"{where}: the room '{room}' is not in LAYERS")
        continue
    for number, line in enumerate(file.read_text().splitlines(), 1):
        own = re.match(r'#include "([^/"]+)/', line)
        if own and own[1] not in allowed[room]:
            problems.append(f"{where}:{number}: {room} must not include {own[1]}")
        library = re.match(r"#include <([^>]+)>", line)
        for pattern, rooms in owners.items():
            if library and re.match(pattern, library[1]) and room not in rooms:
                problems.append(f"{where}:{number}: only {', '.join(sorted(rooms))} may include "
                                f"<{library[1]}>")

# The console: each folder of its source may include those before it; parts see no store.
folders = {
    "api": set(),
    "formats": set(),
    "store": {"api", "formats"},
    "parts": {"api", "formats"},
    "pages": {"api", "formats", "store", "parts"},
    "styles": set(),
}
source = root / "console" / "src"
for file in sorted(source.rglob("*.ts*")):
    folder = file.relative_to(source).parts[0]
    if folder not in folders and file.parent != source:
        problems.append(f"{file.relative_to(root)}: the folder '{folder}' is not in {sys.argv[0]}")
        continue
    for number, line in enumerate(file.read_text().splitlines(), 1):
        other = re.search(r'from "\.\./(\w+)/', line)
        if other and other[1] != folder and other[1] not in folders[folder]:
            problems.append(f"{file.relative_to(root)}:{number}: {folder} must not include {other[1]}")
        # What comes from the server gets its type in api/ alone.
        assertion = r"[\w)\]}] as (unknown|any|string|number|boolean|[A-Z]\w*[<;,)\]])"
        if folder != "api" and re.search(assertion, line):
            problems.append(f"{file.relative_to(root)}:{number}: 'as' belongs to api/")

# The libraries must be linked as the rooms may include each other.
text = (root / "src" / "CMakeLists.txt").read_text()
for name, body in re.findall(r"vantro_room\((\w+)(.*?)\n?\)\n", text, re.S):
    uses = re.search(r"USES([a-z\s]*)", body)
    linked = set(uses[1].split()) if uses else set()
    if linked != allowed.get(name, set()) - {name}:
        problems.append(f"src/CMakeLists.txt: {name} USES {sorted(linked)}, LAYERS says "
                        f"{sorted(allowed.get(name, set()) - {name})}")

print("\n".join(problems) if problems else "The layers hold.")
sys.exit(1 if problems else 0)
