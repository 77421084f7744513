#include "daemon/housekeeping.h"

#include "daemon/process_limits.h"
#include "desk/backups.h"
#include "upkeep/ledger_retention.h"
#include "upkeep/recovery.h"

namespace vantro::daemon {
namespace {

constexpr std::chrono::hours kSweepInterval{1};
constexpr std::chrono::hours kThinOutInterval{24};
constexpr std::chrono::seconds kTrimInterval{5};
constexpr std::chrono::seconds kOffersInterval{30};
constexpr std::chrono::minutes kGatheredInterval{1};

template <class T>
void say(const base::Log& log, const char* what, const base::Outcome<T>& done) {
  if (!done) log.warning(what, {{"why", done.error().sentence}});
}

}  // namespace

void schedule_housekeeping(Schedules& schedules, Pools& pools, const LiveSettings& live,
                           repository::Repository& repository, gate::Gate& gate,
                           upkeep::Verifier& verifier) {
  namespace work = repository::work;
  schedules.every(kSweepInterval, pools.disk, [&] {
    if (!repository.nodes.take(work::kRetention)) return;
    const std::chrono::hours keep(24 * live.get()->backups.keep_partial_days);
    say(repository.log, "old partial files can't be swept",
        upkeep::sweep_partial(repository, repository.clock.wall(), keep, repository.log));
    say(repository.log, "the change log can't be swept",
        repository.change_log.sweep(repository.clock.wall()));
    say(repository.log, "tokens that ended long ago can't be removed",
        repository.people.sweep(repository.clock.wall()));
  });
  schedules.every(kSweepInterval, pools.disk, [&] {
    const auto settings = live.get();
    if (settings->verify.every_days == 0) return;
    if (!repository.nodes.take(work::kVerify)) return;
    upkeep::VerifyRequest due;
    due.unread_for = std::chrono::hours(24 * settings->verify.every_days);
    due.bytes_per_second = settings->verify.rate;
    due.go_on = [&repository] { return repository.nodes.holds(work::kVerify); };
    const auto begun = verifier.start(due);
    // It runs already, perhaps because a person has started it.
    if (!begun && begun.error().kind == base::Kind::kBusy) return;
    say(repository.log, "stored bytes can't be verified", begun);
  });
  schedules.every(kSweepInterval, pools.slow, [&] {
    const auto settings = live.get();
    if (settings->ledger.keep_days == 0) return;
    if (!repository.nodes.take(work::kRetention)) return;
    const auto now = repository.clock.wall();
    const auto& folder = settings->ledger.export_folder;
    say(repository.log, "old rows of the ledger can't be exported",
        upkeep::export_old_rows(
            repository, now - 86'400'000 * settings->ledger.keep_days,
            folder.empty() ? repository.folder.path() + "/ledger" : folder));
  });
  schedules.every(kSweepInterval, pools.slow, [&] {
    const auto given = repository.database->give_room_back();
    if (given && *given > 0) {
      repository.log.info("the database gave space back to the disk",
                          {{"bytes", *given}});
    }
    say(repository.log, "the database can't give space back", given);
  });
  schedules.every(kThinOutInterval, pools.slow, [&] {
    if (!live.get()->backups.thin_out_daily) return;
    if (!repository.nodes.take(work::kRetention)) return;
    say(repository.log, "backups can't be thinned out",
        desk::Backups(repository, gate, desk::the_server()).thin_out_all());
  });
  schedules.every(kGatheredInterval, pools.disk, [&] { gate.record_gathered(); });
  schedules.every(kTrimInterval, pools.slow, give_memory_back);
  schedules.every(kOffersInterval, pools.disk, [&] {
    // Usually there is nothing to follow: only files that could not be read before.
    repository.snapshots.follow_or_log();
    if (!repository.nodes.alone()) {
      say(repository.log, "files without a record can't be compared",
          upkeep::forget_recorded(repository));
    }
    if (!repository.nodes.take(work::kRetention)) return;
    say(repository.log, "offers whose time is over can't be ended",
        repository.end_expired_offers());
  });
}

}  // namespace vantro::daemon
