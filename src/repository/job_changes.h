// The end of a job, which people, the device's removal and a report can bring about.
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

// In the caller's transaction, and recorded in the change: the offers that it made end,
// and what the server saw of the device is kept with it, as the ledger's rows go at some
// time. REQUIRES: it is open, and rows that wait were written.
void end_job(db::Transaction& transaction, Change& change, const jobs::Job& job,
             jobs::JobState how, const std::string& why);

}  // namespace vantro::repository
