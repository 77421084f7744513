// DHCP and BOOTP messages, the frames around them, and what the lease machine makes of
// them. What was read is written, and read as the same again.
#include <cstdint>
#include <cstdlib>

#include "wire/dhcp/lease_machine.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  using namespace vantro;
  namespace dhcp = wire::dhcp;
  const base::ByteView input(data, size);
  dhcp::parse_arp(input);
  // The first byte says whether a frame or a bare message follows: most mutations of a
  // frame fail at its checksums.
  if (input.empty()) return 0;
  auto bytes = input.subspan(1);
  if ((input.front() & 1) != 0) {
    const auto datagram = dhcp::parse_datagram(bytes);
    if (!datagram) return 0;
    bytes = datagram->bytes;
  }
  const auto message = dhcp::parse(bytes);
  if (!message) return 0;
  dhcp::describe(*message);
  dhcp::user_classes(*message);
  auto encoded = dhcp::encode(*message, dhcp::kLargestMessage);
  const auto back = dhcp::parse(encoded.datagram);
  if (!back) std::abort();
  if (encoded.left_out.empty() && back->options != message->options) {
    // Options in `file` and `sname` may stand in another order, and no others differ.
    for (const auto& one : message->options) {
      const auto* there = back->find(one.code);
      if (there == nullptr || *there != one.bytes) std::abort();
    }
  }
  dhcp::LeasePlan plan;
  plan.server = base::Address::v4(0xc0000201);
  plan.pool = {base::Address::v4(0xc0000214), base::Address::v4(0xc0000215)};
  plan.files = {{{}, "", "", "{link}/{serial}.img"}};
  plan.guests = {{{}, "serial", "device", {}}};
  plan.admission = dhcp::Admission::kAnybody;
  plan.relays = true;
  dhcp::LeaseMachine machine(plan);
  base::Instant now{};
  dhcp::Actions actions;
  for (int round = 0; round < 3; ++round) {
    machine.step(dhcp::Heard{*message, {}, message->client}, now, actions);
    now += dhcp::LeaseMachine::kProbeTime;
    machine.step(dhcp::DeadlinePassed{}, now, actions);
  }
  for (const auto& action : actions) {
    if (const auto* reply = std::get_if<dhcp::Reply>(&action)) {
      const auto answer = dhcp::encode(reply->message, reply->longest);
      if (answer.datagram.size() > reply->longest || !dhcp::parse(answer.datagram)) {
        std::abort();
      }
    } else if (const auto* told = std::get_if<dhcp::Told>(&action)) {
      dhcp::sentence(*told);
    }
  }
  return 0;
}
