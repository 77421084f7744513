#include "manage/node_routes.h"

#include "api/operations.h"

namespace vantro::manage {
namespace {

base::Outcome<api::NodeList> list(Service& service, const Call&, const api::Nothing&) {
  const auto& nodes = service.repository.nodes;
  api::NodeList result;
  if (nodes.alone()) return result;
  const auto all = nodes.list();
  if (!all) return base::refuse(all.error());
  for (const auto& one : *all) {
    result.nodes.push_back({one.name, one.name == nodes.self().name, one.host,
                            one.version, word(one.state), base::iso_time(one.started_at),
                            base::iso_time(one.seen_at), one.works});
  }
  return result;
}

base::Outcome<api::Nothing> remove(Service& service, const Call& call,
                                   const api::Named& asked) {
  auto& repository = service.repository;
  if (auto removed = repository.nodes.remove(asked.name); !removed) {
    return base::refuse(removed.error());
  }
  repository.record_event("node-remove", call.caller.by(), "", asked.name);
  return api::Nothing{};
}

}  // namespace

void node_routes(Routes& routes) {
  routes.add(api::kNodes, list);
  routes.add(api::kRemoveNode, remove);
}

}  // namespace vantro::manage
