#include "desk/planning.h"

#include <algorithm>
#include <fmt/format.h>

#include "base/protocol.h"
#include "base/visible_name.h"
#include "desk/images.h"
#include "gate/boards.h"
#include "text/version.h"

namespace vantro::desk {

using base::Kind;

namespace {

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

// What a step to the image includes. Of several kits nobody can tell which is meant.
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

std::string version_of_role(const fleet::State& state, const std::string& role) {
  if (role == "boot") return state.text(fleet::kBootVersion);
  return role == "system" || role.empty() ? running_versions(state).version : "";
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
    // A typed name is more often an image's.
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

const std::vector<gate::TransferView>& Planning::transfers() {
  if (!transfers_) transfers_ = gate_.boards().transfers();
  return *transfers_;
}

base::Outcome<const catalog::Image*> Planning::image_of(const std::string& sha256) {
  const auto known = image(sha256);
  if (!known) return base::refuse(known.error());
  return *known == nullptr ? nullptr : &(*known)->image;
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
  asked.from = version_of_role(device.state, role);
  asked.to = facts.version;
  asked.to_sha256 = aim.image.digests.sha256;
  if (!boot.empty()) asked.others["boot"] = boot;
  if (!running.version.empty()) asked.others["system"] = running.version;
  asked.by_recovery = by_recovery;
  auto held = (*known)->held;
  const auto at = std::find_if(held.begin(), held.end(), [&](const auto& one) {
    return one.sha256 == asked.to_sha256;
  });
  // Another platform's image is allowed here if the job is about that.
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
                        fmt::format("no image and no rule for platform '{}'; 'vantro "
                                    "image list' shows the platforms",
                                    base::printable(name, 60)));
  }
  return jobs::find_route({name, "system", from, to, "", {}, false}, (*known)->held,
                          (*known)->rules);
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

void Planning::add_ways(jobs::ReadinessFacts& facts, const fleet::Device& device,
                        const ImageKnown& next, const ReadinessWanted& wanted) {
  std::vector<std::string> asked;
  if (const auto parsed = base::parse_protocols(wanted.over)) asked = *parsed;
  std::set<std::string> served;
  for (const auto& one : surroundings_.listening()) served.insert(one.protocol);
  for (const auto& one : asked) {
    if (!served.contains(one)) facts.not_served.push_back(one);
  }
  const auto own = addresses(device);
  if (own.empty()) return;
  std::set<std::string> done;
  for (const auto& [protocol, where] : surroundings_.listening()) {
    if (!asked.empty() &&
        std::find(asked.begin(), asked.end(), protocol) == asked.end()) {
      continue;
    }
    if (where.address.is_v4() != own.front().is_v4() || !done.insert(protocol).second) {
      continue;
    }
    const auto* known = base::find_protocol(protocol);
    // A protocol that always needs an account is left out for a caller without one.
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
        way.hindrance = "this machine has no route to the device";
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
                                    "device change {} --addresses ...'",
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

}  // namespace vantro::desk
