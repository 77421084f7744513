#include "manage/access_routes.h"

#include <algorithm>
#include <fmt/format.h>

#include "api/access.h"
#include "auth/rules.h"
#include "base/percent.h"
#include "base/protocol.h"
#include "base/visible_name.h"
#include "desk/accounts.h"
#include "manage/body.h"
#include "manage/convert.h"

namespace vantro::manage {
namespace {

using base::Kind;
using nlohmann::json;

api::Account shape(const auth::Account& account) {
  api::Account result;
  result.name = account.name;
  result.may = auth::actions_text(account.may);
  result.from = account.networks.text();
  result.part = account.part;
  if (account.until) result.until = base::iso_time(*account.until);
  result.on = account.on;
  result.remarks = account.remarks;
  result.made_at = base::iso_time(account.made_at);
  if (account.last_used_at) result.last_used_at = base::iso_time(*account.last_used_at);
  result.last_used_from = account.last_used_from;
  result.keys = account.keys.size();
  return result;
}

api::AccountKey shape(const auth::SshKey& key) {
  return {key.type, key.fingerprint, key.remark, base::iso_time(key.added_at)};
}

// Its fields as they were given; what is not there stays as it is.
base::Outcome<desk::AccountChange> change_of(const json& wanted) {
  desk::AccountChange change;
  for (const auto& field : wanted.items()) {
    const auto& name = field.key();
    if (name == "name") continue;
    if (name == "on") {
      const auto on = flag_field(wanted, "on", true);
      if (!on) return base::refuse(on.error());
      change.on = *on;
      continue;
    }
    const auto text = text_field(wanted, name.c_str());
    if (!text) return base::refuse(text.error());
    if (name == "password") change.password = *text;
    if (name == "part") change.part = *text;
    if (name == "remarks") change.remarks = *text;
    if (name == "may") {
      auto actions = auth::parse_actions(*text);
      if (!actions) return base::refuse(actions.error());
      change.may = std::move(*actions);
    }
    if (name == "from") {
      auto networks = auth::Networks::parse(*text);
      if (!networks) return base::refuse(networks.error());
      change.networks = std::move(*networks);
    }
    if (name == "until") {
      const auto time = base::parse_iso_time(*text);
      if (!time && !text->empty()) {
        return base::refuse(Kind::kInvalid, fmt::format("'{}' is no time such as "
                                                        "2026-11-23T02:14:07.000Z",
                                                        base::printable(*text, 60)));
      }
      change.until = time;
    }
  }
  return change;
}

const std::vector<std::string> kFields{"name", "password", "may", "from",
                                       "part", "until",    "on",  "remarks"};

base::Outcome<json> accounts(Service& service, const Call&) {
  const auto all = service.repository.accounts.all();
  if (!all) return base::refuse(all.error());
  auto list = json::array();
  for (const auto& one : *all) list.push_back(shape(one));
  return json{{"accounts", std::move(list)}};
}

base::Outcome<json> add_account(Service& service, const Call& call,
                                const std::string& body) {
  const auto wanted = object(body, kFields);
  if (!wanted) return base::refuse(wanted.error());
  const auto name = text_field(*wanted, "name");
  if (!name) return base::refuse(name.error());
  const auto change = change_of(*wanted);
  if (!change) return base::refuse(change.error());
  const auto added = desk::Accounts(service.repository, call.caller).add(*name, *change);
  if (!added) return base::refuse(added.error());
  return json(shape(*added));
}

base::Outcome<json> change_account(Service& service, const Call& call,
                                   const std::string& body) {
  const auto wanted = object(body, kFields);
  if (!wanted) return base::refuse(wanted.error());
  if (wanted->contains("name")) {
    return base::refuse(Kind::kInvalid, "an account keeps its name");
  }
  const auto change = change_of(*wanted);
  if (!change) return base::refuse(change.error());
  const auto changed = desk::Accounts(service.repository, call.caller)
                           .change(call.path.at("name"), *change);
  if (!changed) return base::refuse(changed.error());
  return json(shape(*changed));
}

base::Outcome<json> remove_account(Service& service, const Call& call) {
  const auto& name = call.path.at("name");
  if (auto done = desk::Accounts(service.repository, call.caller).remove(name); !done) {
    return base::refuse(done.error());
  }
  return json{{"removed", base::folded(name)}};
}

// -- Keys --

base::Outcome<json> account_keys(Service& service, const Call& call) {
  const auto name = auth::account_name(call.path.at("name"));
  if (!name) return base::refuse(name.error());
  const auto account = service.repository.database->read(
      [&](db::Transaction& t) { return auth::Accounts::get(t, *name); });
  if (!account) return base::refuse(account.error());
  auto list = json::array();
  for (const auto& key : account->keys) list.push_back(shape(key));
  return json{{"keys", std::move(list)}};
}

base::Outcome<json> add_key(Service& service, const Call& call, const std::string& body) {
  const auto wanted = object(body, {"key", "remark"});
  if (!wanted) return base::refuse(wanted.error());
  const auto text = text_field(*wanted, "key");
  if (!text) return base::refuse(text.error());
  std::optional<std::string> remark;
  if (wanted->contains("remark")) {
    auto given = text_field(*wanted, "remark");
    if (!given) return base::refuse(given.error());
    remark = std::move(*given);
  }
  const auto added = desk::Accounts(service.repository, call.caller)
                         .add_key(call.path.at("name"), *text, remark);
  if (!added) return base::refuse(added.error());
  return json(shape(*added));
}

base::Outcome<json> remove_key(Service& service, const Call& call) {
  const auto which = query(call, "key");
  if (!which) {
    return base::refuse(Kind::kInvalid, "say which key: ?key=FINGERPRINT, or its remark");
  }
  const auto removed = desk::Accounts(service.repository, call.caller)
                           .remove_key(call.path.at("name"), *which);
  if (!removed) return base::refuse(removed.error());
  return json(shape(*removed));
}

// -- Locations --

// Of all names under which an image is on offer, the one that was typed, or the first.
base::Outcome<catalog::Offer> offer_for(Service& service, const std::string& typed) {
  const auto name = base::visible_name(typed);
  if (!name) return base::refuse(name.error());
  const auto standing = service.repository.offers.standing();
  if (!standing) return base::refuse(standing.error());
  for (const auto& offer : *standing) {
    if (base::folded(offer.name) == base::folded(*name)) return offer;
  }
  const auto image = service.repository.catalog.find(*name);
  if (!image) return base::refuse(image.error());
  for (const auto& offer : *standing) {
    if (offer.image.id == image->id) return offer;
  }
  return base::refuse(
      Kind::kDenied,
      fmt::format("'{0}' is not on offer; put it there with 'vantro offer add {0}'",
                  image->name));
}

std::string pasted(const std::string& protocol, const std::string& user,
                   const base::Endpoint& server, const std::string& name) {
  const auto* known = base::find_protocol(protocol);
  auto host =
      server.address.is_v4() ? server.address.text() : "[" + server.address.text() + "]";
  if (server.port != known->usual_port) host += fmt::format(":{}", server.port);
  const auto who = user.empty() || !known->carries_accounts ? "" : user + "@";
  return fmt::format("{}://{}{}/{}", known->scheme, who, host,
                     base::percent_encoded(name, "~/"));
}

// The server's addresses that a device could type for a listener.
std::vector<base::Address> addresses_of(Service& service, const base::Endpoint& where,
                                        const std::optional<base::Address>& device) {
  if (!where.address.is_unspecified()) return {where.address};
  const bool v4 = where.address.is_v4();
  std::vector<base::Address> result;
  if (device) {
    if (device->is_v4() != v4) return result;
    if (const auto own = service.address_towards(*device)) result.push_back(*own);
    return result;
  }
  const auto own = service.own_addresses();
  const bool only_loopback = std::all_of(
      own.begin(), own.end(), [](const auto& one) { return one.is_loopback(); });
  for (const auto& one : own) {
    // Nobody but this machine reaches it there.
    if (one.is_v4() == v4 && (only_loopback || !one.is_loopback())) result.push_back(one);
  }
  return result;
}

// Why the device does not get it this way; empty if it does.
std::string hindrance(Service& service, const catalog::Offer& offer,
                      const gate::Asker& asker) {
  const auto allowed = service.gate.would_allow(asker, auth::Action::kFetch, offer.name);
  if (!allowed) {
    return allowed.error().kind == Kind::kAccountNeeded
               ? "needs an account: give one with --account NAME"
               : allowed.error().sentence;
  }
  const auto found = service.repository.offer_index()->find(
      offer.name, {asker.peer.address, asker.protocol, service.clock.wall()});
  return found ? "" : found.error().sentence;
}

base::Outcome<json> locations(Service& service, const Call& call) {
  const auto typed = query(call, "image");
  if (!typed) return base::refuse(Kind::kInvalid, "say of which image: ?image=NAME");
  const auto offer = offer_for(service, *typed);
  if (!offer) return base::refuse(offer.error());
  std::optional<base::Address> device;
  if (const auto text = query(call, "for")) {
    device = base::Address::parse(*text);
    if (!device) {
      return base::refuse(Kind::kInvalid, fmt::format("'{}' is no IP address",
                                                      base::printable(*text, 60)));
    }
  }
  std::string account;
  if (const auto name = query(call, "account")) {
    const auto sound = auth::account_name(*name);
    if (!sound) return base::refuse(sound.error());
    if (!service.repository.snapshot()->accounts->find(*sound) ||
        *sound == auth::kAnonymous) {
      return base::refuse(Kind::kNotFound,
                          fmt::format("there is no account '{}'; 'vantro account list' "
                                      "shows what there is",
                                      *sound));
    }
    account = *sound;
  }
  api::Locations result;
  result.name = offer->name;
  result.image = offer->image.name;
  result.size = offer->image.size;
  result.digests = manage::shape(offer->image.digests);
  for (const auto& [protocol, where] : service.devices) {
    for (const auto& server : addresses_of(service, where, device)) {
      const auto* known = base::find_protocol(protocol);
      api::Location one;
      one.protocol = protocol;
      one.server = server.text();
      one.text = pasted(protocol, account, {server, where.port}, offer->name);
      one.protects = known->protects;
      one.remark = known->remark;
      if (device) {
        one.note = hindrance(service, *offer,
                             {{*device, 0},
                              protocol,
                              "",
                              known->carries_accounts ? account : std::string()});
        one.open = one.note.empty();
      }
      result.locations.push_back(std::move(one));
    }
  }
  return json(result);
}

}  // namespace

std::vector<api::Opening> openings(Service& service) {
  std::vector<std::string> served;
  for (const auto& one : service.devices) {
    if (std::find(served.begin(), served.end(), one.protocol) == served.end()) {
      served.push_back(one.protocol);
    }
  }
  std::vector<api::Opening> result;
  for (const auto& one : auth::openings(
           service.gate.rules(),
           *service.repository.snapshot()->accounts->find(auth::kAnonymous), served)) {
    result.push_back({one.from, one.may, one.over, one.needs_account});
  }
  return result;
}

std::vector<Route> access_routes(Service& service) {
  constexpr auto kOperatorOnly = Permission::kOperator;
  return {
      {"GET", "/v1/accounts", kOperatorOnly, json_handler(service, accounts),
       "who may do what; 'anonymous' is everybody without an account"},
      {"POST", "/v1/accounts", kOperatorOnly, body_handler(service, add_account),
       "a new account: name, password, may, from, part, until, remarks"},
      {"PATCH", "/v1/accounts/{name}", kOperatorOnly,
       body_handler(service, change_account), "change what is given of them, or 'on'"},
      {"DELETE", "/v1/accounts/{name}", kOperatorOnly,
       json_handler(service, remove_account), "remove an account"},
      {"GET", "/v1/accounts/{name}/keys", kOperatorOnly,
       json_handler(service, account_keys),
       "the public keys that it logs in with over SSH"},
      {"POST", "/v1/accounts/{name}/keys", kOperatorOnly, body_handler(service, add_key),
       "one more: key (a line or a block as key programs write it), remark"},
      {"DELETE", "/v1/accounts/{name}/keys", kOperatorOnly,
       json_handler(service, remove_key), "remove one: ?key=FINGERPRINT, or its remark"},
      {"GET", "/v1/locations", kOperatorOnly, json_handler(service, locations),
       "texts to paste into a device: ?image=NAME, &for=ADDRESS, &account=NAME"},
  };
}

}  // namespace vantro::manage
