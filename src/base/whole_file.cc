#include "base/whole_file.h"

#include <cerrno>
#include <fcntl.h>
#include <unistd.h>

#include "base/unique_fd.h"

namespace vantro::base {

bool write_all(int fd, ByteView bytes) {
  while (!bytes.empty()) {
    const auto count = ::write(fd, bytes.data(), bytes.size());
    if (count < 0 && errno == EINTR) continue;
    if (count <= 0) return false;
    bytes = bytes.subspan(static_cast<std::size_t>(count));
  }
  return true;
}

Outcome<std::string> read_whole_file(const std::string& file, std::size_t most) {
  const UniqueFd opened(::open(file.c_str(), O_RDONLY | O_CLOEXEC | O_NONBLOCK));
  if (!opened) return refuse(system_refusal(errno, file));
  std::string text(most + 1, '\0');
  std::size_t have = 0;
  while (have < text.size()) {
    const auto count = ::read(opened.get(), text.data() + have, text.size() - have);
    if (count < 0 && errno == EINTR) continue;
    if (count < 0) return refuse(system_refusal(errno, file));
    if (count == 0) break;
    have += static_cast<std::size_t>(count);
  }
  if (have > most) return refuse(Kind::kTooLarge, file + ": the file is too large");
  text.resize(have);
  return text;
}

Outcome<void> write_whole_file(const std::string& file, std::string_view text) {
  const auto slash = file.rfind('/');
  const auto folder = slash == std::string::npos ? "." : file.substr(0, slash + 1);
  // It gets its name only when all of it is on disk.
  const auto fresh = file + ".new";
  ::unlink(fresh.c_str());
  const UniqueFd made(
      ::open(fresh.c_str(), O_WRONLY | O_CREAT | O_EXCL | O_CLOEXEC | O_NOFOLLOW, 0600));
  const UniqueFd above(::open(folder.c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC));
  if (!made || !above || !write_all(made.get(), as_bytes(text)) ||
      ::fsync(made.get()) != 0 || ::rename(fresh.c_str(), file.c_str()) != 0 ||
      ::fsync(above.get()) != 0) {
    return refuse(system_refusal(errno, file + ": can't be written"));
  }
  return {};
}

}  // namespace vantro::base
