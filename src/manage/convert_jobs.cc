#include "manage/convert_jobs.h"

#include "base/clock.h"

namespace vantro::manage {
namespace {

std::string time_or_empty(base::WallTime time) {
  return time == 0 ? std::string() : base::iso_time(time);
}

std::string time_or_empty(const std::optional<base::WallTime>& time) {
  return time ? base::iso_time(*time) : std::string();
}

std::vector<api::Companion> shapes(const std::vector<jobs::Companion>& all) {
  std::vector<api::Companion> result;
  for (const auto& one : all) {
    result.push_back({one.role, one.version, one.image, one.why});
  }
  return result;
}

}  // namespace

api::StateValue shape(const fleet::StateValue& value) {
  return {value.member, value.field, value.item, value.value, base::iso_time(value.at),
          value.source};
}

api::ReportRead shape(const repository::ReportRead& read, bool done) {
  api::ReportRead result;
  result.device = read.device;
  result.done = done;
  for (const auto& one : read.learnt) result.learnt.push_back(shape(one));
  result.doubts = read.doubts;
  for (const auto& [line, text] : read.not_understood) {
    result.not_understood.push_back({static_cast<std::int64_t>(line), text});
  }
  return result;
}

api::RouteRule shape(const jobs::Rule& rule) {
  const auto text = jobs::text_of(rule);
  return {rule.id, text.platform, text.rule,   text.role,           text.from,
          text.to, text.needs,    text.source, jobs::sentence(rule)};
}

api::VersionRoute shape(const jobs::Route& route) {
  api::VersionRoute result;
  result.result = jobs::word(route.result);
  result.sentence = route.sentence;
  result.any_rules = route.any_rules;
  for (const auto& one : route.steps) {
    result.steps.push_back({one.role, one.version, one.image, shapes(one.before),
                            shapes(one.behind), one.demanded_by});
  }
  return result;
}

api::Readiness shape(const desk::Readiness& readiness) {
  api::Readiness result;
  result.device = readiness.device;
  result.aim = readiness.aim;
  result.verdict = jobs::word(jobs::verdict_of(readiness.checks));
  result.sentence = jobs::summary(readiness.checks);
  result.for_the_job = readiness.job.has_value();
  for (const auto& one : readiness.checks) {
    result.checks.push_back({one.name, jobs::word(one.verdict), one.fact, one.advice});
  }
  return result;
}

api::Job shape(const desk::JobView& view, bool whole) {
  const auto& job = view.job;
  const auto& progress = view.progress;
  api::Job result;
  result.device = job.device_name;
  result.platform = job.platform;
  result.purpose = jobs::word(job.purpose);
  result.aim = job.aim;
  result.from_version = job.from_version;
  for (std::size_t i = 0; i < job.images.size(); ++i) {
    const auto& image = job.images[i];
    const auto& at = progress.images[i];
    result.images.push_back({image.number, image.name, image.role, image.version,
                             image.why, image.offered_as, jobs::word(at.stage),
                             base::iso_time(at.since), at.fetches, at.passed});
  }
  result.slot = job.slot;
  result.window_from = time_or_empty(job.window.from);
  result.window_until = time_or_empty(job.window.until);
  result.remark = job.remark;
  result.planned_by = job.planned_by;
  result.planned_at = base::iso_time(job.planned_at);
  result.owner = job.owner;
  result.rollout = job.rollout;
  result.batch = job.batch;
  result.any_platform = job.any_platform;
  result.state = jobs::word(job.state);
  result.stage = progress.stage;
  result.at_hand = progress.at_hand;
  result.waits_for = progress.waits_for;
  result.since = time_or_empty(progress.since);
  result.caution = progress.caution;
  result.path_proven = progress.path_proven;
  if (!whole) return result;
  for (const auto& one : progress.lines) {
    result.lines.push_back({base::iso_time(one.at), one.by, one.sentence, one.bad});
  }
  return result;
}

api::Sheet shape(const jobs::Sheet& sheet) {
  api::Sheet result;
  for (const auto& one : sheet.values) {
    result.values.push_back({one.name, one.value, one.note});
  }
  result.text = sheet.text;
  result.html = sheet.html;
  return result;
}

api::Rollout shape(const desk::RolloutView& view, bool done) {
  const auto& rollout = view.rollout;
  const auto& progress = view.progress;
  api::Rollout result;
  result.name = rollout.name;
  result.aim = rollout.aim;
  result.state = jobs::word(progress.state);
  result.sentence = progress.sentence;
  result.batch = rollout.batch;
  result.stop_after = rollout.stop_after;
  result.open_batch = progress.open_batch;
  result.batches = progress.batches;
  result.open = progress.open;
  result.confirmed = progress.confirmed;
  result.failed = progress.failed;
  result.withdrawn = progress.withdrawn;
  result.remark = rollout.remark;
  result.planned_by = rollout.planned_by;
  result.planned_at = time_or_empty(rollout.planned_at);
  for (const auto& one : view.rows) {
    result.rows.push_back({one.job.device_name, one.site, one.job.batch,
                           jobs::word(one.job.state), one.progress.stage,
                           one.progress.waits_for, time_or_empty(one.progress.since),
                           one.job.owner, one.job.ended_why});
  }
  result.left_out = view.left_out;
  result.done = done;
  return result;
}

}  // namespace vantro::manage
