#include "store/arrival.h"

#include <cerrno>
#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

#include "store/state_folder.h"

namespace vantro::store {
namespace {

constexpr std::uint64_t kFlushEvery = 8 * 1024 * 1024;
constexpr std::size_t kReadAtOnce = 512 * 1024;

}  // namespace

Arrival::Arrival(const StateFolder& folder, std::string file_name, base::UniqueFd file)
    : folder_(&folder),
      file_name_(std::move(file_name)),
      file_(std::move(file)),
      digester_(folder.digest_helpers()) {}

Arrival::~Arrival() {
  if (file_) set_aside();
}

base::Outcome<void> Arrival::read_again() {
  base::ByteBuffer buffer(kReadAtOnce);
  while (true) {
    const auto count =
        ::pread(file_.get(), buffer.data(), buffer.size(), static_cast<off_t>(size_));
    if (count < 0 && errno == EINTR) continue;
    if (count < 0) {
      return base::refuse(base::system_refusal(errno, "what came before can't be read"));
    }
    if (count == 0) break;
    digester_.update({buffer.data(), static_cast<std::size_t>(count)});
    size_ += static_cast<std::uint64_t>(count);
  }
  flushed_ = size_;
  return {};
}

base::Outcome<void> Arrival::write(base::ByteView bytes) {
  auto rest = bytes;
  while (!rest.empty()) {
    const auto count = ::write(file_.get(), rest.data(), rest.size());
    if (count < 0 && errno == EINTR) continue;
    if (count < 0) {
      return base::refuse(
          base::system_refusal(errno, "the arriving file can't be written"));
    }
    rest = rest.subspan(static_cast<std::size_t>(count));
  }
  digester_.update(bytes);
  size_ += bytes.size();
  if (size_ - flushed_ >= kFlushEvery) {
    // Begins the writing without waiting for it: the sync at the end is then short, while
    // a device waits for its last acknowledgement. It is a hint, so it may fail.
    ::sync_file_range(file_.get(), static_cast<off_t>(flushed_),
                      static_cast<off_t>(size_ - flushed_), SYNC_FILE_RANGE_WRITE);
    flushed_ = size_;
  }
  return {};
}

base::Outcome<void> Arrival::sync() {
  if (::fdatasync(file_.get()) == 0) return {};
  return base::refuse(base::system_refusal(errno, "the arriving file can't be synced"));
}

base::Outcome<crypto::Digests> Arrival::seal() {
  // Read-only before the name exists: what is in the vault never changes.
  if (::fchmod(file_.get(), 0444) != 0 || ::fsync(file_.get()) != 0) {
    return base::refuse(base::system_refusal(errno, "the arriving file can't be synced"));
  }
  auto digests = digester_.finish();
  sha256_ = digests.sha256;
  return digests;
}

base::Outcome<base::UniqueFd> Arrival::open_for_reading() const {
  base::UniqueFd file(
      ::open(folder_->arriving(file_name_).c_str(), O_RDONLY | O_CLOEXEC));
  if (!file) return base::refuse(base::system_refusal(errno, "what came can't be read"));
  return file;
}

base::Outcome<void> Arrival::keep() {
  const auto from = folder_->arriving(file_name_);
  const auto to = folder_->vault_file(sha256_);
  struct stat there {};
  if (::stat(to.c_str(), &there) == 0 &&
      static_cast<std::uint64_t>(there.st_size) != size_) {
    // What stands there can't be these bytes. The sound copy takes its place.
    if (auto moved = folder_->to_quarantine(sha256_); !moved) return moved;
  }
  if (auto made = folder_->make_vault_shelf(sha256_); !made) return made;
  if (::rename(from.c_str(), to.c_str()) != 0) {
    return base::refuse(
        base::system_refusal(errno, "the file can't be moved into vault/"));
  }
  file_.reset();
  return folder_->sync_vault_shelf(sha256_);
}

std::string Arrival::set_aside() {
  if (size_ == 0) {
    discard();
    return {};
  }
  file_.reset();
  return folder_->to_partial(file_name_) ? file_name_ : std::string{};
}

void Arrival::discard() {
  file_.reset();
  ::unlink(folder_->arriving(file_name_).c_str());
}

}  // namespace vantro::store
