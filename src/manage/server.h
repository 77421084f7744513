// The management API over HTTP/1.1 on a listener of its own, with a bearer token
// (RFC 6750). Everything but disk work runs on the thread that runs the io_context.
#pragma once

#include <boost/asio/io_context.hpp>
#include <memory>
#include <string>

#include "base/address.h"
#include "base/log.h"
#include "base/outcome.h"
#include "manage/service.h"

namespace vantro::manage {

struct Config {
  base::Endpoint listen;
  std::string token;
  std::string secrets_token;  // may the same, and see secrets as well
};

class Server {
 public:
  // All of them must outlive the server, but for config and log. `slow` is for work that
  // may take a minute.
  Server(boost::asio::io_context& io, boost::asio::io_context& disk,
         boost::asio::io_context& slow, Service& service, base::Log log, Config config);
  ~Server();
  Server(const Server&) = delete;
  Server& operator=(const Server&) = delete;

  // 0 or an errno.
  int bind();
  // Where it really listens.
  base::Endpoint listening() const;
  // After bind().
  void start();
  // Takes no more connections and ends the event streams; calls under way are finished.
  void stop();

 private:
  class State;
  std::shared_ptr<State> state_;
};

// Reads the operator's token, or makes it at the first start, readable by the owner only.
base::Outcome<std::string> operator_token(const std::string& file);

}  // namespace vantro::manage
