// The state folder's changes, as system calls. There is one implementation, and in tests
// another, which forgets everything that was not synced, as a power cut does. Reading
// does not use it, and neither does the database, which makes promises of its own.
#pragma once

#include <cstddef>
#include <string>
#include <sys/types.h>

namespace vantro::store {

// Each like the system call of its name: -1 and errno if it fails. Thread-safe.
class FileSystem {
 public:
  virtual ~FileSystem() = default;

  // For writing, always with O_CLOEXEC.
  virtual int open(const std::string& path, int flags, mode_t mode = 0600);
  virtual ssize_t write(int file, const void* bytes, std::size_t count);
  // At the file's beginning.
  virtual ssize_t overwrite(int file, const void* bytes, std::size_t count);
  virtual int set_mode(int file, mode_t mode);
  virtual int sync(int file);
  virtual int sync_data(int file);
  virtual int rename(const std::string& from, const std::string& to);
  // EEXIST: something has that name.
  virtual int rename_if_free(const std::string& from, const std::string& to);
  virtual int remove(const std::string& path);
  virtual int make_folder(const std::string& path, mode_t mode = 0700);
  // After it the names in the folder are on disk.
  virtual int sync_folder(const std::string& path);
};

// The machine's own.
FileSystem& system_files();

}  // namespace vantro::store
