# One night's work, on the demo data; scripts/demo runs it, with its functions and variables.
# shellcheck shell=bash disable=SC2154

say() { printf '%s\n' "$*"; }
osier() { # exit code, and what the switch does
  device "$1" osier-sw 127.1.0.3 "${@:2}"
}
# What the switch's sheet says is typed, and nothing else.
typed_from_sheet() {
  mapfile -t typed < <("$VANTRO" --json job sheet osier-sw --over tftp | python3 -c 'import json, sys
values = {one["name"]: one["value"] for one in json.load(sys.stdin)["values"]}
print(values["server"] + ":" + values["port"], values["name"], sep="\n")')
  "$BIN/demo/vantro-demo-device" --name osier-sw --address 127.1.0.3 --server "${typed[0]}" \
    fetch "${typed[1]}" --rate "${1:-20MiB}" > "$work/fetched.out" || fail "the switch could not fetch ${typed[1]}"
}

headline "The task: osier-sw, a switch at Osier Works, must go from 3.10.1 to 4.0.1 tonight"
say "Its maker has published three images and a checksum list. They are downloaded on a workstation."

headline "15:00  Add the images. Each is compared with its maker's checksum, so a broken download can't get in"
must_end_with 0 "$VANTRO" image add "$alderbit" --recursive
head -c 5000000 "$alderbit/lattice24-system-4.0.1.img" > "$work/lattice24-system-4.0.1.img"
must_end_with 6 "$VANTRO" image add "$work/lattice24-system-4.0.1.img" \
  --expect "md5:$(published "$alderbit/MD5SUMS" lattice24-system-4.0.1.img)"

headline "15:10  The switch says what it runs: it sends a listing, like any backup"
"$VANTRO" device import "$data/devices.csv" > /dev/null
osier 0 send "$data/reports/osier-sw.before.rpt" --as osier-sw.rpt
must_end_with 0 "$VANTRO" device info osier-sw

headline "15:20  Which version may follow which? The maker's release notes, as a table of rules, say it"
"$VANTRO" route import "$data/rules.csv" > /dev/null
must_end_with 0 "$VANTRO" route --device osier-sw --wanted lattice24-system-4.0.1.img

headline "15:30  Plan it, so that colleagues see it. Then check everything before the point of no return"
must_end_with 0 "$VANTRO" job add osier-sw --image lattice24-system-4.0.1.img --slot B --remark "change 4711"
osier 0 send "$data/configs/osier-sw.1.cfg" --as osier-sw.cfg
osier 0 fetch hello-1M
must_end_with 0 "$VANTRO" ready osier-sw

headline "22:00  At the console, with the sheet in hand: the values to type, in the order in which the switch asks"
must_end_with 0 "$VANTRO" job sheet osier-sw --over tftp

headline "22:02  It is late: an O for a 0. The switch's own console shows why, and what to type instead"
osier 1 fetch lattice24-boot-2.O.img | tee "$work/slip.out"
grep -q "lattice24-boot-2.0.img" "$work/slip.out" || fail "the refusal does not name the right image"

headline "22:03  The right name. The boot part first, then the release in between, then the new one; followed live"
"$VANTRO" watch > "$work/watch.out" &
watcher=$!
sleep 0.3
typed_from_sheet
"$VANTRO" job mark osier-sw written > /dev/null
"$VANTRO" job mark osier-sw running --remark "the loader says 2.0" > /dev/null
# It loads to memory, then to storage.
typed_from_sheet
typed_from_sheet
"$BIN/demo/vantro-demo-device" --name osier-sw --address 127.1.0.3 --server "127.0.0.1:$tftp_port" \
  send "$data/reports/osier-sw.between.rpt" --as osier-sw.rpt > /dev/null
typed_from_sheet 4MiB
sleep 0.6
kill "$watcher"; wait "$watcher" || fail "'vantro watch' failed"
watcher=
printf '\n$ vantro watch\n'
cat "$work/watch.out"

headline "22:20  Sent is not written, and written is not running: it can't be confirmed before the switch says so"
must_end_with 2 "$VANTRO" job mark osier-sw confirmed
osier 0 send "$data/reports/osier-sw.after.rpt" --as osier-sw.rpt
must_end_with 0 "$VANTRO" job mark osier-sw confirmed --remark "all ports are up"

headline "22:40  The configuration after the change. What differs, with its secrets masked?"
osier 0 send "$data/configs/osier-sw.2.cfg" --as osier-sw.cfg
must_end_with 0 "$VANTRO" backup compare osier-sw osier-sw.cfg | tee "$work/compared.out"
! grep -q 'rushes-4711' "$work/compared.out" || fail "the comparison shows a secret"

headline "23:00  Elsewhere: a router does not start any more. It asks for an address and a file, and gets both"
wires=(unshare --net --mount)
[[ $(id -u) -eq 0 ]] || wires=(unshare --user --map-root-user --net --mount)
if "${wires[@]}" ip link add eth1 type veth 2>/dev/null; then
  mkdir "$work/wires"
  "${wires[@]}" demo/rescue.sh "$BIN/src" "$data" "$work/wires" --first || fail "the router was not brought back"
else
  say "(This machine does not allow network namespaces, so this part is left out.)"
fi

headline "07:00  The morning after: what happened to the switch, and what waits for you"
must_end_with 0 "$VANTRO" ledger --device osier-sw | tee "$work/ledger.out"
grep -q 'lattice24-system-4.0.1.img .*complete' "$work/ledger.out" || fail "the ledger does not have the fetch"
must_end_with 0 "$VANTRO"
