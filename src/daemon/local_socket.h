// The local socket (unix(7)) through which people of this machine manage the server.
#pragma once

#include <string>
#include <vector>

#include "base/outcome.h"
#include "base/unique_fd.h"

namespace vantro::daemon {

// Listens, does not block, and is removed with this.
class LocalSocket {
 public:
  // `group`: who may connect beside root and the owner, by name; empty: nobody. Refused
  // with a sentence: the path is too long, another file is there or another server
  // listens on it, others could replace it, the group is unknown or not this user's.
  static base::Outcome<LocalSocket> open(const std::string& path,
                                         const std::string& group);

  LocalSocket(LocalSocket&& other) noexcept = default;
  LocalSocket& operator=(LocalSocket&&) = delete;
  ~LocalSocket();

  const std::string& path() const { return path_; }
  // For the acceptor. Once.
  base::UniqueFd take() { return std::move(socket_); }

 private:
  LocalSocket(std::string path, base::UniqueFd socket, unsigned long inode)
      : path_(std::move(path)), socket_(std::move(socket)), inode_(inode) {}

  std::string path_;
  base::UniqueFd socket_;
  unsigned long inode_ = 0;
};

// The default place: where 'vantro' looks for it by itself, made if this user may, and at
// last the state folder.
std::vector<std::string> usual_socket_paths(const std::string& state);

}  // namespace vantro::daemon
