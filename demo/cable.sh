# To be sourced: cables (veth) to network namespaces, for the demo and the tests. Needs an
# array "pids", whose processes the caller ends.

# cable INTERFACE: from INTERFACE here to "wan" in a new namespace, both up. The process
# that keeps the namespace is $device afterwards.
cable() {
  unshare --net sleep 600 &
  device=$!
  pids+=("$device")
  # The kernel makes and removes namespaces one after the other: beside many it takes seconds.
  local space=
  for _ in $(seq 1200); do
    space=$(readlink "/proc/$device/ns/net") || true
    if [[ -n $space && $space != "$(readlink /proc/self/ns/net)" ]]; then
      ip link add "$1" type veth peer name wan netns "$device"
      ip link set "$1" up
      nsenter --net="/proc/$device/ns/net" ip link set lo up
      nsenter --net="/proc/$device/ns/net" ip link set wan up
      return 0
    fi
    sleep 0.05
  done
  echo "cable $1: waited a minute in vain for a network namespace" >&2
  return 1
}
