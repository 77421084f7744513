#include "jobs/route.h"

#include <algorithm>
#include <fmt/format.h>
#include <numeric>
#include <optional>
#include <set>

#include "text/version.h"

namespace vantro::jobs {
namespace {

// A version in the graph.
struct Node {
  std::string key;
  std::string version;
  const Held* held = nullptr;  // null: the catalogue has no image of it
  bool named = false;          // through a rule, as the one between
};

// Places in the nodes' order, from `first` up to before `behind`.
struct Stretch {
  std::size_t first = 0, behind = 0;
  bool empty() const { return first >= behind; }
  bool has(std::size_t place) const { return place >= first && place < behind; }
};

// No step leads from one range to the other.
struct Forbidden {
  Stretch from, to;
  const Rule* rule = nullptr;
};

// The nodes of one role in the order of their versions, and the forbidden steps between
// them.
class Map {
 public:
  Map(std::vector<Node> nodes, const std::vector<const Rule*>& rules, bool by_recovery)
      : nodes_(std::move(nodes)) {
    std::stable_sort(nodes_.begin(), nodes_.end(),
                     [](const Node& a, const Node& b) { return a.key < b.key; });
    for (const auto* rule : rules) {
      if (rule->kind == RuleKind::kRecoveryOnly && by_recovery) continue;
      add(*rule);
    }
    std::erase_if(forbidden_,
                  [](const auto& one) { return one.from.empty() || one.to.empty(); });
    std::stable_sort(
        forbidden_.begin(), forbidden_.end(),
        [](const auto& a, const auto& b) { return a.to.first < b.to.first; });
    find_classes();
  }

  const std::vector<Node>& nodes() const { return nodes_; }
  std::size_t place_of(const std::string& key) const {
    const auto at =
        std::lower_bound(nodes_.begin(), nodes_.end(), key,
                         [](const Node& one, const auto& k) { return one.key < k; });
    return static_cast<std::size_t>(at - nodes_.begin());
  }

  // The rule that forbids the direct step; null: none.
  const Rule* forbids(std::size_t from, std::size_t to) const {
    for (const auto& one : forbidden_) {
      if (one.from.has(from) && one.to.has(to)) return one.rule;
    }
    return nullptr;
  }

  // Places in their order, the first step's first; empty: there is no route. Only over
  // places in `within`.
  std::vector<std::size_t> shortest(std::size_t from, std::size_t to,
                                    const Stretch& within) const {
    constexpr auto kNone = static_cast<std::size_t>(-1);
    std::vector<std::size_t> before(nodes_.size(), kNone);
    // The next unreached place from each on.
    std::vector<std::size_t> next(nodes_.size() + 1);
    std::iota(next.begin(), next.end(), std::size_t{0});
    const auto unreached = [&](std::size_t place) {
      while (next[place] != place) place = next[place] = next[next[place]];
      return place;
    };
    next[from] = from + 1;
    std::vector<bool> class_seen(classes_, false);
    std::vector<std::size_t> frontier{from};
    while (!frontier.empty()) {
      std::vector<std::size_t> reached;
      for (const auto at : frontier) {
        // Places between the same rules reach the same places.
        if (class_seen[class_of_[at]]) continue;
        class_seen[class_of_[at]] = true;
        const auto take = [&](std::size_t first, std::size_t behind) {
          for (auto p = unreached(first); p < behind; p = unreached(p)) {
            before[p] = at;
            next[p] = p + 1;
            reached.push_back(p);
          }
        };
        auto open = within.first;
        for (const auto& one : forbidden_) {
          if (!one.from.has(at)) continue;
          if (one.to.first > open) take(open, std::min(one.to.first, within.behind));
          open = std::max(open, one.to.behind);
          if (open >= within.behind) break;
        }
        if (open < within.behind) take(open, within.behind);
        if (before[to] != kNone) break;
      }
      if (before[to] != kNone) break;
      // First those that rules name, then the newest.
      std::sort(reached.begin(), reached.end(), [&](auto a, auto b) {
        if (nodes_[a].named != nodes_[b].named) return nodes_[a].named;
        return a > b;
      });
      frontier = std::move(reached);
    }
    std::vector<std::size_t> way;
    if (before[to] == kNone) return way;
    for (auto at = to; at != from; at = before[at]) way.push_back(at);
    std::reverse(way.begin(), way.end());
    return way;
  }

 private:
  Stretch stretch(const text::VersionRange& range) const {
    return {place_of(range.from()),
            range.behind() ? place_of(*range.behind()) : nodes_.size()};
  }

  void forbid(const Rule& rule, Stretch from, Stretch to) {
    forbidden_.push_back({from, to, &rule});
  }

  void add(const Rule& rule) {
    const auto from = stretch(rule.from);
    const auto to = stretch(rule.to);
    const auto outside = [&](const Stretch& inside) {
      forbid(rule, {0, inside.first}, to);
      forbid(rule, {std::max(inside.first, inside.behind), nodes_.size()}, to);
    };
    switch (rule.kind) {
      case RuleKind::kNeedsFirst:
        return;  // it forbids no step, but adds something
      case RuleKind::kNeedsVersion:
        return outside(stretch(rule.needs));
      case RuleKind::kRecoveryOnly:
        return outside(to);
      case RuleKind::kNever:
        return forbid(rule, from, to);
      case RuleKind::kThrough: {
        // Neither from the version between, nor to it, if it exists.
        const auto key = text::Version(rule.between()).sort_key();
        const auto place = place_of(key);
        const bool there = place < nodes_.size() && nodes_[place].key == key;
        const auto between = there ? place : nodes_.size();
        const auto parts = [&](const Stretch& whole) {
          return std::vector<Stretch>{{whole.first, std::min(whole.behind, between)},
                                      {std::max(whole.first, between + 1), whole.behind}};
        };
        for (const auto& a : parts(from)) {
          for (const auto& b : parts(to)) forbid(rule, a, b);
        }
        return;
      }
    }
  }

  void find_classes() {
    std::vector<bool> begins(nodes_.size() + 1, false);
    for (const auto& one : forbidden_) {
      begins[one.from.first] = true;
      begins[one.from.behind] = true;
    }
    class_of_.resize(nodes_.size());
    std::size_t number = 0;
    for (std::size_t i = 0; i < nodes_.size(); ++i) {
      if (i > 0 && begins[i]) ++number;
      class_of_[i] = number;
    }
    classes_ = number + 1;
  }

  std::vector<Node> nodes_;
  std::vector<Forbidden> forbidden_;  // by the beginning of `to`
  std::vector<std::size_t> class_of_;
  std::size_t classes_ = 0;
};

// Empty: it has no number, so it cannot be compared.
std::string key_of(const std::string& version) {
  const text::Version read(version);
  const auto& fields = read.fields();
  const bool any = std::any_of(fields.begin(), fields.end(), [](const auto& one) {
    return one.kind == text::Version::Field::Kind::kNumber;
  });
  return any ? read.sort_key() : std::string();
}

class Search {
 public:
  Search(const RouteAsked& asked, const std::vector<Held>& held,
         const std::vector<Rule>& rules)
      : asked_(asked), held_(held), rules_(rules) {}

  Route find() {
    Route route;
    route.any_rules = std::any_of(rules_.begin(), rules_.end(), [&](const Rule& one) {
      return one.role == asked_.role;
    });
    const auto from = key_of(asked_.from);
    const auto to = key_of(asked_.to);
    if (to.empty()) {
      route.sentence = asked_.to.empty()
                           ? "the wanted version is unknown; set it with 'vantro image "
                             "change IMAGE --version V'"
                           : fmt::format(
                                 "'{}' cannot be compared with other versions, "
                                 "so the route is unknown",
                                 asked_.to);
      return route;
    }
    if (from.empty()) {
      route.sentence =
          asked_.from.empty()
              ? fmt::format("the running {} version is unknown, so the route is unknown",
                            asked_.role)
              : fmt::format(
                    "the running version '{}' cannot be compared with other "
                    "versions, so the route is unknown",
                    asked_.from);
      return route;
    }
    if (from == to) {
      route.result = RouteResult::kThere;
      route.sentence = fmt::format("{} {} runs already", asked_.role, asked_.to);
      return route;
    }
    // First over the catalogue's versions, then also over those that rules name.
    for (const bool with_missing : {false, true}) {
      const auto map = make_map(asked_.role, with_missing);
      const auto a = map.place_of(from);
      const auto b = map.place_of(to);
      auto way = map.shortest(a, b, {std::min(a, b), std::max(a, b) + 1});
      if (way.empty()) way = map.shortest(a, b, {0, map.nodes().size()});
      if (way.empty()) {
        if (with_missing) forbidden(route, map, a, b);
        continue;
      }
      found(route, map, a, way);
      return route;
    }
    return route;
  }

 private:
  std::vector<const Rule*> rules_of(const std::string& role) const {
    std::vector<const Rule*> result;
    for (const auto& one : rules_) {
      if (one.role == role) result.push_back(&one);
    }
    return result;
  }

  Map make_map(const std::string& role, bool with_missing) const {
    std::map<std::string, Node> nodes;
    for (const auto& one : held_) {
      if (one.role != role) continue;
      auto key = key_of(one.version);
      if (key.empty()) continue;
      auto& node = nodes[key];
      const bool wanted = one.sha256 == asked_.to_sha256 && !one.sha256.empty();
      if (node.held != nullptr && !wanted) continue;
      node = {key, one.version, &one, false};
    }
    const auto also = [&](const std::string& version, bool named) {
      auto key = key_of(version);
      if (key.empty()) return;
      const auto [at, is_new] =
          nodes.try_emplace(key, Node{key, version, nullptr, false});
      if (named) at->second.named = true;
    };
    if (role == asked_.role) {
      also(asked_.from, false);
      also(asked_.to, false);
    }
    for (const auto* rule : rules_of(role)) {
      const bool through = rule->kind == RuleKind::kThrough;
      if (through && (with_missing || nodes.contains(key_of(rule->between())))) {
        also(rule->between(), true);
      }
      if (rule->kind == RuleKind::kNeedsVersion && with_missing) {
        // The lowest one that satisfies the rule.
        const auto& text = rule->needs.text();
        const auto at = text.find_first_not_of("<>= ");
        if (at == std::string::npos || text.find('<') != std::string::npos) continue;
        also(text.substr(at, text.find(' ', at) - at), true);
      }
    }
    std::vector<Node> list;
    for (auto& [key, node] : nodes) list.push_back(std::move(node));
    return {std::move(list), rules_of(role), asked_.by_recovery};
  }

  void forbidden(Route& route, const Map& map, std::size_t a, std::size_t b) const {
    route.result = RouteResult::kForbidden;
    const auto* rule = map.forbids(a, b);
    route.sentence =
        fmt::format("no permitted route from {} to {}: {}", asked_.from, asked_.to,
                    rule == nullptr ? "rules leave none" : sentence(*rule));
  }

  void found(Route& route, const Map& map, std::size_t a,
             const std::vector<std::size_t>& way) {
    std::vector<std::string> missing;
    auto before = a;
    for (std::size_t i = 0; i < way.size(); ++i) {
      const auto& node = map.nodes()[way[i]];
      Step step{asked_.role, node.version, "", "", {}, {}, {}};
      if (node.held != nullptr) {
        step.image = node.held->name;
        step.sha256 = node.held->sha256;
      } else {
        missing.push_back(asked_.role + " " + node.version);
      }
      if (i + 1 < way.size()) {
        if (const auto* rule = map.forbids(before, way[i + 1])) {
          step.demanded_by.push_back(sentence(*rule));
        }
      }
      add_companions(route, step, node, missing);
      if (route.result == RouteResult::kForbidden) return;
      route.steps.push_back(std::move(step));
      before = way[i];
    }
    route.result = missing.empty() ? RouteResult::kFound : RouteResult::kMissing;
    const auto steps = way.size() == 1 ? std::string("directly")
                                       : fmt::format("in {} steps", way.size());
    route.sentence = fmt::format("from {} to {} {}", asked_.from, asked_.to, steps);
    if (!missing.empty()) {
      route.sentence +=
          fmt::format("; not in the catalogue: {}", fmt::join(missing, ", "));
    } else if (!route.any_rules) {
      route.sentence +=
          fmt::format("; {} {} has no rules, so nothing is known to forbid it",
                      asked_.platform, asked_.role);
    }
  }

  // What rules require first, and the other parts of the image's kits.
  void add_companions(Route& route, Step& step, const Node& node,
                      std::vector<std::string>& missing) {
    std::set<std::string> roles{step.role};
    demand(route, step, step.role, node.key, roles, missing);
    if (route.result == RouteResult::kForbidden || node.held == nullptr) return;
    const auto there = [&](const Held::Part& part) {
      const auto same = [&](const Companion& one) { return one.sha256 == part.sha256; };
      return std::any_of(step.before.begin(), step.before.end(), same) ||
             std::any_of(step.behind.begin(), step.behind.end(), same) ||
             running(part.role) == part.version;
    };
    for (const auto& [parts, into] : {std::pair(&node.held->before, &step.before),
                                      {&node.held->behind, &step.behind}}) {
      for (const auto& part : *parts) {
        if (there(part)) continue;
        into->push_back({part.role, part.version, part.name, part.sha256,
                         fmt::format("kit '{}'", part.kit)});
        if (!part.version.empty()) installed_[part.role] = part.version;
      }
    }
  }

  std::string running(const std::string& role) const {
    if (const auto now = installed_.find(role); now != installed_.end()) {
      return now->second;
    }
    const auto known = asked_.others.find(role);
    return known == asked_.others.end() ? std::string() : known->second;
  }

  void demand(Route& route, Step& step, const std::string& role, const std::string& key,
              std::set<std::string>& roles, std::vector<std::string>& missing) {
    for (const auto& rule : rules_) {
      if (rule.kind != RuleKind::kNeedsFirst || rule.role != role) continue;
      if (!rule.to.contains(key)) continue;
      const auto runs = key_of(running(rule.needs_role));
      if (!runs.empty() && rule.needs.contains(runs)) continue;
      if (!roles.insert(rule.needs_role).second) {
        route.result = RouteResult::kForbidden;
        route.steps.clear();
        route.sentence = "the rules demand each other first: " + sentence(rule);
        return;
      }
      const auto* best = newest(rule);
      if (best == nullptr) {
        auto name = fmt::format("{} {}", rule.needs_role, rule.needs.text());
        // Later steps have the same requirement.
        if (std::find(missing.begin(), missing.end(), name) == missing.end()) {
          missing.push_back(std::move(name));
        }
        step.before.push_back(
            {rule.needs_role, rule.needs.text(), "", "", sentence(rule)});
      } else {
        // Requirements of a requirement come before it.
        demand(route, step, rule.needs_role, key_of(best->version), roles, missing);
        if (route.result == RouteResult::kForbidden) return;
        step.before.push_back(
            {rule.needs_role, best->version, best->name, best->sha256, sentence(rule)});
        installed_[rule.needs_role] = best->version;
      }
      roles.erase(rule.needs_role);
    }
  }

  const Held* newest(const Rule& rule) const {
    const Held* best = nullptr;
    std::string best_key;
    for (const auto& one : held_) {
      if (one.role != rule.needs_role) continue;
      auto key = key_of(one.version);
      if (key.empty() || !rule.needs.contains(key) || key <= best_key) continue;
      best = &one;
      best_key = std::move(key);
    }
    return best;
  }

  const RouteAsked& asked_;
  const std::vector<Held>& held_;
  const std::vector<Rule>& rules_;
  std::map<std::string, std::string> installed_;  // after the steps so far
};

}  // namespace

const char* word(RouteResult result) {
  switch (result) {
    case RouteResult::kFound:
      return "found";
    case RouteResult::kThere:
      return "there";
    case RouteResult::kMissing:
      return "missing";
    case RouteResult::kForbidden:
      return "forbidden";
    case RouteResult::kUnknown:
      return "unknown";
  }
  return "";
}

Route find_route(const RouteAsked& asked, const std::vector<Held>& held,
                 const std::vector<Rule>& rules) {
  return Search(asked, held, rules).find();
}

}  // namespace vantro::jobs
