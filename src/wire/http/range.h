// The Range field (RFC 9110, 14.2): the wanted bytes of a file.
#pragma once

#include <cstdint>
#include <string>
#include <string_view>
#include <vector>

namespace vantro::wire::http {

struct ByteRange {
  std::uint64_t first = 0;
  std::uint64_t last = 0;  // inclusive
  std::uint64_t length() const { return last - first + 1; }
  bool operator==(const ByteRange&) const = default;
};

struct Ranges {
  enum class What {
    kAll,            // no range, or one that may be ignored: the whole file
    kParts,          // those in `parts`
    kUnsatisfiable,  // none of them is within the file: 416
  };
  What what = What::kAll;
  std::vector<ByteRange> parts;  // in the order of the request, each inside the file
};

// More ranges than this, or two that overlap among more than two, are answered with the
// whole file (RFC 9110, 14.2 and 17.15): nobody needs them.
inline constexpr std::size_t kMostRanges = 16;

// `size` is the file's. A field that is malformed, or of another unit than bytes, is
// ignored, as the RFC requires.
Ranges parse_range(std::string_view field, std::uint64_t size);

// "bytes 100-199/1000", for Content-Range; and its form with 416.
std::string content_range(const ByteRange& range, std::uint64_t size);
std::string content_range(std::uint64_t size);

}  // namespace vantro::wire::http
