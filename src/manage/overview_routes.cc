#include "manage/overview_routes.h"

#include "api/operations.h"
#include "desk/finder.h"
#include "desk/load.h"
#include "desk/rescue_hands.h"

namespace vantro::manage {
namespace {

constexpr std::int64_t kMinute = 60'000;

base::Outcome<api::FoundList> find(Service& service, const Call&,
                                   const api::FindAsked& asked) {
  const auto found = desk::find_anything(service.repository, asked.text,
                                         static_cast<std::size_t>(asked.limit));
  if (!found) return base::refuse(found.error());
  api::FoundList result;
  for (const auto& one : *found) {
    result.found.push_back({word(one.kind), one.name, one.detail});
  }
  return result;
}

base::Outcome<api::PlatformList> platforms(Service& service, const Call&,
                                           const api::Nothing&) {
  const auto all = service.repository.catalog.platforms();
  if (!all) return base::refuse(all.error());
  api::PlatformList result;
  for (const auto& one : *all) result.platforms.push_back({one.platform, one.images});
  return result;
}

base::Outcome<api::LineList> lines(Service& service, const Call&,
                                   const api::PlatformAsked& asked) {
  const auto all = service.repository.catalog.lines(asked.platform);
  if (!all) return base::refuse(all.error());
  api::LineList result;
  for (const auto& one : *all) {
    result.lines.push_back(
        {one.platform, one.role, one.line, one.images, one.newest, one.version});
  }
  return result;
}

base::Outcome<api::SettingList> settings(Service& service, const Call&,
                                         const api::Nothing&) {
  return service.settings();
}

base::Outcome<api::Load> load(Service& service, const Call&,
                              const api::LoadAsked& asked) {
  api::Load result;
  if (service.load == nullptr) return result;
  const auto from = service.clock.wall() - asked.minutes * kMinute;
  for (const auto& one :
       service.load->since(from, static_cast<std::size_t>(asked.samples))) {
    result.samples.push_back({base::iso_time(one.at), one.running, one.out, one.in,
                              one.refused, one.disk_free, one.memory});
  }
  return result;
}

base::Outcome<api::InterfaceList> interfaces(Service& service, const Call&,
                                             const api::Nothing&) {
  api::InterfaceList result;
  if (service.hands == nullptr) return result;
  for (const auto& one : service.hands->interfaces()) {
    result.interfaces.push_back(
        {one.name, one.up, one.carrier, one.link_address, one.addresses});
  }
  return result;
}

}  // namespace

void overview_routes(Routes& routes) {
  routes.add(api::kFind, find);
  routes.add(api::kPlatforms, platforms);
  routes.add(api::kLines, lines);
  routes.add(api::kSettings, settings);
  routes.add(api::kLoad, load);
  routes.add(api::kInterfaces, interfaces);
}

}  // namespace vantro::manage
