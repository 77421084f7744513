#include "upkeep/deposit_looks.h"

#include <fmt/format.h>

#include "probe/report.h"
#include "repository/change.h"

namespace vantro::upkeep {
namespace {

constexpr std::size_t kAtOnce = 16;

}  // namespace

DepositLooks::DepositLooks(repository::Repository& repository, gate::Gate& gate)
    : repository_(repository),
      gate_(gate),
      follow_up_(repository.log, "Vantro no longer looks inside what devices send",
                 [this] { return look(); }) {}

FollowUp::Did DepositLooks::look() {
  if (!repository_.nodes.take(repository::work::kLooks)) {
    return FollowUp::Did::kNothing;
  }
  const auto some = repository_.backups.to_look_into(kAtOnce);
  if (!some || some->empty()) return FollowUp::Did::kNothing;
  for (const auto& revision : *some) {
    if (follow_up_.stopping()) break;
    if (const auto looked = look_at(revision); !looked) {
      repository_.log.warning("Vantro can't look inside a backup",
                              {{"device", revision.holder.name},
                               {"name", revision.name},
                               {"why", looked.error().sentence}});
      return FollowUp::Did::kFailed;
    }
  }
  return FollowUp::Did::kSome;
}

base::Outcome<void> DepositLooks::look_at(const backup::Revision& revision) {
  probe::Report report;
  const auto file =
      repository_.folder.open_stored(revision.digests.sha256, revision.size);
  if (file) {
    report = gate_.look_inside(file->get(), revision.size,
                               {[this] { return follow_up_.stopping(); }, {}});
  } else {
    // The verifier reports its problem.
    report.say("not looked into: " + file.error().sentence);
  }
  if (follow_up_.stopping()) return {};
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
