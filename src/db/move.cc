#include "db/move.h"

#include <algorithm>
#include <fmt/format.h>
#include <optional>
#include <string>
#include <vector>

#include "db/connection.h"
#include "db/engine.h"

namespace vantro::db {
namespace {

using base::Kind;

constexpr std::int64_t kRowsAtATime = 2000;
// SQLite permits 32,766 values in a statement (SQLITE_MAX_VARIABLE_NUMBER).
constexpr std::size_t kMostValues = 8000;

struct Column {
  std::string name;
  bool key = false;  // of the primary key, in whose order rows are read
};
struct Table {
  std::string name;
  std::vector<Column> columns;

  std::string names(bool keys_only) const {
    std::string text;
    for (const auto& one : columns) {
      if (keys_only && !one.key) continue;
      text += (text.empty() ? "" : ", ") + one.name;
    }
    return text;
  }
  bool has_key() const {
    return std::any_of(columns.begin(), columns.end(),
                       [](const Column& one) { return one.key; });
  }
};

// In the order in which they were made: a table comes after those that it refers to. What
// the schema's versions were is up to each database.
std::vector<Table> tables_of_schema() {
  const Model model;
  std::vector<Table> tables;
  for (const auto& row : model.connection->execute(
           "select name from sqlite_master where type = 'table' order by rowid")) {
    Table table{row.text(0), {}};
    for (const auto& column : model.connection->execute(
             "select name, pk from pragma_table_info(:t) order by cid", {table.name})) {
      table.columns.push_back({column.text(0), column.integer(1) > 0});
    }
    tables.push_back(std::move(table));
  }
  return tables;
}

Value value_of(const Row& row, std::size_t column) {
  if (row.is_null(column)) return nullptr;
  if (row.is_integer(column)) return row.integer(column);
  return row.text(column);
}

// The next rows in the order of their key; `after`: the last of the ones before.
Rows page(Transaction& t, const Table& table, const Row* after) {
  auto sql = fmt::format("select {} from {}", table.names(false), table.name);
  std::vector<Value> values;
  if (!table.has_key()) return after == nullptr ? t.query(sql) : Rows();
  if (after != nullptr) {
    std::string names;
    for (std::size_t i = 0; i < table.columns.size(); ++i) {
      if (!table.columns[i].key) continue;
      names += fmt::format("{}:k{}", names.empty() ? "" : ", ", values.size());
      values.push_back(value_of(*after, i));
    }
    sql += fmt::format(" where ({}) > ({})", table.names(true), names);
  }
  sql += fmt::format(" order by {} limit :m", table.names(true));
  values.emplace_back(kRowsAtATime);
  return t.query(sql, values);
}

void insert(Transaction& t, const Table& table, const Rows& rows) {
  const auto at_once = kMostValues / table.columns.size();
  for (std::size_t first = 0; first < rows.size(); first += at_once) {
    const auto count = std::min(at_once, rows.size() - first);
    std::string places;
    std::vector<Value> values;
    values.reserve(count * table.columns.size());
    for (std::size_t i = first; i < first + count; ++i) {
      places += i == first ? "(" : ", (";
      for (std::size_t c = 0; c < table.columns.size(); ++c) {
        places += fmt::format("{}:v{}", c == 0 ? "" : ", ", values.size());
        values.push_back(value_of(rows[i], c));
      }
      places += ')';
    }
    t.run(fmt::format("insert into {} ({}) values {}", table.name, table.names(false),
                      places),
          values);
  }
}

bool same(const Row& a, const Row& b) {
  for (std::size_t i = 0; i < a.size(); ++i) {
    if (value_of(a, i) != value_of(b, i)) return false;
  }
  return true;
}

class Move {
 public:
  Move(Transaction& from, Transaction& to, const MoveProgress& go_on)
      : from_(from), to_(to), go_on_(go_on) {}

  base::Outcome<Moved> run(const std::vector<Table>& tables) {
    for (const auto& one : tables) total_ += 2 * count(from_, one);
    // What a new database begins with goes, the tables that others refer to last.
    for (auto one = tables.rbegin(); one != tables.rend(); ++one) {
      to_.run("delete from " + one->name);
    }
    Moved moved;
    for (const auto& one : tables) {
      if (auto done = walk(one,
                           [&](const Rows& rows) -> base::Outcome<void> {
                             insert(to_, one, rows);
                             moved.rows += static_cast<std::int64_t>(rows.size());
                             return {};
                           });
          !done) {
        return base::refuse(done.error());
      }
      ++moved.tables;
    }
    for (const auto& one : tables) {
      if (auto done = compare(one); !done) return base::refuse(done.error());
    }
    return moved;
  }

 private:
  static std::int64_t count(Transaction& t, const Table& table) {
    return t.query("select count(*) from " + table.name).front().integer(0);
  }

  base::Outcome<void> walk(const Table& table,
                           const std::function<base::Outcome<void>(const Rows&)>& take) {
    Rows rows;
    do {
      const auto last = rows.empty() ? std::nullopt : std::optional<Row>(rows.back());
      rows = page(from_, table, last ? &*last : nullptr);
      if (rows.empty()) break;
      if (auto taken = take(rows); !taken) return taken;
      done_ += static_cast<std::int64_t>(rows.size());
      if (!go_on_(done_, total_)) {
        return base::refuse(Kind::kBusy, "the copy was stopped; nothing was changed");
      }
    } while (table.has_key());
    return {};
  }

  base::Outcome<void> compare(const Table& table) {
    const auto differs = [&] {
      return base::refuse(Kind::kMismatch,
                          fmt::format("the copy of table '{}' differs; nothing was "
                                      "changed",
                                      table.name));
    };
    std::optional<Row> last;
    if (count(from_, table) != count(to_, table)) return differs();
    return walk(table, [&](const Rows& rows) -> base::Outcome<void> {
      const auto copies = page(to_, table, last ? &*last : nullptr);
      if (copies.size() != rows.size()) return differs();
      for (std::size_t i = 0; i < rows.size(); ++i) {
        if (!same(rows[i], copies[i])) return differs();
      }
      last = rows.back();
      return {};
    });
  }

  Transaction& from_;
  Transaction& to_;
  const MoveProgress& go_on_;
  std::int64_t done_ = 0;
  std::int64_t total_ = 0;
};

// What an opened database has without anybody having used it.
base::Outcome<void> check_unused(Transaction& t, const std::vector<Table>& tables,
                                 const std::string& name) {
  for (const auto& table : tables) {
    const bool has_some_at_first =
        table.name == "numbers" || table.name == "accounts" || table.name == "identity";
    if (has_some_at_first ||
        t.query("select 1 from " + table.name + " limit 1").empty()) {
      continue;
    }
    return base::refuse(
        Kind::kExists,
        fmt::format("the {} has been used already (table '{}' has rows); name an empty "
                    "one; nothing was changed",
                    name, table.name));
  }
  return {};
}

}  // namespace

base::Outcome<void> check_unused(Database& database) {
  const auto tables = tables_of_schema();
  return database.read(
      [&](Transaction& t) { return check_unused(t, tables, database.name()); });
}

base::Outcome<Moved> copy_rows(Database& from, Database& to, const MoveProgress& go_on) {
  const auto tables = tables_of_schema();
  return from.read([&](Transaction& source) {
    return to.write([&](Transaction& target) -> base::Outcome<Moved> {
      if (auto unused = check_unused(target, tables, to.name()); !unused) {
        return base::refuse(unused.error());
      }
      return Move(source, target, go_on).run(tables);
    });
  });
}

}  // namespace vantro::db
