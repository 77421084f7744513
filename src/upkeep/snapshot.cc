#include "upkeep/snapshot.h"

#include <algorithm>
#include <archive.h>
#include <archive_entry.h>
#include <cerrno>
#include <cstring>
#include <ctime>
#include <fcntl.h>
#include <filesystem>
#include <fmt/format.h>
#include <memory>
#include <set>
#include <shared_mutex>
#include <sys/stat.h>
#include <unistd.h>

#include "base/sizes.h"
#include "base/unique_fd.h"
#include "base/whole_file.h"
#include "crypto/digests.h"
#include "db/copy.h"
#include "upkeep/snapshot_list.h"

namespace vantro::upkeep {
namespace {

namespace fs = std::filesystem;
using base::Kind;

// So often the records are copied again, as another node has removed contents meanwhile.
constexpr int kMostTurns = 5;
constexpr std::size_t kPiece = 1 << 20;
constexpr std::uint64_t kSpare = std::uint64_t{64} << 20;
// Folders of the state beside the vault that a server needs, or whose content exists
// nowhere else.
constexpr const char* kFolders[] = {"ssh", "management", "ledger"};

base::Outcome<void> make_folders(const fs::path& folder) {
  std::error_code failed;
  fs::create_directories(folder, failed);
  if (failed) {
    return base::refuse(base::system_refusal(failed.value(), folder.string()));
  }
  return {};
}

base::Outcome<void> sync_all(const std::string& folder) {
  const base::UniqueFd opened(::open(folder.c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC));
  if (!opened || ::syncfs(opened.get()) != 0) {
    return base::refuse(base::system_refusal(errno, folder));
  }
  return {};
}

// "20261128T024107Z"
std::string stamp(base::WallTime at) {
  auto text = base::iso_time(at).substr(0, 19) + "Z";
  std::erase_if(text, [](char c) { return c == '-' || c == ':'; });
  return text;
}

// Reads a whole file, piece by piece.
base::Outcome<std::uint64_t> through(
    const std::string& file,
    const std::function<base::Outcome<void>(base::ByteView)>& take) {
  const base::UniqueFd opened(::open(file.c_str(), O_RDONLY | O_CLOEXEC));
  if (!opened) return base::refuse(base::system_refusal(errno, file));
  base::ByteBuffer piece(kPiece);
  std::uint64_t size = 0;
  while (true) {
    const auto count = ::read(opened.get(), piece.data(), piece.size());
    if (count < 0 && errno == EINTR) continue;
    if (count < 0) return base::refuse(base::system_refusal(errno, file));
    if (count == 0) return size;
    const auto bytes = base::ByteView(piece).first(static_cast<std::size_t>(count));
    if (auto taken = take(bytes); !taken) return base::refuse(taken.error());
    size += bytes.size();
  }
}

tl::unexpected<base::Refusal> damaged(const std::string& name) {
  return base::refuse(
      Kind::kCorrupt,
      fmt::format("{} is damaged in the vault; 'vantro verify' says what is", name));
}

base::Outcome<std::string> digest_of(const std::string& file) {
  crypto::Sha256 digest;
  const auto read = through(file, [&](base::ByteView bytes) -> base::Outcome<void> {
    digest.update(bytes);
    return {};
  });
  if (!read) return base::refuse(read.error());
  return digest.finish();
}

}  // namespace

Snapshots::Snapshots(repository::Repository& repository) : repository_(repository) {
  std::error_code failed;
  fs::remove_all(staging(), failed);
}

Snapshots::~Snapshots() { give_up(); }

std::string Snapshots::staging() const {
  return repository_.folder.own() + "/snapshot-in-progress";
}

bool Snapshots::go_on() const {
  const base::Lock lock(mutex_);
  return !giving_up_;
}

SnapshotProgress Snapshots::progress() const {
  const base::Lock lock(mutex_);
  return progress_;
}

void Snapshots::give_up() {
  {
    const base::Lock lock(mutex_);
    giving_up_ = true;
  }
  const base::Lock one_at_a_time(thread_mutex_);
  if (thread_.joinable()) thread_.join();
}

void Snapshots::progressed(std::uint64_t bytes) {
  const base::Lock lock(mutex_);
  ++progress_.files_done;
  progress_.bytes_done += bytes;
}

base::Outcome<void> Snapshots::start(const std::string& wanted, const std::string& below,
                                     const repository::By& by) {
  if (wanted.empty()) return base::refuse(Kind::kInvalid, "a snapshot needs a name");
  std::error_code failed;
  const auto root = fs::weakly_canonical(below, failed);
  const auto path = fs::weakly_canonical(root / wanted, failed);
  const auto inside = path.lexically_relative(root);
  if (failed || inside.empty() || inside == "." || *inside.begin() == "..") {
    return base::refuse(
        Kind::kInvalid,
        fmt::format("'{}' is not below {}, the folder for snapshots (snapshot.folder in "
                    "the settings)",
                    wanted, below));
  }
  if (!fs::is_directory(root, failed)) {
    return base::refuse(
        Kind::kNotFound,
        fmt::format(
            "the folder for snapshots {} does not exist; make it, give it to vantrod's "
            "user, and restart vantrod; or name another one (snapshot.folder in "
            "the settings)",
            below));
  }
  const bool archive = path.extension() == ".tar";
  if (archive && fs::exists(path, failed)) {
    return base::refuse(
        Kind::kExists,
        fmt::format("{} exists already; choose another name, or remove it first",
                    path.string()));
  }
  if (!archive && fs::exists(path, failed) && !fs::is_empty(path, failed) &&
      !fs::exists(path / kListName, failed)) {
    return base::refuse(
        Kind::kExists,
        fmt::format("{} is not a snapshot; choose another name", path.string()));
  }
  const auto database = repository_.database->bytes().value_or(0);
  if (const auto free = repository_.folder.free_bytes(); database + kSpare > free) {
    return base::refuse(
        Kind::kFull,
        fmt::format("the copy of the database needs {} in the state folder; {} are free",
                    base::size_text(database + kSpare), base::size_text(free)));
  }
  const base::Lock one_at_a_time(thread_mutex_);
  {
    const base::Lock lock(mutex_);
    if (running_) {
      return base::refuse(Kind::kBusy,
                          fmt::format("a snapshot is being made in {}; wait, or stop it "
                                      "with 'vantro snapshot --stop'",
                                      progress_.path));
    }
    running_ = true;
    giving_up_ = false;
    progress_ = {};
    progress_.state = SnapshotProgress::State::kDatabase;
    progress_.path = path.string();
    progress_.began_at = repository_.clock.wall();
    progress_.by = by.name;
  }
  if (thread_.joinable()) thread_.join();
  thread_ = std::thread([this, path = path.string(), by] { run(path, by); });
  return {};
}

void Snapshots::run(std::string path, repository::By by) {
  base::Outcome<void> made;
  try {
    made = make(path);
  } catch (const std::exception& failure) {
    made = base::refuse(Kind::kIo, failure.what());
  }
  std::error_code failed;
  fs::remove_all(staging(), failed);
  SnapshotProgress told;
  {
    const base::Lock lock(mutex_);
    progress_.state =
        made ? SnapshotProgress::State::kComplete : SnapshotProgress::State::kFailed;
    progress_.ended_at = repository_.clock.wall();
    if (!made) progress_.why = base::in_full(made.error());
    running_ = false;
    told = progress_;
  }
  const auto sentence =
      made ? fmt::format("{} files, {}", told.files, base::size_text(told.bytes))
           : told.why;
  repository_.record_event("snapshot", by, sentence, path, made ? "complete" : "failed");
  if (made) {
    repository_.log.info("a snapshot was made", {{"path", path}, {"what", sentence}});
  } else {
    repository_.log.error("a snapshot failed", {{"path", path}, {"why", sentence}});
  }
}

base::Outcome<void> Snapshots::make(const std::string& path) {
  auto items = stage();
  if (!items) return base::refuse(items.error());
  std::uint64_t bytes = 0;
  for (const auto& one : *items) bytes += one.size;
  {
    const base::Lock lock(mutex_);
    progress_.state = SnapshotProgress::State::kContents;
    progress_.files = items->size();
    progress_.bytes = bytes;
  }
  return path.ends_with(".tar") ? into_archive(path, std::move(*items))
                                : into_folder(path, std::move(*items));
}

base::Outcome<std::vector<Snapshots::Item>> Snapshots::stage() {
  const auto& folder = repository_.folder;
  std::error_code failed;
  fs::remove_all(staging(), failed);
  if (auto made = make_folders(staging()); !made) return base::refuse(made.error());
  std::vector<Item> items;
  // Before the database: the identity may be older than that, and never newer.
  const auto identity = staging() + "/identity";
  fs::copy_file(folder.path() + "/vault/identity", identity, failed);
  if (failed) {
    return base::refuse(base::system_refusal(failed.value(), "vault/identity"));
  }
  items.push_back({"identity", identity, "", 0});
  if (auto staged = stage_records(items); !staged) return base::refuse(staged.error());
  for (const auto* one : kFolders) {
    const auto from = folder.path() + "/" + one;
    if (!fs::is_directory(from, failed)) continue;
    for (const auto& entry : fs::directory_iterator(from, failed)) {
      if (!entry.is_regular_file(failed)) continue;
      items.push_back({fmt::format("{}/{}", one, entry.path().filename().string()),
                       entry.path().string(), "", 0});
    }
  }
  for (auto& item : items) {
    item.size = fs::file_size(item.source, failed);
    if (failed) return base::refuse(base::system_refusal(failed.value(), item.source));
  }
  return items;
}

// The database, and all contents with a record in it.
base::Outcome<void> Snapshots::stage_records(std::vector<Item>& items) {
  // Nothing is removed from the vault until the database's contents are linked; by this
  // node. If another one does, a newer copy of the database does not know them.
  const std::shared_lock kept(repository_.vault_mutex);
  const auto database = staging() + "/vantro.db";
  const auto before = items.size();
  for (int turn = 1;; ++turn) {
    items.resize(before);
    std::error_code failed;
    fs::remove(database, failed);
    fs::remove_all(staging() + "/vault", failed);
    if (auto copied = db::copy_database(*repository_.database, database,
                                        [this] { return go_on(); });
        !copied) {
      return copied;
    }
    items.push_back({fmt::format("database/{}.db", stamp(repository_.clock.wall())),
                     database, "", 0});
    if (auto staged = stage_contents(items); !staged) return staged;
    const auto all = all_staged(not_found_);
    if (!all) return base::refuse(all.error());
    if (*all || turn == kMostTurns) break;
  }
  const base::Lock lock(mutex_);
  progress_.missing = not_found_.size();
  return {};
}

base::Outcome<bool> Snapshots::all_staged(const std::vector<std::string>& missing) {
  return repository_.database->read([&](db::Transaction& t) -> base::Outcome<bool> {
    return std::all_of(missing.begin(), missing.end(), [&](const auto& sha256) {
      return repository::Contents::is_recorded(t, sha256);
    });
  });
}

base::Outcome<void> Snapshots::stage_contents(std::vector<Item>& items) {
  not_found_.clear();
  const auto& folder = repository_.folder;
  std::vector<std::string> recorded;
  auto read = db::each_recorded_content(
      staging() + "/vantro.db",
      [&](const std::string& sha256) { recorded.push_back(sha256); });
  if (!read) return read;
  std::string shelf;
  for (const auto& sha256 : recorded) {
    if (!go_on()) return base::refuse(Kind::kBusy, "the snapshot was stopped");
    if (sha256.compare(0, 2, shelf) != 0) {
      shelf = sha256.substr(0, 2);
      if (auto made = make_folders(staging() + "/vault/" + shelf); !made) return made;
    }
    bool found = false;
    for (const bool sealed : {false, true}) {
      const auto name = sha256 + (sealed ? ".sealed" : "");
      const auto staged = fmt::format("{}/vault/{}/{}", staging(), shelf, name);
      if (::link(folder.vault_file(sha256, sealed).c_str(), staged.c_str()) == 0) {
        // The sum of a sealed file's own bytes is not on record anywhere.
        items.push_back(
            {fmt::format("vault/{}/{}", shelf, name), staged, sealed ? "" : sha256, 0});
        found = true;
        break;
      }
      if (errno != ENOENT) return base::refuse(base::system_refusal(errno, staged));
    }
    if (!found) not_found_.push_back(sha256);
  }
  return {};
}

base::Outcome<void> Snapshots::into_folder(const std::string& folder,
                                           std::vector<Item> items) {
  if (auto made = make_folders(folder); !made) return made;
  ::chmod(folder.c_str(), 0700);
  const auto before = read_list(folder + "/" + kListName);
  SnapshotList list;
  std::set<std::string> folders;
  std::error_code failed;
  for (auto& item : items) {
    if (!go_on()) return base::refuse(Kind::kBusy, "the snapshot was stopped");
    const auto to = folder + "/" + item.name;
    const auto parent = fs::path(to).parent_path().string();
    if (folders.insert(parent).second) {
      if (auto made = make_folders(parent); !made) return made;
    }
    // Files of the vault never change under their name.
    const auto known = before ? before->find(item.name) : SnapshotList::const_iterator{};
    const bool there = before && known != before->end() &&
                       item.name.starts_with("vault/") &&
                       fs::file_size(to, failed) == item.size && !failed;
    if (there) {
      list[item.name] = known->second;
      progressed(item.size);
      const base::Lock lock(mutex_);
      ++progress_.kept;
      continue;
    }
    ::unlink(to.c_str());
    const bool linkable = item.name.starts_with("vault/");
    if (linkable && ::link(item.source.c_str(), to.c_str()) == 0) {
      if (item.sha256.empty()) {
        auto digest = digest_of(to);
        if (!digest) return base::refuse(digest.error());
        item.sha256 = std::move(*digest);
      }
      const base::Lock lock(mutex_);
      ++progress_.linked;
    } else {
      const base::UniqueFd copy(
          ::open(to.c_str(), O_WRONLY | O_CREAT | O_EXCL | O_CLOEXEC, 0600));
      if (!copy) return base::refuse(base::system_refusal(errno, to));
      crypto::Sha256 digest;
      const auto read =
          through(item.source, [&](base::ByteView bytes) -> base::Outcome<void> {
            digest.update(bytes);
            if (!base::write_all(copy.get(), bytes)) {
              return base::refuse(base::system_refusal(errno, to));
            }
            return {};
          });
      if (!read) return base::refuse(read.error());
      const auto found = digest.finish();
      if (!item.sha256.empty() && item.sha256 != found) {
        return damaged(item.name);
      }
      item.sha256 = found;
    }
    list[item.name] = item.sha256;
    progressed(item.size);
  }
  if (auto synced = sync_all(folder); !synced) return synced;
  // From here on it is the new one.
  if (auto written = base::write_whole_file(folder + "/" + kListName, text_of(list));
      !written) {
    return written;
  }
  // Files of the previous one, and of one that was killed.
  std::vector<fs::path> others;
  for (auto at = fs::recursive_directory_iterator(folder, failed);
       !failed && at != fs::recursive_directory_iterator(); at.increment(failed)) {
    if (!at->is_regular_file(failed)) continue;
    const auto name = at->path().lexically_relative(folder).generic_string();
    if (name != kListName && !list.contains(name)) others.push_back(at->path());
  }
  for (const auto& one : others) fs::remove(one, failed);
  return {};
}

namespace {

struct FreeArchive {
  void operator()(archive* one) const { ::archive_write_free(one); }
};
struct FreeEntry {
  void operator()(archive_entry* one) const { ::archive_entry_free(one); }
};

base::Refusal archive_failure(archive* one) {
  const int number = ::archive_errno(one);
  if (number == ENOSPC || number == EDQUOT) {
    return base::system_refusal(number, "the archive");
  }
  const auto* why = ::archive_error_string(one);
  return {Kind::kIo, fmt::format("the archive: {}", why == nullptr ? "failed" : why)};
}

base::Outcome<void> add_head(archive* to, const std::string& name, std::uint64_t size,
                             base::WallTime at) {
  const std::unique_ptr<archive_entry, FreeEntry> entry(::archive_entry_new());
  ::archive_entry_set_pathname(entry.get(), name.c_str());
  ::archive_entry_set_size(entry.get(), static_cast<la_int64_t>(size));
  ::archive_entry_set_filetype(entry.get(), AE_IFREG);
  ::archive_entry_set_perm(entry.get(), 0600);
  ::archive_entry_set_mtime(entry.get(), at / 1000, 0);
  if (::archive_write_header(to, entry.get()) != ARCHIVE_OK) {
    return base::refuse(archive_failure(to));
  }
  return {};
}

base::Outcome<void> add_bytes(archive* to, base::ByteView bytes) {
  if (::archive_write_data(to, bytes.data(), bytes.size()) !=
      static_cast<la_ssize_t>(bytes.size())) {
    return base::refuse(archive_failure(to));
  }
  return {};
}

}  // namespace

base::Outcome<void> Snapshots::into_archive(const std::string& file,
                                            std::vector<Item> items) {
  if (auto made = make_folders(fs::path(file).parent_path()); !made) return made;
  const auto fresh = file + ".part";
  ::unlink(fresh.c_str());
  const base::UniqueFd out(
      ::open(fresh.c_str(), O_RDWR | O_CREAT | O_EXCL | O_CLOEXEC, 0600));
  if (!out) return base::refuse(base::system_refusal(errno, fresh));
  const auto write = [&]() -> base::Outcome<void> {
    const std::unique_ptr<archive, FreeArchive> to(::archive_write_new());
    ::archive_write_set_format_pax_restricted(to.get());
    ::archive_write_set_bytes_per_block(to.get(), static_cast<int>(kPiece));
    if (::archive_write_open_fd(to.get(), out.get()) != ARCHIVE_OK) {
      return base::refuse(archive_failure(to.get()));
    }
    SnapshotList list;
    const auto now = repository_.clock.wall();
    for (const auto& item : items) {
      if (!go_on()) return base::refuse(Kind::kBusy, "the snapshot was stopped");
      if (auto head = add_head(to.get(), item.name, item.size, now); !head) return head;
      crypto::Sha256 digest;
      const auto read =
          through(item.source, [&](base::ByteView bytes) -> base::Outcome<void> {
            digest.update(bytes);
            return add_bytes(to.get(), bytes);
          });
      if (!read) return base::refuse(read.error());
      const auto found = digest.finish();
      if (!item.sha256.empty() && item.sha256 != found) {
        return damaged(item.name);
      }
      list[item.name] = found;
      progressed(item.size);
    }
    // The last step: only then every sum is known, and a reader of the list knows that
    // everything is there.
    const auto text = text_of(list);
    if (auto head = add_head(to.get(), kListName, text.size(), now); !head) return head;
    if (auto added = add_bytes(to.get(), base::as_bytes(text)); !added) return added;
    if (::archive_write_close(to.get()) != ARCHIVE_OK) {
      return base::refuse(archive_failure(to.get()));
    }
    return {};
  };
  auto written = write();
  if (written &&
      (::fsync(out.get()) != 0 || ::rename(fresh.c_str(), file.c_str()) != 0)) {
    written = base::refuse(base::system_refusal(errno, file));
  }
  if (!written) {
    ::unlink(fresh.c_str());
    return written;
  }
  return sync_all(fs::path(file).parent_path().string());
}

}  // namespace vantro::upkeep
