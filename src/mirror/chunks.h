// Content-defined chunks: the cuts depend on the bytes around them alone, so two files
// that share bytes share chunks, wherever these lie. A mirror that has an earlier release
// fetches only the chunks that it lacks.
//
// The cut is where a rolling sum over the last 64 bytes ("gear hash") has 16 zero bits:
// one chunk in 64 KiB on average.
#pragma once

#include <cstdint>
#include <map>
#include <memory>
#include <string>
#include <string_view>
#include <vector>

#include "base/bytes.h"
#include "base/outcome.h"
#include "crypto/digests.h"

namespace vantro::mirror {

struct Chunk {
  std::uint32_t size = 0;  // bytes
  std::string digest;      // the first 16 bytes of its SHA-256, as they are

  bool operator==(const Chunk&) const = default;
};

class Chunker {
 public:
  static constexpr std::uint32_t kLeast = 16 << 10, kMost = 256 << 10;

  // Any split of the bytes gives the same chunks.
  void add(base::ByteView bytes);
  // The last one ends here. REQUIRES: called once.
  std::vector<Chunk> finish();

 private:
  void cut();

  std::vector<Chunk> chunks_;
  std::unique_ptr<crypto::Sha256> sum_;  // of the current one; null: it is empty
  std::uint32_t size_ = 0;               // of the current one
  std::uint64_t gear_ = 0;
};

// Of an open file; reads it. kIo.
base::Outcome<std::vector<Chunk>> chunks_in(int file, std::uint64_t size);

// For sending them: four bytes of the size, the least first, and the digest.
std::string packed(const std::vector<Chunk>& chunks);
// kCorrupt: it is not such a list, or the sizes are not those of a file of `size` bytes.
base::Outcome<std::vector<Chunk>> unpacked(std::string_view text, std::uint64_t size);

// Where chunks lie in files that are there already.
struct ChunkPlace {
  std::string sha256;  // of the file
  std::uint64_t offset = 0;
};
class ChunkPlaces {
 public:
  void add(const std::string& sha256, const std::vector<Chunk>& chunks);
  const ChunkPlace* find(const Chunk& chunk) const;

 private:
  std::map<std::string, ChunkPlace> places_;  // by digest and size
};

// A part of a file: copied from another one, or fetched.
struct Span {
  std::uint64_t offset = 0, size = 0;
  std::string from;               // the SHA-256 of the other file; empty: fetched
  std::uint64_t from_offset = 0;  // in that one

  std::uint64_t end() const { return offset + size; }
  bool operator==(const Span&) const = default;
};

// The whole file in its order, neighbours of one kind joined. Chunks are copied only if
// that saves more than a third of the bytes: else all of it is one span to be fetched.
std::vector<Span> plan(const std::vector<Chunk>& wanted, const ChunkPlaces& there);
std::uint64_t to_fetch(const std::vector<Span>& spans);

}  // namespace vantro::mirror
