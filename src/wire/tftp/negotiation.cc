#include "wire/tftp/negotiation.h"

#include <algorithm>
#include <set>
#include <string>

#include "base/numbers.h"

namespace vantro::wire::tftp {
namespace {

constexpr std::uint64_t kSmallestBlock = 8;      // RFC 2348
constexpr std::uint64_t kLongestTimeout = 255;   // seconds, RFC 2349
constexpr std::uint64_t kLargestWindow = 65535;  // RFC 7440

}  // namespace

Terms negotiate(const Request& request, std::optional<std::uint64_t> size,
                const Ceiling& ceiling) {
  Terms terms;
  terms.netascii = request.mode == "netascii";
  std::set<std::string> seen;  // if an option is given twice, the first counts
  for (const auto& [name, text] : request.options) {
    const auto value = base::parse_number<std::uint64_t>(text);
    if (!value || !seen.insert(name).second) continue;
    if (name == "blksize" && *value >= kSmallestBlock) {
      terms.block_size = std::min<std::uint64_t>(*value, ceiling.block_size);
      terms.answer.emplace_back(name, std::to_string(terms.block_size));
    } else if (name == "timeout" && *value >= 1 && *value <= kLongestTimeout) {
      terms.timeout = std::chrono::seconds(*value);
      terms.answer.emplace_back(name, text);
    } else if (name == "windowsize" && *value >= 1 && *value <= kLargestWindow) {
      terms.window_size = std::min<std::uint64_t>(*value, ceiling.window_size);
      terms.answer.emplace_back(name, "");  // the block size may come after it
    } else if (name == "tsize" && request.write) {
      terms.announced = *value;
      terms.answer.emplace_back(name, text);
    } else if (name == "tsize" && size.value_or(0) > 0 && !terms.netascii) {
      terms.answer.emplace_back(name, std::to_string(*size));
    }
  }
  for (auto& [name, text] : terms.answer) {
    if (name != "windowsize") continue;
    const auto most = std::max<std::size_t>(1, ceiling.window_bytes / terms.block_size);
    terms.window_size = std::min(terms.window_size, most);
    text = std::to_string(terms.window_size);
  }
  return terms;
}

}  // namespace vantro::wire::tftp
