#include "desk/rollouts.h"

#include <algorithm>
#include <fmt/format.h>
#include <map>

#include "base/counted.h"
#include "base/visible_name.h"
#include "base/wildcard.h"
#include "repository/job_changes.h"
#include "text/nearest.h"

namespace vantro::desk {

using base::Kind;
using repository::Change;

namespace {

constexpr std::size_t kMostDevices = 100'000;
constexpr std::size_t kLongestName = 100;

const std::vector<std::string>& keys() {
  static const std::vector<std::string> all{"site",     "platform", "maker",
                                            "hardware", "version",  "name"};
  return all;
}

std::string value_of(const fleet::Device& device, const std::string& key) {
  if (key == "version") return running_versions(device.state).version;
  return key == "name" ? device.name : fleet::field_text(device, key);
}

// "site=Heron,platform=lattice24"
base::Outcome<std::vector<std::pair<std::string, std::string>>> parts_of(
    const std::string& text) {
  std::vector<std::pair<std::string, std::string>> parts;
  for (std::size_t at = 0; at <= text.size();) {
    const auto end = std::min(text.find(',', at), text.size());
    const auto part = base::trimmed(std::string_view(text).substr(at, end - at));
    at = end + 1;
    if (part.empty()) continue;
    const auto equals = part.find('=');
    if (equals == std::string_view::npos) {
      parts.emplace_back("", part);
      continue;
    }
    auto key = base::folded(base::trimmed(part.substr(0, equals)));
    if (std::find(keys().begin(), keys().end(), key) == keys().end()) {
      return base::refuse(Kind::kInvalid,
                          fmt::format("'{}' does not select devices; there are {}",
                                      base::printable(key, 40), fmt::join(keys(), ", ")),
                          text::nearest(key, keys()).value_or(""));
    }
    parts.emplace_back(std::move(key), base::trimmed(part.substr(equals + 1)));
  }
  if (parts.empty()) {
    return base::refuse(Kind::kInvalid,
                        "say which devices: --devices \"site=Heron,platform=lattice24\", "
                        "or their names");
  }
  return parts;
}

jobs::JobFilter all_of(const jobs::Rollout& rollout) {
  jobs::JobFilter filter;
  filter.rollout = rollout.name;
  filter.most = kMostDevices;
  return filter;
}

}  // namespace

base::Outcome<std::vector<fleet::Device>> Rollouts::select(
    const std::string& text) const {
  const auto parts = parts_of(text);
  if (!parts) return base::refuse(parts.error());
  const auto all = repository_.devices.all();
  if (!all) return base::refuse(all.error());
  std::vector<fleet::Device> found;
  const bool by_name = std::any_of(parts->begin(), parts->end(),
                                   [](const auto& one) { return one.first.empty(); });
  if (by_name) {
    for (const auto& [key, name] : *parts) {
      if (!key.empty()) {
        return base::refuse(Kind::kInvalid,
                            "name devices, or select them by their facts; not "
                            "both");
      }
      auto device = repository_.devices.find(name);
      if (!device) return base::refuse(device.error());
      found.push_back(std::move(*device));
    }
    return found;
  }
  for (const auto& device : *all) {
    const bool all_fit = std::all_of(parts->begin(), parts->end(), [&](const auto& one) {
      return base::fits_wildcards(base::folded(one.second),
                                  base::folded(value_of(device, one.first)));
    });
    if (all_fit) found.push_back(device);
  }
  if (found.empty()) {
    return base::refuse(
        Kind::kNotFound,
        fmt::format("no device matches '{}'; 'vantro device list' shows them",
                    base::printable(text, 100)));
  }
  return found;
}

base::Outcome<RolloutView> Rollouts::plan(const RolloutWanted& wanted) {
  const auto devices = select(wanted.devices);
  if (!devices) return base::refuse(devices.error());
  if (wanted.name.empty() || wanted.name.size() > kLongestName ||
      base::printable(wanted.name) != wanted.name) {
    return base::refuse(Kind::kInvalid, "a rollout's name is one line of 1 to 100 bytes");
  }
  if (auto sound = check_wanted(wanted.job, repository_.clock.wall()); !sound) {
    return base::refuse(sound.error());
  }
  Planning planning(repository_, gate_, surroundings_);
  const auto aim = planning.aim(wanted.job.aim);
  if (!aim) return base::refuse(aim.error());
  Jobs jobs(repository_, gate_, surroundings_, caller_);
  std::vector<std::string> left_out;
  std::vector<jobs::Job> planned;
  const base::Refusal dry{Kind::kInvalid, "not really"};
  const auto work = [&](db::Transaction& t,
                        Change& change) -> base::Outcome<jobs::Rollout> {
    left_out.clear();
    planned.clear();
    jobs::Rollout rollout;
    rollout.name = wanted.name;
    rollout.aim = aim->name;
    rollout.batch = wanted.batch;
    rollout.stop_after = wanted.stop_after;
    rollout.window = wanted.job.window;
    rollout.remark = wanted.job.remark;
    rollout.planned_by = change.by();
    rollout.planned_at = change.now();
    auto added = jobs::Jobs::add(t, std::move(rollout));
    if (!added) return added;
    for (const auto& device : *devices) {
      const auto route = planning.route(device, *aim, false);
      if (!route) return base::refuse(route.error());
      if (route->result == jobs::RouteResult::kThere) {
        left_out.push_back(fmt::format("{}: {}", device.name, route->sentence));
        continue;
      }
      const auto number = static_cast<std::int64_t>(planned.size());
      auto job = jobs.plan(t, change, planning, device, *aim, wanted.job, wanted.name,
                           number / wanted.batch + 1);
      if (job) {
        planned.push_back(std::move(*job));
      } else if (job.error().kind == Kind::kExists ||
                 job.error().kind == Kind::kInvalid) {
        left_out.push_back(fmt::format("{}: {}", device.name, job.error().sentence));
      } else {
        return base::refuse(job.error());
      }
    }
    if (planned.empty()) {
      return base::refuse(Kind::kInvalid, fmt::format("no job can be planned: {}",
                                                      fmt::join(left_out, "; ")));
    }
    change.record(t, "rollout-plan", added->name, aim->image.digests.sha256,
                  fmt::format("'{}' for {} in batches of {}", aim->name,
                              base::counted(planned.size(), "device"), wanted.batch));
    if (!wanted.really) return base::refuse(dry);
    return added;
  };
  auto done = repository::change(repository_, caller_.by(), work);
  if (!done && !wanted.really && done.error().sentence == dry.sentence) {
    RolloutView view;
    view.rollout.name = wanted.name;
    view.rollout.aim = aim->name;
    view.rollout.batch = wanted.batch;
    view.rollout.stop_after = wanted.stop_after;
    view.progress = jobs::progress(view.rollout, planned);
    view.left_out = std::move(left_out);
    std::map<std::string, std::string> sites;
    for (const auto& one : *devices) sites.emplace(one.name, one.site);
    for (auto& one : planned) {
      const auto site = sites[one.device_name];
      view.rows.push_back({std::move(one), site, {}});
    }
    return view;
  }
  if (!done) return base::refuse(done.error());
  auto view = find(wanted.name);
  if (view) view->left_out = std::move(left_out);
  return view;
}

base::Outcome<RolloutView> Rollouts::go_on(const std::string& name,
                                           const std::string& remark) {
  auto done = repository::change(
      repository_, caller_.by(),
      [&](db::Transaction& t, Change& change) -> base::Outcome<void> {
        auto rollout = jobs::Jobs::rollout(t, name);
        if (!rollout) return base::refuse(rollout.error());
        const auto progress =
            jobs::progress(*rollout, jobs::Jobs::select(t, all_of(*rollout)));
        if (progress.state != jobs::RolloutProgress::State::kStopped) {
          return base::refuse(Kind::kInvalid,
                              fmt::format("rollout '{}' is not stopped: {}",
                                          rollout->name, progress.sentence));
        }
        rollout->accepted = static_cast<std::int64_t>(progress.failed);
        jobs::Jobs::set_state(t, *rollout);
        change.record(t, "rollout-continue", rollout->name, "",
                      fmt::format("after {} failed{}{}", progress.failed,
                                  remark.empty() ? "" : "; ", remark));
        return {};
      });
  if (!done) return base::refuse(done.error());
  return find(name);
}

base::Outcome<RolloutView> Rollouts::withdraw(const std::string& name,
                                              const std::string& why) {
  if (auto written = repository_.ledger.flush(); !written) {
    return base::refuse(written.error());
  }
  auto done = repository::change(
      repository_, caller_.by(),
      [&](db::Transaction& t, Change& change) -> base::Outcome<void> {
        auto rollout = jobs::Jobs::rollout(t, name);
        if (!rollout) return base::refuse(rollout.error());
        if (rollout->withdrawn) {
          return base::refuse(
              Kind::kInvalid,
              fmt::format("rollout '{}' is withdrawn already", rollout->name));
        }
        std::size_t ended = 0;
        for (const auto& job : jobs::Jobs::select(t, all_of(*rollout))) {
          if (job.state != jobs::JobState::kOpen) continue;
          repository::end_job(t, change, job, jobs::JobState::kWithdrawn,
                              "the rollout was withdrawn");
          ++ended;
        }
        rollout->withdrawn = true;
        jobs::Jobs::set_state(t, *rollout);
        change.record(t, "rollout-withdraw", rollout->name, "",
                      fmt::format("{} ended{}{}", base::counted(ended, "open job"),
                                  why.empty() ? "" : "; ", why));
        return {};
      });
  if (!done) return base::refuse(done.error());
  return find(name);
}

base::Outcome<RolloutView> Rollouts::find(const std::string& name) {
  auto rollout = repository_.jobs.rollout(name);
  if (!rollout) return base::refuse(rollout.error());
  const auto jobs = repository_.jobs.list(all_of(*rollout));
  if (!jobs) return base::refuse(jobs.error());
  const auto devices = repository_.devices.all();
  if (!devices) return base::refuse(devices.error());
  std::map<std::int64_t, std::string> sites;
  for (const auto& one : *devices) sites.emplace(one.id, one.site);
  auto views = Jobs(repository_, gate_, surroundings_, caller_).list(all_of(*rollout));
  if (!views) return base::refuse(views.error());
  RolloutView view;
  view.progress = jobs::progress(*rollout, *jobs);
  for (auto& one : views->jobs) {
    auto site = sites[one.job.device];
    view.rows.push_back({std::move(one.job), std::move(site), std::move(one.progress)});
  }
  view.rollout = std::move(*rollout);
  return view;
}

base::Outcome<std::vector<Readiness>> Rollouts::readiness(const std::string& name) {
  const auto rollout = repository_.jobs.rollout(name);
  if (!rollout) return base::refuse(rollout.error());
  auto filter = all_of(*rollout);
  filter.state = jobs::JobState::kOpen;
  const auto jobs = repository_.jobs.list(filter);
  if (!jobs) return base::refuse(jobs.error());
  const auto devices = repository_.devices.all();
  if (!devices) return base::refuse(devices.error());
  std::map<std::int64_t, const fleet::Device*> by_id;
  for (const auto& one : *devices) by_id.emplace(one.id, &one);
  Planning planning(repository_, gate_, surroundings_);
  if (auto read = planning.expect_many(); !read) return base::refuse(read.error());
  std::vector<Readiness> result;
  for (const auto& job : *jobs) {
    // A device that was removed meanwhile no longer has an open job.
    const auto device = by_id.find(job.device);
    if (device == by_id.end()) continue;
    auto ready = planning.readiness(*device->second, {}, {"", "", caller_.name});
    if (!ready) return base::refuse(ready.error());
    result.push_back(std::move(*ready));
  }
  return result;
}

base::Outcome<std::vector<RolloutView>> Rollouts::list() {
  const auto all = repository_.jobs.rollouts();
  if (!all) return base::refuse(all.error());
  std::vector<RolloutView> views;
  for (const auto& one : *all) {
    const auto jobs = repository_.jobs.list(all_of(one));
    if (!jobs) return base::refuse(jobs.error());
    RolloutView view;
    view.rollout = one;
    view.progress = jobs::progress(one, *jobs);
    views.push_back(std::move(view));
  }
  return views;
}

}  // namespace vantro::desk
