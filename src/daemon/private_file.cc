#include "daemon/private_file.h"

#include <cerrno>
#include <fcntl.h>
#include <fmt/format.h>
#include <sys/stat.h>
#include <unistd.h>

#include "base/unique_fd.h"

namespace vantro::daemon {
namespace {

using base::Kind;

constexpr std::size_t kLongest = 64 * 1024;

}  // namespace

base::Outcome<std::string> read_private_file(const std::string& file,
                                             const std::string& what) {
  const base::UniqueFd opened(::open(file.c_str(), O_RDONLY | O_CLOEXEC));
  struct stat found {};
  if (!opened || ::fstat(opened.get(), &found) != 0) {
    return base::refuse(base::system_refusal(errno, file));
  }
  if ((found.st_mode & 077) != 0) {
    return base::refuse(Kind::kInvalid,
                        fmt::format("{}: other users can read or write it, and it "
                                    "contains {}; close it with 'chmod 600 {}'",
                                    file, what, file));
  }
  std::string text(kLongest, '\0');
  const auto count = ::read(opened.get(), text.data(), text.size());
  if (count < 0) return base::refuse(base::system_refusal(errno, file));
  text.resize(static_cast<std::size_t>(count));
  return text;
}

}  // namespace vantro::daemon
