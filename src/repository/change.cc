#include "repository/change.h"

namespace vantro::repository {

Change::Change(Repository& repository, By by)
    : repository_(repository), by_(std::move(by)), now_(repository.clock.wall()) {}

void Change::begin(db::Transaction& transaction) {
  lines_.clear();
  transaction.acting(by_.name);
}

void Change::record(db::Transaction& transaction, const std::string& event,
                    const std::string& name, const std::string& sha256,
                    const std::string& sentence) {
  ledger::Entry entry;
  entry.at = now_;
  entry.event = event;
  entry.actor = by_.name;
  entry.from = by_.from;
  entry.protocol = "manage";
  entry.name = name;
  entry.sha256 = sha256;
  entry.outcome = "done";
  entry.sentence = sentence;
  entry.request = by_.request;
  ledger::Ledger::record(transaction, entry);
  lines_.push_back({event, name, sentence});
}

void Change::committed() const {
  for (const auto& one : lines_) {
    repository_.log.info(one.event, {{"name", one.name},
                                     {"by", by_.name},
                                     {"from", by_.from},
                                     {"what", one.sentence},
                                     {"request", by_.request}});
  }
}

}  // namespace vantro::repository
