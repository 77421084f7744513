#include "upkeep/deposit_looks.h"

#include <exception>
#include <fmt/format.h>
#include <shared_mutex>

#include "probe/report.h"
#include "repository/change.h"

namespace vantro::upkeep {
namespace {

constexpr std::chrono::seconds kPause{1};
constexpr std::chrono::seconds kPauseAfterTrouble{60};
constexpr std::size_t kAtOnce = 16;

}  // namespace

DepositLooks::~DepositLooks() {
  stopping_ = true;
  {
    const base::Lock lock(mutex_);
    wake_.notify_all();
  }
  if (thread_.joinable()) thread_.join();
}

void DepositLooks::start() {
  thread_ = std::thread([this] {
    try {
      run();
    } catch (const std::exception& error) {
      repository_.log.error("Vantro no longer looks inside what devices send",
                            {{"why", error.what()}});
    }
  });
}

void DepositLooks::run() {
  while (!stopping_) {
    if (look_at_some()) continue;
    base::Lock lock(mutex_);
    const auto pause = in_trouble_ ? kPauseAfterTrouble : kPause;
    if (!stopping_) wake_.wait_until(lock, std::chrono::steady_clock::now() + pause);
  }
}

bool DepositLooks::look_at_some() {
  const auto some = repository_.backups.to_look_into(kAtOnce);
  if (!some || some->empty()) return false;
  for (const auto& revision : *some) {
    if (stopping_) return true;
    const auto looked = look_at(revision);
    in_trouble_ = !looked;
    if (!looked) {
      repository_.log.warning("Vantro can't look inside a backup",
                              {{"device", revision.holder.name},
                               {"name", revision.name},
                               {"why", looked.error().sentence}});
      return false;
    }
  }
  return true;
}

base::Outcome<void> DepositLooks::look_at(const backup::Revision& revision) {
  probe::Report report;
  const auto file =
      repository_.folder.open_stored(revision.digests.sha256, revision.size);
  if (file) {
    report = gate_.look_inside(file->get(), revision.size,
                               {[this] { return stopping_.load(); }, {}});
  } else {
    // The verifier reports its problem.
    report.say("not looked into: " + file.error().sentence);
  }
  if (stopping_) return {};
  const bool bad = report.verdict == probe::Verdict::kCutShort ||
                   report.verdict == probe::Verdict::kDamaged;
  const auto finding = report.findings.empty() ? std::string() : report.findings.front();
  return repository::change(
      repository_, "server",
      [&](db::Transaction& t, repository::Change& change) -> base::Outcome<void> {
        backup::Backups::set_inside(t, revision.id, probe::word(report.verdict),
                                    bad ? finding : "");
        if (bad) {
          change.record(t, "backup-look", revision.name, revision.digests.sha256,
                        fmt::format("revision {} from {}: {}", revision.number,
                                    revision.holder.name, finding));
        }
        return {};
      });
}

}  // namespace vantro::upkeep
