// The end of a job, by a person, by the device's removal or by a report.
#pragma once

#include <string>
#include <vector>

#include "base/outcome.h"
#include "jobs/progress.h"
#include "ledger/entry.h"
#include "repository/change.h"

namespace vantro::repository {

struct Repository;

// A row of the ledger as jobs look at it.
jobs::Seen seen_of(const ledger::Entry& entry);

// In the caller's transaction, and recorded in the change: its own offers end, and the
// server's observations of the device are stored with it, as the ledger's rows are
// removed at some time. REQUIRES: it is open, and waiting rows were written.
void end_job(db::Transaction& transaction, Change& change, const jobs::Job& job,
             jobs::JobState how, const std::string& why);

}  // namespace vantro::repository
