#!/usr/bin/env bash
# Three mirrors of one headquarters, each behind a thin link of its own: a cable (veth) to a
# network namespace whose both ends let only so much pass (tc, tbf).
#   unshare --net --mount mirror_links.sh VANTROD VANTRO WORK
# WORK is an empty folder. What the test looks at goes to standard output: what each link
# carried beside what had to, and how long a withdrawal took while an image was on its way.
set -euo pipefail

vantrod=$1
vantro=$2
work=$3
source "$(dirname "$0")/../../demo/cable.sh"
cd "$work"
pids=()
clean_up() {
  for pid in "${pids[@]}"; do kill "$pid" 2>/dev/null || true; done
  wait
}
trap clean_up EXIT
fail() { echo "mirror_links.sh: $*" >&2; exit 1; }
ip link set lo up

begin() {  # begin NAME WORDS...: a server in the background, ready when this returns
  "${@:2}" > "$1.out" 2> "$1.err" &
  pids+=("$!")
  for _ in $(seq 1200); do
    ! grep -q '^Ready\.' "$1.out" || return 0
    sleep 0.05
  done
  cat "$1.out" "$1.err" >&2
  fail "$1 does not start"
}
hq() { VANTRO_URL=$work/hq.sock "$vantro" "$@"; }
at_site() { VANTRO_URL=$work/$1.sock "$vantro" "${@:2}"; }
inside() { nsenter --net="/proc/$1/ns/net" "${@:2}"; }

# link NAME NUMBER KILOBITS
declare -A space
link() {
  cable "to-$1"
  space[$1]=$device
  ip addr add "198.51.100.$(($2 * 4 + 1))/30" dev "to-$1"
  inside "${space[$1]}" ip addr add "198.51.100.$(($2 * 4 + 2))/30" dev wan
  tc qdisc add dev "to-$1" root tbf rate "${3}kbit" burst 16kb latency 400ms
  inside "${space[$1]}" tc qdisc add dev wan root tbf rate "${3}kbit" burst 16kb latency 400ms
}

begin hq "$vantrod" --state hq --tftp-listen 127.0.0.1:7069 --ftp-listen none --http-listen none \
  --management-listen none --management-tls-listen 0.0.0.0:7443 --management-socket "$work/hq.sock"
fingerprint=$(grep -o 'SHA-256 [0-9A-F:]*' hq.out | cut -d' ' -f2)
head -c 1500000 /dev/urandom > urgent.img
head -c 400000 /dev/urandom > small.img
for image in small.img urgent.img; do hq image add "$image" > /dev/null; done

sites=(heron:1:2000 sedge:2:8000 osier:3:30000)
for site in "${sites[@]}"; do
  IFS=: read -r name number rate <<< "$site"
  link "$name" "$number" "$rate"
  hq person add "$name" --role mirror --no-token > /dev/null
  hq --json token add site --by "$name" | python3 -c 'import json,sys; print(json.load(sys.stdin)["text"])' \
    > "$name.token"
  chmod 600 "$name.token"
  cat > "$name.toml" <<SETTINGS
[mirror]
of = "https://198.51.100.$((number * 4 + 1)):7443"
token_file = "$work/$name.token"
fingerprint = "$fingerprint"
SETTINGS
  begin "$name" nsenter --net="/proc/${space[$name]}/ns/net" "$vantrod" --config "$name.toml" \
    --state "state-$name" --tftp-listen 127.0.0.1:7069 --ftp-listen none \
    --http-listen 127.0.0.1:7080 --management-listen none --management-socket "$work/$name.sock"
done
get() { inside "${space[$1]}" curl -s -m 20 "http://127.0.0.1:7080/$2"; }
sent_to() { ip -s link show dev "to-$1" | awk '/TX:/ { getline; print $1 }'; }

for site in "${sites[@]}"; do
  name=${site%%:*}
  for _ in $(seq 600); do
    [[ $(get "$name" urgent.img | sha256sum) != $(sha256sum < urgent.img) ]] || break
    sleep 0.2
  done
  for image in small.img urgent.img; do
    [[ $(get "$name" "$image" | sha256sum) == $(sha256sum < "$image") ]] || fail "$name has other bytes of $image"
  done
done
sleep 1
least=$(($(stat -c %s urgent.img) + $(stat -c %s small.img)))
for site in "${sites[@]}"; do
  name=${site%%:*}
  echo "$name: the link carried $(sent_to "$name") bytes for $least"
done

# A large one is on its way over the thinnest link when another one is withdrawn.
head -c 20000000 /dev/urandom > large.img
hq image add large.img > /dev/null
at_site heron mirror sync > /dev/null
for _ in $(seq 600); do
  at_site heron --json mirror show | grep -q '"name": *"large.img"' && break
  sleep 0.1
done
hq image withdraw small.img --reason "does not start" > /dev/null
begun=$(date +%s%N)
for _ in $(seq 600); do
  get heron small.img | grep -q 'was withdrawn: does not start' && break
  sleep 0.1
done
get heron small.img | grep -q 'was withdrawn: does not start' || fail "the withdrawal did not arrive"
echo "withdrawn after $((($(date +%s%N) - begun) / 1000000)) ms"
get heron large.img | grep -q 'is still on its way here' || fail "the large one is there already"
echo "the large one was still on its way"
