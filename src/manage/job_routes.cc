#include "manage/job_routes.h"

#include <fmt/format.h>

#include "api/operations.h"
#include "base/protocol.h"
#include "base/visible_name.h"
#include "desk/devices.h"
#include "desk/routes.h"
#include "manage/convert_jobs.h"
#include "manage/values.h"
#include "text/csv.h"

namespace vantro::manage {
namespace {

using base::Kind;

desk::Jobs jobs_of(Service& service, const Call& call) {
  return {service.repository, service.gate, service.surroundings, call.caller};
}

desk::Rollouts rollouts_of(Service& service, const Call& call) {
  return {service.repository, service.gate, service.surroundings, call.caller};
}

base::Outcome<api::Job> one(base::Outcome<desk::JobView> view) {
  if (!view) return base::refuse(view.error());
  return shape(*view, true);
}

// Parts that the shapes of a job and a rollout share.
template <class T>
base::Outcome<desk::JobWanted> wanted_of(const T& given) {
  desk::JobWanted wanted;
  wanted.aim = given.image;
  if (!given.purpose.empty()) {
    wanted.purpose = jobs::parse_purpose(given.purpose);
    if (!wanted.purpose) {
      return base::refuse(Kind::kInvalid,
                          fmt::format("'{}' is not a purpose; known: upgrade, "
                                      "downgrade, convert, recover",
                                      base::printable(given.purpose, 40)));
    }
  }
  const auto from = time_of(given.window_from);
  if (!from) return base::refuse(from.error());
  wanted.window.from = *from;
  const auto until = time_of(given.window_until);
  if (!until) return base::refuse(until.error());
  wanted.window.until = *until;
  wanted.slot = given.slot;
  wanted.remark = given.remark;
  wanted.any_platform = given.any_platform;
  return wanted;
}

base::Outcome<api::ReportRead> read_report(Service& service, const Call& call,
                                           const api::Named& asked,
                                           const api::ReportGiven& given) {
  const auto read = desk::Devices(service.repository, call.caller)
                        .read_report(asked.name, given.text,
                                     service.gate.config()->reports, given.really);
  if (!read) return base::refuse(read.error());
  return shape(*read, given.really);
}

base::Outcome<api::VersionRoute> find_route(Service& service, const Call&,
                                            const api::RouteAsked& asked) {
  const auto route =
      desk::Planning(service.repository, service.gate, service.surroundings)
          .route(asked.platform, asked.from, asked.to);
  if (!route) return base::refuse(route.error());
  return shape(*route);
}

base::Outcome<api::VersionRoute> device_route(Service& service, const Call&,
                                              const api::DeviceRouteAsked& asked) {
  desk::Planning planning(service.repository, service.gate, service.surroundings);
  const auto device = service.repository.devices.find(asked.name);
  if (!device) return base::refuse(device.error());
  const auto aim = planning.aim(asked.image);
  if (!aim) return base::refuse(aim.error());
  const auto route = planning.route(*device, *aim, false);
  if (!route) return base::refuse(route.error());
  return shape(*route);
}

base::Outcome<api::RuleList> rules(Service& service, const Call&,
                                   const api::RulesAsked& asked) {
  const auto all = service.repository.jobs.rules(asked.platform);
  if (!all) return base::refuse(all.error());
  api::RuleList result;
  for (const auto& rule : *all) result.rules.push_back(shape(rule));
  return result;
}

base::Outcome<api::RulesImported> import_rules(Service& service, const Call& call,
                                               const api::Nothing&,
                                               const api::RuleTable& given) {
  if (given.table.empty() == given.rules.empty()) {
    return base::refuse(Kind::kInvalid, "give a table, or rules");
  }
  std::vector<jobs::RuleText> texts;
  for (const auto& one : given.rules) {
    texts.push_back(
        {one.platform, one.rule, one.role, one.from, one.to, one.needs, one.source});
  }
  const auto rules =
      given.table.empty() ? jobs::make_rules(texts) : jobs::parse_rules(given.table);
  if (!rules) return base::refuse(rules.error());
  const auto done =
      desk::RouteRules(service.repository, call.caller).import(*rules, given.really);
  if (!done) return base::refuse(done.error());
  return api::RulesImported{given.really, done->platforms, done->added, done->removed,
                            done->unchanged};
}

base::Outcome<api::RulesRemoved> remove_rules(Service& service, const Call& call,
                                              const api::Named& asked) {
  const auto removed =
      desk::RouteRules(service.repository, call.caller).remove(asked.name);
  if (!removed) return base::refuse(removed.error());
  return api::RulesRemoved{asked.name, *removed};
}

base::Outcome<api::Readiness> readiness(Service& service, const Call& call,
                                        const api::Nothing&,
                                        const api::ReadinessAsked& asked) {
  const auto result = jobs_of(service, call)
                          .readiness(asked.device, asked.image,
                                     {asked.over, asked.account, call.caller.name});
  if (!result) return base::refuse(result.error());
  return shape(*result);
}

base::Outcome<api::JobList> jobs(Service& service, const Call& call,
                                 const api::JobsAsked& asked) {
  jobs::JobFilter filter;
  if (!asked.state.empty()) {
    filter.state = jobs::parse_job_state(asked.state);
    if (!filter.state) {
      return base::refuse(Kind::kInvalid,
                          fmt::format("'{}' is not a state; known: open, confirmed, "
                                      "failed, withdrawn",
                                      base::printable(asked.state, 40)));
    }
  }
  filter.rollout = asked.rollout;
  if (!asked.image.empty()) {
    const auto image = image_for(service, asked.image);
    if (!image) return base::refuse(image.error());
    filter.sha256 = image->digests.sha256;
  }
  const auto views = jobs_of(service, call).list(filter);
  if (!views) return base::refuse(views.error());
  api::JobList result;
  for (const auto& view : views->jobs) result.jobs.push_back(shape(view, false));
  result.more = views->more;
  return result;
}

base::Outcome<api::Job> plan_job(Service& service, const Call& call, const api::Nothing&,
                                 const api::JobWanted& given) {
  auto wanted = wanted_of(given);
  if (!wanted) return base::refuse(wanted.error());
  wanted->offer_as = given.offer_as;
  return one(jobs_of(service, call).plan(given.device, *wanted));
}

base::Outcome<api::Job> job(Service& service, const Call& call,
                            const api::DeviceNamed& asked) {
  return one(jobs_of(service, call).find(asked.device));
}

base::Outcome<api::Job> withdraw_job(Service& service, const Call& call,
                                     const api::JobEnd& asked) {
  return one(jobs_of(service, call).withdraw(asked.device, asked.reason));
}

base::Outcome<api::Job> mark_job(Service& service, const Call& call,
                                 const api::DeviceNamed& asked,
                                 const api::JobMarkWanted& given) {
  const auto mark = jobs::parse_mark(given.mark);
  if (!mark) return base::refuse(Kind::kInvalid, "no such mark");
  return one(jobs_of(service, call).mark(asked.device, *mark, given.remark));
}

base::Outcome<api::Job> take_job(Service& service, const Call& call,
                                 const api::DeviceNamed& asked) {
  return one(jobs_of(service, call).take(asked.device));
}

base::Outcome<api::Job> acknowledge_job(Service& service, const Call& call,
                                        const api::DeviceNamed& asked) {
  return one(jobs_of(service, call).acknowledge(asked.device));
}

base::Outcome<api::Sheet> sheet(Service& service, const Call& call,
                                const api::SheetAsked& asked) {
  const auto form = jobs::parse_sheet_form(asked.form.empty() ? "running" : asked.form);
  if (!form) {
    return base::refuse(Kind::kInvalid,
                        fmt::format("'{}' is not a form of a sheet; known: running, "
                                    "boot-prompt, maintenance",
                                    base::printable(asked.form, 40)));
  }
  const auto made =
      jobs_of(service, call)
          .sheet(asked.device, {*form, asked.over, asked.account}, service.sheets());
  if (!made) return base::refuse(made.error());
  return shape(*made);
}

base::Outcome<api::RolloutList> rollouts(Service& service, const Call& call,
                                         const api::Nothing&) {
  const auto all = rollouts_of(service, call).list();
  if (!all) return base::refuse(all.error());
  api::RolloutList result;
  for (const auto& view : *all) result.rollouts.push_back(shape(view));
  return result;
}

base::Outcome<api::Rollout> plan_rollout(Service& service, const Call& call,
                                         const api::Nothing&,
                                         const api::RolloutWanted& given) {
  auto wanted = wanted_of(given);
  if (!wanted) return base::refuse(wanted.error());
  const auto view = rollouts_of(service, call)
                        .plan({given.name, given.devices, std::move(*wanted), given.batch,
                               given.stop_after, given.really});
  if (!view) return base::refuse(view.error());
  return shape(*view, given.really);
}

base::Outcome<api::Rollout> rollout(Service& service, const Call& call,
                                    const api::Named& asked) {
  const auto view = rollouts_of(service, call).find(asked.name);
  if (!view) return base::refuse(view.error());
  return shape(*view);
}

// For spreadsheets.
base::Outcome<std::string> rollout_table(Service& service, const Call& call,
                                         const api::Named& asked) {
  const auto view = rollouts_of(service, call).find(asked.name);
  if (!view) return base::refuse(view.error());
  auto csv = text::csv_line({"device", "site", "batch", "state", "stage", "waits_for",
                             "since", "owner", "ended_why"});
  for (const auto& row : shape(*view).rows) {
    csv +=
        text::csv_line({row.device, row.site, std::to_string(row.batch), row.state,
                        row.stage, row.waits_for, row.since, row.owner, row.ended_why});
  }
  return csv;
}

base::Outcome<api::RolloutReadiness> rollout_readiness(Service& service, const Call& call,
                                                       const api::Named& asked) {
  const auto all = rollouts_of(service, call).readiness(asked.name);
  if (!all) return base::refuse(all.error());
  api::RolloutReadiness result;
  result.name = asked.name;
  for (const auto& one : *all) {
    const auto verdict = jobs::verdict_of(one.checks);
    ++(verdict == jobs::Verdict::kStop ? result.stopped : result.ready);
    result.devices.push_back({one.device, one.job ? one.job->batch : 0,
                              jobs::word(verdict), jobs::summary(one.checks)});
  }
  return result;
}

base::Outcome<api::Rollout> continue_rollout(Service& service, const Call& call,
                                             const api::Named& asked,
                                             const api::RolloutRemark& given) {
  const auto view = rollouts_of(service, call).go_on(asked.name, given.remark);
  if (!view) return base::refuse(view.error());
  return shape(*view);
}

base::Outcome<api::Rollout> withdraw_rollout(Service& service, const Call& call,
                                             const api::RolloutEnd& asked) {
  const auto view = rollouts_of(service, call).withdraw(asked.name, asked.reason);
  if (!view) return base::refuse(view.error());
  return shape(*view);
}

base::Outcome<api::CanaryWays> canary(Service& service, const Call&,
                                      const api::Nothing&) {
  api::CanaryWays result;
  for (const auto& [protocol, where] : service.surroundings.listening()) {
    // Through each of the machine's addresses, loopback as well.
    auto addresses = where.address.is_unspecified() ? service.surroundings.own_addresses()
                                                    : std::vector{where.address};
    for (const auto& address : addresses) {
      if (address.is_v4() != where.address.is_v4()) continue;
      result.ways.push_back({protocol, address.text(), where.port,
                             desk::pasted(protocol, "", {address, where.port}, "hello"),
                             base::find_protocol(protocol)->needs_account});
    }
  }
  return result;
}

}  // namespace

void job_routes(Routes& routes) {
  routes.add(api::kReadReport, read_report);
  routes.add(api::kFindRoute, find_route);
  routes.add(api::kDeviceRoute, device_route);
  routes.add(api::kRouteRules, rules);
  routes.add(api::kImportRules, import_rules);
  routes.add(api::kRemoveRules, remove_rules);
  routes.add(api::kReadiness, readiness);
  routes.add(api::kJobs, jobs);
  routes.add(api::kPlanJob, plan_job);
  routes.add(api::kJob, job);
  routes.add(api::kWithdrawJob, withdraw_job);
  routes.add(api::kMarkJob, mark_job);
  routes.add(api::kTakeJob, take_job);
  routes.add(api::kAcknowledgeJob, acknowledge_job);
  routes.add(api::kJobSheet, sheet);
  routes.add(api::kRollouts, rollouts);
  routes.add(api::kPlanRollout, plan_rollout);
  routes.add(api::kRollout, rollout);
  routes.add(api::kRolloutTable, rollout_table);
  routes.add_slow(api::kRolloutReadiness, rollout_readiness);
  routes.add(api::kContinueRollout, continue_rollout);
  routes.add(api::kWithdrawRollout, withdraw_rollout);
  routes.add(api::kCanaryWays, canary);
}

}  // namespace vantro::manage
