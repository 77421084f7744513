#include "wire/ftp/session.h"

#include <algorithm>
#include <fmt/format.h>

#include "base/numbers.h"
#include "base/overloaded.h"
#include "base/visible_name.h"
#include "wire/ftp/reply.h"

namespace vantro::wire::ftp {
namespace {

std::int64_t seconds(base::Duration duration) {
  return std::chrono::duration_cast<std::chrono::seconds>(duration).count();
}

}  // namespace

struct Session::Known {
  const char* verb;
  Handler handler;
  bool before_log_in;
};

const std::vector<Session::Known>& Session::commands() {
  // In the order in which HELP lists them.
  static const std::vector<Known> known{
      {"USER", &Session::user, true},
      {"PASS", &Session::pass, true},
      {"ACCT", &Session::acct, true},
      {"REIN", &Session::rein, true},
      {"QUIT", &Session::quit, true},
      {"AUTH", &Session::auth, true},
      {"PBSZ", &Session::pbsz, true},
      {"PROT", &Session::prot, true},
      {"CCC", &Session::ccc, true},
      {"ADAT", &Session::no_security_data, true},
      {"MIC", &Session::no_security_data, true},
      {"CONF", &Session::no_security_data, true},
      {"ENC", &Session::no_security_data, true},
      {"CWD", &Session::cwd, false},
      {"CDUP", &Session::cdup, false},
      {"PWD", &Session::pwd, false},
      {"MKD", &Session::mkd, false},
      {"TYPE", &Session::type, false},
      {"STRU", &Session::stru, false},
      {"MODE", &Session::mode, false},
      {"PORT", &Session::port, false},
      {"PASV", &Session::pasv, false},
      {"EPRT", &Session::eprt, false},
      {"EPSV", &Session::epsv, false},
      {"REST", &Session::rest, false},
      {"ALLO", &Session::allo, false},
      {"RETR", &Session::retr, false},
      {"STOR", &Session::stor, false},
      {"STOU", &Session::stou, false},
      {"APPE", &Session::appe, false},
      {"LIST", &Session::list, false},
      {"NLST", &Session::nlst, false},
      {"MLSD", &Session::mlsd, false},
      {"MLST", &Session::mlst, false},
      {"SIZE", &Session::size, false},
      {"MDTM", &Session::mdtm, false},
      {"STAT", &Session::stat, true},
      {"ABOR", &Session::abor, true},
      {"FEAT", &Session::feat, true},
      {"OPTS", &Session::opts, true},
      {"SITE", &Session::site, true},
      {"HELP", &Session::help, true},
      {"NOOP", &Session::noop, true},
      {"SYST", &Session::syst, true},
      {"DELE", &Session::no_deleting, false},
      {"RMD", &Session::no_deleting, false},
      {"RNFR", &Session::no_renaming, false},
      {"RNTO", &Session::no_renaming, false},
  };
  return known;
}

// -- The step --

void Session::step(const Event& event, base::Instant now, base::WallTime wall,
                   Actions& actions) {
  if (state_ == State::kEnded) return;
  actions_ = &actions;
  now_ = now;
  wall_ = wall;
  std::visit(
      base::Overloaded{
          [&](const Started&) {
            log_in_until_ = now + config_.log_in_patience;
            say(220, "vantrod: log in as 'anonymous', or with your account");
            ready();
          },
          [&](const Came& what) { came(what.command); },
          [&](const CameTooLong&) { say(500, "That line is too long for a command"); },
          [&](const LoggedIn& what) { logged(what.account); },
          [&](const Looked& what) { looked(what.seen); },
          [&](const Listening& what) { listening(what.where); },
          [&](const Opened& what) { opened(what.sentence); },
          [&](const Ended& what) { ended(what); },
          [&](const DeadlinePassed&) { deadline_passed(); },
          [&](const Stopping&) { stopping(); },
      },
      event);
  actions_ = nullptr;
}

bool Session::takes(const Command& command) const {
  if (state_ == State::kReady || state_ == State::kEnded) return true;
  if (state_ != State::kTransfer) return false;
  return command.verb == "ABOR" || command.verb == "NOOP" ||
         (command.verb == "STAT" && command.argument.empty());
}

void Session::came(const Command& command) {
  if (command.verb.empty()) return;
  verb_ = command.verb;
  const auto known =
      std::find_if(commands().begin(), commands().end(),
                   [&](const auto& one) { return one.verb == command.verb; });
  if (known == commands().end()) {
    say(500, fmt::format("Unknown command '{}'; HELP lists the commands",
                         base::printable(command.verb, 40)));
  } else if (!logged_in_ && !known->before_log_in) {
    say(530, "Log in first: USER and PASS, with 'anonymous' or your account");
  } else {
    (this->*known->handler)(command.argument);
  }
  if (state_ == State::kReady) ready();
}

void Session::say(int code, std::string_view text) { act(Say{reply(code, text)}); }
void Session::say(int code, const std::vector<std::string>& lines) {
  act(Say{reply(code, lines)});
}

void Session::ready() {
  state_ = State::kReady;
  if (stopping_) {
    end("The server is being stopped; try again in a minute");
    return;
  }
  // A client that does not log in cannot delay that by other commands.
  deadline_ = logged_in_ ? now_ + config_.idle_patience : log_in_until_;
}

void Session::end(std::string_view text) {
  say(421, text);
  act(Close{});
  state_ = State::kEnded;
  deadline_.reset();
}

void Session::stopping() {
  stopping_ = true;
  if (state_ == State::kReady) ready();
}

void Session::deadline_passed() {
  if (state_ == State::kSlow) {
    act(Say{std::move(slow_answer_)});
    ready();
  } else if (state_ == State::kReady && logged_in_) {
    end(fmt::format("No command for {} seconds; log in again",
                    seconds(config_.idle_patience)));
  } else if (state_ == State::kReady) {
    end(fmt::format("No log-in within {} seconds", seconds(config_.log_in_patience)));
  }
}

// -- Log-in --

void Session::forget_log_in() {
  user_.reset();
  logged_in_ = false;
  account_.clear();
  folder_ = "/";
  to_be_filled_ = false;
}

void Session::forget_data_way() {
  if (passive_) act(CloseListener{});
  passive_ = false;
  active_.reset();
}

void Session::user(const std::string& argument) {
  if (argument.empty()) return say(501, "Give a name: USER anonymous, or an account");
  if (logged_in_) log_in_until_ = now_ + config_.log_in_patience;
  forget_log_in();
  user_ = argument;
  const auto name = base::folded(argument);
  if (name == "anonymous" || name == "ftp") {
    user_ = "";
    say(331, "No account: any password will do");
  } else {
    say(331, "Now the password");
  }
}

void Session::pass(const std::string& argument) {
  if (logged_in_) return say(202, "You are logged in already");
  if (!user_) return say(503, "The name comes first: USER");
  state_ = State::kPassword;
  deadline_.reset();
  act(CheckLogIn{*user_, user_->empty() ? "" : argument});
}

void Session::logged(const base::Outcome<std::string>& account) {
  const auto user = user_.value_or("");
  user_.reset();
  if (account) {
    logged_in_ = true;
    account_ = *account;
    wrong_ = 0;
    say(230,
        account_.empty()
            ? fmt::format("Logged in without an account: you may do what is open to {}",
                          config_.peer.address.text())
            : fmt::format("Logged in as '{}'", account_));
    return ready();
  }
  const auto answer = reply(530, base::in_full(account.error()));
  if (!user.empty()) ++wrong_;
  if (wrong_ >= config_.last_wrong) {
    act(Say{answer});
    return end("Too many wrong passwords");
  }
  if (wrong_ <= config_.most_wrong) {
    act(Say{answer});
    return ready();
  }
  slow_answer_ = answer;
  state_ = State::kSlow;
  deadline_ = now_ + kSlowAnswer;
}

void Session::acct(const std::string&) {
  if (!logged_in_) return say(503, "Log in first: USER and PASS");
  say(202, "ACCT is not needed; you are logged in");
}

void Session::quit(const std::string&) {
  say(221, "Goodbye");
  act(Close{});
  state_ = State::kEnded;
  deadline_.reset();
}

void Session::rein(const std::string&) {
  forget_log_in();
  forget_data_way();
  lines_ = extended_only_ = false;
  offset_ = 0;
  announced_.reset();
  log_in_until_ = now_ + config_.log_in_patience;
  say(220, "Forgotten; log in again");
}

// -- Protection (RFC 2228, 4217) --

void Session::auth(const std::string& argument) {
  const auto mechanism = upper(argument);
  if (secure_) return say(503, "TLS has been agreed already");
  if (mechanism != "TLS" && mechanism != "TLS-C") {
    return say(504, fmt::format("'{}' is not supported; use AUTH TLS",
                                base::printable(argument, 40)));
  }
  if (!config_.tls) {
    return say(534, "No TLS: the server has no certificate for FTP");
  }
  say(234, "Begin with TLS now");
  act(StartTls{});
  secure_ = true;
  buffer_agreed_ = private_data_ = false;
  forget_log_in();
  forget_data_way();
}

void Session::pbsz(const std::string& argument) {
  if (!secure_) return say(503, "AUTH TLS comes first");
  if (!base::parse_number<std::uint32_t>(argument)) return say(501, "Say PBSZ 0");
  buffer_agreed_ = true;
  say(200, "PBSZ=0");
}

void Session::prot(const std::string& argument) {
  if (!buffer_agreed_) {
    return say(503, secure_ ? "PBSZ 0 comes first" : "AUTH TLS comes first");
  }
  const auto level = upper(argument);
  if (level == "P" || level == "C") {
    private_data_ = level == "P";
    return say(200,
               private_data_ ? "Files are sent under TLS" : "Files are sent without TLS");
  }
  if (level == "S" || level == "E") return say(536, "Use PROT P or PROT C");
  say(504, "Use PROT P or PROT C");
}

void Session::ccc(const std::string&) { say(533, "TLS can't be switched off again"); }

void Session::no_security_data(const std::string&) {
  say(503, "Nothing more to agree on after AUTH TLS");
}

// -- About --

void Session::stat(const std::string& argument) {
  if (!argument.empty()) {
    if (!logged_in_) return say(530, "Log in first");
    return look(Look::For::kListing, resolve(folder_, without_options(argument)));
  }
  std::vector<std::string> lines{
      fmt::format("vantrod {}", config_.version),
      fmt::format("You are {}", config_.peer.text()),
      !logged_in_        ? "Not logged in"
      : account_.empty() ? "Logged in without an account"
                         : fmt::format("Logged in as '{}'", account_),
      fmt::format("{}, {}; in {}", lines_ ? "TYPE A" : "TYPE I",
                  !secure_        ? "nothing under TLS"
                  : private_data_ ? "commands and files under TLS"
                                  : "commands under TLS",
                  shown(folder_))};
  if (progress_.what.empty()) {
    lines.push_back("No transfer runs");
  } else if (progress_.total) {
    lines.push_back(fmt::format("{}: {} of {} bytes", progress_.what, progress_.bytes,
                                *progress_.total));
  } else {
    lines.push_back(fmt::format("{}: {} bytes", progress_.what, progress_.bytes));
  }
  lines.push_back("End");
  say(211, lines);
}

void Session::feat(const std::string&) {
  std::vector<std::string> lines{"Extensions to RFC 959:"};
  if (config_.tls) lines.push_back("AUTH TLS");
  for (const auto* one : {"EPRT", "EPSV", "MDTM"}) lines.push_back(one);
  lines.push_back("MLST " + feature_text(facts_));
  if (config_.tls) lines.push_back("PBSZ");
  if (config_.tls) lines.push_back("PROT");
  for (const auto* one : {"REST STREAM", "SIZE", "TVFS", "UTF8"}) lines.push_back(one);
  lines.push_back("End");
  say(211, lines);
}

void Session::opts(const std::string& argument) {
  const auto end = std::min(argument.find(' '), argument.size());
  const auto what = upper(std::string_view(argument).substr(0, end));
  const auto rest = base::trimmed(std::string_view(argument).substr(end));
  if (what == "UTF8" && (rest.empty() || upper(rest) == "ON")) {
    return say(200, "Names are UTF-8, always");
  }
  if (what == "UTF8") return say(504, "Names are UTF-8, always");
  if (what == "MLST") {
    facts_ = parse_wanted(rest);
    return say(200, "MLST OPTS " + wanted_text(facts_));
  }
  say(501, fmt::format("No options for '{}'", base::printable(what, 40)));
}

void Session::site(const std::string& argument) {
  if (upper(argument) == "HELP") {
    return say(214,
               {"This server keeps images and receives backups.",
                "RETR NAME fetches an image that is on offer; LIST shows them.",
                "RETR NAME.sha256 gives its checksum, as sha256sum -c reads it.",
                "STOR NAME files a backup as a new revision; nothing is overwritten.",
                "RETR backups/NAME fetches your own newest backup, if you may.",
                "STOR intake/NAME hands in an image, if you may.", "End"});
  }
  say(504, argument.empty() ? "There is SITE HELP"
                            : fmt::format("Unknown command 'SITE {}'; use SITE HELP",
                                          base::printable(argument, 60)));
}

void Session::help(const std::string& argument) {
  if (upper(argument) == "SITE") return site("HELP");
  std::vector<std::string> lines{"The commands:"};
  std::string line;
  for (const auto& one : commands()) {
    if (!line.empty()) line += ' ';
    line += one.verb;
    if (line.size() < 60) continue;
    lines.push_back(std::exchange(line, ""));
  }
  if (!line.empty()) lines.push_back(line);
  lines.push_back("SITE HELP explains names");
  say(214, lines);
}

void Session::noop(const std::string&) { say(200, "Still here"); }

// Clients that read "UNIX" choose TYPE I by themselves.
void Session::syst(const std::string&) { say(215, "UNIX Type: L8"); }

void Session::no_deleting(const std::string&) {
  say(550,
      "Nothing is deleted over FTP: images are withdrawn with 'vantro image withdraw', "
      "backups are kept");
}

void Session::no_renaming(const std::string&) {
  say(verb_ == "RNFR" ? 550 : 503,
      "Nothing is renamed over FTP; send the file under its right name");
}

}  // namespace vantro::wire::ftp
