#include "upkeep/restore.h"

#include <archive.h>
#include <archive_entry.h>
#include <cerrno>
#include <fcntl.h>
#include <filesystem>
#include <fmt/format.h>
#include <memory>
#include <sys/stat.h>
#include <unistd.h>

#include "base/unique_fd.h"
#include "base/visible_name.h"
#include "base/whole_file.h"
#include "crypto/digests.h"
#include "upkeep/snapshot_list.h"

namespace vantro::upkeep {
namespace {

namespace fs = std::filesystem;
using base::Kind;

constexpr std::size_t kPiece = 1 << 20;
constexpr std::size_t kLargestList = std::size_t{1} << 30;
constexpr const char* kDatabaseFolder = "database/";
// The place of the database until everything else is there.
constexpr const char* kDatabaseWaits = "/vantro.db.restored";

// The files of a snapshot, one after the other.
class Source {
 public:
  virtual ~Source() = default;
  // The next name; empty: that was the last.
  virtual base::Outcome<std::string> next() = 0;
  // Bytes of it; none: its end.
  virtual base::Outcome<base::ByteView> read() = 0;
};

class FolderSource final : public Source {
 public:
  FolderSource(std::string folder, const SnapshotList& list)
      : folder_(std::move(folder)), at_(list.begin()), end_(list.end()), piece_(kPiece) {}

  base::Outcome<std::string> next() override {
    if (at_ == end_) return std::string();
    const auto name = (at_++)->first;
    file_ = base::UniqueFd(
        ::open((folder_ + "/" + name).c_str(), O_RDONLY | O_CLOEXEC | O_NONBLOCK));
    if (!file_) {
      return base::refuse(base::system_refusal(errno, "the snapshot's " + name));
    }
    return name;
  }
  base::Outcome<base::ByteView> read() override {
    while (true) {
      const auto count = ::read(file_.get(), piece_.data(), piece_.size());
      if (count < 0 && errno == EINTR) continue;
      if (count < 0) return base::refuse(base::system_refusal(errno, folder_));
      return base::ByteView(piece_).first(static_cast<std::size_t>(count));
    }
  }

 private:
  std::string folder_;
  SnapshotList::const_iterator at_, end_;
  base::UniqueFd file_;
  base::ByteBuffer piece_;
};

class ArchiveSource final : public Source {
 public:
  ArchiveSource() : from_(::archive_read_new()), piece_(kPiece) {
    ::archive_read_support_format_tar(from_.get());
  }
  base::Outcome<void> open(const std::string& file) {
    if (::archive_read_open_filename(from_.get(), file.c_str(), kPiece) != ARCHIVE_OK) {
      return base::refuse(failure());
    }
    return {};
  }
  base::Outcome<std::string> next() override {
    archive_entry* entry = nullptr;
    const int code = ::archive_read_next_header(from_.get(), &entry);
    if (code == ARCHIVE_EOF) return std::string();
    if (code != ARCHIVE_OK) return base::refuse(failure());
    const auto* name = ::archive_entry_pathname(entry);
    if (name == nullptr || ::archive_entry_filetype(entry) != AE_IFREG) {
      return base::refuse(Kind::kCorrupt, "the archive is not a snapshot");
    }
    return std::string(name);
  }
  base::Outcome<base::ByteView> read() override {
    const auto count = ::archive_read_data(from_.get(), piece_.data(), piece_.size());
    if (count < 0) return base::refuse(failure());
    return base::ByteView(piece_).first(static_cast<std::size_t>(count));
  }

 private:
  base::Refusal failure() const {
    const auto* why = ::archive_error_string(from_.get());
    return {Kind::kCorrupt, fmt::format("the archive can't be read: {}",
                                        why == nullptr ? "it is damaged" : why)};
  }
  struct Free {
    void operator()(archive* one) const { ::archive_read_free(one); }
  };
  std::unique_ptr<archive, Free> from_;
  base::ByteBuffer piece_;
};

// The place of a file of the snapshot; empty: none.
std::string place_of(const std::string& name) {
  if (name == "identity") return "/vault/identity";
  if (name.starts_with(kDatabaseFolder)) return kDatabaseWaits;
  for (const auto* folder : {"vault/", "ssh/", "management/", "ledger/"}) {
    if (name.starts_with(folder) && name.find("..") == std::string::npos) {
      return "/" + name;
    }
  }
  return {};
}

base::Outcome<std::string> text_from(Source& source) {
  std::string text;
  while (true) {
    const auto piece = source.read();
    if (!piece) return base::refuse(piece.error());
    if (piece->empty()) return text;
    if (text.size() + piece->size() > kLargestList) {
      return base::refuse(Kind::kCorrupt, "the snapshot's list is too large");
    }
    text.append(piece->begin(), piece->end());
  }
}

base::Outcome<std::string> write_file(Source& source, const std::string& to, mode_t mode,
                                      Restored& done) {
  std::error_code failed;
  fs::create_directories(fs::path(to).parent_path(), failed);
  const base::UniqueFd out(
      ::open(to.c_str(), O_WRONLY | O_CREAT | O_EXCL | O_CLOEXEC, mode));
  if (!out) return base::refuse(base::system_refusal(errno, to));
  crypto::Sha256 digest;
  while (true) {
    const auto piece = source.read();
    if (!piece) return base::refuse(piece.error());
    if (piece->empty()) return digest.finish();
    digest.update(*piece);
    if (!base::write_all(out.get(), *piece)) {
      return base::refuse(base::system_refusal(errno, to));
    }
    done.bytes += piece->size();
  }
}

base::Outcome<void> settle(const std::string& state) {
  const base::UniqueFd folder(::open(state.c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC));
  // Everything else is on disk before the database says so.
  if (!folder || ::syncfs(folder.get()) != 0 ||
      ::rename((state + kDatabaseWaits).c_str(), (state + "/vantro.db").c_str()) != 0 ||
      ::fsync(folder.get()) != 0) {
    return base::refuse(base::system_refusal(errno, state));
  }
  return {};
}

}  // namespace

base::Outcome<Restored> restore(const std::string& snapshot, const std::string& state,
                                const std::function<void(const Restored&)>& told) {
  std::error_code failed;
  if (fs::exists(state, failed) && !fs::is_empty(state, failed)) {
    return base::refuse(
        Kind::kExists,
        fmt::format("the state folder {} is not empty; move it away first, or name "
                    "another one with --state",
                    state));
  }
  fs::create_directories(state, failed);
  SnapshotList list;
  std::unique_ptr<Source> source;
  if (fs::is_directory(snapshot, failed)) {
    auto text = base::read_whole_file(snapshot + "/" + kListName, kLargestList);
    if (!text) {
      return base::refuse(Kind::kCorrupt, fmt::format("{} is not a snapshot: {}",
                                                      snapshot, text.error().sentence));
    }
    auto parsed = parse_list(*text);
    if (!parsed) return base::refuse(parsed.error());
    list = std::move(*parsed);
    source = std::make_unique<FolderSource>(snapshot, list);
  } else {
    auto archive = std::make_unique<ArchiveSource>();
    if (auto opened = archive->open(snapshot); !opened) {
      return base::refuse(opened.error());
    }
    source = std::move(archive);
  }
  Restored done;
  SnapshotList found;
  while (true) {
    const auto name = source->next();
    if (!name) return base::refuse(name.error());
    if (name->empty()) break;
    if (*name == kListName) {
      const auto text = text_from(*source);
      if (!text) return base::refuse(text.error());
      auto parsed = parse_list(*text);
      if (!parsed) return base::refuse(parsed.error());
      list = std::move(*parsed);
      continue;
    }
    const auto place = place_of(*name);
    if (place.empty()) {
      return base::refuse(
          Kind::kCorrupt,
          fmt::format("'{}' does not belong to a snapshot", base::printable(*name, 100)));
    }
    // Nothing writes to a file of the vault again.
    const bool fixed = name->starts_with("vault/");
    auto digest = write_file(*source, state + place, fixed ? 0444 : 0600, done);
    if (!digest) return base::refuse(digest.error());
    found[*name] = std::move(*digest);
    ++done.files;
    told(done);
  }
  for (const auto& [name, sha256] : list) {
    const auto there = found.find(name);
    if (there == found.end()) {
      return base::refuse(
          Kind::kCorrupt,
          fmt::format("the snapshot is not complete: '{}' is missing", name));
    }
    if (there->second != sha256) {
      return base::refuse(Kind::kMismatch,
                          fmt::format("checksum mismatch: '{}' has SHA-256 {}, the list "
                                      "{}",
                                      name, there->second, sha256));
    }
  }
  if (list.empty() || !fs::exists(state + kDatabaseWaits, failed)) {
    return base::refuse(
        Kind::kCorrupt,
        fmt::format("{} is not a complete snapshot: it has no {} or no database",
                    snapshot, kListName));
  }
  if (auto settled = settle(state); !settled) return base::refuse(settled.error());
  return done;
}

}  // namespace vantro::upkeep
