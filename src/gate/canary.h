// The canary: small files that are always on offer, to prove a path from the device
// before anything is erased. A fetch proves address, route, firewall, protocol, account
// and name at once; the larger files measure the path's rate and loss.
#pragma once

#include <array>
#include <cstdint>
#include <optional>
#include <string>
#include <string_view>

#include "base/mutex.h"
#include "base/outcome.h"
#include "base/unique_fd.h"
#include "crypto/digests.h"
#include "gate/asker.h"
#include "gate/tree.h"

namespace vantro::gate {

// Thread-safe.
class Canary {
 public:
  // The larger files are made in `folder` at their first request.
  explicit Canary(std::string folder) : folder_(std::move(folder)) {}

  // Whether the name is one of these, case-insensitive.
  static bool is_one(std::string_view name);
  // The file of that name, case-insensitive; nothing: it is none of these. It may wait
  // for the disk.
  std::optional<base::Outcome<Found>> find(std::string_view name, const Asker& asker,
                                           base::WallTime now);
  // The bytes of one without a text.
  base::Outcome<base::UniqueFd> open(const Found& found) const;

 private:
  struct Size {
    std::string_view name;
    std::uint64_t bytes;
  };
  static constexpr std::array kSizes{Size{"hello-1M", std::uint64_t{1} << 20},
                                     Size{"hello-64M", std::uint64_t{64} << 20}};

  base::Outcome<crypto::Digests> made(const Size& size);

  const std::string folder_;
  base::Mutex mutex_;
  // Of the complete files, in this process.
  std::array<std::optional<crypto::Digests>, kSizes.size()> digests_
      VANTRO_GUARDED_BY(mutex_);
};

// "SHA-256 of the lines above" and the rest, as in the file `hello`.
std::string hello_text(const Asker& asker, base::WallTime now);

}  // namespace vantro::gate
