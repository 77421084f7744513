#include "mirror/tables.h"

#include <charconv>
#include <fmt/format.h>

#include "auth/accounts.h"
#include "catalog/image.h"
#include "catalog/kits.h"
#include "catalog/offers.h"
#include "fleet/devices.h"
#include "jobs/jobs.h"

namespace vantro::mirror {
namespace {

constexpr bool kNumber = true;

const std::vector<Table>& all() {
  static const std::vector<Table> tables{
      {"images",
       1,
       {{"id", kNumber},   {"name"},    {"size", kNumber},  {"md5"},
        {"sha1"},          {"sha256"},  {"sha512"},         {"taken_in_at", kNumber},
        {"taken_in_by"},   {"maker"},   {"platforms"},      {"hardware"},
        {"role"},          {"version"}, {"version_key"},    {"line"},
        {"line_key"},      {"stage"},   {"space", kNumber}, {"remarks"},
        {"source"},        {"guessed"}, {"vouching"},       {"withdrawn_at", kNumber},
        {"withdrawn_why"}, {"verdict"}, {"kind"},           {"findings"}},
       "name",
       {"read_at"},
       {},
       catalog::kImageChanged,
       "id"},
      {"image_names",
       1,
       {{"name"}, {"image", kNumber}, {"since", kNumber}},
       nullptr,
       {},
       {},
       catalog::kImageChanged,
       "image"},
      {"image_platforms",
       2,
       {{"image", kNumber},
        {"platform"},
        {"role"},
        {"line_key"},
        {"version_key"},
        {"withdrawn", kNumber},
        {"newest", kNumber},
        {"maker"}},
       nullptr,
       {},
       {},
       catalog::kImageChanged,
       "image"},
      {"vouches",
       1,
       {{"id", kNumber},
        {"image", kNumber},
        {"at", kNumber},
        {"who"},
        {"source"},
        {"algorithm"},
        {"hex"},
        {"agrees", kNumber},
        {"signer"},
        {"retracted_at", kNumber}},
       nullptr,
       {},
       {},
       catalog::kImageChanged,
       "image"},
      {"offers",
       1,
       {{"id", kNumber},
        {"name"},
        {"image", kNumber},
        {"network"},
        {"protocols"},
        {"since", kNumber},
        {"until", kNumber},
        {"ended_at", kNumber},
        {"why"},
        {"any_platform", kNumber}},
       nullptr,
       {},
       {},
       catalog::kOfferChanged,
       "name"},
      {"kits",
       1,
       {{"id", kNumber}, {"name"}, {"remarks"}, {"made_at", kNumber}},
       "name",
       {},
       {},
       catalog::kKitChanged,
       "name"},
      {"kit_parts",
       2,
       {{"kit", kNumber}, {"position", kNumber}, {"image", kNumber}, {"remark"}},
       nullptr,
       {},
       {},
       nullptr,
       nullptr},
      {"accounts",
       1,
       {{"name"},
        {"hash"},
        {"may"},
        {"networks"},
        {"part"},
        {"until", kNumber},
        {"active", kNumber},
        {"remarks"},
        {"made_at", kNumber},
        {"changed_at", kNumber}},
       nullptr,
       {},
       {"last_used_from"},
       auth::kAccountChanged,
       "name"},
      {"account_keys",
       2,
       {{"account"},
        {"fingerprint"},
        {"type"},
        {"blob"},
        {"remark"},
        {"added_at", kNumber}},
       nullptr,
       {},
       {},
       auth::kAccountChanged,
       "account"},
      {"sites",
       1,
       {{"name"}, {"backup_every", kNumber}},
       nullptr,
       {},
       {},
       fleet::kSiteChanged,
       "name"},
      {"devices",
       1,
       {{"id", kNumber},
        {"name"},
        {"folded"},
        {"link_address"},
        {"maker"},
        {"platform"},
        {"hardware"},
        {"site"},
        {"remarks"},
        {"backup_every", kNumber},
        {"quota", kNumber},
        {"made_at", kNumber},
        {"changed_at", kNumber}},
       "folded",
       {},
       {},
       fleet::kDeviceChanged,
       "id"},
      {"device_networks",
       1,
       {{"network"}, {"device", kNumber}},
       nullptr,
       {},
       {},
       fleet::kDeviceChanged,
       "device"},
      {"jobs",
       1,
       {{"id", kNumber},
        {"device", kNumber},
        {"device_name"},
        {"platform"},
        {"purpose"},
        {"aim"},
        {"from_version"},
        {"slot"},
        {"window_from", kNumber},
        {"window_until", kNumber},
        {"remark"},
        {"planned_by"},
        {"planned_at", kNumber},
        {"owner"},
        {"rollout"},
        {"batch", kNumber},
        {"any_platform", kNumber},
        {"state"},
        {"ended_at", kNumber},
        {"ended_by"},
        {"ended_why"}},
       nullptr,
       {},
       {},
       jobs::kJobChanged,
       "device"},
      {"job_images",
       2,
       {{"job", kNumber},
        {"number", kNumber},
        {"name"},
        {"sha256"},
        {"role"},
        {"version"},
        {"why"},
        {"offered_as"}},
       nullptr,
       {},
       {},
       nullptr,
       nullptr},
  };
  return tables;
}

db::Value value_of(const Column& column, const Columns& columns) {
  const auto found = columns.find(column.name);
  // Only numbers can be without a value.
  if (!column.number) return found == columns.end() ? std::string() : found->second;
  if (found == columns.end()) return nullptr;
  std::int64_t number = 0;
  std::from_chars(found->second.data(), found->second.data() + found->second.size(),
                  number);
  return number;
}

// The condition for one row, and its values.
std::pair<std::string, std::vector<db::Value>> condition(const Table& table,
                                                         const Key& key) {
  std::string text;
  Columns columns;
  std::size_t from = 0;
  std::vector<db::Value> values;
  for (std::size_t i = 0; i < table.keys; ++i) {
    const auto end = key.row.find('\n', from);
    columns[table.columns[i].name] = key.row.substr(from, end - from);
    from = end == std::string::npos ? key.row.size() : end + 1;
    text += fmt::format("{}{} = :k{}", i == 0 ? " where " : " and ",
                        table.columns[i].name, i);
    values.push_back(value_of(table.columns[i], columns));
  }
  return {text, values};
}

bool is_there(db::Transaction& transaction, const Table& table, const Key& key) {
  const auto [where, values] = condition(table, key);
  return !transaction.query(fmt::format("select 1 from {}{}", table.name, where), values)
              .empty();
}

void note(db::Transaction& transaction, const Table& table, const Key& key) {
  if (table.kind == nullptr) return;
  const auto [where, values] = condition(table, key);
  for (const auto& row : transaction.query(
           fmt::format("select {} from {}{}", table.object, table.name, where), values)) {
    transaction.changed(table.kind,
                        row.is_integer(0) ? std::to_string(row.integer(0)) : row.text(0));
  }
}

}  // namespace

std::span<const Table> tables() { return all(); }

const Table* find_table(const std::string& name) {
  for (const auto& one : all()) {
    if (name == one.name) return &one;
  }
  return nullptr;
}

std::vector<std::pair<Key, Columns>> rows_of(db::Transaction& transaction,
                                             const Table& table, const std::string& where,
                                             const std::vector<db::Value>& values) {
  std::string names;
  for (const auto& one : table.columns) {
    names += (names.empty() ? "" : ", ") + std::string(one.name);
  }
  std::vector<std::pair<Key, Columns>> rows;
  transaction.each(fmt::format("select {} from {} {}", names, table.name, where), values,
                   [&](const db::Row& row) {
                     Key key{table.name, ""};
                     Columns columns;
                     for (std::size_t i = 0; i < table.columns.size(); ++i) {
                       if (row.is_null(i)) continue;
                       auto text = row.is_integer(i) ? std::to_string(row.integer(i))
                                                     : row.text(i);
                       if (i < table.keys) key.row += text + '\n';
                       columns.emplace(table.columns[i].name, std::move(text));
                     }
                     rows.emplace_back(std::move(key), std::move(columns));
                   });
  return rows;
}

void make_way(db::Transaction& transaction, const Table& table, const Key& key) {
  if (table.unique == nullptr) return;
  const auto [where, values] = condition(table, key);
  // No value of its own has a line end in it.
  std::vector<db::Value> all{"\n" + key.row};
  all.insert(all.end(), values.begin(), values.end());
  transaction.run(fmt::format("update {} set {} = :u{}", table.name, table.unique, where),
                  all);
}

void write(db::Transaction& transaction, const Table& table, const Key& key,
           const Columns& columns, base::WallTime now) {
  std::vector<db::Value> values;
  std::string names, places;
  const bool known = is_there(transaction, table, key);
  // Where the row was before: the object may change with it.
  if (known) note(transaction, table, key);
  const auto add = [&](const char* name, db::Value value) {
    const auto place = fmt::format(":v{}", values.size());
    names += (names.empty() ? "" : ", ") + std::string(name);
    if (known) names += " = " + place;
    places += (places.empty() ? "" : ", ") + place;
    values.push_back(std::move(value));
  };
  for (std::size_t i = known ? table.keys : 0; i < table.columns.size(); ++i) {
    add(table.columns[i].name, value_of(table.columns[i], columns));
  }
  if (known) {
    if (values.empty()) return;
    const auto [where, keys] = condition(table, key);
    values.insert(values.end(), keys.begin(), keys.end());
    transaction.run(fmt::format("update {} set {}{}", table.name, names, where), values);
  } else {
    for (const auto* one : table.now) add(one, now);
    for (const auto* one : table.empty) add(one, std::string());
    transaction.run(
        fmt::format("insert into {} ({}) values ({})", table.name, names, places),
        values);
  }
  note(transaction, table, key);
}

void erase(db::Transaction& transaction, const Table& table, const Key& key) {
  note(transaction, table, key);
  const auto [where, values] = condition(table, key);
  transaction.run(fmt::format("delete from {}{}", table.name, where), values);
}

}  // namespace vantro::mirror
