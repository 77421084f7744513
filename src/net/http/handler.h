// Answers the requests of one connection.
#pragma once

#include <string>

#include "base/clock.h"
#include "net/http/answer.h"
#include "net/http/request.h"

namespace vantro::net::http {

class Connection;

// The connection's own; on its lane's thread. Work of a handler on other threads must
// hold the connection.
class Handler {
 public:
  virtual ~Handler() = default;
  // The next request. It ends with Connection::answer(), at once or later; before that
  // its body may be received with Connection::receive(). A body that nobody receives
  // closes the connection, as it would be read as the next request.
  virtual void request(const Head& head) = 0;
  // The connection's own answer to a request that is malformed, or takes too long.
  virtual Answer problem(int status, const std::string& why) = 0;
  // The bytes are not HTTP.
  virtual void stray(const std::string& why) = 0;
  // Called often while an endless answer goes on.
  virtual void streaming(base::Instant /*now*/) {}
  // The connection has closed; nothing more is called.
  virtual void closed() {}
};

}  // namespace vantro::net::http
