// The state of one control connection (RFC 959, 1123 4.1, 2228, 2389, 2428, 2577, 2640,
// 3659, 4217): log-in, folder, type, data connections' addresses, and one transfer at a
// time.
//
//   kReady --command that can be answered at once--> kReady
//          --PASS--> kPassword --LoggedIn--> kReady, or kSlow after wrong ones
//          --CWD, SIZE, ...--> kLooking --Looked--> kReady
//          --PASV--> kListening --Listening--> kReady
//          --RETR, STOR, LIST, ...--> kOpening --Opened--> kTransfer --Ended--> kReady
//
// While a transfer runs only ABOR, STAT and NOOP are accepted; other commands wait, in
// their order. 226 is sent only after Ended: for an upload after its durable commit.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <variant>
#include <vector>

#include "base/address.h"
#include "base/clock.h"
#include "base/outcome.h"
#include "wire/ftp/command.h"
#include "wire/ftp/facts.h"

namespace vantro::wire::ftp {

// -- The session's actions --

struct Say {
  std::string text;  // whole lines
};
// Answered by LoggedIn. Without a name: whether anything is open without an account.
struct CheckLogIn {
  std::string name;
  std::string password;
};
// The meaning of a path. Answered by Looked.
struct Look {
  enum class For { kFolder, kNewFolder, kFile, kAny, kListing };
  For what = For::kAny;
  std::string path;
};
// A port for a data connection. Answered by Listening.
struct Listen {};
// The transfer is opened first, and answered by Opened; then Begin, answered by Ended.
struct Open {
  enum class What { kRetrieve, kStore, kList, kNames, kFacts };
  What what = What::kRetrieve;
  std::string path;
  std::uint64_t offset = 0;                // kRetrieve, kStore: REST
  bool append = false;                     // kStore: append to the existing bytes
  bool lines = false;                      // TYPE A
  std::optional<std::uint64_t> announced;  // kStore: ALLO, in bytes
  WantedFacts facts;                       // kFacts
  bool may_be_empty = false;  // lists: the client was told that nothing is there yet
  std::string typed_folder;   // kNames: the prefix of the names, "sub/"
};
// Over a data connection: to this address, or one that comes to the port.
struct Begin {
  std::optional<base::Endpoint> to;
};
// The opened file is no longer wanted; or the running transfer ends. No Ended follows.
struct Abort {
  std::string why;
};
// Closes the listening port for a data connection.
struct CloseListener {};
// The control connection continues under TLS.
struct StartTls {};
// After all replies.
struct Close {};

using Action = std::variant<Say, CheckLogIn, Look, Listen, Open, Begin, Abort,
                            CloseListener, StartTls, Close>;
using Actions = std::vector<Action>;

// -- Its events --

struct Started {};
// A line has arrived. REQUIRES: takes(command)
struct Came {
  Command command;
};
struct CameTooLong {};
// The account's name; empty without one.
struct LoggedIn {
  base::Outcome<std::string> account;
};
// The entry. An empty folder may still be one for those who may send into it.
struct Seen {
  Entry entry;
  bool to_be_filled = false;
  std::vector<Entry> listing;  // kListing
};
struct Looked {
  base::Outcome<Seen> seen;
};
struct Listening {
  base::Outcome<base::Endpoint> where;
};
// `sentence`: what will be sent or received, for people.
struct Opened {
  base::Outcome<std::string> sentence;
};
struct Ended {
  enum class How {
    kDone,
    kNoConnection,  // no data connection could be set up
    kBroken,        // it was interrupted
    kRefused,       // by the server's side: `refusal`
  };
  How how = How::kDone;
  std::string sentence;
  std::optional<base::Refusal> refusal;
};
struct DeadlinePassed {};
// The server stops: nothing new after the running transfer.
struct Stopping {};

using Event = std::variant<Started, Came, CameTooLong, LoggedIn, Looked, Listening,
                           Opened, Ended, DeadlinePassed, Stopping>;

// The progress of a running transfer, for STAT.
struct Progress {
  std::string what;  // "sending 'x'"; empty: none
  std::uint64_t bytes = 0;
  std::optional<std::uint64_t> total;
};

struct SessionConfig {
  bool tls = false;                                // there is a certificate
  base::Endpoint peer;                             // of the control connection
  std::optional<base::Address> announced_address;  // for PASV, in place of its own
  std::string version;                             // of the server, for STAT
  base::Duration log_in_patience = std::chrono::seconds(60);
  base::Duration idle_patience = std::chrono::seconds(300);
  // Wrong passwords before answers become slow, and before the session ends.
  int most_wrong = 3;
  int last_wrong = 6;
};

class Session {
 public:
  static constexpr base::Duration kSlowAnswer = std::chrono::seconds(3);

  explicit Session(SessionConfig config) : config_(std::move(config)) {}

  void step(const Event& event, base::Instant now, base::WallTime wall, Actions& actions);

  // Whether the command can be given now; else it must wait, with all after it.
  bool takes(const Command& command) const;
  // While a transfer runs: its progress, for STAT.
  void progress(Progress progress) { progress_ = std::move(progress); }
  bool transfers() const { return state_ == State::kTransfer; }
  // No open question, and no answer due.
  bool idle() const { return state_ == State::kReady || state_ == State::kEnded; }
  // An ABOR has arrived after commands that wait: the transfer ends now, and the command
  // is answered in its turn.
  void abort_ahead(Actions& actions);

  std::optional<base::Instant> deadline() const { return deadline_; }

  // Its account; empty: without one.
  const std::string& account() const { return account_; }
  bool logged_in() const { return logged_in_; }
  // The control connection, and later data connections.
  bool secure() const { return secure_; }
  bool secure_data() const { return secure_ && private_data_; }

 private:
  enum class State {
    kReady,
    kPassword,
    kSlow,
    kLooking,
    kListening,
    kOpening,
    kTransfer,
    kEnded,
  };
  using Handler = void (Session::*)(const std::string& argument);
  struct Known;
  static const std::vector<Known>& commands();

  void came(const Command& command);
  void say(int code, std::string_view text);
  void say(int code, const std::vector<std::string>& lines);
  // In its place, not moved there: g++ 12 warns of moving a variant without cause.
  template <class A>
  void act(A action) {
    actions_->emplace_back(std::in_place_type<A>, std::move(action));
  }
  void ready();
  void end(std::string_view text);
  std::string shown(std::string_view path) const;
  void refuse(base::Refusal refusal, bool upload);
  bool names_file(const std::string& argument, const char* otherwise);

  void user(const std::string& argument);
  void pass(const std::string& argument);
  void acct(const std::string& argument);
  void quit(const std::string& argument);
  void rein(const std::string& argument);
  void auth(const std::string& argument);
  void pbsz(const std::string& argument);
  void prot(const std::string& argument);
  void no_security_data(const std::string& argument);
  void ccc(const std::string& argument);
  void cwd(const std::string& argument);
  void cdup(const std::string& argument);
  void pwd(const std::string& argument);
  void mkd(const std::string& argument);
  void type(const std::string& argument);
  void stru(const std::string& argument);
  void mode(const std::string& argument);
  void port(const std::string& argument);
  void eprt(const std::string& argument);
  void pasv(const std::string& argument);
  void epsv(const std::string& argument);
  void rest(const std::string& argument);
  void allo(const std::string& argument);
  void retr(const std::string& argument);
  void stor(const std::string& argument);
  void stou(const std::string& argument);
  void appe(const std::string& argument);
  void list(const std::string& argument);
  void nlst(const std::string& argument);
  void mlsd(const std::string& argument);
  void mlst(const std::string& argument);
  void size(const std::string& argument);
  void mdtm(const std::string& argument);
  void stat(const std::string& argument);
  void abor(const std::string& argument);
  void feat(const std::string& argument);
  void opts(const std::string& argument);
  void site(const std::string& argument);
  void help(const std::string& argument);
  void noop(const std::string& argument);
  void syst(const std::string& argument);
  void no_deleting(const std::string& argument);
  void no_renaming(const std::string& argument);

  void target(const base::Endpoint& where);
  void look(Look::For what, const std::string& path);
  bool data_way();
  void open(Open what);
  void open_listing(Open::What what, const std::string& argument);
  void store(const std::string& argument, bool append);
  void logged(const base::Outcome<std::string>& account);
  void looked(const base::Outcome<Seen>& seen);
  void listening(const base::Outcome<base::Endpoint>& where);
  void opened(const base::Outcome<std::string>& sentence);
  void ended(const Ended& how);
  void deadline_passed();
  void stopping();
  void forget_log_in();
  void forget_data_way();

  const SessionConfig config_;
  State state_ = State::kReady;
  // Of the current step.
  Actions* actions_ = nullptr;
  base::Instant now_{};
  base::WallTime wall_ = 0;

  std::optional<base::Instant> deadline_;
  base::Instant log_in_until_{};
  bool stopping_ = false;

  std::optional<std::string> user_;  // given, and not yet logged in
  bool logged_in_ = false;
  std::string account_;
  int wrong_ = 0;
  std::string slow_answer_;

  bool secure_ = false;
  bool buffer_agreed_ = false;  // PBSZ
  bool private_data_ = false;   // PROT P

  std::string folder_ = "/";
  bool to_be_filled_ = false;               // the folder: it is still empty
  bool lines_ = false;                      // TYPE A is set
  std::uint64_t offset_ = 0;                // REST, for the next transfer
  std::optional<std::uint64_t> announced_;  // ALLO, for the next upload
  WantedFacts facts_;

  bool extended_only_ = false;  // EPSV ALL
  bool extended_ = false;       // answer as EPSV does
  bool passive_ = false;        // a port listens
  std::optional<base::Endpoint> active_;

  Look look_;
  std::string verb_;  // of the current command
  Open open_;
  Progress progress_;
};

}  // namespace vantro::wire::ftp
