#include "manage/rescue_routes.h"

#include <fmt/format.h>

#include "api/operations.h"
#include "base/clock.h"
#include "catalog/image.h"
#include "desk/pushes.h"
#include "desk/rescues.h"

namespace vantro::manage {
namespace {

namespace rescue = jobs::rescue;
using base::Kind;

constexpr std::size_t kMostListed = 100;

std::string time_or_empty(base::WallTime time) {
  return time == 0 ? std::string() : base::iso_time(time);
}

api::Rescue shape(const desk::RescueView& view, bool whole) {
  const auto& session = view.session;
  api::Rescue result;
  result.number = session.id;
  result.device = session.device_name;
  result.node = session.node;
  result.interface = session.interface;
  result.profile = session.profile;
  result.platform = session.platform;
  result.way = rescue::word(session.way);
  result.over = session.over;
  result.server = fmt::format("{}/{}", session.server.text(), session.prefix);
  result.opened_at = base::iso_time(session.opened_at);
  result.opened_by = session.opened_by;
  result.until = base::iso_time(session.until);
  result.ended_at = time_or_empty(session.ended_at);
  result.ended_by = session.ended_by;
  result.ended_why = session.ended_why;
  result.stage = rescue::word(view.stage.kind);
  result.large = view.stage.large;
  result.small = view.stage.small;
  if (view.stage.percent) result.percent = *view.stage.percent;
  result.since = time_or_empty(view.stage.since);
  result.bells = view.stage.bells;
  for (const auto& one : session.names) {
    result.names.push_back({one.name, one.stands_for, one.size});
  }
  result.summary = catalog::split_lines(session.summary);
  result.undo = view.undo;
  if (!whole) return result;
  for (const auto& one : view.lines) {
    result.lines.push_back({base::iso_time(one.at), one.what, one.sentence});
  }
  return result;
}

api::RescueProfile shape(const rescue::Profile& profile) {
  api::RescueProfile result;
  result.name = profile.name;
  result.platform = profile.platform;
  result.way = rescue::word(profile.way);
  result.server = fmt::format("{}/{}", profile.server.text(), profile.prefix);
  if (!profile.first_device.is_unspecified()) {
    result.device = profile.first_device.text();
    if (profile.last_device != profile.first_device) {
      result.device += " to " + profile.last_device.text();
    }
  }
  result.over = profile.over;
  for (const auto& one : profile.files) {
    result.files.push_back({one.name, rescue::word(one.gives), one.image, one.role,
                            one.when_loaded, one.takes ? rescue::text(*one.takes) : ""});
  }
  result.begin = profile.begin;
  result.shows = profile.shows;
  if (profile.afterwards) result.afterwards = profile.afterwards->text();
  result.check = profile.check;
  return result;
}

base::Outcome<desk::Rescues*> sessions(Service& service) {
  if (service.rescues != nullptr) return service.rescues;
  return base::refuse(Kind::kInvalid, "this server opens no rescue sessions");
}

base::Outcome<api::RescueProfileList> profiles(Service& service, const Call&,
                                               const api::Nothing&) {
  const auto all = sessions(service);
  if (!all) return base::refuse(all.error());
  api::RescueProfileList result;
  for (const auto& one : (*all)->profiles()) result.profiles.push_back(shape(one));
  return result;
}

base::Outcome<api::RescueList> list(Service& service, const Call&, const api::Nothing&) {
  const auto all = sessions(service);
  if (!all) return base::refuse(all.error());
  const auto views = (*all)->list(kMostListed);
  if (!views) return base::refuse(views.error());
  api::RescueList result;
  for (const auto& one : *views) result.rescues.push_back(shape(one, false));
  return result;
}

base::Outcome<api::RescueOpened> open(Service& service, const Call& call,
                                      const api::Nothing&,
                                      const api::RescueWanted& given) {
  const auto all = sessions(service);
  if (!all) return base::refuse(all.error());
  desk::RescueWanted wanted;
  wanted.device = given.device;
  wanted.interface = given.interface;
  wanted.profile = given.profile;
  wanted.hold = std::chrono::seconds(given.for_s);
  wanted.link_addresses = given.link_addresses;
  wanted.serials = given.serials;
  wanted.any_device = given.any_device;
  wanted.own_address = given.own_address;
  wanted.despite_other = given.despite_other;
  wanted.image = given.image;
  wanted.text = given.text;
  wanted.really = given.really;
  auto opened = (*all)->open(call.caller, wanted);
  if (!opened) return base::refuse(opened.error());
  api::RescueOpened result;
  for (const auto& one : opened->checks) {
    result.checks.push_back({one.name, jobs::word(one.verdict), one.fact, one.advice});
  }
  if (opened->view) {
    result.opened = true;
    result.rescue = shape(*opened->view, true);
  }
  return result;
}

base::Outcome<api::Rescue> one(base::Outcome<desk::RescueView> view) {
  if (!view) return base::refuse(view.error());
  return shape(*view, true);
}

base::Outcome<api::Rescue> find(Service& service, const Call&,
                                const api::RescueAsked& asked) {
  const auto all = sessions(service);
  if (!all) return base::refuse(all.error());
  return one((*all)->find(asked.number));
}

base::Outcome<api::Rescue> close(Service& service, const Call& call,
                                 const api::RescueAsked& asked) {
  const auto all = sessions(service);
  if (!all) return base::refuse(all.error());
  return one((*all)->close(call.caller, asked.number));
}

base::Outcome<desk::Pushes> pushes(Service& service, const Call& call) {
  if (service.hands == nullptr) {
    return base::refuse(Kind::kInvalid, "this server pushes nothing");
  }
  return desk::Pushes(service.repository, service.gate, *service.hands, call.caller);
}

base::Outcome<api::Push> begin_push(Service& service, const Call& call,
                                    const api::Nothing&, const api::PushWanted& given) {
  auto all = pushes(service, call);
  if (!all) return base::refuse(all.error());
  desk::PushWanted wanted;
  wanted.image = given.image;
  wanted.to = given.to;
  wanted.name = given.name;
  wanted.over = given.over;
  if (given.wait_s < 1 || given.wait_s > 86'400) {
    return base::refuse(Kind::kInvalid, "the wait is 1 second to 24 hours");
  }
  wanted.wait = std::chrono::seconds(given.wait_s);
  wanted.block_size = static_cast<std::size_t>(given.block_size);
  wanted.window_size = static_cast<std::size_t>(given.window_size);
  wanted.account = given.account;
  wanted.password = given.password;
  wanted.post = given.post;
  wanted.fingerprint = given.host_key;
  const auto begun = all->begin(wanted);
  if (!begun) return base::refuse(begun.error());
  return api::Push{static_cast<std::int64_t>(begun->id),
                   begun->image,
                   begun->to.text(),
                   begun->name,
                   begun->size,
                   begun->first_time};
}

base::Outcome<api::PushState> state_of(Service& service, desk::Pushes& all,
                                       std::int64_t number) {
  const auto id = static_cast<std::uint64_t>(number);
  const auto view = all.find(id);
  if (!view) return base::refuse(view.error());
  api::PushState state;
  state.number = number;
  state.state = view->running ? (view->listens ? "sending" : "waiting")
                              : (view->complete ? "complete" : "failed");
  state.why = view->why;
  state.host_key = view->fingerprint;
  for (const auto& transfer : service.gate.transfers().view()) {
    if (transfer.id != id) continue;
    state.bytes = transfer.bytes;
    state.total = transfer.total.value_or(0);
    state.rate = transfer.rate;
    state.resent = transfer.resent;
    state.duration_ms = transfer.duration_ms;
  }
  return state;
}

base::Outcome<api::PushState> push(Service& service, const Call& call,
                                   const api::PushAsked& asked) {
  auto all = pushes(service, call);
  if (!all) return base::refuse(all.error());
  return state_of(service, *all, asked.number);
}

base::Outcome<api::PushState> end_push(Service& service, const Call& call,
                                       const api::PushAsked& asked) {
  auto all = pushes(service, call);
  if (!all) return base::refuse(all.error());
  if (auto ended = all->end(static_cast<std::uint64_t>(asked.number)); !ended) {
    return base::refuse(ended.error());
  }
  return state_of(service, *all, asked.number);
}

}  // namespace

void rescue_routes(Routes& routes) {
  routes.add(api::kRescueProfiles, profiles);
  routes.add(api::kRescues, list);
  routes.add_slow(api::kOpenRescue, open);
  routes.add(api::kRescue, find);
  routes.add_slow(api::kCloseRescue, close);
  routes.add(api::kBeginPush, begin_push);
  routes.add(api::kPush, push);
  routes.add(api::kEndPush, end_push);
}

}  // namespace vantro::manage
