// Rules of a packet filter, as programs of the system print them: whatever they are, they
// are judged, and what is dropped names a command that opens it.
#include <cstddef>
#include <cstdint>
#include <cstdlib>
#include <string_view>

#include "client/packet_filter.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  const std::string_view text(reinterpret_cast<const char*>(data), size);
  using vantro::client::Filtering;
  for (const auto& answer : {vantro::client::judge_nftables(text, "udp", 69),
                             vantro::client::judge_iptables(text, "tcp", 21)}) {
    if (answer.what == Filtering::kNotKnown) std::abort();
    if ((answer.what == Filtering::kDropped) == answer.command.empty()) std::abort();
  }
  return 0;
}
