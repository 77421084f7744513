#include "manage/people_routes.h"

#include <algorithm>
#include <map>

#include "api/operations.h"
#include "base/visible_name.h"
#include "desk/people.h"
#include "manage/answers.h"
#include "manage/door.h"
#include "manage/values.h"

namespace vantro::manage {
namespace {

using base::Kind;

std::optional<std::string> iso(const std::optional<base::WallTime>& time) {
  if (!time) return std::nullopt;
  return base::iso_time(*time);
}

api::Person shape(const auth::Person& person, std::size_t tokens) {
  api::Person result;
  result.name = person.name;
  result.role = auth::word(person.powers.role);
  result.rights = auth::rights_text(person.powers.rights);
  result.known_by = "tokens";
  result.password = !person.hash.empty();
  result.tokens = tokens;
  result.until = iso(person.until);
  result.on = person.on;
  result.remarks = person.remarks;
  result.made_at = base::iso_time(person.made_at);
  result.last_seen_at = iso(person.last_seen_at);
  result.last_seen_from = person.last_seen_from;
  return result;
}

api::TokenInfo shape(const auth::Token& token, base::WallTime now) {
  api::TokenInfo result;
  result.person = token.person;
  result.label = token.label;
  result.state = token.revoked_at                          ? "revoked"
                 : !token.holds(now)                       ? "ended"
                 : token.kind == auth::TokenKind::kSession ? "log-in"
                                                           : "good";
  result.made_at = base::iso_time(token.made_at);
  result.until = iso(token.until);
  result.last_used_at = iso(token.last_used_at);
  result.last_used_from = token.last_used_from;
  return result;
}

base::Outcome<desk::PersonChange> change_of(const api::PersonFields& given) {
  desk::PersonChange change;
  change.password = given.password;
  change.on = given.on;
  change.remarks = given.remarks;
  if (given.role) {
    const auto role = auth::parse_role(*given.role);
    if (!role) return base::refuse(role.error());
    change.role = *role;
  }
  if (given.rights) {
    auto rights = auth::parse_rights(*given.rights);
    if (!rights) return base::refuse(rights.error());
    change.rights = std::move(*rights);
  }
  if (given.until) {
    const auto time = time_of(*given.until);
    if (!time) return base::refuse(time.error());
    change.until = *time;
  }
  return change;
}

// How many valid ones each has.
base::Outcome<std::map<std::string, std::size_t>> tokens_of_all(Service& service) {
  const auto tokens = service.repository.people.tokens("");
  if (!tokens) return base::refuse(tokens.error());
  std::map<std::string, std::size_t> count;
  for (const auto& one : *tokens) {
    if (one.kind == auth::TokenKind::kToken && one.holds(service.clock.wall())) {
      ++count[one.person];
    }
  }
  return count;
}

base::Outcome<api::PersonList> people(Service& service, const Call&,
                                      const api::Nothing&) {
  const auto all = service.repository.people.all();
  if (!all) return base::refuse(all.error());
  const auto seen = service.repository.people.seen();
  if (!seen) return base::refuse(seen.error());
  auto tokens = tokens_of_all(service);
  if (!tokens) return base::refuse(tokens.error());
  api::PersonList list;
  for (const auto& one : *all) list.people.push_back(shape(one, (*tokens)[one.name]));
  for (const auto& one : *seen) {
    api::Person person;
    person.name = one.name;
    person.role = one.powers.substr(0, one.powers.find(','));
    const auto with = one.powers.find("with ");
    person.rights = with == std::string::npos ? "none" : one.powers.substr(with + 5);
    person.known_by = one.origin;
    person.last_seen_at = base::iso_time(one.at);
    person.last_seen_from = one.from;
    list.people.push_back(std::move(person));
  }
  return list;
}

base::Outcome<api::Person> add_person(Service& service, const Call& call,
                                      const api::Nothing&,
                                      const api::PersonFields& given) {
  const auto change = change_of(given);
  if (!change) return base::refuse(change.error());
  const auto added =
      desk::People(service.repository, call.caller).add(given.name.value_or(""), *change);
  if (!added) return base::refuse(added.error());
  return shape(*added, 0);
}

base::Outcome<api::Person> change_person(Service& service, const Call& call,
                                         const api::Named& asked,
                                         const api::PersonFields& given) {
  if (given.name) return base::refuse(Kind::kInvalid, "a person keeps the name");
  const auto change = change_of(given);
  if (!change) return base::refuse(change.error());
  const auto changed =
      desk::People(service.repository, call.caller).change(asked.name, *change);
  if (!changed) return base::refuse(changed.error());
  auto tokens = tokens_of_all(service);
  if (!tokens) return base::refuse(tokens.error());
  return shape(*changed, (*tokens)[changed->name]);
}

base::Outcome<api::PersonRemoved> remove_person(Service& service, const Call& call,
                                                const api::Named& asked) {
  const auto done = desk::People(service.repository, call.caller).remove(asked.name);
  if (!done) return base::refuse(done.error());
  return api::PersonRemoved{base::folded(asked.name)};
}

base::Outcome<api::TokenList> tokens(Service& service, const Call& call,
                                     const api::Named& asked) {
  const auto all = desk::People(service.repository, call.caller).tokens(asked.name);
  if (!all) return base::refuse(all.error());
  api::TokenList list;
  for (const auto& one : *all) {
    list.tokens.push_back(shape(one, service.clock.wall()));
  }
  return list;
}

base::Outcome<api::TokenMade> made(Service& service,
                                   const base::Outcome<desk::TokenMade>& token) {
  if (!token) return base::refuse(token.error());
  return api::TokenMade{shape(token->token, service.clock.wall()), token->text};
}

base::Outcome<api::TokenMade> add_token(Service& service, const Call& call,
                                        const api::Named& asked,
                                        const api::TokenWanted& given) {
  const auto until = time_of(given.until.value_or(""));
  if (!until) return base::refuse(until.error());
  return made(service, desk::People(service.repository, call.caller)
                           .add_token(asked.name, given.label, *until));
}

base::Outcome<api::TokenMade> renew_token(Service& service, const Call& call,
                                          const api::TokenAsked& asked,
                                          const api::TokenRenewal& given) {
  const auto until = time_of(given.until.value_or(""));
  if (!until) return base::refuse(until.error());
  return made(service, desk::People(service.repository, call.caller)
                           .renew(asked.name, asked.label, *until, given.replace));
}

base::Outcome<api::TokenInfo> revoke_token(Service& service, const Call& call,
                                           const api::TokenAsked& asked) {
  auto token =
      desk::People(service.repository, call.caller).revoke(asked.name, asked.label);
  if (!token) return base::refuse(token.error());
  token->revoked_at = service.clock.wall();
  return shape(*token, service.clock.wall());
}

base::Outcome<net::http::Answer> log_in(Service& service, const Call& call,
                                        const api::LogIn& given) {
  if (given.token.empty() && (given.name.empty() || given.password.empty())) {
    return base::refuse(Kind::kInvalid, given.name.empty()
                                            ? "name: it is missing; give name and "
                                              "password, or a token"
                                            : "password: it is missing");
  }
  const auto session = given.token.empty()
                           ? service.door->log_in(given.name, given.password, call.way)
                           : service.door->log_in_with_token(given.token, call.way);
  if (!session) return base::refuse(session.error());
  api::LoggedIn result{service.door->me(session->caller), session->token};
  if (given.cookie) result.token.clear();
  auto answer = text(200, kJsonType, api::json_of(result));
  if (given.cookie) {
    answer.set("Set-Cookie", service.door->cookie(session->token, call.way.over_tls));
  }
  return answer;
}

base::Outcome<net::http::Answer> log_out(Service& service, const Call& call) {
  if (auto done = desk::People(service.repository, call.caller).log_out(); !done) {
    return base::refuse(done.error());
  }
  auto answer = text(200, kJsonType, api::json_of(api::Nothing{}));
  answer.set("Set-Cookie", service.door->cookie("", call.way.over_tls));
  return answer;
}

base::Outcome<api::Me> me(Service& service, const Call& call, const api::Nothing&) {
  return service.door->me(call.caller);
}

base::Outcome<api::Me> set_password(Service& service, const Call& call,
                                    const api::Nothing&,
                                    const api::PasswordGiven& given) {
  if (auto done =
          desk::People(service.repository, call.caller).set_own_password(given.password);
      !done) {
    return base::refuse(done.error());
  }
  return service.door->me(call.caller);
}

}  // namespace

void people_routes(Routes& routes) {
  routes.add(api::kPeople, people);
  routes.add(api::kAddPerson, add_person);
  routes.add(api::kChangePerson, change_person);
  routes.add(api::kRemovePerson, remove_person);
  routes.add(api::kTokens, tokens);
  routes.add(api::kAddToken, add_token);
  routes.add(api::kRenewToken, renew_token);
  routes.add(api::kRevokeToken, revoke_token);
  routes.add_at_door(api::kLogIn, log_in);
  routes.add_at_door(api::kLogOut, log_out);
  routes.add(api::kMe, me);
  routes.add(api::kSetPassword, set_password);
}

}  // namespace vantro::manage
