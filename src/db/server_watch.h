// Watches a PostgreSQL database over a connection of its own, beside those for
// transactions. It hears that somebody has committed changes (NOTIFY), and looks for them
// each second in case that was lost. And it finds out that the server has stopped
// answering although its connections still stand: nothing else would end a wait for it.
#pragma once

#include <atomic>
#include <cstdint>
#include <functional>
#include <string>
#include <thread>

#include "base/unique_fd.h"

namespace vantro::db {

class ServerWatch {
 public:
  // The name of what is heard: a channel of the schema that this session uses. SQL.
  static constexpr const char* kChannel = "'vantro_' || current_schema()";

  struct Hears {
    // There are new rows in the change log; also after a time without a connection.
    std::function<void()> changed;
    // It does not answer, each second again; and it answers, each second again.
    std::function<void(const std::string& why)> silent;
    std::function<void()> answers;
  };

  // `connection`: words of libpq. On a thread of its own, until it is destroyed.
  ServerWatch(std::string connection, Hears hears);
  ~ServerWatch();
  ServerWatch(const ServerWatch&) = delete;
  ServerWatch& operator=(const ServerWatch&) = delete;

 private:
  class Session;

  void run();

  const std::string connection_;
  const Hears hears_;
  std::atomic<bool> stopping_ = false;
  base::UniqueFd wake_;  // an eventfd
  std::thread thread_;
};

}  // namespace vantro::db
