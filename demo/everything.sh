# Every part of Vantro in turn, on the demo data; scripts/demo --everything runs it, with its
# functions and variables. It is longer than anybody reads: the pictures are made from the state
# that it leaves, and what it says is checked.
# shellcheck shell=bash disable=SC2154

headline "What a file's name tells"
must_end_with 0 "$VANTRO" image recognise causeway4-system-7.6.0.img

headline "Add the images, each compared with its maker's checksum list"
for maker in "$fenrock/SHA256SUMS" "$alderbit/MD5SUMS" "$mirevault/SHA512SUMS"; do
  for image in "$(dirname "$maker")"/*.img; do
    must_end_with 0 "$VANTRO" image add "$image" --yes --list "$maker"
  done
done

headline "A download that broke off, and no checksum to tell it: the look inside does"
tar -C "$mirevault" -cf - weir2-system-12.0.5.img SHA512SUMS | gzip -1n > "$work/weir2-release-12.0.5.tgz"
head -c 20000000 "$work/weir2-release-12.0.5.tgz" > "$work/weir2-release-cut.tgz"
must_end_with 1 "$VANTRO" image add "$work/weir2-release-cut.tgz" --yes
must_end_with 0 "$VANTRO" image add "$work/weir2-release-12.0.5.tgz" --yes --hold
must_end_with 0 "$VANTRO" image extract weir2-release-12.0.5.tgz weir2-system-12.0.5.img

headline "A colleague drops an image into a folder, with its checksum beside it"
cp "$alderbit/lattice24-boot-1.9.img" "$work/drop/lattice24-boot-spare.img"
echo "$(published "$alderbit/MD5SUMS" lattice24-boot-1.9.img)  lattice24-boot-spare.img" \
  > "$work/drop/lattice24-boot-spare.img.md5"
for _ in $(seq 600); do
  [[ ! -e $work/drop/done/lattice24-boot-spare.img ]] || break
  sleep 0.1
done
[[ -e $work/drop/done/lattice24-boot-spare.img ]] || fail "the dropped image was not added"
must_end_with 0 "$VANTRO" image info lattice24-boot-spare.img

headline "Facts, a kit in its order, a fixed name for one network, and a withdrawal"
must_end_with 0 "$VANTRO" image change causeway4-system-7.6.0.img --stage proven --space "64 MiB" \
  --remark "needs boot loader 2.1.0; may refuse to go back below 7.4"
must_end_with 0 "$VANTRO" image compare causeway4-system-7.4.2.img causeway4-system-7.6.0.img
must_end_with 0 "$VANTRO" kit add "Causeway 4 to 7.6" causeway4-boot-2.1.0.img causeway4-system-7.6.0.img \
  --remark "boot loader first, then a cold start"
must_end_with 0 "$VANTRO" offer add causeway4-system-7.6.0.img --name fixed/c4boot.bin --networks 127.1.0.0/24 --until 8h
must_end_with 0 "$VANTRO" image withdraw causeway4-system-7.4.2.img --reason "loses its routes after 49 days; use 7.6.0"

headline "A download that broke off is not added"
head -c 5000000 "$fenrock/causeway4-system-7.6.0.img" > "$work/causeway4-system-7.6.0-again.img"
must_end_with 6 "$VANTRO" image add "$work/causeway4-system-7.6.0-again.img" \
  --expect "sha256:$(published "$fenrock/SHA256SUMS" causeway4-system-7.6.0.img)"

headline "What devices can type"
must_end_with 0 "$VANTRO" offer list

headline "Three devices fetch at once, over lines of their own speed, and check what arrives"
"$VANTRO" watch > "$work/watch.out" &
watcher=$!
sleep 0.3
fetchers=()
# name, address, image, its maker's list, its folder, line
fetch_in_background() {
  ( device 0 "$1" "$2" fetch "$3" --expect "$(published "$4/$5" "$3")" \
      --to "$work/$1.got" --rate "$6" "${@:7}" ) > "$work/$1.out" 2>&1 &
  fetchers+=($!)
}
fetch_in_background tidegate-rtr 127.1.0.1 causeway4-system-7.6.0.img "$fenrock" SHA256SUMS 12MiB
fetch_in_background osier-sw 127.1.0.3 lattice24-system-3.10.1.img "$alderbit" MD5SUMS 6MiB --block 512
fetch_in_background bittern-fw 127.1.0.5 weir2-system-12.0.5.img "$mirevault" SHA512SUMS 20MiB --block 8192
for pid in "${fetchers[@]}"; do
  wait "$pid" || { cat "$work"/*-rtr.out "$work"/*-sw.out "$work"/*-fw.out >&2; fail "a device could not fetch"; }
done
cat "$work/tidegate-rtr.out" "$work/osier-sw.out" "$work/bittern-fw.out"
sleep 0.6
kill "$watcher"; wait "$watcher" || fail "'vantro watch' failed"
watcher=
printf '\n$ vantro watch\n'
cat "$work/watch.out"
[[ $(grep -c ': complete' "$work/watch.out") -eq 3 ]] || fail "'vantro watch' did not tell three complete transfers"
for pair in "tidegate-rtr $fenrock/causeway4-system-7.6.0.img" \
            "osier-sw $alderbit/lattice24-system-3.10.1.img" \
            "bittern-fw $mirevault/weir2-system-12.0.5.img"; do
  read -r name original <<< "$pair"
  [[ $(sha256_of "$work/$name.got") == $(sha256_of "$original") ]] || fail "$name got other bytes"
done

headline "What is withdrawn tells why, on the device's own console"
device 1 heron-rtr 127.1.0.2 fetch causeway4-system-7.4.2.img | tee "$work/withdrawn.out"
grep -q "was withdrawn: loses its routes" "$work/withdrawn.out" || fail "the refusal does not tell the reason"

headline "A slip of the finger: the refusal names what was meant"
device 1 heron-rtr 127.1.0.2 fetch causeway4-sytsem-7.6.0.img | tee "$work/slip.out"
grep -q "nearest: 'causeway4-system-7.6.0.img'" "$work/slip.out" || fail "the refusal does not name the right image"

headline "A device behind a firewall: its request arrives, our answers do not"
# A request from a port that is closed again at once, and from an address that nothing else here uses:
# 'vantro contact' shows only the last contact of an address.
python3 - "$tftp_port" <<'ASK'
import socket, sys
asker = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
asker.bind(("127.1.0.10", 0))
asker.sendto(b"\0\1lattice24-system-3.10.1.img\0octet\0", ("127.0.0.1", int(sys.argv[1])))
ASK
echo "(it asks, and never answers)"

headline "The inventory, from a table; backups are expected of every site"
must_end_with 0 "$VANTRO" device import "$data/devices.csv"
must_end_with 0 "$VANTRO" site change Tidegate --backup-every daily
must_end_with 0 "$VANTRO" device change osier-sw --backup-every weekly --remark "behind the pump house"
must_end_with 0 "$VANTRO" device list

headline "Devices send their configuration before a change and after it; one sends the same again"
device 0 tidegate-rtr 127.1.0.1 send "$data/configs/tidegate-rtr.1.cfg" --as tidegate-rtr.cfg
device 0 osier-sw 127.1.0.3 send "$data/configs/osier-sw.1.cfg" --as osier-sw.cfg
sleep 0.1
change_begins=$(date -u +%FT%T.%3NZ)
device 0 osier-sw 127.1.0.3 send "$data/configs/osier-sw.1.cfg" --as osier-sw.cfg
device 0 tidegate-rtr 127.1.0.1 send "$data/configs/tidegate-rtr.2.cfg" --as tidegate-rtr.cfg
device 0 tidegate-rtr 127.1.0.1 send "$data/configs/tidegate-rtr.3.cfg" --as tidegate-rtr.cfg
must_end_with 0 "$VANTRO" backup list
must_end_with 0 "$VANTRO" backup revisions tidegate-rtr
must_end_with 0 "$VANTRO" backup compare tidegate-rtr tidegate-rtr.cfg 1 2 | tee "$work/compared.out"
grep -q '+     community <masked:' "$work/compared.out" || fail "the comparison does not mask the secret that changed"
! grep -q 'rushes-4711' "$work/compared.out" || fail "the comparison shows a secret"
must_end_with 0 "$VANTRO" backup compare tidegate-rtr | tee "$work/same.out"
grep -q 'the same in substance' "$work/same.out" || fail "when it was saved counts as a change"
must_end_with 0 "$VANTRO" backup compare tidegate-rtr tidegate-rtr.cfg 1 --with "$data/configs/tidegate-rtr.1.cfg"
must_end_with 0 "$VANTRO" backup overdue
must_end_with 0 "$VANTRO" backup report --from "$change_begins"
must_end_with 0 "$VANTRO" backup report --from "$change_begins" --html --out "$work/report.html"
must_end_with 0 "$VANTRO" backup info tidegate-rtr tidegate-rtr.cfg
echo "Bytes with secrets in them are asked for with them, by people who may see secrets; that is recorded:"
must_end_with 1 "$VANTRO" backup write tidegate-rtr tidegate-rtr.cfg --out "$work/newest.cfg"
must_end_with 0 "$VANTRO" backup write tidegate-rtr tidegate-rtr.cfg --masked --out "$work/masked.cfg"
must_end_with 0 "$VANTRO" backup write tidegate-rtr tidegate-rtr.cfg --revision 1 --with-secrets --out "$work/first.cfg"
must_end_with 0 "$VANTRO" backup write tidegate-rtr tidegate-rtr.cfg --with-secrets --out "$work/newest.cfg"
[[ $(sha256_of "$work/first.cfg") == $(sha256_of "$data/configs/tidegate-rtr.1.cfg") ]] || fail "revision 1 came back with other bytes"
[[ $(sha256_of "$work/newest.cfg") == $(sha256_of "$data/configs/tidegate-rtr.3.cfg") ]] || fail "revision 3 came back with other bytes"
! grep -rq 'rushes-4711' "$work/state/vault" || fail "a configuration lies in vault/ in plain"
must_end_with 0 "$VANTRO" backup keep tidegate-rtr tidegate-rtr.cfg --revision 1 --reason "as it was before the new route"
must_end_with 0 "$VANTRO" backup offer add tidegate-rtr tidegate-rtr.cfg --revision 1 --name restore/tidegate.cfg --until 2h
device 0 tidegate-rtr 127.1.0.1 fetch restore/tidegate.cfg --to "$work/restored.cfg"
[[ $(sha256_of "$work/restored.cfg") == $(sha256_of "$data/configs/tidegate-rtr.1.cfg") ]] || fail "what was given back is not what came"
device 1 heron-rtr 127.1.0.2 fetch restore/tidegate.cfg
must_end_with 0 "$VANTRO" backup offer list
must_end_with 0 "$VANTRO" backup thin --dry-run

headline "The same over HTTP, from an address that is pasted: resumed after a cut, and its checksum beside it"
must_end_with 0 "$VANTRO" location causeway4-system-7.6.0.img --device 127.1.0.9
over_http() { # exit code, name, address, and what it does
  must_end_with "$1" "$BIN/demo/vantro-demo-device" --name "$2" --address "$3" \
    --server "127.0.0.1:$http_port" --over http "${@:4}"
}
over_http 0 curlew-rtr 127.1.0.9 fetch causeway4-system-7.6.0.img \
  --expect "$(published "$fenrock/SHA256SUMS" causeway4-system-7.6.0.img)"
over_http 1 curlew-rtr 127.1.0.9 fetch causeway4-system-7.6.1.img
head -c 20000000 "$fenrock/causeway4-system-7.6.0.img" > "$work/causeway4-system-7.6.0.img"
(cd "$work"
  must_end_with 0 curl -sS -C - -O "$http/causeway4-system-7.6.0.img"
  must_end_with 0 curl -sS -O "$http/causeway4-system-7.6.0.img.sha256"
  must_end_with 0 sha256sum -c causeway4-system-7.6.0.img.sha256)
must_end_with 0 curl -sS "$http/"
over_http 0 curlew-rtr 127.1.0.9 send "$data/configs/osier-sw.1.cfg" --as curlew-rtr.cfg

headline "The same over FTP, for a firewall that has nothing else: the reply says what became of it"
over_ftp() { # exit code and what it does
  must_end_with "$1" "$BIN/demo/vantro-demo-device" --name sallow-fw --address 127.1.0.6 \
    --server "127.0.0.1:$ftp_port" --over ftp "${@:2}"
}
over_ftp 0 fetch causeway4-system-7.6.0.img \
  --expect "$(published "$fenrock/SHA256SUMS" causeway4-system-7.6.0.img)"
over_ftp 1 fetch causeway4-sytsem-7.6.0.img
over_ftp 0 send "$data/configs/osier-sw.1.cfg" --as sallow-fw.cfg
echo "It becomes a device of the inventory, with what it has sent before:"
must_end_with 0 "$VANTRO" device add sallow-fw --platform weir2 --site "Sallow Reach"
must_end_with 0 "$VANTRO" device assign sallow-fw 127.1.0.6
must_end_with 0 curl -sS "$ftp/"
echo "An image backup that is cut off, and goes on where it was cut:"
must_end_with 28 curl -sS -m 1 --limit-rate 5M -T "$fenrock/causeway4-system-7.6.0.img" "$ftp/flash/running.img"
for _ in $(seq 600); do
  ! "$VANTRO" backup revisions | grep -q 'running.img.*partial' || break
  sleep 0.1
done
must_end_with 0 "$VANTRO" backup revisions 127.0.0.1
must_end_with 0 curl -sS -C - -T "$fenrock/causeway4-system-7.6.0.img" "$ftp/flash/running.img"
must_end_with 0 "$VANTRO" backup info 127.0.0.1 flash/running.img | tee "$work/running.out"
grep -q "identical to image 'causeway4-system-7.6.0.img', vouched" "$work/running.out" || fail "the image backup is not recognised"
"$VANTRO" backup write 127.0.0.1 flash/running.img --out "$work/running.img" >/dev/null
[[ $(sha256_of "$work/running.img") == $(published "$fenrock/SHA256SUMS" causeway4-system-7.6.0.img | sed 's/.*://') ]] ||
  fail "the upload that was gone on with came out with other bytes"

headline "The same over SSH, where the network must not see configurations: always with an account"
printf '%s\n' "reeds-and-sluices" |
  must_end_with 0 "$VANTRO" account add pump-crew --may fetch,deposit,read-back --networks loopback \
    --remark "the pumping stations' devices"
ssh-keygen -q -t ed25519 -N '' -C "pump-crew's laptop" -f "$work/laptop"
must_end_with 0 "$VANTRO" account key add pump-crew "$work/laptop.pub"
must_end_with 0 "$VANTRO" account key list pump-crew
# What is typed into the device, so that it talks to this server only.
mapfile -t host_keys < <("$VANTRO" --json status | python3 -c 'import json, sys
for key in json.load(sys.stdin)["ssh"]["host_keys"]: print("--host-key", key["fingerprint"], sep="\n")')
over_ssh() { # exit code, scp or sftp, and what it does
  must_end_with "$1" "$BIN/demo/vantro-demo-device" --name plover-rtr --address 127.1.0.7 \
    --server "127.0.0.1:$ssh_port" --over "$2" --account pump-crew:reeds-and-sluices "${host_keys[@]}" "${@:3}"
}
must_end_with 0 "$VANTRO" location causeway4-system-7.6.0.img --device 127.1.0.7 --account pump-crew
over_ssh 0 scp fetch causeway4-system-7.6.0.img \
  --expect "$(published "$fenrock/SHA256SUMS" causeway4-system-7.6.0.img)"
over_ssh 0 scp send "$data/configs/tidegate-rtr.1.cfg" --as plover-rtr.cfg
over_ssh 0 sftp send "$data/configs/tidegate-rtr.2.cfg" --as plover-rtr.cfg
must_end_with 0 "$VANTRO" backup revisions 127.1.0.7
cat > "$work/ssh_config" <<CONFIG
Host vantro
  HostName 127.0.0.1
  Port $ssh_port
  User pump-crew
  IdentityFile $work/laptop
  IdentitiesOnly yes
  BatchMode yes
  LogLevel ERROR
  StrictHostKeyChecking accept-new
  UserKnownHostsFile $work/known_hosts
CONFIG
(cd "$work"
  must_end_with 1 scp -O -F ssh_config vantro:causeway4-sytsem-7.6.0.img slip.img
  must_end_with 1 ssh -F ssh_config vantro show version
  must_end_with 0 scp -q -F ssh_config "$data/configs/osier-sw.1.cfg" vantro:laptop.cfg
  printf 'ls -l\nget causeway4-boot-2.1.0.img from-sftp.img\n' > batch
  must_end_with 0 sftp -q -F ssh_config -b batch vantro
  echo "A router that knows only what is no longer safe; its network is named in the settings:"
  must_end_with 0 scp -q -O -F ssh_config -o BindAddress=127.1.0.8 -o KexAlgorithms=diffie-hellman-group14-sha1 \
    -o Ciphers=aes128-cbc -o MACs=hmac-sha1 -o HostKeyAlgorithms=ssh-rsa -o UserKnownHostsFile=known_older \
    vantro:causeway4-boot-2.1.0.img from-older.img) 2>&1 | tee "$work/ssh.out"
grep -q "nearest: 'causeway4-system-7.6.0.img'" "$work/ssh.out" || fail "SCP's refusal does not name the right image"
for file in from-sftp.img from-older.img; do
  [[ $(sha256_of "$work/$file") == $(sha256_of "$fenrock/causeway4-boot-2.1.0.img") ]] || fail "$file came out with other bytes"
done

headline "Who may do what"
must_end_with 0 "$VANTRO" account change anonymous --may fetch
over_http 1 curlew-rtr 127.1.0.9 send "$data/configs/osier-sw.1.cfg" --as curlew-rtr.cfg
printf '%s\n' "made-up-password" |
  must_end_with 0 "$VANTRO" account add fenrock-desk --may hand-in --networks loopback --until 30d \
    --remark "hands new images in"
echo "machine 127.0.0.1 login fenrock-desk password made-up-password" > "$work/netrc"
(cd "$work"
  { cat "$fenrock/causeway4-boot-2.1.0.img"; echo "2.1.1"; } > causeway4-boot-2.1.1.img
  sha256sum causeway4-boot-2.1.1.img > causeway4-boot-2.1.1.img.sha256
  for file in causeway4-boot-2.1.1.img.sha256 causeway4-boot-2.1.1.img; do
    must_end_with 0 curl -sS --netrc-file netrc -T "$file" "$http/intake/$file"
  done) | tee "$work/handed-in.out"
grep -q "SHA-256 as expected" "$work/handed-in.out" || fail "the image was not handed in"
must_end_with 0 "$VANTRO" account list
must_end_with 0 "$VANTRO" account change anonymous --may fetch,deposit

headline "Two people manage it from their own desks, over TLS, each with a role; the ledger has their names"
# The client of somebody with a home of their own.
as() {
  local who=$1 wanted=$2 code=0
  shift 2
  printf '\n%s$ vantro %s\n' "$who" "$(printf '%q ' "$@" | sed 's/ $//')"
  mkdir -p "$work/$who"
  env -u VANTRO_URL HOME="$work/$who" XDG_CONFIG_HOME= XDG_RUNTIME_DIR= VANTRO_SERVER=depot "$VANTRO" "$@" || code=$?
  [[ $code -eq $wanted ]] || fail "'$*' by $who ended with $code instead of $wanted"
}
must_end_with 0 "$VANTRO" person add change-desk --role operate --until 90d --remark "plans the change windows" | tee "$work/change-desk.out"
must_end_with 0 "$VANTRO" person add night-desk --role look --remark "watches at night" | tee "$work/night-desk.out"
fingerprint=$("$VANTRO" --json status | grep -o '"fingerprint": "[0-9A-F:]\{95\}"' | cut -d'"' -f4)
for desk in change-desk night-desk; do
  grep '^vantro-' "$work/$desk.out" | as "$desk" 0 login "$management_url" --name depot --fingerprint "$fingerprint"
done
as night-desk 0 image list --platform causeway4
as night-desk 1 image withdraw causeway4-system-7.6.0.img --reason "looks wrong"
as change-desk 0 image change causeway4-system-7.6.0.img --remark "for the change of the 12th"
as change-desk 0 token list
must_end_with 0 "$VANTRO" token end first --by change-desk
as change-desk 4 status
must_end_with 0 "$VANTRO" person list
must_end_with 0 "$VANTRO" ledger --by change-desk
must_end_with 0 "$VANTRO" ledger --event call,person-add,token-revoke,secrets-read --from 1h
must_end_with 0 "$VANTRO" ledger --csv --by night-desk
must_end_with 0 "$VANTRO" ledger verify

headline "Before the point of no return: which version may follow, and is this switch ready?"
must_end_with 0 "$VANTRO" route import "$data/rules.csv"
must_end_with 0 "$VANTRO" route lattice24 --running 3.10.1 --wanted 4.0.1
must_end_with 1 "$VANTRO" route lattice24 --running 3.10.1 --wanted 3.5
echo "What the switch says of itself, pasted first to look, then sent by it:"
must_end_with 0 "$VANTRO" device read osier-sw "$data/reports/osier-sw.before.rpt" --dry-run
osier() { # exit code and what it does
  device "$1" osier-sw 127.1.0.3 "${@:2}"
}
osier 0 send "$data/reports/osier-sw.before.rpt" --as osier-sw.rpt
must_end_with 0 "$VANTRO" device info osier-sw
must_end_with 0 "$VANTRO" ready osier-sw --image lattice24-system-4.0.1.img

headline "A job for it: over the intermediate release, its boot part first; a colleague's second plan is refused"
must_end_with 0 "$VANTRO" person add window-desk --role operate | tee "$work/window-desk.out"
grep '^vantro-' "$work/window-desk.out" | as window-desk 0 login "$management_url" --name depot --fingerprint "$fingerprint"
must_end_with 0 "$VANTRO" job add osier-sw --image lattice24-system-4.0.1.img --slot B --remark "night of the 12th"
as window-desk 1 job add osier-sw --image lattice24-system-3.12.0.img
must_end_with 0 "$VANTRO" canary
osier 0 fetch hello-1M
osier 0 send "$data/configs/osier-sw.2.cfg" --as osier-sw.cfg
must_end_with 0 "$VANTRO" ready osier-sw
osier 1 fetch causeway4-system-7.6.0.img | tee "$work/wrong.out"
grep -q "it is for causeway4, and the device is a lattice24" "$work/wrong.out" || fail "the wrong platform is not refused"
osier 1 fetch lattice24-system-4.O.1.img | tee "$work/needs.out"
grep -q "your job needs 'lattice24-boot-2.0.img'" "$work/needs.out" || fail "the refusal does not name what the job needs"
must_end_with 0 "$VANTRO" job sheet osier-sw --over tftp
must_end_with 0 "$VANTRO" job sheet osier-sw --form boot-prompt --html --out "$work/sheet.html"
# Types what the sheet says, and nothing else.
typed_from_sheet() {
  mapfile -t typed < <("$VANTRO" --json job sheet osier-sw --over tftp | python3 -c 'import json, sys
values = {one["name"]: one["value"] for one in json.load(sys.stdin)["values"]}
print(values["server"] + ":" + values["port"], values["name"], sep="\n")')
  must_end_with 0 "$BIN/demo/vantro-demo-device" --name osier-sw --address 127.1.0.3 --server "${typed[0]}" fetch "${typed[1]}"
}
typed_from_sheet
must_end_with 0 "$VANTRO" job mark osier-sw written
must_end_with 0 "$VANTRO" job list
must_end_with 0 "$VANTRO" job mark osier-sw running --remark "the loader says 2.0"
echo "It loads to memory, then to storage; and its own report says what runs:"
typed_from_sheet
typed_from_sheet
osier 0 send "$data/reports/osier-sw.between.rpt" --as osier-sw.rpt
typed_from_sheet
must_end_with 2 "$VANTRO" job mark osier-sw confirmed
osier 0 send "$data/reports/osier-sw.after.rpt" --as osier-sw.rpt
must_end_with 0 "$VANTRO" job watch osier-sw --seconds 0.5
must_end_with 0 "$VANTRO" job mark osier-sw confirmed --remark "all ports are up"
must_end_with 0 "$VANTRO" job info osier-sw

headline "The same for twelve switches, in batches; it stops after two failures, and goes on with a word"
must_end_with 0 "$VANTRO" device import "$data/switches.csv"
must_end_with 0 "$VANTRO" rollout add "Lattice to 4.0.1" --devices "name=pump-sw-*,platform=lattice24" \
  --image lattice24-system-4.0.1.img --batch 4 --stop-after 2
must_end_with 1 "$VANTRO" rollout ready "Lattice to 4.0.1"
for number in 01 02; do
  must_end_with 0 "$VANTRO" job mark "pump-sw-$number" failed --remark "does not come back"
done
must_end_with 0 "$VANTRO" rollout info "Lattice to 4.0.1" | tee "$work/rollout.out"
grep -q "stopped: 2 failed" "$work/rollout.out" || fail "the rollout did not stop after two failures"
as window-desk 0 job mark pump-sw-03 running --remark "done before it stopped"
as window-desk 0 rollout continue "Lattice to 4.0.1" --remark "two fuses, not the image"
must_end_with 0 "$VANTRO" rollout info "Lattice to 4.0.1" --csv
must_end_with 0 "$VANTRO" rollout list

headline "Who was heard, and what became of it"
for _ in $(seq 600); do
  "$VANTRO" contact > "$work/contact.out"
  ! grep -q 'look for a firewall' "$work/contact.out" || break
  sleep 0.1
done
must_end_with 0 "$VANTRO" contact
grep -q 'look for a firewall' "$work/contact.out" || fail "'vantro contact' does not name the firewall"
must_end_with 0 "$VANTRO" contact 127.1.0.1 | tee "$work/story.out"
grep -q "still to fetch of kit 'Causeway 4 to 7.6'" "$work/story.out" || fail "the story does not tell what is missing of the kit"
must_end_with 5 "$VANTRO" contact 192.0.2.99

headline "What there is, and what happened"
must_end_with 0 "$VANTRO" image list
must_end_with 0 "$VANTRO" image info causeway4-system-7.6.0.img
must_end_with 0 "$VANTRO" image find "$fenrock/causeway4-boot-2.1.0.img"
must_end_with 0 "$VANTRO" offer list
must_end_with 0 "$VANTRO" kit list
must_end_with 0 "$VANTRO" transfer list
must_end_with 0 "$VANTRO" ledger
must_end_with 0 "$VANTRO" status

headline "Everything that is stored is read again; and images go to a site without a network"
must_end_with 0 "$VANTRO" verify --rate 0
must_end_with 0 "$VANTRO" export "$work/stick.tar" causeway4-boot-2.1.0.img causeway4-system-7.6.0.img
mkdir "$work/stick"
tar -C "$work/stick" -xf "$work/stick.tar"
(cd "$work/stick" && sha256sum -c SHA256SUMS) || fail "the export does not match its own checksums"
must_end_with 0 "$VANTRO" import "$work/stick.tar"

headline "The server itself: settings, an empty hour, a copy of everything"
sed 's/^settle_s = 1$/settle_s = 2/; s/^\[snapshot\]$/[limits]\ntransfers = 500\n\n&/' "$work/vantro.toml" > "$work/vantro.toml.new"
mv "$work/vantro.toml.new" "$work/vantro.toml"
must_end_with 0 "$VANTRO" reload --dry-run
must_end_with 0 "$VANTRO" reload
must_end_with 0 "$VANTRO" drain --until 5m --reason "new power supply"
must_end_with 22 curl -sSf -o /dev/null "$http/causeway4-system-7.6.0.img"
must_end_with 0 "$VANTRO" drain --undo
must_end_with 0 "$VANTRO" snapshot nightly
(cd "$work/snapshots/nightly" && sha256sum --quiet -c SHA256SUMS) || fail "the snapshot does not match its own checksums"
must_end_with 0 "$VANTROD" --restore "$work/snapshots/nightly" --state "$work/restored"
must_end_with 0 "$VANTRO" notice list
curl -sSf "http://127.0.0.1:$((port_base + 70))/metrics" | grep -E '^vantro_(transfers_total|refusals_total|backups_overdue)' || fail "there are no metrics"

# The ledger must tell the same story as the devices did.
"$VANTRO" --json ledger --limit 1000 > "$work/ledger.json"
count() { python3 - "$work/ledger.json" "$1" "$2" <<'COUNT'
import json, sys
entries = json.load(open(sys.argv[1]))["entries"]
# The device behind a firewall is given up at its own time.
print(sum(e["event"] == sys.argv[2] and e["outcome"] == sys.argv[3]
          and "look for a firewall" not in e["sentence"] for e in entries))
COUNT
}
[[ $(count image-add complete) -eq 16 ]] || fail "the ledger does not have the images added"
[[ $(count image-add failed) -eq 2 ]] || fail "the ledger does not have the images that were not added"
[[ $(count image-withdraw done) -eq 1 ]] || fail "the ledger does not have the withdrawal"
[[ $(count fetch complete) -ge 4 ]] || fail "the ledger does not have the complete fetches"
[[ $(count fetch abandoned) -eq 0 ]] || fail "the ledger has a fetch as broken off that was whole"
[[ $(count fetch refused) -eq 9 ]] || fail "the ledger does not have the refused fetches"
[[ $(count deposit complete) -eq 15 ]] || fail "the ledger does not have fifteen deposits"
[[ $(count call refused) -eq 1 ]] || fail "the ledger does not have what a person was refused"
[[ $(count log-in done) -eq 1 ]] || fail "the ledger does not mark the older algorithms"
[[ $(count deposit abandoned) -eq 1 ]] || fail "the ledger does not have the deposit that was cut off"
[[ $(count deposit refused) -eq 1 ]] || fail "the ledger does not have the refused deposit"

headline "Devices without a working system: one that asks, one that calls, one that waits"
must_end_with 0 "$VANTRO" rescue profiles
wires=(unshare --net --mount)
[[ $(id -u) -eq 0 ]] || wires=(unshare --user --map-root-user --net --mount)
if "${wires[@]}" ip link add eth1 type veth 2>/dev/null; then
  mkdir "$work/wires"
  "${wires[@]}" demo/rescue.sh "$BIN/src" "$data" "$work/wires" || fail "a device was not brought back"
else
  echo "(This machine lets nobody make network namespaces, so the wires are left out.)"
fi

