#include "mirror/chunks.h"

#include <gtest/gtest.h>

#include "tests/fakes/scratch_folder.h"

namespace vantro::mirror {
namespace {

using fakes::noise;

std::vector<Chunk> chunks_of(const std::string& bytes, std::size_t piece = SIZE_MAX) {
  Chunker chunker;
  for (std::size_t at = 0; at < bytes.size(); at += std::min(piece, bytes.size() - at)) {
    chunker.add(base::as_bytes(std::string_view(bytes).substr(at, piece)));
  }
  return chunker.finish();
}

TEST(Chunks, AnySplitOfTheBytesGivesTheSameChunks) {
  const auto bytes = noise(1'000'000);
  const auto whole = chunks_of(bytes);
  for (const std::size_t piece : {1, 63, 64, 1000, 16'384, 65'536, 300'000}) {
    EXPECT_EQ(chunks_of(bytes, piece), whole) << piece;
  }
  std::uint64_t total = 0;
  for (std::size_t i = 0; i < whole.size(); ++i) {
    total += whole[i].size;
    EXPECT_LE(whole[i].size, Chunker::kMost);
    EXPECT_TRUE(i + 1 == whole.size() || whole[i].size >= Chunker::kLeast);
    EXPECT_EQ(whole[i].digest.size(), 16U);
  }
  EXPECT_EQ(total, bytes.size());
  EXPECT_TRUE(chunks_of("").empty());
  EXPECT_EQ(chunks_of("a").size(), 1U);
}

TEST(Chunks, AreOf64KiBOnAverageAndEndAtTheMost) {
  const auto many = chunks_of(noise(64 << 20));
  const auto average = (64U << 20) / many.size();
  EXPECT_GT(average, 48U << 10);
  EXPECT_LT(average, 96U << 10);
  for (const auto& one : chunks_of(std::string(1 << 20, '\0'))) {
    EXPECT_LE(one.size, Chunker::kMost);
  }
}

TEST(Chunks, InsertedBytesChangeTheChunksAroundThemOnly) {
  const auto before = noise(4'000'000);
  auto after = before;
  after.insert(2'000'000, "x");
  ChunkPlaces places;
  places.add("old", chunks_of(before));
  const auto spans = plan(chunks_of(after), places);
  EXPECT_GT(spans.size(), 1U);
  EXPECT_LT(to_fetch(spans), 2 * Chunker::kMost);
  // What the spans say is what the file is.
  std::string made;
  for (const auto& one : spans) {
    EXPECT_EQ(one.offset, made.size());
    made += one.from.empty() ? after.substr(one.offset, one.size)
                             : before.substr(one.from_offset, one.size);
  }
  EXPECT_TRUE(fakes::same_bytes(made, after));
}

TEST(Chunks, AreCopiedOnlyIfThatSavesMoreThanAThird) {
  const auto shared = noise(900'000, 1);
  ChunkPlaces places;
  places.add("old", chunks_of(shared));
  const auto little = chunks_of(shared.substr(0, 300'000) + noise(3'000'000, 2));
  EXPECT_EQ(plan(little, places), (std::vector<Span>{{0, 3'300'000, "", 0}}));
  const auto much = chunks_of(shared + noise(900'000, 2));
  EXPECT_LT(to_fetch(plan(much, places)), 1'200'000U);
  EXPECT_TRUE(plan({}, places).empty());
}

TEST(Chunks, TheListIsSentAndReadBack) {
  const auto bytes = noise(500'000);
  const auto chunks = chunks_of(bytes);
  const auto text = packed(chunks);
  EXPECT_EQ(*unpacked(text, bytes.size()), chunks);
  EXPECT_FALSE(unpacked(text, bytes.size() + 1));
  for (std::size_t length = 0; length < text.size(); ++length) {
    EXPECT_FALSE(unpacked(std::string_view(text).substr(0, length), bytes.size()));
  }
  auto huge = text;
  huge[3] = '\x7f';
  EXPECT_FALSE(unpacked(huge, bytes.size()));
}

}  // namespace
}  // namespace vantro::mirror
