#include "repository/job_changes.h"

#include <algorithm>
#include <fmt/format.h>

#include "catalog/offers.h"
#include "fleet/devices.h"
#include "jobs/jobs.h"
#include "ledger/ledger.h"

namespace vantro::repository {
namespace {

constexpr std::size_t kMostKept = 2000;  // attempts with one job

}  // namespace

jobs::Seen seen_of(const ledger::Entry& entry) {
  return {entry.at,   entry.duration_ms, entry.event,    entry.outcome, entry.protocol,
          entry.name, entry.sha256,      entry.sentence, entry.bytes};
}

void end_job(db::Transaction& t, Change& change, const jobs::Job& job, jobs::JobState how,
             const std::string& why) {
  for (const auto& own : jobs::Jobs::offers(t, job.id)) {
    for (const auto& offer : catalog::Offers::standing_under(t, own.name)) {
      if (offer.id != own.offer) continue;
      catalog::Offers::end(t, offer, "the job it was made for has ended", change.now());
      change.record(t, "offer-end", offer.name, offer.image.digests.sha256,
                    fmt::format("the job of {} has ended", job.device_name));
    }
  }
  for (const auto& entry :
       ledger::Ledger::of_device(t, job.device_name, job.planned_at, kMostKept)) {
    const auto seen = seen_of(entry);
    const auto* image = jobs::is_whole_fetch(seen) ? job.find(seen.sha256) : nullptr;
    jobs::Jobs::note(t, {0, job.id, seen.at, "device", "attempt",
                         image == nullptr ? 0 : image->number, jobs::attempt_text(seen)});
  }
  // With the facts from its own reports meanwhile.
  if (const auto device = fleet::Devices::with_id(t, job.device)) {
    for (const auto* field : {fleet::kVersion, fleet::kBootVersion}) {
      const auto* told = device->state.find(field);
      if (told == nullptr || told->at < job.planned_at) continue;
      auto name = std::string(field);
      std::replace(name.begin(), name.end(), '_', ' ');
      jobs::Jobs::note(t, {0, job.id, told->at, told->source, "reported", 0,
                           fmt::format("{} {}", name, told->value)});
    }
  }
  jobs::Jobs::note(t, {0, job.id, change.now(), change.by(), jobs::word(how), 0, why});
  jobs::Jobs::end(t, job, how, change.by(), why, change.now());
  change.record(t, fmt::format("job-{}", jobs::word(how)), job.device_name, "",
                fmt::format("'{}'{}{}", job.aim, why.empty() ? "" : ": ", why));
}

}  // namespace vantro::repository
