#include "manage/routes.h"

#include <algorithm>
#include <fmt/format.h>
#include <stdexcept>

#include "api/description.h"
#include "api/operations.h"
#include "base/address.h"
#include "base/protocol.h"
#include "base/visible_name.h"
#include "desk/stories.h"
#include "desk/trouble.h"
#include "gate/boards.h"
#include "manage/access_routes.h"
#include "manage/backup_routes.h"
#include "manage/convert.h"
#include "manage/convert_catalogue.h"
#include "manage/device_routes.h"
#include "manage/image_routes.h"
#include "manage/job_routes.h"
#include "manage/ledger_routes.h"
#include "manage/mirror_routes.h"
#include "manage/node_routes.h"
#include "manage/offer_routes.h"
#include "manage/overview_routes.h"
#include "manage/people_routes.h"
#include "manage/rescue_routes.h"
#include "manage/service_routes.h"
#include "manage/unrecorded_routes.h"
#include "manage/upload_routes.h"
#include "manage/values.h"
#include "text/nearest.h"

namespace vantro::manage {
namespace {

using base::Kind;

constexpr std::size_t kMostChanges = 1000;
constexpr std::int64_t kMostContacts = 1000;
constexpr std::int64_t kUsualContacts = 100;

base::Outcome<api::Status> status(Service& service, const Call& call,
                                  const api::Nothing&) {
  auto& repository = service.repository;
  if (auto counted = count(service); !counted && !repository.database->away()) {
    return base::refuse(counted.error());
  }
  auto trouble = desk::trouble(service.repository);
  if (!trouble) return base::refuse(trouble.error());
  api::Status status;
  status.version = service.version;
  status.state_folder = repository.folder.path();
  status.started_at = base::iso_time(service.started_at);
  status.uptime_ms = service.clock.wall() - service.started_at;
  for (const auto& one : service.surroundings.listening()) {
    status.listeners.push_back(
        {one.protocol, one.where.text(), base::find_protocol(one.protocol)->protects});
  }
  for (auto& one : service.management()) status.listeners.push_back(std::move(one));
  if (service.door != nullptr) status.you = service.door->me(call.caller);
  status.images = service.counts->images;
  status.offers = service.repository.offer_index()->size();
  status.backups = service.counts->backups;
  status.running_transfers = service.gate.transfers().running();
  status.disk_free = repository.folder.free_bytes();
  status.accounts = service.counts->accounts;
  status.openings = openings(service);
  status.trouble = std::move(*trouble);
  if (service.management_trouble) {
    for (auto& one : service.management_trouble()) {
      status.trouble.push_back(std::move(one));
    }
  }
  status.drain = drain_sentence(service.gate);
  if (service.mirror.of) status.mirror_of = service.mirror.of();
  if (!repository.nodes.alone()) {
    status.node = repository.nodes.self().name;
    if (const auto nodes = repository.nodes.list()) {
      status.nodes = nodes->size();
      status.nodes_alive = static_cast<std::size_t>(std::count_if(
          nodes->begin(), nodes->end(),
          [](const auto& one) { return one.state == repository::Node::State::kAlive; }));
    }
  }
  if (service.fronts) status.fronts = service.fronts();
  status.ssh = service.ssh();
  if (service.resealer != nullptr) {
    const auto progress = service.resealer->progress();
    const auto* key = repository.folder.keys()->current();
    status.encryption = {key == nullptr ? "" : key->id(), progress.contents,
                         progress.done, progress.locked, progress.running};
    if (!progress.trouble.empty()) status.trouble.push_back(progress.trouble);
  }
  return status;
}

base::Outcome<api::TransferList> transfers(Service& service, const Call&,
                                           const api::Nothing&) {
  return api::TransferList{shapes(service.gate.boards().transfers())};
}

base::Outcome<api::Story> story(Service& service, const Call&,
                                const api::AddressAsked& asked) {
  const auto address = address_of(asked.address);
  if (!address) return base::refuse(address.error());
  const auto lines = desk::Stories(service.repository, service.gate).of(**address);
  if (!lines) return base::refuse(lines.error());
  return shape(**address, *lines);
}

base::Outcome<api::ChangePage> changes(Service& service, const Call&,
                                       const api::ChangesAsked& asked) {
  auto found = service.repository.change_log.after(asked.after, kMostChanges + 1);
  if (!found) return base::refuse(found.error());
  const bool more = found->size() > kMostChanges;
  if (more) found->pop_back();
  return api::ChangePage{shapes(*found), more};
}

base::Outcome<api::ContactList> contacts(Service& service, const Call&,
                                         const api::ContactsAsked& asked) {
  const auto rows = std::min(asked.limit.value_or(kUsualContacts), kMostContacts);
  const auto heard = desk::Stories(service.repository, service.gate)
                         .overview(static_cast<std::size_t>(rows));
  if (!heard) return base::refuse(heard.error());
  return api::ContactList{shapes(*heard)};
}

base::Outcome<api::RouteTable> route_table(Service&, const Call&, const api::Nothing&) {
  api::RouteTable table;
  for (const auto* one : api::operations()) {
    table.routes.push_back({one->method, one->path, word(one->permission), one->summary});
  }
  return table;
}

}  // namespace

base::Outcome<void> count(const Service& service) {
  const auto& repository = service.repository;
  const auto images = repository.catalog.count();
  if (!images) return base::refuse(images.error());
  const auto revisions = repository.backups.count();
  if (!revisions) return base::refuse(revisions.error());
  const auto accounts = repository.accounts.all();
  if (!accounts) return base::refuse(accounts.error());
  service.counts->images = *images;
  service.counts->backups = *revisions;
  service.counts->accounts = accounts->size() - 1;  // without "anonymous"
  return {};
}

std::optional<std::string> nearest(std::string_view typed,
                                   const std::vector<std::string>& names) {
  return text::nearest(typed, names);
}

std::vector<Route> make_routes(Service& service) {
  Routes routes(service);
  routes.add(api::kHealth, [](Service&, const Call&, const api::Nothing&) {
    return base::Outcome<api::Health>(api::Health{});
  });
  routes.add(api::kStatus, status);
  routes.add(api::kTransfers, transfers);
  routes.add_stream(api::kEvents);
  routes.add(api::kChanges, changes);
  routes.add(api::kContacts, contacts);
  routes.add(api::kContact, story);
  routes.add(api::kRoutes, route_table);
  routes.add(api::kOpenApi, [document = api::openapi(service.version)](
                                Service&, const Call&, const api::Nothing&) {
    return base::Outcome<std::string>(document);
  });
  access_routes(routes);
  backup_routes(routes);
  device_routes(routes);
  job_routes(routes);
  image_routes(routes);
  ledger_routes(routes);
  offer_routes(routes);
  overview_routes(routes);
  service_routes(routes);
  people_routes(routes);
  rescue_routes(routes);
  unrecorded_routes(routes);
  node_routes(routes);
  mirror_routes(routes);
  upload_routes(routes);
  auto all = routes.take();
  std::vector<Route> in_order;
  for (const auto* operation : api::operations()) {
    const auto found = std::find_if(all.begin(), all.end(), [&](const Route& one) {
      return one.operation == operation;
    });
    if (found == all.end()) {
      throw std::logic_error(
          fmt::format("nothing answers {} {}", operation->method, operation->path));
    }
    in_order.push_back(std::move(*found));
  }
  if (all.size() != in_order.size()) {
    throw std::logic_error("an operation that is answered is not in the table");
  }
  return in_order;
}

base::Outcome<Matched> match(const std::vector<Route>& routes, std::string_view method,
                             std::string_view target) {
  const auto question = target.find('?');
  const auto path = target.substr(0, question);
  auto query =
      api::parse_query(question == std::string_view::npos ? std::string_view{}
                                                          : target.substr(question + 1));
  if (!query) return base::refuse(query.error());
  std::string other_methods;
  for (const auto& route : routes) {
    const auto& operation = *route.operation;
    auto values = api::fit(operation.path, path);
    if (!values) return base::refuse(values.error());
    if (!*values) continue;
    if (operation.method == method) {
      // A value in the path cannot be changed by the query.
      (*values)->merge(*query);
      return Matched{&route, {std::move(**values), {}, {}}};
    }
    other_methods +=
        fmt::format("{}{}", other_methods.empty() ? "" : ", ", operation.method);
  }
  if (!other_methods.empty()) {
    return base::refuse(Kind::kInvalid,
                        fmt::format("{} is called with {}, not {}", base::printable(path),
                                    other_methods, base::printable(method, 20)));
  }
  return base::refuse(
      Kind::kNotFound,
      fmt::format("there is nothing at {}; GET /v1/routes lists all calls",
                  base::printable(path)));
}

}  // namespace vantro::manage
