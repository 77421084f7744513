// The rules for routes in people's tables.
#pragma once

#include <string>
#include <vector>

#include "base/outcome.h"
#include "desk/caller.h"
#include "jobs/rule.h"
#include "repository/repository.h"

namespace vantro::desk {

// What an import did, or would do: sentences about rules.
struct RulesImported {
  std::vector<std::string> platforms;
  std::vector<std::string> added, removed;
  std::size_t unchanged = 0;
};

// Thread-safe; the repository must outlive it.
class RouteRules {
 public:
  RouteRules(repository::Repository& repository, Caller caller)
      : repository_(repository), caller_(std::move(caller)) {}

  // Replaces all rules of the platforms in the table. `really` false: nothing is changed.
  base::Outcome<RulesImported> import(const std::vector<jobs::Rule>& rules, bool really);
  // kNotFound: there are none.
  base::Outcome<std::size_t> remove(const std::string& platform);

 private:
  repository::Repository& repository_;
  Caller caller_;
};

}  // namespace vantro::desk
