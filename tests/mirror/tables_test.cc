#include "mirror/tables.h"

#include <algorithm>
#include <fmt/format.h>
#include <gtest/gtest.h>
#include <map>
#include <set>

#include "tests/fakes/scratch_folder.h"

namespace vantro::mirror {
namespace {

// Columns that a mirror keeps for itself, as its own bytes and its own devices decide
// them. They begin with their default.
const std::map<std::string, std::set<std::string>> kOwn{
    {"images", {"members_in_all", "whole"}}, {"accounts", {"last_used_at"}}};

class TablesTest : public testing::Test {
 protected:
  TablesTest() : database_(*db::Database::open(scratch_ / "vantro.db")) {}

  struct Column {
    bool key = false;
    bool needed = false;  // a row can't begin without it
  };
  std::map<std::string, Column> columns_of(const std::string& table) {
    std::map<std::string, Column> columns;
    (void)database_->read([&](db::Transaction& t) -> base::Outcome<void> {
      for (const auto& row :
           t.query("select name, pk, \"notnull\", dflt_value is not null from "
                   "pragma_table_info('" +
                   table + "')")) {
        columns[row.text(0)] = {row.integer(1) > 0,
                                row.integer(2) != 0 && row.integer(3) == 0};
      }
      return {};
    });
    return columns;
  }

  fakes::ScratchFolder scratch_;
  std::unique_ptr<db::Database> database_;
};

// A new column of one of these tables belongs to headquarters or to the mirror: somebody
// has to decide it.
TEST_F(TablesTest, EveryColumnIsHeadquartersOrTheMirrors) {
  for (const auto& table : tables()) {
    std::set<std::string> named;
    for (const auto& column : table.columns) named.insert(column.name);
    named.insert(table.now.begin(), table.now.end());
    named.insert(table.empty.begin(), table.empty.end());
    const auto own = kOwn.find(table.name);
    const auto in_database = columns_of(table.name);
    for (const auto& [name, column] : in_database) {
      const bool is_own = own != kOwn.end() && own->second.contains(name);
      EXPECT_NE(named.contains(name), is_own) << table.name << "." << name;
      EXPECT_FALSE(is_own && column.needed) << table.name << "." << name;
      const auto place =
          std::find_if(table.columns.begin(), table.columns.end(),
                       [&](const mirror::Column& one) { return name == one.name; });
      EXPECT_EQ(column.key,
                static_cast<std::size_t>(place - table.columns.begin()) < table.keys)
          << table.name << "." << name;
    }
    for (const auto& name : named) {
      EXPECT_TRUE(in_database.contains(name)) << table.name << "." << name;
    }
    if (own == kOwn.end()) continue;
    for (const auto& name : own->second) {
      EXPECT_TRUE(in_database.contains(name)) << table.name << "." << name;
    }
  }
}

}  // namespace
}  // namespace vantro::mirror
