#!/usr/bin/env bash
# Rescue sessions on wires that this script makes: the server in a network namespace, and
# each device in one of its own at the other end of a cable (veth).
#   unshare --net --mount rescue_wires.sh SCENARIO VANTROD VANTRO WORK
# WORK is an empty folder. What the programs say goes to standard output.
set -euo pipefail

scenario=$1
vantrod=$2
vantro=$3
work=$4
here=$(cd "$(dirname "$0")" && pwd)
cd "$work"
server=
pids=()
clean_up() {
  [[ -z $server ]] || kill "$server" 2>/dev/null || true
  for pid in "${pids[@]}"; do kill "$pid" 2>/dev/null || true; done
  wait
}
trap clean_up EXIT
export VANTRO_URL=$work/management.sock

source "$here/../../demo/cable.sh"
# at DEVICE COMMAND...
at() { nsenter --net="/proc/$1/ns/net" "${@:2}"; }
# The same in the background, with its output in the file; its process is $begun.
begin_at() {
  nsenter --net="/proc/$1/ns/net" "${@:3}" > "$2" 2>&1 &
  begun=$!
  pids+=("$begun")
}

start() {
  "$vantrod" --config vantro.toml --state state --tftp-listen 127.0.0.1:6969 --ftp-listen none \
    --http-listen none --management-listen none --management-socket "$VANTRO_URL" "$@" \
    >> server.log 2>&1 &
  server=$!
  for _ in $(seq 1200); do
    ! "$vantro" status > /dev/null 2>&1 || return 0
    sleep 0.05
  done
  cat server.log
  echo "rescue_wires.sh: the server does not start" >&2
  exit 1
}
stop() {
  local code=0
  kill "-$1" "$server"
  wait "$server" || code=$?
  server=
  # A sanitizer's finding shows in the exit code.
  if [[ $1 == TERM && $code -ne 0 ]]; then
    cat server.log >&2
    echo "rescue_wires.sh: the server ended with $code" >&2
    exit 1
  fi
}
# until_true COMMAND...
until_true() {
  for _ in $(seq 600); do
    ! "$@" > /dev/null 2>&1 || return 0
    sleep 0.1
  done
  "$vantro" rescue show || true
  cat server.log
  echo "rescue_wires.sh: waited in vain for: $*" >&2
  exit 1
}
# Reads all of it, so that nobody writes into a pipe that was closed.
says() { "$vantro" rescue show | grep "$1" > /dev/null; }
# What a session may leave nothing of: addresses of its network, ports, packet sockets.
remains() {
  ip -4 -o address | grep -c ' 192\.0\.2\.1/24 ' || true
  ss -Hlun | grep -cE ' 192\.0\.2\.1:(67|69) ' || true
  ss -H0a | grep -c eth1 || true
}
# Takes what it is told, as a client of Debian's does; writes it to lease.
cat > take.sh <<'SCRIPT'
#!/bin/sh
case "$1" in
  bound | renew) ip address replace "$ip/$mask" dev "$interface"; env > lease ;;
  deconfig) ip address flush dev "$interface" ;;
esac
SCRIPT
chmod +x take.sh

ip link set lo up
ip link add eth9 type veth peer name eth9-other
head -c 3000001 /dev/zero | openssl enc -aes-128-ctr -K 01 -iv 02 2>/dev/null > recovery.img
cat > vantro.toml <<'SETTINGS'
[[rescue]]
profile = "dyke200-rom"
platform = "dyke200"
way = "asks"
server = "192.0.2.1/24"
device = "192.0.2.20 to 192.0.2.29"
begin = "hold MODE and plug the power in"
shows = "amber while it loads"
afterwards = "192.0.2.20"
check = "ping"
routers = ["192.0.2.1"]
name_servers = ["192.0.2.53"]
domain = "marsh.example"
time_servers = ["192.0.2.123"]
option_43 = "0104c0000201"
[[rescue.file]]
name = "dyke200-recovery.img"
role = "recovery"
when_loaded = "release the button now"
takes = "4m to 6m"

[[rescue]]
profile = "levee-rom"
platform = "levee8"
way = "calls"
server = "198.51.100.1/24"
device = "198.51.100.20"
[[rescue.file]]
name = "fixed/levee.bin"
role = "recovery"

[[rescue]]
profile = "sluice-rom"
platform = "sluice4"
way = "waits"
server = "192.0.2.1/24"
device = "192.0.2.77"
[[rescue.file]]
name = "sluice.bin"
when_loaded = "leave it alone"
takes = "10s to 20s"

[[rescue]]
profile = "marsh-ztp"
platform = "dyke200"
way = "asks"
server = "192.0.2.1/24"
device = "192.0.2.20 to 192.0.2.29"
[[rescue.file]]
name = "{device}.cfg"
gives = "text"
SETTINGS
start
"$vantro" image add recovery.img --platform dyke200,levee8,sluice4 --role recovery --version 1.2 > /dev/null

case "$scenario" in
address)
  # A client of Debian's gets its address and the file, and is back afterwards.
  cable eth1
  "$vantro" rescue open --on eth1 --profile dyke200-rom --own-address
  at "$device" busybox udhcpc -i wan -n -q -f -s "$work/take.sh" -O bootfile -O ntpsrv 2>&1
  grep -E '^(ip|mask|router|dns|domain|siaddr|serverid|boot_file|bootfile|ntpsrv|lease)=' lease
  at "$device" curl -s -o got tftp://192.0.2.1/dyke200-recovery.img
  cmp got recovery.img && echo "the file is whole"
  at "$device" curl -s tftp://192.0.2.1/dyke200-recover.img || echo "refused"
  # It restarts: nobody answers for a moment.
  at "$device" ip link set wan down
  until_true says 'since the last block'
  sleep 7
  at "$device" ip link set wan up
  until_true says 'ANSWERS AGAIN'
  "$vantro" rescue end
  remains
  "$vantro" ledger --of 192.0.2.20
  ;;
dhclient)
  cable eth1
  touch dhclient.leases
  touch dhclient.conf
  printf 'request subnet-mask, routers, domain-name-servers, vendor-encapsulated-options;\n' > dhclient.conf
  "$vantro" rescue open --on eth1 --profile dyke200-rom --own-address > /dev/null
  at "$device" dhclient -1 -v -cf "$work/dhclient.conf" -sf /bin/true -lf "$work/dhclient.leases" -pf "$work/dhclient.pid" wan 2>&1
  cat dhclient.leases
  until_true says 'got 192.0.2.20'
  at "$device" dhclient -x -cf "$work/dhclient.conf" -sf /bin/true -lf "$work/dhclient.leases" -pf "$work/dhclient.pid" wan > /dev/null 2>&1
  # The same device once more, with another client: it renews, and gives the address back.
  begin_at "$device" udhcpc.log busybox udhcpc -i wan -n -R -f -s "$work/take.sh"
  client=$begun
  until_true test -s lease
  rm lease
  kill -USR1 "$client"
  until_true test -s lease
  grep -E '^(ip|lease)=' lease
  kill -TERM "$client"
  until_true says 'gave 192.0.2.20 back'
  "$vantro" rescue show
  ;;
two)
  # Two sessions on two wires, each for its own; and a third that would be in the way.
  cable eth1
  first=$device
  cable eth2
  second=$device
  ip address add 198.51.100.1/24 dev eth2
  "$vantro" rescue open --on eth1 --profile dyke200-rom --own-address > /dev/null
  "$vantro" rescue open --on eth2 --profile levee-rom
  "$vantro" rescue open --on eth9 --profile dyke200-rom 2>&1 || echo "code $?"
  "$vantro" rescue open --on eth1 --profile levee-rom 2>&1 || echo "code $?"
  at "$second" ip address add 198.51.100.20/24 dev wan
  at "$first" ip address add 192.0.2.20/24 dev wan
  at "$second" curl -s -o got2 tftp://198.51.100.1/fixed/levee.bin
  cmp got2 recovery.img && echo "the second wire has its name"
  at "$first" curl -s -o got1 tftp://192.0.2.1/dyke200-recovery.img
  cmp got1 recovery.img && echo "the first wire has its name"
  # Each name is on its own wire only.
  at "$first" curl -s tftp://192.0.2.1/fixed/levee.bin || echo "refused on the first wire"
  at "$second" curl -s tftp://198.51.100.1/dyke200-recovery.img || echo "refused on the second wire"
  "$vantro" rescue end 2 > /dev/null
  ip -4 -o address show dev eth2 | grep -c 198.51.100.1
  "$vantro" rescue list
  ;;
other)
  # Somebody else on the wire gives addresses.
  cable eth1
  at "$device" ip address add 192.0.2.254/24 dev wan
  printf 'start 192.0.2.100\nend 192.0.2.110\ninterface wan\nlease_file %s/others\npidfile %s/udhcpd.pid\noption subnet 255.255.255.0\n' "$work" "$work" > udhcpd.conf
  touch others
  begin_at "$device" udhcpd.log busybox udhcpd -f "$work/udhcpd.conf"
  sleep 1
  cat udhcpd.log
  "$vantro" rescue open --on eth1 --profile dyke200-rom --own-address || echo "code $?"
  "$vantro" rescue open --on eth1 --profile dyke200-rom --own-address --despite-other | grep 'address servers'
  ;;
ends)
  # By its time, by SIGTERM, and by SIGKILL with the next start: nothing remains.
  cable eth1
  "$vantro" rescue open --on eth1 --profile dyke200-rom --own-address --for 10s > /dev/null
  echo "open"; remains
  until_true says 'its time was over'
  echo "time is over"; remains
  "$vantro" rescue open --on eth1 --profile dyke200-rom --own-address > /dev/null
  stop TERM
  echo "SIGTERM"; remains
  start
  "$vantro" rescue show | grep 'ended'
  "$vantro" rescue open --on eth1 --profile dyke200-rom --own-address > /dev/null
  stop KILL
  echo "SIGKILL"
  # The kernel takes the address away by itself; before that, the next start does.
  ip -4 -o address show dev eth1 | grep -o 'valid_lft [0-9]*sec' | grep -c .
  start
  echo "restarted"; remains
  "$vantro" rescue show | grep 'ended'
  at "$device" ip address add 192.0.2.20/24 dev wan
  ip address add 192.0.2.1/24 dev eth1
  # The name is on no wire any more.
  at "$device" curl -s -m 3 tftp://192.0.2.1/dyke200-recovery.img || echo "nobody answers"
  ;;
taken)
  # Somebody on the wire has the first address.
  cable eth1
  begin_at "$device" holder.log python3 "$here/address_holder.py" wan 192.0.2.20 60
  "$vantro" rescue open --on eth1 --profile dyke200-rom --own-address > /dev/null
  at "$device" busybox udhcpc -i wan -n -q -f -s "$work/take.sh" 2>&1
  until_true says 'got 192.0.2.21'
  "$vantro" rescue show
  ;;
thousand)
  # The real server on one wire, and a thousand devices that ask at once.
  cat > vantro.toml <<'SETTINGS'
[[rescue]]
profile = "dyke200-rom"
platform = "dyke200"
way = "asks"
server = "10.77.0.1/16"
device = "10.77.1.1 to 10.77.6.250"
[[rescue.file]]
name = "dyke200-recovery.img"
role = "recovery"
SETTINGS
  stop TERM
  start
  cable eth1
  "$vantro" rescue open --on eth1 --profile dyke200-rom --own-address --any-device > /dev/null
  at "$device" python3 "$here/many_devices.py" wan 1000
  grep VmHWM "/proc/$server/status"
  ;;
push)
  # The device is the server, and listens only after a while.
  cable eth1
  ip address add 192.0.2.1/24 dev eth1
  at "$device" ip address add 192.0.2.77/24 dev wan
  "$vantro" push recovery.img --to 192.0.2.77 --name sluice.bin || echo "code $?"
  # Simulated devices on a bad cable: one that ignores options, one that refuses them, and
  # one that knows them.
  head -c 30001 recovery.img > small.img
  "$vantro" image add small.img --platform sluice4 --version 1.0 > /dev/null
  for habit in --lose=7 "--lose=7 --refuse-options" "--lose=7 --options"; do
    # shellcheck disable=SC2086
    begin_at "$device" "device.out" python3 "$here/../../demo/waiting_device.py" 192.0.2.77 taken --after 0.5 $habit
    "$vantro" rescue open --on eth1 --profile sluice-rom --image small.img > /dev/null
    until_true says "'sluice.bin' was loaded completely"
    "$vantro" rescue end > /dev/null
    until_true test -s device.out
    cmp taken small.img && echo "whole with $habit"
    rm taken device.out
  done
  printf '[[rule]]\nfrom = "192.0.2.0/24"\nmay = "deposit"\n' > device.toml
  (
    sleep 2
    exec nsenter --net="/proc/$device/ns/net" "$vantrod" --state device-state --tftp-listen 192.0.2.77:69 \
      --ftp-listen none --http-listen none --management-listen none --management-socket "$work/device.sock" --config device.toml
  ) > device.log 2>&1 &
  pids+=($!)
  "$vantro" rescue open --on eth1 --profile sluice-rom --image recovery.img
  until_true says "'sluice.bin' was loaded completely"
  "$vantro" rescue show
  VANTRO_URL=$work/device.sock "$vantro" backup save 192.0.2.1 sluice.bin --to pushed > /dev/null
  cmp pushed recovery.img && echo "the device has it whole"
  "$vantro" ledger | grep push
  ;;
zero-touch)
  # New devices get their configuration under the name that each asks for.
  cable eth1
  printf 'hostname tidegate-rtr\n' > site.cfg
  "$vantro" rescue open --on eth1 --profile marsh-ztp --own-address --text site.cfg || echo "code $?"
  link=$(at "$device" ip -o link show wan | sed 's/.*link.ether \([0-9a-f:]*\).*/\1/')
  "$vantro" rescue open --on eth1 --profile marsh-ztp --own-address --text site.cfg \
    --link-address "$link=tidegate-rtr@192.0.2.25"
  at "$device" busybox udhcpc -i wan -n -q -f -s "$work/take.sh" 2>&1
  at "$device" curl -s "tftp://192.0.2.1/$(sed -n "s/^boot_file='*\([^']*\)'*/\1/p" lease)"
  ;;
laptop)
  # Without a service: one session, and the program ends with it.
  stop TERM
  cable eth1
  "$vantrod" --config vantro.toml --state laptop --rescue eth1 --profile dyke200-rom --own-address \
    --image recovery.img --rescue-for 20s --management-socket "$work/laptop.sock" > laptop.log 2>&1 &
  server=$!
  until_true grep -q 'The wire is open' laptop.log
  at "$device" busybox udhcpc -i wan -n -q -f -s "$work/take.sh" 2>&1
  at "$device" curl -s -o got tftp://192.0.2.1/dyke200-recovery.img
  cmp got recovery.img && echo "the file is whole"
  wait "$server" && echo "code $?"
  server=
  cat laptop.log
  remains
  ;;
boot-loader | boot-rom)
  # Boot loaders in emulators: the first stage is told by the address server, and asks for
  # the second by itself.
  cat > vantro.toml <<'SETTINGS'
[[rescue]]
profile = "two-stages"
way = "asks"
server = "192.0.2.1/24"
device = "192.0.2.20"
begin = "switch it on"
[[rescue.file]]
name = "stage-one.txt"
gives = "text"
[[rescue.file]]
name = "stage-two.img"
image = "recovery.img"
told = false
when_loaded = "let it run"
SETTINGS
  stop TERM
  start
  ip tuntap add eth1 mode tap
  ip link set eth1 up
  mkfifo keys
  if [[ $scenario == boot-loader ]]; then
    printf 'second=tftpboot 0x43000000 stage-two.img; crc32 0x43000000 ${filesize}\n' > stage-one
    qemu-system-arm -M virt -m 256 -display none -monitor none -serial stdio -no-reboot \
      -bios /usr/lib/u-boot/qemu_arm/u-boot.bin -netdev tap,id=net,ifname=eth1,script=no,downscript=no \
      -device virtio-net-device,netdev=net,mac=02:00:5e:10:00:01 < keys > console 2>&1 &
  else
    printf '#!ipxe\nimgfetch tftp://${next-server}/stage-two.img\nsleep 600\n' > stage-one
    qemu-system-x86_64 -m 256 -display none -monitor none -serial none -no-reboot -boot n \
      -netdev tap,id=net,ifname=eth1,script=no,downscript=no \
      -device virtio-net-pci,netdev=net,mac=02:00:5e:10:00:01 < keys > console 2>&1 &
  fi
  pids+=($!)
  exec 9> keys
  "$vantro" rescue open --on eth1 --profile two-stages --own-address --text stage-one \
    --link-address 02:00:5e:10:00:01
  type_in() { printf '%s\n' "$1" >&9; }
  if [[ $scenario == boot-loader ]]; then
    until_true grep -q 'Hit any key' console
    printf ' ' >&9
    until_true grep -q '^=> ' console
    type_in 'dhcp 0x42000000'
    until_true grep -q 'Bytes transferred' console
    sleep 1
    type_in 'env import -t 0x42000000 ${filesize}'
    type_in 'run second'
    until_true grep -q '==> ' console
    grep -a -E 'DHCP client bound|Filename|==> ' console
    printf 'expected %s\n' "$(python3 -c 'import sys,zlib; print("%08x" % zlib.crc32(open("recovery.img","rb").read()))')"
  fi
  until_true says "'stage-two.img' was loaded completely"
  "$vantro" rescue show
  ;;
*)
  echo "rescue_wires.sh: unknown scenario '$scenario'" >&2
  exit 2
  ;;
esac
[[ -z $server ]] || stop TERM
