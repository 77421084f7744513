#include <array>
#include <gtest/gtest.h>
#include <numeric>
#include <vector>

#include "net/http/request.h"

namespace vantro::net::http {
namespace {

// The head in one line, or the refusal.
std::string read_head(std::string_view text) {
  RequestReader reader;
  const auto taken = reader.feed_head(base::as_bytes(text));
  if (!taken) return std::to_string(taken.error().status) + " " + taken.error().why;
  if (*taken == 0) return "more";
  const auto& head = reader.head();
  return head.method + " " + head.target + (head.http_1_0 ? " 1.0" : " 1.1") +
         (head.keep_alive ? " keep" : " close") + (head.chunked ? " chunked" : "") +
         (head.content_length ? " " + std::to_string(*head.content_length) : "");
}

TEST(HttpRequest, IsReadWithItsVersionAndPersistence) {
  EXPECT_EQ(read_head("GET /x HTTP/1.1\r\nHost: a\r\n\r\n"), "GET /x 1.1 keep");
  EXPECT_EQ(read_head("GET /x HTTP/1.1\r\nHost: a\r\nConnection: close\r\n\r\n"),
            "GET /x 1.1 close");
  EXPECT_EQ(read_head("GET /x HTTP/1.0\r\n\r\n"), "GET /x 1.0 close");
  EXPECT_EQ(read_head("GET /x HTTP/1.0\r\nConnection: keep-alive\r\n\r\n"),
            "GET /x 1.0 keep");
  EXPECT_EQ(read_head("PUT /x HTTP/1.1\r\nHost: a\r\nContent-Length: 5\r\n\r\nhello"),
            "PUT /x 1.1 keep 5");
  EXPECT_EQ(read_head("PUT /x HTTP/1.1\r\nHost: a\r\nTransfer-Encoding: Chunked\r\n\r\n"),
            "PUT /x 1.1 keep chunked");
}

TEST(HttpRequest, WaitsForItsEndAtEachLength) {
  const std::string text = "GET /x HTTP/1.1\r\nHost: a\r\nRange: bytes=0-1\r\n\r\n";
  for (std::size_t length = 1; length < text.size(); ++length) {
    EXPECT_EQ(read_head(text.substr(0, length)), "more") << length;
  }
  // In pieces, to one reader.
  RequestReader reader;
  for (std::size_t length = 1; length < text.size(); ++length) {
    EXPECT_EQ(*reader.feed_head(base::as_bytes(std::string_view(text).substr(0, length))),
              0u);
  }
  EXPECT_EQ(*reader.feed_head(base::as_bytes(text)), text.size());
  EXPECT_EQ(reader.head().field("range"), "bytes=0-1");
  EXPECT_EQ(reader.head().field("none"), "");
}

// A client may write line by line, and a network may cut where it likes.
TEST(HttpRequest, IsReadAtEverySplitOfItsHead) {
  const std::string text =
      "PUT /x HTTP/1.1\r\nHost: a\r\nContent-Length: 5\r\nX-Empty:\r\nUser-Agent: b "
      "c\r\n\r\nhello";
  const auto head = text.size() - 5;
  const auto check = [&](const std::vector<std::size_t>& lengths) {
    RequestReader reader;
    for (const auto length : lengths) {
      const auto taken =
          reader.feed_head(base::as_bytes(std::string_view(text).substr(0, length)));
      ASSERT_TRUE(taken) << length << ": " << taken.error().why;
      ASSERT_EQ(*taken, length < head ? 0 : head) << length;
      if (length >= head) break;
    }
    EXPECT_EQ(reader.head().target, "/x");
    EXPECT_EQ(reader.head().fields.size(), 4u);
    EXPECT_EQ(reader.head().field("user-agent"), "b c");
    EXPECT_EQ(reader.head().content_length, 5u);
  };
  for (std::size_t one = 1; one <= head; ++one) {
    check({one, text.size()});
    for (std::size_t two = one; two <= head; ++two) check({one, two, text.size()});
  }
  std::vector<std::size_t> bytes(text.size());
  std::iota(bytes.begin(), bytes.end(), 1);
  check(bytes);
}

TEST(HttpRequest, TellsTheFieldsBehindABody) {
  const std::string head =
      "PUT /x HTTP/1.1\r\nHost: a\r\nX-One: 1\r\nTransfer-Encoding: "
      "chunked\r\n\r\n";
  const std::string body =
      "5\r\nhello\r\n0\r\nX-One: 2\r\nRepr-Digest: sha-256=:x:\r\n\r\n";
  RequestReader reader;
  ASSERT_EQ(*reader.feed_head(base::as_bytes(head)), head.size());
  EXPECT_TRUE(reader.trailer().fields.empty());
  std::array<std::uint8_t, 100> memory{};
  std::string waiting = body;
  for (int i = 0; i < 10; ++i) {
    const auto fed = reader.feed_chunked(base::as_bytes(waiting), memory);
    ASSERT_TRUE(fed);
    waiting.erase(0, fed->taken);
    if (fed->done) break;
  }
  EXPECT_EQ(reader.trailer().fields.size(), 2u);
  EXPECT_EQ(reader.trailer().field("x-one"), "2");
  EXPECT_EQ(reader.trailer().field("repr-digest"), "sha-256=:x:");
  EXPECT_EQ(reader.head().field("x-one"), "1");
}

// What two programs could read differently.
TEST(HttpRequest, RefusesWhatCouldBeSmuggled) {
  const auto put = [](const std::string& fields) {
    return read_head("PUT /x HTTP/1.1\r\nHost: a\r\n" + fields + "\r\n").substr(0, 3);
  };
  EXPECT_EQ(put("Content-Length: 5\r\nTransfer-Encoding: chunked\r\n"), "400");
  EXPECT_EQ(put("Transfer-Encoding: chunked\r\nContent-Length: 5\r\n"), "400");
  EXPECT_EQ(put("Content-Length: 5\r\nContent-Length: 6\r\n"), "400");
  EXPECT_EQ(put("Content-Length: 5\r\nContent-Length: 5\r\n"), "400");
  EXPECT_EQ(put("Content-Length: 5, 5\r\n"), "400");
  EXPECT_EQ(put("Content-Length: +5\r\n"), "400");
  EXPECT_EQ(put("Content-Length: 0x5\r\n"), "400");
  EXPECT_EQ(put("Content-Length: -5\r\n"), "400");
  EXPECT_EQ(put("Content-Length: 99999999999999999999\r\n"), "400");
  EXPECT_EQ(put("Content-Length : 5\r\n"), "400");
  EXPECT_EQ(put("Transfer-Encoding: gzip, chunked\r\n"), "501");
  EXPECT_EQ(put("Transfer-Encoding: chunked, gzip\r\n"), "501");
  EXPECT_EQ(put("Transfer-Encoding: xchunked\r\n"), "501");
  EXPECT_EQ(put("Transfer-Encoding: \x0b"
                "chunked\r\n"),
            "400");
  EXPECT_EQ(put("Transfer-Encoding: chunked\r\nTransfer-Encoding: chunked\r\n"), "400");
  EXPECT_EQ(put(std::string("Transfer-Encoding\0: chunked\r\n", 29)), "400");
  EXPECT_EQ(put("Host: b\r\n"), "400");
  EXPECT_EQ(
      read_head("PUT /x HTTP/1.0\r\nTransfer-Encoding: chunked\r\n\r\n").substr(0, 3),
      "400");
  EXPECT_EQ(read_head("GET /x HTTP/1.1\r\n\r\n"), "400 the Host field is missing");
  EXPECT_EQ(read_head("GET /x HTTP/2.0\r\n\r\n").substr(0, 3), "505");
  EXPECT_EQ(read_head("GET  /x HTTP/1.1\r\nHost: a\r\n\r\n").substr(0, 3), "400");
  EXPECT_EQ(read_head("GET /x y HTTP/1.1\r\nHost: a\r\n\r\n").substr(0, 3), "505");
  EXPECT_EQ(read_head("\x16\x03\x01 rubbish\r\n\r\n").substr(0, 3), "400");
}

TEST(HttpRequest, HasALimitOnItsHead) {
  const auto fields = [](std::size_t bytes) {
    std::string text = "GET /x HTTP/1.1\r\nHost: a\r\n";
    while (text.size() < bytes) text += "X-Filler: " + std::string(50, 'x') + "\r\n";
    return text;
  };
  EXPECT_EQ(read_head(fields(8000) + "\r\n"), "GET /x 1.1 keep");
  EXPECT_EQ(read_head(fields(17'000)),
            "431 the request's head has more than 16384 bytes");
  EXPECT_EQ(read_head(std::string(17'000, 'G')).substr(0, 3), "431");
}

// A chunked body given in two parts at each place, into small and large memory.
TEST(HttpRequest, ReadsAChunkedBodyAtEverySplit) {
  const std::string head =
      "PUT /x HTTP/1.1\r\nHost: a\r\nTransfer-Encoding: chunked\r\n\r\n";
  const std::string body =
      "5;ext=\"a\"\r\nhello\r\n1\r\n \r\n5\r\nworld\r\n0\r\nTrail: er\r\n\r\nGET";
  for (const std::size_t room : {std::size_t{1}, std::size_t{3}, std::size_t{100}}) {
    for (std::size_t split = 0; split <= body.size() - 3; ++split) {
      RequestReader reader;
      ASSERT_EQ(*reader.feed_head(base::as_bytes(head)), head.size());
      std::string came;
      std::string waiting = body.substr(0, split);
      bool second = false;
      bool done = false;
      for (int i = 0; i < 200 && !done; ++i) {
        std::array<std::uint8_t, 100> memory{};
        const auto fed =
            reader.feed_chunked(base::as_bytes(waiting), std::span(memory).first(room));
        ASSERT_TRUE(fed) << fed.error().why;
        came.append(reinterpret_cast<const char*>(memory.data()), fed->produced);
        waiting.erase(0, fed->taken);
        done = fed->done;
        if (fed->taken == 0 && fed->produced == 0 && !second) {
          waiting += body.substr(split);
          second = true;
        }
      }
      EXPECT_TRUE(done) << split << " " << room;
      EXPECT_EQ(came, "hello world") << split << " " << room;
      if (!second) waiting += body.substr(split);
      EXPECT_EQ(waiting, "GET") << split << " " << room;
    }
  }
}

// An empty body is its last chunk alone.
TEST(HttpRequest, ReadsTheLastChunkByteByByte) {
  const std::string head =
      "PUT /x HTTP/1.1\r\nHost: a\r\nTransfer-Encoding: chunked\r\n\r\n";
  RequestReader reader;
  ASSERT_TRUE(reader.feed_head(base::as_bytes(head)));
  std::array<std::uint8_t, 100> memory{};
  std::string waiting;
  for (const char byte : std::string_view("0\r\n\r")) {
    waiting += byte;
    const auto fed = reader.feed_chunked(base::as_bytes(waiting), memory);
    ASSERT_TRUE(fed) << fed.error().why;
    EXPECT_EQ(fed->taken, 0u);
  }
  waiting += '\n';
  const auto fed = reader.feed_chunked(base::as_bytes(waiting), memory);
  ASSERT_TRUE(fed) << fed.error().why;
  EXPECT_TRUE(fed->done);
  EXPECT_EQ(fed->taken, waiting.size());
}

TEST(HttpRequest, RefusesABrokenChunk) {
  for (const auto* body :
       {"x\r\n", "5\r\nhelloXX\r\n", "-1\r\n", "fffffffffffffffff\r\n"}) {
    RequestReader reader;
    const std::string head =
        "PUT /x HTTP/1.1\r\nHost: a\r\nTransfer-Encoding: chunked\r\n\r\n";
    ASSERT_TRUE(reader.feed_head(base::as_bytes(head)));
    std::array<std::uint8_t, 100> memory{};
    std::string waiting = body;
    bool refused = false;
    for (int i = 0; i < 5 && !refused; ++i) {
      const auto fed = reader.feed_chunked(base::as_bytes(waiting), memory);
      if (!fed) {
        refused = true;
      } else {
        waiting.erase(0, fed->taken);
      }
    }
    EXPECT_TRUE(refused) << body;
  }
}

}  // namespace
}  // namespace vantro::net::http
