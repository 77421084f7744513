// People who are known by their login on this machine: at the other end of the local
// socket, or vouched for by PAM; and their rights from the settings.
#pragma once

#include <map>
#include <string>
#include <utility>
#include <vector>

#include "auth/person.h"
#include "base/clock.h"
#include "base/mutex.h"
#include "base/outcome.h"

namespace vantro::manage {

// A group of this machine, and its members' rights.
struct KnownGroup {
  std::string name;
  auth::Powers powers;
};

// Thread-safe. The clock must outlive it.
class KnownHere {
 public:
  // A look-up of a user may take time: in a directory service, say.
  static constexpr base::Duration kRemembered = std::chrono::seconds(60);

  KnownHere(std::vector<KnownGroup> groups, const base::Clock& clock)
      : groups_(std::move(groups)), clock_(clock) {}

  struct Login {
    std::string name;
    auth::Powers powers;
  };
  // Root and vantrod's own user have all rights; a member of several groups has those of
  // the first of them in the settings. kDenied: in none of the groups. It may wait.
  base::Outcome<Login> by_user(unsigned uid);
  // By groups alone, for a login name with a right password: nobody is root from
  // elsewhere.
  base::Outcome<Login> by_name(const std::string& name);

 private:
  // `by_socket`: the system proves it, and root and the own user count as such.
  base::Outcome<Login> find(unsigned uid, bool by_socket) const;
  std::string groups_text() const;

  const std::vector<KnownGroup> groups_;
  const base::Clock& clock_;
  base::Mutex mutex_;
  std::map<unsigned, std::pair<base::Instant, Login>> found_ VANTRO_GUARDED_BY(mutex_);
};

}  // namespace vantro::manage
