#include "manage/routes.h"

#include <algorithm>
#include <fmt/format.h>
#include <optional>

#include "base/address.h"
#include "base/numbers.h"
#include "base/percent.h"
#include "base/protocol.h"
#include "base/visible_name.h"
#include "desk/stories.h"
#include "desk/trouble.h"
#include "manage/access_routes.h"
#include "manage/backup_routes.h"
#include "manage/body.h"
#include "manage/convert.h"
#include "manage/device_routes.h"
#include "manage/image_routes.h"
#include "manage/offer_routes.h"
#include "manage/unrecorded_routes.h"

namespace vantro::manage {
namespace {

using base::Kind;
using nlohmann::json;

constexpr std::int64_t kMostLedgerRows = 10'000;
constexpr std::int64_t kUsualLedgerRows = 50;
constexpr std::int64_t kMostContacts = 1000;
constexpr std::int64_t kUsualContacts = 100;

template <class T>
json shapes(const std::vector<T>& items) {
  auto list = json::array();
  for (const auto& item : items) list.push_back(shape(item));
  return list;
}

// {"images": [...]}: an object, so that a page's end can be said beside the list later.
template <class T>
base::Outcome<json> listing(const char* name,
                            const base::Outcome<std::vector<T>>& items) {
  if (!items) return base::refuse(items.error());
  return json{{name, shapes(*items)}};
}

base::Outcome<std::optional<std::int64_t>> number(const Call& call,
                                                  const std::string& name) {
  const auto found = call.query.find(name);
  if (found == call.query.end()) return std::nullopt;
  const auto value = base::parse_number<std::int64_t>(found->second);
  if (!value || *value < 1) {
    return base::refuse(Kind::kInvalid,
                        fmt::format("{}: '{}' is no number from 1 up", name,
                                    base::printable(found->second, 40)));
  }
  return value;
}

base::Outcome<json> status(Service& service) {
  auto& repository = service.repository;
  const auto images = repository.catalog.count();
  if (!images) return base::refuse(images.error());
  const auto revisions = repository.backups.count();
  if (!revisions) return base::refuse(revisions.error());
  auto trouble = desk::trouble(service.repository);
  if (!trouble) return base::refuse(trouble.error());
  api::Status status;
  status.version = service.version;
  status.state_folder = repository.folder.path();
  status.started_at = base::iso_time(service.started_at);
  status.uptime_ms = service.clock.wall() - service.started_at;
  for (const auto& one : service.devices) {
    status.listeners.push_back(
        {one.protocol, one.where.text(), base::find_protocol(one.protocol)->protects});
  }
  status.listeners.push_back({"management", service.management.text(), false});
  status.images = *images;
  status.offers = service.repository.offer_index()->size();
  status.backups = *revisions;
  status.running_transfers = service.gate.transfers().running();
  status.disk_free = repository.folder.free_bytes();
  const auto accounts = service.repository.accounts.all();
  if (!accounts) return base::refuse(accounts.error());
  status.accounts = accounts->size() - 1;
  status.openings = openings(service);
  status.trouble = std::move(*trouble);
  if (service.ssh) status.ssh = service.ssh();
  if (service.resealer != nullptr) {
    const auto progress = service.resealer->progress();
    const auto* key = repository.folder.keys()->current();
    status.encryption = {key == nullptr ? "" : key->id(), progress.contents,
                         progress.done, progress.locked, progress.running};
    if (!progress.trouble.empty()) status.trouble.push_back(progress.trouble);
  }
  return json(status);
}

base::Outcome<json> story(Service& service, const Call& call) {
  const auto& text = call.path.at("address");
  const auto address = base::Address::parse(text);
  if (!address) {
    return base::refuse(Kind::kInvalid,
                        fmt::format("'{}' is no IP address", base::printable(text, 60)));
  }
  const auto lines = desk::Stories(service.repository, service.gate).of(*address);
  if (!lines) return base::refuse(lines.error());
  return json(shape(*address, *lines));
}

base::Outcome<json> contacts(Service& service, const Call& call) {
  const auto limit = number(call, "limit");
  if (!limit) return base::refuse(limit.error());
  const auto rows = std::min(limit->value_or(kUsualContacts), kMostContacts);
  return listing("contacts", desk::Stories(service.repository, service.gate)
                                 .overview(static_cast<std::size_t>(rows)));
}

base::Outcome<json> ledger(Service& service, const Call& call) {
  const auto limit = number(call, "limit");
  if (!limit) return base::refuse(limit.error());
  const auto before = number(call, "before");
  if (!before) return base::refuse(before.error());
  const auto rows = std::min(limit->value_or(kUsualLedgerRows), kMostLedgerRows);
  auto whose = query(call, "whose").value_or("");
  if (const auto address = base::Address::parse(whose)) {
    whose = address->text();
  } else if (!whose.empty()) {
    const auto device = service.repository.inventory.holder(whose);
    if (!device) return base::refuse(device.error());
    whose = device->name;
  }
  return listing("entries", service.repository.ledger.newest(
                                static_cast<std::size_t>(rows), *before, whose));
}

base::Outcome<std::string> decode(std::string_view text) {
  auto decoded = base::percent_decoded(text);
  if (!decoded) {
    return base::refuse(Kind::kInvalid,
                        "a '%' in the address is not followed by two digits");
  }
  return std::move(*decoded);
}

std::vector<std::string_view> split(std::string_view text, char at) {
  std::vector<std::string_view> parts;
  while (true) {
    const auto found = text.find(at);
    parts.push_back(text.substr(0, found));
    if (found == std::string_view::npos) return parts;
    text.remove_prefix(found + 1);
  }
}

base::Outcome<std::map<std::string, std::string>> parse_query(std::string_view query) {
  std::map<std::string, std::string> result;
  if (query.empty()) return result;
  for (const auto pair : split(query, '&')) {
    const auto equals = pair.find('=');
    auto name = decode(pair.substr(0, equals));
    auto value = equals == std::string_view::npos ? std::string{}
                                                  : decode(pair.substr(equals + 1));
    if (!name) return base::refuse(name.error());
    if (!value) return base::refuse(value.error());
    result.insert_or_assign(std::move(*name), std::move(*value));
  }
  return result;
}

// The values of the pattern's {names}, or nothing if it is another path.
base::Outcome<std::optional<std::map<std::string, std::string>>> fit(
    std::string_view pattern, std::string_view path) {
  const auto wanted = split(pattern, '/');
  const auto given = split(path, '/');
  if (wanted.size() != given.size()) return std::nullopt;
  std::map<std::string, std::string> values;
  for (std::size_t i = 0; i < wanted.size(); ++i) {
    if (!wanted[i].starts_with('{')) {
      if (wanted[i] != given[i]) return std::nullopt;
      continue;
    }
    auto value = decode(given[i]);
    if (!value) return base::refuse(value.error());
    values.emplace(wanted[i].substr(1, wanted[i].size() - 2), std::move(*value));
  }
  return values;
}

json route_table(const std::vector<Route>& routes) {
  auto list = json::array();
  for (const auto& route : routes) {
    list.push_back(
        {{"method", route.method},
         {"path", route.path},
         {"permission", route.permission == Permission::kAnyone ? "anyone" : "operator"},
         {"summary", route.summary}});
  }
  return {{"routes", list}};
}

}  // namespace

std::vector<Route> make_routes(Service& service) {
  constexpr auto kOperatorOnly = Permission::kOperator;
  const auto with = [&service](auto handler) {
    return [&service, handler](const Call& call) { return handler(service, call); };
  };
  std::vector<Route> routes{
      {"GET", "/v1/health", Permission::kAnyone, JsonHandler([](const Call&) {
         return json{{"ok", true}};
       }),
       "that the server answers"},
      {"GET", "/v1/status", kOperatorOnly,
       JsonHandler([&service](const Call&) { return status(service); }),
       "listeners, counts, free space, trouble"},
      {"GET", "/v1/transfers", kOperatorOnly, JsonHandler([&service](const Call&) {
         return json{{"transfers", shapes(service.gate.transfers().view())}};
       }),
       "running transfers, and those that ended in the last 10 seconds"},
      {"GET", "/v1/events", kOperatorOnly, EventStream{},
       "server-sent events: a 'transfer' whenever one begins, moves or ends; a 'change'"},
      {"GET", "/v1/contacts", kOperatorOnly, JsonHandler(with(contacts)),
       "the addresses that were heard, the last first; ?limit=N"},
      {"GET", "/v1/contacts/{address}", kOperatorOnly, JsonHandler(with(story)),
       "what happened with one address, in the order of time"},
      {"GET", "/v1/ledger", kOperatorOnly, JsonHandler(with(ledger)),
       "newest first; ?limit=N, ?before=ID, ?whose=DEVICE or address"},
  };
  for (auto& route : access_routes(service)) routes.push_back(std::move(route));
  for (auto& route : backup_routes(service)) routes.push_back(std::move(route));
  for (auto& route : device_routes(service)) routes.push_back(std::move(route));
  for (auto& route : image_routes(service)) routes.push_back(std::move(route));
  for (auto& route : offer_routes(service)) routes.push_back(std::move(route));
  for (auto& route : unrecorded_routes(service)) routes.push_back(std::move(route));
  routes.push_back({"GET", "/v1/routes", kOperatorOnly, JsonHandler{}, "this table"});
  auto table = route_table(routes);
  routes.back().handler =
      JsonHandler([table = std::move(table)](const Call&) { return table; });
  return routes;
}

base::Outcome<Matched> match(const std::vector<Route>& routes, std::string_view method,
                             std::string_view target) {
  const auto question = target.find('?');
  const auto path = target.substr(0, question);
  auto query =
      parse_query(question == std::string_view::npos ? std::string_view{}
                                                     : target.substr(question + 1));
  if (!query) return base::refuse(query.error());
  std::string other_methods;
  for (const auto& route : routes) {
    auto values = fit(route.path, path);
    if (!values) return base::refuse(values.error());
    if (!*values) continue;
    if (route.method == method) {
      return Matched{&route, {std::move(**values), std::move(*query), {}, false}};
    }
    other_methods += fmt::format("{}{}", other_methods.empty() ? "" : ", ", route.method);
  }
  if (!other_methods.empty()) {
    return base::refuse(Kind::kInvalid,
                        fmt::format("{} is called with {}, not {}", base::printable(path),
                                    other_methods, base::printable(method, 20)));
  }
  return base::refuse(Kind::kNotFound,
                      fmt::format("there is nothing at {}; GET /v1/routes "
                                  "lists what there is",
                                  base::printable(path)));
}

}  // namespace vantro::manage
