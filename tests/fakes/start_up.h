// What the daemon does after it has opened a repository, on the calling thread.
#pragma once

#include <string>
#include <vector>

#include "upkeep/recovery.h"
#include "upkeep/vault_comparison.h"

namespace vantro::fakes {

struct StartUp {
  std::size_t removed = 0, set_aside = 0;
  std::size_t unrecorded = 0;  // in partial/ and in the vault
  std::vector<std::string> missing, damaged;
  bool clean() const {
    return removed == 0 && set_aside == 0 && unrecorded == 0 && missing.empty() &&
           damaged.empty();
  }
};

inline base::Outcome<StartUp> start_up(repository::Repository& repository,
                                       base::WallTime now, const base::Log& log) {
  const auto cleared = upkeep::clear_up(repository, now, log);
  if (!cleared) return base::refuse(cleared.error());
  auto found = upkeep::VaultComparison(repository, log).run();
  if (!found) return base::refuse(found.error());
  return StartUp{cleared->removed, cleared->set_aside,
                 cleared->unrecorded + found->unrecorded, std::move(found->missing),
                 std::move(found->damaged)};
}

}  // namespace vantro::fakes
