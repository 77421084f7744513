#include "mirror/parts.h"

#include <algorithm>
#include <cerrno>
#include <fmt/format.h>
#include <map>
#include <shared_mutex>
#include <unistd.h>

#include "base/sizes.h"
#include "store/part_file.h"

namespace vantro::mirror {
namespace {

using base::Kind;
using store::PartFile;

// Images here in whose bytes chunks are looked for: each is read once for that.
constexpr std::size_t kMostAkin = 3;

}  // namespace

base::Outcome<void> Parts::open() {
  const auto parts = PartFile::list(repository_.folder);
  if (!parts) return base::refuse(parts.error());
  for (const auto& one : *parts) {
    auto part = PartFile::open(repository_.folder, one.name);
    if (!part) return base::refuse(part.error());
    const auto sure = part->size() - std::min(part->size(), Follower::kMostPiece);
    if (auto cut = part->cut(sure); !cut) return cut;
  }
  return {};
}

base::Outcome<std::vector<Lacking>> Parts::lacking() {
  auto wanted = adoption_.lacking();
  if (!wanted) return base::refuse(wanted.error());
  const auto parts = PartFile::list(repository_.folder);
  if (!parts) return base::refuse(parts.error());
  std::map<std::string, std::uint64_t> sizes;
  for (const auto& one : *parts) sizes.emplace(one.name, one.size);
  std::vector<Lacking> all;
  for (auto& one : *wanted) {
    Lacking lacking;
    const auto part = sizes.extract(one.sha256);
    if (!part.empty()) lacking.have = std::min(part.mapped(), one.size);
    const auto akin = adoption_.akin(one, 1);
    if (!akin) return base::refuse(akin.error());
    lacking.may_share = !akin->empty();
    lacking.wanted = std::move(one);
    all.push_back(std::move(lacking));
  }
  for (const auto& [sha256, size] : sizes) PartFile::remove(repository_.folder, sha256);
  return all;
}

base::Outcome<std::uint64_t> Parts::add(const std::string& sha256, std::uint64_t offset,
                                        base::ByteView bytes) {
  auto part = PartFile::open(repository_.folder, sha256);
  if (!part) return base::refuse(part.error());
  if (part->size() != offset) {
    return base::refuse(
        Kind::kMismatch,
        fmt::format("the part has {}, and the piece begins at {}",
                    base::size_text(part->size()), base::size_text(offset)));
  }
  auto written = part->write(bytes);
  if (written) written = part->sync();
  if (!written) {
    // Half a piece is none.
    static_cast<void>(part->cut(offset));
    return base::refuse(written.error());
  }
  return part->size();
}

base::Outcome<std::uint64_t> Parts::write(const FetchPiece& piece, base::ByteView bytes) {
  return add(piece.sha256, piece.offset, bytes);
}

base::Outcome<std::uint64_t> Parts::copy(const CopyPiece& piece) {
  const auto from = repository_.folder.open_as_it_lies(piece.from);
  if (!from) return base::refuse(from.error());
  std::vector<std::uint8_t> bytes(piece.count);
  for (std::size_t done = 0; done < bytes.size();) {
    const auto count = ::pread(from->file.get(), bytes.data() + done, bytes.size() - done,
                               static_cast<off_t>(piece.from_offset + done));
    if (count < 0 && errno == EINTR) continue;
    if (count <= 0) {
      return base::refuse(
          base::system_refusal(count < 0 ? errno : EIO, "a stored file can't be read"));
    }
    done += static_cast<std::size_t>(count);
  }
  return add(piece.sha256, piece.offset, bytes);
}

base::Outcome<Wanted> Parts::wanted(const std::string& sha256) const {
  auto all = adoption_.lacking();
  if (!all) return base::refuse(all.error());
  for (auto& one : *all) {
    if (one.sha256 == sha256) return std::move(one);
  }
  return base::refuse(Kind::kNotFound, "headquarters no longer offers this image");
}

base::Outcome<std::vector<Span>> Parts::plan(const std::string& sha256,
                                             std::string_view packed) {
  const auto content = wanted(sha256);
  if (!content) return base::refuse(content.error());
  const auto chunks = unpacked(packed, content->size);
  if (!chunks) return base::refuse(chunks.error());
  const auto akin = adoption_.akin(*content, kMostAkin);
  if (!akin) return base::refuse(akin.error());
  ChunkPlaces places;
  for (const auto& [other, size] : *akin) {
    const auto file = repository_.folder.open_as_it_lies(other);
    if (!file) continue;
    const auto there = chunks_in(file->file.get(), size);
    if (there) places.add(other, *there);
  }
  return mirror::plan(*chunks, places);
}

base::Outcome<void> Parts::file(const std::string& sha256) {
  const auto content = wanted(sha256);
  if (!content) return base::refuse(content.error());
  auto part = PartFile::open(repository_.folder, sha256);
  if (!part) return base::refuse(part.error());
  if (auto synced = part->sync(); !synced) return synced;
  const auto now = repository_.clock.wall();
  auto arrival = std::move(*part).arrive(now);
  if (!arrival) return base::refuse(arrival.error());
  const auto digests = arrival->finish();
  if (!digests) {
    arrival->discard();
    return base::refuse(digests.error());
  }
  if (digests->sha256 != sha256) {
    arrival->discard();
    return base::refuse(
        Kind::kMismatch,
        fmt::format("'{}' arrived with other bytes than headquarters has; it is fetched "
                    "again",
                    content->name));
  }
  auto filed = repository_.filing.file(
      *arrival,
      [&](db::Transaction& t) -> base::Outcome<void> {
        repository::Contents::mend(t, sha256, now);
        return adoption_.complete(t, sha256, content->size);
      },
      now);
  if (!filed) return filed;
  repository_.record_event(
      "mirror-image", "server",
      fmt::format("{}: all of it is here, and its SHA-256 is headquarters'",
                  base::size_text(content->size)),
      content->name, "complete");
  return adoption_.refresh();
}

}  // namespace vantro::mirror
