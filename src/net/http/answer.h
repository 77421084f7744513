// What is answered to a request: status, fields, and a body of texts and pieces of one
// file; and how the two ends of a connection are told of bodies.
#pragma once

#include <cstdint>
#include <functional>
#include <memory>
#include <span>
#include <string>
#include <utility>
#include <vector>

#include "base/clock.h"
#include "base/outcome.h"
#include "net/http/request.h"
#include "net/tcp_lane.h"

namespace vantro::net::http {

// How a body, sent or received, came to its end.
enum class End {
  kComplete,  // sent: the other end has acknowledged all of it
  kGone,      // the client went, or stopped
  kCut,       // by the server
};

// A body that is sent, as whoever follows it sees it, and the file that it comes from. On
// the lane's thread; ended() is called once, and is the last.
class Delivery {
 public:
  virtual ~Delivery() = default;
  // Open as long as this lives. Asked only if a piece is of a file.
  virtual int file() const = 0;
  virtual std::uint64_t file_size() const = 0;
  // Of the body, in bytes. `stalled`: nothing has moved for some time.
  virtual void moved(std::uint64_t acknowledged, bool stalled) = 0;
  virtual void ended(TcpLane& lane, End how, const std::string& why) = 0;
};

// Where a request's body goes. On the lane's thread.
class Body {
 public:
  virtual ~Body() = default;
  // No more should come until Connection::go_on().
  virtual bool waits() const = 0;
  // Where the next bytes go; at least one. came(): so many were put there.
  virtual std::span<std::uint8_t> room() = 0;
  virtual void came(std::size_t count) = 0;
  // So many so far.
  virtual std::uint64_t size() const = 0;
  // Nothing more is there at the moment.
  virtual void pause() {}
  // Said often. `stalled`: nothing has come for some time.
  virtual void still_coming(bool /*stalled*/) {}
  // One of these two is the last that is called. After all of it, the fields behind a
  // chunked body with it: the request is answered then, or later.
  virtual void complete(const Head& trailer) = 0;
  virtual void broke_off(End how, const std::string& why) = 0;
};

// A piece of a body: a text, its own or one that others send too, or `count` bytes of the
// delivery's file from `offset` on.
struct Piece {
  std::string text;
  std::uint64_t offset = 0;
  std::uint64_t count = 0;
  std::shared_ptr<const std::string> shared = {};
};

struct Answer {
  int status = 200;
  std::vector<std::pair<std::string, std::string>> fields;
  std::vector<Piece> body;
  // The body's length as GET would have it: what HEAD and 304 tell.
  std::uint64_t length = 0;
  bool without_body = false;  // HEAD, 304
  bool endless = false;       // more follows by Connection::stream()
  // What follows the body, piece by piece, and how long that is nobody knows before:
  // asked for on the disk pool when the one before has gone out; empty: that was all.
  // Chunked (RFC 9112, 7.1). If it is refused in between, the connection ends, so
  // that nobody takes what came for all.
  std::function<base::Outcome<std::string>()> more = {};
  std::shared_ptr<Delivery> delivery;  // null: nobody follows it, and it has no file
  bool close = false;                  // the connection, after it

  void set(std::string name, std::string value) {
    fields.emplace_back(std::move(name), std::move(value));
  }
  // All of the body.
  void give(std::string type, std::string text);
};

// Status line and fields, with the empty line. `now` for Date.
std::string head_text(const Answer& answer, bool http_1_0, bool keep_alive,
                      base::WallTime now);

}  // namespace vantro::net::http
