#include "store/arrival.h"

#include <algorithm>
#include <cerrno>
#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>
#include <utility>

#include "store/state_folder.h"

namespace vantro::store {
namespace {

constexpr std::uint64_t kFlushEvery = 8 * 1024 * 1024;
// Bytes between two checks of the disk's free space.
constexpr std::uint64_t kLookEvery = 4 * 1024 * 1024;

}  // namespace

Arrival::Arrival(const StateFolder& folder, std::string file_name, base::UniqueFd file,
                 const crypto::SealKey* key, ExpectedBytes expected)
    : folder_(&folder),
      file_name_(std::move(file_name)),
      file_(std::move(file)),
      digester_(crypto::Digester::Extent::kSha256OfLarge, folder.digest_helpers()),
      expected_(std::move(expected)) {
  if (key != nullptr) sealed_.emplace(folder.files(), *key);
}

Arrival::~Arrival() {
  if (file_) set_aside();
}

base::Outcome<void> Arrival::read_again(const Seen& seen) {
  auto read = read_plain(file_.get(), nullptr, true,
                         [&](base::ByteView bytes) -> base::Outcome<void> {
                           digester_.update(bytes);
                           if (seen) seen(bytes);
                           size_ += bytes.size();
                           looked_at_ = size_;
                           return {};
                         });
  flushed_ = size_;
  return read;
}

base::Outcome<void> Arrival::write(base::ByteView bytes) {
  if (auto room = folder_->reserve().check(); !room) return room;
  if (size_ - looked_at_ >= kLookEvery) {
    if (auto room = folder_->check_floor(); !room) return room;
    looked_at_ = size_;
  }
  auto written = sealed_ ? sealed_->write(file_.get(), bytes)
                         : write_all(folder_->files(), file_.get(), bytes);
  if (!written) return written;
  digester_.update(bytes);
  size_ += bytes.size();
  expected_.came(bytes.size());
  if (size_ - flushed_ >= kFlushEvery) {
    // Starts writing without waiting for it: the sync at the end is then short, while a
    // device waits for its last acknowledgement. It is a hint, so it may fail.
    ::sync_file_range(file_.get(), static_cast<off_t>(flushed_),
                      static_cast<off_t>(size_ - flushed_), SYNC_FILE_RANGE_WRITE);
    flushed_ = size_;
  }
  return {};
}

base::Outcome<void> Arrival::sync() {
  if (sealed_) {
    if (auto flushed = sealed_->flush(file_.get(), false); !flushed) return flushed;
  }
  if (folder_->files().sync_data(file_.get()) == 0) return {};
  return base::refuse(base::system_refusal(errno, "the arriving file can't be synced"));
}

void Arrival::need(const std::vector<crypto::Expected>& expected) {
  for (const auto& one : expected) digester_.need(one.algorithm);
}

base::Outcome<void> Arrival::add_missing(
    crypto::Digests& digests, const std::vector<crypto::Expected>& expected) const {
  const bool there = std::all_of(expected.begin(), expected.end(), [&](const auto& one) {
    return !crypto::value_of(digests, one.algorithm).empty();
  });
  if (there) return {};
  const auto file = open_as_it_lies();
  if (!file) return base::refuse(file.error());
  crypto::Digester digester;
  auto read = read_plain(file->get(), sealed_ ? folder_->keys() : nullptr, false,
                         [&](base::ByteView bytes) -> base::Outcome<void> {
                           digester.update(bytes);
                           return {};
                         });
  if (!read) return read;
  const auto all = digester.finish();
  if (all.sha256 != digests.sha256) {
    return base::refuse(base::Kind::kIo,
                        "the arriving file changed on the server's disk; send it again");
  }
  digests.complete_from(all);
  return {};
}

base::Outcome<crypto::Digests> Arrival::finish() {
  if (sealed_) {
    if (auto flushed = sealed_->flush(file_.get(), true); !flushed) {
      return base::refuse(flushed.error());
    }
  }
  auto digests = digester_.finish();
  sha256_ = digests.sha256;
  return digests;
}

base::Outcome<crypto::Digests> Arrival::seal() {
  auto digests = finish();
  if (!digests) return digests;
  auto synced = begin_sync();
  if (synced) synced = sync_whole();
  if (!synced) return base::refuse(synced.error());
  return digests;
}

base::Outcome<void> Arrival::begin_sync() {
  // Read-only before the name exists: files in the vault never change.
  if (folder_->files().set_mode(file_.get(), 0444) != 0) {
    return base::refuse(
        base::system_refusal(errno, "the arriving file can't be made read-only"));
  }
  // A hint, so it may fail.
  ::sync_file_range(file_.get(), 0, 0, SYNC_FILE_RANGE_WRITE);
  return {};
}

base::Outcome<void> Arrival::sync_whole() {
  if (folder_->files().sync(file_.get()) == 0) return {};
  return base::refuse(base::system_refusal(errno, "the arriving file can't be synced"));
}

base::Outcome<base::UniqueFd> Arrival::open_as_it_lies() const {
  base::UniqueFd file(
      ::open(folder_->arriving(file_name_).c_str(), O_RDONLY | O_CLOEXEC));
  if (!file)
    return base::refuse(base::system_refusal(errno, "the received bytes can't be read"));
  return file;
}

base::Outcome<base::UniqueFd> Arrival::open_for_reading() const {
  auto file = open_as_it_lies();
  if (!file || !sealed_) return file;
  return unsealed(file->get(), *folder_->keys(), true, kMostUnsealed);
}

base::Outcome<void> Arrival::encrypt(bool on) {
  if (on == encrypted()) return {};
  const auto old_name = file_name_;
  const auto old = open_as_it_lies();
  if (!old) return base::refuse(old.error());
  auto made = folder_->arrive_beside(old_name, on);
  if (!made) return base::refuse(made.error());
  auto copied = read_plain(old->get(), on ? nullptr : folder_->keys(), false,
                           [&](base::ByteView bytes) { return made->write(bytes); });
  if (!copied) {
    made->discard();
    return copied;
  }
  if (auto finished = made->finish(); !finished) {
    made->discard();
    return base::refuse(finished.error());
  }
  file_name_ = std::exchange(made->file_name_, old_name);
  std::swap(file_, made->file_);
  std::swap(sealed_, made->sealed_);
  made->discard();
  return {};
}

base::Outcome<void> Arrival::keep() {
  if (auto moved = move_in(); !moved) return moved;
  return folder_->sync_vault_shelf(sha256_);
}

base::Outcome<void> Arrival::move_in() {
  const auto from = folder_->arriving(file_name_);
  const auto to = folder_->vault_file(sha256_, encrypted());
  struct stat there {};
  if (!encrypted() && ::stat(to.c_str(), &there) == 0 &&
      static_cast<std::uint64_t>(there.st_size) != size_) {
    // The existing file cannot hold these bytes. The good copy replaces it.
    if (auto moved = folder_->to_quarantine(sha256_); !moved) return moved;
  }
  if (auto made = folder_->make_vault_shelf(sha256_); !made) return made;
  if (folder_->files().rename(from, to) != 0) {
    return base::refuse(
        base::system_refusal(errno, "the file can't be moved into vault/"));
  }
  file_.reset();
  return {};
}

base::Outcome<void> Arrival::keep_for_later(const std::string& about) {
  auto synced = begin_sync();
  if (synced) synced = sync_whole();
  if (synced) synced = folder_->move_to_kept(file_name_, about);
  if (synced) file_.reset();
  return synced;
}

SetAside Arrival::set_aside() {
  if (size_ == 0) {
    discard();
    return {};
  }
  // If a record said more than the disk holds, the sender would resume after bytes that a
  // power cut took away. Bytes that cannot be synced are kept, but nobody can resume
  // there.
  auto whole = sync();
  if (whole && !sealed_ && ::ftruncate(file_.get(), static_cast<off_t>(size_)) != 0) {
    whole = base::refuse(base::system_refusal(errno, "the arriving file can't be cut"));
  }
  expected_.came(UINT64_MAX);  // nothing more arrives
  SetAside kept;
  if (whole) kept.sha256 = digester_.sha256_so_far();
  file_.reset();
  if (auto moved = folder_->to_partial(file_name_); !moved) {
    if (moved.error().kind == base::Kind::kNotFound) return {};
    kept.sha256.clear();
  }
  kept.file = file_name_;
  return kept;
}

void Arrival::put_back(const std::string& path) {
  file_.reset();
  folder_->files().rename(folder_->arriving(file_name_), path);
}

void Arrival::discard() {
  expected_.came(UINT64_MAX);  // nothing more arrives
  file_.reset();
  folder_->files().remove(folder_->arriving(file_name_));
}

}  // namespace vantro::store
