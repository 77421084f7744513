#include "serve/ssh/granted_files.h"

#include <algorithm>
#include <cstring>
#include <fmt/format.h>
#include <future>
#include <iterator>

#include "base/visible_name.h"
#include "serve/look.h"

namespace vantro::serve::ssh {
namespace {

using auth::Action;
using base::Kind;
using base::Refusal;
using wire::Entry;
using wire::FileHandle;
using wire::ReadEnd;

constexpr std::size_t kMostSent = 1000;

// As the gate knows it.
std::string name_of(const std::string& path) { return path.substr(1); }

Entry folder_entry(const std::string& path, base::WallTime now) {
  Entry entry;
  entry.name = path == "/" ? path : std::string(base::last_part(path));
  entry.folder = true;
  entry.changed_at = now;
  return entry;
}

std::string shown(const std::string& name) {
  return base::printable(name, base::kLongestName);
}

}  // namespace

void Covered::add(std::uint64_t from, std::uint64_t until) {
  auto next = parts_.upper_bound(from);
  if (next != parts_.begin() && std::prev(next)->second >= from) --next;
  while (next != parts_.end() && next->first <= until) {
    from = std::min(from, next->first);
    until = std::max(until, next->second);
    bytes_ -= next->second - next->first;
    next = parts_.erase(next);
  }
  if (parts_.size() >= kMostParts) return;
  parts_.emplace(from, until);
  bytes_ += until - from;
}

GrantedFiles::GrantedFiles(Services& services, std::shared_ptr<Mailbox> mailbox,
                           gate::Asker asker, Done synced, Done filed)
    : services_(services),
      gate_(services.gate),
      mailbox_(std::move(mailbox)),
      asker_(std::move(asker)),
      synced_(std::move(synced)),
      filed_(std::move(filed)) {}

GrantedFiles::~GrantedFiles() { end_all(); }

void GrantedFiles::ends_with(gate::State how, const std::string& why) {
  how_it_ends_ = how;
  why_it_ends_ = why;
}

void GrantedFiles::end_all() {
  record_unopened();
  const auto why =
      why_it_ends_.empty() ? std::string("the client disconnected") : why_it_ends_;
  for (auto& [handle, reading] : readings_) {
    if (reading.grant) reading.grant->transfer().end(how_it_ends_, why);
  }
  readings_.clear();
  for (auto& [handle, upload] : uploads_) {
    if (!upload.committing) upload.feed->abandon(how_it_ends_, why);
  }
  uploads_.clear();
}

void GrantedFiles::told_of(const std::string& path, const Refusal& refusal) {
  const bool of_a_file = refusal.kind == Kind::kNotFound ||
                         refusal.kind == Kind::kDenied ||
                         refusal.kind == Kind::kAccountNeeded;
  if (!of_a_file || (unopened_ && unopened_->path == path)) return;
  record_unopened();
  unopened_ = Unopened{path, refusal};
}

// Also for something below it: a client that sends into a folder checks it before.
void GrantedFiles::opened_at(const std::string& path) {
  if (!unopened_) return;
  if (path == unopened_->path || path.starts_with(unopened_->path + "/")) {
    unopened_.reset();
  }
}

void GrantedFiles::record_unopened() {
  if (!unopened_) return;
  gate_.record_refusal(asker_, word(gate::Direction::kFetch), name_of(unopened_->path),
                       unopened_->refusal);
  unopened_.reset();
}

base::Outcome<Entry> GrantedFiles::look(const std::string& path) {
  auto seen = look_at(path);
  if (!seen) told_of(path, seen.error());
  return seen;
}

base::Outcome<Entry> GrantedFiles::look_at(const std::string& path) {
  if (path == "/") return folder_entry(path, now());
  const auto name = name_of(path);
  auto file = file_entry(gate_, asker_, name);
  if (file) return file;
  if (const auto found = sent_.find(path); found != sent_.end()) return found->second;
  const auto listing = gate_.look_into(asker_, name);
  if (listing) return folder_entry(path, now());
  if (listing.error().kind != Kind::kNotFound && listing.error().kind != Kind::kInvalid &&
      may_send_into(gate_, asker_, name)) {
    // Its files are not listed, but can be sent there.
    return folder_entry(path, now());
  }
  // A folder for uploads only: it exists for those who may send.
  const bool intake = name + "/" == gate::kIntakeFolder;
  if (intake && may_send_into(gate_, asker_, name)) return folder_entry(path, now());
  return file;
}

base::Outcome<Entry> GrantedFiles::look_into(const std::string& path) {
  const auto name = name_of(path);
  const auto listing = gate_.look_into(asker_, name);
  if (path == "/" || listing) return folder_entry(path, now());
  if (auto allowed = may_send_into(gate_, asker_, name); !allowed) {
    return base::refuse(allowed.error());
  }
  return folder_entry(path, now());
}

base::Outcome<std::vector<Entry>> GrantedFiles::list(const std::string& path) {
  const auto name = name_of(path);
  const auto listing = gate_.look_into(asker_, name);
  if (!listing) {
    if (name + "/" == gate::kIntakeFolder && may_send_into(gate_, asker_, name)) {
      return std::vector<Entry>();
    }
    gate_.record_refusal(asker_, auth::word(Action::kList), name, listing.error());
    return base::refuse(listing.error());
  }
  std::vector<Entry> entries;
  for (const auto& one : listing->entries) {
    entries.push_back(entry_of(one));
    if (entries.back().folder) entries.back().changed_at = now();
  }
  return entries;
}

base::Outcome<Entry> GrantedFiles::open(FileHandle handle, const std::string& path) {
  const auto name = name_of(path);
  opened_at(path);
  auto place = gate_.admit(asker_, gate::Direction::kFetch, name);
  if (!place) return base::refuse(place.error());
  if (!gate_.find(asker_, name) && (path == "/" || gate_.look_into(asker_, name))) {
    const Refusal refusal{
        Kind::kInvalid,
        fmt::format("'{}' is a folder; fetch its files one by one (sftp lists them)",
                    path == "/" ? path : shown(name))};
    gate_.record_refusal(asker_, word(gate::Direction::kFetch), name, refusal);
    return base::refuse(refusal);
  }
  auto found = gate_.look_up(asker_, name);
  if (!found) return base::refuse(found.error());
  Entry entry;
  entry.name = base::last_part(found->name);
  entry.size = found->size;
  entry.changed_at = found->since;
  Reading reading;
  reading.found = std::move(*found);
  reading.place.emplace(std::move(*place));
  readings_.emplace(handle, std::move(reading));
  return entry;
}

base::Outcome<void> GrantedFiles::grant(Reading& reading, std::uint64_t offset) {
  const auto size = reading.found.size;
  std::optional<gate::Part> part;
  if (offset > 0) {
    part = gate::Part{size - offset, fmt::format("from byte {} of {} on", offset, size)};
  }
  // This thread is the client's own, and may wait.
  const auto verified = std::make_shared<std::promise<void>>();
  if (gate_.verify_first(asker_, reading.found.name,
                         [verified] { verified->set_value(); })) {
    verified->get_future().wait();
  }
  auto granted =
      gate_.open_read(asker_, std::move(*reading.place), std::move(reading.found), part);
  if (!granted) return base::refuse(granted.error());
  reading.place.reset();
  reading.grant.emplace(std::move(*granted));
  reading.first = offset;
  return {};
}

base::Outcome<void> GrantedFiles::read(FileHandle handle, std::uint64_t offset,
                                       std::span<std::uint8_t> to) {
  auto& reading = readings_.at(handle);
  if (!reading.grant) {
    if (!reading.place) {
      return base::refuse(Kind::kIo, "the file could not be opened earlier");
    }
    if (auto granted = grant(reading, offset); !granted) return granted;
  }
  if (auto done = reading.grant->read(offset, to); !done) return done;
  reading.covered.add(offset, offset + to.size());
  reading.grant->transfer().advance({reading.covered.bytes(), 0, 0});
  return {};
}

void GrantedFiles::close(FileHandle handle, ReadEnd how, const std::string& why) {
  const auto found = readings_.find(handle);
  if (found == readings_.end()) return;
  auto reading = std::move(found->second);
  readings_.erase(found);
  // An empty file is fetched without a read.
  if (!reading.grant && reading.place && reading.found.size == 0 &&
      how == ReadEnd::kComplete) {
    (void)grant(reading, 0);
  }
  if (!reading.grant) return;
  auto& transfer = reading.grant->transfer();
  const auto due = reading.grant->size() - std::min(reading.first, reading.grant->size());
  switch (how) {
    case ReadEnd::kComplete:
      if (reading.covered.bytes() >= due) {
        transfer.end(gate::State::kComplete, "");
      } else {
        transfer.end(gate::State::kAbandoned,
                     fmt::format("the client closed it after {} of {} bytes",
                                 reading.covered.bytes(), due));
      }
      return;
    case ReadEnd::kRefusedByClient:
      transfer.end(gate::State::kAbandoned, "the client refuses it: " + why);
      return;
    case ReadEnd::kBrokenOff:
      transfer.end(how_it_ends_, why_it_ends_.empty() ? why : why_it_ends_);
      return;
    case ReadEnd::kFailed:
      transfer.end(gate::State::kFailed, why);
      return;
  }
}

base::Outcome<std::uint64_t> GrantedFiles::may_send(const std::string& path) {
  opened_at(path);
  const auto name = name_of(path);
  const auto refuse = [&](const Refusal& refusal) {
    gate_.record_refusal(asker_, word(gate::Direction::kDeposit), name, refusal);
    return base::refuse(refusal);
  };
  const auto sound = base::visible_name(name);
  if (!sound) return refuse(sound.error());
  if (auto allowed = serve::may_send(gate_, asker_, *sound); !allowed) {
    return refuse(allowed.error());
  }
  const auto own = gate_.own_upload(asker_, name);
  if (!own) return refuse(own.error());
  return *own && !(*own)->complete ? (*own)->size : 0;
}

base::Outcome<void> GrantedFiles::make_folder(const std::string& path) {
  opened_at(path);
  const auto name = name_of(path);
  auto allowed = may_send_into(gate_, asker_, name);
  if (!allowed) {
    gate_.record_refusal(asker_, word(gate::Direction::kDeposit), name, allowed.error());
  }
  return allowed;
}

base::Outcome<void> GrantedFiles::open_upload(FileHandle handle, const std::string& path,
                                              const wire::UploadStart& start) {
  opened_at(path);
  const auto name = name_of(path);
  auto place = gate_.admit(asker_, gate::Direction::kDeposit, name);
  if (!place) return base::refuse(place.error());
  gate::Announced announced;
  announced.size = start.size;
  announced.goes_on = start.goes_on;
  announced.behind = start.behind;
  auto granted = gate_.open_write(asker_, std::move(*place), name, std::move(announced));
  if (!granted) return base::refuse(granted.error());
  Upload upload;
  upload.path = path;
  upload.before = start.behind.value_or(0);
  const std::weak_ptr<GrantedFiles> weak = weak_from_this();
  upload.feed = std::make_shared<UploadFeed>(
      services_,
      [mailbox = mailbox_](std::function<void()> work) {
        mailbox->post(std::move(work));
      },
      std::move(*granted),
      [weak, handle](const base::Outcome<void>& written) {
        const auto self = weak.lock();
        if (!self || written) return;
        const auto found = self->uploads_.find(handle);
        if (found != self->uploads_.end()) found->second.refusal = written.error();
      });
  uploads_.emplace(handle, std::move(upload));
  return {};
}

base::Outcome<void> GrantedFiles::write(FileHandle handle, base::ByteView bytes) {
  auto& upload = uploads_.at(handle);
  if (upload.refusal) return base::refuse(*upload.refusal);
  while (!bytes.empty()) {
    const auto room = upload.feed->room();
    const auto count = std::min(room.size(), bytes.size());
    std::memcpy(room.data(), bytes.data(), count);
    upload.feed->came(count);
    bytes = bytes.subspan(count);
  }
  upload.feed->transfer().advance({upload.before + upload.feed->size(), 0, 0});
  return {};
}

bool GrantedFiles::busy() const {
  return std::any_of(uploads_.begin(), uploads_.end(),
                     [](const auto& one) { return one.second.feed->waits(); });
}

void GrantedFiles::pause() {
  for (auto& [handle, upload] : uploads_) {
    if (!upload.committing) upload.feed->pause();
  }
}

bool GrantedFiles::waits_for_client() const {
  return !readings_.empty() ||
         std::any_of(uploads_.begin(), uploads_.end(),
                     [](const auto& one) { return !one.second.committing; });
}

bool GrantedFiles::committing() const {
  return std::any_of(uploads_.begin(), uploads_.end(),
                     [](const auto& one) { return one.second.committing; });
}

void GrantedFiles::sync(FileHandle handle) {
  uploads_.at(handle).feed->sync(
      [weak = weak_from_this(), handle](const base::Outcome<void>& done) {
        if (const auto self = weak.lock()) self->synced_(handle, done);
      });
}

void GrantedFiles::commit(FileHandle handle, bool size_known) {
  auto& upload = uploads_.at(handle);
  upload.committing = true;
  if (!size_known) upload.feed->ended(gate::Ending::kUnknownSize);
  upload.feed->commit(
      [weak = weak_from_this(), handle](const base::Outcome<gate::Filed>& filed) {
        const auto self = weak.lock();
        if (!self) return;
        const auto found = self->uploads_.find(handle);
        if (found == self->uploads_.end()) return;
        if (filed && self->sent_.size() < kMostSent) {
          Entry entry;
          entry.name = base::last_part(found->second.path);
          entry.size = filed->size;
          entry.changed_at = self->now();
          self->sent_[found->second.path] = std::move(entry);
        }
        self->uploads_.erase(found);
        self->filed_(handle, filed ? base::Outcome<void>()
                                   : base::Outcome<void>(base::refuse(filed.error())));
      });
}

void GrantedFiles::abandon(FileHandle handle, const std::string& why) {
  const auto found = uploads_.find(handle);
  if (found == uploads_.end()) return;
  // The server's refusals are the server's own doing.
  const auto how = found->second.refusal ? gate::State::kFailed : how_it_ends_;
  found->second.feed->abandon(how, why_it_ends_.empty() ? why : why_it_ends_);
  uploads_.erase(found);
}

}  // namespace vantro::serve::ssh
