// Everything that readiness checks, gathered for one device after the other.
#include <algorithm>
#include <fmt/format.h>

#include "base/numbers.h"
#include "base/visible_name.h"
#include "desk/planning.h"
#include "desk/trouble.h"
#include "text/version.h"

namespace vantro::desk {

using base::Kind;

namespace {

constexpr base::WallTime kDay = 86'400'000;
constexpr base::WallTime kProofsLookedFor = 7 * kDay;
constexpr std::size_t kMostPassages = 500;
// A rate over less data says little.
constexpr std::uint64_t kMeasurable = 256 << 10;

jobs::ProvenFacts proven_of(const ledger::Entry& entry) {
  jobs::ProvenFacts facts{entry.at, entry.protocol, 0, entry.bytes, entry.resent};
  if (entry.bytes >= kMeasurable && entry.duration_ms > 0) {
    facts.rate =
        static_cast<double>(entry.bytes) * 1000 / static_cast<double>(entry.duration_ms);
  }
  return facts;
}

}  // namespace

base::Outcome<std::vector<backup::FileOverview>> Planning::backups_of(
    const fleet::Device& device) {
  if (!many_) return repository_.backups.overview(backup::Holder{device.id, device.name});
  const auto known = backups_.find(device.id);
  return known == backups_.end() ? std::vector<backup::FileOverview>() : known->second;
}

base::Outcome<std::vector<jobs::JobEvent>> Planning::events_of(const jobs::Job& job) {
  if (!many_) return repository_.jobs.events(job.id);
  const auto known = events_.find(job.id);
  return known == events_.end() ? std::vector<jobs::JobEvent>() : known->second;
}

base::Outcome<std::optional<jobs::ProvenFacts>> Planning::proven(
    const fleet::Device& device) {
  using Proven = std::optional<jobs::ProvenFacts>;
  if (many_) {
    const auto known = proven_.find(device.name);
    return known == proven_.end() ? Proven() : Proven(known->second);
  }
  const auto rows = repository_.ledger.canaries(device.name, now_ - kProofsLookedFor);
  if (!rows) return base::refuse(rows.error());
  return rows->empty() ? Proven() : Proven(proven_of(rows->front()));
}

base::Outcome<void> Planning::expect_many() {
  many_ = true;
  auto files = repository_.backups.overview();
  if (!files) return base::refuse(files.error());
  for (auto& one : *files) {
    if (one.holder.device != 0) backups_[one.holder.device].push_back(std::move(one));
  }
  const auto proofs = repository_.ledger.canaries("", now_ - kProofsLookedFor);
  if (!proofs) return base::refuse(proofs.error());
  for (const auto& one : *proofs) proven_.emplace(one.device, proven_of(one));
  auto events = repository_.jobs.events_of_open();
  if (!events) return base::refuse(events.error());
  events_ = std::move(*events);
  return {};
}

base::Outcome<const std::vector<ledger::Ledger::Passage>*> Planning::passages(
    const std::string& sha256) {
  if (const auto known = passages_.find(sha256); known != passages_.end()) {
    return &known->second;
  }
  auto found = repository_.ledger.passages(sha256, kMostPassages);
  if (!found) return base::refuse(found.error());
  return &passages_.emplace(sha256, std::move(*found)).first->second;
}

base::Outcome<std::vector<jobs::DurationFacts>> Planning::durations(
    const fleet::Device& device, const std::string& sha256, std::uint64_t size,
    const std::optional<jobs::ProvenFacts>& proven) {
  const auto known = passages(sha256);
  if (!known) return base::refuse(known.error());
  using Passage = ledger::Ledger::Passage;
  const auto of = [&](const auto& wanted, const auto& value) {
    std::optional<std::pair<std::int64_t, std::int64_t>> span;
    for (const Passage& one : **known) {
      if (!wanted(one)) continue;
      const std::optional<std::int64_t> ms = value(one);
      if (!ms) continue;
      if (!span) span = {*ms, *ms};
      span->first = std::min(span->first, *ms);
      span->second = std::max(span->second, *ms);
    }
    return span;
  };
  const auto own = [&](const Passage& one) { return one.device == device.name; };
  const auto platform_alike = [&](const Passage& one) {
    if (one.device.empty() || device.platform.empty()) return false;
    const auto [at, is_new] = platform_of_.try_emplace(one.device);
    if (is_new) {
      const auto devices = repository_.snapshot()->devices;
      if (const auto* there = devices->find(one.device)) at->second = there->platform;
    }
    return base::folded(at->second) == base::folded(device.platform);
  };
  const auto any = [](const Passage&) { return true; };
  std::vector<jobs::DurationFacts> result;
  const auto add = [&](const char* phase, const auto& value) {
    const auto from = [&](const auto& wanted, const char* whose) {
      const auto span = of(wanted, value);
      if (span) result.push_back({phase, span->first, span->second, whose});
      return span.has_value();
    };
    return from(own, "as this device before") ||
           from(platform_alike, "as other devices of its platform") ||
           from(any, "as other devices with this image");
  };
  if (proven && proven->rate > 0) {
    const auto ms =
        static_cast<std::int64_t>(static_cast<double>(size) * 1000 / proven->rate);
    result.push_back({"fetch", ms, ms, "at the rate of 'hello'"});
  } else {
    add("fetch", [](const Passage& one) { return std::optional(one.duration_ms); });
  }
  add("write and restart", [](const Passage& one) -> std::optional<std::int64_t> {
    constexpr std::int64_t kShortest = 1000;  // earlier, it was only the next file
    constexpr std::int64_t kLongest = 3 * std::int64_t{3'600'000};
    if (!one.absence_ms || *one.absence_ms < kShortest || *one.absence_ms > kLongest) {
      return std::nullopt;
    }
    return one.absence_ms;
  });
  return result;
}

base::Outcome<bool> Planning::holds(const std::string& name, const std::string& content) {
  const auto [at, is_new] =
      held_contents_.try_emplace({base::folded(name), base::folded(content)}, false);
  if (!is_new) return at->second;
  // An image's name, or a version of the platform.
  const auto image = repository_.catalog.named(content);
  if (!image) return base::refuse(image.error());
  if (*image) return at->second = (*image)->whole;
  const auto known = platform(name);
  if (!known) return base::refuse(known.error());
  const auto key = text::Version(content).sort_key();
  return at->second = !key.empty() &&
                      std::any_of((*known)->held.begin(), (*known)->held.end(),
                                  [&](const auto& one) {
                                    return text::Version(one.version).sort_key() == key;
                                  });
}

base::Outcome<void> Planning::add_state(jobs::ReadinessFacts& facts,
                                        const fleet::Device& device) {
  const auto& state = device.state;
  auto running = running_versions(state);
  facts.running_version = std::move(running.version);
  facts.other_versions = std::move(running.others);
  facts.model = state.text("model");
  facts.running_slot = state.text(fleet::kRunningSlot);
  for (const auto* one : state.all(fleet::kSlot)) {
    if (!one->member.empty()) continue;
    const auto held = holds(device.platform, one->value);
    if (!held) return base::refuse(held.error());
    facts.slots.push_back({one->item, one->value, *held});
  }
  for (const auto* one : state.all(fleet::kFree)) {
    facts.free.emplace_back(one->item,
                            base::parse_number<std::uint64_t>(one->value).value_or(0));
  }
  if (!facts.running_version.empty()) {
    const auto held = holds(device.platform, facts.running_version);
    if (!held) return base::refuse(held.error());
    facts.running_held = *held;
  }
  return {};
}

base::Outcome<void> Planning::add_backups(jobs::ReadinessFacts& facts,
                                          const fleet::Device& device) {
  const auto files = backups_of(device);
  if (!files) return base::refuse(files.error());
  for (const auto& one : *files) {
    if (one.number == 0) continue;
    const jobs::BackupFacts backup{one.name, one.seen_at, one.number, one.finding};
    auto* into = one.kind == backup::FileKind::kConfiguration ? &facts.configuration
                 : one.kind == backup::FileKind::kImage       ? &facts.image_backup
                                                              : nullptr;
    if (into == nullptr) continue;
    if (!*into || (*into)->seen_at < one.seen_at) *into = backup;
  }
  return {};
}

base::Outcome<Readiness> Planning::readiness(const fleet::Device& device,
                                             const std::optional<Aim>& given,
                                             const ReadinessWanted& wanted) {
  jobs::ReadinessFacts facts;
  facts.now = now_;
  facts.proven_for_ms =
      std::chrono::milliseconds(gate_.config()->path_proven_for).count();
  facts.device = device.name;
  facts.platform = device.platform;
  facts.hardware = device.hardware;
  facts.asked_by = wanted.by;
  facts.job = repository_.inventory.job_of(device.id);
  std::optional<Aim> aim = given;
  if (!aim) {
    if (!facts.job) {
      return base::refuse(
          Kind::kInvalid,
          fmt::format("{} has no open job; name the image with --image IMAGE",
                      device.name));
    }
    auto found = this->aim(facts.job->aim);
    if (!found) {
      return base::refuse(
          found.error().kind,
          fmt::format("the job needs '{}', which was removed", facts.job->aim));
    }
    aim = std::move(*found);
  }
  facts.for_the_job = facts.job && (!given || facts.job->aim == aim->name);
  if (facts.for_the_job) {
    facts.slot = facts.job->slot;
    auto why = held(*facts.job);
    if (!why) return base::refuse(why.error());
    facts.held = std::move(*why);
    const auto events = events_of(*facts.job);
    if (!events) return base::refuse(events.error());
    facts.acknowledged = std::any_of(events->begin(), events->end(), [](const auto& one) {
      return one.what == "acknowledged";
    });
  }
  if (auto added = add_state(facts, device); !added) return base::refuse(added.error());
  if (auto added = add_backups(facts, device); !added) return base::refuse(added.error());
  auto route = this->route(
      device, *aim, facts.for_the_job && facts.job->purpose == jobs::Purpose::kRecover);
  if (!route) return base::refuse(route.error());
  facts.route = std::move(*route);
  const auto aimed = image(aim->image.digests.sha256);
  if (!aimed) return base::refuse(aimed.error());
  if (*aimed != nullptr) facts.aim = (*aimed)->facts;
  auto first = aim->image.digests.sha256;
  if (!facts.route.steps.empty()) {
    const auto& step = facts.route.steps.front();
    first = step.before.empty() ? step.sha256 : step.before.front().sha256;
  }
  const auto next = image(first);
  if (!next) return base::refuse(next.error());
  const auto proof = proven(device);
  if (!proof) return base::refuse(proof.error());
  facts.proven = *proof;
  if (*next != nullptr) {
    facts.next = (*next)->facts;
    add_ways(facts, device, **next, wanted);
    auto spans = durations(device, first, (*next)->facts.size, facts.proven);
    if (!spans) return base::refuse(spans.error());
    facts.durations = std::move(*spans);
  }
  if (!trouble_) {
    auto trouble = desk::trouble(repository_);
    if (!trouble) return base::refuse(trouble.error());
    trouble_ = std::move(*trouble);
    free_ = repository_.folder.free_bytes();
  }
  facts.trouble = *trouble_;
  facts.disk_free = *free_;
  facts.disk_reserve = gate_.config()->reserve;
  Readiness result{device.name, aim->name, jobs::readiness(facts), {}};
  if (facts.for_the_job) result.job = facts.job;
  return result;
}

}  // namespace vantro::desk
