#!/usr/bin/env bash
# A real boot loader in an emulator fetches from the real server, in a network namespace
# of its own: types the commands from standard input at its prompt, and writes what it
# said to standard output.
#   unshare --net boot_loader.sh VANTROD VANTRO IMAGES < COMMANDS
# The server is 192.0.2.1 and offers the files of the folder IMAGES; the device is 192.0.2.2.
set -euo pipefail

vantrod=$1
vantro=$2
images=$3
work=$(mktemp -d)
pids=()
clean_up() {
  for pid in "${pids[@]}"; do kill "$pid" 2>/dev/null || true; done
  wait
  rm -rf "$work"
}
trap clean_up EXIT

ip link set lo up
ip tuntap add tap0 mode tap
ip addr add 192.0.2.1/24 dev tap0
ip link set tap0 up
# The device's address is not a private one.
printf '[[rule]]\nfrom = "192.0.2.0/24"\nmay = "fetch"\n' > "$work/vantro.toml"
"$vantrod" --config "$work/vantro.toml" --state "$work/state" --tftp-listen 192.0.2.1 \
  --http-listen none --management-socket "$work/management.sock" > "$work/server" 2>&1 &
pids+=($!)
for _ in $(seq 600); do
  ! grep -q '^Ready' "$work/server" || break
  sleep 0.1
done
export VANTRO_URL=$work/management.sock
for image in "$images"/*; do "$vantro" image add "$image" >&2; done

mkfifo "$work/keys"
qemu-system-arm -M virt -m 256 -display none -monitor none -serial stdio -no-reboot \
  -bios /usr/lib/u-boot/qemu_arm/u-boot.bin \
  -netdev tap,id=net,ifname=tap0,script=no,downscript=no \
  -device virtio-net-device,netdev=net < "$work/keys" > "$work/console" 2>&1 &
pids+=($!)
exec 9> "$work/keys"

# Waits until the console has shown the words so many times.
expect() {
  for _ in $(seq 600); do
    [[ $(grep -c "$1" "$work/console" || true) -lt $2 ]] || return 0
    sleep 0.1
  done
  cat "$work/console"
  echo "boot_loader.sh: waited in vain for '$1'" >&2
  exit 1
}
expect 'Hit any key' 1
printf ' ' >&9
count=1
expect '^=> ' "$count"
while read -r command; do
  printf '%s\n' "$command" >&9
  count=$((count + 1))
  expect '^=> ' "$count"
done
cat "$work/console"
"$vantro" contact 192.0.2.2
