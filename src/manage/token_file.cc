#include "manage/token_file.h"

#include <cerrno>
#include <fcntl.h>
#include <filesystem>
#include <fmt/format.h>
#include <sys/stat.h>
#include <unistd.h>

#include "base/unique_fd.h"
#include "crypto/secret.h"

namespace vantro::manage {

using base::Kind;

base::Outcome<std::string> operator_token(const std::string& file) {
  base::UniqueFd there(::open(file.c_str(), O_RDONLY | O_CLOEXEC));
  if (!there && errno != ENOENT) return base::refuse(base::system_refusal(errno, file));
  if (there) {
    std::string text(256, '\0');
    const auto count = ::read(there.get(), text.data(), text.size());
    text.resize(count > 0 ? static_cast<std::size_t>(count) : 0);
    while (!text.empty() && (text.back() == '\n' || text.back() == ' ')) text.pop_back();
    if (text.size() >= 16) return text;
    // An empty one is of a crash while an older program made it: nobody holds it.
    if (!text.empty()) {
      return base::refuse(
          Kind::kCorrupt,
          fmt::format("{} holds no token; remove it, and the next start makes a new one",
                      file));
    }
  }
  const auto token = crypto::random_hex(24);
  const auto line = token + "\n";
  const auto failed = [&] {
    return base::refuse(
        base::system_refusal(errno, file + ": the token can't be written"));
  };
  // It has its name only when all of it is on disk.
  const auto fresh = file + ".new";
  const auto folder = std::filesystem::path(file).parent_path().string();
  const base::UniqueFd made(
      ::open(fresh.c_str(), O_WRONLY | O_CREAT | O_TRUNC | O_CLOEXEC, 0600));
  if (!made || ::write(made.get(), line.data(), line.size()) != ssize_t(line.size()) ||
      ::fsync(made.get()) != 0 || ::rename(fresh.c_str(), file.c_str()) != 0) {
    return failed();
  }
  const base::UniqueFd above(::open(folder.c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC));
  if (!above || ::fsync(above.get()) != 0) return failed();
  return token;
}

}  // namespace vantro::manage
