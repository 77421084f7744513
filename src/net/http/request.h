// An HTTP/1.x request from a stream of bytes (RFC 9112). Beast's parser does the grammar;
// anything that it accepts and two programs could read differently is refused here, since
// a request that a proxy reads in another way is a smuggled one.
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
  bool keep_alive = false;  // from version and Connection
  bool chunked = false;
  std::optional<std::uint64_t> content_length;
  std::vector<std::pair<std::string, std::string>> fields;  // names in lower case

  // Several of one name are joined by ", " (RFC 9110, 5.2). Empty: not there.
  std::string field(std::string_view name) const;
  std::size_t count(std::string_view name) const;
};

// The error, and its status.
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

  // Bytes that belong to the head; 0 until it is complete. Pass all bytes so far each
  // time.
  tl::expected<std::size_t, Malformed> feed_head(base::ByteView bytes);
  // REQUIRES: feed_head() returned more than 0.
  const Head& head() const { return head_; }

  struct Body {
    std::size_t taken = 0;     // of the received bytes
    std::size_t produced = 0;  // bytes of the body
    bool done = false;
  };
  // A chunked body (RFC 9112, 7.1). Bytes that it does not take must be passed again with
  // more.
  tl::expected<Body, Malformed> feed_chunked(base::ByteView bytes,
                                             std::span<std::uint8_t> to);
  // The fields after a chunked body (RFC 9112, 7.1.2), once it is done; else none.
  Head trailer() const;

 private:
  struct State;
  std::unique_ptr<State> state_;
  Head head_;
};

}  // namespace vantro::net::http
