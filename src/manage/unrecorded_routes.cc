#include "manage/unrecorded_routes.h"

#include "api/operations.h"
#include "desk/unrecorded.h"

namespace vantro::manage {
namespace {

base::Outcome<api::UnrecordedList> list(Service& service, const Call&,
                                        const api::Nothing&) {
  api::UnrecordedList result;
  for (const auto& one : service.repository.unrecorded.list()) {
    result.files.push_back({one.file.name, one.partial ? "partial" : "vault",
                            one.file.size, one.file.sealed,
                            base::iso_time(one.file.changed_at)});
  }
  return result;
}

base::Outcome<api::UnrecordedDecision> keep(Service& service, const Call& call,
                                            const api::Named& asked) {
  auto kept = desk::Unrecorded(service.repository, call.caller).keep(asked.name);
  if (!kept) return base::refuse(kept.error());
  return api::UnrecordedDecision{asked.name, std::move(*kept), false};
}

base::Outcome<api::UnrecordedDecision> remove(Service& service, const Call& call,
                                              const api::Named& asked) {
  const auto removed =
      desk::Unrecorded(service.repository, call.caller).remove(asked.name);
  if (!removed) return base::refuse(removed.error());
  return api::UnrecordedDecision{asked.name, std::nullopt, true};
}

}  // namespace

void unrecorded_routes(Routes& routes) {
  routes.add(api::kUnrecorded, list);
  routes.add(api::kKeepUnrecorded, keep);
  routes.add(api::kRemoveUnrecorded, remove);
}

}  // namespace vantro::manage
