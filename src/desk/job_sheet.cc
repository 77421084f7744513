// The values to type on the device, from a job.
#include <fmt/format.h>

#include "base/sizes.h"
#include "desk/jobs.h"

namespace vantro::desk {
namespace {

std::string spell(std::int64_t milliseconds) {
  return base::duration_text(static_cast<double>(milliseconds) / 1000);
}

}  // namespace

base::Outcome<jobs::Sheet> Jobs::sheet(
    const std::string& typed, const SheetWanted& wanted,
    const std::vector<jobs::SheetTemplate>& templates) {
  const auto device = this->device(typed);
  if (!device) return base::refuse(device.error());
  const auto view = find(device->name);
  if (!view) return base::refuse(view.error());
  const auto& job = view->job;
  if (job.state != jobs::JobState::kOpen) {
    return base::refuse(
        base::Kind::kNotFound,
        fmt::format("{} has no open job; plan one with 'vantro job add {} "
                    "--image IMAGE'",
                    device->name, device->name));
  }
  if (auto known = known_account(repository_, wanted.account); !known) {
    return base::refuse(known.error());
  }
  Planning planning(repository_, gate_, surroundings_);
  const auto ready = planning.readiness(
      *device, {}, ReadinessWanted{wanted.over, wanted.account, caller_.name});
  if (!ready) return base::refuse(ready.error());
  jobs::SheetFacts facts;
  facts.device = device->name;
  facts.platform = device->platform;
  facts.aim = fmt::format("{} to {}", jobs::word(job.purpose), job.aim);
  facts.remark = job.remark;
  facts.form = wanted.form;
  const auto& at_hand = job.images[static_cast<std::size_t>(
      view->progress.at_hand == 0 ? static_cast<std::int64_t>(job.images.size()) - 1
                                  : view->progress.at_hand - 1)];
  auto way = planning.way(*device, at_hand, wanted.over, wanted.account);
  if (!way) return base::refuse(way.error());
  auto& values = facts.values;
  values["protocol"] = way->protocol;
  values["server"] = way->server.address.text();
  values["port"] = std::to_string(way->server.port);
  values["account"] = account_to_type(way->protocol, wanted.account);
  const auto slash = way->name.rfind('/');
  if (slash != std::string::npos) {
    values["path"] = way->name.substr(0, slash);
    values["file"] = way->name.substr(slash + 1);
  }
  values["name"] = way->name;
  if (way->protocol == "tftp" || way->protocol == "ftp") values["mode"] = "binary";
  values["slot"] = job.slot;
  for (const auto* field : {"own_address", "mask", "gateway", "recovery_port"}) {
    values[field] = device->state.text(field);
  }
  if (values["own_address"].empty() && !addresses(*device).empty()) {
    values["own_address"] = addresses(*device).front().text();
  }
  if (const auto prefix = values["own_address"].find('/'); prefix != std::string::npos) {
    if (values["mask"].empty()) {
      values["mask"] = values["own_address"].substr(prefix);
    }
    values["own_address"].resize(prefix);
  }
  facts.look_alikes = way->look_alikes;
  for (const auto& one : job.images) {
    facts.steps.push_back(fmt::format(
        "'{}'{}{}", one.offered_as.empty() ? one.name : one.offered_as,
        one.version.empty() ? "" : fmt::format(", {} {}", one.role, one.version),
        one.why.empty() ? "" : fmt::format(": {}", one.why)));
  }
  facts.expect.push_back(fmt::format("size of '{}': {} bytes ({})", way->name, way->size,
                                     base::size_text(way->size)));
  facts.expect.push_back("SHA-256: " + at_hand.sha256);
  for (const auto& one : way->durations) {
    const auto a = spell(one.shortest_ms);
    const auto b = spell(one.longest_ms);
    facts.expect.push_back(
        fmt::format("{}: {} ({})", one.phase, a == b ? a : a + " to " + b, one.from));
  }
  facts.expect.push_back(
      fmt::format("'vantro job watch {}' shows each stage", device->name));
  for (const auto& check : ready->checks) {
    if (check.verdict == jobs::Verdict::kStop) {
      facts.never.push_back(fmt::format("Do not start before this is settled: {}: {}",
                                        check.name, check.fact));
    }
    if (check.name == "way back") facts.back.push_back(check.fact);
    if (check.name == "configuration backup" && check.verdict != jobs::Verdict::kStop) {
      facts.back.push_back("configuration: " + check.fact);
    }
  }
  facts.never.emplace_back(
      "Do not power the device off after the fetch until it says that it has written the "
      "image.");
  if (job.images.size() > 1) {
    facts.never.emplace_back("Do not skip a step, and do not change their order.");
  }
  return jobs::make_sheet(facts, templates);
}

}  // namespace vantro::desk
