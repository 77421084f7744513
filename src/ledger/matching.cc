#include "ledger/matching.h"

#include <algorithm>
#include <fmt/format.h>
#include <utility>

#include "base/visible_name.h"
#include "db/like.h"

namespace vantro::ledger {
namespace {

// '*' in SQL's form.
std::string like(const std::string& pattern) {
  auto text = db::like(pattern);
  std::replace(text.begin(), text.end(), '*', '%');
  return text;
}

// A pattern with more names than these matches many rows. Then the newest rows, of any
// name, are read until enough of them match.
constexpr std::size_t kMostNames = 200;

// The names that a pattern matches, kMostNames + 1 at most.
std::vector<std::string> names_like(db::Transaction& t, const std::string& pattern) {
  std::vector<std::string> names;
  for (const auto& row :
       t.query("select folded from ledger_names where folded like :n escape '\\' limit "
               ":m",
               {like(pattern), static_cast<std::int64_t>(kMostNames + 1)})) {
    names.push_back(row.text(0));
  }
  return names;
}

std::string with(const std::string& where, const std::string& condition) {
  return where + (where.empty() ? "where " : "and ") + condition + " ";
}

// A condition for each value.
template <class Condition>
std::vector<Condition> each(const std::string& column, const std::string& parameter,
                            const std::vector<std::string>& values) {
  std::vector<Condition> conditions;
  for (const auto& value : values) {
    conditions.push_back(
        {fmt::format("{} = :{}{}", column, parameter, conditions.size()), value});
  }
  return conditions;
}

}  // namespace

Matching::Matching(const std::string& condition, std::vector<db::Value> values)
    : values_(std::move(values)) {
  if (!condition.empty()) and_literally(condition);
}

void Matching::and_literally(const std::string& condition) {
  where_ = with(where_, condition);
}

void Matching::and_that(const Condition& condition) {
  and_literally(condition.sql);
  values_.push_back(condition.value);
}

void Matching::and_one_of(std::vector<Condition> conditions) {
  if (conditions.size() == 1) return and_that(conditions.front());
  if (leads_) {
    one_of_ = std::move(conditions);
    return;
  }
  std::string any;
  for (auto& one : conditions) {
    any += (any.empty() ? "(" : " or ") + one.sql;
    values_.push_back(std::move(one.value));
  }
  and_literally(any + ")");
}

// Written so, no index is used for it.
std::string Matching::column(const std::string& name) const {
  return leads_ ? name : name + " || ''";
}

bool Matching::apply_name(db::Transaction& t, const std::string& name) {
  const auto folded = base::folded(name);
  std::vector<std::string> names{folded};
  if (folded.find('*') != std::string::npos) names = names_like(t, folded);
  if (names.empty()) return false;
  if (names.size() > kMostNames) {
    and_that({"lower(name) like :n escape '\\'", like(folded)});
  } else {
    and_one_of(each<Condition>(column("lower(name)"), "n", names));
    leads_ = false;
  }
  return true;
}

bool Matching::apply(db::Transaction& t, const Filter& filter) {
  // Those with the fewest rows first: the first one is found by its index, the others are
  // only looked at in its rows. Without statistics, as SQLite is, a database takes any
  // index, and reads all fetches for those of one device.
  leads_ = true;
  if (!filter.request.empty()) {
    and_that({"request = :q", filter.request});
    and_literally("request <> ''");  // as in its index
    leads_ = false;
  }
  if (!filter.whose.empty()) {
    and_one_of({{column("device") + " = :w1", filter.whose},
                {column("actor") + " = :w2", filter.whose}});
    leads_ = false;
  }
  if (!filter.by.empty()) {
    and_that({column("actor") + " = :y", filter.by});
    leads_ = false;
  }
  if (!filter.sha256.empty()) {
    and_that({column("sha256") + " = :x", filter.sha256});
    leads_ = false;
  }
  if (!filter.name.empty() && !apply_name(t, filter.name)) return false;
  if (!filter.mirror.empty()) {
    and_that({column("via") + " = :v", filter.mirror});
    if (leads_) and_literally("via <> ''");
    leads_ = false;
  }
  // Literal, not a value: its index depends on that.
  const auto outcome = std::find(kOutcomes.begin(), kOutcomes.end(), filter.outcome);
  if (outcome != kOutcomes.end()) {
    and_literally(fmt::format("{} = '{}'", column("outcome"), *outcome));
    if (filter.outcome != "complete") {
      if (leads_) and_literally("outcome <> 'complete'");
      leads_ = false;
    }
  }
  if (!filter.events.empty())
    and_one_of(each<Condition>(column("event"), "e", filter.events));
  if (filter.from) and_that({"at >= :f", *filter.from});
  if (filter.until) and_that({"at < :u", *filter.until});
  return true;
}

Matching::Query Matching::first(const std::string& order, std::size_t most) const {
  Query query{where_ + order + " limit :m", values_};
  query.values.emplace_back(static_cast<std::int64_t>(most));
  if (one_of_.empty()) return query;
  // Together they have no index with that order, so each is asked for by itself.
  const auto part = [&](const Condition& one) {
    return fmt::format("select id from (select id from ledger {}{} limit :m) as part",
                       with(where_, one.sql), order);
  };
  std::string parts;
  for (const auto& one : one_of_) {
    parts += (parts.empty() ? "" : " union all ") + part(one);
  }
  query.sql = fmt::format("where id in ({}) {} limit :m", parts, order);
  // Values stand in the order in which their parameters first appear.
  query.values.insert(query.values.end() - 1, one_of_.front().value);
  for (auto one = one_of_.begin() + 1; one != one_of_.end(); ++one) {
    query.values.push_back(one->value);
  }
  return query;
}

}  // namespace vantro::ledger
