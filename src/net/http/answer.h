// The answer to a request: status, fields, and a body of texts and pieces of one file;
// and the interfaces of bodies, sent and received.
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

// How a body, sent or received, ended.
enum class End {
  kComplete,  // sent: the other end has acknowledged all of it
  kGone,      // the client closed it, or stopped
  kCut,       // by the server
};

// The observer of a body that is sent, and its file. On the lane's thread; ended() is
// called once, and is the last.
class Delivery {
 public:
  virtual ~Delivery() = default;
  // Open as long as this lives. Asked only if a piece is from a file.
  virtual int file() const = 0;
  virtual std::uint64_t file_size() const = 0;
  // Of the body, in bytes. `stalled`: no progress for some time.
  virtual void moved(std::uint64_t acknowledged, bool stalled) = 0;
  virtual void ended(TcpLane& lane, End how, const std::string& why) = 0;
};

// The receiver of a request's body. On the lane's thread.
class Body {
 public:
  virtual ~Body() = default;
  // No more until Connection::go_on().
  virtual bool waits() const = 0;
  // The place for the next bytes; at least one. came(): so many were put there.
  virtual std::span<std::uint8_t> room() = 0;
  virtual void came(std::size_t count) = 0;
  // So many so far.
  virtual std::uint64_t size() const = 0;
  // Nothing more is available now.
  virtual void pause() {}
  // Called often. `stalled`: nothing arrived for some time.
  virtual void still_coming(bool /*stalled*/) {}
  // One of these two is the last call. After the whole body, with the fields after a
  // chunked one: the answer follows then, or later.
  virtual void complete(const Head& trailer) = 0;
  virtual void broke_off(End how, const std::string& why) = 0;
};

// A piece of a body: a text, its own or shared, or `count` bytes of the delivery's file
// from `offset` on.
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
  // The body's length as for GET: for HEAD and 304.
  std::uint64_t length = 0;
  bool without_body = false;  // HEAD, 304
  bool endless = false;       // more follows by Connection::stream()
  // More of the body, piece by piece, of unknown length: asked for on the disk pool when
  // the previous piece was sent; empty: that was all. Chunked (RFC 9112, 7.1). If it is
  // refused in between, the connection ends, so that nobody takes the part for the whole.
  std::function<base::Outcome<std::string>()> more = {};
  std::shared_ptr<Delivery> delivery;  // null: no observer, and no file
  bool close = false;                  // close the connection after it

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
