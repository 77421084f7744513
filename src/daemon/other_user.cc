#include "daemon/other_user.h"

#include <cap-ng.h>
#include <cerrno>
#include <cstring>
#include <fmt/format.h>
#include <pwd.h>
#include <sys/prctl.h>
#include <sys/stat.h>
#include <unistd.h>

#include "base/visible_name.h"

namespace vantro::daemon {
namespace {

using base::Kind;

base::Outcome<void> give_folder(const std::string& state, const passwd& user) {
  struct stat there {};
  if (::stat(state.c_str(), &there) != 0) {
    if (errno != ENOENT) return base::refuse(base::system_refusal(errno, state));
    if (::mkdir(state.c_str(), 0700) != 0 ||
        ::chown(state.c_str(), user.pw_uid, user.pw_gid) != 0) {
      return base::refuse(base::system_refusal(errno, state));
    }
    return {};
  }
  if (there.st_uid == user.pw_uid) return {};
  return base::refuse(
      Kind::kDenied,
      fmt::format("the state folder {} belongs to another user; give it to '{}' with: "
                  "chown -R {}: {}",
                  state, user.pw_name, user.pw_name, state));
}

}  // namespace

base::Outcome<void> become(const std::string& name, const std::string& state,
                           bool rescues) {
  if (::geteuid() != 0) {
    return base::refuse(Kind::kDenied,
                        "only root can become another user; leave out --user, or start "
                        "vantrod as root");
  }
  errno = 0;
  const auto* user = ::getpwnam(name.c_str());
  if (user == nullptr) {
    return base::refuse(
        Kind::kNotFound,
        fmt::format("unknown user '{}'; make one with: useradd --system {}",
                    base::printable(name, 40), base::printable(name, 40)));
  }
  if (user->pw_uid == 0) {
    return base::refuse(Kind::kInvalid, "--user must not be root");
  }
  if (auto given = give_folder(state, *user); !given) return given;
  // Where 'vantro' looks for the local socket; a service has it already.
  if (::mkdir("/run/vantro", 0755) == 0 &&
      ::chown("/run/vantro", user->pw_uid, user->pw_gid) != 0) {
    return base::refuse(base::system_refusal(errno, "/run/vantro"));
  }
  ::capng_clear(CAPNG_SELECT_BOTH);
  constexpr auto kBoth = static_cast<capng_type_t>(CAPNG_EFFECTIVE | CAPNG_PERMITTED);
  ::capng_update(CAPNG_ADD, kBoth, CAP_NET_BIND_SERVICE);
  if (rescues) {
    ::capng_update(CAPNG_ADD, kBoth, CAP_NET_RAW);
    ::capng_update(CAPNG_ADD, kBoth, CAP_NET_ADMIN);
  }
  constexpr auto kHow =
      static_cast<capng_flags_t>(CAPNG_INIT_SUPP_GRP | CAPNG_CLEAR_BOUNDING);
  if (const int failed = ::capng_change_id(static_cast<int>(user->pw_uid),
                                           static_cast<int>(user->pw_gid), kHow);
      failed != 0) {
    return base::refuse(
        Kind::kIo, fmt::format("can't become the user '{}' (step {})", name, -failed));
  }
  ::prctl(PR_SET_NO_NEW_PRIVS, 1, 0, 0, 0);
  return {};
}

}  // namespace vantro::daemon
