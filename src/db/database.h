// The metadata: one SQLite file, reached through SOCI so that another database can be put
// behind the same statements. No other room knows SOCI.
//
// Statements run in a transaction that a lambda is given:
//
//   auto count = database.read([&](db::Transaction& t) -> Outcome<std::int64_t> {
//     return t.query("select count(*) from images").front().integer(0);
//   });
//
// What fails inside (full disk, damage) ends the lambda and comes out as a refusal that
// holds no values. The lambda's own refusal rolls back as well.
//
// Thread-safe: one writer at a time, and readers one at a time beside it.
#pragma once

#include <cstdint>
#include <functional>
#include <memory>
#include <mutex>
#include <string>
#include <type_traits>
#include <variant>
#include <vector>

#include "base/outcome.h"

namespace vantro::db {

using Value = std::variant<std::nullptr_t, std::int64_t, std::string>;

class Row {
 public:
  explicit Row(std::vector<Value> values) : values_(std::move(values)) {}

  bool is_null(std::size_t column) const;
  // "" and 0 for null.
  std::string text(std::size_t column) const;
  std::int64_t integer(std::size_t column) const;

 private:
  std::vector<Value> values_;
};

using Rows = std::vector<Row>;

// An open connection.
class Connection;

// Lives for the lambda's run only.
class Transaction {
 public:
  explicit Transaction(Connection& connection) : connection_(connection) {}
  Transaction(const Transaction&) = delete;
  Transaction& operator=(const Transaction&) = delete;

  // Parameters are named :a, :b ... in the statement and taken in the order in which they
  // appear there.
  void run(const std::string& sql, const std::vector<Value>& values = {});
  Rows query(const std::string& sql, const std::vector<Value>& values = {});

 private:
  Connection& connection_;
};

class Database {
 public:
  // Opens or makes the file and brings its schema to this program's version. Refused:
  // kCorrupt if it is damaged or no database, kInvalid if a newer program wrote it.
  static base::Outcome<std::unique_ptr<Database>> open(const std::string& path);
  ~Database();

  // Committed and on disk when it returns a value; nothing has changed when it returns a
  // refusal.
  template <class F>
  std::invoke_result_t<F, Transaction&> write(F work) {
    return in_transaction<F>(*writer_, writer_mutex_, "begin immediate", std::move(work));
  }

  template <class F>
  std::invoke_result_t<F, Transaction&> read(F work) {
    return in_transaction<F>(*reader_, reader_mutex_, "begin", std::move(work));
  }

 private:
  Database();

  template <class F>
  static std::invoke_result_t<F, Transaction&> in_transaction(Connection& connection,
                                                              std::mutex& mutex,
                                                              const char* begin, F work) {
    using Result = std::invoke_result_t<F, Transaction&>;
    const std::lock_guard lock(mutex);
    Result result = base::refuse(base::Kind::kIo, "");
    const auto failure = enclose(connection, begin, [&](Transaction& transaction) {
      result = work(transaction);
      return result.has_value();
    });
    if (!failure.sentence.empty()) return base::refuse(failure);
    return result;
  }

  // Runs the work between begin and commit (if it returned true) or rollback. The refusal
  // has an empty sentence if no statement failed.
  static base::Refusal enclose(Connection& connection, const char* begin,
                               const std::function<bool(Transaction&)>& work);

  std::unique_ptr<Connection> writer_;
  std::unique_ptr<Connection> reader_;
  std::mutex writer_mutex_;
  std::mutex reader_mutex_;
};

}  // namespace vantro::db
