#include "manage/door.h"

#include <algorithm>
#include <fmt/format.h>
#include <unistd.h>

#include "base/visible_name.h"
#include "desk/people.h"
#include "manage/console.h"
#include "manage/pam.h"
#include "net/http/origin.h"
#include "repository/repository.h"

namespace vantro::manage {
namespace {

using base::Kind;

// Of wrong tokens and passwords from one address, the first few each go to the ledger,
// and then every tenth.
constexpr int kMostRecorded = 10;

// "vantro.example:7443" -> "vantro.example"; "[2001:db8::1]:7443" -> "2001:db8::1"
std::string host_of(std::string_view field) {
  if (field.starts_with('[')) {
    return base::folded(field.substr(1, field.find(']') - 1));
  }
  auto host = base::folded(field.substr(0, field.find(':')));
  if (host.ends_with('.')) host.pop_back();
  return host;
}

std::string cookie_value(const std::string& field, std::string_view name) {
  std::string_view rest = field;
  while (!rest.empty()) {
    const auto end = std::min(rest.find(';'), rest.size());
    auto one = rest.substr(0, end);
    rest.remove_prefix(std::min(end + 1, rest.size()));
    while (one.starts_with(' ')) one.remove_prefix(1);
    if (one.starts_with(name) && one.substr(name.size()).starts_with('=')) {
      return std::string(one.substr(name.size() + 1));
    }
  }
  return {};
}

// The token of the call, and whether the browser sent it by itself.
struct Shown {
  std::string token;
  bool by_cookie = false;
};

Shown shown_in(const net::http::Head& head) {
  constexpr std::string_view kScheme = "bearer ";
  const auto authorization = head.field("authorization");
  if (base::folded(authorization.substr(0, kScheme.size())) == kScheme) {
    return {authorization.substr(kScheme.size()), false};
  }
  return {cookie_value(head.field("cookie"), Door::kCookie), true};
}

bool changes_nothing(const std::string& method) {
  return method == "GET" || method == "HEAD";
}

std::vector<std::string> with_own_name(std::vector<std::string> names) {
  names.emplace_back("localhost");
  std::string own(256, '\0');
  if (::gethostname(own.data(), own.size() - 1) == 0) {
    own.resize(own.find('\0'));
    names.push_back(base::folded(own));
  }
  return names;
}

}  // namespace

Door::Door(repository::Repository& repository, auth::Mistakes& mistakes,
           DoorConfig config)
    : repository_(repository),
      mistakes_(mistakes),
      config_{with_own_name(std::move(config.names)), std::move(config.groups),
              std::move(config.pam_service), config.session},
      here_(config_.groups, repository.clock),
      passwords_(
          [this](std::string_view typed) -> std::optional<auth::LogIns::Holder> {
            const auto name = auth::person_name(typed);
            const auto person =
                name ? repository_.snapshot()->people->find(*name) : nullptr;
            if (!person) return std::nullopt;
            return auth::LogIns::Holder{person->name, person->hash, person->changed_at};
          },
          mistakes, repository.clock) {}

std::optional<Door::Turned> Door::turns_away(const net::http::Head& head,
                                             const Way& way) const {
  if (way.on_local_socket) return std::nullopt;
  const auto field = head.field("host");
  const auto host = host_of(field);
  const auto address = base::Address::parse(host);
  const bool own_address =
      address &&
      (*address == way.local || (address->is_loopback() && way.local.is_loopback()));
  const bool known = own_address || std::find(config_.names.begin(), config_.names.end(),
                                              host) != config_.names.end();
  if (!known) {
    return Turned{421, fmt::format("'{}' is not a name of this server; call it by its "
                                   "address, or add the name to management.names in the "
                                   "settings",
                                   base::printable(host, 100))};
  }
  // A link to a page of the console may be on any site: the page is only code.
  if (is_for_console(head)) return std::nullopt;
  const auto refused = [](const std::string& why) {
    return Turned{403, "cross-site call refused: " + why};
  };
  const auto other = net::http::from_other_site(head, way.over_tls ? "https" : "http");
  if (!other.empty()) return refused(other);
  // Browsers send the cookie by themselves, so it does not prove who asks.
  if (!changes_nothing(head.method) && head.field("origin").empty() &&
      head.field("sec-fetch-site").empty() && head.field("authorization").empty() &&
      !head.field("cookie").empty()) {
    return refused("the browser does not say where it comes from");
  }
  return std::nullopt;
}

base::Outcome<desk::Caller> Door::known(const net::http::Head& head, const Way& way) {
  const auto shown = shown_in(head);
  if (shown.token.empty()) {
    return base::refuse(
        Kind::kAccountNeeded,
        "no token was sent; run 'vantro login URL' once, or set VANTRO_TOKEN. On the "
        "server itself 'sudo vantro' needs none");
  }
  const auto now = repository_.clock.wall();
  const auto who = repository_.snapshot()->people->who(shown.token, now);
  if (!who) {
    if (auto may = mistakes_.allow(way.peer, "tokens"); !may) {
      return base::refuse(may.error());
    }
    record_wrong(way, "", who.error());
    return base::refuse(who.error());
  }
  return desk::Caller{who->name,  who->powers, way.from(),
                      who->token, who->kind,   who->until};
}

base::Outcome<desk::Caller> Door::local(unsigned uid) {
  const auto login = here_.by_user(uid);
  if (!login) return base::refuse(login.error());
  return desk::Caller{login->name, login->powers, "this machine"};
}

base::Outcome<auth::Who> Door::right_password(const std::string& name,
                                              const std::string& password,
                                              const Way& way) {
  const auto sound = auth::person_name(name);
  const auto kept = sound ? repository_.snapshot()->people->find(*sound) : nullptr;
  if (config_.pam_service.empty() || (kept && !kept->hash.empty())) {
    const auto right = passwords_.check(way.peer, name, password);
    if (!right) return base::refuse(right.error());
    const auto person = repository_.snapshot()->people->find(*right);
    if (!person || !person->holds(repository_.clock.wall())) {
      return base::refuse(Kind::kDenied,
                          fmt::format("'{0}' is switched off or has expired; ask an "
                                      "administrator: vantro person change {0}",
                                      *right));
    }
    return auth::Who{person->name, person->powers, 0, auth::TokenKind::kSession,
                     person->until};
  }
  if (auto may = mistakes_.allow(way.peer, "passwords", name); !may) {
    return base::refuse(may.error());
  }
  if (!sound || password.empty()) {
    mistakes_.add(way.peer, name);
    return base::refuse(Kind::kAccountNeeded, "the name or its password is wrong");
  }
  if (auto right = pam_check(config_.pam_service, *sound, password, way.from()); !right) {
    if (right.error().kind == Kind::kAccountNeeded) mistakes_.add(way.peer, name);
    return base::refuse(right.error());
  }
  mistakes_.forget(way.peer, name);
  // A person with a record has its rights.
  if (kept) {
    if (!kept->holds(repository_.clock.wall())) {
      return base::refuse(Kind::kDenied,
                          fmt::format("'{}' is switched off or has expired", *sound));
    }
    return auth::Who{kept->name, kept->powers, 0, auth::TokenKind::kSession, kept->until};
  }
  const auto login = here_.by_name(*sound);
  if (!login) return base::refuse(login.error());
  return auth::Who{*sound, login->powers, 0, auth::TokenKind::kSession};
}

base::Outcome<Door::LoggedIn> Door::log_in(const std::string& name,
                                           const std::string& password, const Way& way) {
  const auto who = right_password(name, password, way);
  // A caller who has to wait was recorded; further attempts must not cost a row each.
  if (!who && who.error().kind == Kind::kBusy) return base::refuse(who.error());
  if (!who) {
    // The name only if it exists: a text typed as a name may be the password.
    const auto sound = auth::person_name(name);
    const bool known = sound && (repository_.snapshot()->people->find(*sound) ||
                                 who.error().kind == Kind::kDenied);
    repository_.record_event("log-in", {known ? *sound : "somebody", way.from()},
                             who.error().sentence, "", "refused");
    repository_.log.warning("log-in refused", {{"from", way.from()},
                                               {"who", known ? *sound : ""},
                                               {"why", who.error().sentence}});
    return base::refuse(who.error());
  }
  const bool kept = repository_.snapshot()->people->find(who->name) != nullptr;
  auto made = session(*who, way, 0, !kept);
  if (!made) return made;
  repository_.people.came(
      {who->name, who->powers, made->caller.token, auth::TokenKind::kSession},
      kept ? "" : "PAM", way.from(), repository_.clock.wall());
  return made;
}

base::Outcome<Door::LoggedIn> Door::log_in_with_token(const std::string& token,
                                                      const Way& way) {
  const auto who = repository_.snapshot()->people->who(token, repository_.clock.wall());
  if (!who) {
    if (auto may = mistakes_.allow(way.peer, "tokens"); !may) {
      return base::refuse(may.error());
    }
    record_wrong(way, "", who.error());
    return base::refuse(who.error());
  }
  // A chain of log-ins would go on for ever, half a day after half a day.
  if (who->kind == auth::TokenKind::kSession) {
    return base::refuse(Kind::kInvalid,
                        "that is the token of a log-in; log in with a password, or with "
                        "a token of 'vantro token add'");
  }
  const bool kept = repository_.snapshot()->people->find(who->name) != nullptr;
  return session(*who, way, who->token, !kept);
}

base::Outcome<Door::LoggedIn> Door::session(const auth::Who& who, const Way& way,
                                            std::int64_t with_token, bool vouched_for) {
  auto until =
      repository_.clock.wall() +
      std::chrono::duration_cast<std::chrono::milliseconds>(config_.session).count();
  if (who.until) until = std::min(until, *who.until);
  LoggedIn made;
  made.caller = {who.name, who.powers, way.from()};
  auto session =
      desk::People(repository_, made.caller)
          .log_in(who.name, until,
                  vouched_for ? std::optional<auth::Powers>(who.powers) : std::nullopt,
                  with_token);
  if (!session) return base::refuse(session.error());
  made.caller.token = session->token.id;
  made.caller.kind = auth::TokenKind::kSession;
  made.caller.until = until;
  made.token = std::move(session->text);
  made.until = until;
  return made;
}

void Door::record_wrong(const Way& way, const std::string& name,
                        const base::Refusal& why) {
  const int count = mistakes_.add(way.peer);
  if (count > kMostRecorded && count % kMostRecorded != 0) return;
  repository_.record_event("token-check", {name.empty() ? "somebody" : name, way.from()},
                           why.sentence, "", "refused");
}

std::string Door::cookie(const std::string& token, bool over_tls) const {
  return fmt::format("{}={}; Path=/; HttpOnly; SameSite=Strict{}{}", kCookie, token,
                     over_tls ? "; Secure" : "", token.empty() ? "; Max-Age=0" : "");
}

api::Me Door::me(const desk::Caller& caller) const {
  api::Me me;
  me.name = caller.name;
  me.role = auth::word(caller.powers.role);
  me.rights = auth::rights_text(caller.powers.rights);
  me.known_by = caller.token == 0                          ? "socket"
                : caller.kind == auth::TokenKind::kSession ? "log-in"
                                                           : "token";
  me.from = caller.from;
  if (caller.until) me.until = base::iso_time(*caller.until);
  return me;
}

base::Outcome<void> may(const desk::Caller& caller, api::Permission permission) {
  auth::Role needed = auth::Role::kLook;
  switch (permission) {
    case api::Permission::kAnyone:
    case api::Permission::kLook:
      break;
    case api::Permission::kMirror:
      needed = auth::Role::kMirror;
      break;
    case api::Permission::kOperate:
      needed = auth::Role::kOperate;
      break;
    case api::Permission::kAdminister:
      needed = auth::Role::kAdminister;
      break;
  }
  if (caller.powers.may(needed)) return {};
  if (needed == auth::Role::kMirror) {
    return base::refuse(
        Kind::kDenied,
        fmt::format("'{}' has the role '{}', and this needs 'mirror': it is for other "
                    "servers",
                    caller.name, auth::word(caller.powers.role)));
  }
  return base::refuse(
      Kind::kDenied,
      fmt::format("'{0}' has the role '{1}', and this needs '{2}'; an administrator can "
                  "give it: vantro person change {0} --role {2}",
                  caller.name, auth::word(caller.powers.role), auth::word(needed)));
}

}  // namespace vantro::manage
