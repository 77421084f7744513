// People who are known by their login on this machine: at the other end of the local
// socket, or vouched for by PAM; and what the settings let them do.
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

// A group of this machine, and what its members may.
struct KnownGroup {
  std::string name;
  auth::Powers powers;
};

// Thread-safe. The clock must outlive it.
class KnownHere {
 public:
  // Looking a user up may take its time: in a directory service, say.
  static constexpr base::Duration kRemembered = std::chrono::seconds(60);

  KnownHere(std::vector<KnownGroup> groups, const base::Clock& clock)
      : groups_(std::move(groups)), clock_(clock) {}

  struct Login {
    std::string name;
    auth::Powers powers;
  };
  // Root and the user that vantrod runs as may everything; members of several groups what
  // the first of them in the settings gives. kDenied: none of the groups. It may wait.
  base::Outcome<Login> by_user(unsigned uid);
  // By groups alone, for a login name whose password was right: nobody is root from
  // elsewhere.
  base::Outcome<Login> by_name(const std::string& name);

 private:
  // `by_socket`: it is proven by the system, and root and the own user count as such.
  base::Outcome<Login> find(unsigned uid, bool by_socket) const;
  std::string groups_text() const;

  const std::vector<KnownGroup> groups_;
  const base::Clock& clock_;
  base::Mutex mutex_;
  std::map<unsigned, std::pair<base::Instant, Login>> found_ VANTRO_GUARDED_BY(mutex_);
};

}  // namespace vantro::manage
