// Who answers the requests of one connection.
#pragma once

#include <string>

#include "base/clock.h"
#include "net/http/answer.h"
#include "net/http/request.h"

namespace vantro::net::http {

class Connection;

// The connection's own; on its lane's thread. What a handler leaves to other threads must
// hold the connection.
class Handler {
 public:
  virtual ~Handler() = default;
  // The next request. It ends with Connection::answer(), at once or later; before that
  // its body may be taken with Connection::receive(). A body that nobody takes closes the
  // connection, as it would be read as the next request.
  virtual void request(const Head& head) = 0;
  // What the connection itself answers to what can't be understood, or takes too long.
  virtual Answer problem(int status, const std::string& why) = 0;
  // What came is not what is spoken here.
  virtual void stray(const std::string& why) = 0;
  // Said often as long as an endless answer goes on.
  virtual void streaming(base::Instant /*now*/) {}
  // The connection has gone; nothing more is called.
  virtual void closed() {}
};

}  // namespace vantro::net::http
