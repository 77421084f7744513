#include "desk/planning.h"

#include <algorithm>
#include <fmt/format.h>
#include <tuple>

#include "base/numbers.h"
#include "base/protocol.h"
#include "base/visible_name.h"
#include "desk/images.h"
#include "desk/trouble.h"
#include "text/version.h"

namespace vantro::desk {

using base::Kind;

namespace {

constexpr base::WallTime kDay = 86'400'000;
constexpr base::WallTime kProofsLookedFor = 7 * kDay;
constexpr std::size_t kMostPassages = 500;
// A rate that was measured over less says little.
constexpr std::uint64_t kMeasurable = 256 << 10;

jobs::ImageFacts facts_of(const catalog::Image& image) {
  jobs::ImageFacts facts;
  facts.name = image.name;
  facts.sha256 = image.digests.sha256;
  facts.role = image.facts.role;
  facts.version = image.facts.version;
  facts.stage = image.facts.stage;
  facts.size = image.size;
  facts.space = image.facts.space;
  facts.platforms = image.facts.platforms;
  facts.hardware = image.facts.hardware;
  facts.platform_guessed = image.facts.is_guessed("platform");
  facts.whole = image.whole;
  facts.vouching = catalog::word(image.vouching);
  if (image.withdrawal) facts.withdrawn = image.withdrawal->why;
  facts.verdict = image.verdict;
  if (!image.findings.empty()) facts.finding = image.findings.front();
  facts.remarks = image.facts.remarks;
  return facts;
}

jobs::Held::Part part_of(const catalog::KitPart& part, const std::string& kit) {
  const auto& image = part.image;
  return {image.name, image.digests.sha256, image.facts.role, image.facts.version, kit};
}

// What a step to the image brings with it. Of several kits nobody can tell which is
// meant.
void add_kit(jobs::Held& held, const std::vector<const catalog::Kit*>& kits) {
  if (kits.size() != 1) return;
  bool behind = false;
  for (const auto& part : kits.front()->parts) {
    if (part.image.digests.sha256 == held.sha256) {
      behind = true;
      continue;
    }
    (behind ? held.behind : held.before).push_back(part_of(part, kits.front()->name));
  }
}

jobs::ProvenFacts proven_of(const ledger::Entry& entry) {
  jobs::ProvenFacts facts{entry.at, entry.protocol, 0, entry.bytes, entry.resent};
  if (entry.bytes >= kMeasurable && entry.duration_ms > 0) {
    facts.rate =
        static_cast<double>(entry.bytes) * 1000 / static_cast<double>(entry.duration_ms);
  }
  return facts;
}

}  // namespace

RunningVersions running_versions(const fleet::State& state) {
  RunningVersions found;
  std::vector<std::string> all;
  for (const auto* one : state.all(fleet::kVersion)) {
    if (std::find(all.begin(), all.end(), one->value) == all.end()) {
      all.push_back(one->value);
    }
  }
  if (all.empty()) return found;
  // The oldest has the longest way.
  std::sort(all.begin(), all.end(), [](const auto& a, const auto& b) {
    return text::Version(a).sort_key() < text::Version(b).sort_key();
  });
  found.version = all.front();
  found.others.assign(all.begin() + 1, all.end());
  return found;
}

std::vector<base::Address> addresses(const fleet::Device& device) {
  std::vector<base::Address> result;
  for (const auto& one : device.networks) {
    if (one.prefix() != 128) continue;
    if (const auto address = base::Address::parse(one.text())) result.push_back(*address);
  }
  return result;
}

base::Outcome<Aim> Planning::aim(const std::string& typed) {
  auto image = find_image(repository_, typed);
  if (image) {
    auto name = image->name;
    return Aim{std::move(name), std::move(*image), {}};
  }
  auto kit = repository_.kits.find(typed);
  if (!kit) {
    // What was typed is more often an image.
    auto refusal = image.error();
    if (refusal.nearest.empty()) refusal.nearest = kit.error().nearest;
    return base::refuse(std::move(refusal));
  }
  auto best = kit->parts.back().image;
  for (const auto& part : kit->parts) {
    if (part.image.facts.role == "system") best = part.image;
  }
  return Aim{kit->name, std::move(best), std::move(*kit)};
}

base::Outcome<const Planning::Platform*> Planning::platform(const std::string& name) {
  const auto folded = base::folded(name);
  if (const auto known = platforms_.find(folded); known != platforms_.end()) {
    return &known->second;
  }
  if (!kits_) {
    auto kits = repository_.kits.all();
    if (!kits) return base::refuse(kits.error());
    kits_ = std::move(*kits);
  }
  std::map<std::string, std::vector<const catalog::Kit*>> kits_of;
  for (const auto& kit : *kits_) {
    for (const auto& part : kit.parts) {
      kits_of[part.image.digests.sha256].push_back(&kit);
    }
  }
  Platform found;
  if (!folded.empty()) {
    catalog::Filter filter;
    filter.facts["platform"] = name;
    filter.most = 100'000;
    const auto listing = repository_.catalog.list(filter);
    if (!listing) return base::refuse(listing.error());
    for (const auto& one : listing->images) {
      const auto& image = one.image;
      const bool usable = !image.withdrawal && image.whole &&
                          image.vouching != catalog::Vouching::kContradicted;
      if (!usable || base::folded(one.platform) != folded) continue;
      jobs::Held held{
          image.name, image.digests.sha256, image.facts.role, image.facts.version, {},
          {}};
      if (const auto in = kits_of.find(held.sha256); in != kits_of.end()) {
        add_kit(held, in->second);
      }
      found.held.push_back(std::move(held));
    }
    auto rules = repository_.jobs.rules(name);
    if (!rules) return base::refuse(rules.error());
    found.rules = std::move(*rules);
  }
  return &platforms_.emplace(folded, std::move(found)).first->second;
}

base::Outcome<const Planning::ImageKnown*> Planning::image(const std::string& sha256) {
  if (const auto known = images_.find(sha256); known != images_.end()) {
    return known->second.get();
  }
  auto& known = images_[sha256];
  auto image = repository_.catalog.with_content(sha256);
  if (!image) return base::refuse(image.error());
  if (!*image) return nullptr;
  auto made = std::make_unique<ImageKnown>();
  made->facts = facts_of(**image);
  const auto alike = repository_.catalog.look_alikes(**image);
  if (!alike) return base::refuse(alike.error());
  for (const auto& one : *alike) made->facts.look_alikes.push_back(one.name);
  const auto offers = repository_.offers.of_image((*image)->id);
  if (!offers) return base::refuse(offers.error());
  for (const auto& one : *offers) {
    if (!one.ended_at) made->names.push_back(one.name);
  }
  made->image = std::move(**image);
  known = std::move(made);
  return known.get();
}

base::Outcome<jobs::Route> Planning::route(const fleet::Device& device, const Aim& aim,
                                           bool by_recovery) {
  const auto running = running_versions(device.state);
  const auto boot = device.state.text(fleet::kBootVersion);
  const auto& facts = aim.image.facts;
  const auto role = facts.role.empty() ? "system" : facts.role;
  const auto key = fmt::format("{}\n{}\n{}\n{}\n{}\n{}", base::folded(device.platform),
                               role, running.version, boot,
                               aim.image.digests.sha256 + aim.name, by_recovery);
  if (const auto known = routes_.find(key); known != routes_.end()) return known->second;
  const auto known = platform(device.platform);
  if (!known) return base::refuse(known.error());
  jobs::RouteAsked asked;
  asked.platform = device.platform;
  asked.role = role;
  asked.from = role == "system" ? running.version : role == "boot" ? boot : "";
  asked.to = facts.version;
  asked.to_sha256 = aim.image.digests.sha256;
  if (!boot.empty()) asked.others["boot"] = boot;
  if (!running.version.empty()) asked.others["system"] = running.version;
  asked.by_recovery = by_recovery;
  auto held = (*known)->held;
  const auto at = std::find_if(held.begin(), held.end(), [&](const auto& one) {
    return one.sha256 == asked.to_sha256;
  });
  // One for another platform is wanted as well, where that is what the job is about.
  auto& wanted = at != held.end()
                     ? *at
                     : held.emplace_back(jobs::Held{
                           aim.image.name, asked.to_sha256, role, facts.version, {}, {}});
  if (aim.kit) {
    wanted.before.clear();
    wanted.behind.clear();
    add_kit(wanted, {&*aim.kit});
  }
  auto route = jobs::find_route(asked, held, (*known)->rules);
  routes_.emplace(key, route);
  return route;
}

base::Outcome<jobs::Route> Planning::route(const std::string& name,
                                           const std::string& from,
                                           const std::string& to) {
  const auto known = platform(name);
  if (!known) return base::refuse(known.error());
  if ((*known)->held.empty() && (*known)->rules.empty()) {
    return base::refuse(Kind::kNotFound,
                        fmt::format("no image and no rule is known for platform '{}'; "
                                    "'vantro image list' shows the platforms",
                                    base::printable(name, 60)));
  }
  return jobs::find_route({name, "system", from, to, "", {}, false}, (*known)->held,
                          (*known)->rules);
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

base::Outcome<std::string> Planning::held(const jobs::Job& job) {
  if (job.rollout.empty() || job.state != jobs::JobState::kOpen) return std::string();
  auto known = rollouts_.find(job.rollout);
  if (known == rollouts_.end()) {
    std::optional<jobs::RolloutProgress> progress;
    if (const auto rollout = repository_.jobs.rollout(job.rollout)) {
      jobs::JobFilter filter;
      filter.rollout = job.rollout;
      filter.most = 100'000;
      const auto jobs = repository_.jobs.list(filter);
      if (!jobs) return base::refuse(jobs.error());
      progress = jobs::progress(*rollout, *jobs);
    }
    known = rollouts_.emplace(job.rollout, progress).first;
  }
  const auto& progress = known->second;
  if (!progress || progress->open_batch == job.batch) return std::string();
  if (progress->state == jobs::RolloutProgress::State::kStopped) {
    return fmt::format("rollout '{}' is stopped: {} failed", job.rollout,
                       progress->failed);
  }
  return fmt::format("batch {} of rollout '{}' is not open yet; batch {} is", job.batch,
                     job.rollout, progress->open_batch);
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
    constexpr std::int64_t kShortest = 1000;  // sooner, it was only the next file
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

void Planning::add_ways(jobs::ReadinessFacts& facts, const fleet::Device& device,
                        const ImageKnown& next, const ReadinessWanted& wanted) {
  std::vector<std::string> asked;
  if (const auto parsed = base::parse_protocols(wanted.over)) asked = *parsed;
  std::set<std::string> served;
  for (const auto& one : surroundings_.listening) served.insert(one.protocol);
  for (const auto& one : asked) {
    if (!served.contains(one)) facts.not_served.push_back(one);
  }
  const auto own = addresses(device);
  if (own.empty()) return;
  std::set<std::string> done;
  for (const auto& [protocol, where] : surroundings_.listening) {
    if (!asked.empty() &&
        std::find(asked.begin(), asked.end(), protocol) == asked.end()) {
      continue;
    }
    if (where.address.is_v4() != own.front().is_v4() || !done.insert(protocol).second) {
      continue;
    }
    const auto* known = base::find_protocol(protocol);
    // What always needs an account is no way for whoever has none, and no fault.
    if (asked.empty() && known->needs_account && wanted.account.empty()) continue;
    jobs::WayFacts way{protocol, "", "", ""};
    for (const auto& name : next.names) {
      const gate::Asker asker{{own.front(), 0},
                              protocol,
                              "",
                              known->carries_accounts ? wanted.account : std::string(),
                              ""};
      way.hindrance = hindrance(gate_, name, asker);
      way.name = name;
      if (way.hindrance.empty()) break;
    }
    if (way.hindrance.empty() && !way.name.empty()) {
      const auto reached = addresses_of(surroundings_, where, own.front());
      if (reached.empty()) {
        way.hindrance = "this machine has no way to the device";
      } else {
        way.server = base::Endpoint{reached.front(), where.port}.text();
      }
    }
    facts.ways.push_back(std::move(way));
  }
}

base::Outcome<Way> Planning::way(const fleet::Device& device,
                                 const jobs::JobImage& wanted, const std::string& over,
                                 const std::string& account) {
  const auto known = image(wanted.sha256);
  if (!known) return base::refuse(known.error());
  if (*known == nullptr) {
    return base::refuse(Kind::kNotFound,
                        fmt::format("'{}' was removed from the catalogue", wanted.name));
  }
  if (addresses(device).empty()) {
    return base::refuse(Kind::kInvalid,
                        fmt::format("the address of {} is not known; set it with 'vantro "
                                    "device edit {} --addresses ...'",
                                    device.name, device.name));
  }
  auto one = **known;
  if (!wanted.offered_as.empty()) one.names = {wanted.offered_as};
  jobs::ReadinessFacts facts;
  add_ways(facts, device, one, {over, account, ""});
  std::vector<std::string> hindrances;
  for (const auto& way : facts.ways) {
    if (way.server.empty()) {
      if (!way.hindrance.empty()) {
        hindrances.push_back(fmt::format("{}: {}", way.protocol, way.hindrance));
      }
      continue;
    }
    const auto proof = proven(device);
    if (!proof) return base::refuse(proof.error());
    auto spans = durations(device, wanted.sha256, one.facts.size, *proof);
    if (!spans) return base::refuse(spans.error());
    return Way{way.protocol,
               *base::Endpoint::parse(way.server),
               way.name,
               one.facts.size,
               one.facts.look_alikes,
               std::move(*spans)};
  }
  if (hindrances.empty()) {
    return base::refuse(Kind::kDenied,
                        fmt::format("'{0}' is not on offer to {1}; put it on offer with "
                                    "'vantro offer add {0}'",
                                    wanted.name, device.name));
  }
  return base::refuse(Kind::kDenied,
                      fmt::format("'{}' is not open to {}: {}", wanted.name, device.name,
                                  fmt::join(hindrances, "; ")));
}

base::Outcome<Readiness> Planning::readiness(const fleet::Device& device,
                                             const std::optional<Aim>& given,
                                             const ReadinessWanted& wanted) {
  jobs::ReadinessFacts facts;
  facts.now = now_;
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
          fmt::format("{} has no open job; say what it is to be ready for "
                      "with --to IMAGE",
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
