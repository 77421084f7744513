// Which rows of the ledger a filter wants, in SQL.
//
// Each thing that people look for has an index (db/schema.cc) in which its rows are in
// the order of their time. So only as many rows are read as are shown, however many there
// are.
#pragma once

#include <cstddef>
#include <string>
#include <vector>

#include "db/database.h"
#include "ledger/ledger.h"

namespace vantro::ledger {

class Matching {
 public:
  // Of the rows that fulfil a condition ("at > :t"), whose parameters have these values.
  // Of the parameters' names, those with one letter (but t, i and b) and those with a
  // letter and a number are taken.
  Matching(const std::string& condition, std::vector<db::Value> values);

  // Adds the filter's conditions. False: no row can match.
  bool apply(db::Transaction& transaction, const Filter& filter);

  // The first `most` in an order by time: the end of a select from the ledger.
  struct Query {
    std::string sql;
    std::vector<db::Value> values;
  };
  Query first(const std::string& order, std::size_t most) const;

 private:
  struct Condition {
    std::string sql;
    db::Value value;  // of its one parameter
  };

  void and_literally(const std::string& condition);
  void and_that(const Condition& condition);
  void and_one_of(std::vector<Condition> conditions);
  std::string column(const std::string& name) const;
  bool apply_name(db::Transaction& transaction, const std::string& name);

  std::string where_;  // empty, or it begins with "where" and ends with a space
  std::vector<db::Value> values_;
  std::vector<Condition> one_of_;  // one of these as well, if there are any
  bool leads_ = true;              // the next condition is the one with an index
};

}  // namespace vantro::ledger
