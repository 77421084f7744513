#include "daemon/key_file.h"

#include <cerrno>
#include <cstdio>
#include <fcntl.h>
#include <fmt/format.h>
#include <sys/stat.h>
#include <unistd.h>

#include "base/unique_fd.h"
#include "base/whole_file.h"
#include "crypto/secret.h"

namespace vantro::daemon {
namespace {

using base::Kind;

constexpr std::size_t kLongest = 64 * 1024;

base::Outcome<std::string> read(const std::string& file) {
  const base::UniqueFd opened(::open(file.c_str(), O_RDONLY | O_CLOEXEC));
  struct stat found {};
  if (!opened || ::fstat(opened.get(), &found) != 0) {
    return base::refuse(base::system_refusal(errno, file));
  }
  if ((found.st_mode & 077) != 0) {
    return base::refuse(Kind::kInvalid,
                        fmt::format("{}: other users can read or write it, and it "
                                    "contains keys; close it with 'chmod 600 {}'",
                                    file, file));
  }
  std::string text(kLongest, '\0');
  const auto count = ::read(opened.get(), text.data(), text.size());
  if (count < 0) return base::refuse(base::system_refusal(errno, file));
  text.resize(static_cast<std::size_t>(count));
  return text;
}

}  // namespace

base::Outcome<crypto::SealKeys> load_keys(const std::string& file) {
  auto text = read(file);
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
  auto there = read(file);
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
