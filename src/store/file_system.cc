#include "store/file_system.h"

#include <cstdio>
#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

#include "base/unique_fd.h"

namespace vantro::store {

int FileSystem::open(const std::string& path, int flags, mode_t mode) {
  return ::open(path.c_str(), flags | O_CLOEXEC, mode);
}

ssize_t FileSystem::write(int file, const void* bytes, std::size_t count) {
  return ::write(file, bytes, count);
}

ssize_t FileSystem::overwrite(int file, const void* bytes, std::size_t count) {
  return ::pwrite(file, bytes, count, 0);
}

int FileSystem::set_mode(int file, mode_t mode) { return ::fchmod(file, mode); }
int FileSystem::sync(int file) { return ::fsync(file); }
int FileSystem::sync_data(int file) { return ::fdatasync(file); }

int FileSystem::rename(const std::string& from, const std::string& to) {
  return ::rename(from.c_str(), to.c_str());
}

int FileSystem::rename_if_free(const std::string& from, const std::string& to) {
  if (::renameat2(AT_FDCWD, from.c_str(), AT_FDCWD, to.c_str(), RENAME_NOREPLACE) == 0) {
    return 0;
  }
  // A file system of a network does not know it.
  if (errno != EINVAL && errno != ENOSYS) return -1;
  return ::link(from.c_str(), to.c_str()) == 0 ? ::unlink(from.c_str()) : -1;
}

int FileSystem::remove(const std::string& path) { return ::unlink(path.c_str()); }

int FileSystem::make_folder(const std::string& path, mode_t mode) {
  return ::mkdir(path.c_str(), mode);
}

int FileSystem::sync_folder(const std::string& path) {
  const base::UniqueFd folder(::open(path.c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC));
  return folder ? ::fsync(folder.get()) : -1;
}

FileSystem& system_files() {
  static FileSystem files;
  return files;
}

}  // namespace vantro::store
