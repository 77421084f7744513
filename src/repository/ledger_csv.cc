#include "repository/ledger_csv.h"

#include <utility>
#include <vector>

#include "base/clock.h"
#include "text/csv.h"

namespace vantro::repository {

std::string ledger_csv_head() {
  return text::csv_line({"row",     "at",       "event",    "who",          "from",
                         "device",  "protocol", "heard on", "account",      "name",
                         "sha256",  "bytes",    "of bytes", "milliseconds", "resent",
                         "outcome", "sentence", "request",  "mirror",       "hash"});
}

std::string ledger_csv_line(const ledger::Entry& entry, bool for_spreadsheets) {
  std::vector<std::string> fields{std::to_string(entry.id),
                                  base::iso_time(entry.at),
                                  entry.event,
                                  entry.actor,
                                  entry.from,
                                  entry.device,
                                  entry.protocol,
                                  entry.heard_on,
                                  entry.account,
                                  entry.name,
                                  entry.sha256,
                                  std::to_string(entry.bytes),
                                  entry.total ? std::to_string(*entry.total) : "",
                                  std::to_string(entry.duration_ms),
                                  std::to_string(entry.resent),
                                  entry.outcome,
                                  entry.sentence,
                                  entry.request,
                                  entry.mirror,
                                  entry.chain};
  if (for_spreadsheets) {
    for (auto& one : fields) one = text::no_formula(std::move(one));
  }
  return text::csv_line(fields);
}

}  // namespace vantro::repository
