#include "manage/known_here.h"

#include <algorithm>
#include <fmt/format.h>
#include <grp.h>
#include <optional>
#include <pwd.h>
#include <unistd.h>

#include "base/visible_name.h"

namespace vantro::manage {
namespace {

using base::Kind;

// The limit for one entry of the system's tables, in bytes.
constexpr std::size_t kLargestEntry = 1 << 20;

struct User {
  std::string name;
  unsigned uid = 0;
  gid_t group = 0;
};

// `call(passwd*, buffer, size, result**)` is one of getpw*_r().
template <class Call>
std::optional<User> user(Call call) {
  for (std::size_t size = 4096; size <= kLargestEntry; size *= 4) {
    std::vector<char> buffer(size);
    passwd entry{};
    passwd* found = nullptr;
    const int error = call(&entry, buffer.data(), buffer.size(), &found);
    if (error == ERANGE) continue;
    if (found == nullptr) return std::nullopt;
    return User{found->pw_name, found->pw_uid, found->pw_gid};
  }
  return std::nullopt;
}

std::optional<gid_t> group_number(const std::string& name) {
  for (std::size_t size = 4096; size <= kLargestEntry; size *= 4) {
    std::vector<char> buffer(size);
    group entry{};
    group* found = nullptr;
    const int error =
        ::getgrnam_r(name.c_str(), &entry, buffer.data(), buffer.size(), &found);
    if (error == ERANGE) continue;
    return found == nullptr ? std::nullopt : std::optional(found->gr_gid);
  }
  return std::nullopt;
}

std::vector<gid_t> groups_of(const User& who) {
  std::vector<gid_t> groups(64);
  int count = static_cast<int>(groups.size());
  while (::getgrouplist(who.name.c_str(), who.group, groups.data(), &count) < 0) {
    if (static_cast<std::size_t>(count) <= groups.size()) break;
    groups.resize(static_cast<std::size_t>(count));
  }
  groups.resize(static_cast<std::size_t>(count));
  return groups;
}

}  // namespace

std::string KnownHere::groups_text() const {
  std::string text;
  for (const auto& one : groups_) {
    text += (text.empty() ? "'" : ", '") + one.name + "'";
  }
  return text.empty() ? "there are no groups in the settings (management.group)"
                      : "the groups that may are " + text;
}

base::Outcome<KnownHere::Login> KnownHere::find(unsigned uid, bool by_socket) const {
  const auto found = user([uid](auto... rest) { return ::getpwuid_r(uid, rest...); });
  Login login;
  login.name = found ? base::folded(found->name) : fmt::format("uid-{}", uid);
  if (by_socket && (uid == 0 || uid == ::geteuid())) {
    login.powers = {auth::Role::kAdminister, {auth::Right::kSecrets, auth::Right::kPush}};
    return login;
  }
  if (found) {
    const auto member_of = groups_of(*found);
    for (const auto& one : groups_) {
      const auto number = group_number(one.name);
      if (!number ||
          std::find(member_of.begin(), member_of.end(), *number) == member_of.end()) {
        continue;
      }
      login.powers = one.powers;
      return login;
    }
  }
  return base::refuse(
      Kind::kDenied,
      fmt::format("the user '{}' may not manage this server; {}. Join one, log in again, "
                  "or use sudo",
                  base::printable(login.name, 80), groups_text()));
}

base::Outcome<KnownHere::Login> KnownHere::by_user(unsigned uid) {
  const auto now = clock_.now();
  {
    const base::Lock lock(mutex_);
    std::erase_if(found_, [&](const auto& one) { return one.second.first <= now; });
    const auto known = found_.find(uid);
    if (known != found_.end()) return known->second.second;
  }
  auto login = find(uid, true);
  if (!login) return login;
  const base::Lock lock(mutex_);
  found_[uid] = {now + kRemembered, *login};
  return login;
}

base::Outcome<KnownHere::Login> KnownHere::by_name(const std::string& name) {
  const auto found =
      user([&](auto... rest) { return ::getpwnam_r(name.c_str(), rest...); });
  if (!found) {
    return base::refuse(Kind::kDenied,
                        fmt::format("this machine does not know the user '{}'; {}",
                                    base::printable(name, 80), groups_text()));
  }
  return find(found->uid, false);
}

}  // namespace vantro::manage
