#include "base/held_folder.h"

#include <algorithm>
#include <array>
#include <cerrno>
#include <cstdio>
#include <dirent.h>
#include <fcntl.h>
#include <fmt/format.h>
#include <linux/openat2.h>
#include <memory>
#include <sys/stat.h>
#include <sys/syscall.h>
#include <unistd.h>

#include "base/visible_name.h"
#include "base/whole_file.h"

namespace vantro::base {
namespace {

Refusal refusal_of(int error_number, const std::string& name) {
  // The errors of openat2(2) for a symbolic link, and for a way out of the folder.
  if (error_number == ELOOP || error_number == EXDEV) {
    return {Kind::kInvalid, fmt::format("'{}' is a link, or leads out of its folder",
                                        printable(name, 200))};
  }
  return system_refusal(error_number, fmt::format("'{}'", printable(name, 200)));
}

std::int64_t nanoseconds(const timespec& time) {
  return time.tv_sec * 1'000'000'000 + time.tv_nsec;
}

FileState state_of(const struct stat& about) {
  return {static_cast<std::uint64_t>(about.st_size), nanoseconds(about.st_mtim),
          nanoseconds(about.st_ctim)};
}

tl::unexpected<Refusal> not_regular(const std::string& name) {
  return refuse(Kind::kInvalid,
                fmt::format("'{}' is not a regular file", printable(name, 200)));
}

}  // namespace

Outcome<HeldFolder> HeldFolder::open(const std::string& path) {
  UniqueFd folder(::open(path.c_str(), O_PATH | O_DIRECTORY | O_CLOEXEC));
  if (!folder) return refuse(system_refusal(errno, path));
  return HeldFolder(std::move(folder));
}

int HeldFolder::open_beneath(const std::string& name, int flags, unsigned mode) const {
  open_how how{};
  how.flags = static_cast<std::uint64_t>(flags) | O_CLOEXEC;
  how.mode = mode;
  how.resolve = RESOLVE_BENEATH | RESOLVE_NO_SYMLINKS | RESOLVE_NO_MAGICLINKS;
  return static_cast<int>(::syscall(SYS_openat2, folder_.get(),
                                    name.empty() ? "." : name.c_str(), &how, sizeof how));
}

UniqueFd HeldFolder::above(const std::string& name) const {
  const auto slash = name.rfind('/');
  return UniqueFd(open_beneath(slash == std::string::npos ? "" : name.substr(0, slash),
                               O_PATH | O_DIRECTORY));
}

Outcome<HeldFolder::Found> HeldFolder::list(const std::string& folder) const {
  UniqueFd opened(open_beneath(folder, O_RDONLY | O_DIRECTORY));
  if (!opened) return refuse(refusal_of(errno, folder));
  const std::unique_ptr<DIR, int (*)(DIR*)> entries(::fdopendir(opened.get()),
                                                    &::closedir);
  if (!entries) return refuse(refusal_of(errno, folder));
  const int fd = opened.release();  // the stream owns it now
  Found found;
  errno = 0;
  while (const auto* one = ::readdir(entries.get())) {
    const std::string name = one->d_name;
    struct stat about {};
    if (name != "." && name != ".." &&
        ::fstatat(fd, name.c_str(), &about, AT_SYMLINK_NOFOLLOW) == 0) {
      if (S_ISREG(about.st_mode)) {
        found.files.push_back(name);
      } else if (S_ISDIR(about.st_mode)) {
        found.folders.push_back(name);
      } else {
        ++found.others;
      }
    }
    errno = 0;
  }
  if (errno != 0) return refuse(refusal_of(errno, folder));
  std::sort(found.files.begin(), found.files.end());
  std::sort(found.folders.begin(), found.folders.end());
  return found;
}

Outcome<FileState> HeldFolder::look(const std::string& name) const {
  const UniqueFd there(open_beneath(name, O_PATH | O_NOFOLLOW));
  struct stat about {};
  if (!there || ::fstat(there.get(), &about) != 0) return refuse(refusal_of(errno, name));
  if (!S_ISREG(about.st_mode)) return not_regular(name);
  return state_of(about);
}

Outcome<UniqueFd> HeldFolder::open_file(const std::string& name) const {
  // Without waiting: a pipe without a writer would block the thread for ever.
  UniqueFd file(open_beneath(name, O_RDONLY | O_NONBLOCK | O_NOCTTY));
  struct stat about {};
  if (!file || ::fstat(file.get(), &about) != 0) return refuse(refusal_of(errno, name));
  if (!S_ISREG(about.st_mode)) return not_regular(name);
  return file;
}

Outcome<std::string> HeldFolder::read(const std::string& name, std::size_t most) const {
  const auto file = open_file(name);
  if (!file) return refuse(file.error());
  std::string text;
  std::array<char, 65536> piece;
  while (true) {
    const auto got = ::read(file->get(), piece.data(), piece.size());
    if (got < 0 && errno == EINTR) continue;
    if (got < 0) return refuse(refusal_of(errno, name));
    if (got == 0) return text;
    text.append(piece.data(), static_cast<std::size_t>(got));
    if (text.size() > most) {
      return refuse(Kind::kTooLarge, fmt::format("'{}' is larger than {} bytes",
                                                 printable(name, 200), most));
    }
  }
}

Outcome<void> HeldFolder::make_folder(const std::string& name) const {
  for (std::size_t end = 0; end != std::string::npos;) {
    end = name.find('/', end + 1);
    const auto part = name.substr(0, end);
    const auto parent = above(part);
    if (!parent) return refuse(refusal_of(errno, part));
    if (::mkdirat(parent.get(), std::string(last_part(part)).c_str(), 0777) != 0 &&
        errno != EEXIST) {
      return refuse(refusal_of(errno, part));
    }
    const UniqueFd made(open_beneath(part, O_PATH | O_DIRECTORY));
    if (!made) return refuse(refusal_of(errno, part));
  }
  return {};
}

Outcome<void> HeldFolder::write(const std::string& name, std::string_view text) const {
  const auto parent = above(name);
  if (!parent) return refuse(refusal_of(errno, name));
  const std::string last(last_part(name));
  const auto fresh = "." + last.substr(0, 200) + ".new";
  ::unlinkat(parent.get(), fresh.c_str(), 0);
  const UniqueFd made(::openat(parent.get(), fresh.c_str(),
                               O_WRONLY | O_CREAT | O_EXCL | O_NOFOLLOW | O_CLOEXEC,
                               0666));
  if (!made || !write_all(made.get(), as_bytes(text)) ||
      ::renameat(parent.get(), fresh.c_str(), parent.get(), last.c_str()) != 0) {
    const int error = errno;
    if (made) ::unlinkat(parent.get(), fresh.c_str(), 0);
    return refuse(refusal_of(error, name));
  }
  return {};
}

Outcome<void> HeldFolder::move(const std::string& from, const std::string& to) const {
  const auto from_parent = above(from);
  const auto to_parent = above(to);
  if (!from_parent || !to_parent) return refuse(refusal_of(errno, from));
  if (::renameat2(from_parent.get(), std::string(last_part(from)).c_str(),
                  to_parent.get(), std::string(last_part(to)).c_str(),
                  RENAME_NOREPLACE) == 0) {
    return {};
  }
  if (errno == EEXIST) {
    return refuse(Kind::kExists, fmt::format("'{}' exists", printable(to, 200)));
  }
  return refuse(refusal_of(errno, from));
}

Outcome<void> HeldFolder::remove(const std::string& name) const {
  const auto parent = above(name);
  if (!parent || ::unlinkat(parent.get(), std::string(last_part(name)).c_str(), 0) != 0) {
    return refuse(refusal_of(errno, name));
  }
  return {};
}

}  // namespace vantro::base
