// The tables whose rows a mirror gets from headquarters. It writes them as they are
// there, with headquarters' numbers: nobody else adds images, offers, accounts, devices
// or jobs at a mirror.
#pragma once

#include <span>
#include <string>
#include <utility>
#include <vector>

#include "base/clock.h"
#include "db/database.h"
#include "mirror/record.h"

namespace vantro::mirror {

struct Column {
  const char* name;
  bool number = false;
};

struct Table {
  const char* name;
  std::size_t keys;              // that many columns are the primary key
  std::vector<Column> columns;   // that are headquarters'; others belong to the mirror
  const char* unique;            // a column whose values differ, beside the key; or null
  std::vector<const char*> now;  // the mirror's own: set to the time when a row begins
  std::vector<const char*> empty;  // the mirror's own texts, empty when a row begins
  // For the change log: the kind, and the column with the object.
  const char* kind;
  const char* object;
};

// A table comes after those that its rows refer to.
std::span<const Table> tables();
// Null: there is none of that name.
const Table* find_table(const std::string& name);

// The key and the columns of each row. `where`: "where id = :i", or empty. Statements may
// throw, as db::Transaction's.
std::vector<std::pair<Key, Columns>> rows_of(db::Transaction& transaction,
                                             const Table& table,
                                             const std::string& where = "",
                                             const std::vector<db::Value>& values = {});

// Before write(), for all rows that will be written: two rows may exchange a value that
// must be unique.
void make_way(db::Transaction& transaction, const Table& table, const Key& key);
// Adds the row, or gives it these columns. Those that this program does not know are left
// out: headquarters may be newer.
void write(db::Transaction& transaction, const Table& table, const Key& key,
           const Columns& columns, base::WallTime now);
void erase(db::Transaction& transaction, const Table& table, const Key& key);

}  // namespace vantro::mirror
