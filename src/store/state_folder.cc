#include "store/state_folder.h"

#include <algorithm>
#include <array>
#include <cerrno>
#include <cstring>
#include <dirent.h>
#include <fcntl.h>
#include <filesystem>
#include <fmt/format.h>
#include <functional>
#include <iterator>
#include <sys/file.h>
#include <sys/stat.h>
#include <sys/statvfs.h>
#include <thread>
#include <unistd.h>

#include "base/sizes.h"
#include "base/whole_file.h"
#include "crypto/secret.h"

namespace vantro::store {
namespace {

using base::Kind;

constexpr std::string_view kSealedEnding = ".sealed";
constexpr std::string_view kAbout = ".about";

// One of them is enough: a vault that was never encrypted holds plain files only.
base::Outcome<base::UniqueFd> open_either(const std::string& plain,
                                          const std::string& sealed, bool& is_sealed) {
  is_sealed = false;
  base::UniqueFd file(::open(plain.c_str(), O_RDONLY | O_CLOEXEC));
  if (!file && errno == ENOENT) {
    is_sealed = true;
    file.reset(::open(sealed.c_str(), O_RDONLY | O_CLOEXEC));
  }
  if (file) return file;
  if (errno == ENOENT) {
    return base::refuse(Kind::kCorrupt, "the server's stored copy is missing");
  }
  return base::refuse(base::system_refusal(errno, "the stored file can't be opened"));
}

std::string shelf(const std::string& sha256) { return sha256.substr(0, 2); }

bool is_sha256(std::string_view text) {
  return text.size() == 64 &&
         text.find_first_not_of("0123456789abcdef") == std::string_view::npos;
}

// Regular files of one folder, by name.
base::Outcome<std::vector<StoredFile>> list(const std::string& path) {
  std::vector<StoredFile> files;
  DIR* folder = ::opendir(path.c_str());
  if (folder == nullptr) {
    return base::refuse(base::system_refusal(errno, path + ": can't be listed"));
  }
  while (const dirent* entry = ::readdir(folder)) {
    struct stat found {};
    if (::fstatat(dirfd(folder), entry->d_name, &found, AT_SYMLINK_NOFOLLOW) != 0)
      continue;
    if (!S_ISREG(found.st_mode)) continue;
    files.push_back({entry->d_name, static_cast<std::uint64_t>(found.st_size),
                     static_cast<base::WallTime>(found.st_ctime) * 1000});
  }
  ::closedir(folder);
  std::sort(files.begin(), files.end(),
            [](const auto& a, const auto& b) { return a.name < b.name; });
  return files;
}

// With all missing folders above it; on disk when it returns a value.
base::Outcome<void> make_folder(FileSystem& files, const std::string& path) {
  const auto failed = [&] {
    return base::refuse(Kind::kIo, fmt::format("{}: the folder can't be made: {}", path,
                                               strerror(errno)));
  };
  struct stat there {};
  if (::stat(path.c_str(), &there) == 0) {
    if (S_ISDIR(there.st_mode)) return {};
    errno = ENOTDIR;
    return failed();
  }
  const auto above = std::filesystem::path(path).parent_path().string();
  if (!above.empty()) {
    if (auto made = make_folder(files, above); !made) return made;
  }
  if (files.make_folder(path) != 0 && errno != EEXIST) return failed();
  if (files.sync_folder(above.empty() ? "." : above) != 0) return failed();
  return {};
}

}  // namespace

namespace {

// Takes it alone, or with others. The file names the process that has it alone. `held`:
// the refusal if another one has it.
base::Outcome<base::UniqueFd> take_lock(
    const std::string& folder, bool alone,
    const std::function<std::string(const std::string& pid)>& held) {
  const auto path = folder + "/lock";
  base::UniqueFd lock(::open(path.c_str(), O_RDWR | O_CREAT | O_CLOEXEC, 0600));
  if (!lock) {
    return base::refuse(base::system_refusal(
        errno, fmt::format("{}: the state can't be written", folder)));
  }
  if (::flock(lock.get(), (alone ? LOCK_EX : LOCK_SH) | LOCK_NB) != 0) {
    if (errno != EWOULDBLOCK) {
      return base::refuse(base::system_refusal(errno, path + ": can't be locked"));
    }
    std::array<char, 32> holder{};
    const auto count = ::read(lock.get(), holder.data(), holder.size());
    const std::string pid(holder.data(), count > 0 ? static_cast<std::size_t>(count) : 0);
    return base::refuse(Kind::kBusy, folder + ": " + held(pid));
  }
  const auto pid = alone ? std::to_string(::getpid()) : std::string();
  if (::ftruncate(lock.get(), 0) != 0 ||
      ::pwrite(lock.get(), pid.data(), pid.size(), 0) < 0) {
    return base::refuse(base::system_refusal(errno, path + ": can't be written"));
  }
  return lock;
}

}  // namespace

base::Outcome<StateFolder> StateFolder::open(const std::string& path, FileSystem& files,
                                             const std::string& node) {
  StateFolder folder(path, files, node);
  for (const auto& part : {path, path + "/vault", path + "/partial", path + "/quarantine",
                           folder.own_, folder.own_ + "/arriving"}) {
    if (auto made = make_folder(files, part); !made) return base::refuse(made.error());
  }
  ::chmod(path.c_str(), 0700);
  auto lock = take_lock(path, node.empty(), [](const std::string& pid) {
    return pid.empty() ? "nodes with a PostgreSQL database work on this state; stop "
                         "them first, or give this one its own --state"
                       : fmt::format(
                             "another vantrod (process {}) works on this state; "
                             "stop it first, or give this one its own --state",
                             pid);
  });
  if (!lock) return base::refuse(lock.error());
  folder.lock_ = std::move(*lock);
  if (node.empty()) return folder;
  auto own = take_lock(folder.own_, true, [](const std::string& pid) {
    return fmt::format(
        "another vantrod (process {}) is this node; stop it first, or give "
        "this one its own name (node.name)",
        pid);
  });
  if (!own) return base::refuse(own.error());
  folder.node_lock_ = std::move(*own);
  if (const auto kept = list(folder.own_ + "/kept")) {
    // A stop came before their description: nobody was told that they are kept.
    for (const auto& file : *kept) {
      struct stat about {};
      if (file.name.ends_with(kAbout) ||
          ::stat(folder.about_kept(file.name).c_str(), &about) == 0) {
        continue;
      }
      files.rename(folder.own_ + "/kept/" + file.name, folder.arriving(file.name));
    }
  }
  return folder;
}

bool StateFolder::is_in_use(const std::string& node) const {
  const base::UniqueFd lock(
      ::open((own_of(path_, node) + "/lock").c_str(), O_RDWR | O_CLOEXEC));
  return lock && ::flock(lock.get(), LOCK_SH | LOCK_NB) != 0 && errno == EWOULDBLOCK;
}

std::string StateFolder::arriving(const std::string& file_name) const {
  return own_ + "/arriving/" + file_name;
}

std::string StateFolder::vault_file(const std::string& sha256, bool encrypted) const {
  return fmt::format("{}/vault/{}/{}{}", path_, shelf(sha256), sha256,
                     encrypted ? kSealedEnding : "");
}

StateFolder::StateFolder(std::string path, FileSystem& files, const std::string& node)
    : path_(std::move(path)),
      node_(node),
      own_(own_of(path_, node)),
      files_(&files),
      digest_helpers_(std::make_unique<crypto::DigestHelpers>(
          std::max(1u, std::thread::hardware_concurrency()))),
      live_(std::make_unique<Live>(path_, own_, files)) {}

base::Outcome<void> StateFolder::sync_folder(const std::string& path) const {
  if (files_->sync_folder(path) == 0) return {};
  return base::refuse(base::system_refusal(errno, path + ": can't be synced"));
}

base::Outcome<Arrival> StateFolder::arrive(ArrivalLabel label, base::WallTime now,
                                           std::uint64_t announced,
                                           bool encrypted) const {
  const auto left = room();
  if (announced > left) {
    return base::refuse(
        Kind::kFull,
        fmt::format("no space on the server's disk: {} needed, {} free{}",
                    base::size_text(announced), base::size_text(left),
                    left < free_bytes() ? " beside the running uploads" : ""));
  }
  if (reserve().given_up()) reserve().keep(free_bytes());
  if (auto room = reserve().check(); !room) return base::refuse(room.error());
  if (auto room = check_floor(); !room) return base::refuse(room.error());
  const auto* key = encrypted ? keys_->current() : nullptr;
  if (key != nullptr && label.purpose == "backup") label.purpose = "sealed";
  auto name = label.file_name(now, crypto::random_hex(4));
  base::UniqueFd file(files_->open(arriving(name), O_WRONLY | O_CREAT | O_EXCL));
  if (!file) {
    return base::refuse(base::system_refusal(errno, "a file can't be made in arriving/"));
  }
  return Arrival(*this, std::move(name), std::move(file), key,
                 ExpectedBytes(live_->expected, announced));
}

base::Outcome<Arrival> StateFolder::arrive_beside(const std::string& arriving_name,
                                                  bool encrypted) const {
  auto label = ArrivalLabel::parse(arriving_name).value_or(ArrivalLabel{});
  label.purpose = "backup";
  return arrive(std::move(label), base::SystemClock{}.wall(), 0, encrypted);
}

base::Outcome<Arrival> StateFolder::arrive_again(const RecordedPartial& recorded,
                                                 const ArrivalLabel& label,
                                                 base::WallTime now, bool encrypted,
                                                 const Arrival::Seen& seen) const {
  const auto& partial_file = recorded.file;
  const bool was_sealed = ArrivalLabel::is_sealed(partial_file);
  auto as_it_is = label;
  if (was_sealed) as_it_is.purpose = "sealed";
  auto name = as_it_is.file_name(now, crypto::random_hex(4));
  const auto from = path_ + "/partial/" + partial_file;
  if (files_->rename(from, arriving(name)) != 0) {
    if (errno == ENOENT) {
      return base::refuse(Kind::kBusy,
                          "the partial file is being resumed already, or is gone");
    }
    return base::refuse(base::system_refusal(errno, "the partial file can't be moved"));
  }
  base::UniqueFd file(files_->open(arriving(name), O_RDWR | O_APPEND));
  if (!file) {
    const auto refusal =
        base::system_refusal(errno, "the partial file can't be opened again");
    files_->rename(arriving(name), from);
    return base::refuse(refusal);
  }
  const auto as_recorded = [&](const Arrival& arrival) -> base::Outcome<void> {
    if (arrival.size() == recorded.size && arrival.sha256_so_far() == recorded.sha256) {
      return {};
    }
    return base::refuse(Kind::kCorrupt,
                        "the partial file is damaged on the server's disk");
  };
  const bool to_seal = encrypted && encrypts();
  if (!was_sealed && !to_seal) {
    Arrival arrival(*this, std::move(name), std::move(file));
    auto read = arrival.read_again(seen);
    if (read) read = as_recorded(arrival);
    if (!read) {
      arrival.put_back(from);
      return base::refuse(read.error());
    }
    return arrival;
  }
  // An encrypted stream cannot be resumed: it is written again.
  auto arrival = arrive(label, now, 0, encrypted);
  auto read = arrival ? read_plain(file.get(), was_sealed ? keys_.get() : nullptr, true,
                                   [&](base::ByteView bytes) {
                                     if (seen) seen(bytes);
                                     return arrival->write(bytes);
                                   })
                      : base::Outcome<void>(base::refuse(arrival.error()));
  if (read) read = as_recorded(*arrival);
  if (!read) {
    if (arrival) arrival->discard();
    files_->rename(arriving(name), from);
    return base::refuse(read.error());
  }
  files_->remove(arriving(name));
  return arrival;
}

base::Outcome<base::UniqueFd> StateFolder::open_stored(const std::string& sha256,
                                                       std::uint64_t size) const {
  bool is_sealed = false;
  auto file = open_either(vault_file(sha256), vault_file(sha256, true), is_sealed);
  if (file && is_sealed) file = unsealed(file->get(), *keys_, false, kMostUnsealed);
  if (!file) return file;
  struct stat found {};
  if (::fstat(file->get(), &found) != 0) {
    return base::refuse(base::system_refusal(errno, "the stored file can't be read"));
  }
  if (static_cast<std::uint64_t>(found.st_size) != size) {
    return base::refuse(
        Kind::kCorrupt,
        fmt::format("the server's stored copy is damaged: {} bytes instead of {}",
                    found.st_size, size));
  }
  return file;
}

base::Outcome<StoredHandle> StateFolder::open_as_it_lies(
    const std::string& sha256) const {
  StoredHandle handle;
  auto file = open_either(vault_file(sha256), vault_file(sha256, true), handle.sealed);
  if (!file) return base::refuse(file.error());
  handle.file = std::move(*file);
  return handle;
}

bool StateFolder::is_stored(const std::string& sha256, const StoredHandle& handle) const {
  // Opened, as a network file system may answer stat() from memory.
  const auto now = open_as_it_lies(sha256);
  if (!handle.file) return !now && now.error().kind == Kind::kCorrupt;
  // The descriptor keeps the inode's number from being given to another file.
  struct stat opened {};
  struct stat there {};
  return now && ::fstat(handle.file.get(), &opened) == 0 &&
         ::fstat(now->file.get(), &there) == 0 && opened.st_dev == there.st_dev &&
         opened.st_ino == there.st_ino;
}

base::Outcome<base::UniqueFd> StateFolder::open_partial(
    const std::string& file_name) const {
  base::UniqueFd file(
      ::open((path_ + "/partial/" + file_name).c_str(), O_RDONLY | O_CLOEXEC));
  if (!file) {
    return base::refuse(base::system_refusal(errno, "the partial file can't be opened"));
  }
  if (!ArrivalLabel::is_sealed(file_name)) return file;
  return unsealed(file.get(), *keys_, true, kMostUnsealed);
}

base::Outcome<std::vector<StoredFile>> StateFolder::list_vault() const {
  std::vector<StoredFile> files;
  for (int shelf = 0; shelf < 256; ++shelf) {
    auto found = list_vault(fmt::format("{:02x}", shelf));
    if (!found) return found;
    std::move(found->begin(), found->end(), std::back_inserter(files));
  }
  return files;
}

base::Outcome<std::vector<StoredFile>> StateFolder::list_vault(
    const std::string& shelf) const {
  const auto path = path_ + "/vault/" + shelf;
  std::vector<StoredFile> files;
  struct stat there {};
  if (::stat(path.c_str(), &there) != 0 && errno == ENOENT) return files;
  auto found = list(path);
  if (!found) return found;
  for (auto& file : *found) {
    file.sealed = file.name.ends_with(kSealedEnding);
    if (file.sealed) file.name.resize(file.name.size() - kSealedEnding.size());
    if (is_sha256(file.name)) files.push_back(std::move(file));
  }
  return files;
}

base::Outcome<std::vector<StoredFile>> StateFolder::list_arriving() const {
  return list(own_ + "/arriving");
}

base::Outcome<std::vector<StoredFile>> StateFolder::list_partial() const {
  return list(path_ + "/partial");
}

base::Outcome<void> StateFolder::reseal(const std::string& sha256, std::uint64_t size,
                                        bool only) const {
  const auto plain_path = vault_file(sha256);
  const auto sealed_path = vault_file(sha256, true);
  const base::UniqueFd plain(::open(plain_path.c_str(), O_RDONLY | O_CLOEXEC));
  const base::UniqueFd sealed(::open(sealed_path.c_str(), O_RDONLY | O_CLOEXEC));
  if (!plain && !sealed) {
    return base::refuse(Kind::kCorrupt, "the server's stored copy is missing");
  }
  const auto* key = keys_->current();
  const auto as_wanted = [&] {
    if (key == nullptr) return !sealed;
    return sealed && crypto::sealed_with(sealed.get()) == key->id();
  };
  const auto remove_other = [&]() -> base::Outcome<void> {
    const auto& other = key == nullptr ? sealed_path : plain_path;
    if (key == nullptr || only) files_->remove(other);
    return {};
  };
  if (as_wanted()) return remove_other();
  // If a crash leaves it, the next start removes it as useless.
  auto arrival = arrive({"reseal", "server", sha256}, base::SystemClock{}.wall(), size,
                        key != nullptr);
  if (!arrival) return base::refuse(arrival.error());
  auto read =
      plain ? read_plain(plain.get(), nullptr, false,
                         [&](base::ByteView bytes) { return arrival->write(bytes); })
            : read_plain(sealed.get(), keys_.get(), false,
                         [&](base::ByteView bytes) { return arrival->write(bytes); });
  if (!read) {
    arrival->discard();
    return read;
  }
  const auto digests = arrival->seal();
  if (!digests || digests->sha256 != sha256) {
    arrival->discard();
    if (!digests) return base::refuse(digests.error());
    return base::refuse(Kind::kCorrupt, "its bytes no longer match their SHA-256");
  }
  if (auto kept = arrival->keep(); !kept) return kept;
  return remove_other();
}

base::Outcome<void> StateFolder::to_partial(const std::string& arriving_name) const {
  const auto to = path_ + "/partial/" + arriving_name;
  if (files_->rename(arriving(arriving_name), to) != 0) {
    return base::refuse(
        Kind::kNotFound,
        base::system_refusal(errno, arriving_name + ": can't be set aside").sentence);
  }
  return sync_folder(path_ + "/partial");
}

// By its time and its random part, as the whole name may be as long as names can be.
std::string StateFolder::about_kept(const std::string& name) const {
  return fmt::format("{}/kept/{}{}", own_, name.substr(0, name.find('~')), kAbout);
}

base::Outcome<void> StateFolder::move_to_kept(const std::string& arriving_name,
                                              const std::string& about) const {
  const auto folder = own_ + "/kept";
  if (auto made = make_folder(*files_, folder); !made) return made;
  if (files_->rename(arriving(arriving_name), folder + "/" + arriving_name) != 0) {
    return base::refuse(base::system_refusal(errno, "the upload can't be kept"));
  }
  if (auto synced = sync_folder(folder); !synced) return synced;
  // Last: whoever files kept uploads goes by the descriptions.
  return base::write_whole_file(about_kept(arriving_name), arriving_name + "\n" + about);
}

base::Outcome<std::vector<StateFolder::Kept>> StateFolder::list_kept() const {
  constexpr std::size_t kLongestAbout = 64 << 10;
  std::vector<Kept> kept;
  const auto folder = own_ + "/kept";
  struct stat there {};
  if (::stat(folder.c_str(), &there) != 0 && errno == ENOENT) return kept;
  const auto files = list(folder);
  if (!files) return base::refuse(files.error());
  for (const auto& file : *files) {
    if (!file.name.ends_with(kAbout)) continue;
    const auto text = base::read_whole_file(folder + "/" + file.name, kLongestAbout);
    if (!text) return base::refuse(text.error());
    const auto end = std::min(text->find('\n'), text->size() - 1);
    kept.push_back({text->substr(0, end), text->substr(end + 1)});
  }
  return kept;
}

base::Outcome<void> StateFolder::read_kept(const std::string& name,
                                           const Arrival::Read& take) const {
  const base::UniqueFd file(
      ::open((own_ + "/kept/" + name).c_str(), O_RDONLY | O_CLOEXEC));
  if (!file && errno == ENOENT) return base::refuse(Kind::kNotFound, name + " is gone");
  if (!file) return base::refuse(base::system_refusal(errno, name + ": can't be opened"));
  return read_plain(file.get(), ArrivalLabel::is_sealed(name) ? keys_.get() : nullptr,
                    false, take);
}

void StateFolder::remove_kept(const std::string& name) const {
  files_->remove(own_ + "/kept/" + name);
  files_->remove(about_kept(name));
}

std::optional<std::uint64_t> StateFolder::partial_size(
    const std::string& file_name) const {
  const base::UniqueFd file(
      ::open((path_ + "/partial/" + file_name).c_str(), O_RDONLY | O_CLOEXEC));
  if (!file) return std::nullopt;
  if (ArrivalLabel::is_sealed(file_name)) {
    const auto size = crypto::sealed_size(file.get());
    return size ? std::optional(*size) : std::nullopt;
  }
  struct stat found {};
  if (::fstat(file.get(), &found) != 0) return std::nullopt;
  return static_cast<std::uint64_t>(found.st_size);
}

base::Outcome<void> StateFolder::to_quarantine(const std::string& sha256) const {
  const auto to =
      fmt::format("{}/quarantine/{}.{}", path_, sha256, crypto::random_hex(4));
  // As in open_stored(): the encrypted one is read if there is no other.
  if (files_->rename(vault_file(sha256), to) != 0 &&
      (errno != ENOENT ||
       files_->rename(vault_file(sha256, true), to + std::string(kSealedEnding)) != 0)) {
    return base::refuse(base::system_refusal(errno, sha256 + ": can't be quarantined"));
  }
  return {};
}

void StateFolder::remove_arriving(const std::string& file_name) const {
  files_->remove(arriving(file_name));
}

void StateFolder::remove_stored(const std::string& sha256) const {
  files_->remove(vault_file(sha256));
  files_->remove(vault_file(sha256, true));
}

void StateFolder::remove_partial(const std::string& file_name) const {
  files_->remove(path_ + "/partial/" + file_name);
}

base::Outcome<void> StateFolder::make_vault_shelf(const std::string& sha256) const {
  const auto folder = path_ + "/vault/" + shelf(sha256);
  auto& on_disk = live_->shelves.at(std::stoul(shelf(sha256), nullptr, 16));
  if (on_disk) return {};
  if (files_->make_folder(folder) != 0 && errno != EEXIST) {
    return base::refuse(base::system_refusal(errno, folder + ": can't be made"));
  }
  // Also an existing one: another thread may have made it, and not synced it yet.
  if (auto synced = sync_folder(path_ + "/vault"); !synced) return synced;
  on_disk = true;
  return {};
}

base::Outcome<void> StateFolder::sync_vault_shelf(const std::string& sha256) const {
  return sync_folder(path_ + "/vault/" + shelf(sha256));
}

void StateFolder::unrecorded_to_vault() const {
  constexpr std::string_view kEnding = ".unrecorded";
  const auto files = list_partial();
  if (!files) return;
  for (const auto& file : *files) {
    if (!file.name.ends_with(kEnding)) continue;
    auto name = file.name.substr(0, file.name.size() - kEnding.size());
    const bool is_sealed = name.ends_with(kSealedEnding);
    if (is_sealed) name.resize(name.size() - kSealedEnding.size());
    if (!is_sha256(name) || !make_vault_shelf(name)) continue;
    // Nothing is overwritten; the same bytes are there then.
    files_->rename_if_free(path_ + "/partial/" + file.name, vault_file(name, is_sealed));
  }
}

base::Outcome<void> StateFolder::try_writing() const {
  const auto path = arriving("try-writing");
  const base::UniqueFd file(
      ::open(path.c_str(), O_WRONLY | O_CREAT | O_TRUNC | O_CLOEXEC, 0600));
  const bool written = file && ::write(file.get(), "x", 1) == 1;
  const auto failure = errno;
  if (file) ::unlink(path.c_str());
  if (written) return {};
  return base::refuse(
      base::system_refusal(failure, path_ + ": the state folder can't be written"));
}

std::uint64_t StateFolder::room() const {
  const auto free = free_bytes();
  return free - std::min<std::uint64_t>(free, *live_->expected);
}

base::Outcome<void> StateFolder::check_floor() const {
  constexpr std::uint64_t kMostFloor = 64 << 20;
  struct statvfs found {};
  if (::statvfs(path_.c_str(), &found) != 0) return {};
  const auto floor =
      std::min(kMostFloor, std::uint64_t{found.f_blocks} * found.f_frsize / 100);
  if (std::uint64_t{found.f_bavail} * found.f_frsize >= floor) return {};
  return base::refuse(base::system_refusal(ENOSPC, path_));
}

std::uint64_t StateFolder::free_bytes() const {
  struct statvfs found {};
  if (::statvfs(path_.c_str(), &found) != 0) return 0;
  return std::uint64_t{found.f_bavail} * found.f_frsize;
}

}  // namespace vantro::store
