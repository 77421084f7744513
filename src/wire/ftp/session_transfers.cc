// A session's middle part: folders and files, setting up data connections, transfers.
#include <algorithm>
#include <fmt/format.h>

#include "base/numbers.h"
#include "base/visible_name.h"
#include "wire/ftp/data_address.h"
#include "wire/ftp/reply.h"
#include "wire/ftp/session.h"

namespace vantro::wire::ftp {
namespace {

constexpr std::uint16_t kFirstOpenPort = 1024;

}  // namespace

// -- Folders --

std::string Session::shown(std::string_view path) const {
  std::string text = "\"";
  for (const char c : path) text += c == '"' ? "\"\"" : std::string(1, c);
  return text + "\"";
}

// The nearest name in a form that works in the client's folder.
void Session::refuse(base::Refusal what, bool upload) {
  if (!what.nearest.empty() && folder_ != "/") what.nearest = "/" + what.nearest;
  act(Say{refusal(what, upload ? Asked::kUpload : Asked::kFile)});
}

bool Session::names_file(const std::string& argument, const char* otherwise) {
  if (argument.empty()) {
    say(501, otherwise);
    return false;
  }
  if (argument.ends_with('/') || argument.ends_with('\\')) {
    say(501, "Name the file behind the last slash");
    return false;
  }
  return true;
}

void Session::look(Look::For what, const std::string& path) {
  look_ = {what, path};
  state_ = State::kLooking;
  deadline_.reset();
  act(look_);
}

void Session::cwd(const std::string& argument) {
  if (argument.empty()) return say(501, "Say into which folder");
  look(Look::For::kFolder, resolve(folder_, argument));
}

void Session::cdup(const std::string&) {
  look(Look::For::kFolder, resolve(folder_, ".."));
}

void Session::pwd(const std::string&) {
  say(257, fmt::format("{} is the current folder", shown(folder_)));
}

void Session::mkd(const std::string& argument) {
  if (argument.empty()) return say(501, "Say which folder");
  look(Look::For::kNewFolder, resolve(folder_, argument));
}

void Session::size(const std::string& argument) {
  if (lines_) return say(550, "TYPE A has no size; use TYPE I");
  if (argument.empty()) return say(501, "Name the file");
  look(Look::For::kFile, resolve(folder_, argument));
}

void Session::mdtm(const std::string& argument) {
  if (argument.empty()) return say(501, "Name the file");
  look(Look::For::kFile, resolve(folder_, argument));
}

void Session::mlst(const std::string& argument) {
  const auto path = resolve(folder_, argument);
  if (to_be_filled_ && path == folder_) {
    const Entry here{path, true, 0, wall_};
    return say(250, {"Facts:", facts_line(here, facts_), "End"});
  }
  look(Look::For::kAny, path);
}

void Session::looked(const base::Outcome<Seen>& seen) {
  if (state_ != State::kLooking) return;
  if (!seen) {
    refuse(seen.error(), false);
    return ready();
  }
  const auto& entry = seen->entry;
  switch (look_.what) {
    case Look::For::kFolder:
      folder_ = look_.path;
      to_be_filled_ = seen->to_be_filled;
      say(250, seen->to_be_filled
                   ? fmt::format("Now in {}, which is empty: files sent here are kept "
                                 "under that name",
                                 shown(folder_))
                   : fmt::format("Now in {}", shown(folder_)));
      break;
    case Look::For::kNewFolder:
      say(257,
          fmt::format("{} exists as soon as a file is sent into it", shown(look_.path)));
      break;
    case Look::For::kFile:
      say(213,
          verb_ == "SIZE" ? fmt::format("{}", entry.size) : time_text(entry.changed_at));
      break;
    case Look::For::kAny: {
      auto full = entry;
      full.name = look_.path;
      say(250, {"Facts:", facts_line(full, facts_), "End"});
      break;
    }
    case Look::For::kListing: {
      std::vector<std::string> lines{fmt::format("In {}:", shown(look_.path))};
      for (const auto& one : seen->listing) {
        lines.push_back(list_line(one, wall_));
      }
      lines.push_back("End");
      say(213, lines);
      break;
    }
  }
  ready();
}

// -- Setting up data connections --

void Session::type(const std::string& argument) {
  const auto form = upper(argument);
  if (form == "I" || form == "L 8" || form == "L8") {
    lines_ = false;
    return say(200, "Binary mode");
  }
  if (form == "A" || form == "A N") {
    lines_ = true;
    return say(200, "Text mode: it ruins images (use TYPE I)");
  }
  const auto first = form.substr(0, 1);
  say(first == "A" || first == "E" || first == "L" ? 504 : 501,
      "Use TYPE I for images, TYPE A for text");
}

void Session::stru(const std::string& argument) {
  const auto form = upper(argument);
  if (form == "F") return say(200, "File structure");
  say(form == "R" || form == "P" ? 504 : 501, "Use STRU F");
}

void Session::mode(const std::string& argument) {
  const auto form = upper(argument);
  if (form == "S") return say(200, "Stream mode");
  say(form == "B" || form == "C" ? 504 : 501, "Use MODE S");
}

void Session::target(const base::Endpoint& where) {
  // Not to other hosts, and not to services: RFC 2577, 3.
  if (where.address != config_.peer.address) {
    return say(
        504,
        fmt::format("Data connections go to {} only, your own address; behind an address "
                    "translator use PASV",
                    config_.peer.address.text()));
  }
  if (where.port < kFirstOpenPort) {
    return say(
        504, fmt::format("Data connections do not go to ports below {}", kFirstOpenPort));
  }
  forget_data_way();
  active_ = where;
  // A link-local address belongs to the interface of the control connection.
  active_->zone = config_.peer.zone;
  say(200, fmt::format("Data connection to {}", active_->text()));
}

void Session::port(const std::string& argument) {
  if (extended_only_) return say(503, "You said EPSV ALL: use EPSV");
  const auto where = parse_port(argument);
  if (!where) return say(501, "Say PORT h1,h2,h3,h4,p1,p2");
  target(*where);
}

void Session::eprt(const std::string& argument) {
  if (extended_only_) return say(503, "You said EPSV ALL: use EPSV");
  const auto extended = parse_extended_port(argument);
  if (!extended) return say(501, "Use EPRT |1|address|port| or |2|address|port|");
  const bool v4 = config_.peer.address.is_v4();
  if (!extended->known_kind || extended->where.address.is_v4() != v4) {
    return say(522, fmt::format("Wrong kind of address, use ({})", v4 ? 1 : 2));
  }
  target(extended->where);
}

void Session::pasv(const std::string&) {
  if (extended_only_) return say(503, "You said EPSV ALL: use EPSV");
  if (!config_.peer.address.is_v4()) {
    return say(425, "This connection is over IPv6: use EPSV");
  }
  forget_data_way();
  extended_ = false;
  state_ = State::kListening;
  deadline_.reset();
  act(Listen{});
}

void Session::epsv(const std::string& argument) {
  const auto kind = upper(argument);
  if (kind == "ALL") {
    extended_only_ = true;
    return say(200, "EPSV only, from now on");
  }
  const auto* own = config_.peer.address.is_v4() ? "1" : "2";
  if (!kind.empty() && kind != own) {
    return say(522, fmt::format("Wrong kind of address, use ({})", own));
  }
  forget_data_way();
  extended_ = true;
  state_ = State::kListening;
  deadline_.reset();
  act(Listen{});
}

void Session::listening(const base::Outcome<base::Endpoint>& where) {
  if (state_ != State::kListening) return;
  if (!where) {
    say(425, base::in_full(where.error()));
    return ready();
  }
  passive_ = true;
  if (extended_) {
    say(229, fmt::format("Entering extended passive mode ({})",
                         extended_passive_text(where->port)));
  } else {
    const auto address = config_.announced_address.value_or(where->address);
    say(227,
        fmt::format("Entering passive mode ({})", passive_text({address, where->port})));
  }
  ready();
}

void Session::rest(const std::string& argument) {
  const auto offset = base::parse_number<std::uint64_t>(argument);
  if (!offset) return say(501, "Use REST and a number of bytes");
  if (lines_ && *offset != 0) {
    return say(504, "TYPE A can't resume; use TYPE I");
  }
  offset_ = *offset;
  say(350, fmt::format("The next file begins at byte {}", offset_));
}

void Session::allo(const std::string& argument) {
  const auto end = std::min(argument.find(' '), argument.size());
  const auto size = base::parse_number<std::uint64_t>(argument.substr(0, end));
  if (!size) return say(501, "Use ALLO and a number of bytes");
  announced_ = *size;
  say(200, fmt::format("The next file must have {} bytes", *size));
}

// -- Transfers --

bool Session::data_way() {
  if (passive_ || active_) return true;
  say(425, "First use PASV, EPSV, PORT or EPRT");
  return false;
}

void Session::open(Open what) {
  what.lines = lines_;
  offset_ = 0;
  state_ = State::kOpening;
  deadline_.reset();
  open_ = std::move(what);
  act(open_);
}

void Session::retr(const std::string& argument) {
  if (!names_file(argument, "Say which file") || !data_way()) return;
  if (lines_ && offset_ != 0) {
    offset_ = 0;
    return say(554, "TYPE A can't resume; use TYPE I, REST and RETR");
  }
  Open what;
  what.path = resolve(folder_, argument);
  what.offset = offset_;
  open(std::move(what));
}

void Session::store(const std::string& argument, bool append) {
  if (!names_file(argument, "Say under which name") || !data_way()) return;
  if (lines_ && (offset_ != 0 || append)) {
    offset_ = 0;
    return say(554, "TYPE A can't resume; use TYPE I, or send the whole file");
  }
  Open what;
  what.what = Open::What::kStore;
  what.path = resolve(folder_, argument);
  what.offset = append ? 0 : offset_;
  what.append = append;
  what.announced = std::exchange(announced_, std::nullopt);
  open(std::move(what));
}

void Session::stor(const std::string& argument) { store(argument, false); }
void Session::appe(const std::string& argument) { store(argument, true); }

void Session::stou(const std::string& argument) {
  // Each upload is a revision of its own, so any name is a unique one.
  store(argument.empty() ? "upload-" + time_text(wall_) : argument, false);
}

void Session::open_listing(Open::What what, const std::string& argument) {
  if (!data_way()) return;
  Open listing;
  listing.what = what;
  const auto typed = without_options(argument);
  listing.path = resolve(folder_, typed);
  listing.typed_folder = typed.substr(0, typed.rfind('/') + 1);
  listing.facts = facts_;
  listing.may_be_empty = to_be_filled_ && listing.path == folder_;
  open(std::move(listing));
}

void Session::list(const std::string& argument) {
  open_listing(Open::What::kList, argument);
}
void Session::nlst(const std::string& argument) {
  open_listing(Open::What::kNames, argument);
}
void Session::mlsd(const std::string& argument) {
  open_listing(Open::What::kFacts, argument);
}

void Session::opened(const base::Outcome<std::string>& sentence) {
  if (state_ != State::kOpening) return;
  if (!sentence) {
    refuse(sentence.error(), open_.what == Open::What::kStore);
    if (passive_) forget_data_way();
    return ready();
  }
  say(150,
      verb_ == "STOU" ? "FILE: " + std::string(base::last_part(open_.path)) : *sentence);
  act(Begin{passive_ ? std::nullopt : active_});
  // A listening port is used once.
  passive_ = false;
  state_ = State::kTransfer;
}

void Session::ended(const Ended& how) {
  if (state_ != State::kTransfer) return;
  progress_ = {};
  switch (how.how) {
    case Ended::How::kDone:
      say(226, how.sentence);
      break;
    case Ended::How::kNoConnection:
      say(425, how.sentence);
      break;
    case Ended::How::kBroken:
      say(426, how.sentence);
      break;
    case Ended::How::kRefused:
      refuse(*how.refusal, open_.what == Open::What::kStore);
      break;
  }
  ready();
}

void Session::abort_ahead(Actions& actions) {
  if (state_ != State::kTransfer) return;
  actions_ = &actions;
  act(Abort{"the client ended it (ABOR)"});
  say(426, "The transfer was ended");
  progress_ = {};
  state_ = State::kReady;
  actions_ = nullptr;
}

void Session::abor(const std::string&) {
  if (state_ == State::kTransfer) {
    auto& actions = *actions_;
    abort_ahead(actions);
    actions_ = &actions;
  }
  forget_data_way();
  say(226, "No transfer is running");
}

}  // namespace vantro::wire::ftp
