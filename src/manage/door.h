// Who calls: identified by a token, a log-in, or their login on this machine; and whether
// the call may come this way at all. This also judges browsers: a page of another site
// must not be able to call, nor a name that points at this address.
#pragma once

#include <chrono>
#include <string>
#include <vector>

#include "api/operation.h"
#include "api/people.h"
#include "auth/log_ins.h"
#include "auth/people.h"
#include "base/address.h"
#include "base/outcome.h"
#include "desk/caller.h"
#include "manage/known_here.h"
#include "net/http/request.h"

namespace vantro::repository {
struct Repository;
}

namespace vantro::manage {

struct DoorConfig {
  // Names that callers may use for this server, in lower case, beside its addresses and
  // localhost.
  std::vector<std::string> names;
  std::vector<KnownGroup> groups;
  std::string pam_service;  // empty: none
  std::chrono::hours session{12};
};

// How a call came.
struct Way {
  base::Address peer, local;  // unspecified on the local socket
  bool over_tls = false;
  bool on_local_socket = false;

  // In the ledger's form.
  std::string from() const { return on_local_socket ? "this machine" : peer.text(); }
};

// Thread-safe. The repository and the mistakes must outlive it.
class Door {
 public:
  static constexpr const char* kCookie = "vantro-session";

  Door(repository::Repository& repository, auth::Mistakes& mistakes, DoorConfig config);

  // What is wrong with the way it came: the status, and a sentence. Nothing: no problem.
  struct Turned {
    int status = 0;
    std::string why;
  };
  std::optional<Turned> turns_away(const net::http::Head& head, const Way& way) const;

  // Cheap enough for an I/O thread. kAccountNeeded; kBusy: too many wrong tokens from
  // there.
  base::Outcome<desk::Caller> known(const net::http::Head& head, const Way& way);
  // The user at the other end of the local socket. It may wait.
  base::Outcome<desk::Caller> local(unsigned uid);

  // With a password: one that is stored here, else by PAM. Takes a tenth of a second and
  // 64 MiB, or as long as PAM does. Refusals go into the ledger.
  struct LoggedIn {
    desk::Caller caller;
    std::string token;
    base::WallTime until = 0;
  };
  base::Outcome<LoggedIn> log_in(const std::string& name, const std::string& password,
                                 const Way& way);
  // With a token in place of a password: for browsers, which cannot keep it out of pages'
  // reach. The log-in ends with the token. kInvalid: it is a log-in's token.
  base::Outcome<LoggedIn> log_in_with_token(const std::string& token, const Way& way);
  // For Set-Cookie (RFC 6265); an empty token ends it.
  std::string cookie(const std::string& token, bool over_tls) const;

  api::Me me(const desk::Caller& caller) const;

 private:
  base::Outcome<auth::Who> right_password(const std::string& name,
                                          const std::string& password, const Way& way);
  // `vouched_for`: the person has no record here; another system (PAM) knows them.
  base::Outcome<LoggedIn> session(const auth::Who& who, const Way& way,
                                  std::int64_t with_token, bool vouched_for);
  // Writes to the ledger, but not each of a thousand.
  void record_wrong(const Way& way, const std::string& name, const base::Refusal& why);

  repository::Repository& repository_;
  auth::Mistakes& mistakes_;
  const DoorConfig config_;
  KnownHere here_;
  auth::LogIns passwords_;
};

// Whether the caller has the permission; the refusal says who can give it.
base::Outcome<void> may(const desk::Caller& caller, api::Permission permission);

}  // namespace vantro::manage
