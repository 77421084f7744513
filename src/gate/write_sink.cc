#include "gate/write_sink.h"

#include <fmt/format.h>

namespace vantro::gate {

std::optional<crypto::Expected> differing(const crypto::Digests& digests,
                                          const std::vector<crypto::Expected>& expected) {
  for (const auto& one : expected) {
    if (crypto::value_of(digests, one.algorithm) != one.hex) return one;
  }
  return std::nullopt;
}

base::Refusal differs(const crypto::Digests& digests, const crypto::Expected& expected) {
  return {base::Kind::kMismatch,
          fmt::format(
              "the {} of the received bytes is {}, the sender announced {}; nothing was "
              "added, send it again",
              crypto::title(expected.algorithm),
              crypto::value_of(digests, expected.algorithm), expected.hex)};
}

}  // namespace vantro::gate
