#include "mirror/chunks.h"

#include <algorithm>
#include <array>
#include <cerrno>
#include <unistd.h>

namespace vantro::mirror {
namespace {

constexpr std::uint64_t kCutMask = 0xffffULL << 48;  // 16 bits: 64 KiB on average
constexpr std::size_t kDigestBytes = 16;
constexpr std::size_t kPackedChunk = 4 + kDigestBytes;

// A random number for each byte (splitmix64 of its value).
constexpr std::array<std::uint64_t, 256> gears() {
  std::array<std::uint64_t, 256> table{};
  std::uint64_t state = 0;
  for (auto& one : table) {
    state += 0x9e3779b97f4a7c15ULL;
    auto mixed = state;
    mixed = (mixed ^ (mixed >> 30)) * 0xbf58476d1ce4e5b9ULL;
    mixed = (mixed ^ (mixed >> 27)) * 0x94d049bb133111ebULL;
    one = mixed ^ (mixed >> 31);
  }
  return table;
}
constexpr auto kGears = gears();

std::string bytes_of(const std::string& hex) {
  const auto digit = [](char c) {
    return static_cast<unsigned>(c <= '9' ? c - '0' : c - 'a' + 10);
  };
  std::string bytes;
  for (std::size_t i = 0; i < 2 * kDigestBytes; i += 2) {
    bytes += static_cast<char>(digit(hex[i]) * 16 + digit(hex[i + 1]));
  }
  return bytes;
}

std::string place_key(const Chunk& chunk) {
  return chunk.digest + std::to_string(chunk.size);
}

}  // namespace

void Chunker::cut() {
  chunks_.push_back({size_, bytes_of(sum_->finish())});
  sum_.reset();
  size_ = 0;
  gear_ = 0;
}

void Chunker::add(base::ByteView bytes) {
  while (!bytes.empty()) {
    if (!sum_) sum_ = std::make_unique<crypto::Sha256>();
    std::size_t count = 0;
    bool ends = false;
    // No cut can be before kLeast, and only the 64 bytes before it matter there.
    if (size_ + 64 < kLeast) {
      count = std::min<std::size_t>(bytes.size(), kLeast - 64 - size_);
    } else {
      const auto most = std::min<std::size_t>(bytes.size(), kMost - size_);
      while (count < most && !ends) {
        gear_ = (gear_ << 1) + kGears[static_cast<std::uint8_t>(bytes[count])];
        ++count;
        ends = size_ + count >= kLeast && (gear_ & kCutMask) == 0;
      }
      ends = ends || size_ + count == kMost;
    }
    sum_->update(bytes.subspan(0, count));
    size_ += static_cast<std::uint32_t>(count);
    bytes = bytes.subspan(count);
    if (ends) cut();
  }
}

std::vector<Chunk> Chunker::finish() {
  if (sum_) cut();
  return std::move(chunks_);
}

base::Outcome<std::vector<Chunk>> chunks_in(int file, std::uint64_t size) {
  Chunker chunker;
  std::vector<std::uint8_t> buffer(std::size_t{1} << 20);
  for (std::uint64_t at = 0; at < size;) {
    const auto count =
        ::pread(file, buffer.data(), buffer.size(), static_cast<off_t>(at));
    if (count < 0 && errno == EINTR) continue;
    if (count <= 0) {
      return base::refuse(
          base::system_refusal(count < 0 ? errno : EIO, "a stored file can't be read"));
    }
    chunker.add({buffer.data(), static_cast<std::size_t>(count)});
    at += static_cast<std::uint64_t>(count);
  }
  return chunker.finish();
}

std::string packed(const std::vector<Chunk>& chunks) {
  std::string text;
  text.reserve(chunks.size() * kPackedChunk);
  for (const auto& one : chunks) {
    for (int shift = 0; shift < 32; shift += 8) {
      text += static_cast<char>((one.size >> shift) & 0xff);
    }
    text += one.digest;
  }
  return text;
}

base::Outcome<std::vector<Chunk>> unpacked(std::string_view text, std::uint64_t size) {
  const auto damaged = [] {
    return base::refuse(base::Kind::kCorrupt, "the list of chunks is damaged");
  };
  if (text.size() % kPackedChunk != 0) return damaged();
  std::vector<Chunk> chunks;
  std::uint64_t total = 0;
  for (; !text.empty(); text.remove_prefix(kPackedChunk)) {
    Chunk chunk;
    for (std::size_t i = 0; i < 4; ++i) {
      chunk.size |= static_cast<std::uint32_t>(static_cast<std::uint8_t>(text[i]))
                    << (8 * i);
    }
    if (chunk.size == 0 || chunk.size > Chunker::kMost) return damaged();
    chunk.digest = text.substr(4, kDigestBytes);
    total += chunk.size;
    chunks.push_back(std::move(chunk));
  }
  if (total != size) return damaged();
  return chunks;
}

void ChunkPlaces::add(const std::string& sha256, const std::vector<Chunk>& chunks) {
  std::uint64_t offset = 0;
  for (const auto& one : chunks) {
    places_.try_emplace(place_key(one), ChunkPlace{sha256, offset});
    offset += one.size;
  }
}

const ChunkPlace* ChunkPlaces::find(const Chunk& chunk) const {
  const auto found = places_.find(place_key(chunk));
  return found == places_.end() ? nullptr : &found->second;
}

std::vector<Span> plan(const std::vector<Chunk>& wanted, const ChunkPlaces& there) {
  std::vector<Span> spans;
  std::uint64_t offset = 0, saved = 0;
  for (const auto& one : wanted) {
    const auto* place = there.find(one);
    Span span{offset, one.size, {}, 0};
    if (place != nullptr) {
      span.from = place->sha256;
      span.from_offset = place->offset;
      saved += one.size;
    }
    auto* last = spans.empty() ? nullptr : &spans.back();
    const bool joins =
        last != nullptr && last->from == span.from &&
        (span.from.empty() || last->from_offset + last->size == span.from_offset);
    if (joins) {
      last->size += span.size;
    } else {
      spans.push_back(std::move(span));
    }
    offset += one.size;
  }
  if (saved * 3 > offset) return spans;
  if (offset == 0) return {};
  return {{0, offset, {}, 0}};
}

std::uint64_t to_fetch(const std::vector<Span>& spans) {
  std::uint64_t bytes = 0;
  for (const auto& one : spans) {
    if (one.from.empty()) bytes += one.size;
  }
  return bytes;
}

}  // namespace vantro::mirror
