#include "tests/fakes/forgetful_files.h"

#include <cerrno>
#include <fcntl.h>
#include <filesystem>
#include <fstream>
#include <sstream>

namespace vantro::fakes {
namespace {

namespace fs = std::filesystem;

std::string bytes_of(const std::string& path) {
  std::ifstream in(path, std::ios::binary);
  std::ostringstream bytes;
  bytes << in.rdbuf();
  return bytes.str();
}

void put(const std::string& path, const std::string& bytes) {
  std::ofstream(path, std::ios::binary) << bytes;
}

// Not written through the file system: a database has promises of its own.
bool is_of_database(const std::string& name) { return name.starts_with("vantro.db"); }

}  // namespace

ForgetfulFiles::ForgetfulFiles(std::string root) : root_(std::move(root)) {
  if (!fs::exists(root_)) return;
  folders_now_.insert(root_);
  for (const auto& entry : fs::recursive_directory_iterator(root_)) {
    const auto path = entry.path().string();
    if (entry.is_directory()) {
      folders_now_.insert(path);
    } else if (!is_of_database(entry.path().filename().string())) {
      now_[path] = std::make_shared<Node>(Node{bytes_of(path)});
    }
  }
  on_disk_ = now_;
  folders_on_disk_ = folders_now_;
}

void ForgetfulFiles::cut_after(std::size_t operations, bool late) {
  const std::lock_guard lock(mutex_);
  cut_after_ = done_ + operations;
  late_ = late;
  if (done_ == cut_after_ && !late_) cut();
}

bool ForgetfulFiles::is_cut() const {
  const std::lock_guard lock(mutex_);
  return cut_;
}

std::size_t ForgetfulFiles::operations() const {
  const std::lock_guard lock(mutex_);
  return done_;
}

void ForgetfulFiles::cut() {
  cut_ = true;
  std::error_code error;
  for (const auto& entry : fs::directory_iterator(root_, error)) {
    const auto name = entry.path().filename().string();
    // The index of the log is made anew from the log.
    if (is_of_database(name) && !name.ends_with("-shm")) {
      database_[name] = bytes_of(entry.path());
    }
  }
}

bool ForgetfulFiles::begin() {
  if (!cut_ && done_ >= cut_after_) cut();
  if (cut_) errno = EIO;
  return !cut_;
}

void ForgetfulFiles::end() {
  ++done_;
  if (done_ == cut_after_ && !late_) cut();
}

void ForgetfulFiles::lay_out(const std::string& to) const {
  const std::lock_guard lock(mutex_);
  fs::create_directories(to);
  for (const auto& folder : folders_on_disk_) {
    if (folder != root_) fs::create_directories(to + folder.substr(root_.size()));
  }
  for (const auto& [path, node] : on_disk_) {
    const auto there = to + path.substr(root_.size());
    if (!fs::exists(fs::path(there).parent_path())) continue;
    put(there, node->on_disk.value_or(""));
    fs::permissions(there, fs::perms::owner_read | fs::perms::owner_write);
  }
  for (const auto& [name, bytes] : database_) put(to + "/" + name, bytes);
}

int ForgetfulFiles::open(const std::string& path, int flags, mode_t mode) {
  const std::lock_guard lock(mutex_);
  if (!begin()) return -1;
  const int file = FileSystem::open(path, flags, mode);
  if (file >= 0) {
    auto& node = now_[path];
    if (!node) node = std::make_shared<Node>();
    open_[file] = node;
  }
  end();
  return file;
}

ssize_t ForgetfulFiles::write(int file, const void* bytes, std::size_t count) {
  const std::lock_guard lock(mutex_);
  if (!begin()) return -1;
  const auto result = FileSystem::write(file, bytes, count);
  end();
  return result;
}

ssize_t ForgetfulFiles::overwrite(int file, const void* bytes, std::size_t count) {
  const std::lock_guard lock(mutex_);
  if (!begin()) return -1;
  const auto result = FileSystem::overwrite(file, bytes, count);
  end();
  return result;
}

int ForgetfulFiles::set_mode(int file, mode_t mode) {
  const std::lock_guard lock(mutex_);
  if (!begin()) return -1;
  const int result = FileSystem::set_mode(file, mode);
  end();
  return result;
}

int ForgetfulFiles::synced(int file, int result) {
  const auto found = open_.find(file);
  if (result == 0 && found != open_.end()) {
    found->second->on_disk = bytes_of("/proc/self/fd/" + std::to_string(file));
  }
  end();
  return result;
}

int ForgetfulFiles::sync(int file) {
  const std::lock_guard lock(mutex_);
  return begin() ? synced(file, FileSystem::sync(file)) : -1;
}

int ForgetfulFiles::sync_data(int file) {
  const std::lock_guard lock(mutex_);
  return begin() ? synced(file, FileSystem::sync_data(file)) : -1;
}

int ForgetfulFiles::renamed(const std::string& from, const std::string& to, int result) {
  if (result == 0) {
    now_[to] = now_[from];
    now_.erase(from);
    moved_[to] = from;
  }
  end();
  return result;
}

int ForgetfulFiles::rename(const std::string& from, const std::string& to) {
  const std::lock_guard lock(mutex_);
  return begin() ? renamed(from, to, FileSystem::rename(from, to)) : -1;
}

int ForgetfulFiles::rename_if_free(const std::string& from, const std::string& to) {
  const std::lock_guard lock(mutex_);
  return begin() ? renamed(from, to, FileSystem::rename_if_free(from, to)) : -1;
}

int ForgetfulFiles::remove(const std::string& path) {
  const std::lock_guard lock(mutex_);
  if (!begin()) return -1;
  const int result = FileSystem::remove(path);
  if (result == 0) now_.erase(path);
  end();
  return result;
}

int ForgetfulFiles::make_folder(const std::string& path, mode_t mode) {
  const std::lock_guard lock(mutex_);
  if (!begin()) return -1;
  const int result = FileSystem::make_folder(path, mode);
  if (result == 0) folders_now_.insert(path);
  end();
  return result;
}

int ForgetfulFiles::sync_folder(const std::string& path) {
  const std::lock_guard lock(mutex_);
  if (!begin()) return -1;
  const int result = FileSystem::sync_folder(path);
  if (result == 0) {
    const auto in_it = [&](const std::string& one) {
      return fs::path(one).parent_path().string() == path;
    };
    std::erase_if(on_disk_, [&](const auto& one) { return in_it(one.first); });
    for (const auto& [name, node] : now_) {
      if (!in_it(name)) continue;
      on_disk_[name] = node;
      if (const auto old = moved_.find(name); old != moved_.end()) {
        if (!now_.contains(old->second)) on_disk_.erase(old->second);
        moved_.erase(old);
      }
    }
    for (const auto& folder : folders_now_) {
      if (in_it(folder)) folders_on_disk_.insert(folder);
    }
  }
  end();
  return result;
}

}  // namespace vantro::fakes
