#include "manage/service_routes.h"

#include <fmt/format.h>

#include "api/operations.h"
#include "base/clock.h"
#include "base/sizes.h"
#include "base/visible_name.h"
#include "desk/notices.h"
#include "manage/answers.h"
#include "manage/metrics.h"
#include "upkeep/snapshot.h"

namespace vantro::manage {
namespace {

using base::Kind;

constexpr std::size_t kLongestReason = 200;

std::string time_or_empty(base::WallTime at) { return at == 0 ? "" : base::iso_time(at); }

base::Outcome<api::Reloaded> reload(Service& service, const Call& call,
                                    const api::Nothing&,
                                    const api::ReloadWanted& wanted) {
  if (!service.reload) {
    return base::refuse(Kind::kInvalid, "this server has no settings file");
  }
  return service.reload(wanted.dry_run, call.caller.by());
}

api::Drain drain_of(const gate::Gate& gate) {
  api::Drain result;
  if (const auto view = gate.drain().view()) {
    result.draining = true;
    result.stopping = view->stopping;
    result.since = base::iso_time(view->since);
    result.until = base::iso_time(view->until);
    result.reason = view->reason;
    result.refused = view->refused;
  }
  result.idle = gate.idle();
  for (const auto& one : gate.transfers().view()) {
    if (one.state != gate::State::kRunning) continue;
    api::DrainWaits waits;
    waits.who = one.device.empty() ? one.peer : one.device;
    waits.name = one.name;
    waits.direction = word(one.direction);
    waits.bytes = one.bytes;
    if (one.total && one.rate > 0) {
      const auto seconds = static_cast<double>(*one.total - one.bytes) / one.rate;
      waits.left = base::duration_text(seconds);
    }
    result.waits_for.push_back(std::move(waits));
  }
  return result;
}

base::Outcome<api::Drain> drain(Service& service, const Call&, const api::Nothing&) {
  return drain_of(service.gate);
}

base::Outcome<api::Drain> begin_drain(Service& service, const Call& call,
                                      const api::Nothing&,
                                      const api::DrainWanted& wanted) {
  if (wanted.reason.size() > kLongestReason ||
      base::printable(wanted.reason, kLongestReason) != wanted.reason) {
    return base::refuse(
        Kind::kInvalid,
        fmt::format("the reason must be one line of at most {} bytes", kLongestReason));
  }
  service.gate.begin_drain(std::chrono::minutes(wanted.minutes), false, wanted.reason);
  service.repository.record_event(
      "drain", call.caller.by(),
      fmt::format("no new transfers for {} min{}", wanted.minutes,
                  wanted.reason.empty() ? "" : ": " + wanted.reason));
  return drain_of(service.gate);
}

base::Outcome<api::Drain> end_drain(Service& service, const Call& call,
                                    const api::Nothing&) {
  const auto view = service.gate.drain().view();
  if (view && view->stopping) {
    return base::refuse(Kind::kDenied, "the server is being stopped; start it again");
  }
  service.gate.drain().end();
  if (view) {
    service.repository.record_event("drain-end", call.caller.by(),
                                    "new transfers are accepted again");
  }
  return drain_of(service.gate);
}

const char* state_word(upkeep::SnapshotProgress::State state) {
  using State = upkeep::SnapshotProgress::State;
  switch (state) {
    case State::kNone:
      return "none";
    case State::kDatabase:
      return "database";
    case State::kContents:
      return "contents";
    case State::kComplete:
      return "complete";
    case State::kFailed:
      return "failed";
  }
  return "none";
}

base::Outcome<upkeep::Snapshots*> snapshots_of(Service& service) {
  if (service.snapshots != nullptr) return service.snapshots;
  return base::refuse(Kind::kInvalid, "this server makes no snapshots");
}

api::Snapshot shape(const upkeep::SnapshotProgress& progress) {
  return {state_word(progress.state),
          progress.path,
          time_or_empty(progress.began_at),
          progress.by,
          progress.files,
          progress.files_done,
          progress.bytes,
          progress.bytes_done,
          progress.linked,
          progress.kept,
          progress.why};
}

base::Outcome<api::Snapshot> snapshot(Service& service, const Call&,
                                      const api::Nothing&) {
  const auto made = snapshots_of(service);
  if (!made) return base::refuse(made.error());
  return shape((*made)->progress());
}

base::Outcome<api::Snapshot> begin_snapshot(Service& service, const Call& call,
                                            const api::Nothing&,
                                            const api::SnapshotWanted& wanted) {
  const auto made = snapshots_of(service);
  if (!made) return base::refuse(made.error());
  auto begun = (*made)->start(wanted.path, service.snapshot_folder(), call.caller.by());
  if (!begun) return base::refuse(begun.error());
  return shape((*made)->progress());
}

base::Outcome<api::Snapshot> end_snapshot(Service& service, const Call&,
                                          const api::Nothing&) {
  const auto made = snapshots_of(service);
  if (!made) return base::refuse(made.error());
  (*made)->give_up();
  return shape((*made)->progress());
}

base::Outcome<api::NoticeState> notices(Service& service, const Call&,
                                        const api::Nothing&) {
  api::NoticeState state;
  if (service.notices == nullptr) return state;
  const auto receivers = service.notices->receivers();
  if (!receivers) return base::refuse(receivers.error());
  for (const auto& one : *receivers) {
    state.receivers.push_back({one.receiver.name, word(one.receiver.way), one.receiver.to,
                               one.receiver.events, one.waiting, one.sent,
                               time_or_empty(one.last_sent_at), one.failure});
  }
  const auto standing = service.notices->standing();
  if (!standing) return base::refuse(standing.error());
  for (const auto& [key, what] : *standing) {
    state.standing.push_back(
        {key.first, key.second, base::iso_time(what.since), what.sentence});
  }
  return state;
}

base::Outcome<api::NoticeTestResult> test_notices(Service& service, const Call& call,
                                                  const api::Nothing&,
                                                  const api::NoticeTestWanted& wanted) {
  if (service.notices == nullptr) {
    return base::refuse(Kind::kInvalid, "this server sends no notices");
  }
  const auto tested = service.notices->test(wanted.receiver, call.caller.name);
  if (!tested) return base::refuse(tested.error());
  api::NoticeTestResult result;
  for (const auto& [name, answer] : *tested) {
    result.results.push_back(
        {name, answer.has_value(), answer ? *answer : answer.error().sentence});
  }
  return result;
}

base::Outcome<net::http::Answer> metrics_answer(Service& service, const Call&) {
  return text(200, kMetricsType, metrics(service));
}

}  // namespace

std::string drain_sentence(const gate::Gate& gate) {
  const auto view = gate.drain().view();
  if (!view) return "";
  return fmt::format("{}{}: no new transfers until {}{}",
                     view->stopping ? "the server is being stopped" : "draining",
                     view->reason.empty() ? "" : " (" + view->reason + ")",
                     base::local_time(view->until),
                     view->stopping ? "" : "; 'vantro drain --undo' accepts them again");
}

void service_routes(Routes& routes) {
  routes.add_answer(api::kMetrics, metrics_answer);
  routes.add_slow(api::kReload, reload);
  routes.add(api::kDrain, drain);
  routes.add(api::kBeginDrain, begin_drain);
  routes.add(api::kEndDrain, end_drain);
  routes.add(api::kSnapshot, snapshot);
  routes.add(api::kBeginSnapshot, begin_snapshot);
  routes.add_slow(api::kEndSnapshot, end_snapshot);
  routes.add(api::kNotices, notices);
  routes.add_slow(api::kTestNotices, test_notices);
}

}  // namespace vantro::manage
