#!/usr/bin/env bash
# Devices without a working system, on wires that this script makes for them: a server in a
# network namespace, and each device in one of its own at the other end of a cable.
#   unshare --net --mount demo/rescue.sh PROGRAMS DATA WORK [--stay|--first]
# PROGRAMS is the folder with vantro and vantrod, DATA the demo's data, WORK an empty folder.
# --first: only the router. --stay: the router is at hand, and its session stays open until standard input ends.
set -euo pipefail

programs=$1
data=$2
work=$3
stay=${4:-}
here=$(cd "$(dirname "$0")" && pwd)
vantro=$programs/vantro
export VANTRO_URL=$work/management.sock
server=
pids=()
clean_up() {
  [[ -z $server ]] || kill "$server" 2>/dev/null || true
  for pid in "${pids[@]}"; do kill "$pid" 2>/dev/null || true; done
  wait
}
trap clean_up EXIT
fail() { printf '\nThe demo FAILED: %s\n' "$*" >&2; cat "$work/server.log" >&2; exit 1; }
run() {
  printf '\n$ %s\n' "$(printf '%q ' "$@" | sed "s|$vantro|vantro|; s/ $//")"
  "$@"
}
until_says() {
  for _ in $(seq 600); do
    # All is read, so that nobody writes into a pipe that was closed.
    ! "$vantro" rescue info | grep "$1" > /dev/null || return 0
    sleep 0.1
  done
  "$vantro" rescue info
  fail "the session never said '$1'"
}

source "$here/cable.sh"
at_device() { nsenter --net="/proc/$device/ns/net" "$@"; }

cd "$work"
ip link set lo up
cp "$here/rescue.toml" vantro.toml
"$programs/vantrod" --config vantro.toml --state state --tftp-listen 127.0.0.1:6969 --ftp-listen none \
  --http-listen none --management-listen 127.0.0.1:7070 --management-socket "$VANTRO_URL" > server.out 2> server.log &
server=$!
echo "$server" > server.pid
for _ in $(seq 600); do
  ! grep -q '^Ready' server.out || break
  sleep 0.1
done
cp "$data/makers/fenrock/causeway4-boot-2.1.0.img" causeway4-recovery-2.1.0.img
"$vantro" image add causeway4-recovery-2.1.0.img --platform causeway4 --role recovery --version 2.1.0 > /dev/null
"$vantro" image add "$data/makers/alderbit/lattice24-boot-2.0.img" --platform lattice24 --role boot --version 2.0 > /dev/null
"$vantro" image add "$data/makers/mirevault/weir2-system-12.0.5.img" --platform weir2 --role system --version 12.0.5 > /dev/null
cat > take.sh <<'SCRIPT'
#!/bin/sh
case "$1" in
  bound | renew) ip address replace "$ip/$mask" dev "$interface"; echo "$boot_file" > boot_file ;;
esac
SCRIPT
chmod +x take.sh

[[ $stay == --first ]] || printf '\nA router that asks for an address, and for a file with it:\n'
cable eth1
[[ $stay == --first ]] || run "$vantro" rescue open --interface eth1 --profile causeway4-console || true
run "$vantro" rescue open --interface eth1 --profile causeway4-console --own-address
if [[ $stay == --stay ]]; then
  echo "$device" > device
  cat > /dev/null
  exit 0
fi
at_device busybox udhcpc -i wan -n -q -f -s "$work/take.sh" > /dev/null 2>&1
at_device curl -sS -o got --tftp-blksize 1428 "tftp://192.0.2.1/$(cat boot_file)"
cmp got causeway4-recovery-2.1.0.img || fail "the router has other bytes"
until_says 'LAST BLOCK ACKNOWLEDGED'
[[ $stay == --first ]] || run "$vantro" rescue info
at_device ip link set wan down   # it starts again
until_says 'since the last block'
sleep 7
at_device ip link set wan up
until_says 'ANSWERS AGAIN'
run "$vantro" rescue end
[[ -z $(ip -4 -o address show dev eth1) ]] || fail "the address is still there"
[[ $stay != --first ]] || exit 0

printf '\nA switch that calls one address for one name:\n'
cable eth2
ip address add 198.51.100.254/24 dev eth2
run "$vantro" rescue open --interface eth2 --profile lattice24-button
at_device ip address add 198.51.100.20/24 dev wan
at_device busybox tftp -g -r LT24.BlN -l wrong 198.51.100.254 || true
at_device curl -sS -o got2 tftp://198.51.100.254/LT24.BIN
cmp got2 "$data/makers/alderbit/lattice24-boot-2.0.img" || fail "the switch has other bytes"
until_says 'LAST BLOCK ACKNOWLEDGED'
run "$vantro" rescue end

printf '\nA firewall that waits for its image, on a bad cable, and is switched on later:\n'
cable eth3
ip address add 203.0.113.1/24 dev eth3
at_device ip address add 203.0.113.7/24 dev wan
run "$vantro" rescue open --interface eth3 --profile weir2-loader
nsenter --net="/proc/$device/ns/net" "$here/waiting_device.py" 203.0.113.7 taken --after 2 --lose 2000 --options > device.out 2>&1 &
pids+=($!)
until_says 'was loaded completely'
for _ in $(seq 600); do
  [[ ! -s device.out ]] || break
  sleep 0.1
done
cat device.out
cmp taken "$data/makers/mirevault/weir2-system-12.0.5.img" || fail "the firewall has other bytes"
run "$vantro" rescue end
run "$vantro" rescue list
run "$vantro" ledger
