#include "wire/http/range.h"

#include <gtest/gtest.h>

namespace vantro::wire::http {
namespace {

// "0-9,20-29", "all" or "none".
std::string parsed(const std::string& field, std::uint64_t size) {
  const auto ranges = parse_range(field, size);
  if (ranges.what == Ranges::What::kAll) return "all";
  if (ranges.what == Ranges::What::kUnsatisfiable) return "none";
  std::string text;
  for (const auto& one : ranges.parts) {
    text += (text.empty() ? "" : ",") + std::to_string(one.first) + "-" +
            std::to_string(one.last);
  }
  return text;
}

TEST(Range, IsReadAsTheRfcWantsIt) {
  const struct {
    const char* field;
    std::uint64_t size;
    const char* wanted;
  } cases[] = {
      {"bytes=0-9", 100, "0-9"},
      {"Bytes = 0-9", 100, "0-9"},
      {"bytes=90-", 100, "90-99"},
      {"bytes=90-200", 100, "90-99"},
      {"bytes=-5", 100, "95-99"},
      {"bytes=-500", 100, "0-99"},
      {"bytes=0-0,-1", 100, "0-0,99-99"},
      {"bytes= 0-9 , ,20-29", 100, "0-9,20-29"},
      {"bytes=20-29,0-9", 100, "20-29,0-9"},
      {"bytes=100-", 100, "none"},
      {"bytes=100-,0-4", 100, "0-4"},
      {"bytes=-0", 100, "none"},
      {"bytes=0-", 0, "none"},
      {"bytes=-1", 0, "none"},
      {"bytes=18446744073709551615-", 100, "none"},
      // Malformed or of another unit: ignored.
      {"", 100, "all"},
      {"bytes=", 100, "all"},
      {"bytes", 100, "all"},
      {"lines=0-9", 100, "all"},
      {"bytes=9-0", 100, "all"},
      {"bytes=a-9", 100, "all"},
      {"bytes=0-9x", 100, "all"},
      {"bytes=--5", 100, "all"},
      {"bytes=+1-5", 100, "all"},
      {"bytes=18446744073709551616-", 100, "all"},
      // Two may overlap, more must not.
      {"bytes=0-9,5-14", 100, "0-9,5-14"},
      {"bytes=0-9,5-14,50-51", 100, "all"},
  };
  for (const auto& one : cases)
    EXPECT_EQ(parsed(one.field, one.size), one.wanted) << one.field;
}

TEST(Range, IsNotFollowedInHundredsOfPieces) {
  std::string field = "bytes=";
  for (int i = 0; i < 16; ++i)
    field += std::to_string(10 * i) + "-" + std::to_string(10 * i) + ",";
  EXPECT_NE(parsed(field, 1000), "all");
  EXPECT_EQ(parsed(field + "500-501", 1000), "all");
}

TEST(Range, IsToldBack) {
  EXPECT_EQ(content_range({100, 199}, 1000), "bytes 100-199/1000");
  EXPECT_EQ(content_range(1000), "bytes */1000");
}

}  // namespace
}  // namespace vantro::wire::http
