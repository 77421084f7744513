#include "manage/access_routes.h"

#include <algorithm>
#include <fmt/format.h>

#include "api/operations.h"
#include "auth/rules.h"
#include "base/protocol.h"
#include "base/visible_name.h"
#include "desk/accounts.h"
#include "desk/planning.h"
#include "desk/ways.h"
#include "manage/convert.h"
#include "manage/values.h"

namespace vantro::manage {
namespace {

using base::Kind;

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

// A missing value keeps the old one.
base::Outcome<desk::AccountChange> change_of(const api::AccountFields& given) {
  desk::AccountChange change;
  change.on = given.on;
  change.password = given.password;
  change.part = given.part;
  change.remarks = given.remarks;
  if (given.may) {
    auto actions = auth::parse_actions(*given.may);
    if (!actions) return base::refuse(actions.error());
    change.may = std::move(*actions);
  }
  if (given.from) {
    auto networks = auth::Networks::parse(*given.from);
    if (!networks) return base::refuse(networks.error());
    change.networks = std::move(*networks);
  }
  if (given.until) {
    const auto time = time_of(*given.until);
    if (!time) return base::refuse(time.error());
    change.until = *time;
  }
  return change;
}

base::Outcome<api::AccountList> accounts(Service& service, const Call&,
                                         const api::Nothing&) {
  const auto all = service.repository.accounts.all();
  if (!all) return base::refuse(all.error());
  api::AccountList result;
  for (const auto& one : *all) result.accounts.push_back(shape(one));
  return result;
}

base::Outcome<api::Account> add_account(Service& service, const Call& call,
                                        const api::Nothing&,
                                        const api::AccountFields& given) {
  const auto change = change_of(given);
  if (!change) return base::refuse(change.error());
  const auto added = desk::Accounts(service.repository, call.caller)
                         .add(given.name.value_or(""), *change);
  if (!added) return base::refuse(added.error());
  return shape(*added);
}

base::Outcome<api::Account> change_account(Service& service, const Call& call,
                                           const api::Named& asked,
                                           const api::AccountFields& given) {
  if (given.name) return base::refuse(Kind::kInvalid, "an account keeps its name");
  const auto change = change_of(given);
  if (!change) return base::refuse(change.error());
  const auto changed =
      desk::Accounts(service.repository, call.caller).change(asked.name, *change);
  if (!changed) return base::refuse(changed.error());
  return shape(*changed);
}

base::Outcome<api::AccountRemoved> remove_account(Service& service, const Call& call,
                                                  const api::Named& asked) {
  const auto done = desk::Accounts(service.repository, call.caller).remove(asked.name);
  if (!done) return base::refuse(done.error());
  return api::AccountRemoved{base::folded(asked.name)};
}

// -- Keys --

base::Outcome<api::AccountKeys> account_keys(Service& service, const Call&,
                                             const api::Named& asked) {
  const auto name = auth::account_name(asked.name);
  if (!name) return base::refuse(name.error());
  const auto account = service.repository.database->read(
      [&](db::Transaction& t) { return auth::Accounts::get(t, *name); });
  if (!account) return base::refuse(account.error());
  api::AccountKeys result;
  for (const auto& key : account->keys) result.keys.push_back(shape(key));
  return result;
}

base::Outcome<api::AccountKey> add_key(Service& service, const Call& call,
                                       const api::Named& asked,
                                       const api::KeyGiven& given) {
  const auto added = desk::Accounts(service.repository, call.caller)
                         .add_key(asked.name, given.key, given.remark);
  if (!added) return base::refuse(added.error());
  return shape(*added);
}

base::Outcome<api::AccountKey> remove_key(Service& service, const Call& call,
                                          const api::KeyAsked& asked) {
  const auto removed =
      desk::Accounts(service.repository, call.caller).remove_key(asked.name, asked.key);
  if (!removed) return base::refuse(removed.error());
  return shape(*removed);
}

// -- Locations --

// Of an image's names on offer, the typed one, or the first.
base::Outcome<catalog::Offer> offer_for(Service& service, const std::string& typed) {
  const auto name = base::visible_name(typed);
  if (!name) return base::refuse(name.error());
  const auto index = service.repository.offer_index();
  if (const auto* offer = index->standing_under(*name)) return *offer;
  const auto image = service.repository.catalog.find(*name);
  if (!image) return base::refuse(image.error());
  auto offers = service.repository.offers.of_image(image->id);
  if (!offers) return base::refuse(offers.error());
  if (!offers->empty()) return std::move(offers->front());
  return base::refuse(
      Kind::kDenied,
      fmt::format("'{0}' is not on offer; put it there with 'vantro offer add {0}'",
                  image->name));
}

// As it was typed: a device's name, or an address; nothing, if nothing was.
base::Outcome<std::optional<base::Address>> device_address(Service& service,
                                                           const std::string& typed) {
  if (typed.empty() || base::Address::parse(typed)) return address_of(typed);
  const auto holder = service.repository.inventory.holder(typed);
  if (!holder) return base::refuse(holder.error());
  const auto device = service.repository.devices.find(holder->name);
  if (!device) return base::refuse(device.error());
  const auto own = desk::addresses(*device);
  if (own.empty()) {
    return base::refuse(Kind::kInvalid,
                        fmt::format("the address of {} is not known; set it with 'vantro "
                                    "device change {} --addresses ...'",
                                    device->name, device->name));
  }
  return std::optional(own.front());
}

base::Outcome<api::Locations> locations(Service& service, const Call&,
                                        const api::LocationsAsked& asked) {
  const auto offer = offer_for(service, asked.image);
  if (!offer) return base::refuse(offer.error());
  const auto device = device_address(service, asked.device);
  if (!device) return base::refuse(device.error());
  const auto known_account = desk::known_account(service.repository, asked.account);
  if (!known_account) return base::refuse(known_account.error());
  const auto& account = *known_account;
  api::Locations result;
  result.name = offer->name;
  result.image = offer->image.name;
  result.size = offer->image.size;
  result.digests = manage::shape(offer->image.digests);
  for (const auto& [protocol, where] : service.surroundings.listening()) {
    for (const auto& server : desk::addresses_of(service.surroundings, where, *device)) {
      const auto* known = base::find_protocol(protocol);
      api::Location one;
      one.protocol = protocol;
      one.server = server.text();
      one.text = desk::pasted(protocol, account, {server, where.port}, offer->name);
      one.protects = known->protects;
      one.remark = known->remark;
      one.port = where.port;
      one.account = desk::account_to_type(protocol, account);
      if (protocol == "tftp" || protocol == "ftp") one.mode = "binary";
      if (*device) {
        one.note = desk::hindrance(service.gate, offer->name,
                                   {{**device, 0},
                                    protocol,
                                    "",
                                    known->carries_accounts ? account : std::string()});
        one.open = one.note.empty();
      }
      result.locations.push_back(std::move(one));
    }
  }
  return result;
}

}  // namespace

std::vector<api::Opening> openings(Service& service) {
  std::vector<std::string> served;
  for (const auto& one : service.surroundings.listening()) {
    if (std::find(served.begin(), served.end(), one.protocol) == served.end()) {
      served.push_back(one.protocol);
    }
  }
  std::vector<api::Opening> result;
  const auto config = service.gate.config();
  for (const auto& one : auth::openings(
           config->rules,
           *service.repository.snapshot()->accounts->find(auth::kAnonymous), served)) {
    result.push_back({one.from, one.may, one.over, one.needs_account});
  }
  return result;
}

void access_routes(Routes& routes) {
  routes.add(api::kAccounts, accounts);
  routes.add(api::kAddAccount, add_account);
  routes.add(api::kChangeAccount, change_account);
  routes.add(api::kRemoveAccount, remove_account);
  routes.add(api::kAccountKeys, account_keys);
  routes.add(api::kAddAccountKey, add_key);
  routes.add(api::kRemoveAccountKey, remove_key);
  routes.add(api::kLocations, locations);
}

}  // namespace vantro::manage
