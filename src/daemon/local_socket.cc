#include "daemon/local_socket.h"

#include <cerrno>
#include <cstdlib>
#include <cstring>
#include <fcntl.h>
#include <filesystem>
#include <fmt/format.h>
#include <grp.h>
#include <sys/socket.h>
#include <sys/stat.h>
#include <sys/un.h>
#include <unistd.h>

namespace vantro::daemon {
namespace {

using base::Kind;

constexpr int kBacklog = 64;

tl::unexpected<base::Refusal> bad(std::string why) {
  return base::refuse(Kind::kInvalid, std::move(why));
}

// Whoever may write to its folder could replace the socket, and answer as this server.
base::Outcome<void> safe_folder(const std::string& path) {
  const auto own = ::geteuid();
  bool direct = true;
  for (auto folder = std::filesystem::path(path).parent_path();;
       folder = folder.parent_path()) {
    struct stat info {};
    if (::stat(folder.c_str(), &info) != 0) {
      return bad(
          fmt::format("{}: {}; make the folder, or name another socket with "
                      "management.socket",
                      folder.string(), std::strerror(errno)));
    }
    const bool sticky = (info.st_mode & S_ISVTX) != 0;
    const bool others = (info.st_mode & (S_IWGRP | S_IWOTH)) != 0;
    if ((others && (direct || !sticky)) || (info.st_uid != 0 && info.st_uid != own)) {
      return bad(fmt::format(
          "others can write to {} and could replace the socket {}; choose a folder that "
          "only root and vantrod's user can write to",
          folder.string(), path));
    }
    direct = false;
    if (folder == folder.root_path()) return {};
  }
}

bool answers(const sockaddr_un& address) {
  const base::UniqueFd probe(::socket(AF_UNIX, SOCK_STREAM | SOCK_CLOEXEC, 0));
  return probe && ::connect(probe.get(), reinterpret_cast<const sockaddr*>(&address),
                            sizeof address) == 0;
}

// A socket that nobody answers on is left from a vantrod that was killed.
base::Outcome<void> make_way(const std::string& path, const sockaddr_un& address) {
  struct stat info {};
  if (::lstat(path.c_str(), &info) != 0) return {};
  if (!S_ISSOCK(info.st_mode)) {
    return bad(
        fmt::format("{} exists already and is not a socket; move it away, or "
                    "name another socket with management.socket",
                    path));
  }
  if (answers(address)) {
    return bad(
        fmt::format("another program listens on {}; stop it, or name another "
                    "socket with management.socket",
                    path));
  }
  if (::unlink(path.c_str()) != 0) {
    return bad(fmt::format("{}: the old socket can't be removed: {}", path,
                           std::strerror(errno)));
  }
  return {};
}

bool make_folder(const std::string& folder, mode_t mode) {
  if (::mkdir(folder.c_str(), mode) != 0) return errno == EEXIST;
  // Whatever the umask: those who may connect need this right.
  return ::chmod(folder.c_str(), mode) == 0;
}

}  // namespace

base::Outcome<LocalSocket> LocalSocket::open(const std::string& path,
                                             const std::string& group_name) {
  sockaddr_un address{};
  address.sun_family = AF_UNIX;
  if (path.size() >= sizeof address.sun_path) {
    return bad(
        fmt::format("the socket's path {} has {} bytes, limit {}; choose a shorter "
                    "one with management.socket",
                    path, path.size(), sizeof address.sun_path - 1));
  }
  std::memcpy(address.sun_path, path.data(), path.size());
  if (auto safe = safe_folder(path); !safe) return base::refuse(safe.error());
  if (auto free = make_way(path, address); !free) return base::refuse(free.error());
  base::UniqueFd socket(::socket(AF_UNIX, SOCK_STREAM | SOCK_NONBLOCK | SOCK_CLOEXEC, 0));
  if (!socket) return base::refuse(base::system_refusal(errno, path));
  // The umask leaves it to the owner; others get access once everything is in place.
  if (::bind(socket.get(), reinterpret_cast<const sockaddr*>(&address), sizeof address) !=
      0) {
    return base::refuse(base::system_refusal(errno, path));
  }
  struct stat info {};
  const auto failed = [&](std::string why) {
    ::unlink(path.c_str());
    return bad(std::move(why));
  };
  if (::stat(path.c_str(), &info) != 0) {
    return failed(fmt::format("{}: {}", path, std::strerror(errno)));
  }
  if (!group_name.empty()) {
    const auto* group = ::getgrnam(group_name.c_str());
    if (group == nullptr) {
      return failed(
          fmt::format("unknown group '{0}'; make it with 'groupadd {0}', or "
                      "change management.socket_group",
                      group_name));
    }
    if (::chown(path.c_str(), static_cast<uid_t>(-1), group->gr_gid) != 0) {
      return failed(
          fmt::format("{}: it can't be given to the group '{}': {}; vantrod's "
                      "user must be a member of it",
                      path, group_name, std::strerror(errno)));
    }
  }
  if (::chmod(path.c_str(), group_name.empty() ? 0600 : 0660) != 0 ||
      ::listen(socket.get(), kBacklog) != 0) {
    return failed(fmt::format("{}: {}", path, std::strerror(errno)));
  }
  return LocalSocket(path, std::move(socket), info.st_ino);
}

LocalSocket::~LocalSocket() {
  // Another server may have put its own there meanwhile.
  struct stat info {};
  if (path_.empty() || inode_ == 0 || ::lstat(path_.c_str(), &info) != 0) return;
  if (info.st_ino == inode_) ::unlink(path_.c_str());
}

std::vector<std::string> usual_socket_paths(const std::string& state) {
  constexpr const char* kName = "/management.sock";
  std::vector<std::string> paths;
  const std::string system = "/run/vantro";
  // As a service it finds the folder made for it.
  if ((::geteuid() == 0 && make_folder(system, 0755)) ||
      ::access(system.c_str(), W_OK) == 0) {
    paths.push_back(system + kName);
  }
  if (const char* own = std::getenv("XDG_RUNTIME_DIR"); own != nullptr && *own == '/') {
    const auto folder = std::string(own) + "/vantro";
    if (make_folder(folder, 0700)) paths.push_back(folder + kName);
  }
  paths.push_back(state + kName);
  return paths;
}

}  // namespace vantro::daemon
