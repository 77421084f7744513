// One change of the repository, by a person or by the server: the work and its rows in
// the ledger and in the change log are one transaction; its log lines are written after
// the commit.
#pragma once

#include <string>
#include <utility>
#include <vector>

#include "base/clock.h"
#include "base/log.h"
#include "base/outcome.h"
#include "db/database.h"
#include "repository/by.h"
#include "repository/repository.h"

namespace vantro::repository {

class Change {
 public:
  // The repository must outlive it.
  Change(Repository& repository, By by);

  // At the beginning of the transaction, which may begin a second time.
  void begin(db::Transaction& transaction);
  // A row of the ledger. `event`: "device-add"; `name`: of the changed object; `sha256`:
  // of its bytes, or empty.
  void record(db::Transaction& transaction, const std::string& event,
              const std::string& name, const std::string& sha256,
              const std::string& sentence);
  // Writes what was recorded to the log. REQUIRES: the transaction is committed.
  void committed() const;

  const std::string& by() const { return by_.name; }
  base::WallTime now() const { return now_; }

 private:
  struct Line {
    std::string event, name, sentence;
  };

  Repository& repository_;
  By by_;
  base::WallTime now_;
  std::vector<Line> lines_;
};

// Runs `work(transaction, change)` as one change, which is on disk when this returns a
// value.
template <class F>
auto change(Repository& repository, const By& by, F work)
    -> decltype(work(std::declval<db::Transaction&>(), std::declval<Change&>())) {
  Change made(repository, by);
  auto done = repository.database->write([&](db::Transaction& transaction) {
    made.begin(transaction);
    return work(transaction, made);
  });
  if (done) made.committed();
  return done;
}

}  // namespace vantro::repository
