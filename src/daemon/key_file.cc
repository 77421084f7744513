#include "daemon/key_file.h"

#include <fmt/format.h>

#include "base/whole_file.h"
#include "crypto/secret.h"
#include "daemon/private_file.h"

namespace vantro::daemon {

using base::Kind;

base::Outcome<crypto::SealKeys> load_keys(const std::string& file) {
  auto text = read_private_file(file, "keys");
  if (!text) {
    return base::refuse(Kind::kInvalid, "backups.key_file: " + text.error().sentence);
  }
  auto keys = crypto::SealKeys::parse(*text);
  crypto::wipe(*text);
  if (!keys) {
    return base::refuse(Kind::kInvalid, fmt::format("backups.key_file: {}: {}", file,
                                                    keys.error().sentence));
  }
  return keys;
}

base::Outcome<std::string> add_new_key(const std::string& file) {
  std::string before;
  auto there = read_private_file(file, "keys");
  if (there) {
    before = std::move(*there);
  } else if (there.error().kind != Kind::kNotFound) {
    return base::refuse(there.error());
  }
  const auto text = crypto::new_seal_key() + before;
  const auto keys = crypto::SealKeys::parse(text);
  if (!keys) {
    return base::refuse(Kind::kInvalid,
                        fmt::format("{}: {}", file, keys.error().sentence));
  }
  // Whole or not at all: a lost key cannot be made again.
  if (auto done = base::write_whole_file(file, text); !done) {
    return base::refuse(done.error());
  }
  return keys->current()->id();
}

}  // namespace vantro::daemon
