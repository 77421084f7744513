#include "desk/jobs.h"

#include <algorithm>
#include <fmt/format.h>

#include "base/protocol.h"
#include "base/visible_name.h"
#include "repository/job_changes.h"
#include "repository/reserved_names.h"
#include "text/version.h"

namespace vantro::desk {

using base::Kind;
using repository::Change;

namespace {

constexpr std::size_t kMostSeen = 2000;
constexpr std::size_t kLongestRemark = 400;
constexpr base::WallTime kLookedAtAgain = 600'000;  // ms

base::Outcome<void> one_line(const char* what, const std::string& text) {
  if (text.size() <= kLongestRemark && base::printable(text, kLongestRemark) == text) {
    return {};
  }
  return base::refuse(
      Kind::kInvalid,
      fmt::format("{} must be one line of at most {} bytes", what, kLongestRemark));
}

// What is planned, from the route of versions.
base::Outcome<jobs::Purpose> purpose_of(const std::optional<jobs::Purpose>& given,
                                        const std::string& from, const std::string& to) {
  const auto a = text::Version(from).sort_key();
  const auto b = text::Version(to).sort_key();
  const bool down = !a.empty() && !b.empty() && b < a;
  if (!given) return down ? jobs::Purpose::kDowngrade : jobs::Purpose::kUpgrade;
  if (down && *given == jobs::Purpose::kUpgrade) {
    return base::refuse(Kind::kInvalid,
                        fmt::format("{} to {} is a downgrade; plan it with --purpose "
                                    "downgrade",
                                    from, to));
  }
  return *given;
}

void add_image(std::vector<jobs::JobImage>& images, const std::string& name,
               const std::string& sha256, const std::string& role,
               const std::string& version, const std::string& why) {
  const auto number = static_cast<std::int64_t>(images.size()) + 1;
  images.push_back({number, name, sha256, role, version, why, ""});
}

// In the order of installing.
base::Outcome<std::vector<jobs::JobImage>> images_of(const jobs::Route& route,
                                                     const Aim& aim) {
  std::vector<jobs::JobImage> images;
  const auto companions = [&](const std::vector<jobs::Companion>& all) {
    for (const auto& one : all) {
      add_image(images, one.image, one.sha256, one.role, one.version, one.why);
    }
  };
  switch (route.result) {
    case jobs::RouteResult::kForbidden:
      return base::refuse(Kind::kInvalid, route.sentence);
    case jobs::RouteResult::kMissing:
      return base::refuse(Kind::kInvalid, route.sentence + "; add it first");
    case jobs::RouteResult::kFound:
      for (const auto& step : route.steps) {
        companions(step.before);
        add_image(images, step.image, step.sha256, step.role, step.version,
                  fmt::format("{}", fmt::join(step.demanded_by, "; ")));
        companions(step.behind);
      }
      return images;
    case jobs::RouteResult::kThere:
    case jobs::RouteResult::kUnknown:
      break;
  }
  // The asked image alone; readiness says that the route is unknown.
  if (aim.kit) {
    for (const auto& part : aim.kit->parts) {
      const auto& image = part.image;
      add_image(images, image.name, image.digests.sha256, image.facts.role,
                image.facts.version, fmt::format("kit '{}'", aim.kit->name));
    }
  } else {
    const auto& image = aim.image;
    add_image(images, image.name, image.digests.sha256, image.facts.role,
              image.facts.version, "");
  }
  return images;
}

std::string window_text(const jobs::Window& window) {
  if (!window.from && !window.until) return "";
  return fmt::format("{} to {}", window.from ? base::local_time(*window.from) : "now",
                     window.until ? base::local_time(*window.until) : "open end");
}

std::string images_text(const jobs::Job& job) {
  std::vector<std::string> names;
  for (const auto& one : job.images) names.push_back(one.name);
  return fmt::format("{}", fmt::join(names, ", then "));
}

// The part of the state that a job follows.
std::vector<jobs::Reported> reported(const fleet::State& state) {
  std::vector<jobs::Reported> result;
  for (const auto& one : state.values()) {
    if (one.field == fleet::kVersion || one.field == fleet::kBootVersion) {
      result.push_back({one.at, one.field, one.value, one.source});
    }
    if (one.field == fleet::kSlot) {
      result.push_back({one.at, "slot", one.value, one.source});
    }
    if (one.field == fleet::kNextSlot) {
      const auto* slot = state.find(fleet::kSlot, one.member, one.value);
      if (slot != nullptr) {
        result.push_back({one.at, "next_slot", slot->value, one.source});
      }
    }
  }
  return result;
}

// A report about a job is a fact of its device as well.
void learn(db::Transaction& t, const Change& change, const jobs::Job& job,
           const jobs::JobImage& image, jobs::Mark mark) {
  auto device = fleet::Devices::with_id(t, job.device);
  if (!device) return;
  const auto set = [&](const char* field, const std::string& item,
                       const std::string& value) {
    device->state.set({"", field, item, value, change.now(),
                       fmt::format("job, marked by {}", change.by())});
  };
  const bool system = image.role == "system" || image.role.empty();
  const bool of_slot = system && !job.slot.empty();
  if (mark == jobs::Mark::kWritten) set(fleet::kHolds, image.name, image.name);
  if (mark == jobs::Mark::kWritten && of_slot) set(fleet::kSlot, job.slot, image.name);
  if (mark == jobs::Mark::kNext && of_slot) set(fleet::kNextSlot, "", job.slot);
  if (mark == jobs::Mark::kRunning) {
    if (of_slot) set(fleet::kRunningSlot, "", job.slot);
    if (!image.version.empty() && (system || image.role == "boot")) {
      set(system ? fleet::kVersion : fleet::kBootVersion, "", image.version);
    }
  }
  fleet::Devices::write_state(t, *device);
}

}  // namespace

base::Outcome<void> check_wanted(const JobWanted& wanted, base::WallTime now) {
  for (const auto& [what, text] :
       {std::pair("the remark", &wanted.remark), {"the slot", &wanted.slot}}) {
    if (auto sound = one_line(what, *text); !sound) return sound;
  }
  const auto& window = wanted.window;
  if (window.until &&
      (*window.until <= now || (window.from && *window.from >= *window.until))) {
    return base::refuse(
        Kind::kInvalid,
        fmt::format("the change window {} is over or empty", window_text(window)));
  }
  return {};
}

base::Outcome<fleet::Device> Jobs::device(const std::string& typed) const {
  if (const auto address = base::Address::parse(typed)) {
    const auto name = repository_.inventory.device_at(*address);
    if (name.empty()) {
      return base::refuse(
          Kind::kNotFound,
          fmt::format("{} belongs to no device; add the device with 'vantro "
                      "device add NAME --addresses {}'",
                      address->text(), address->text()));
    }
    return repository_.devices.find(name);
  }
  return repository_.devices.find(typed);
}

base::Outcome<jobs::Job> Jobs::open_job(db::Transaction& t,
                                        const fleet::Device& device) const {
  auto job = jobs::Jobs::open_of(t, device.id);
  if (job) return std::move(*job);
  return base::refuse(Kind::kNotFound,
                      fmt::format("{} has no open job; plan one with 'vantro job add {} "
                                  "--image IMAGE'",
                                  device.name, device.name));
}

base::Outcome<void> Jobs::offer(db::Transaction& t, Change& change,
                                const fleet::Device& device, const jobs::Job& job,
                                const catalog::Image& image, const std::string& name) {
  if (device.networks.empty()) {
    return base::refuse(Kind::kInvalid,
                        fmt::format("{} has no address to offer '{}' to; set one with "
                                    "'vantro device change {} --addresses ...'",
                                    device.name, name, device.name));
  }
  for (const auto& network : device.networks) {
    catalog::Offer offer;
    offer.name = name;
    offer.image = image;
    offer.network = network;
    offer.any_platform = job.any_platform;
    offer.since = change.now();
    offer.until = job.window.until;
    const auto added = catalog::Offers::add(t, offer);
    if (!added) return base::refuse(added.error());
    change.record(t, "offer-add", name, image.digests.sha256,
                  fmt::format("for the job of {}, to {}", device.name, network.text()));
    jobs::Jobs::add_offer(t, job, {added->id, name});
  }
  return {};
}

base::Outcome<jobs::Job> Jobs::plan(db::Transaction& t, Change& change,
                                    Planning& planning, const fleet::Device& device,
                                    const Aim& aim, const JobWanted& wanted,
                                    const std::string& rollout, std::int64_t batch) {
  jobs::Job job;
  job.device = device.id;
  job.device_name = device.name;
  job.platform = device.platform;
  job.aim = aim.name;
  job.from_version = version_of_role(device.state, aim.image.facts.role);
  job.slot = wanted.slot;
  job.window = wanted.window;
  job.remark = wanted.remark;
  job.planned_by = job.owner = change.by();
  job.planned_at = change.now();
  job.rollout = rollout;
  job.batch = batch;
  const auto& facts = aim.image.facts;
  const auto purpose = purpose_of(wanted.purpose, job.from_version, facts.version);
  if (!purpose) return base::refuse(purpose.error());
  job.purpose = *purpose;
  job.any_platform = wanted.any_platform || job.purpose == jobs::Purpose::kConvert;
  if (aim.image.withdrawal) {
    return base::refuse(
        Kind::kDenied,
        fmt::format("'{}' was withdrawn: {}", aim.image.name, aim.image.withdrawal->why));
  }
  const auto other = facts.is_guessed("platform")
                         ? std::string()
                         : catalog::other_platform(facts.platforms, device.platform);
  const auto hardware = facts.is_guessed("hardware")
                            ? std::string()
                            : catalog::other_hardware(facts.hardware, device.hardware);
  if (!job.any_platform && !(other.empty() && hardware.empty())) {
    return base::refuse(
        Kind::kInvalid,
        fmt::format("'{}' does not fit {}: {}; to plan it anyway: --any-platform",
                    aim.image.name, device.name, other.empty() ? hardware : other));
  }
  const auto route = planning.route(device, aim, job.purpose == jobs::Purpose::kRecover);
  if (!route) return base::refuse(route.error());
  auto images = images_of(*route, aim);
  if (!images) return base::refuse(images.error());
  job.images = std::move(*images);
  std::string offered;
  if (!wanted.offer_as.empty()) {
    auto name = base::visible_name(wanted.offer_as);
    if (!name) return base::refuse(name.error());
    if (auto free = repository::not_reserved(*name); !free) {
      return base::refuse(free.error());
    }
    offered = std::move(*name);
    for (auto& one : job.images) {
      if (one.sha256 == aim.image.digests.sha256) one.offered_as = offered;
    }
  }
  auto added = jobs::Jobs::add(t, std::move(job));
  if (!added) return added;
  if (!offered.empty()) {
    if (auto made = offer(t, change, device, *added, aim.image, offered); !made) {
      return base::refuse(made.error());
    }
  }
  const auto sentence = fmt::format(
      "{} to '{}': {}{}{}", jobs::word(added->purpose), added->aim, images_text(*added),
      added->remark.empty() ? "" : "; " + added->remark,
      rollout.empty() ? "" : fmt::format("; rollout '{}', batch {}", rollout, batch));
  jobs::Jobs::note(t, {0, added->id, change.now(), change.by(), "planned", 0, sentence});
  change.record(t, "job-plan", device.name, aim.image.digests.sha256, sentence);
  return added;
}

base::Outcome<JobView> Jobs::plan(const std::string& typed, const JobWanted& wanted) {
  const auto device = this->device(typed);
  if (!device) return base::refuse(device.error());
  if (auto sound = check_wanted(wanted, repository_.clock.wall()); !sound) {
    return base::refuse(sound.error());
  }
  Planning planning(repository_, gate_, surroundings_);
  const auto aim = planning.aim(wanted.aim);
  if (!aim) return base::refuse(aim.error());
  auto planned = repository::change(
      repository_, caller_.by(),
      [&](db::Transaction& t, Change& change) -> base::Outcome<jobs::Job> {
        return plan(t, change, planning, *device, *aim, wanted, "", 0);
      });
  if (!planned) return base::refuse(planned.error());
  return view(planning, std::move(*planned));
}

template <class F>
base::Outcome<JobView> Jobs::changing(const std::string& typed, F work) {
  const auto device = this->device(typed);
  if (!device) return base::refuse(device.error());
  // Facts that the job reports of its device at its end are there then.
  if (auto written = repository_.ledger.flush(); !written) {
    return base::refuse(written.error());
  }
  Planning planning(repository_, gate_, surroundings_);
  auto changed = repository::change(
      repository_, caller_.by(),
      [&](db::Transaction& t, Change& change) -> base::Outcome<jobs::Job> {
        auto job = open_job(t, *device);
        if (!job) return job;
        if (auto done = work(t, change, *job); !done) return base::refuse(done.error());
        jobs::JobFilter filter;
        filter.device = device->id;
        filter.most = 1;
        return jobs::Jobs::select(t, filter).front();
      });
  if (!changed) return base::refuse(changed.error());
  return view(planning, std::move(*changed));
}

base::Outcome<JobView> Jobs::take(const std::string& typed) {
  return changing(typed,
                  [](db::Transaction& t, Change& change,
                     const jobs::Job& job) -> base::Outcome<void> {
                    if (job.owner == change.by()) {
                      return base::refuse(Kind::kInvalid, "the job is already yours");
                    }
                    jobs::Jobs::set_owner(t, job, change.by());
                    const auto sentence = fmt::format("from {}", job.owner);
                    jobs::Jobs::note(t, {0, job.id, change.now(), change.by(),
                                         "taken over", 0, sentence});
                    change.record(t, "job-take", job.device_name, "", sentence);
                    return {};
                  });
}

base::Outcome<JobView> Jobs::withdraw(const std::string& typed, const std::string& why) {
  if (auto sound = one_line("the reason", why); !sound) {
    return base::refuse(sound.error());
  }
  return changing(typed,
                  [&](db::Transaction& t, Change& change,
                      const jobs::Job& job) -> base::Outcome<void> {
                    repository::end_job(t, change, job, jobs::JobState::kWithdrawn, why);
                    return {};
                  });
}

base::Outcome<JobView> Jobs::acknowledge(const std::string& typed) {
  return changing(
      typed,
      [&](db::Transaction& t, Change& change,
          const jobs::Job& job) -> base::Outcome<void> {
        std::vector<std::string> remarks;
        for (const auto& one : job.images) {
          const auto image = catalog::Catalog::with_content(t, one.sha256);
          if (image && !image->facts.remarks.empty()) {
            remarks.push_back(fmt::format("'{}': {}", image->name, image->facts.remarks));
          }
        }
        if (remarks.empty()) {
          return base::refuse(Kind::kInvalid, "no image of the job has remarks to read");
        }
        const auto sentence = fmt::format("{}", fmt::join(remarks, "; "));
        jobs::Jobs::note(
            t, {0, job.id, change.now(), change.by(), "acknowledged", 0, sentence});
        change.record(t, "job-acknowledge", job.device_name, "", sentence);
        return {};
      });
}

base::Outcome<JobView> Jobs::mark(const std::string& typed, jobs::Mark mark,
                                  const std::string& remark) {
  if (auto sound = one_line("the remark", remark); !sound) {
    return base::refuse(sound.error());
  }
  // The job's stage, before the transaction.
  const auto before = find(typed);
  if (!before) return base::refuse(before.error());
  return changing(
      typed,
      [&](db::Transaction& t, Change& change,
          const jobs::Job& job) -> base::Outcome<void> {
        const auto events = jobs::Jobs::events(t, job.id);
        // Two people may report at the same time.
        if (job.id != before->job.id || events.empty() ||
            events.back().id != before->last_event) {
          return base::refuse(Kind::kBusy,
                              "the job has changed meanwhile; look at it and try again");
        }
        if (auto may = jobs::may_mark(job, before->progress, mark); !may) return may;
        if (mark == jobs::Mark::kFailed || mark == jobs::Mark::kConfirmed) {
          repository::end_job(t, change, job,
                              mark == jobs::Mark::kFailed ? jobs::JobState::kFailed
                                                          : jobs::JobState::kConfirmed,
                              remark);
          return {};
        }
        const auto number = before->progress.at_hand;
        const auto& image = job.images[static_cast<std::size_t>(number - 1)];
        jobs::Jobs::note(
            t, {0, job.id, change.now(), change.by(), jobs::word(mark), number, remark});
        change.record(t, "job-mark", job.device_name, image.sha256,
                      fmt::format("{}: {}{}", image.name, jobs::word(mark),
                                  remark.empty() ? "" : "; " + remark));
        learn(t, change, job, image, mark);
        return {};
      });
}

base::Outcome<Readiness> Jobs::readiness(const std::string& typed, const std::string& to,
                                         const ReadinessWanted& wanted) {
  const auto device = this->device(typed);
  if (!device) return base::refuse(device.error());
  if (auto parsed = base::parse_protocols(wanted.over); !parsed) {
    return base::refuse(parsed.error());
  }
  if (auto known = known_account(repository_, wanted.account); !known) {
    return base::refuse(known.error());
  }
  Planning planning(repository_, gate_, surroundings_);
  std::optional<Aim> aim;
  if (!to.empty()) {
    auto found = planning.aim(to);
    if (!found) return base::refuse(found.error());
    aim = std::move(*found);
  }
  auto result = planning.readiness(*device, aim, wanted);
  if (!result || !result->job) return result;
  auto noted =
      repository_.database->write([&](db::Transaction& t) -> base::Outcome<void> {
        const auto job = jobs::Jobs::open_of(t, device->id);
        if (!job || job->id != result->job->id) return {};
        const auto now = repository_.clock.wall();
        const auto sentence = jobs::summary(result->checks);
        // Repeated looks with the same result leave one row.
        const auto events = jobs::Jobs::events(t, job->id);
        const auto last =
            std::find_if(events.rbegin(), events.rend(),
                         [](const auto& one) { return one.what == "readiness"; });
        if (last != events.rend() && last->sentence == sentence &&
            now - last->at < kLookedAtAgain) {
          return {};
        }
        jobs::Jobs::note(t, {0, job->id, now, caller_.name, "readiness", 0, sentence});
        return {};
      });
  if (!noted) return base::refuse(noted.error());
  return result;
}

base::Outcome<jobs::ProgressFacts> Jobs::facts_of(Planning& planning,
                                                  const jobs::Job& job) {
  jobs::ProgressFacts facts;
  facts.now = repository_.clock.wall();
  facts.path_expires_ms =
      std::chrono::milliseconds(gate_.config()->path_proven_for).count();
  auto events = repository_.jobs.events(job.id);
  if (!events) return base::refuse(events.error());
  facts.events = std::move(*events);
  if (job.state != jobs::JobState::kOpen) return facts;
  const auto rows =
      repository_.ledger.of_device(job.device_name, job.planned_at, kMostSeen);
  if (!rows) return base::refuse(rows.error());
  for (const auto& one : *rows) facts.seen.push_back(repository::seen_of(one));
  for (const auto& one : planning.transfers()) {
    if (one.state != gate::State::kRunning || one.device != job.device_name) continue;
    if (job.find(one.sha256) == nullptr) continue;
    facts.running =
        jobs::RunningFetch{one.sha256, one.bytes, one.total.value_or(0), one.began_at};
  }
  const auto device = repository_.devices.find(job.device_name);
  if (device) facts.reported = reported(device->state);
  for (const auto& one : job.images) {
    const auto image = planning.image_of(one.sha256);
    if (!image) return base::refuse(image.error());
    if (*image == nullptr) {
      facts.withdrawn = fmt::format("'{}' was removed from the catalogue", one.name);
    } else if ((*image)->withdrawal) {
      facts.withdrawn =
          fmt::format("'{}' was withdrawn: {}", one.name, (*image)->withdrawal->why);
    }
  }
  auto held = planning.held(job);
  if (!held) return base::refuse(held.error());
  facts.held = std::move(*held);
  return facts;
}

base::Outcome<JobView> Jobs::view(Planning& planning, jobs::Job job) {
  auto facts = facts_of(planning, job);
  if (!facts) return base::refuse(facts.error());
  auto progress = jobs::progress(job, *facts);
  if (job.state == jobs::JobState::kOpen && progress.at_hand != 0) {
    // Once more, with the time that the current image took before.
    const auto& image = job.images[static_cast<std::size_t>(progress.at_hand - 1)];
    if (const auto device = repository_.devices.find(job.device_name)) {
      const auto spans = planning.durations(*device, image.sha256, 0, {});
      if (!spans) return base::refuse(spans.error());
      for (const auto& one : *spans) {
        if (one.phase == "fetch") continue;
        facts->silence = jobs::Silence{one.shortest_ms, one.longest_ms};
        progress = jobs::progress(job, *facts);
      }
    }
  }
  return JobView{std::move(job), std::move(progress),
                 facts->events.empty() ? 0 : facts->events.back().id};
}

base::Outcome<JobView> Jobs::find(const std::string& typed) {
  const auto device = this->device(typed);
  if (!device) return base::refuse(device.error());
  jobs::JobFilter filter;
  filter.device = device->id;
  filter.most = 1;
  auto jobs = repository_.jobs.list(filter);
  if (!jobs) return base::refuse(jobs.error());
  if (jobs->empty()) {
    return base::refuse(
        Kind::kNotFound,
        fmt::format("{} has no job; plan one with 'vantro job add {} --image "
                    "IMAGE'",
                    device->name, device->name));
  }
  Planning planning(repository_, gate_, surroundings_);
  return view(planning, std::move(jobs->front()));
}

base::Outcome<JobListing> Jobs::list(jobs::JobFilter filter) {
  const auto most = filter.most++;
  auto jobs = repository_.jobs.list(filter);
  if (!jobs) return base::refuse(jobs.error());
  JobListing listing;
  listing.more = jobs->size() > most;
  if (listing.more) jobs->resize(most);
  Planning planning(repository_, gate_, surroundings_);
  for (auto& one : *jobs) {
    auto view = this->view(planning, std::move(one));
    if (!view) return base::refuse(view.error());
    listing.jobs.push_back(std::move(*view));
  }
  return listing;
}

}  // namespace vantro::desk
