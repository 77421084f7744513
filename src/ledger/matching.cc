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
  if (one_of_.empty()) {
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

bool Matching::apply_name(db::Transaction& t, const std::string& name) {
  const auto folded = base::folded(name);
  std::vector<std::string> names{folded};
  if (folded.find('*') != std::string::npos) names = names_like(t, folded);
  if (names.empty()) return false;
  if (names.size() > kMostNames) {
    and_that({"lower(name) like :n escape '\\'", like(folded)});
  } else {
    and_one_of(each<Condition>("lower(name)", "n", names));
  }
  return true;
}

bool Matching::apply(db::Transaction& t, const Filter& filter) {
  if (!filter.whose.empty()) {
    and_one_of({{"device = :w1", filter.whose}, {"actor = :w2", filter.whose}});
  }
  if (!filter.by.empty()) and_that({"actor = :y", filter.by});
  if (filter.from) and_that({"at >= :f", *filter.from});
  if (filter.until) and_that({"at < :u", *filter.until});
  if (!filter.name.empty() && !apply_name(t, filter.name)) return false;
  if (!filter.events.empty()) and_one_of(each<Condition>("event", "e", filter.events));
  // Literal, not a value, and the second half, too: the index depends on them.
  const auto outcome = std::find(kOutcomes.begin(), kOutcomes.end(), filter.outcome);
  if (outcome != kOutcomes.end()) {
    and_literally(fmt::format("outcome = '{}'", *outcome));
    if (filter.outcome != "complete") and_literally("outcome <> 'complete'");
  }
  if (!filter.sha256.empty()) and_that({"sha256 = :x", filter.sha256});
  if (!filter.request.empty()) and_that({"request = :q", filter.request});
  // The second half is for the index.
  if (!filter.mirror.empty()) and_that({"via = :v and via <> ''", filter.mirror});
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
