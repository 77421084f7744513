// A file system whose power can be cut: between any two operations everything stops, and
// what was not synced is forgotten. Names are on disk when their folder was synced, bytes
// when their file was; a rename is on disk as a whole or not at all, as on every file
// system with a journal. It works on a real folder, so that reading sees what was
// written.
#pragma once

#include <cstdint>
#include <map>
#include <memory>
#include <mutex>
#include <optional>
#include <set>
#include <string>

#include "store/file_system.h"

namespace vantro::fakes {

class ForgetfulFiles final : public store::FileSystem {
 public:
  // What is in the folder is on disk already.
  explicit ForgetfulFiles(std::string root);

  // The power goes when so many operations are done: all that follow fail, and do
  // nothing. `late`: only when the next one begins, so that what happened in between
  // beside the file system, in the database, has still happened.
  void cut_after(std::size_t operations, bool late);
  bool is_cut() const;
  std::size_t operations() const;

  // The folder as it is found when the power is back. REQUIRES: is_cut().
  void lay_out(const std::string& to) const;

  int open(const std::string& path, int flags, mode_t mode = 0600) override;
  ssize_t write(int file, const void* bytes, std::size_t count) override;
  ssize_t overwrite(int file, const void* bytes, std::size_t count) override;
  int set_mode(int file, mode_t mode) override;
  int sync(int file) override;
  int sync_data(int file) override;
  int rename(const std::string& from, const std::string& to) override;
  int rename_if_free(const std::string& from, const std::string& to) override;
  int remove(const std::string& path) override;
  int make_folder(const std::string& path, mode_t mode = 0700) override;
  int sync_folder(const std::string& path) override;

 private:
  struct Node {
    std::optional<std::string> on_disk;  // its bytes; nothing: none
  };
  using Names = std::map<std::string, std::shared_ptr<Node>>;

  // False: the power is gone, and errno says so. REQUIRES: mutex_ is held, as for all
  // below.
  bool begin();
  void end();
  void cut();
  int synced(int file, int result);
  int renamed(const std::string& from, const std::string& to, int result);

  const std::string root_;
  mutable std::mutex mutex_;
  std::size_t done_ = 0;
  std::size_t cut_after_ = SIZE_MAX;
  bool late_ = false;
  bool cut_ = false;
  Names now_, on_disk_;  // by path
  std::set<std::string> folders_now_, folders_on_disk_;
  // Names that a rename has taken away: they go from the disk when the new one comes.
  std::map<std::string, std::string> moved_;  // new path, old one
  std::map<int, std::shared_ptr<Node>> open_;
  // The database, as it was when the power went.
  std::map<std::string, std::string> database_;
};

}  // namespace vantro::fakes
