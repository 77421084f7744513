#include "store/vault_needs.h"

#include <array>
#include <cerrno>
#include <cstring>
#include <fcntl.h>
#include <filesystem>
#include <fmt/format.h>
#include <sys/file.h>
#include <sys/stat.h>
#include <unistd.h>

#include "base/unique_fd.h"
#include "crypto/secret.h"
#include "store/file_system.h"

namespace vantro::store {
namespace {

using base::Kind;

// A file of the vault may be larger than 4 GiB.
constexpr off_t kLarge = off_t{5} << 30;

class Trial {
 public:
  explicit Trial(const std::string& folder)
      : above_(folder), folder_(folder + "/trial-" + crypto::random_hex(4)) {}
  ~Trial() {
    std::error_code ignored;
    std::filesystem::remove_all(folder_, ignored);
  }
  Trial(const Trial&) = delete;
  Trial& operator=(const Trial&) = delete;

  base::Outcome<void> run() {
    errno = 0;
    if (::mkdir(folder_.c_str(), 0700) != 0) return failed("folders can't be made");
    if (files_.sync_folder(above_) != 0) {
      return failed("a folder can't be synced, so an acknowledged file may vanish");
    }
    const auto one = folder_ + "/one";
    const auto two = folder_ + "/two";
    if (!write(one, "first") || !write(two, "second")) {
      return failed("files can't be written and synced");
    }
    const base::UniqueFd reader(::open(one.c_str(), O_RDONLY | O_CLOEXEC));
    if (!reader || ::rename(two.c_str(), one.c_str()) != 0 || read_all(one) != "second" ||
        ::access(two.c_str(), F_OK) == 0) {
      return failed("a file can't take another one's place");
    }
    errno = 0;
    if (content(reader.get()) != "first") {
      return failed(
          "an open file can't be read any more when another takes its place, "
          "which would break running transfers");
    }
    if (::unlink(one.c_str()) != 0) return failed("files can't be removed");
    if (!write(folder_ + "/case", "a") || !write(folder_ + "/CASE", "b") ||
        read_all(folder_ + "/case") != "a") {
      return failed("it does not distinguish lower and upper case in names");
    }
    const base::UniqueFd large(
        ::open((folder_ + "/large").c_str(), O_RDWR | O_CREAT | O_CLOEXEC, 0600));
    struct stat there {};
    if (!large || ::ftruncate(large.get(), kLarge) != 0 ||
        ::fstat(large.get(), &there) != 0 || there.st_size != kLarge) {
      return failed("files can't be larger than 4 GiB");
    }
    return try_locks();
  }

 private:
  base::Outcome<void> failed(const std::string& what) const {
    return base::refuse(
        Kind::kInvalid,
        fmt::format("the file system of {} is not fit for the state: {}{}", above_, what,
                    errno == 0 ? "" : fmt::format(" ({})", strerror(errno))));
  }

  base::Outcome<void> try_locks() const {
    const auto path = folder_ + "/lock";
    const base::UniqueFd first(::open(path.c_str(), O_RDWR | O_CREAT | O_CLOEXEC, 0600));
    const base::UniqueFd second(::open(path.c_str(), O_RDWR | O_CLOEXEC));
    if (!first || !second || ::flock(first.get(), LOCK_EX | LOCK_NB) != 0) {
      return failed("files can't be locked");
    }
    if (::flock(second.get(), LOCK_SH | LOCK_NB) == 0) {
      errno = 0;
      return failed(
          "a locked file can be locked a second time, so two servers could "
          "work on the same files");
    }
    if (::flock(first.get(), LOCK_UN) != 0 || ::flock(second.get(), LOCK_SH) != 0) {
      return failed("a lock can't be given back");
    }
    return {};
  }

  bool write(const std::string& path, std::string_view text) {
    const base::UniqueFd file(
        ::open(path.c_str(), O_WRONLY | O_CREAT | O_EXCL | O_CLOEXEC, 0600));
    return file &&
           ::write(file.get(), text.data(), text.size()) ==
               static_cast<ssize_t>(text.size()) &&
           // As in the vault: it keeps its name's right to be moved.
           ::fchmod(file.get(), 0444) == 0 && ::fsync(file.get()) == 0;
  }

  static std::string content(int file) {
    std::array<char, 32> bytes{};
    const auto count = ::pread(file, bytes.data(), bytes.size(), 0);
    return {bytes.data(), count > 0 ? static_cast<std::size_t>(count) : 0};
  }

  static std::string read_all(const std::string& path) {
    const base::UniqueFd file(::open(path.c_str(), O_RDONLY | O_CLOEXEC));
    return file ? content(file.get()) : std::string();
  }

  FileSystem& files_ = system_files();
  const std::string above_;
  const std::string folder_;
};

}  // namespace

base::Outcome<void> check_file_system(const std::string& folder) {
  return Trial(folder).run();
}

}  // namespace vantro::store
