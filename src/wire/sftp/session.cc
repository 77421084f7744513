#include "wire/sftp/session.h"

#include <algorithm>
#include <fmt/format.h>

#include "base/numbers.h"
#include "base/visible_name.h"

namespace vantro::wire::sftp {
namespace {

using base::Kind;

// Limit of waiting requests, in bytes: several of the largest ones.
constexpr std::size_t kMostWaiting = 4 * kLongestPacket;
// Of one NAME answer.
constexpr std::size_t kEntriesAtOnce = 64;
constexpr std::size_t kMostMadeFolders = 1000;
// A client that never reads standard error must not be stopped by it.
constexpr std::size_t kMostRemarks = 8192;

std::string shown(const std::string& path) {
  return base::printable(path.substr(path.find_first_not_of('/') == std::string::npos
                                         ? 0
                                         : path.find_first_not_of('/')),
                         base::kLongestName);
}

bool names_folder(std::string_view typed) {
  return typed.size() > 1 && (typed.back() == '/' || typed.back() == '\\');
}

}  // namespace

bool Session::wants() const {
  return !ended_ && !files_.busy() && in_.size() - read_ < kMostWaiting;
}

void Session::take(base::ByteView bytes) {
  if (read_ > 0 && read_ * 2 >= in_.size()) {
    in_.erase(in_.begin(), in_.begin() + static_cast<std::ptrdiff_t>(read_));
    read_ = 0;
  }
  in_.insert(in_.end(), bytes.begin(), bytes.end());
}

void Session::input_ended(InputEnd) { ended_ = true; }

std::string Session::remark() { return std::exchange(remark_, {}); }

std::optional<int> Session::over() const { return out_.empty() ? status_ : std::nullopt; }

void Session::quiet() {
  if (missed_.empty()) return;
  tell(std::exchange(missed_, {}));
}

void Session::tell(const std::string& sentence) {
  if (remarks_ + sentence.size() > kMostRemarks) return;
  remarks_ += sentence.size();
  remark_ += (remark_.empty() ? "" : "\n") + sentence;
}

void Session::say(base::ByteBuffer& to, std::size_t most) {
  while (!status_ && out_.size() < most && !files_.busy()) {
    const auto waiting = base::ByteView(in_).subspan(read_);
    const auto size = packet_size(waiting);
    if (!size) {
      tell(size.error().sentence);
      break_off(size.error().sentence);
      break;
    }
    if (!*size || **size > waiting.size()) {
      if (ended_) break_off("the client disconnected");
      break;
    }
    const auto request = parse_request(waiting.first(**size));
    read_ += **size;
    if (!request || (!begun_ && !std::holds_alternative<Init>(request->what))) {
      const std::string why =
          request ? "SFTP begins with INIT" : request.error().sentence;
      tell(why);
      break_off(why);
      break;
    }
    answer(*request);
  }
  if (to.empty()) {
    to.swap(out_);
  } else {
    to.insert(to.end(), out_.begin(), out_.end());
    out_.clear();
  }
}

void Session::break_off(const std::string& why) {
  quiet();
  bool filing = false;
  bool broken = false;
  for (auto& [number, handle] : handles_) {
    if (std::holds_alternative<Reading>(handle)) {
      files_.close(number, ReadEnd::kBrokenOff, why);
      broken = true;
    }
    if (auto* upload = std::get_if<Upload>(&handle)) {
      filing = filing || upload->closing;
      if (upload->closing || !upload->open) continue;
      files_.abandon(number, why);
      broken = true;
    }
  }
  std::erase_if(handles_, [](const auto& one) {
    const auto* upload = std::get_if<Upload>(&one.second);
    return upload == nullptr || !upload->closing;
  });
  // A client that has ended properly has closed everything.
  status_ = broken || !ended_ || !begun_ || read_ < in_.size() ? 1 : 0;
  if (filing && *status_ == 0) status_.reset();
}

void Session::answer(const Request& request) {
  std::visit([&](const auto& what) { on(request.id, what); }, request.what);
}

void Session::refuse(std::uint32_t id, const base::Refusal& refusal) {
  const auto text = base::in_full(refusal);
  say_status(out_, id, status_of(refusal.kind), text);
  if (missed_ == text) missed_.clear();
  tell(text);
}

template <class T>
T* Session::find(std::uint32_t id, const std::string& name) {
  const auto number = base::parse_number<FileHandle>(name);
  const auto found = number ? handles_.find(*number) : handles_.end();
  if (found != handles_.end()) {
    if (auto* one = std::get_if<T>(&found->second)) return one;
  }
  say_status(out_, id, Status::kFailure, "that handle is not open for this");
  return nullptr;
}

void Session::say_new(std::uint32_t id, Handle handle) {
  handles_.emplace(last_handle_, std::move(handle));
  say_handle(out_, id, std::to_string(last_handle_));
}

base::Outcome<Entry> Session::look(const std::string& path) {
  if (made_.contains(path)) {
    Entry entry;
    entry.name = base::last_part(path);
    entry.folder = true;
    entry.changed_at = files_.now();
    return entry;
  }
  return files_.look(path);
}

void Session::on(std::uint32_t, const Init& what) {
  begun_ = true;
  if (what.version < kVersion) {
    const auto why = fmt::format("SFTP version {} is too old; this server has version {}",
                                 what.version, kVersion);
    tell(why);
    break_off(why);
    return;
  }
  say_version(out_);
}

void Session::on(std::uint32_t id, const Open& what) {
  if (handles_.size() >= kMostHandles) {
    refuse(id, {Kind::kBusy, fmt::format("more than {} files are open", kMostHandles)});
    return;
  }
  if ((what.flags & kWrite) != 0) return open_upload(id, what);
  const auto path = clean_path(what.path);
  auto opened = files_.open(++last_handle_, path);
  if (!opened) return refuse(id, opened.error());
  say_new(id, Reading{std::move(*opened)});
}

void Session::open_upload(std::uint32_t id, const Open& what) {
  if (names_folder(what.path)) {
    return refuse(id,
                  {Kind::kInvalid,
                   fmt::format("'{}' is a folder; name the file behind the last slash",
                               shown(what.path))});
  }
  const auto path = clean_path(what.path);
  if (path == missed_path_) missed_.clear();
  const auto before = files_.may_send(path);
  if (!before) return refuse(id, before.error());
  ++last_handle_;
  Upload upload;
  upload.path = path;
  upload.flags = what.flags;
  upload.announced = what.size;
  if ((what.flags & kTruncate) == 0) upload.before = *before;
  say_new(id, std::move(upload));
}

void Session::on(std::uint32_t id, const Close& what) {
  const auto number = base::parse_number<FileHandle>(what.handle);
  const auto found = number ? handles_.find(*number) : handles_.end();
  if (found == handles_.end()) {
    say_status(out_, id, Status::kFailure, "that handle is not open");
    return;
  }
  auto* upload = std::get_if<Upload>(&found->second);
  if (upload == nullptr) {
    if (std::holds_alternative<Reading>(found->second)) {
      files_.close(*number, ReadEnd::kComplete, "");
    }
    handles_.erase(found);
    return ok(id);
  }
  if (upload->closing) {
    say_status(out_, id, Status::kFailure, "that handle is being closed");
    return;
  }
  if (!upload->open) {
    // An empty file, or a resumed one that needed nothing more.
    if (upload->before > 0 || (upload->flags & kAppend) != 0) {
      handles_.erase(found);
      return ok(id);
    }
    if (auto begun = begin(*number, *upload, 0); !begun) {
      handles_.erase(found);
      return refuse(id, begun.error());
    }
  }
  if (upload->announced && upload->next < *upload->announced) {
    // As when somebody interrupts a client that tidies up.
    const base::Refusal cut{
        Kind::kInvalid,
        fmt::format("'{}': {} bytes were announced, but {} arrived", shown(upload->path),
                    *upload->announced, upload->next)};
    files_.abandon(*number, cut.sentence);
    handles_.erase(found);
    return refuse(id, cut);
  }
  upload->closing = id;
  // More than announced arrived: the announcement was not of the whole.
  files_.commit(*number, upload->next == upload->announced);
}

void Session::filed(FileHandle handle, const base::Outcome<void>& done) {
  const auto found = handles_.find(handle);
  if (found == handles_.end()) return;
  const auto id = std::get<Upload>(found->second).closing.value_or(0);
  handles_.erase(found);
  if (done) {
    ok(id);
  } else {
    refuse(id, done.error());
  }
}

void Session::synced(FileHandle handle, const base::Outcome<void>& done) {
  const auto found = handles_.find(handle);
  if (found == handles_.end()) return;
  auto& waiting = std::get<Upload>(found->second).syncing;
  if (waiting.empty()) return;
  const auto id = waiting.front();
  waiting.erase(waiting.begin());
  if (done) {
    ok(id);
  } else {
    refuse(id, done.error());
  }
}

void Session::on(std::uint32_t id, const Read& what) {
  const auto* reading = find<Reading>(id, what.handle);
  if (reading == nullptr) return;
  const auto size = reading->file.size;
  if (what.offset >= size || what.count == 0) {
    say_status(out_, id, Status::kEndOfFile, "end of file");
    return;
  }
  const auto count = static_cast<std::uint32_t>(
      std::min<std::uint64_t>({what.count, kLongestRead, size - what.offset}));
  const auto before = out_.size();
  say_data_head(out_, id, count);
  const auto at = out_.size();
  out_.resize(at + count);
  const auto read = files_.read(*base::parse_number<FileHandle>(what.handle), what.offset,
                                std::span(out_).subspan(at));
  if (read) return;
  out_.resize(before);
  refuse(id, read.error());
}

base::Outcome<void> Session::begin(FileHandle handle, Upload& upload,
                                   std::uint64_t offset) {
  UploadStart start;
  if (offset > 0) {
    start.goes_on = true;
    start.behind = offset;
  } else if ((upload.flags & kAppend) != 0) {
    start.goes_on = true;
  }
  auto opened = files_.open_upload(handle, upload.path, start);
  if (!opened) return opened;
  upload.open = true;
  upload.next = offset;
  return {};
}

void Session::on(std::uint32_t id, const Write& what) {
  auto* upload = find<Upload>(id, what.handle);
  if (upload == nullptr) return;
  const auto number = *base::parse_number<FileHandle>(what.handle);
  if (upload->closing) {
    say_status(out_, id, Status::kFailure, "that handle is being closed");
    return;
  }
  if (!upload->open) {
    if (auto begun = begin(number, *upload, what.offset); !begun) {
      handles_.erase(number);
      return refuse(id, begun.error());
    }
  }
  if (what.offset != upload->next) {
    const base::Refusal hole{
        Kind::kInvalid,
        fmt::format("'{}' must be sent in order: byte {} expected, byte {} received",
                    shown(upload->path), upload->next, what.offset)};
    // The client may close it anyway, and then the bytes must not pass for complete.
    files_.abandon(number, hole.sentence);
    handles_.erase(number);
    return refuse(id, hole);
  }
  auto written = files_.write(number, what.bytes);
  if (!written) {
    files_.abandon(number, written.error().sentence);
    handles_.erase(number);
    return refuse(id, written.error());
  }
  upload->next += what.bytes.size();
  ok(id);
}

void Session::on(std::uint32_t id, const Stat& what) {
  const auto path = clean_path(what.path);
  // A name that ends in a slash is a folder: a client that is told so sends the file into
  // it, under its own name.
  const auto entry = names_folder(what.path) ? files_.look_into(path) : look(path);
  if (entry) return say_attributes(out_, id, *entry);
  const auto text = base::in_full(entry.error());
  say_status(out_, id, status_of(entry.error().kind), text);
  // Clients also look before they send: no reason for a message yet.
  if (path != missed_path_) quiet();
  missed_path_ = path;
  missed_ = text;
}

void Session::on(std::uint32_t id, const FileStat& what) {
  const auto number = base::parse_number<FileHandle>(what.handle);
  const auto found = number ? handles_.find(*number) : handles_.end();
  if (found != handles_.end()) {
    if (const auto* reading = std::get_if<Reading>(&found->second)) {
      return say_attributes(out_, id, reading->file);
    }
    if (const auto* upload = std::get_if<Upload>(&found->second)) {
      Entry entry;
      entry.name = base::last_part(upload->path);
      entry.size = upload->open ? upload->next : upload->before;
      entry.changed_at = files_.now();
      return say_attributes(out_, id, entry);
    }
  }
  say_status(out_, id, Status::kFailure, "that handle is not open for this");
}

void Session::on(std::uint32_t id, const SetStat& what) {
  const auto entry = look(clean_path(what.path));
  if (!entry) {
    say_status(out_, id, status_of(entry.error().kind), base::in_full(entry.error()));
    return;
  }
  if (what.size && *what.size != entry->size) {
    return refuse(
        id, {Kind::kDenied, fmt::format("'{}' keeps its size; stored files do not change",
                                        shown(clean_path(what.path)))});
  }
  // Rights and times of the client's copy: it may believe that they are stored.
  ok(id);
}

void Session::on(std::uint32_t id, const FileSetStat& what) {
  auto* upload = find<Upload>(id, what.handle);
  if (upload == nullptr) return;
  // Truncation to the received size announces nothing: OpenSSH's scp does that at every
  // end, including an interruption.
  if (what.size && *what.size > upload->next) upload->announced = what.size;
  if (what.size && *what.size < upload->next) {
    return refuse(id,
                  {Kind::kDenied, fmt::format("'{}' can't be truncated while it arrives",
                                              shown(upload->path))});
  }
  ok(id);
}

void Session::on(std::uint32_t id, const OpenFolder& what) {
  if (handles_.size() >= kMostHandles) {
    refuse(id, {Kind::kBusy, fmt::format("more than {} files are open", kMostHandles)});
    return;
  }
  const auto path = clean_path(what.path);
  Listing listing;
  if (auto entries = files_.list(path)) {
    listing.entries = std::move(*entries);
  } else if (!made_.contains(path)) {
    return refuse(id, entries.error());
  }
  ++last_handle_;
  say_new(id, std::move(listing));
}

void Session::on(std::uint32_t id, const ReadFolder& what) {
  auto* listing = find<Listing>(id, what.handle);
  if (listing == nullptr) return;
  const auto rest = std::span(listing->entries).subspan(listing->next);
  if (rest.empty()) {
    say_status(out_, id, Status::kEndOfFile, "no more");
    return;
  }
  const auto part = rest.first(std::min(rest.size(), kEntriesAtOnce));
  listing->next += part.size();
  say_names(out_, id, part, files_.now());
}

void Session::on(std::uint32_t id, const Remove& what) {
  const auto path = clean_path(what.path);
  const auto entry = look(path);
  if (!entry) {
    say_status(out_, id, status_of(entry.error().kind), base::in_full(entry.error()));
    return;
  }
  refuse(id, {Kind::kDenied,
              fmt::format("'{}' stays; nothing is removed over SFTP", shown(path))});
}

void Session::on(std::uint32_t id, const MakeFolder& what) {
  const auto path = clean_path(what.path);
  if (path == missed_path_) missed_.clear();
  if (made_.size() >= kMostMadeFolders) {
    return refuse(id, {Kind::kBusy, "too many folders in one session"});
  }
  if (auto made = files_.make_folder(path); !made) return refuse(id, made.error());
  made_.insert(path);
  ok(id);
}

void Session::on(std::uint32_t id, const RealPath& what) {
  say_path(out_, id, clean_path(what.path));
}

void Session::on(std::uint32_t id, const Rename& what) {
  refuse(id, {Kind::kDenied,
              fmt::format("'{}' keeps its name; send a file under its right name",
                          shown(clean_path(what.from)))});
}

void Session::on(std::uint32_t id, const Link&) {
  say_status(out_, id, Status::kUnsupported, "links are not supported");
}

void Session::on(std::uint32_t id, const Sync& what) {
  auto* upload = find<Upload>(id, what.handle);
  if (upload == nullptr) return;
  if (!upload->open || upload->closing) return ok(id);
  upload->syncing.push_back(id);
  files_.sync(*base::parse_number<FileHandle>(what.handle));
}

void Session::on(std::uint32_t id, const Limits&) { say_limits(out_, id, kMostHandles); }

void Session::on(std::uint32_t id, const Unknown&) {
  say_status(out_, id, Status::kUnsupported, "not understood here");
}

}  // namespace vantro::wire::sftp
