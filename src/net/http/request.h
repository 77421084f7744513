// An HTTP/1.x request out of a stream of bytes (RFC 9112). Beast's parser does the
// grammar; what it lets through and two programs could read differently is refused here,
// since a request that a proxy reads in another way is a smuggled one.
#pragma once

#include <cstdint>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <tl/expected.hpp>
#include <utility>
#include <vector>

#include "base/bytes.h"

namespace vantro::net::http {

struct Head {
  std::string method;
  std::string target;
  bool http_1_0 = false;
  bool keep_alive = false;  // as version and Connection want it
  bool chunked = false;
  std::optional<std::uint64_t> content_length;
  std::vector<std::pair<std::string, std::string>> fields;  // names in lower case

  // Several of one name are joined by ", " (RFC 9110, 5.2). Empty: not there.
  std::string field(std::string_view name) const;
  std::size_t count(std::string_view name) const;
};

// What can't be understood, and the status to say so with.
struct Malformed {
  int status = 400;
  std::string why;
};

// "Not Found" and the like (RFC 9110, 15).
std::string reason_of(int status);

// One message. A new reader for each.
class RequestReader {
 public:
  // Of the request line and all fields together, in bytes.
  static constexpr std::size_t kLongestHead = 16 * 1024;

  RequestReader();
  ~RequestReader();

  // Bytes that belong to the head; 0 as long as it is not there as a whole. Give all that
  // has come each time.
  tl::expected<std::size_t, Malformed> feed_head(base::ByteView bytes);
  // REQUIRES: feed_head() gave more than 0.
  const Head& head() const { return head_; }

  struct Body {
    std::size_t taken = 0;     // of the bytes that came
    std::size_t produced = 0;  // bytes of the body
    bool done = false;
  };
  // A chunked body (RFC 9112, 7.1). What is not taken must be given again with more.
  tl::expected<Body, Malformed> feed_chunked(base::ByteView bytes,
                                             std::span<std::uint8_t> to);
  // The fields behind a chunked body (RFC 9112, 7.1.2), once it is done; else none.
  Head trailer() const;

 private:
  struct State;
  std::unique_ptr<State> state_;
  Head head_;
};

}  // namespace vantro::net::http
