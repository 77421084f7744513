#include "manage/unrecorded_routes.h"

#include "api/catalogue.h"
#include "desk/unrecorded.h"
#include "manage/body.h"

namespace vantro::manage {
namespace {

using nlohmann::json;

base::Outcome<json> list(Service& service, const Call&) {
  auto files = json::array();
  for (const auto& one : service.repository.unrecorded.list()) {
    files.push_back(api::Unrecorded{one.file.name, one.partial ? "partial" : "vault",
                                    one.file.size, one.file.sealed,
                                    base::iso_time(one.file.changed_at)});
  }
  return json{{"files", std::move(files)}};
}

base::Outcome<json> keep(Service& service, const Call& call) {
  const auto& name = call.path.at("name");
  const auto kept = desk::Unrecorded(service.repository, call.caller).keep(name);
  if (!kept) return base::refuse(kept.error());
  return json{{"name", name}, {"kept_as", *kept}};
}

base::Outcome<json> remove(Service& service, const Call& call) {
  const auto& name = call.path.at("name");
  const auto removed = desk::Unrecorded(service.repository, call.caller).remove(name);
  if (!removed) return base::refuse(removed.error());
  return json{{"name", name}, {"removed", true}};
}

}  // namespace

std::vector<Route> unrecorded_routes(Service& service) {
  constexpr auto kOperatorOnly = Permission::kOperator;
  return {
      {"GET", "/v1/unrecorded", kOperatorOnly, json_handler(service, list),
       "stored files that have no record, the oldest first"},
      {"POST", "/v1/unrecorded/{name}", kOperatorOnly, json_handler(service, keep),
       "records it again, as a held image (encrypted: as a backup)"},
      {"DELETE", "/v1/unrecorded/{name}", kOperatorOnly, json_handler(service, remove),
       "removes it for good"},
  };
}

}  // namespace vantro::manage
