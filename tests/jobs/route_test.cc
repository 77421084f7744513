#include "jobs/route.h"

#include <fmt/format.h>
#include <gtest/gtest.h>
#include <random>

#include "text/version.h"

namespace vantro::jobs {
namespace {

std::vector<Rule> rules(const std::string& rows) {
  auto parsed = parse_rules("platform,rule,role,from,to,needs\n" + rows);
  EXPECT_TRUE(parsed) << parsed.error().sentence;
  return parsed ? *parsed : std::vector<Rule>();
}

std::vector<Held> systems(const std::vector<std::string>& versions) {
  std::vector<Held> held;
  for (const auto& one : versions) {
    held.push_back({"c-system-" + one, "sha-" + one, "system", one, {}, {}});
  }
  return held;
}

std::string shown(const Route& route) {
  std::string text = word(route.result);
  for (const auto& step : route.steps) {
    text += " |";
    for (const auto& one : step.before) {
      text += fmt::format(" [{} {}{}]", one.role, one.version,
                          one.image.empty() ? " missing" : "");
    }
    text += fmt::format(" {}{}", step.version, step.image.empty() ? " missing" : "");
    for (const auto& one : step.behind)
      text += fmt::format(" [{} {}]", one.role, one.version);
  }
  return text;
}

RouteAsked asked(const std::string& from, const std::string& to) {
  RouteAsked one;
  one.platform = "c";
  one.from = from;
  one.to = to;
  return one;
}

std::string way(const std::string& from, const std::string& to,
                const std::vector<std::string>& held, const std::string& table) {
  return shown(find_route(asked(from, to), systems(held), rules(table)));
}

TEST(VersionRoute, IsDirectWhereNothingForbidsIt) {
  EXPECT_EQ(way("7.2", "7.6", {"7.4", "7.6"}, ""), "found | 7.6");
  const auto route = find_route(asked("7.2", "7.6"), systems({"7.6"}), {});
  EXPECT_FALSE(route.any_rules);
  EXPECT_NE(route.sentence.find("has no rules"), std::string::npos);
}

TEST(VersionRoute, PassesThroughWhatARuleDemands) {
  const std::string needs = "c,needs-version,,,>=7.6,>=7.4\n";
  EXPECT_EQ(way("7.2", "7.6.1", {"7.3", "7.4.2", "7.5", "7.6.1"}, needs),
            "found | 7.5 | 7.6.1");
  EXPECT_EQ(way("7.4.2", "7.6.1", {"7.4.2", "7.6.1"}, needs), "found | 7.6.1");
  EXPECT_EQ(way("7.2", "7.6.1", {"7.3", "7.4.5", "7.5", "7.6.1"},
                "c,through,,<7.4,>=7.6,7.4.5\n"),
            "found | 7.4.5 | 7.6.1");
  const auto route =
      find_route(asked("7.2", "7.6"), systems({"7.4", "7.6"}), rules(needs));
  ASSERT_EQ(route.steps.size(), 2u);
  EXPECT_EQ(route.steps[0].demanded_by,
            std::vector<std::string>{"c: system >=7.6 needs a running system >=7.4"});
  EXPECT_TRUE(route.steps[1].demanded_by.empty());
}

TEST(VersionRoute, NamesTheVersionThatTheCatalogueDoesNotHave) {
  EXPECT_EQ(way("7.2", "7.6", {"7.6"}, "c,through,,<7.4,>=7.6,7.4.5\n"),
            "missing | 7.4.5 missing | 7.6");
  EXPECT_EQ(way("7.2", "7.6", {"7.6"}, "c,needs-version,,,>=7.6,>=7.4\n"),
            "missing | 7.4 missing | 7.6");
  EXPECT_EQ(way("7.2", "7.6", {"7.4"}, ""), "missing | 7.6 missing");
  const auto route = find_route(asked("7.2", "7.6"), systems({"7.6"}),
                                rules("c,through,,<7.4,>=7.6,7.4.5\n"));
  EXPECT_NE(route.sentence.find("not in the catalogue: system 7.4.5"), std::string::npos);
}

TEST(VersionRoute, NamesTheRuleThatForbids) {
  const auto route = find_route(asked("7.6", "6.9"), systems({"6.9", "7.0", "7.6"}),
                                rules("c,recovery-only,,,<7.0,\n"));
  EXPECT_EQ(shown(route), "forbidden");
  EXPECT_EQ(route.sentence,
            "no permitted route from 7.6 to 6.9: c: system <7.0 is installed by recovery "
            "only");
  auto by_recovery = asked("7.6", "6.9");
  by_recovery.by_recovery = true;
  EXPECT_EQ(shown(find_route(by_recovery, systems({"6.9", "7.6"}),
                             rules("c,recovery-only,,,<7.0,\n"))),
            "found | 6.9");
  // Never directly, but another way round.
  EXPECT_EQ(way("7.3", "7.5.1", {"7.3", "7.4", "7.5.1"}, "c,never,,7.3,7.5.1,\n"),
            "found | 7.4 | 7.5.1");
  EXPECT_EQ(way("7.3", "7.5.1", {"7.3", "7.5.1"}, "c,never,,7.3,7.5.1,\n"), "forbidden");
}

TEST(VersionRoute, IsUnknownWhereAVersionIs) {
  EXPECT_EQ(way("", "7.6", {"7.6"}, ""), "unknown");
  EXPECT_EQ(way("***", "7.6", {"7.6"}, ""), "unknown");
  EXPECT_EQ(way("7.2", "", {"7.6"}, ""), "unknown");
  EXPECT_EQ(way("7.6.0", "7.6", {"7.6"}, ""), "there");
}

TEST(VersionRoute, TakesCompanionsFirstUnlessTheyRun) {
  auto held = systems({"7.6"});
  held.push_back({"c-boot-2.0", "b20", "boot", "2.0", {}, {}});
  held.push_back({"c-boot-2.2", "b22", "boot", "2.2", {}, {}});
  const auto table = rules("c,needs-first,,,>=7.6,boot >=2.1\n");
  EXPECT_EQ(shown(find_route(asked("7.2", "7.6"), held, table)),
            "found | [boot 2.2] 7.6");
  auto one = asked("7.2", "7.6");
  one.others["boot"] = "2.1";
  EXPECT_EQ(shown(find_route(one, held, table)), "found | 7.6");
  EXPECT_EQ(shown(find_route(asked("7.2", "7.6"), systems({"7.6"}), table)),
            "missing | [boot >=2.1 missing] 7.6");
}

TEST(VersionRoute, TakesAKitsPartsInTheirOrder) {
  auto held = systems({"7.6"});
  held[0].before = {{"c-boot-2.1", "b21", "boot", "2.1", "kit one"}};
  held[0].behind = {{"c-mod-3", "m3", "module", "3", "kit one"}};
  EXPECT_EQ(shown(find_route(asked("7.2", "7.6"), held, {})),
            "found | [boot 2.1] 7.6 [module 3]");
  auto runs = asked("7.2", "7.6");
  runs.others["boot"] = "2.1";
  EXPECT_EQ(shown(find_route(runs, held, {})), "found | 7.6 [module 3]");
}

// Against a search that tries everything, over all rules of small stretches.
TEST(VersionRoute, IsAsShortAsTheShortestThatAnySearchFinds) {
  std::mt19937 random(20261128);
  for (int round = 0; round < 400; ++round) {
    std::vector<std::string> versions;
    for (int i = 0; i < 7; ++i) versions.push_back(fmt::format("1.{}", i));
    std::string table;
    const auto pick = [&] { return versions[random() % versions.size()]; };
    for (int i = 0; i < 4; ++i) {
      switch (random() % 4) {
        case 0:
          table += fmt::format("c,needs-version,,,>={},>={}\n", pick(), pick());
          break;
        case 1:
          table += fmt::format("c,never,,<={},>={},\n", pick(), pick());
          break;
        case 2:
          table += fmt::format("c,through,,<{},>={},{}\n", versions[1 + random() % 6],
                               pick(), pick());
          break;
        default:
          table += fmt::format("c,recovery-only,,,<={},\n", pick());
      }
    }
    const auto made = rules(table);
    const auto key = [](const std::string& v) { return text::Version(v).sort_key(); };
    const auto permitted = [&](const std::string& a, const std::string& b) {
      for (const auto& one : made) {
        const bool in = one.to.contains(key(b));
        const bool from = one.from.contains(key(a));
        const bool needed = one.needs.contains(key(a));
        if (one.kind == RuleKind::kNeedsVersion && in && !needed) return false;
        if (one.kind == RuleKind::kNever && in && from) return false;
        if (one.kind == RuleKind::kRecoveryOnly && in && !one.to.contains(key(a))) {
          return false;
        }
        if (one.kind == RuleKind::kThrough && in && from && a != one.between() &&
            b != one.between()) {
          return false;
        }
      }
      return true;
    };
    for (const auto& from : versions) {
      for (const auto& to : versions) {
        if (from == to) continue;
        // Breadth first, over the versions between first, then over all.
        std::size_t best = 0;
        for (const bool between : {true, false}) {
          std::vector<std::string> frontier{from}, seen{from};
          for (std::size_t steps = 1; best == 0 && !frontier.empty(); ++steps) {
            std::vector<std::string> next;
            for (const auto& at : frontier) {
              for (const auto& one : versions) {
                if (between && (key(one) < std::min(key(from), key(to)) ||
                                key(one) > std::max(key(from), key(to)))) {
                  continue;
                }
                if (std::find(seen.begin(), seen.end(), one) != seen.end()) continue;
                if (!permitted(at, one)) continue;
                if (one == to) best = steps;
                seen.push_back(one);
                next.push_back(one);
              }
            }
            frontier = next;
          }
        }
        const auto route = find_route(asked(from, to), systems(versions), made);
        ASSERT_EQ(route.result, best == 0 ? RouteResult::kForbidden : RouteResult::kFound)
            << from << " to " << to << "\n"
            << table << route.sentence;
        if (best == 0) continue;
        ASSERT_EQ(route.steps.size(), best) << from << " to " << to << "\n" << table;
        auto at = from;
        for (const auto& step : route.steps) {
          ASSERT_TRUE(permitted(at, step.version)) << at << " " << step.version << table;
          at = step.version;
        }
        ASSERT_EQ(at, to);
      }
    }
  }
}

}  // namespace
}  // namespace vantro::jobs
