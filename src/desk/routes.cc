#include "desk/routes.h"

#include <algorithm>
#include <fmt/format.h>
#include <map>

#include "base/visible_name.h"
#include "jobs/jobs.h"
#include "repository/change.h"

namespace vantro::desk {

using base::Kind;
using repository::Change;

base::Outcome<RulesImported> RouteRules::import(const std::vector<jobs::Rule>& rules,
                                                bool really) {
  if (rules.empty()) {
    return base::refuse(Kind::kInvalid,
                        "the table has no rules; 'vantro route remove PLATFORM' removes "
                        "those of a platform");
  }
  RulesImported result;
  std::map<std::string, std::string> platforms;  // folded, as spelled
  for (const auto& one : rules) {
    platforms.emplace(base::folded(one.platform), one.platform);
  }
  for (const auto& [folded, platform] : platforms) result.platforms.push_back(platform);
  auto work = [&](db::Transaction& t, Change& change) -> base::Outcome<void> {
    std::vector<std::string> before;
    for (const auto& platform : result.platforms) {
      for (const auto& one : jobs::Jobs::rules(t, platform)) {
        before.push_back(jobs::sentence(one));
      }
    }
    std::vector<std::string> after;
    for (const auto& one : rules) after.push_back(jobs::sentence(one));
    std::sort(before.begin(), before.end());
    std::sort(after.begin(), after.end());
    result.added.clear();
    result.removed.clear();
    std::set_difference(after.begin(), after.end(), before.begin(), before.end(),
                        std::back_inserter(result.added));
    std::set_difference(before.begin(), before.end(), after.begin(), after.end(),
                        std::back_inserter(result.removed));
    result.unchanged = after.size() - result.added.size();
    if (!really) return {};
    jobs::Jobs::set_rules(t, rules);
    change.record(t, "route-rules", fmt::format("{}", fmt::join(result.platforms, ", ")),
                  "",
                  fmt::format("{} added, {} removed, {} unchanged", result.added.size(),
                              result.removed.size(), result.unchanged));
    return {};
  };
  if (!really) {
    auto looked = repository_.database->read([&](db::Transaction& t) {
      Change none(repository_, caller_.by());
      return work(t, none);
    });
    if (!looked) return base::refuse(looked.error());
    return result;
  }
  auto done = repository::change(repository_, caller_.by(), work);
  if (!done) return base::refuse(done.error());
  return result;
}

base::Outcome<std::size_t> RouteRules::remove(const std::string& platform) {
  return repository::change(
      repository_, caller_.by(),
      [&](db::Transaction& t, Change& change) -> base::Outcome<std::size_t> {
        const auto rules = jobs::Jobs::rules(t, platform);
        if (platform.empty() || rules.empty()) {
          return base::refuse(
              Kind::kNotFound,
              fmt::format("platform '{}' has no rules", base::printable(platform, 60)));
        }
        jobs::Jobs::remove_rules(t, platform);
        change.record(t, "route-rules", platform, "",
                      fmt::format("{} removed", rules.size()));
        return rules.size();
      });
}

}  // namespace vantro::desk
